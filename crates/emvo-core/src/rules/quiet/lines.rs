//! The lines of which no rule has anything to say, each in the one form in which it is known.
//!
//! What stands in any other form, or is not listed here, is for the rules to look at: a form that
//! is missing costs time, one too many would cost a finding.

use std::num::NonZeroU16;

use super::{Ask, Repeats};
use crate::rules::Traits;
use crate::rules::traits::{is_past_stamp, is_plain_id, traits_of_text};
use emvo_ical::calendar::{Duration, EventTime, is_mirror_name};
use emvo_ical::content::pieces_between_folds;
use emvo_ical::day::clock_seconds;

/// From this year on nobody takes a date for one from which computers count.
const FIRST_YEAR: i16 = 1971;
/// How long a clock time is.
const CLOCK: usize = "20260907T080000".len();
/// Where its `T` stands.
const CLOCK_MARK: usize = 8;
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
        zones: &mut ZoneTable<'a>,
        ask: &Ask<'_>,
    ) -> Option<()> {
        let end = raw.bytes().position(|byte| matches!(byte, b':' | b';'))?;
        let (name, rest) = raw.split_at(end);
        if self.is_in_reminder {
            return self.take_in_reminder(name, rest.strip_prefix(':')?, is_folded);
        }
        match name {
            "DTSTART" => {
                self.start = Some(time(rest, zones)?);
                return self.once(DTSTART);
            }
            "DTEND" => {
                self.end = Some(time(rest, zones)?);
                return self.once(DTEND);
            }
            _ => {}
        }
        let value = rest.strip_prefix(':')?;
        match name {
            "DESCRIPTION" => self.text(DESCRIPTION, value, Traits::default()),
            "LOCATION" => self.text(LOCATION, value, Traits::default()),
            "COMMENT" => self.text(COMMENT, value, Traits::default()),
            // The comma stands between two of them.
            "CATEGORIES" => self.text(CATEGORIES, value, Traits::ESCAPING),
            _ if is_folded => None,
            "SUMMARY" => {
                self.title = value;
                self.text(SUMMARY, value, Traits::default())
            }
            "UID" => {
                self.uid = value;
                self.once_if(UID, is_plain_id(value))
            }
            "DTSTAMP" => self.once_if(DTSTAMP, is_past_stamp(value, ask.today)),
            "CREATED" => self.once_if(CREATED, is_past_stamp(value, ask.today)),
            "LAST-MODIFIED" => self.once_if(LAST_MODIFIED, is_past_stamp(value, ask.today)),
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
            own => (own.starts_with("X-") && is_plain_name(own) && !is_mirror_name(own)).then_some(()),
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

    fn text(&mut self, what: u32, value: &str, besides: Traits) -> Option<()> {
        let found = traits_of_text(pieces_between_folds(value));
        self.once_if(what, found.is_within(besides))
    }
}

/// Whether a line surely has this name: with any other sign in it, it may be none that can be read.
fn is_plain_name(name: &str) -> bool {
    name.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'-')
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
    if value.len() != CLOCK || value.as_bytes()[CLOCK_MARK] != b'T' {
        return None;
    }
    let time = EventTime::parse(value, None).ok()?;
    (time.date().year() >= FIRST_YEAR).then(|| clock_seconds(time.clock()))
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
