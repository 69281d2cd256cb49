//! Ranges in one cell: `18–20 Uhr`, `9:00-12:30`, `9.–11.9.2026`,
//! `31.12.2026 22:00 – 1.1.2027 02:00`.

use jiff::civil::Time;

use super::clock::read_time;
use super::date::{DateOrder, Stated, read_date};

/// What stands between the two ends, the surest first. A hyphen without blanks is in
/// many dates as well, so it comes last.
const BETWEEN: [&str; 14] = [
    "–", "—", " - ", " bis ", " to ", " until ", " till ", " til ", " à ", " au ", " a ", " al ", " asti ",
    "-",
];

/// The two sides of a range, cut at the first sign between them that `are_ends` accepts.
fn cut<'c, T>(cell: &'c str, are_ends: impl Fn(&'c str, &'c str) -> Option<T>) -> Option<T> {
    BETWEEN.iter().find_map(|sign| {
        let (one, two) = cell.split_once(sign)?;
        are_ends(one.trim(), two.trim())
    })
}

/// A range of times of day: `18–20 Uhr`. The unit behind the second is that of both.
pub(super) fn read_time_range(cell: &str) -> Option<(Time, Time)> {
    let is_short = cell.len() <= LONGEST && cell.bytes().any(|byte| byte.is_ascii_digit());
    if !is_short {
        return None;
    }
    cut(cell, |one, two| {
        let end = read_end_of_day(two)?;
        // `6–8 pm` begins in the evening as well.
        let half =
            [" pm", "pm", " p.m.", " am", "am"].iter().find(|half| two.to_lowercase().ends_with(**half));
        let begins = half
            .filter(|_| !one.to_lowercase().ends_with('m'))
            .and_then(|half| read_time(&format!("{one}{half}")).filter(|begins| *begins <= end));
        Some((begins.or_else(|| read_time(one))?, end))
    })
}

/// A time at which something ends: `24:00` is the midnight behind the day.
pub(super) fn read_end_of_day(cell: &str) -> Option<Time> {
    let text = cell.trim().to_lowercase();
    let digits = text.trim_end_matches(|char: char| char.is_alphabetic() || char == ' ');
    if matches!(digits, "24:00" | "24.00" | "24:00:00" | "24" | "2400") {
        return Some(Time::midnight());
    }
    read_time(cell)
}

/// A range of days, or of days with times; what the first lacks is that of the second.
pub(super) fn read_range(cell: &str, order: DateOrder) -> Option<(Stated, Stated)> {
    if cell.len() > LONGEST {
        return None;
    }
    cut(cell, |one, two| {
        let Some(end) = read_date(two, order) else {
            // `1.9.2026 18:00–20:00`: the second is a time of the same day.
            let begins = read_date(one, order).filter(|begins| begins.time.is_some())?;
            let time = read_end_of_day(two)?;
            return Some((begins, Stated { time: Some(time), ..Stated::default() }));
        };
        let begins = read_date(one, order).or_else(|| completed(one, two, order))?;
        // `2026-09` and `01` are halves of one date.
        (begins.at()? <= end.at()?).then_some((begins, end))
    })
}

/// `9.` or `9.9.` in front of `11.9.2026`: the month and the year are those of the end.
fn completed(one: &str, two: &str, order: DateOrder) -> Option<Stated> {
    let parts = one.trim_end_matches('.').split('.').filter(|part| !part.is_empty()).count();
    let is_begun = one.ends_with('.') && one.bytes().all(|byte| byte.is_ascii_digit() || byte == b'.');
    let date = two.split(' ').next()?;
    let behind: Vec<&str> = date.splitn(3, '.').collect();
    match (is_begun, parts, behind.as_slice()) {
        (true, 1, [_, month, year]) => read_date(&format!("{one}{month}.{year}"), order),
        (true, 2, [_, _, year]) => read_date(&format!("{one}{year}"), order),
        _ => None,
    }
}

/// A longer cell is a text.
const LONGEST: usize = 60;

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ranges_of_times_are_read_as_people_write_them() {
        for (cell, expected) in [
            ("9:00-12:30", "09:00:00–12:30:00"),
            ("18–20 Uhr", "18:00:00–20:00:00"),
            ("18 bis 20 Uhr", "18:00:00–20:00:00"),
            ("klo 9.00 – 12.30", "09:00:00–12:30:00"),
            ("6–8 pm", "18:00:00–20:00:00"),
            ("11 am - 1 pm", "11:00:00–13:00:00"),
            ("22:00–24:00", "22:00:00–00:00:00"),
            ("9h30 à 11h", "09:30:00–11:00:00"),
        ] {
            let found = read_time_range(cell).map(|(one, two)| format!("{one}–{two}"));
            assert_eq!(found.as_deref(), Some(expected), "{cell}");
        }
        for cell in ["", "2026-09-01", "Pier 3 - north", "9:00", "soon – later"] {
            assert_eq!(read_time_range(cell), None, "{cell}");
        }
    }

    #[test]
    fn ranges_of_days_are_read_and_dates_are_none() {
        for (cell, expected) in [
            ("9.–11.9.2026", "2026-09-09T00:00:00–2026-09-11T00:00:00"),
            ("30.9.–2.10.2026", "2026-09-30T00:00:00–2026-10-02T00:00:00"),
            ("9.9.2026 - 11.9.2026", "2026-09-09T00:00:00–2026-09-11T00:00:00"),
            ("2026-09-09 to 2026-09-11", "2026-09-09T00:00:00–2026-09-11T00:00:00"),
            ("31.12.2026 22:00 – 1.1.2027 02:00", "2026-12-31T22:00:00–2027-01-01T02:00:00"),
        ] {
            let found = read_range(cell, DateOrder::Day);
            let found = found.map(|(one, two)| format!("{}–{}", one.at().unwrap(), two.at().unwrap()));
            assert_eq!(found.as_deref(), Some(expected), "{cell}");
        }
        let (begins, end) = read_range("1.9.2026 18:00–20:00", DateOrder::Day).unwrap();
        assert_eq!((begins.time.is_some(), end.date, end.time.is_some()), (true, None, true));
        for cell in ["2026-09-01", "1-9-2026", "1.9.2026", "11.9.2026–9.9.2026", "25-Nov-26", ""] {
            assert_eq!(read_range(cell, DateOrder::Day), None, "{cell}");
        }
    }
}
