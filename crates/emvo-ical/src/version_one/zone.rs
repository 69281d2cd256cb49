//! Offsets of VERSION:1.0 (`TZ`, `DAYLIGHT`) and a definition that says the same.
//!
//! ```text
//! TZ:+02
//! DAYLIGHT:TRUE;+03;20260329T030000;20261025T040000;EET;EEST
//! ```
//!
//! is +02:00, and +03:00 from one of these times to the other.

use jiff::civil::DateTime;

use super::text::{fields, raw_value};
use crate::calendar::{EventTime, ZoneName, ZoneRef};
use crate::content::{Component, Property};
use crate::day::{clock_at, clock_seconds};

/// The clock of a calendar, as it says.
pub(super) struct OldZone {
    name: ZoneName,
    /// Seconds east of UTC.
    standard: i64,
    summers: Vec<Summer>,
}

struct Summer {
    begins: DateTime,
    ends: DateTime,
    offset: i64,
    standard_name: String,
    short_name: String,
}

impl Summer {
    /// A time of the year; `None` where a line says none.
    fn of(value: &str) -> Option<Self> {
        let fields = fields(value);
        let [flag, ahead, begins, ends, names @ ..] = fields.as_slice() else { return None };
        let name = |at: usize| names.get(at).cloned().unwrap_or_default();
        flag.eq_ignore_ascii_case("TRUE").then_some(())?;
        Some(Self {
            offset: offset(ahead)?,
            begins: clock(begins)?,
            ends: clock(ends)?,
            standard_name: name(0),
            short_name: name(1),
        })
    }
}

/// Whether a `DAYLIGHT` line has its place in the definition, or says that there is no
/// summer time.
pub(super) fn is_summer(value: &str) -> bool {
    Summer::of(value).is_some() || value.trim().eq_ignore_ascii_case("FALSE")
}

impl OldZone {
    /// The clock that a calendar names; `None` if it names none, so that its times float.
    pub(super) fn of(calendar: &Component<'_>) -> Option<Self> {
        let standard = offset(&raw_value(calendar.property("TZ")?))?;
        let mut zone = Self { name: ZoneName::new(&name_of(standard))?, standard, summers: Vec::new() };
        for line in calendar.properties_named("DAYLIGHT") {
            zone.summers.extend(Summer::of(&raw_value(line)));
        }
        if !zone.summers.is_empty() {
            zone.name = ZoneName::new(&format!("{} with summer time", zone.name))?;
        }
        Some(zone)
    }

    pub(super) fn zone_ref(&self) -> ZoneRef {
        ZoneRef::Named(self.name.clone())
    }

    /// A time on this clock, in UTC.
    pub(super) fn in_utc(&self, at: DateTime) -> Option<DateTime> {
        let summer = self.summers.iter().find(|summer| (summer.begins..summer.ends).contains(&at));
        clock_at(clock_seconds(at) - summer.map_or(self.standard, |summer| summer.offset))
    }

    /// The definition of the clock (RFC 5545 section 3.6.5).
    pub(super) fn definition(&self) -> Option<Component<'static>> {
        let mut zone = Component::new("VTIMEZONE");
        zone.push(Property::text_of("TZID", self.name.as_str()));
        let first = clock_at(0)?;
        let own_name = self.summers.first().map_or("", |summer| &summer.standard_name);
        zone.add_component(observance("STANDARD", first, self.standard, self.standard, own_name));
        for summer in &self.summers {
            let (standard, ahead) = (self.standard, summer.offset);
            zone.add_component(observance("DAYLIGHT", summer.begins, standard, ahead, &summer.short_name));
            zone.add_component(observance("STANDARD", summer.ends, ahead, standard, &summer.standard_name));
        }
        Some(zone)
    }
}

fn observance(kind: &'static str, begins: DateTime, from: i64, to: i64, name: &str) -> Component<'static> {
    let mut observance = Component::new(kind);
    let start = EventTime::Clock { at: begins, zone: ZoneRef::Floating };
    observance.push(start.to_property("DTSTART"));
    observance.push(Property::new("TZOFFSETFROM", &[], &digits(from)));
    observance.push(Property::new("TZOFFSETTO", &[], &digits(to)));
    if !name.is_empty() {
        observance.push(Property::text_of("TZNAME", name));
    }
    observance
}

/// `+0200`.
fn digits(offset: i64) -> String {
    let sign = if offset < 0 { '-' } else { '+' };
    format!("{sign}{:02}{:02}", offset.abs() / 3600, offset.abs() / 60 % 60)
}

fn name_of(offset: i64) -> String {
    format!("UTC{}", digits(offset))
}

/// Seconds east of UTC in `+02`, `-0500`, `+05:30`, `-5`.
fn offset(text: &str) -> Option<i64> {
    let text = text.trim();
    let (sign, digits) = match text.as_bytes().first()? {
        b'-' => (-1, &text[1..]),
        b'+' => (1, &text[1..]),
        _ => (1, text),
    };
    let digits: String = digits.chars().filter(|char| *char != ':').collect();
    if !digits.bytes().all(|byte| byte.is_ascii_digit()) {
        return None;
    }
    let number = |text: &str| text.parse::<i64>().ok();
    let (hours, minutes) = match digits.len() {
        1 | 2 => (number(&digits)?, 0),
        4 => (number(&digits[..2])?, number(&digits[2..])?),
        _ => return None,
    };
    (hours <= 14 && minutes < 60).then_some(sign * (hours * 3600 + minutes * 60))
}

/// A clock time, in whatever zone it is told.
fn clock(text: &str) -> Option<DateTime> {
    match EventTime::parse(text.trim(), None).ok()? {
        EventTime::Clock { at, .. } => Some(at),
        EventTime::Date(_) => None,
    }
}
