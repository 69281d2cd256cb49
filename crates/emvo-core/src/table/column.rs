//! What a column of a table says of an event.
//!
//! Most columns hold a field of the one list; times stand in up to three columns,
//! and the zone, the calendar and the whole day have columns of their own.

use emvo_ical::calendar::fields::Field;

/// What a column says.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[allow(missing_docs)]
pub enum ColumnField {
    Title,
    Start,
    StartDate,
    StartTime,
    End,
    EndDate,
    EndTime,
    AllDay,
    Duration,
    Zone,
    Repeat,
    RepeatUntil,
    Exceptions,
    ExtraDates,
    Location,
    Description,
    Category,
    Busy,
    Private,
    Reminder,
    Url,
    Calendar,
    Uid,
    Replaces,
    Status,
}

impl ColumnField {
    const ALL: [Self; 25] = [
        Self::Title,
        Self::Start,
        Self::StartDate,
        Self::StartTime,
        Self::End,
        Self::EndDate,
        Self::EndTime,
        Self::AllDay,
        Self::Duration,
        Self::Zone,
        Self::Repeat,
        Self::RepeatUntil,
        Self::Exceptions,
        Self::ExtraDates,
        Self::Location,
        Self::Description,
        Self::Category,
        Self::Busy,
        Self::Private,
        Self::Reminder,
        Self::Url,
        Self::Calendar,
        Self::Uid,
        Self::Replaces,
        Self::Status,
    ];

    /// How many kinds of columns there are.
    pub(super) const COUNT: usize = Self::ALL.len();

    /// The field that the column holds whole; none for a part of it, such as the
    /// time of the start, and for what is no field of an event.
    pub const fn field(self) -> Option<Field> {
        Some(match self {
            Self::Title => Field::Title,
            Self::Start => Field::Start,
            Self::End => Field::End,
            Self::Repeat => Field::Repeat,
            Self::Exceptions => Field::Exceptions,
            Self::ExtraDates => Field::ExtraDates,
            Self::Location => Field::Location,
            Self::Description => Field::Description,
            Self::Category => Field::Category,
            Self::Busy => Field::Busy,
            Self::Private => Field::Private,
            Self::Reminder => Field::Reminders,
            Self::Url => Field::Url,
            Self::Uid => Field::Uid,
            Self::Replaces => Field::Replaces,
            Self::Status => Field::Status,
            Self::StartDate
            | Self::StartTime
            | Self::EndDate
            | Self::EndTime
            | Self::AllDay
            | Self::Duration
            | Self::Zone
            | Self::RepeatUntil
            | Self::Calendar => return None,
        })
    }

    /// The column of this name, as options and written tables have it.
    pub fn of_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|column| column.name() == name)
    }

    /// The name as options and written tables have it, such as `all_day`.
    pub const fn name(self) -> &'static str {
        match self {
            Self::StartDate => "start_date",
            Self::StartTime => "start_time",
            Self::EndDate => "end_date",
            Self::EndTime => "end_time",
            Self::AllDay => "all_day",
            Self::Duration => "duration",
            Self::Zone => "zone",
            Self::RepeatUntil => "repeat_until",
            Self::Calendar => "calendar",
            // A cell has one reminder, an event may have many.
            Self::Reminder => "reminder",
            whole => match whole.field() {
                Some(field) => field.name(),
                None => "",
            },
        }
    }

    /// The names of all columns, for messages.
    pub fn names() -> impl Iterator<Item = &'static str> {
        Self::ALL.into_iter().map(Self::name)
    }
}
