//! A file that is imported to see whether it is taken.

use std::borrow::Cow;
use std::collections::BTreeSet;
use std::fmt;

use emvo_ical::calendar::Calendar;
use emvo_ical::content::{Component, Property, push_component, push_property};

use super::parts::{Part, zones_of};
use crate::product::PRODUCT_ID;

/// A file to import.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Trial {
    /// What is in it.
    pub kind: TrialKind,
    /// The file.
    pub bytes: Vec<u8>,
}

/// What is in a trial.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TrialKind {
    /// All of the file, as it is written here.
    Everything,
    /// All of it in one calendar.
    OneCalendar,
    /// What the file says of itself, with one harmless event.
    Head,
    /// So many harmless events.
    Harmless(usize),
    /// Few harmless events that take so many bytes.
    Large(usize),
    /// So many of its events.
    Events(usize),
    /// One event with some of its changed dates.
    ChangedDates(usize),
    /// One event with no more than it needs.
    Bare,
    /// One event with some of its lines.
    Lines(usize),
}

impl fmt::Display for TrialKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Everything => f.write_str("everything, as Emvo writes it"),
            Self::OneCalendar => f.write_str("everything, in one calendar"),
            Self::Head => f.write_str("what the file says of itself, and one harmless event"),
            Self::Harmless(count) => write!(f, "{count} harmless events"),
            Self::Large(bytes) => {
                write!(f, "a few harmless events of {bytes} bytes, as many as the file has")
            }
            Self::Events(1) => f.write_str("one event"),
            Self::Events(count) => write!(f, "{count} of the events"),
            Self::ChangedDates(count) => write!(f, "the event with {count} of its changed dates"),
            Self::Bare => f.write_str("the event with an id, a stamp and a start alone"),
            Self::Lines(count) => write!(f, "the event with {count} of its lines"),
        }
    }
}

/// Where trials take their heads and definitions from.
pub(super) struct Frame<'f, 'c, 'a> {
    pub(super) calendars: &'f [&'c Calendar<'a>],
}

impl<'c, 'a> Frame<'_, 'c, 'a> {
    /// Some events under a plain head, with the definitions of their zones.
    pub(super) fn file(&self, components: &[&Component<'a>]) -> Vec<u8> {
        let mut out = plain_head();
        self.push_used(components, &mut out);
        out
    }

    /// The calendars with some of their parts, each under its own head.
    pub(super) fn calendars_with(&self, parts: &[&Part<'c, 'a>]) -> Vec<u8> {
        let mut out = Vec::new();
        for (number, calendar) in self.calendars.iter().enumerate() {
            push_frame(calendar, &mut out);
            let own = parts.iter().filter(|part| part.calendar == number);
            push_all(own.flat_map(|part| part.components.iter().copied()), &mut out);
            out.extend_from_slice(END);
        }
        out
    }

    /// Some parts in one calendar, under the head of the first.
    pub(super) fn one_calendar(&self, parts: &[Part<'c, 'a>]) -> Vec<u8> {
        let mut out = Vec::new();
        match self.calendars.first() {
            Some(first) => push_head(first, &mut out),
            None => out = plain_head(),
        }
        let components: Vec<_> = parts.iter().flat_map(|part| part.components.iter().copied()).collect();
        self.push_used(&components, &mut out);
        out
    }

    /// Heads and definitions alone, with one event that nobody refuses.
    pub(super) fn heads(&self) -> Vec<u8> {
        let mut out = Vec::new();
        for (number, calendar) in self.calendars.iter().enumerate() {
            push_frame(calendar, &mut out);
            if number == 0 {
                push_harmless(&mut out, 1, 0);
            }
            out.extend_from_slice(END);
        }
        out
    }

    /// The definitions that some components use, the components, and the end.
    fn push_used(&self, components: &[&Component<'a>], out: &mut Vec<u8>) {
        let names = zones_of(components);
        let mut defined: BTreeSet<Cow<'_, str>> = BTreeSet::new();
        let zones = self.calendars.iter().flat_map(|calendar| &calendar.zones).map(|zone| &zone.it);
        let used = zones.filter(|zone| {
            let name = zone.text("TZID").unwrap_or_default();
            names.contains(&*name) && defined.insert(name)
        });
        push_all(used, out);
        push_all(components.iter().copied(), out);
        out.extend_from_slice(END);
    }
}

const END: &[u8] = b"END:VCALENDAR\r\n";

/// Events that say nothing which anybody refuses, under a plain head; each with a description
/// of so many characters.
pub(super) fn harmless(count: usize, description: usize) -> Vec<u8> {
    let mut out = plain_head();
    for number in 1..=count {
        push_harmless(&mut out, number, description);
    }
    out.extend_from_slice(END);
    out
}

fn push_harmless(out: &mut Vec<u8>, number: usize, description: usize) {
    let (hour, minute) = (number / 60 % 24, number % 60);
    let day = 1 + number / 1440 % 28;
    let mut event = Component::new("VEVENT");
    event.add(Property::text_of("UID", &format!("emvo-trial-{number}")));
    event.add(Property::new("DTSTAMP", &[], "20200101T000000Z"));
    event.add(Property::new("DTSTART", &[], &format!("202001{day:02}T{hour:02}{minute:02}00Z")));
    event.add(Property::new("DURATION", &[], "PT5M"));
    event.add(Property::text_of("SUMMARY", "A harmless event"));
    if description > 0 {
        event.add(Property::text_of("DESCRIPTION", &"harmless ".repeat(description.div_ceil(9))));
    }
    push_component(out, &event);
}

fn push_all<'c, 'a: 'c>(components: impl Iterator<Item = &'c Component<'a>>, out: &mut Vec<u8>) {
    for component in components {
        push_component(out, component);
    }
}

fn plain_head() -> Vec<u8> {
    let mut out = b"BEGIN:VCALENDAR\r\n".to_vec();
    push_property(&mut out, &Property::new("VERSION", &[], "2.0"));
    push_property(&mut out, &Property::new("PRODID", &[], PRODUCT_ID));
    out
}

/// The head of a calendar and its definitions.
fn push_frame(calendar: &Calendar<'_>, out: &mut Vec<u8>) {
    push_head(calendar, out);
    push_all(calendar.zones.iter().map(|zone| &zone.it), out);
}

fn push_head(calendar: &Calendar<'_>, out: &mut Vec<u8>) {
    out.extend_from_slice(b"BEGIN:VCALENDAR\r\n");
    for line in calendar.missing_head(PRODUCT_ID).iter().chain(&calendar.properties) {
        push_property(out, line);
    }
}
