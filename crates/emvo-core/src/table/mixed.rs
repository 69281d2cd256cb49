//! A column of dates that has spreadsheet numbers among them (rule C03).
//!
//! It comes about where a spreadsheet has read some dates that were pasted into it and
//! left the others alone. A number is a date here if it fits among the others; and not
//! even then if the days and the months of what the spreadsheet has read are most likely
//! the wrong way round:
//!
//! ```text
//! 25.09.2026    a text: no month has the number 25
//! 46124         12 April 2026, where 4 December was meant
//! ```

use jiff::ToSpan;
use jiff::civil::Date;

/// A number may be so many days before the first of the others, or behind the last.
const NEAR: i32 = 366;
/// So many dates of either kind show that they are turned round.
const ENOUGH: usize = 3;
/// Days up to this one may be months as well.
const MONTHS: i8 = 12;

/// What is in such a column.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Mixed {
    pub(super) at: usize,
    /// The first and the last of the dates that are no numbers.
    span: Option<(Date, Date)>,
    texts: Days,
    numbers: Days,
}

/// How many dates there are, and how many of them could be turned round.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
struct Days {
    count: usize,
    may_be_months: usize,
}

impl Days {
    fn add(&mut self, date: Date) {
        self.count += 1;
        self.may_be_months += usize::from(date.day() <= MONTHS);
    }
}

impl Mixed {
    pub(super) fn of_column(at: usize) -> Self {
        Self { at, span: None, texts: Days::default(), numbers: Days::default() }
    }

    /// A date that stands there as one.
    pub(super) fn add_date(&mut self, date: Date) {
        self.texts.add(date);
        let (first, last) = self.span.unwrap_or((date, date));
        self.span = Some((first.min(date), last.max(date)));
    }

    /// A number that may be this date.
    pub(super) fn add_number(&mut self, date: Date) {
        self.numbers.add(date);
    }

    /// Whether all numbers are days that may be months, and no date that was left alone is.
    fn is_turned_round(&self) -> bool {
        let Self { texts, numbers, .. } = self;
        texts.count >= ENOUGH
            && numbers.count >= ENOUGH
            && texts.may_be_months == 0
            && numbers.may_be_months == numbers.count
    }

    /// Whether a number that may be this date is it.
    pub(super) fn takes(&self, date: Date) -> bool {
        let Some((first, last)) = self.span.filter(|_| !self.is_turned_round()) else { return false };
        let from = first.checked_sub(NEAR.days()).unwrap_or(Date::MIN);
        let until = last.checked_add(NEAR.days()).unwrap_or(Date::MAX);
        (from..=until).contains(&date)
    }

    /// Why a number is not taken for a date.
    pub(super) fn words(&self) -> String {
        if self.is_turned_round() {
            return "a spreadsheet has most likely turned day and month round in the numbers".to_owned();
        }
        match self.span {
            Some((first, last)) => format!("the others are between {first} and {last}"),
            None => "no other is near it".to_owned(),
        }
    }
}

#[cfg(test)]
mod tests {
    use jiff::civil::date;

    use super::*;

    fn mixed(texts: &[Date], numbers: &[Date]) -> Mixed {
        let mut mixed = Mixed::of_column(0);
        for date in texts {
            mixed.add_date(*date);
        }
        for date in numbers {
            mixed.add_number(*date);
        }
        mixed
    }

    #[test]
    fn a_number_among_dates_is_one_if_it_fits() {
        let texts = [date(2026, 9, 9), date(2026, 9, 25), date(2026, 10, 3)];
        let numbers = [date(2026, 9, 10), date(2012, 1, 1)];
        let mixed = mixed(&texts, &numbers);
        assert!(mixed.takes(numbers[0]) && !mixed.takes(numbers[1]));
        assert_eq!(mixed.words(), "the others are between 2026-09-09 and 2026-10-03");
    }

    #[test]
    fn days_and_months_turned_round_are_no_dates() {
        let texts = [date(2026, 9, 13), date(2026, 9, 25), date(2026, 10, 31)];
        let numbers = [date(2026, 4, 12), date(2026, 5, 9), date(2026, 6, 10)];
        assert!(!mixed(&texts, &numbers).takes(numbers[0]));
        // One of them is no month: the spreadsheet read what was meant.
        let numbers = [date(2026, 4, 12), date(2026, 5, 19), date(2026, 6, 10)];
        assert!(mixed(&texts, &numbers).takes(numbers[0]));
    }
}
