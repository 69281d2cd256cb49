//! What a destination accepts and how it behaves, as a limits file says it.

use std::collections::BTreeSet;

use emvo_ical::calendar::fields::Field;
use emvo_ical::content::Item;
use emvo_ical::zone::Zone;

/// What a destination accepts. What a file does not say is not limited.
#[derive(Clone, Debug, Default)]
pub struct Limits {
    /// In which zones times may be.
    pub zones: Zones,
    /// Which series it takes.
    pub series: SeriesLimit,
    /// How many events one file may hold.
    pub events_per_file: Option<usize>,
    /// How many bytes one file may have.
    pub bytes_per_file: Option<usize>,
    /// How many characters texts may have.
    pub texts: TextLimits,
    /// Whether it takes reminders.
    pub reminders: Acceptance,
    /// How many reminders of an event it takes, where it takes any.
    pub reminders_per_event: Option<usize>,
    /// Whether it takes people.
    pub attendees: Acceptance,
    /// Whether it takes attachments.
    pub attachments: Acceptance,
    /// The fields that it has no place for.
    pub fields_lost: BTreeSet<Field>,
    /// Whether it takes properties that no standard knows.
    pub own_properties: Acceptance,
    /// Whether it takes tasks.
    pub tasks: Acceptance,
    /// Whether it takes series without an end.
    pub endless_series: Acceptance,
    /// Whether timed events need a length.
    pub length: LengthLimit,
    /// The columns file for its tables, as the limits file names it.
    pub columns: Option<String>,
    /// What it does with what it is given.
    pub transitions: Transitions,
}

/// What a destination does with an import; only a rehearsal asks.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Transitions {
    /// What it does with times in a zone that is not its own.
    pub foreign_zone: ForeignZone,
    /// What it does with a series that it does not take.
    pub unfit_series: UnfitSeries,
    /// Whether it honours the exceptions of a series.
    pub exceptions: Exceptions,
    /// Whether events keep their ids.
    pub ids: Ids,
    /// What it does with an event under an id that it has.
    pub same_uid: SameUid,
    /// What it does with such an event where its revision is a later one; as with the others,
    /// if nobody says.
    pub updates: Option<SameUid>,
    /// Whether it keeps events that are cancelled.
    pub cancelled: Cancelled,
    /// How it reads the end of whole days.
    pub all_day_end: AllDayEnd,
    /// How many months from the first date it keeps a series without end.
    pub horizon_months: Option<u32>,
}

impl Transitions {
    /// Whether an event that is imported again stands there twice, whatever its revision.
    pub fn doubles(&self) -> bool {
        self.ids == Ids::Fresh || self.same_uid == SameUid::Double
    }
}

/// What a destination does with times in a zone that is not its own.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum ForeignZone {
    /// It keeps the instant.
    #[default]
    Convert,
    /// It keeps the clock time, as its own.
    ReadAsOwn,
    /// It leaves the event out.
    Refuse,
}

/// What a destination does with a series that it does not take.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum UnfitSeries {
    /// It keeps each date as an event.
    #[default]
    Unroll,
    /// It keeps the first date.
    FirstOnly,
    /// It keeps the series as its first rule has it, and forgets changed and further dates;
    /// where no series are taken, or none without end, it does as [`Self::Unroll`].
    RuleOnly,
    /// It leaves the series out.
    Refuse,
}

/// Whether a destination honours the exceptions of a series.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Exceptions {
    /// Dates that are left out stay out.
    #[default]
    Honoured,
    /// Excluded dates take place.
    Ignored,
}

/// How many characters texts may have; what is not said is not limited.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct TextLimits {
    /// A title.
    pub title: Option<usize>,
    /// A place.
    pub location: Option<usize>,
    /// A description.
    pub description: Option<usize>,
}

impl TextLimits {
    /// The fields that have a limit, with how many characters are taken.
    pub fn all(self) -> impl Iterator<Item = (Field, usize)> {
        let all = [
            (Field::Title, self.title),
            (Field::Location, self.location),
            (Field::Description, self.description),
        ];
        all.into_iter().filter_map(|(field, most)| Some((field, most?)))
    }
}

/// Whether events keep their ids where they are imported.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Ids {
    /// They do.
    #[default]
    Kept,
    /// Each gets a new one, so that nothing is known again.
    Fresh,
}

/// Whether a destination keeps events that are cancelled.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Cancelled {
    /// As cancelled ones.
    #[default]
    Kept,
    /// They are left out; a cancelled date of a series takes place again.
    Dropped,
}

/// What a destination does with an event under an id that it has.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum SameUid {
    /// The new one takes the place of the old one.
    #[default]
    Replace,
    /// Both stand there.
    Double,
    /// The old one stays.
    Skip,
}

/// How a destination reads the end of whole days.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum AllDayEnd {
    /// As RFC 5545 says: the day after the last.
    #[default]
    Exclusive,
    /// As the last day.
    Inclusive,
}

/// In which zones times may be.
#[derive(Clone, Debug, Default, PartialEq)]
pub enum Zones {
    /// In any.
    #[default]
    Any,
    /// In this one alone.
    One(Zone),
}

/// Which series a destination takes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum SeriesLimit {
    /// Any.
    #[default]
    Any,
    /// Those with one rule and no overrides.
    Plain,
    /// None.
    None,
}

/// Whether timed events need a length.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum LengthLimit {
    /// A moment is an event, too.
    #[default]
    Any,
    /// Each has to end after it starts.
    Needed,
}

/// Whether a destination takes something.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Acceptance {
    /// The destination takes it.
    #[default]
    Taken,
    /// The destination refuses or ignores it.
    Refused,
}

/// Something of an event that a destination takes nothing of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NotTaken {
    /// All that is said in a field.
    Field(Field),
    /// Properties and inner components that no standard knows.
    Own,
}

impl NotTaken {
    /// The rule that finds it.
    pub fn rule(self) -> &'static str {
        match self {
            Self::Field(Field::Reminders) => "F07",
            Self::Field(Field::Attendees) => "F08",
            Self::Field(Field::Attachments) => "F09",
            Self::Field(_) | Self::Own => "F12",
        }
    }

    /// What it is called.
    pub fn what(self) -> &'static str {
        match self {
            Self::Field(Field::Attendees) => "people",
            Self::Field(field) => field.name(),
            Self::Own => "own properties",
        }
    }

    /// Whether a property or an inner component says it.
    pub fn is_said_in(self, item: &Item<'_>) -> bool {
        match item {
            Item::Property(line) => self.stands_under(line.name()),
            Item::Component(inner) => self.stands_under(inner.name()),
        }
    }

    /// Whether a property or an inner component of this name says it.
    pub fn stands_under(self, name: &str) -> bool {
        match self {
            Self::Field(field) => Field::of_property(name) == Some(field),
            Self::Own => Field::of_property(name).is_none(),
        }
    }
}

impl Limits {
    /// What the destination takes nothing of.
    pub fn not_taken(&self) -> impl Iterator<Item = NotTaken> {
        let fields = [
            (self.reminders, Field::Reminders),
            (self.attendees, Field::Attendees),
            (self.attachments, Field::Attachments),
        ];
        let fields = fields.into_iter().filter(|(acceptance, _)| *acceptance == Acceptance::Refused);
        let fields = fields.map(|(_, field)| field).chain(self.fields_lost.iter().copied());
        let own = (self.own_properties == Acceptance::Refused).then_some(NotTaken::Own);
        fields.map(NotTaken::Field).chain(own)
    }
}
