//! The year of dates that have none: the one that a person names, or that stands above
//! the table.
//!
//! A plan goes on where it has begun. Where its rows stand in order, a step back by more
//! than half a year is New Year:
//!
//! ```text
//! Crew plan 2026/27
//! 14.12.   Drill      2026
//! 28.12.   Watch      2026
//! 11.1.    Muster     2027
//! ```

use std::ops::RangeInclusive;

use jiff::civil::Date;

use super::date::{DateOrder, read_date, without_weekday};
use super::notes::{Note, NoteKind};

/// Years that a plan may be for.
const PLAUSIBLE: RangeInclusive<i16> = 1970..=2199;
/// A step back by more months than this leads into the next year.
const HALF_A_YEAR: i8 = 6;

/// What is known about the year of dates that have none.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Years {
    first: i16,
    /// The rows with which a new year begins.
    turns: Vec<u64>,
    /// The line above the table that says so, if nobody has said.
    quoted: Option<String>,
}

impl Years {
    /// The year that a person has named.
    pub(super) fn named(year: i16) -> Self {
        Self { first: year, turns: Vec::new(), quoted: None }
    }

    /// The year that stands above a table: the only one there, or the first of two that
    /// stand there as one season. The year of a whole date is when somebody wrote it.
    pub(super) fn above<'l>(lines: impl Iterator<Item = &'l str>) -> Option<Self> {
        let mut found: Vec<(i16, &str)> = Vec::new();
        for line in lines {
            found.extend(years_in(line).into_iter().map(|year| (year, line)));
        }
        found.sort_unstable_by_key(|(year, _)| *year);
        found.dedup_by_key(|(year, _)| *year);
        let [(first, line)] = found.as_slice() else { return None };
        Some(Self { first: *first, turns: Vec::new(), quoted: Some((*line).to_owned()) })
    }

    /// Lets the years roll on over the dates of rows that have none; in a table whose rows
    /// stand in no order all are of the first.
    pub(super) fn roll(&mut self, cells: impl Iterator<Item = (u64, String)>, order: DateOrder) {
        let mut before: Option<Date> = None;
        let mut turns = Vec::new();
        for (row, cell) in cells {
            let Some(date) = with_year(&cell, self.first).and_then(|cell| read_date(&cell, order)?.date)
            else {
                continue;
            };
            if let Some(before) = before.filter(|before| *before > date) {
                if before.month() - date.month() <= HALF_A_YEAR {
                    return;
                }
                turns.push(row);
            }
            before = Some(date);
        }
        self.turns = turns;
    }

    /// The year of a row.
    pub(super) fn of_row(&self, row: u64) -> i16 {
        let turned = self.turns.partition_point(|turn| *turn <= row);
        self.first.saturating_add(i16::try_from(turned).unwrap_or(i16::MAX))
    }

    /// What a person should know of it: `count` dates without a year.
    pub(super) fn note(&self, header: &str, count: usize) -> Option<Note> {
        let rolled = self.turns.iter().map(|row| format!(", from row {row} of {}", self.of_row(*row)));
        let rolled: String = rolled.collect();
        if self.quoted.is_none() && rolled.is_empty() {
            return None;
        }
        let because = self.quoted.as_ref().map_or_else(String::new, |line| format!(", as `{line}` says"));
        let dates = if count == 1 { "a date".to_owned() } else { format!("{count} dates") };
        Some(Note {
            kind: NoteKind::YearTaken,
            row: None,
            title: header.to_owned(),
            words: format!("{dates} without a year: taken to be of {}{because}{rolled}", self.first),
        })
    }
}

/// The years in a text, of a season the first: `Crew plan 2026/27` has 2026.
fn years_in(text: &str) -> Vec<i16> {
    let joined = text.replace(" – ", "–").replace(" - ", "-").replace(" / ", "/");
    let words = joined.split(|char: char| char.is_whitespace() || ",;:()".contains(char));
    let year = |word: &str| {
        let groups: Vec<&str> =
            word.split(|char: char| !char.is_ascii_digit()).filter(|digits| !digits.is_empty()).collect();
        let (first, second) = match groups.as_slice() {
            [first] => (first, None),
            [first, second] => (first, Some(second)),
            _ => return None,
        };
        let year: i16 = first.parse().ok().filter(|_| first.len() == 4)?;
        let is_next = |other: &&str| {
            let other_year = other.parse::<i16>().ok();
            match other.len() {
                2 => other_year == Some((year + 1) % 100),
                4 => other_year == Some(year + 1),
                _ => false,
            }
        };
        (PLAUSIBLE.contains(&year) && second.is_none_or(is_next)).then_some(year)
    };
    words.filter_map(year).collect()
}

/// A date without a year, with one: `9.9.`, `9/9`, `9 Sep`, with a time behind it or
/// without.
pub(super) fn with_year(cell: &str, year: i16) -> Option<String> {
    let cell = without_weekday(cell.trim());
    let (date, time) = match cell.rsplit_once(' ') {
        Some((date, time)) if time.contains(':') && !date.is_empty() => (date.trim(), format!(" {time}")),
        _ => (cell.trim(), String::new()),
    };
    let digits = |text: &str| text.bytes().all(|byte| byte.is_ascii_digit()) && (1..=2).contains(&text.len());
    let numbers = |sign: char| {
        let (one, two) = date.trim_end_matches(sign).split_once(sign)?;
        (digits(one) && digits(two)).then(|| format!("{one}{sign}{two}{sign}{year}{time}"))
    };
    let has_word = date.chars().any(char::is_alphabetic) && date.chars().any(|char| char.is_ascii_digit());
    numbers('.')
        .or_else(|| numbers('/'))
        .or_else(|| has_word.then(|| format!("{} {year}{time}", date.trim_end_matches('.'))))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn rolled(rows: &[&str]) -> Vec<i16> {
        let mut years = Years::named(2026);
        let cells = rows.iter().zip(2..).map(|(cell, row)| (row, (*cell).to_owned()));
        years.roll(cells, DateOrder::Day);
        (2..).take(rows.len()).map(|row| years.of_row(row)).collect()
    }

    #[test]
    fn a_year_rolls_on_where_rows_stand_in_order() {
        assert_eq!(rolled(&["14.12.", "28.12.", "11.1.", "9.2."]), [2026, 2026, 2027, 2027]);
        assert_eq!(rolled(&["1 Sep", "1 Mar", "1 Oct", "1 Mar"]), [2026; 4], "in no order");
        assert_eq!(rolled(&["1.11.", "1.2.", "1.12.", "3.1."]), [2026, 2027, 2027, 2028]);
        assert_eq!(rolled(&["9/9", "", "10/9"]), [2026; 3]);
        // As a spreadsheet shows a number, and with the weekday in front.
        assert_eq!(rolled(&["31.12", "2.1", "Mo 4.1.", "Di, 12 Jan"]), [2026, 2027, 2027, 2027]);
    }

    #[test]
    fn the_year_of_a_table_may_stand_above_it() {
        let above = |lines: &str| Years::above(lines.lines()).map(|years| years.first);
        for (line, year) in [
            ("Crew plan 2026", Some(2026)),
            ("Crew plan 2026/27", Some(2026)),
            ("Season 2026–2027, made in 2026", Some(2026)),
            ("Season 2026 – 2027", Some(2026)),
            // When it was written is no year of the plan.
            ("Plan 2026, updated 12.11.2025", Some(2026)),
            ("Plan 2026\n(2025-11-12)", Some(2026)),
            ("Plan 2024 and 2026", None),
            ("Plan 2026\nfirst made in 2025", None),
            ("Pier 12, ship 4711", None),
            ("", None),
        ] {
            assert_eq!(above(line), year, "{line}");
        }
    }
}
