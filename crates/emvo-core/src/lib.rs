//! Calendars as data. Bytes and typed values go in, bytes and typed values
//! come out: nothing in this crate prints, reads arguments, opens files or
//! looks at a clock.
pub mod calendar;
pub mod content;
pub mod recurrence;
pub mod zone;
