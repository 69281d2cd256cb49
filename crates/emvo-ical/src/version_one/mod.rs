//! Calendars of VERSION:1.0, the form from before the standard, which archives still
//! hold, put into the standard's own form.
//!
//! It has other rules (`W2 TU TH #8`), offsets in place of zones, reminders in one line
//! and texts in quoted-printable. What the standard has a place for is put there; all
//! else goes along under a name of its own ([`CARRIED`]), and is counted.
//!
//! ```text
//! DTSTART:20260105T080000               DTSTART:20260105T080000
//! RRULE:W1 MO WE #4                     RRULE:FREQ=WEEKLY;COUNT=4;BYDAY=MO,WE
//! DALARM:20260105T074500;;;Handover     BEGIN:VALARM … TRIGGER:-PT15M …
//! TRANSP:1                              TRANSP:TRANSPARENT
//! RNUM:4                                X-VCAL-RNUM:4
//! ```

mod alarm;
mod entry;
mod people;
mod rule;
mod text;
mod zone;

use std::collections::BTreeMap;

use crate::content::{Component, Item, Property};

pub use text::{prepared, says_version_one};

use zone::OldZone;

/// What stands in front of the names of properties that the standard has no place for.
pub const CARRIED: &str = "X-VCAL-";

/// A calendar in the standard's form.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Converted {
    /// The calendar.
    pub calendar: Component<'static>,
    /// The properties without a place in the standard, by name, with how many there
    /// are of each: they go along under [`CARRIED`], rules as they stand.
    pub unplaced: BTreeMap<String, usize>,
}

/// Whether a calendar says that it is of this form.
pub fn is_version_one(calendar: &Component<'_>) -> bool {
    calendar.property("VERSION").is_some_and(|version| version.value().trim() == "1.0")
}

/// Puts a calendar of this form into the standard's.
pub fn convert(old: &Component<'_>) -> Converted {
    let zone = OldZone::of(old);
    let mut conversion = Conversion { zone, unplaced: BTreeMap::new() };
    let mut calendar = Component::new("VCALENDAR").at_line(old.line());
    for item in old.items() {
        match item {
            Item::Property(line) => conversion.head_line(line, &mut calendar),
            Item::Component(inner) => {
                let inner = conversion.entry(inner);
                calendar.add_component(inner);
            }
        }
    }
    if let Some(definition) = conversion.zone.as_ref().and_then(OldZone::definition) {
        calendar.add_component(definition);
    }
    Converted { calendar, unplaced: conversion.unplaced }
}

/// What is known while a calendar is converted.
struct Conversion {
    zone: Option<OldZone>,
    unplaced: BTreeMap<String, usize>,
}

impl Conversion {
    fn head_line(&mut self, line: &Property<'_>, into: &mut Component<'static>) {
        match line.name().to_ascii_uppercase().as_str() {
            "VERSION" => into.push(Property::new("VERSION", &[], "2.0")),
            "PRODID" => into.push(Property::new("PRODID", &[], &text::raw_value(line))),
            // They are in the definition, where there is one.
            "TZ" if self.zone.is_some() => {}
            "DAYLIGHT" if self.zone.is_some() && zone::is_summer(&text::raw_value(line)) => {}
            name if name.starts_with("X-") => into.push(text::as_text(name, line)),
            _ => self.carry(line, into),
        }
    }

    /// Takes a property along that the standard has no place for.
    fn carry(&mut self, line: &Property<'_>, into: &mut Component<'static>) {
        let name = line.name().to_ascii_uppercase();
        into.push(text::as_text(&format!("{CARRIED}{name}"), line));
        *self.unplaced.entry(name).or_insert(0) += 1;
    }
}

#[cfg(test)]
mod tests;
