//! The columns of a list of dates.

use std::borrow::Cow;

use emvo_ical::calendar::Event;
use emvo_ical::calendar::fields::Field;

/// A column of a list of dates
#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
#[value(rename_all = "snake_case")]
pub(crate) enum FieldArg {
    Start,
    End,
    AllDay,
    Zone,
    Title,
    Location,
    Category,
    Calendar,
    Uid,
    /// How the series repeats, in words
    Repeat,
    /// The day of the start
    Date,
    /// The day of the start in words, as September 9, 2026
    DateInWords,
    /// The weekday of the start
    Weekday,
    /// The month of the start, by its name
    Month,
    StartTime,
    EndTime,
    Description,
    Busy,
    Private,
    Status,
    Reminders,
    Attendees,
    Url,
    Conference,
    Attachments,
    Resources,
    Contact,
    Comment,
    Priority,
    Geo,
    Color,
}

impl FieldArg {
    /// Those that are there unless others are asked for.
    pub(crate) const ALL: [Self; 9] = [
        Self::Start,
        Self::End,
        Self::AllDay,
        Self::Zone,
        Self::Title,
        Self::Location,
        Self::Category,
        Self::Calendar,
        Self::Uid,
    ];

    pub(crate) fn name(self) -> &'static str {
        match self {
            Self::Start => Field::Start.name(),
            Self::End => Field::End.name(),
            Self::AllDay => "all_day",
            Self::Zone => "zone",
            Self::Title => Field::Title.name(),
            Self::Location => Field::Location.name(),
            Self::Category => Field::Category.name(),
            Self::Calendar => "calendar",
            Self::Uid => Field::Uid.name(),
            Self::Repeat => Field::Repeat.name(),
            Self::Date => "date",
            Self::DateInWords => "date_in_words",
            Self::Weekday => "weekday",
            Self::Month => "month",
            Self::StartTime => "start_time",
            Self::EndTime => "end_time",
            other => other.more().map_or("", Field::name),
        }
    }

    /// Whether it shows a clock time.
    pub(crate) fn is_time(self) -> bool {
        matches!(self, Self::Start | Self::End | Self::StartTime | Self::EndTime)
    }

    /// The field of the event that it shows, if it is one that few lists have.
    pub(super) fn more(self) -> Option<Field> {
        Some(match self {
            Self::Description => Field::Description,
            Self::Busy => Field::Busy,
            Self::Private => Field::Private,
            Self::Status => Field::Status,
            Self::Reminders => Field::Reminders,
            Self::Attendees => Field::Attendees,
            Self::Url => Field::Url,
            Self::Conference => Field::Conference,
            Self::Attachments => Field::Attachments,
            Self::Resources => Field::Resources,
            Self::Contact => Field::Contact,
            Self::Comment => Field::Comment,
            Self::Priority => Field::Priority,
            Self::Geo => Field::Geo,
            Self::Color => Field::Color,
            _ => return None,
        })
    }
}

/// What an event says in a field, for a cell.
pub(super) fn said(field: Field, event: &Event<'_>) -> String {
    match field {
        Field::Busy => (if event.is_busy() { "busy" } else { "free" }).to_owned(),
        Field::Private => event.classification().name().to_owned(),
        Field::Reminders => {
            let triggers = event.alarms().filter_map(|alarm| alarm.text("TRIGGER"));
            triggers.map(Cow::into_owned).collect::<Vec<_>>().join("; ")
        }
        _ => {
            let names = field.properties().iter();
            let lines = names.flat_map(|name| event.component().properties_named(name));
            lines.map(|line| line.text().trim().to_owned()).collect::<Vec<_>>().join("; ")
        }
    }
}
