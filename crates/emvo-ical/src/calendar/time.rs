//! Times as a calendar states them: clock time first, zone by name.

use hashbrown::HashSet;
use std::borrow::Borrow;
use std::fmt;
use std::sync::Arc;

use jiff::civil::{Date, DateTime, Time};

use crate::content::Property;

/// The name under which a calendar refers to a zone (`TZID`), as it stands.
/// What it means is for [`crate::zone::ZoneResolver`] to say. Never empty.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ZoneName(
    /// A thin pointer: every time of every event has one.
    Arc<Box<str>>,
);

impl ZoneName {
    /// A name; `None` if it is blank.
    pub fn new(name: &str) -> Option<Self> {
        (!name.trim().is_empty()).then(|| Self(Arc::new(name.into())))
    }

    /// The name as it stands.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

/// So that a set of names can be asked for a text. Both hash alike, since a name
/// is its text.
impl Borrow<str> for ZoneName {
    fn borrow(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for ZoneName {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

/// Hands out one [`ZoneName`] a name, however often it occurs.
#[derive(Debug, Default)]
pub struct ZoneNames {
    known: HashSet<ZoneName>,
    last: Option<ZoneName>,
}

impl ZoneNames {
    pub fn name(&mut self, name: &str) -> Option<ZoneName> {
        if let Some(last) = &self.last
            && last.as_str() == name
        {
            return Some(last.clone());
        }
        let known = self.known.get(name).cloned();
        let name = known.or_else(|| {
            let fresh = ZoneName::new(name)?;
            self.known.insert(fresh.clone());
            Some(fresh)
        })?;
        self.last = Some(name.clone());
        Some(name)
    }
}

/// How a clock time is tied to the world.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum ZoneRef {
    /// Not at all: the same clock time wherever one is (RFC 5545 3.3.5, form 1).
    Floating,
    /// Coordinated Universal Time (form 2).
    Utc,
    /// In the zone of this name (form 3).
    Named(ZoneName),
}

/// A start, an end or an exception as a calendar states it.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum EventTime {
    /// A whole day, which belongs to no zone.
    Date(Date),
    /// A clock time.
    Clock {
        /// What the clock shows.
        at: DateTime,
        /// Which clock.
        zone: ZoneRef,
    },
}

/// Why a time cannot be read.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum TimeError {
    /// Digits in the right form that no calendar has.
    #[error("`{text}` is not a date that exists")]
    Impossible {
        /// The value as it stands.
        text: String,
    },
    /// Not the form of a date or a time.
    #[error("`{text}` is neither a date (20260131) nor a time (20260131T093000)")]
    Malformed {
        /// The value as it stands.
        text: String,
    },
}

impl EventTime {
    /// Reads `DTSTART`, `DTEND`, `RECURRENCE-ID` or the like.
    ///
    /// Eight digits are a date even where `VALUE=DATE` is missing. Leap seconds
    /// become the second before, since no zone data has them.
    pub fn from_property(property: &Property<'_>, names: &mut ZoneNames) -> Result<Self, TimeError> {
        let zone = property.parameter("TZID").and_then(|name| names.name(&name));
        let value = property.value();
        let has_blanks = |value: &str| match value.as_bytes() {
            [first, .., last] => !first.is_ascii_graphic() || !last.is_ascii_graphic(),
            _ => true,
        };
        Self::parse(if has_blanks(&value) { value.trim() } else { &value }, zone.as_ref())
    }

    /// Reads one value in the zone that its property names.
    pub fn parse(value: &str, zone: Option<&ZoneName>) -> Result<Self, TimeError> {
        let bytes = value.as_bytes();
        let (digits, is_utc) = match bytes {
            [digits @ .., b'Z' | b'z'] => (digits, true),
            digits => (digits, false),
        };
        let malformed = || TimeError::Malformed { text: value.to_owned() };
        let impossible = || TimeError::Impossible { text: value.to_owned() };
        match digits {
            [_, _, _, _, _, _, _, _] if !is_utc => {
                let date = date_of(digits).ok_or_else(malformed)?;
                date.map(Self::Date).map_err(|_| impossible())
            }
            [date @ .., b'T' | b't', h1, h2, m1, m2, s1, s2] if date.len() == 8 => {
                let date = date_of(date).ok_or_else(malformed)?;
                let [hour, minute, second] = [[h1, h2], [m1, m2], [s1, s2]].map(|[a, b]| two_digits(*a, *b));
                let (Some(hour), Some(minute), Some(second)) = (hour, minute, second) else {
                    return Err(malformed());
                };
                let time = Time::new(hour, minute, second.min(59), 0).ok().filter(|_| second <= 60);
                let (Ok(date), Some(time)) = (date, time) else { return Err(impossible()) };
                let zone = match zone {
                    _ if is_utc => ZoneRef::Utc,
                    Some(zone) => ZoneRef::Named(zone.clone()),
                    None => ZoneRef::Floating,
                };
                Ok(Self::Clock { at: date.to_datetime(time), zone })
            }
            _ => Err(malformed()),
        }
    }

    /// The day on the calendar, whatever the zone.
    pub fn date(&self) -> Date {
        match self {
            Self::Date(date) => *date,
            Self::Clock { at, .. } => at.date(),
        }
    }

    /// The clock time; midnight for a whole day.
    pub fn clock(&self) -> DateTime {
        match self {
            Self::Date(date) => date.to_datetime(Time::midnight()),
            Self::Clock { at, .. } => *at,
        }
    }

    /// Whether this is a whole day.
    pub fn is_date(&self) -> bool {
        matches!(self, Self::Date(_))
    }

    /// How the clock time is tied to the world; a whole day floats.
    pub fn zone(&self) -> &ZoneRef {
        match self {
            Self::Date(_) => &ZoneRef::Floating,
            Self::Clock { zone, .. } => zone,
        }
    }

    /// The same kind of time at another clock time: a date stays a date.
    #[must_use]
    pub fn at_clock(&self, clock: DateTime) -> Self {
        match self {
            Self::Date(_) => Self::Date(clock.date()),
            Self::Clock { zone, .. } => Self::Clock { at: clock, zone: zone.clone() },
        }
    }

    /// The value in the form of RFC 5545, such as `20260131T093000`.
    pub fn value(&self) -> String {
        match self {
            Self::Date(date) => basic_date(*date),
            Self::Clock { at, zone } => {
                let mut value = basic_clock(*at);
                if *zone == ZoneRef::Utc {
                    value.push('Z');
                }
                value
            }
        }
    }

    /// The time as a property of this name.
    pub fn to_property(&self, name: &str) -> Property<'static> {
        match self {
            Self::Date(_) => Property::new(name, &[("VALUE", "DATE")], &self.value()),
            Self::Clock { zone: ZoneRef::Named(zone), .. } => {
                Property::new(name, &[("TZID", zone.as_str())], &self.value())
            }
            Self::Clock { .. } => Property::new(name, &[], &self.value()),
        }
    }
}

/// `2026-01-31 09:30`, with seconds where there are any. By hand, since lists and receipts
/// show the start of every event.
pub(super) fn write_clock(out: &mut impl fmt::Write, at: DateTime) -> fmt::Result {
    let Ok(year) = u16::try_from(at.year()) else {
        write!(out, "{} {:02}:{:02}", at.date(), at.hour(), at.minute())?;
        return if at.second() == 0 { Ok(()) } else { write!(out, ":{:02}", at.second()) };
    };
    let mut text = *b"0000-00-00 00:00:00";
    let mut put = |at: usize, number: u16| {
        // Two digits, so each is below ten.
        text[at] = b'0' + u8::try_from(number / 10 % 10).unwrap_or(0);
        text[at + 1] = b'0' + u8::try_from(number % 10).unwrap_or(0);
    };
    put(0, year / 100);
    put(2, year % 100);
    for (place, number) in
        [(5, at.month()), (8, at.day()), (11, at.hour()), (14, at.minute()), (17, at.second())]
    {
        put(place, u16::from(number.unsigned_abs()));
    }
    let shown = if at.second() == 0 { &text[..16] } else { &text[..] };
    out.write_str(std::str::from_utf8(shown).unwrap_or_default())
}

/// `2026-01-31`, or `2026-01-31 09:30` with the zone behind it. Seconds show
/// where there are any.
impl fmt::Display for EventTime {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Date(date) => write!(f, "{date}"),
            Self::Clock { at, zone } => {
                write_clock(f, *at)?;
                write_zone(f, zone)
            }
        }
    }
}

/// ` UTC` or ` Europe/Oslo`, behind a time; nothing if it floats.
pub(super) fn write_zone(out: &mut impl fmt::Write, zone: &ZoneRef) -> fmt::Result {
    match zone {
        ZoneRef::Floating => Ok(()),
        ZoneRef::Utc => out.write_str(" UTC"),
        ZoneRef::Named(zone) => {
            out.write_char(' ')?;
            out.write_str(zone.as_str())
        }
    }
}

/// `20260131`.
pub(super) fn basic_date(date: Date) -> String {
    let mut text = *b"00000000";
    put_date(&mut text, date);
    owned(&text)
}

/// `20260131T093000`.
pub(crate) fn basic_clock(at: DateTime) -> String {
    let mut text = *b"00000000T000000";
    put_date(&mut text, at.date());
    for (place, number) in [(9, at.hour()), (11, at.minute()), (13, at.second())] {
        put_two(&mut text, place, i16::from(number));
    }
    owned(&text)
}

/// Formatting as such is slow, and times are most of what is written anew.
fn put_date(text: &mut [u8], date: Date) {
    // No calendar has a year before 0.
    put_two(text, 0, date.year().div_euclid(100));
    put_two(text, 2, date.year().rem_euclid(100));
    put_two(text, 4, i16::from(date.month()));
    put_two(text, 6, i16::from(date.day()));
}

fn put_two(text: &mut [u8], at: usize, number: i16) {
    for (place, digit) in [(at, number / 10 % 10), (at + 1, number % 10)] {
        text[place] = b'0' + u8::try_from(digit).unwrap_or(0);
    }
}

fn owned(digits: &[u8]) -> String {
    // A `Z` may come behind them.
    let mut out = String::with_capacity(digits.len() + 1);
    out.push_str(std::str::from_utf8(digits).unwrap_or_default());
    out
}

/// The date that eight digits mean: outside `None` if they are no digits,
/// inside an error if no calendar has that date.
fn date_of(digits: &[u8]) -> Option<Result<Date, jiff::Error>> {
    let [y1, y2, y3, y4, m1, m2, d1, d2] = *digits else { return None };
    let century = i16::from(two_digits(y1, y2)?);
    let year = century * 100 + i16::from(two_digits(y3, y4)?);
    let (month, day) = (two_digits(m1, m2)?, two_digits(d1, d2)?);
    Some(Date::new(year, month, day))
}

fn two_digits(tens: u8, ones: u8) -> Option<i8> {
    let digit = |byte: u8| byte.is_ascii_digit().then(|| byte.wrapping_sub(b'0').cast_signed());
    Some(digit(tens)? * 10 + digit(ones)?)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_time_reads_and_writes_in_its_own_form() {
        let oslo = ZoneName::new("Europe/Oslo");
        let rows = [
            ("20260131", None, "2026-01-31"),
            ("20260131T093000", None, "2026-01-31 09:30"),
            ("20260131T093005Z", None, "2026-01-31 09:30:05 UTC"),
            ("20260131T093000", oslo.as_ref(), "2026-01-31 09:30 Europe/Oslo"),
            ("99991231T235959", None, "9999-12-31 23:59:59"),
            ("00050607T080900", None, "0005-06-07 08:09"),
        ];
        for (value, zone, shown) in rows {
            let time = EventTime::parse(value, zone).unwrap();
            assert_eq!((time.value(), time.to_string()), (value.to_owned(), shown.to_owned()));
        }
    }

    #[test]
    fn what_is_no_time_says_why() {
        for (value, message) in [
            ("20260230", "`20260230` is not a date that exists"),
            ("20260131T246100", "`20260131T246100` is not a date that exists"),
            ("2026-01-31", "`2026-01-31` is neither a date (20260131) nor a time (20260131T093000)"),
            ("", "`` is neither a date (20260131) nor a time (20260131T093000)"),
            ("2026013ä", "`2026013ä` is neither a date (20260131) nor a time (20260131T093000)"),
        ] {
            assert_eq!(EventTime::parse(value, None).unwrap_err().to_string(), message);
        }
        let leap_second = EventTime::parse("20161231T235960Z", None).unwrap();
        assert_eq!(leap_second.value(), "20161231T235959Z");
    }
}
