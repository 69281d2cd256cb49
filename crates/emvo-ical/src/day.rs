//! Days and seconds as plain numbers, for loops that run millions of times.
//!
//! A day is counted from 1970-01-01 in the proleptic Gregorian calendar, a
//! moment on a clock in seconds from that day's midnight. Neither knows a zone.

use jiff::civil::{Date, DateTime};

/// The length of a day on a clock that nobody sets.
pub const SECONDS_A_DAY: i64 = 86_400;

/// Days from 1970-01-01 to this date.
pub fn day_number(year: i64, month: i64, day: i64) -> i64 {
    // Years start in March here, so that the leap day is the last of its year.
    let year = year - i64::from(month <= 2);
    let era = year.div_euclid(400);
    let year_of_era = year.rem_euclid(400);
    let day_of_year = (153 * ((month + 9) % 12) + 2) / 5 + day - 1;
    let day_of_era = year_of_era * 365 + year_of_era / 4 - year_of_era / 100 + day_of_year;
    era * 146_097 + day_of_era - 719_468
}

/// Year, month and day of a day number.
pub fn civil(day: i64) -> (i64, i64, i64) {
    let shifted = day + 719_468;
    let era = shifted.div_euclid(146_097);
    let day_of_era = shifted.rem_euclid(146_097);
    let year_of_era = (day_of_era - day_of_era / 1460 + day_of_era / 36_524 - day_of_era / 146_096) / 365;
    let day_of_year = day_of_era - (365 * year_of_era + year_of_era / 4 - year_of_era / 100);
    let month_from_march = (5 * day_of_year + 2) / 153;
    let day = day_of_year - (153 * month_from_march + 2) / 5 + 1;
    let month = if month_from_march < 10 { month_from_march + 3 } else { month_from_march - 9 };
    (year_of_era + era * 400 + i64::from(month <= 2), month, day)
}

/// The day of the week, Monday 0 to Sunday 6.
pub fn weekday(day: i64) -> i64 {
    (day + 3).rem_euclid(7)
}

/// Whether a year of the proleptic Gregorian calendar has a 29 February.
pub fn is_leap(year: i64) -> bool {
    year % 4 == 0 && (year % 100 != 0 || year % 400 == 0)
}

/// 365 or 366.
pub fn days_in_year(year: i64) -> i64 {
    if is_leap(year) { 366 } else { 365 }
}

/// 28 to 31; `month` is 1 to 12.
pub fn days_in_month(year: i64, month: i64) -> i64 {
    match month {
        2 if is_leap(year) => 29,
        2 => 28,
        4 | 6 | 9 | 11 => 30,
        _ => 31,
    }
}

/// Seconds from 1970-01-01 00:00 on the same clock.
pub fn clock_seconds(at: DateTime) -> i64 {
    day_of(at.date()) * SECONDS_A_DAY
        + i64::from(at.hour()) * 3600
        + i64::from(at.minute()) * 60
        + i64::from(at.second())
}

/// The day number of a date.
pub fn day_of(date: Date) -> i64 {
    day_number(i64::from(date.year()), i64::from(date.month()), i64::from(date.day()))
}

/// The clock time a number of seconds from 1970-01-01 00:00; `None` outside the
/// years that a calendar can write.
pub fn clock_at(seconds: i64) -> Option<DateTime> {
    let (year, month, day) = civil(seconds.div_euclid(SECONDS_A_DAY));
    let second = seconds.rem_euclid(SECONDS_A_DAY);
    let small = |number: i64| i8::try_from(number).ok();
    DateTime::new(
        // iCalendar writes years in four digits.
        i16::try_from(year).ok().filter(|year| *year >= 0)?,
        small(month)?,
        small(day)?,
        small(second / 3600)?,
        small(second / 60 % 60)?,
        small(second % 60)?,
        0,
    )
    .ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_and_dates_agree_with_the_date_library() {
        let mut day = -800_000;
        while day < 2_900_000 {
            let (year, month, date) = civil(day);
            assert_eq!(day_number(year, month, date), day);
            // iCalendar has years of four digits.
            assert_eq!(clock_at(day * SECONDS_A_DAY).is_some(), (0..=9999).contains(&year));
            if (0..=9999).contains(&year) {
                let clock = clock_at(day * SECONDS_A_DAY + 86_399).unwrap();
                assert_eq!(i64::from(clock.weekday().to_monday_zero_offset()), weekday(day));
                assert_eq!(clock_seconds(clock), day * SECONDS_A_DAY + 86_399);
                assert_eq!(i64::from(clock.date().days_in_month()), days_in_month(year, month));
                assert_eq!(i64::from(clock.date().days_in_year()), days_in_year(year));
            }
            day += 97;
        }
    }
}
