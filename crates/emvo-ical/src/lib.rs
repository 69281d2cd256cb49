//! iCalendar as data.
pub mod calendar;
pub mod content;
pub mod day;
pub mod recurrence;
pub mod zone;
