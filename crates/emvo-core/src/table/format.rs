//! How a destination wants dates and times written: `DD.MM.YYYY`, `HH:MM`.

use std::fmt::Write as _;

use jiff::civil::{Date, Time};

/// A pattern of a date or a time, such as `DD.MM.YYYY` or `h:mm AM`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Pattern(Vec<Piece>);

#[derive(Clone, Debug, PartialEq, Eq)]
enum Piece {
    Year4,
    Year2,
    Month { digits: usize },
    Day { digits: usize },
    Hour24 { digits: usize },
    Hour12 { digits: usize },
    Minute,
    Second,
    Half,
    Text(String),
}

/// A pattern that says nothing, or something unknown.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("`{pattern}` is no pattern for a {what}; write one such as {example}")]
pub struct PatternError {
    pattern: String,
    what: &'static str,
    example: &'static str,
}

impl Pattern {
    /// A pattern for dates: `YYYY` or `YY`, `MM` or `M`, `DD` or `D`, and signs
    /// between them.
    pub fn of_date(text: &str) -> Result<Self, PatternError> {
        const MARKS: [(&str, Piece); 6] = [
            ("YYYY", Piece::Year4),
            ("YY", Piece::Year2),
            ("MM", Piece::Month { digits: 2 }),
            ("M", Piece::Month { digits: 1 }),
            ("DD", Piece::Day { digits: 2 }),
            ("D", Piece::Day { digits: 1 }),
        ];
        let error =
            || PatternError { pattern: text.to_owned(), what: "date", example: "YYYY-MM-DD or DD.MM.YYYY" };
        let pieces = pieces(text, &MARKS).ok_or_else(error)?;
        let count = |test: fn(&Piece) -> bool| pieces.iter().filter(|piece| test(piece)).count();
        let is_whole = count(|piece| matches!(piece, Piece::Year4 | Piece::Year2)) == 1
            && count(|piece| matches!(piece, Piece::Month { .. })) == 1
            && count(|piece| matches!(piece, Piece::Day { .. })) == 1;
        if is_whole { Ok(Self(pieces)) } else { Err(error()) }
    }

    /// A pattern for times: `HH` or `H` for 24 hours, `hh` or `h` with `AM` for
    /// twelve, `mm`, `ss`, and signs between them.
    pub fn of_time(text: &str) -> Result<Self, PatternError> {
        const MARKS: [(&str, Piece); 9] = [
            ("HH", Piece::Hour24 { digits: 2 }),
            ("H", Piece::Hour24 { digits: 1 }),
            ("hh", Piece::Hour12 { digits: 2 }),
            ("h", Piece::Hour12 { digits: 1 }),
            ("mm", Piece::Minute),
            ("MM", Piece::Minute),
            ("ss", Piece::Second),
            ("SS", Piece::Second),
            ("AM", Piece::Half),
        ];
        let error = || PatternError { pattern: text.to_owned(), what: "time", example: "HH:mm or h:mm AM" };
        let pieces = pieces(text, &MARKS).ok_or_else(error)?;
        let has = |test: fn(&Piece) -> bool| pieces.iter().any(test);
        let is_twelve = has(|piece| matches!(piece, Piece::Hour12 { .. }));
        let is_whole = (is_twelve || has(|piece| matches!(piece, Piece::Hour24 { .. })))
            && has(|piece| *piece == Piece::Minute)
            && is_twelve == has(|piece| *piece == Piece::Half);
        if is_whole { Ok(Self(pieces)) } else { Err(error()) }
    }

    pub(super) fn date(&self, date: Date) -> String {
        self.written(date, Time::midnight())
    }

    pub(super) fn time(&self, time: Time) -> String {
        self.written(Date::ZERO, time)
    }

    /// Whether parts of a minute have a place in it.
    pub(super) fn has_seconds(&self) -> bool {
        self.0.contains(&Piece::Second)
    }

    fn written(&self, date: Date, time: Time) -> String {
        let mut out = String::new();
        for piece in &self.0 {
            // Writing into a string cannot fail.
            let _ = match piece {
                Piece::Year4 => write!(out, "{:04}", date.year()),
                Piece::Year2 => write!(out, "{:02}", date.year().rem_euclid(100)),
                Piece::Month { digits } => write!(out, "{:0digits$}", date.month()),
                Piece::Day { digits } => write!(out, "{:0digits$}", date.day()),
                Piece::Hour24 { digits } => write!(out, "{:0digits$}", time.hour()),
                Piece::Hour12 { digits } => write!(out, "{:0digits$}", (time.hour() + 11) % 12 + 1),
                Piece::Minute => write!(out, "{:02}", time.minute()),
                Piece::Second => write!(out, "{:02}", time.second()),
                Piece::Half => write!(out, "{}", if time.hour() < 12 { "AM" } else { "PM" }),
                Piece::Text(text) => write!(out, "{text}"),
            };
        }
        out
    }
}

/// The pieces of a pattern. Letters that are no mark are a mistake.
fn pieces(text: &str, marks: &[(&str, Piece)]) -> Option<Vec<Piece>> {
    let (mut pieces, mut rest) = (Vec::new(), text);
    while let Some(first) = rest.chars().next() {
        if let Some((mark, piece)) = marks.iter().find(|(mark, _)| rest.starts_with(mark)) {
            pieces.push(piece.clone());
            rest = &rest[mark.len()..];
        } else if first.is_alphanumeric() {
            return None;
        } else {
            pieces.push(Piece::Text(first.to_string()));
            rest = &rest[first.len_utf8()..];
        }
    }
    Some(pieces)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn patterns_write_what_they_show() {
        let (date, time) = (Date::constant(2026, 9, 1), Time::constant(14, 5, 9, 0));
        for (pattern, expected) in [
            ("YYYY-MM-DD", "2026-09-01"),
            ("D.M.YYYY", "1.9.2026"),
            ("MM/DD/YY", "09/01/26"),
            ("YYYYMMDD", "20260901"),
        ] {
            assert_eq!(Pattern::of_date(pattern).unwrap().date(date), expected);
        }
        for (pattern, expected) in [
            ("HH:mm", "14:05"),
            ("HH:MM:SS", "14:05:09"),
            ("h:mm AM", "2:05 PM"),
            ("H.mm", "14.05"),
            ("HHmm", "1405"),
        ] {
            assert_eq!(Pattern::of_time(pattern).unwrap().time(time), expected);
        }
        let midnight = Pattern::of_time("hh:mm AM").unwrap();
        assert_eq!((midnight.time(Time::midnight()), midnight.has_seconds()), ("12:00 AM".to_owned(), false));
        for pattern in ["", "YYYY-MM", "DD.MM.YYYY x", "YYYY-MM-DD DD"] {
            assert!(Pattern::of_date(pattern).is_err(), "{pattern}");
        }
        for pattern in ["", "HH", "hh:mm", "HH:mm AM"] {
            assert!(Pattern::of_time(pattern).is_err(), "{pattern}");
        }
    }
}
