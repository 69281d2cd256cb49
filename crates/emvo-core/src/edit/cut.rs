//! Dates that were taken out of a series as asked, in words that can be read back.
//!
//! A receipt tells them, and a proof that is given the receipt counts those dates,
//! and no others, as explained.

use std::fmt;
use std::str::FromStr;

use jiff::civil::Date;

/// Which dates of a series were left out. Days are those that people see, in the
/// zone of the series.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Cut {
    /// It ends before this day.
    EndsBefore(Date),
    /// It ends with this day.
    EndsWith(Date),
    /// This day's date.
    Without(Date),
    /// The dates from one day through another.
    WithoutFrom(Date, Date),
    /// All but the dates from one day through another.
    Only(Date, Date),
}

impl Cut {
    /// Whether the date of a day was left out.
    pub fn leaves_out(self, day: Date) -> bool {
        match self {
            Self::EndsBefore(end) => day >= end,
            Self::EndsWith(last) => day > last,
            Self::Without(out) => day == out,
            Self::WithoutFrom(from, until) => (from..=until).contains(&day),
            Self::Only(from, until) => !(from..=until).contains(&day),
        }
    }
}

impl fmt::Display for Cut {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::EndsBefore(day) => write!(out, "ends before {day}"),
            Self::EndsWith(day) => write!(out, "ends with {day}"),
            Self::Without(day) => write!(out, "without {day}"),
            Self::WithoutFrom(from, until) => write!(out, "without {from} through {until}"),
            Self::Only(from, until) => write!(out, "only {from} through {until}"),
        }
    }
}

/// The words say something else.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("no dates that were left out")]
pub struct NoCut;

impl FromStr for Cut {
    type Err = NoCut;

    fn from_str(text: &str) -> Result<Self, NoCut> {
        let day = |text: &str| text.parse::<Date>().map_err(|_| NoCut);
        let span = |text: &str| {
            let (from, until) = text.split_once(" through ").ok_or(NoCut)?;
            Ok((day(from)?, day(until)?))
        };
        if let Some(rest) = text.strip_prefix("ends before ") {
            return day(rest).map(Self::EndsBefore);
        }
        if let Some(rest) = text.strip_prefix("ends with ") {
            return day(rest).map(Self::EndsWith);
        }
        if let Some(rest) = text.strip_prefix("only ") {
            return span(rest).map(|(from, until)| Self::Only(from, until));
        }
        let rest = text.strip_prefix("without ").ok_or(NoCut)?;
        span(rest)
            .map(|(from, until)| Self::WithoutFrom(from, until))
            .or_else(|_| day(rest).map(Self::Without))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;

    #[test]
    fn what_is_told_is_read_back_and_leaves_out_its_dates_alone() {
        let (from, until) = (date(2026, 1, 10), date(2026, 1, 20));
        for (cut, out, stays) in [
            (Cut::EndsBefore(until), [until, date(2027, 1, 1)], from),
            (Cut::EndsWith(until), [date(2026, 1, 21), date(2027, 1, 1)], until),
            (Cut::Without(from), [from, from], until),
            (Cut::WithoutFrom(from, until), [from, until], date(2026, 1, 21)),
            (Cut::Only(from, until), [date(2026, 1, 9), date(2026, 1, 21)], from),
        ] {
            assert_eq!(cut.to_string().parse(), Ok(cut));
            assert!(out.iter().all(|day| cut.leaves_out(*day)) && !cut.leaves_out(stays), "{cut}");
        }
        for other in ["without attachments", "ends 2026", "only 2026-01-10", "2026-01-10"] {
            assert_eq!(other.parse::<Cut>(), Err(NoCut), "{other}");
        }
    }
}
