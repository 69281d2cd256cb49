//! iCalendar (RFC 5545) as data: read it, change it, expand it, write it, and
//! lose nothing on the way.
//!
//! Most calendar files in the world break some rule of the standard, and most
//! of what they say is in properties that no one program knows. So this crate
//! keeps two views of the same file:
//!
//! - a **lossless tree**: [`content`] turns bytes into components with their
//!   properties in order and their text as it stood. A component that nobody
//!   changed is written back with its original lines.
//! - **typed views** over it: [`calendar`] groups events into series with typed
//!   times, [`zone`] says what a zone name means and what its clocks do, and
//!   [`recurrence`] says which dates a series stands for.
//!
//! A calendar with a mistake in it is still read: what cannot be understood is
//! returned as a [`content::Fault`] or a [`calendar::Unsound`] event, with its
//! line and the reason.
//!
//! # A first look
//!
//! ```
//! use emvo_ical::calendar::{read, write};
//! use emvo_ical::content::parse;
//! use emvo_ical::recurrence::{Ceiling, Window, occurrences_of};
//! use emvo_ical::zone::{ZoneChoices, ZoneResolver};
//! use jiff::civil::date;
//!
//! let text = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Example//EN\r\n\
//!     BEGIN:VEVENT\r\nUID:drill@example.org\r\nSUMMARY:Fire drill\r\n\
//!     DTSTART;TZID=Europe/Helsinki:20260907T090000\r\nDURATION:PT1H\r\n\
//!     RRULE:FREQ=MONTHLY;BYDAY=1MO\r\nX-DECK:4\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n";
//! let mut parsed = parse(text);
//! assert!(parsed.faults.is_empty());
//! let calendar = read(parsed.roots.remove(0), "drills");
//!
//! // The dates of the series in a window, on the clock of its zone.
//! let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
//! let window = Window { from: date(2026, 9, 1), until: date(2026, 12, 31) };
//! let dates = occurrences_of(&calendar.series[0], &zones, window, Ceiling::default());
//! assert_eq!(dates.list.len(), 4);
//!
//! // What nobody changed comes back to the byte, unknown properties included.
//! let mut bytes = Vec::new();
//! write(&calendar, &mut bytes);
//! assert_eq!(bytes, text.as_bytes());
//! ```
//!
//! `examples/shift_a_series.rs` changes a calendar as well.
//!
//! # What it leaves to others
//!
//! Nothing here prints, reads arguments, opens files or looks at a clock: bytes
//! and values go in, bytes and values come out. The tz database is built in and
//! the machine's own is never asked, so the same input gives the same dates
//! everywhere. Repairs, duplicates and tables are not here.

pub mod calendar;
pub mod content;
pub mod day;
pub mod recurrence;
pub mod version_one;
pub mod zone;
