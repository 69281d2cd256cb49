//! Dates as people write them in tables, with a time behind them or without.

use jiff::civil::{Date, DateTime, Time};

use super::clock::{read_plain_time, read_time, two_digits};
use super::month::month_of;

/// The order of day and month in dates such as `03/04/2026`.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum DateOrder {
    /// What the dates of the whole file decide.
    #[default]
    Auto,
    /// Day, month, year.
    Day,
    /// Month, day, year.
    Month,
    /// Year first; dates that have it last are unreadable.
    Year,
}

/// A cell with a date, a time or both.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Stated {
    pub(super) date: Option<Date>,
    pub(super) time: Option<Time>,
    /// Where the cell itself says so: seconds east of UTC.
    pub(super) offset: Option<i32>,
}

impl Stated {
    fn on(date: Date) -> Self {
        Self { date: Some(date), ..Self::default() }
    }

    pub(super) fn at(&self) -> Option<DateTime> {
        Some(self.date?.to_datetime(self.time.unwrap_or(Time::midnight())))
    }
}

/// Two-digit years from this one on are of the last century.
const FIRST_OF_LAST_CENTURY: i16 = 70;

/// Words inside a date that say nothing.
const FILLERS: [&str; 8] = ["of", "the", "de", "del", "den", "der", "le", "am"];

/// Reads a cell with a date, or a date and a time. `None` if there is no date
/// in it that exists.
pub(super) fn read_date(cell: &str, order: DateOrder) -> Option<Stated> {
    let cell = cell.trim();
    if let Some(stated) = read_plain(cell).or_else(|| read_compact(cell)) {
        return Some(stated);
    }
    let cell = without_weekday(cell);
    let (date_text, rest) = split_date(cell);
    let date = date_of(date_text, order)?;
    let rest = rest.trim_matches(|char: char| char.is_whitespace() || matches!(char, 'T' | 't' | ','));
    if rest.is_empty() {
        return Some(Stated::on(date));
    }
    let (time, offset) = split_offset(rest);
    Some(Stated { date: Some(date), time: Some(read_time(time)?), offset })
}

/// The days that a text may mean, as people write days: none, one, or two where day and
/// month read both ways.
pub fn days_meant(text: &str) -> Vec<Date> {
    let day = |order| read_date(text, order).filter(|stated| stated.time.is_none())?.date;
    let mut days: Vec<Date> = [DateOrder::Day, DateOrder::Month].into_iter().filter_map(day).collect();
    days.dedup();
    days
}

/// The form of ISO 8601 that most tables have: `2026-09-01`, or with
/// `T09:30:00` or ` 09:30` behind it. Nothing but this; a fast way.
fn read_plain(cell: &str) -> Option<Stated> {
    let bytes = cell.as_bytes();
    let [y1, y2, y3, y4, b'-', m1, m2, b'-', d1, d2, rest @ ..] = bytes else { return None };
    let two = |tens: &u8, ones: &u8| two_digits(*tens, *ones);
    let year = i16::from(two(y1, y2)?) * 100 + i16::from(two(y3, y4)?);
    let date = Date::new(year, two(m1, m2)?, two(d1, d2)?).ok()?;
    match rest {
        [] => Some(Stated::on(date)),
        [b'T' | b' ', ..] => {
            let time = read_plain_time(&cell[11..])?;
            Some(Stated { date: Some(date), time: Some(time), offset: None })
        }
        _ => None,
    }
}

/// `20260901`, `20260901T093000`, `20260901T093000Z`.
fn read_compact(cell: &str) -> Option<Stated> {
    let is_compact = cell.len() >= 8 && cell.as_bytes()[..8].iter().all(u8::is_ascii_digit);
    if !is_compact {
        return None;
    }
    // `20261017 22:00`, as a layout of `YYYYMMDD` and a time writes it.
    if let Some(time) = cell.get(8..).filter(|rest| rest.starts_with(' ')) {
        let date = emvo_ical::calendar::EventTime::parse(&cell[..8], None).ok()?.date();
        return Some(Stated { date: Some(date), time: Some(read_time(time)?), offset: None });
    }
    let time = emvo_ical::calendar::EventTime::parse(cell, None).ok()?;
    let offset = (*time.zone() == emvo_ical::calendar::ZoneRef::Utc).then_some(0);
    Some(Stated { date: Some(time.date()), time: (!time.is_date()).then(|| time.clock().time()), offset })
}

/// A time and the offset behind it, `09:30Z`, `09:30:00+02:00`, `09:30 UTC`.
/// Parts of seconds are left out.
fn split_offset(text: &str) -> (&str, Option<i32>) {
    let whole = |time: &'_ str| -> usize { time.find('.').filter(|at| *at >= 8).unwrap_or(time.len()) };
    for mark in ["Z", "z", "UTC", "GMT"] {
        if let Some(time) = text.strip_suffix(mark) {
            let time = time.trim_end();
            return (&time[..whole(time)], Some(0));
        }
    }
    let Some(at) = text.rfind(['+', '-', '−']) else { return (&text[..whole(text)], None) };
    let (time, sign_and_offset) = text.split_at(at);
    let digits: String = sign_and_offset.chars().filter(char::is_ascii_digit).collect();
    let number = |range: std::ops::Range<usize>| digits.get(range).and_then(|part| part.parse::<i32>().ok());
    let seconds = match digits.len() {
        2 => number(0..2).map(|hours| hours * 3600),
        4 => number(0..2).zip(number(2..4)).map(|(hours, minutes)| hours * 3600 + minutes * 60),
        _ => None,
    };
    let Some(seconds) = seconds.filter(|seconds| *seconds <= 15 * 3600) else { return (text, None) };
    let seconds = if sign_and_offset.starts_with('+') { seconds } else { -seconds };
    let time = time.trim_end();
    (&time[..whole(time)], Some(seconds))
}

/// A cell without the weekday in front of its date.
pub(super) fn without_weekday(cell: &str) -> &str {
    let Some((word, rest)) = cell.split_once([' ', ',']) else { return cell };
    let is_word = !word.is_empty() && word.chars().all(|char| char.is_alphabetic() || char == '.');
    if is_word && month_of(word).is_none() && rest.contains(|char: char| char.is_ascii_digit()) {
        rest.trim_start_matches([' ', ','])
    } else {
        cell
    }
}

/// Cuts a cell behind its date. Dates with a month's name have blanks inside.
fn split_date(cell: &str) -> (&str, &str) {
    if has_month_name(cell) {
        let digits_at = |at: &usize| {
            cell.get(*at..at + 4).is_some_and(|year| year.bytes().all(|byte| byte.is_ascii_digit()))
        };
        let year = cell.match_indices(|char: char| char.is_ascii_digit()).map(|(at, _)| at).find(digits_at);
        return cell.split_at(year.map_or(cell.len(), |at| at + 4));
    }
    let end = cell.find([' ', 'T', 't', ',']).unwrap_or(cell.len());
    cell.split_at(end)
}

fn has_month_name(cell: &str) -> bool {
    cell.split(|char: char| !char.is_alphabetic()).any(|word| month_of(word).is_some())
}

pub(super) fn date_part(cell: &str) -> &str {
    split_date(without_weekday(cell.trim())).0
}

pub(super) struct Number<'t> {
    pub(super) text: &'t str,
    pub(super) value: i16,
}

pub(super) struct Numbers<'t> {
    pub(super) parts: [Number<'t>; 3],
    pub(super) separator: char,
}

/// Three numbers with one kind of sign between them.
pub(super) fn numbers_of(text: &str) -> Option<Numbers<'_>> {
    let separator = text.chars().find(|char| matches!(char, '-' | '/' | '.'))?;
    let mut parts = text.trim_end_matches('.').split(separator).map(|part| {
        let text = part.trim();
        let value = text.parse().ok().filter(|_| text.bytes().all(|byte| byte.is_ascii_digit()))?;
        Some(Number { text, value })
    });
    let three = [parts.next()??, parts.next()??, parts.next()??];
    parts.next().is_none().then_some(Numbers { parts: three, separator })
}

fn date_of(text: &str, order: DateOrder) -> Option<Date> {
    let Some(Numbers { parts: [first, second, third], separator }) = numbers_of(text) else {
        return date_with_month_name(text);
    };
    if first.text.len() == 4 {
        return date(first.value, second.value, third.value);
    }
    let year = full_year(&third);
    match order {
        DateOrder::Year if third.text.len() <= 2 => date(full_year(&first)?, second.value, third.value),
        _ if separator == '.' => date(year?, second.value, first.value),
        DateOrder::Auto | DateOrder::Day | DateOrder::Year => date(year?, second.value, first.value),
        DateOrder::Month => date(year?, first.value, second.value),
    }
}

/// Two digits mean this century, from 70 on the last one.
fn full_year(year: &Number<'_>) -> Option<i16> {
    match year.text.len() {
        4 => Some(year.value),
        2 if year.value < FIRST_OF_LAST_CENTURY => Some(2000 + year.value),
        2 => Some(1900 + year.value),
        _ => None,
    }
}

fn date(year: i16, month: i16, day: i16) -> Option<Date> {
    Date::new(year, i8::try_from(month).ok()?, i8::try_from(day).ok()?).ok()
}

/// `25 Nov 2026`, `November 25, 2026`, `25. november 2026`, `1 de mayo de 2026`.
fn date_with_month_name(text: &str) -> Option<Date> {
    let words: Vec<&str> = text
        .split([' ', ',', '.', '-', '/', '\u{a0}'])
        .map(str::trim)
        .filter(|word| !word.is_empty() && !FILLERS.contains(&word.to_lowercase().as_str()))
        .collect();
    let [first, second, year] = words.as_slice() else { return None };
    let (day, month) = match (month_of(first), month_of(second)) {
        (Some(month), None) => (second, month),
        (None, Some(month)) => (first, month),
        _ => return None,
    };
    let day = day.trim_end_matches(|char: char| char.is_alphabetic());
    let year = Number { text: year, value: year.parse().ok()? };
    date(full_year(&year)?, month, day.parse().ok()?)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn dates_are_read_as_people_write_them() {
        for (cell, order, expected) in [
            ("2026-09-01", DateOrder::Auto, "2026-09-01"),
            ("2026/9/1", DateOrder::Auto, "2026-09-01"),
            ("20260901", DateOrder::Auto, "2026-09-01"),
            ("1.9.2026", DateOrder::Month, "2026-09-01"),
            ("1.9.26", DateOrder::Day, "2026-09-01"),
            ("01/09/2026", DateOrder::Day, "2026-09-01"),
            ("01/09/2026", DateOrder::Month, "2026-01-09"),
            ("26-09-01", DateOrder::Year, "2026-09-01"),
            ("1/9/26", DateOrder::Day, "2026-09-01"),
            ("1/9/85", DateOrder::Day, "1985-09-01"),
            ("25 Nov 2026", DateOrder::Auto, "2026-11-25"),
            ("25-Nov-26", DateOrder::Auto, "2026-11-25"),
            ("November 25, 2026", DateOrder::Auto, "2026-11-25"),
            ("25 maj 2026", DateOrder::Auto, "2026-05-25"),
            ("25. marraskuuta 2026", DateOrder::Auto, "2026-11-25"),
            ("1er septembre 2026", DateOrder::Auto, "2026-09-01"),
            ("martes, 1 de septiembre de 2026", DateOrder::Auto, "2026-09-01"),
            ("Dienstag, 1. März 2026", DateOrder::Auto, "2026-03-01"),
            ("Tue 2026-09-01", DateOrder::Auto, "2026-09-01"),
        ] {
            let stated = read_date(cell, order).unwrap_or_else(|| panic!("{cell}"));
            assert_eq!((stated.date.unwrap().to_string().as_str(), stated.time), (expected, None), "{cell}");
        }
        for cell in
            ["", "31/02/2026", "2026-13-01", "soon", "####", "45901", "1/2", "2026-09-01 25:00", "1/9/126"]
        {
            assert_eq!(read_date(cell, DateOrder::Auto), None, "{cell}");
        }
    }

    #[test]
    fn times_and_offsets_stand_behind_dates() {
        for (cell, expected, offset) in [
            ("2026-09-01 09:30", "2026-09-01T09:30:00", None),
            ("2026-09-01T09:30:00Z", "2026-09-01T09:30:00", Some(0)),
            ("2026-09-01T09:30:00.000Z", "2026-09-01T09:30:00", Some(0)),
            ("2026-09-01T09:30:00+03:00", "2026-09-01T09:30:00", Some(10_800)),
            ("2026-09-01 09:30 -0530", "2026-09-01T09:30:00", Some(-19_800)),
            ("20260901T093000", "2026-09-01T09:30:00", None),
            ("20260901 09:30", "2026-09-01T09:30:00", None),
            ("25 Nov 2026 9.30", "2026-11-25T09:30:00", None),
            ("25 Nov 2026, 9:30 pm", "2026-11-25T21:30:00", None),
            ("1.9.2026 kl 9.30", "2026-09-01T09:30:00", None),
            ("9/25/2026 2:15 PM", "2026-09-25T14:15:00", None),
        ] {
            let stated = read_date(cell, DateOrder::Month).unwrap_or_else(|| panic!("{cell}"));
            assert_eq!(
                (stated.at().unwrap().to_string().as_str(), stated.offset),
                (expected, offset),
                "{cell}"
            );
        }
    }
}
