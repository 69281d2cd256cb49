//! Dates as spreadsheets count them: days since an epoch, the time of day as a
//! fraction (rule C03).

use jiff::ToSpan;
use jiff::civil::{Date, Time};

/// The day from which a spreadsheet counts.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Epoch {
    /// 1 is 1 January 1900, and a 29 February 1900 that never was is counted:
    /// the dates after it are days since 30 December 1899.
    #[default]
    Year1900,
    /// 0 is 1 January 1904.
    Year1904,
}

/// Numbers that are dates between 1954 and 2119 from either epoch. Others are
/// more likely numbers of something else.
const PLAUSIBLE: std::ops::Range<f64> = 20_000.0..80_000.0;

/// A cell that is a number, with a point or a comma for its decimals.
fn number(cell: &str) -> Option<f64> {
    let cell = cell.trim();
    let is_number = !cell.is_empty()
        && cell.bytes().all(|byte| byte.is_ascii_digit() || byte == b'.' || byte == b',')
        && cell.bytes().filter(|byte| !byte.is_ascii_digit()).count() <= 1;
    if !is_number {
        return None;
    }
    cell.replace(',', ".").parse().ok()
}

/// Whether a cell may be a serial date.
pub(super) fn is_serial(cell: &str) -> bool {
    // Eight digits are a date of another kind, and fewer than five none at all.
    number(cell).is_some_and(|number| PLAUSIBLE.contains(&number))
}

/// The date and time of a serial number; no time if it has no fraction.
pub(super) fn read_serial(cell: &str, epoch: Epoch) -> Option<(Date, Option<Time>)> {
    let number = number(cell).filter(|number| PLAUSIBLE.contains(number))?;
    let first = match epoch {
        Epoch::Year1900 => Date::constant(1899, 12, 30),
        Epoch::Year1904 => Date::constant(1904, 1, 1),
    };
    let (days, part) = (number.trunc(), number.fract());
    // In range by the check above: fewer than 80,000 days.
    #[allow(clippy::cast_possible_truncation, reason = "a whole number below 80,000")]
    let date = first.checked_add((days as i32).days()).ok()?;
    if part == 0.0 {
        return Some((date, None));
    }
    let (time, is_next_day) = time_of_part(part)?;
    let date = if is_next_day { date.tomorrow().ok()? } else { date };
    Some((date, Some(time)))
}

/// A time of day that a spreadsheet has written as a part of a day.
pub(super) fn read_part_of_day(cell: &str) -> Option<Time> {
    let is_part = cell.trim().starts_with("0.") || cell.trim().starts_with("0,");
    let part = number(cell).filter(|part| is_part && (0.0..1.0).contains(part))?;
    time_of_part(part).map(|(time, _)| time)
}

/// To the nearest second; whether that is midnight of the next day.
fn time_of_part(part: f64) -> Option<(Time, bool)> {
    #[allow(clippy::cast_possible_truncation, reason = "a part of a day has at most 86,400 seconds")]
    let seconds = (part * 86_400.0).round() as i32;
    let (hour, minute, second) = (seconds / 3600 % 24, seconds / 60 % 60, seconds % 60);
    let part = |number: i32| i8::try_from(number).ok();
    Some((Time::new(part(hour)?, part(minute)?, part(second)?, 0).ok()?, seconds >= 86_400))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn serials_count_from_either_epoch() {
        for (cell, epoch, expected) in [
            ("46266", Epoch::Year1900, "2026-09-01"),
            ("44804", Epoch::Year1904, "2026-09-01"),
            ("46266.395833", Epoch::Year1900, "2026-09-01 09:30:00"),
            ("46266,75", Epoch::Year1900, "2026-09-01 18:00:00"),
            ("46266.9999999", Epoch::Year1900, "2026-09-02 00:00:00"),
        ] {
            let (date, time) = read_serial(cell, epoch).unwrap();
            let shown = time.map_or_else(|| date.to_string(), |time| format!("{date} {time}"));
            assert_eq!(shown, expected, "{cell}");
        }
        for cell in ["", "12", "20260901", "1.2.3", "-46266", "4626x", "1.9.2026"] {
            assert!(!is_serial(cell) && read_serial(cell, Epoch::Year1900).is_none(), "{cell}");
        }
        assert_eq!(read_part_of_day("0.395833").unwrap().to_string(), "09:30:00");
        assert_eq!((read_part_of_day("9.30"), read_part_of_day("0")), (None, None));
    }
}
