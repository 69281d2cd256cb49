//! The order of day and month, which the dates of a whole file decide together
//! (rule C02).

use super::date::{DateOrder, Numbers, date_part, numbers_of};

/// Rows that speak for something: how many, and the first of them.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Speaking {
    /// How many there are.
    pub count: usize,
    /// The first few: row and cell.
    pub first: Vec<(u64, String)>,
}

impl Speaking {
    const QUOTED: usize = 3;

    fn add(&mut self, row: u64, cell: &str) {
        self.count += 1;
        if self.first.len() < Self::QUOTED {
            self.first.push((row, cell.trim().to_owned()));
        }
    }

    fn append(&mut self, other: &Self) {
        self.count += other.count;
        let room = Self::QUOTED.saturating_sub(self.first.len());
        self.first.extend(other.first.iter().take(room).cloned());
    }

    fn words(&self) -> String {
        let shown: Vec<_> = self.first.iter().map(|(row, cell)| format!("row {row} has `{cell}`")).collect();
        shown.join(", ")
    }
}

/// What the dates of a file say about the order of day and month.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct OrderEvidence {
    /// Dates that can only be day first.
    pub day_first: Speaking,
    /// Dates that can only be month first.
    pub month_first: Speaking,
    /// Dates that read both ways and mean different days.
    pub either: Speaking,
}

/// The order could not be told from the file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Undecided;

impl OrderEvidence {
    pub(super) fn add(&mut self, row: u64, cell: &str) {
        self.add_shown(row, cell, cell);
    }

    /// A date whose cell is `shown`.
    pub(super) fn add_shown(&mut self, row: u64, shown: &str, cell: &str) {
        // The way most cells go: a year in front has but one order.
        if cell.as_bytes().get(4).is_some_and(|byte| *byte == b'-') {
            return;
        }
        let Some(Numbers { parts: [first, second, _], separator }) = numbers_of(date_part(cell)) else {
            return;
        };
        if first.text.len() == 4 {
            return;
        }
        let evidence = match (first.value, second.value) {
            // Points are written between day, month and year alone.
            _ if separator == '.' => return,
            (13..=31, 1..=12) => &mut self.day_first,
            (1..=12, 13..=31) => &mut self.month_first,
            (first @ 1..=12, second @ 1..=12) if first != second => &mut self.either,
            _ => return,
        };
        evidence.add(row, shown);
    }

    /// Takes in what another column says.
    pub(super) fn append(&mut self, other: &Self) {
        self.day_first.append(&other.day_first);
        self.month_first.append(&other.month_first);
        self.either.append(&other.either);
    }

    /// The order that the file's dates decide. Where none of them reads two
    /// ways, any order will do.
    pub(super) fn decide(&self) -> Result<DateOrder, Undecided> {
        match (self.day_first.count, self.month_first.count, self.either.count) {
            (0, 1.., _) => Ok(DateOrder::Month),
            (1.., 0, _) | (0, 0, 0) => Ok(DateOrder::Day),
            _ => Err(Undecided),
        }
    }

    /// The rows that decide it, or that leave it open; empty where no date can
    /// be read two ways.
    pub fn words(&self) -> String {
        match (self.day_first.count, self.month_first.count, self.either.count) {
            (0, 0, 0) => String::new(),
            (0, 0, 1) => format!("one date reads both ways ({})", self.either.words()),
            (0, 0, either) => format!("{either} dates read both ways ({})", self.either.words()),
            (_, 0, _) => format!("day first: {}", self.day_first.words()),
            (0, _, _) => format!("month first: {}", self.month_first.words()),
            _ => format!(
                "the file contradicts itself, day first in {}, month first in {}",
                self.day_first.words(),
                self.month_first.words()
            ),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_decided_date_decides_the_file() {
        for (cells, order, words) in [
            (&["03/04/2026", "25/04/2026"][..], Ok(DateOrder::Day), "day first: row 3 has `25/04/2026`"),
            (&["03/04/2026", "04/25/26"], Ok(DateOrder::Month), "month first: row 3 has `04/25/26`"),
            (&["03/04/2026"], Err(Undecided), "one date reads both ways (row 2 has `03/04/2026`)"),
            (
                &["03-04-2026 10:00", "1-2-2026"],
                Err(Undecided),
                "2 dates read both ways (row 2 has `03-04-2026 10:00`, row 3 has `1-2-2026`)",
            ),
            (
                &["13/04/2026", "04/25/2026"],
                Err(Undecided),
                "the file contradicts itself, day first in row 2 has `13/04/2026`, month first in row 3 has `04/25/2026`",
            ),
            (&["2026-03-04", "03/03/2026", "1.2.2026"], Ok(DateOrder::Day), ""),
        ] {
            let mut evidence = OrderEvidence::default();
            for (row, cell) in (2..).zip(cells) {
                evidence.add(row, cell);
            }
            assert_eq!((evidence.decide(), evidence.words().as_str()), (order, words), "{cells:?}");
        }
    }
}
