//! Times in forms that are not RFC 5545's, put into its form where they can
//! mean one thing only (rule D13).

use jiff::civil::{Date, DateTime};

use super::duration::Duration;
use super::time::{EventTime, ZoneRef};
use super::{Event, ZoneName};
use crate::content::{Component, Item, Property};

/// An event whose times were put into form.
#[derive(Debug)]
#[non_exhaustive]
pub struct LenientTimes<'a> {
    /// The event with its times in form.
    pub component: Component<'a>,
    /// Its first line that was not, and what became of it.
    pub before: String,
    /// That line in form.
    pub after: String,
    /// Whether the forms left any doubt.
    pub certainty: Certainty,
}

/// Whether a time in a wrong form can be read in one way only.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Certainty {
    /// It can.
    Certain,
    /// A zone and UTC are named both; UTC was taken.
    ZoneAndUtc,
    /// Whole days have a length in hours; the days that are begun were taken.
    HoursOfDays,
}

const SINGLE: [&str; 3] = ["DTSTART", "DTEND", "RECURRENCE-ID"];
const LISTS: [&str; 2] = ["EXDATE", "RDATE"];

/// Puts the times of an event into form; `None` if all of them are, or one of
/// them cannot be.
pub fn lenient_times<'a>(component: &Component<'a>) -> Option<LenientTimes<'a>> {
    let may_hold_times = |line: &&Property<'_>| matches!(line.name().len(), 5..=8 | 13);
    if component.properties().filter(may_hold_times).all(is_in_form) {
        return None;
    }
    let mut new = component.clone();
    let mut first: Option<(String, String)> = None;
    let mut certainty = Certainty::Certain;
    let is_date = component.property("DTSTART").and_then(line_in_form).is_some_and(|line| line.is_date);
    for item in new.items_mut() {
        let Item::Property(line) = item else { continue };
        let better = if line.is("DURATION") {
            length_in_form(line).filter(|_| is_date).map(|(better, length)| {
                certainty = certainty.max(length);
                better
            })
        } else if SINGLE.iter().chain(&LISTS).any(|name| line.is(name)) {
            let is_list = LISTS.iter().any(|name| line.is(name));
            let lenient_times = match line_in_form(line) {
                Some(lenient_times) => lenient_times,
                // What no date is in a list is a fault of its own (R19).
                None if is_list => continue,
                None => return None,
            };
            certainty = certainty.max(lenient_times.certainty);
            (lenient_times.property.logical() != line.logical()).then_some(lenient_times.property)
        } else {
            None
        };
        if let Some(better) = better {
            first.get_or_insert_with(|| (line.logical().into_owned(), better.logical().into_owned()));
            *line = better;
        }
    }
    let (before, after) = first?;
    let is_read = Event::read(new.clone(), 0).is_ok();
    is_read.then_some(LenientTimes { component: new, before, after, certainty })
}

/// Whether a line surely needs nothing: most do not, and a look is cheap.
fn is_in_form(line: &Property<'_>) -> bool {
    if !SINGLE.iter().chain(&LISTS).any(|name| line.is(name)) && !line.is("DURATION") {
        return true;
    }
    if line.is("DURATION") {
        return !line.value().contains(['H', 'h']);
    }
    if LISTS.iter().any(|name| line.is(name)) {
        return line_in_form(line)
            .is_some_and(|lenient_times| lenient_times.property.logical() == line.logical());
    }
    let value = line.value();
    let is_plain = value.len() >= 15 && value.as_bytes()[8] == b'T';
    let has_parameter = |name| line.parameter(name).is_some();
    match EventTime::parse(&value, None) {
        Ok(EventTime::Date(_)) => {
            line.parameter("VALUE").is_some_and(|value| value.eq_ignore_ascii_case("DATE"))
                && !has_parameter("TZID")
        }
        Ok(EventTime::Clock { zone, .. }) => {
            is_plain
                && !(zone == ZoneRef::Utc && has_parameter("TZID"))
                && line.parameter("VALUE").is_none_or(|value| value.eq_ignore_ascii_case("DATE-TIME"))
        }
        Err(_) => false,
    }
}

struct Line {
    property: Property<'static>,
    is_date: bool,
    certainty: Certainty,
}

/// A line of times in form; the line itself if it is. `None` if a value of it
/// cannot be read at all.
fn line_in_form(line: &Property<'_>) -> Option<Line> {
    let zone = line.parameter("TZID").and_then(|zone| ZoneName::new(&zone));
    let mut certainty = Certainty::Certain;
    let mut times = Vec::new();
    for value in line.value().split(',') {
        let value = value.trim();
        // The end or the length of a period stays as it is.
        if value.contains('/') && line.is("RDATE") {
            let first = value.split('/').next().unwrap_or_default();
            return EventTime::parse(first.trim(), zone.as_ref()).is_ok().then(|| Line {
                property: line.clone().into_owned(),
                is_date: false,
                certainty,
            });
        }
        let time = match EventTime::parse(value, zone.as_ref()) {
            Ok(time) => time,
            Err(_) => loose_time(value, zone.as_ref())?,
        };
        if *time.zone() == ZoneRef::Utc && zone.is_some() {
            certainty = Certainty::ZoneAndUtc;
        }
        times.push(time);
    }
    let first = times.first()?;
    let (is_date, has_zone) = (first.is_date(), matches!(first.zone(), ZoneRef::Named(_)));
    if times
        .iter()
        .any(|time| time.is_date() != is_date || matches!(time.zone(), ZoneRef::Named(_)) != has_zone)
    {
        return None;
    }
    let values: Vec<String> = times.iter().map(EventTime::value).collect();
    let mut new = line.clone().into_owned();
    let value = values.join(",");
    if line.value() != value {
        new = new.with_value(&value);
    }
    let says_date = line.parameter("VALUE").is_some_and(|value| value.eq_ignore_ascii_case("DATE"));
    if is_date != says_date {
        new = new.with_parameter("VALUE", is_date.then_some("DATE"));
    }
    if zone.is_some() && !has_zone {
        new = new.with_parameter("TZID", None);
    }
    Some(Line { property: new, is_date, certainty })
}

/// The values of an `EXDATE` or `RDATE` line that cannot be read as dates in any
/// form.
pub fn unreadable_dates(line: &Property<'_>) -> Vec<String> {
    let zone = line.parameter("TZID").and_then(|zone| ZoneName::new(&zone));
    let value = line.value();
    let values = value.split(',').map(str::trim).filter(|value| {
        let start = value.split('/').next().unwrap_or_default().trim();
        EventTime::parse(start, zone.as_ref()).is_err() && loose_time(start, zone.as_ref()).is_none()
    });
    values.map(str::to_owned).collect()
}

/// A length in hours that whole days have: 24 of them are a day.
fn length_in_form(line: &Property<'_>) -> Option<(Property<'static>, Certainty)> {
    let Duration { days, seconds } = Duration::parse(line.value().trim())?;
    if seconds <= 0 || days < 0 {
        return None;
    }
    let certainty = if seconds % 86_400 == 0 { Certainty::Certain } else { Certainty::HoursOfDays };
    // A day that is begun is a whole one.
    let length = Duration { days: days + (seconds + 86_399) / 86_400, seconds: 0 };
    Some((line.clone().into_owned().with_value(&length.to_string()), certainty))
}

/// ISO 8601 with dashes and colons, without seconds, or with an offset behind.
fn loose_time(value: &str, zone: Option<&ZoneName>) -> Option<EventTime> {
    let (date, time) = match value.split_once(['T', 't', ' ']) {
        Some((date, time)) => (date, Some(time.trim())),
        None => (value, None),
    };
    let date = loose_date(date)?;
    let Some(time) = time else { return Some(EventTime::Date(date)) };
    let (time, offset) = match time.char_indices().find(|(_, char)| matches!(char, '+' | '-' | 'Z' | 'z')) {
        None => (time, None),
        Some((at, 'Z' | 'z')) if at + 1 == time.len() => (&time[..at], Some(0)),
        Some((at, sign @ ('+' | '-'))) => {
            let length = digits_of(&time[at + 1..], &[2, 4])?;
            let seconds = length[0] * 3600 + length.get(1).map_or(0, |minutes| minutes * 60);
            (&time[..at], Some(if sign == '-' { -seconds } else { seconds }))
        }
        Some(_) => return None,
    };
    let whole = time.split_once(['.', ',']).map_or(time, |(whole, _)| whole);
    let parts = digits_of(whole, &[4, 6])?;
    let at = date.at(
        i8::try_from(parts[0]).ok().filter(|hour| *hour < 24)?,
        i8::try_from(parts[1]).ok().filter(|minute| *minute < 60)?,
        i8::try_from(*parts.get(2).unwrap_or(&0)).ok().filter(|second| *second < 60)?,
        0,
    );
    Some(match (offset, zone) {
        (Some(offset), _) => EventTime::Clock { at: earlier(at, offset)?, zone: ZoneRef::Utc },
        (None, Some(zone)) => EventTime::Clock { at, zone: ZoneRef::Named(zone.clone()) },
        (None, None) => EventTime::Clock { at, zone: ZoneRef::Floating },
    })
}

fn earlier(at: DateTime, seconds: i32) -> Option<DateTime> {
    at.checked_sub(jiff::Span::new().seconds(seconds)).ok()
}

/// `2026-01-31`, `2026/01/31` or `20260131`: the year comes first.
fn loose_date(text: &str) -> Option<Date> {
    let parts: Vec<&str> = text.split(['-', '/', '.']).collect();
    let digits = match parts.as_slice() {
        [all] if all.len() == 8 => (*all).to_owned(),
        [year, month, day] if year.len() == 4 && month.len() <= 2 && day.len() <= 2 => {
            format!("{year}{month:0>2}{day:0>2}")
        }
        _ => return None,
    };
    match EventTime::parse(&digits, None).ok()? {
        EventTime::Date(date) => Some(date),
        EventTime::Clock { .. } => None,
    }
}

/// Pairs of digits, with or without colons, of one of these lengths in all.
fn digits_of(text: &str, lengths: &[usize]) -> Option<Vec<i32>> {
    let digits: String = text.chars().filter(|char| *char != ':').collect();
    let is_sound = lengths.contains(&digits.len()) && digits.bytes().all(|byte| byte.is_ascii_digit());
    let pairs = is_sound.then(|| digits.as_bytes().chunks(2))?;
    pairs.map(|pair| std::str::from_utf8(pair).ok()?.parse().ok()).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::content::parse;

    fn lines(text: &str) -> Option<(String, Certainty)> {
        let text = format!("BEGIN:VEVENT\nUID:1\n{text}END:VEVENT\n");
        let lenient_times = lenient_times(&parse(&text).roots[0])?;
        let lines = lenient_times.component.properties().skip(1).map(|line| line.logical().into_owned());
        Some((lines.collect::<Vec<_>>().join(" "), lenient_times.certainty))
    }

    #[test]
    fn forms_with_one_meaning_are_put_right() {
        for (wrong, right) in [
            ("DTSTART:2026-03-02T08:00:00\n", "DTSTART:20260302T080000"),
            (
                "DTSTART;TZID=Europe/Helsinki:2026-03-02 08:00\n",
                "DTSTART;TZID=Europe/Helsinki:20260302T080000",
            ),
            ("DTSTART:2026-03-02T08:00:00.000Z\n", "DTSTART:20260302T080000Z"),
            ("DTSTART:20260302T080000+0100\n", "DTSTART:20260302T070000Z"),
            ("DTSTART:2026-03-02T00:30:00-05:30\n", "DTSTART:20260302T060000Z"),
            ("DTSTART:20260302\n", "DTSTART;VALUE=DATE:20260302"),
            ("DTSTART;VALUE=DATE;TZID=Europe/Helsinki:20260302\n", "DTSTART;VALUE=DATE:20260302"),
            ("DTSTART;VALUE=DATE:2026-03-02\n", "DTSTART;VALUE=DATE:20260302"),
            ("DTSTART;VALUE=DATE:20260302T080000\n", "DTSTART:20260302T080000"),
            ("DTSTART;VALUE=DATE:20260302\nDURATION:PT48H\n", "DTSTART;VALUE=DATE:20260302 DURATION:P2D"),
            (
                "DTSTART:20260302T080000Z\nEXDATE:2026-03-09T08:00:00Z,20260316T080000Z\n",
                "DTSTART:20260302T080000Z EXDATE:20260309T080000Z,20260316T080000Z",
            ),
        ] {
            assert_eq!(lines(wrong), Some((right.to_owned(), Certainty::Certain)), "{wrong}");
        }
        let both = lines("DTSTART;TZID=Europe/Helsinki:20260302T080000Z\n");
        assert_eq!(both, Some(("DTSTART:20260302T080000Z".to_owned(), Certainty::ZoneAndUtc)));
    }

    #[test]
    fn what_is_in_form_or_means_nothing_stays() {
        for same in [
            "DTSTART:20260302T080000\nDURATION:PT48H\n",
            "DTSTART;VALUE=DATE:20260302\nDURATION:P1D\n",
            "DTSTART:tomorrow\n",
            "DTSTART:2026-03-02T8\n",
            "DTSTART:02-03-2026\n",
            "DTSTART:2026-02-30\n",
            "DTSTART:2026-03-02T25:00:00\n",
            "DTSTART:2026-03-02T08:00:00\nDTEND:soon\n",
            "DTSTART:20260302T080000Z\nRDATE;VALUE=PERIOD:20260309T080000Z/PT1H\n",
        ] {
            assert_eq!(lines(same), None, "{same}");
        }
    }
}
