//! The fields of an event that a table has columns for.

/// A field of an event in a table.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[allow(missing_docs)]
pub enum Field {
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

impl Field {
    const NAMES: [(Self, &'static str); 25] = [
        (Self::Title, "title"),
        (Self::Start, "start"),
        (Self::StartDate, "start_date"),
        (Self::StartTime, "start_time"),
        (Self::End, "end"),
        (Self::EndDate, "end_date"),
        (Self::EndTime, "end_time"),
        (Self::AllDay, "all_day"),
        (Self::Duration, "duration"),
        (Self::Zone, "zone"),
        (Self::Repeat, "repeat"),
        (Self::RepeatUntil, "repeat_until"),
        (Self::Exceptions, "exceptions"),
        (Self::ExtraDates, "extra_dates"),
        (Self::Location, "location"),
        (Self::Description, "description"),
        (Self::Category, "category"),
        (Self::Busy, "busy"),
        (Self::Private, "private"),
        (Self::Reminder, "reminder"),
        (Self::Url, "url"),
        (Self::Calendar, "calendar"),
        (Self::Uid, "uid"),
        (Self::Replaces, "replaces"),
        (Self::Status, "status"),
    ];

    /// How many fields there are.
    pub(super) const COUNT: usize = Self::NAMES.len();

    /// The field of this name, as options and written tables have it.
    pub fn of_name(name: &str) -> Option<Self> {
        Self::NAMES.iter().find(|(_, known)| *known == name).map(|(field, _)| *field)
    }

    /// The name as options and written tables have it, such as `all_day`.
    pub fn name(self) -> &'static str {
        Self::NAMES.iter().find(|(field, _)| *field == self).map_or("", |(_, name)| name)
    }

    /// The names of all fields, for messages.
    pub fn names() -> impl Iterator<Item = &'static str> {
        Self::NAMES.iter().map(|(_, name)| *name)
    }
}
