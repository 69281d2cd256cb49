//! Rules of VERSION:1.0 → rules of the standard.
//!
//! A rule is a letter for the period with a number behind it, what it picks in each, and
//! how often or until when:
//!
//! ```text
//! D2 #10              every second day, ten times
//! W1 MO WE #0         every Monday and Wednesday, for ever
//! MP1 1+ SU 1- SU     the first and the last Sunday of the month, twice
//! MD1 15 LD 20261231  the 15th and the last day, until then
//! YM1 6 7             every June and July, on the day of the start
//! YD1 1 100           on the first and the hundredth day of the year
//! ```
//!
//! Without an end a rule has two dates. Rules inside rules, and steps of minutes, have no
//! counterpart that is sure, and are left as they stand.

use super::zone::OldZone;
use crate::calendar::{EventTime, ZoneRef};
use crate::recurrence::{ByDay, Frequency, Rule, Weekday};

/// The rule that says the same; `None` where that is not sure.
pub(super) fn modern_rule(old: &str, start: &EventTime, zone: Option<&OldZone>) -> Option<Rule> {
    let mut words = old.split_whitespace();
    let first = words.next()?;
    let digits = first.find(|char: char| char.is_ascii_digit())?;
    let (kind, interval) = first.split_at(digits);
    let interval = interval.parse().ok().filter(|interval| *interval > 0)?;
    let mut picks: Vec<&str> = words.collect();
    let end = picks.last().copied().and_then(|word| End::of(word, start, zone));
    if end.is_some() {
        picks.pop();
    }
    let mut rule = match kind.to_ascii_uppercase().as_str() {
        "D" => at_times(&picks, start)?,
        "W" => weekly(&picks)?,
        "MP" => by_place(&picks)?,
        "MD" => by_day_of_month(&picks)?,
        "YM" => by_numbers(&picks, |rule| &mut rule.by_month)?,
        "YD" => by_numbers(&picks, |rule| &mut rule.by_year_day)?,
        _ => return None,
    };
    rule.interval = interval;
    match end.unwrap_or(End::After(2)) {
        End::Never => {}
        End::After(count) => rule.count = Some(count),
        End::Until(last) => rule.until = Some(last),
    }
    // The same reading as of any other rule.
    Rule::parse(&rule.to_string()).ok()
}

enum End {
    Never,
    After(u32),
    Until(EventTime),
}

impl End {
    fn of(word: &str, start: &EventTime, zone: Option<&OldZone>) -> Option<Self> {
        if let Some(count) = word.strip_prefix('#') {
            return Some(match count.parse().ok()? {
                0 => Self::Never,
                count => Self::After(count),
            });
        }
        let last = EventTime::parse(word, None).ok()?;
        Some(Self::Until(match (last, start.is_date()) {
            (last, true) => EventTime::Date(last.date()),
            // That day is the last on which it may start.
            (EventTime::Date(day), false) => in_utc(day.at(23, 59, 59, 0), start, zone),
            (EventTime::Clock { at, zone: ZoneRef::Floating }, false) => in_utc(at, start, zone),
            (last, false) => last,
        }))
    }
}

/// An end in UTC where the start has a zone (RFC 5545 section 3.3.10).
fn in_utc(at: jiff::civil::DateTime, start: &EventTime, zone: Option<&OldZone>) -> EventTime {
    match (start.zone(), zone.and_then(|zone| zone.in_utc(at))) {
        (ZoneRef::Named(_), Some(at)) => EventTime::Clock { at, zone: ZoneRef::Utc },
        (ZoneRef::Utc, _) => EventTime::Clock { at, zone: ZoneRef::Utc },
        _ => EventTime::Clock { at, zone: ZoneRef::Floating },
    }
}

/// Days, at times such as `0600 1200`; one time alone is that of the start.
fn at_times(picks: &[&str], start: &EventTime) -> Option<Rule> {
    let mut rule = Rule::bare(Frequency::Daily);
    let times: Option<Vec<(i16, i16)>> = picks.iter().map(|word| time_of_day(word)).collect();
    let times = times?;
    let own = (i16::from(start.clock().hour()), i16::from(start.clock().minute()));
    if times.is_empty() || times == [own] {
        return Some(rule);
    }
    let minute = times[0].1;
    // Hours and minutes of a rule are all combined with each other.
    if start.is_date() || times.iter().any(|(_, other)| *other != minute) {
        return None;
    }
    rule.by_hour = times.iter().map(|(hour, _)| *hour).collect();
    rule.by_minute = if minute == own.1 { Vec::new() } else { vec![minute] };
    Some(rule)
}

fn time_of_day(word: &str) -> Option<(i16, i16)> {
    let digits: String = word.chars().filter(|char| *char != ':').collect();
    if digits.len() != 4 || !digits.bytes().all(|byte| byte.is_ascii_digit()) {
        return None;
    }
    let (hour, minute) = (digits[..2].parse().ok()?, digits[2..].parse().ok()?);
    (hour < 24 && minute < 60).then_some((hour, minute))
}

fn weekly(picks: &[&str]) -> Option<Rule> {
    let days: Option<Vec<ByDay>> =
        picks.iter().map(|word| Some(ByDay { ordinal: None, weekday: weekday(word)? })).collect();
    Some(Rule { by_day: days?, ..Rule::bare(Frequency::Weekly) })
}

/// `1+ SU 1- SU`: places, and the weekdays that they are places of.
fn by_place(picks: &[&str]) -> Option<Rule> {
    let mut rule = Rule::bare(Frequency::Monthly);
    let mut places: Vec<i8> = Vec::new();
    let mut is_after_day = false;
    for word in picks {
        if let Some(weekday) = weekday(word) {
            rule.by_day.extend(places.iter().map(|place| ByDay { ordinal: Some(*place), weekday }));
            is_after_day = true;
            continue;
        }
        if is_after_day {
            places.clear();
            is_after_day = false;
        }
        places.push(i8::try_from(signed(word)?).ok()?);
    }
    (!rule.by_day.is_empty() && is_after_day).then_some(rule)
}

fn by_day_of_month(picks: &[&str]) -> Option<Rule> {
    let day = |word: &&str| if word.eq_ignore_ascii_case("LD") { Some(-1) } else { signed(word) };
    let days: Option<Vec<i16>> = picks.iter().map(day).collect();
    Some(Rule { by_month_day: days?, ..Rule::bare(Frequency::Monthly) })
}

fn by_numbers(picks: &[&str], part: impl Fn(&mut Rule) -> &mut Vec<i16>) -> Option<Rule> {
    let numbers: Option<Vec<i16>> = picks.iter().map(|word| word.parse().ok()).collect();
    let mut rule = Rule::bare(Frequency::Yearly);
    *part(&mut rule) = numbers?;
    Some(rule)
}

/// `2`, `2+` from the beginning, `2-` from the end.
fn signed(word: &str) -> Option<i16> {
    match word.strip_suffix('-') {
        Some(number) => number.parse::<i16>().ok().map(|number| -number),
        None => word.strip_suffix('+').unwrap_or(word).parse().ok(),
    }
}

fn weekday(word: &str) -> Option<Weekday> {
    Weekday::of_code(&word.to_ascii_uppercase())
}
