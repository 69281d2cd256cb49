//! Events of which no rule has anything to say, known by a few numbers instead of by their lines.
//!
//! Nearly all events of an export are like this one, and no rule that looks at it by itself finds
//! anything:
//!
//! ```text
//! BEGIN:VEVENT
//! UID:0471@example.org
//! DTSTAMP:20260101T000000Z
//! SUMMARY:Deck watch 12                              it starts 2026-03-02 08:30 and takes 45 min
//! DTSTART;TZID=Europe/Helsinki:20260302T083000   →   in zone 1; its id is 8c1f…, its title 03ad…,
//! DTEND;TZID=Europe/Helsinki:20260302T091500         it stands at 81,204 and has 9 lines
//! LOCATION:Pier 4
//! DESCRIPTION:muster at the bridge
//! END:VEVENT
//! ```
//!
//! So a text is looked at before it is read. What is in this form ([`lines`]) becomes numbers, and
//! the rest is read into events. Then those wake that a rule may have something to say about after
//! all ([`wake`]): they share an id, a title and a day, or a shape with another event, their clocks
//! skip or repeat their start, their zone is not what its name says, their year stands alone. What
//! is still quiet then is in the counts, in the zones in use and in the habits of its calendar, and
//! is never made. For that a calendar is read twice at most; where anything about the text is
//! unusual (a part of it cannot be read, it holds two calendars) nothing is quiet.
//!
//! A form that is not listed costs time and nothing else. That nothing else is lost either is held
//! by the rules themselves: with debug assertions, every check of quiet events is made again with
//! all events read, and has to find the same.

mod events;
mod keys;
mod lines;
mod numbers;
mod odd_zones;
mod reader;
mod reading;
mod seen;
mod wake;

use std::num::NonZeroU16;

use emvo_ical::calendar::ZoneName;
use emvo_ical::content::{Property, Stretch, lines_of};
use emvo_ical::day::SECONDS_A_DAY;
use emvo_ical::zone::ZoneChoices;

use events::Events;
pub use numbers::Inside;
pub use reading::{ReadQuietly, read_quietly};

/// What is asked of the events of a text.
#[derive(Clone, Copy, Debug)]
pub struct Ask<'l> {
    /// The day of today as stamps have it, `20260907`, if stamps of later days are faults (D16).
    pub today: Option<&'l str>,
    /// Whether events are compared with each other.
    pub across: Across,
    /// What was said about zones.
    pub zones: &'l ZoneChoices,
}

/// Whether rules look at all events of a calendar together.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Across {
    /// Each event is looked at by itself.
    Alone,
    /// They are compared with each other.
    Compared,
}

/// No two clocks of the world are further apart, in seconds.
const CLOCKS_APART: i64 = 26 * 3600;

/// The quiet events of a calendar, in order of its text.
#[derive(Clone, Debug, Default)]
pub struct Quiet<'a> {
    text: &'a str,
    events: Events,
    /// The zones of their times; UTC has no name.
    zones: Vec<Option<ZoneName>>,
}

/// An event as far as anything else has to know it.
#[derive(Clone, Debug)]
struct QuietEvent {
    stretch: Stretch,
    uid: u64,
    title: u64,
    shape: u64,
    /// Seconds since 1970 on its clock.
    start: i64,
    /// Seconds on its clock.
    lasts: u32,
    /// The place of its zone.
    zone: u16,
    repeats: Option<Repeats>,
}

/// A rule without anything but a distance and a count.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Repeats {
    every_days: NonZeroU16,
    /// Two at least.
    count: u16,
}

impl QuietEvent {
    /// The start of its last date, on its clock.
    fn last_start(&self) -> i64 {
        let Some(Repeats { every_days, count }) = self.repeats else { return self.start };
        self.start + i64::from(count - 1) * i64::from(every_days.get()) * SECONDS_A_DAY
    }
}

impl<'a> Quiet<'a> {
    /// None, of no text.
    pub const NONE: &'static Quiet<'static> = &Quiet { text: "", events: Events::NONE, zones: Vec::new() };

    /// The quiet events of a text of one calendar, as far as they tell by themselves.
    pub fn of(text: &'a str, ask: &Ask<'_>) -> Self {
        let mut quiet = reader::read(text, ask).unwrap_or_default();
        quiet.wake_among_themselves(ask);
        quiet
    }

    /// The text that they stand in.
    pub fn text(&self) -> &'a str {
        self.text
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        self.events.len()
    }

    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.events.is_empty()
    }

    /// Where they stand.
    pub fn stretches(&self) -> Vec<Stretch> {
        self.events.iter().map(|event| event.stretch).collect()
    }

    /// The lines of all of them.
    pub(super) fn lines(&self) -> impl Iterator<Item = Property<'a>> {
        let text = self.text;
        let stretches = self.events.iter().map(|event| event.stretch);
        stretches.flat_map(move |stretch| lines_of(&text[stretch.start..stretch.end()]))
    }
}
