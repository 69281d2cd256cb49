//! The lines of which no rule has anything to say, each in the one form in which it is known.
//!
//! What stands in any other form, or is not listed here, is for the rules to look at: a form that
//! is missing costs time, one too many would cost a finding.

use std::num::NonZeroU16;

use super::{Ask, Repeats};
use crate::rules::Traits;
use crate::rules::traits::{is_plain_id, traits_of_text};
use emvo_ical::calendar::{Duration, is_mirror_name};
use emvo_ical::day::{SECONDS_A_DAY, day_number, days_in_month};
use memchr::memchr;

/// From this year on nobody takes a date for one from which computers count.
const FIRST_YEAR: i64 = 1971;
/// How long a clock time is.
const CLOCK: usize = "20260907T080000".len();
/// Events of more zones in a piece of a text are for the rules to look at.
pub(super) const MOST_ZONES: usize = 64;
/// So far a series may go, in days.
const LONGEST: u32 = 366 * 20;

/// What the lines of an event have told so far.
#[derive(Default)]
pub(super) struct Told<'a> {
    /// One bit for each line that may stand there once.
    seen: u32,
    is_in_reminder: bool,
    pub(super) uid: &'a str,
    /// As it stands.
    pub(super) title: &'a str,
    pub(super) start: Option<Time>,
    pub(super) end: Option<Time>,
    pub(super) repeats: Option<Repeats>,
}

/// A clock time: seconds since 1970 on the clock, and the place of its zone.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Time {
    pub(super) clock: i64,
    pub(super) zone: u16,
}

/// What the events before have told.
#[derive(Default)]
pub(super) struct Known<'a> {
    pub(super) zones: ZoneTable<'a>,
    /// The last stamp of each kind, of days that are over.
    stamps: [&'a str; 3],
}

/// The zones of some times by the names that stand there; UTC has none.
#[derive(Default)]
pub(super) struct ZoneTable<'a> {
    pub(super) names: Vec<Option<&'a str>>,
    last: u16,
}

impl<'a> ZoneTable<'a> {
    fn place_of(&mut self, name: Option<&'a str>) -> Option<u16> {
        if self.names.get(usize::from(self.last)) == Some(&name) {
            return Some(self.last);
        }
        let is_plain =
            |byte: u8| byte.is_ascii_graphic() && !matches!(byte, b':' | b';' | b',' | b'"' | b'^');
        if !name.is_none_or(|name| name.bytes().all(is_plain)) {
            return None;
        }
        let place = match self.names.iter().position(|known| *known == name) {
            Some(place) => place,
            None if self.names.len() >= MOST_ZONES => return None,
            None => {
                self.names.push(name);
                self.names.len() - 1
            }
        };
        self.last = u16::try_from(place).ok()?;
        Some(self.last)
    }
}

macro_rules! once {
    ($($name:ident)*) => { once! { @each 0_u32; $($name)* } };
    (@each $at:expr; $name:ident $($rest:ident)*) => {
        const $name: u32 = 1 << $at;
        once! { @each $at + 1; $($rest)* }
    };
    (@each $at:expr;) => {};
}

once! {
    UID DTSTAMP CREATED LAST_MODIFIED SEQUENCE PRIORITY STATUS TRANSP CLASS SUMMARY LOCATION DESCRIPTION
    COMMENT CATEGORIES DTSTART DTEND RRULE REMINDER ACTION TRIGGER
}

impl<'a> Told<'a> {
    /// Takes a line of the event; `None` if a rule may have something to say about it.
    pub(super) fn take(
        &mut self,
        raw: &'a str,
        is_folded: bool,
        known: &mut Known<'a>,
        ask: &Ask<'_>,
    ) -> Option<()> {
        let end = raw.bytes().position(|byte| matches!(byte, b':' | b';'))?;
        let (name, rest) = raw.split_at(end);
        if self.is_in_reminder {
            return self.take_in_reminder(name, rest.strip_prefix(':')?, is_folded);
        }
        match name {
            "DTSTART" => {
                self.start = Some(time(rest, &mut known.zones)?);
                return self.once(DTSTART);
            }
            "DTEND" => {
                self.end = Some(time(rest, &mut known.zones)?);
                return self.once(DTEND);
            }
            _ => {}
        }
        let value = rest.strip_prefix(':')?;
        match name {
            "DESCRIPTION" => self.text(DESCRIPTION, value, is_folded, Traits::default()),
            "LOCATION" => self.text(LOCATION, value, is_folded, Traits::default()),
            "COMMENT" => self.text(COMMENT, value, is_folded, Traits::default()),
            // The comma stands between two of them.
            "CATEGORIES" => self.text(CATEGORIES, value, is_folded, Traits::ESCAPING),
            _ if is_folded => None,
            "SUMMARY" => {
                self.title = value;
                self.text(SUMMARY, value, is_folded, Traits::default())
            }
            "UID" => {
                self.uid = value;
                self.once_if(UID, is_plain_id(value))
            }
            "DTSTAMP" => self.stamp(DTSTAMP, value, &mut known.stamps[0], ask),
            "CREATED" => self.stamp(CREATED, value, &mut known.stamps[1], ask),
            "LAST-MODIFIED" => self.stamp(LAST_MODIFIED, value, &mut known.stamps[2], ask),
            "SEQUENCE" => self.once_if(SEQUENCE, number(value).is_some()),
            "PRIORITY" => self.once_if(PRIORITY, matches!(value.as_bytes(), [b'0'..=b'9'])),
            "STATUS" => self.once_if(STATUS, matches!(value, "CONFIRMED" | "TENTATIVE")),
            "TRANSP" => self.once_if(TRANSP, matches!(value, "OPAQUE" | "TRANSPARENT")),
            "CLASS" => self.once_if(CLASS, value == "PUBLIC"),
            "RRULE" => {
                self.repeats = Some(repeats(value)?);
                self.once(RRULE)
            }
            "BEGIN" if value == "VALARM" => {
                self.is_in_reminder = true;
                self.once(REMINDER)
            }
            own => (own.starts_with("X-") && !is_mirror_name(own)).then_some(()),
        }
    }

    /// A reminder that says what it does, and rings before the event is over.
    fn take_in_reminder(&mut self, name: &str, value: &str, is_folded: bool) -> Option<()> {
        match name {
            _ if is_folded => None,
            "DESCRIPTION" => Some(()),
            "ACTION" => self.once_if(ACTION, matches!(value, "DISPLAY" | "AUDIO" | "EMAIL")),
            "TRIGGER" => {
                let Duration { days, seconds } = Duration::parse(value)?;
                self.once_if(TRIGGER, days <= 0 && seconds <= 0)
            }
            "END" if value == "VALARM" => {
                self.is_in_reminder = false;
                (self.seen & (ACTION | TRIGGER) == (ACTION | TRIGGER)).then_some(())
            }
            _ => None,
        }
    }

    /// Whether every line is there that an event has.
    pub(super) fn is_whole(&self) -> bool {
        const WHOLE: u32 = UID | DTSTAMP | SUMMARY | DTSTART | DTEND;
        self.seen & WHOLE == WHOLE && !self.is_in_reminder && !self.title.is_empty()
    }

    fn once(&mut self, what: u32) -> Option<()> {
        let is_first = self.seen & what == 0;
        self.seen |= what;
        is_first.then_some(())
    }

    fn once_if(&mut self, what: u32, holds: bool) -> Option<()> {
        if holds { self.once(what) } else { None }
    }

    /// A stamp; most often it is the one of the event before.
    fn stamp(&mut self, what: u32, value: &'a str, last: &mut &'a str, ask: &Ask<'_>) -> Option<()> {
        if value != *last {
            if !is_past_stamp(value, ask.today) {
                return None;
            }
            *last = value;
        }
        self.once(what)
    }

    fn text(&mut self, what: u32, value: &str, is_folded: bool, besides: Traits) -> Option<()> {
        let found =
            if is_folded { traits_of_text(pieces(value)) } else { traits_of_text(std::iter::once(value)) };
        self.once_if(what, found.is_within(besides))
    }
}

/// A text between its folds.
fn pieces(value: &str) -> impl Iterator<Item = &str> {
    let (mut rest, mut is_first) = (Some(value), true);
    std::iter::from_fn(move || {
        let text = rest?;
        let end = memchr(b'\n', text.as_bytes());
        rest = end.map(|end| &text[end + 1..]);
        let piece = text[..end.unwrap_or(text.len())].trim_end_matches('\r');
        // Behind a fold stands the blank that makes it one.
        Some(if std::mem::take(&mut is_first) { piece } else { piece.get(1..).unwrap_or_default() })
    })
}

/// `;TZID=Europe/Oslo:20260907T080000` or `:20260907T060000Z`, behind the name.
fn time<'a>(rest: &'a str, zones: &mut ZoneTable<'a>) -> Option<Time> {
    let Some(rest) = rest.strip_prefix(";TZID=") else {
        let value = rest.strip_prefix(':')?.strip_suffix('Z')?;
        return Some(Time { clock: clock(value)?, zone: zones.place_of(None)? });
    };
    let (zone, value) = rest.split_at_checked(rest.len().checked_sub(CLOCK + 1)?)?;
    Some(Time { clock: clock(value.strip_prefix(':')?)?, zone: zones.place_of(Some(zone))? })
}

/// `20260907T080000`, in seconds since 1970 on that clock.
fn clock(value: &str) -> Option<i64> {
    let [date @ .., b'T', h1, h2, m1, m2, s1, s2] = value.as_bytes() else { return None };
    let [y1, y2, y3, y4, mo1, mo2, d1, d2] = date else { return None };
    let year = two(*y1, *y2)? * 100 + two(*y3, *y4)?;
    let (month, day) = (two(*mo1, *mo2)?, two(*d1, *d2)?);
    let (hour, minute, second) = (two(*h1, *h2)?, two(*m1, *m2)?, two(*s1, *s2)?);
    let is_date =
        year >= FIRST_YEAR && (1..=12).contains(&month) && (1..=days_in_month(year, month)).contains(&day);
    let is_time = hour < 24 && minute < 60 && second < 60;
    let seconds = (hour * 60 + minute) * 60 + second;
    (is_date && is_time).then(|| day_number(year, month, day) * SECONDS_A_DAY + seconds)
}

fn two(tens: u8, ones: u8) -> Option<i64> {
    let (tens, ones) = (tens.wrapping_sub(b'0'), ones.wrapping_sub(b'0'));
    (tens < 10 && ones < 10).then(|| i64::from(tens) * 10 + i64::from(ones))
}

/// A moment in UTC on a day before today.
fn is_past_stamp(value: &str, today: Option<&str>) -> bool {
    let [date @ .., b'T', _, _, _, _, _, _, b'Z'] = value.as_bytes() else { return false };
    date.len() == 8
        && value.bytes().filter(u8::is_ascii_digit).count() == 14
        && today.is_none_or(|today| date < today.as_bytes())
}

/// A number without a sign, as far as nobody doubts it.
fn number(digits: &str) -> Option<u32> {
    let is_plain = (1..=9).contains(&digits.len()) && digits.bytes().all(|byte| byte.is_ascii_digit());
    if is_plain { digits.parse().ok() } else { None }
}

/// `FREQ=WEEKLY;INTERVAL=2;COUNT=10`: every so many days, two times at least.
fn repeats(rule: &str) -> Option<Repeats> {
    let rest = rule.strip_prefix("FREQ=")?;
    let (days, rest) = match rest.strip_prefix("DAILY;") {
        Some(rest) => (1, rest),
        None => (7, rest.strip_prefix("WEEKLY;")?),
    };
    let (interval, rest) = match rest.strip_prefix("INTERVAL=") {
        Some(rest) => {
            let (interval, rest) = rest.split_once(';')?;
            (number(interval).filter(|interval| *interval > 0)?, rest)
        }
        None => (1, rest),
    };
    let count = number(rest.strip_prefix("COUNT=")?)?;
    let every = interval.checked_mul(days)?;
    let is_usual = count > 1 && every.checked_mul(count)? < LONGEST;
    let (every_days, count) = (NonZeroU16::new(u16::try_from(every).ok()?)?, u16::try_from(count).ok()?);
    is_usual.then_some(Repeats { every_days, count })
}
