//! Dates and times as people write them in tables.

use jiff::civil::{Date, DateTime, Time};

use crate::calendar::ZoneRef;

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
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Stated {
    pub(super) date: Option<Date>,
    pub(super) time: Option<Time>,
    /// Whether the cell itself says that the time is in UTC.
    pub(super) zone: Option<ZoneRef>,
}

impl Stated {
    pub(super) fn at(&self) -> Option<DateTime> {
        Some(self.date?.to_datetime(self.time.unwrap_or(Time::midnight())))
    }
}

/// What the dates of a file say about the order of day and month.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct OrderEvidence {
    /// Rows whose date can only be day first, with the cell.
    pub day_first: Vec<(u64, String)>,
    /// Rows whose date can only be month first.
    pub month_first: Vec<(u64, String)>,
    /// Rows whose date reads both ways and means different days.
    pub either: Vec<(u64, String)>,
}

/// The order could not be told from the file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Undecided;

impl OrderEvidence {
    pub(super) fn add(&mut self, row: u64, cell: &str) {
        let Some(Numbers { parts: [first, second, third], separator }) = numbers_of(date_part(cell)) else {
            return;
        };
        if first.text.len() == 4 || third.text.len() == 3 {
            return;
        }
        let list = match (first.value, second.value) {
            _ if separator == '.' => &mut self.day_first,
            (13..=31, 1..=12) => &mut self.day_first,
            (1..=12, 13..=31) => &mut self.month_first,
            (first @ 1..=12, second @ 1..=12) if first != second => &mut self.either,
            _ => return,
        };
        list.push((row, cell.trim().to_owned()));
    }

    /// The order that the file's dates decide. Where none of them reads two
    /// ways, any order will do.
    pub(super) fn decide(&self) -> Result<DateOrder, Undecided> {
        match (self.day_first.is_empty(), self.month_first.is_empty(), self.either.is_empty()) {
            (true, false, _) => Ok(DateOrder::Month),
            (false, true, _) | (true, true, true) => Ok(DateOrder::Day),
            _ => Err(Undecided),
        }
    }
}

/// Reads a cell with a date, or a date and a time. `None` if there is no date
/// in it that exists.
pub(super) fn read_date(cell: &str, order: DateOrder) -> Option<Stated> {
    let cell = without_weekday(cell.trim());
    if let Some(stated) = read_compact(cell) {
        return Some(stated);
    }
    let (date_text, rest) = split_date(cell);
    let date = date_of(date_text, order)?;
    let rest = rest.trim().trim_start_matches(['T', 't', ',']).trim();
    if rest.is_empty() {
        return Some(Stated { date: Some(date), time: None, zone: None });
    }
    let (time, zone) = match rest.strip_suffix(['Z', 'z']) {
        Some(time) => (time, Some(ZoneRef::Utc)),
        None => (rest, None),
    };
    Some(Stated { date: Some(date), time: Some(read_time(time)?), zone })
}

/// Reads a time of day: `9:30`, `09:30:00`, `9.30`, `0930`, `9:30 PM`, `14`.
pub(super) fn read_time(cell: &str) -> Option<Time> {
    let text = cell.trim().to_lowercase();
    let text = ["klo", "kl.", "kl"].iter().find_map(|word| text.strip_prefix(word)).unwrap_or(&text).trim();
    let (text, half) = if let Some(text) = text.strip_suffix("am").or_else(|| text.strip_suffix("a.m.")) {
        (text.trim(), Some(0))
    } else if let Some(text) = text.strip_suffix("pm").or_else(|| text.strip_suffix("p.m.")) {
        (text.trim(), Some(12))
    } else {
        (text, None)
    };
    let parts: Vec<&str> = if text.len() == 4 && text.bytes().all(|byte| byte.is_ascii_digit()) {
        vec![&text[..2], &text[2..]]
    } else {
        text.split([':', '.']).collect()
    };
    let number = |at: usize| parts.get(at).map_or(Some(0), |part| part.parse::<i8>().ok());
    if parts.len() > 3 || (parts.len() == 1 && half.is_none() && text.len() > 2) {
        return None;
    }
    let hour = number(0)?;
    let hour = match half {
        Some(_) if !(1..=12).contains(&hour) => return None,
        Some(half) => hour % 12 + half,
        None => hour,
    };
    Time::new(hour, number(1)?, number(2)?, 0).ok()
}

/// `20260901`, `20260901T093000`, `20260901T093000Z`.
fn read_compact(cell: &str) -> Option<Stated> {
    let is_compact = cell.len() >= 8 && cell.as_bytes()[..8].iter().all(u8::is_ascii_digit);
    if !is_compact {
        return None;
    }
    let time = crate::calendar::EventTime::parse(cell, None).ok()?;
    let zone = (*time.zone() == ZoneRef::Utc).then_some(ZoneRef::Utc);
    Some(Stated { date: Some(time.date()), time: (!time.is_date()).then(|| time.clock().time()), zone })
}

fn without_weekday(cell: &str) -> &str {
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
    if cell.contains(char::is_alphabetic) && !cell.contains(['T', 't']) || has_month_name(cell) {
        let after_year =
            cell.match_indices(|char: char| char.is_ascii_digit()).map(|(at, _)| at).find(|at| {
                cell.get(*at..at + 4).is_some_and(|year| year.bytes().all(|byte| byte.is_ascii_digit()))
            });
        return cell.split_at(after_year.map_or(cell.len(), |at| at + 4));
    }
    let end = cell.find([' ', 'T', 't', ',']).unwrap_or(cell.len());
    cell.split_at(end)
}

fn has_month_name(cell: &str) -> bool {
    cell.split(|char: char| !char.is_alphabetic()).any(|word| month_of(word).is_some())
}

fn date_part(cell: &str) -> &str {
    split_date(without_weekday(cell.trim())).0
}

struct Number<'t> {
    text: &'t str,
    value: i16,
}

struct Numbers<'t> {
    parts: [Number<'t>; 3],
    separator: char,
}

fn numbers_of(text: &str) -> Option<Numbers<'_>> {
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
    let year = full_year(&third)?;
    match order {
        _ if separator == '.' => date(year, second.value, first.value),
        DateOrder::Auto | DateOrder::Day => date(year, second.value, first.value),
        DateOrder::Month => date(year, first.value, second.value),
        DateOrder::Year => date(full_year(&first)?, second.value, third.value),
    }
}

/// Two digits mean this century.
fn full_year(year: &Number<'_>) -> Option<i16> {
    match year.text.len() {
        4 => Some(year.value),
        2 => Some(2000 + year.value),
        _ => None,
    }
}

fn date(year: i16, month: i16, day: i16) -> Option<Date> {
    Date::new(year, i8::try_from(month).ok()?, i8::try_from(day).ok()?).ok()
}

/// `25 Nov 2026`, `November 25, 2026`, `25. november 2026`.
fn date_with_month_name(text: &str) -> Option<Date> {
    let words: Vec<&str> =
        text.split([' ', ',', '.', '-', '/']).map(str::trim).filter(|word| !word.is_empty()).collect();
    let [first, second, year] = words.as_slice() else { return None };
    let (day, month) = match (month_of(first), month_of(second)) {
        (Some(month), None) => (second, month),
        (None, Some(month)) => (first, month),
        _ => return None,
    };
    let day = day.trim_end_matches(|char: char| char.is_alphabetic());
    let year = year.parse().ok().filter(|_| year.len() == 4)?;
    date(year, month, day.parse().ok()?)
}

/// Months by the first letters of their names in English, Swedish, Finnish.
fn month_of(word: &str) -> Option<i16> {
    const STEMS: [&[&str]; 12] = [
        &["jan", "tammi"],
        &["feb", "helmi"],
        &["mar", "maalis"],
        &["apr", "huhti"],
        &["may", "maj", "touko"],
        &["jun", "kesä"],
        &["jul", "heinä"],
        &["aug", "elo"],
        &["sep", "syys"],
        &["oct", "okt", "loka"],
        &["nov", "marras"],
        &["dec", "joulu"],
    ];
    let word = word.to_lowercase();
    let at = STEMS.iter().position(|stems| stems.iter().any(|stem| word.starts_with(stem)))?;
    i16::try_from(at + 1).ok()
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
            ("01/09/2026", DateOrder::Day, "2026-09-01"),
            ("01/09/2026", DateOrder::Month, "2026-01-09"),
            ("26-09-01", DateOrder::Year, "2026-09-01"),
            ("1/9/26", DateOrder::Day, "2026-09-01"),
            ("25 Nov 2026", DateOrder::Auto, "2026-11-25"),
            ("November 25, 2026", DateOrder::Auto, "2026-11-25"),
            ("25 maj 2026", DateOrder::Auto, "2026-05-25"),
            ("Tue 2026-09-01", DateOrder::Auto, "2026-09-01"),
        ] {
            let stated = read_date(cell, order).unwrap_or_else(|| panic!("{cell}"));
            assert_eq!((stated.date.unwrap().to_string().as_str(), stated.time), (expected, None), "{cell}");
        }
        for (cell, expected) in [
            ("2026-09-01 09:30", "2026-09-01T09:30:00"),
            ("2026-09-01T09:30:00Z", "2026-09-01T09:30:00"),
            ("20260901T093000", "2026-09-01T09:30:00"),
            ("25 Nov 2026 9.30", "2026-11-25T09:30:00"),
            ("1.9.2026 kl 9.30", "2026-09-01T09:30:00"),
        ] {
            let stated = read_date(cell, DateOrder::Auto).unwrap_or_else(|| panic!("{cell}"));
            assert_eq!(stated.at().unwrap().to_string(), expected, "{cell}");
        }
        for cell in ["", "31/02/2026", "2026-13-01", "soon", "####", "45901", "1/2", "2026-09-01 25:00"] {
            assert_eq!(read_date(cell, DateOrder::Auto), None, "{cell}");
        }
    }

    #[test]
    fn times_are_read_as_people_write_them() {
        for (cell, expected) in [
            ("9:30", "09:30:00"),
            ("09.30", "09:30:00"),
            ("0930", "09:30:00"),
            ("9:30 PM", "21:30:00"),
            ("12 am", "00:00:00"),
            ("14", "14:00:00"),
            ("klo 14", "14:00:00"),
        ] {
            assert_eq!(read_time(cell).map(|time| time.to_string()).as_deref(), Some(expected), "{cell}");
        }
        for cell in ["", "24:10", "13 pm", "noon", "123", "1:2:3:4"] {
            assert_eq!(read_time(cell), None, "{cell}");
        }
    }

    #[test]
    fn one_decided_date_decides_the_file() {
        let evidence = |cells: &[&str]| {
            let mut evidence = OrderEvidence::default();
            for cell in cells {
                evidence.add(2, cell);
            }
            evidence.decide()
        };
        assert_eq!(evidence(&["03/04/2026", "25/04/2026"]), Ok(DateOrder::Day));
        assert_eq!(evidence(&["03/04/2026", "04/25/2026"]), Ok(DateOrder::Month));
        assert_eq!(evidence(&["03/04/2026"]), Err(Undecided));
        assert_eq!(evidence(&["13/04/2026", "04/25/2026"]), Err(Undecided));
        assert_eq!(evidence(&["2026-03-04", "03/03/2026"]), Ok(DateOrder::Day));
    }
}
