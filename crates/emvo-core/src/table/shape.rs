//! What the cells of a column look like: the evidence for what the column is.
//!
//! ```text
//! Date        Title      Start   End
//! 2026-09-09  Safety     18:00   20:30     dates · texts · times · times
//! ```
//!
//! A header is a hint, and `Start` may stand above clock times.

use super::cell::trimmed;
use super::clock::{read_plain_time, read_time};
use super::date::{DateOrder, read_date};
use super::habits::{LengthUnit, bare_number, short_dot};
use super::order::OrderEvidence;
use super::range::{read_range, read_time_range};
use super::serial::is_serial;
use super::weekday::weekday_of;
use super::years::with_year;

/// The orders in which dates are tried.
pub(super) const ORDERS: [DateOrder; 3] = [DateOrder::Day, DateOrder::Month, DateOrder::Year];

/// A longer cell is a text.
const LONGEST_TIME: usize = 48;
/// So many cells are shown to a person.
const SAMPLES: usize = 3;
/// A column that begins with so many texts is one of texts: what does not start with
/// a digit is not looked at again.
const SURELY_TEXT: usize = 32;
/// Of so many cells in a hundred all but the rest have to look alike.
const NEARLY_ALL: usize = 80;

/// What one cell is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Look {
    Blank,
    /// A day.
    Date,
    /// A time of day.
    Time,
    /// A day with a time.
    Moment,
    /// A day without a year, with a time or without.
    WithoutYear,
    /// A number, which may be many things: `14`, `9.3`, `46266`.
    Number,
    Text,
}

/// What a column holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Holds {
    /// Nothing at all.
    Nothing,
    /// Days.
    Dates,
    /// Times of day.
    Times,
    /// Days with a time, or some of them without.
    Moments,
    /// Numbers.
    Numbers,
    /// Anything else.
    Texts,
}

/// The cells of one column, counted.
#[derive(Clone, Debug, Default)]
pub(super) struct Shape {
    dates: usize,
    times: usize,
    moments: usize,
    numbers: usize,
    texts: usize,
    /// How many of the dates have no year: `9.9.`, `9 Sep`.
    pub(super) without_year: usize,
    /// The first few cells, each once.
    pub(super) samples: Vec<String>,
    /// What its dates say about the order of day and month.
    pub(super) evidence: OrderEvidence,
    pub(super) serials: Serials,
    /// For each of [`ORDERS`], whether a cell that is no spreadsheet number is a date
    /// in it.
    pub(super) is_read_in: [bool; ORDERS.len()],
    values: Values,
}

/// What the bare numbers of a column are like.
#[derive(Clone, Debug, Default)]
struct Values {
    below_one: usize,
    below_a_day: usize,
    over_fourteen: usize,
    in_quarters: usize,
    whole: usize,
    /// As in `9.3`.
    short_dots: usize,
    /// As in `10.15`.
    dotted_minutes: usize,
}

impl Values {
    fn add(&mut self, cell: &str) {
        self.short_dots += usize::from(short_dot(cell).is_some());
        let Some(number) = bare_number(cell) else { return };
        let is = |holds: bool| usize::from(holds);
        self.below_one += is(number < 1.0);
        self.below_a_day += is(number < 24.0);
        self.over_fourteen += is(number > 14.0);
        self.in_quarters += is((number * 4.0).fract() == 0.0);
        self.whole += is(number.fract() == 0.0);
    }
}

/// The spreadsheet numbers in a column.
#[derive(Clone, Debug, Default)]
pub(super) struct Serials {
    pub(super) count: usize,
    /// The first of them.
    pub(super) first: String,
}

impl Shape {
    pub(super) fn add(&mut self, row: u64, cell: &str) {
        let cell = trimmed(cell);
        match self.look_of(cell) {
            Look::Blank => return,
            look @ (Look::Date | Look::Moment) => {
                *(if look == Look::Date { &mut self.dates } else { &mut self.moments }) += 1;
                self.evidence.add(row, cell);
                self.note_orders(cell);
            }
            Look::WithoutYear => {
                self.dates += 1;
                self.without_year += 1;
                if let Some(date) = with_year(cell, ANY_YEAR) {
                    self.evidence.add_shown(row, cell, &date);
                    self.note_orders(&date);
                }
            }
            Look::Time => {
                self.times += 1;
                let is_dotted = cell.len() <= 5 && cell.contains('.');
                self.values.dotted_minutes += usize::from(is_dotted);
                // `1.25` may be a length as well.
                if is_dotted {
                    self.values.add(cell);
                }
            }
            Look::Number => {
                self.numbers += 1;
                self.values.add(cell);
                if is_serial(cell) {
                    if self.serials.count == 0 {
                        cell.clone_into(&mut self.serials.first);
                    }
                    self.serials.count += 1;
                }
            }
            Look::Text => self.texts += 1,
        }
        if self.samples.len() < SAMPLES && !self.samples.iter().any(|known| known == cell) {
            self.samples.push(cell.to_owned());
        }
    }

    fn note_orders(&mut self, cell: &str) {
        // Most columns show at once that they are none of numbers.
        if self.is_read_in == [true; ORDERS.len()] {
            return;
        }
        for (order, is_read) in ORDERS.into_iter().zip(&mut self.is_read_in) {
            *is_read = *is_read || read_date(cell, order).is_some();
        }
    }

    fn look_of(&self, cell: &str) -> Look {
        let Some(first) = cell.bytes().next() else { return Look::Blank };
        if cell.len() > LONGEST_TIME {
            return Look::Text;
        }
        if !first.is_ascii_digit() {
            let is_of_texts = self.texts >= SURELY_TEXT && self.dates + self.times + self.moments == 0;
            return if is_of_texts { Look::Text } else { look_of_words(cell) };
        }
        // The way most dates go.
        if cell.as_bytes().get(4) == Some(&b'-') {
            return look_of_time(cell);
        }
        if cell.bytes().all(|byte| byte.is_ascii_digit()) && cell.len() != 8 {
            return Look::Number;
        }
        if is_serial(cell) || is_decimal(cell) { Look::Number } else { look_of_time(cell) }
    }

    /// What the bare numbers count, if they are lengths and show it.
    pub(super) fn length_unit(&self) -> Option<LengthUnit> {
        let Values { below_one, below_a_day, over_fourteen, in_quarters, whole, .. } = self.values;
        let numbers = self.numbers + self.values.dotted_minutes;
        let all = |count: usize| count == numbers;
        if numbers == 0 {
            return Some(LengthUnit::default());
        }
        if all(below_one) && !all(whole) {
            Some(LengthUnit::Days)
        } else if all(below_a_day) && all(in_quarters) && !all(whole) {
            Some(LengthUnit::Hours)
        } else {
            all(over_fourteen).then_some(LengthUnit::Minutes)
        }
    }

    /// Whether it has times such as `9.3`.
    pub(super) fn has_short_dots(&self) -> bool {
        self.values.short_dots > 0
    }

    /// Whether it has times such as `10.15`.
    pub(super) fn has_dotted_minutes(&self) -> bool {
        self.values.dotted_minutes > 0
    }

    /// Whether its first cells are the names of weekdays.
    pub(super) fn holds_weekdays(&self) -> bool {
        !self.samples.is_empty() && self.samples.iter().all(|cell| weekday_of(cell).is_some())
    }

    /// Whether some date of it has a year, or none needs one.
    pub(super) fn says_years(&self) -> bool {
        self.without_year == 0 || self.without_year < self.dates
    }

    /// How many cells are filled.
    pub(super) fn filled(&self) -> usize {
        self.dates + self.times + self.moments + self.numbers + self.texts
    }

    /// What nearly all cells are.
    pub(super) fn holds(&self) -> Holds {
        let filled = self.filled();
        let are_nearly_all = |count: usize| count * 100 >= filled * NEARLY_ALL;
        // Among dates, spreadsheet numbers are dates as well; and among dates without a year
        // `2.1` is the second of January.
        let has_days = self.dates + self.moments > 0;
        let short = if self.without_year > 0 { self.values.short_dots } else { 0 };
        let dates = self.dates + short + if has_days { self.serials.count } else { 0 };
        if filled == 0 {
            Holds::Nothing
        } else if are_nearly_all(dates) && self.moments == 0 {
            Holds::Dates
        } else if self.moments > 0 && are_nearly_all(dates + self.moments) {
            Holds::Moments
        } else if self.times > 0
            && self.dates + self.moments == 0
            && are_nearly_all(self.times + self.numbers)
        {
            Holds::Times
        } else if are_nearly_all(self.numbers) {
            Holds::Numbers
        } else {
            Holds::Texts
        }
    }
}

/// `9.3`, `1,5`, `0.395833`.
pub(super) fn is_decimal(cell: &str) -> bool {
    let mut parts = cell.split(['.', ',']);
    let (Some(whole), Some(rest), None) = (parts.next(), parts.next(), parts.next()) else { return false };
    // Two digits behind the point are minutes, as likely as not.
    rest.len() != 2 && [whole, rest].iter().all(|part| part.bytes().all(|byte| byte.is_ascii_digit()))
}

fn look_of_time(cell: &str) -> Look {
    // The way most times go.
    if read_plain_time(cell).is_some() {
        return Look::Time;
    }
    let stated = ORDERS.into_iter().find_map(|order| read_date(cell, order));
    match stated.map(|stated| stated.time.is_some()) {
        Some(true) => Look::Moment,
        Some(false) => Look::Date,
        None if read_time(cell).is_some() || read_time_range(cell).is_some() => Look::Time,
        None => match ORDERS.into_iter().find_map(|order| read_range(cell, order)) {
            Some((begins, _)) if begins.time.is_some() => Look::Moment,
            Some(_) => Look::Date,
            None if is_without_year(cell) => Look::WithoutYear,
            None => Look::Text,
        },
    }
}

/// A leap year, in which every day of a month is.
const ANY_YEAR: i16 = 2024;

/// `9.9.`, `9/9`, `9 Sep 18:00`, `9.–11.9.`
fn is_without_year(cell: &str) -> bool {
    let date = |order| with_year(cell, ANY_YEAR).and_then(|cell| read_date(&cell, order));
    let range = |order| read_range(&format!("{}.{ANY_YEAR}", cell.strip_suffix('.')?), order);
    ORDERS.into_iter().any(|order| date(order).is_some() || range(order).is_some())
}

/// A cell that starts with a word: `Tue 1.9.2026`, `klo 9.30`, `noon`.
fn look_of_words(cell: &str) -> Look {
    let has_digit = cell.bytes().any(|byte| byte.is_ascii_digit());
    if has_digit {
        look_of_time(cell)
    } else if read_time(cell).is_some() {
        Look::Time
    } else {
        Look::Text
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_column_holds_what_nearly_all_of_its_cells_are() {
        for (cells, expected) in [
            (&["2026-09-09", "2026-10-25", ""][..], Holds::Dates),
            (&["9.9.2026", "Sun 25 Oct 2026", "26/10/2026"], Holds::Dates),
            (&["18:00", "9.30", "noon", "klo 14"], Holds::Times),
            (&["18:00", "14", "9"], Holds::Times),
            (&["2026-09-09 18:00", "2026-09-10"], Holds::Moments),
            (&["14", "9.3", "0.5"], Holds::Numbers),
            (&["46266", "46267.5"], Holds::Numbers),
            (&["Drill", "Pier 3", "2 boats"], Holds::Texts),
            (&["18:00", "18:30", "19:00", "20:00", "tbd"], Holds::Times),
            (&["18:00", "tbd"], Holds::Texts),
            (&["18–20 Uhr", "9:00-12:30"], Holds::Times),
            (&["9.–11.9.2026", "12.9.2026"], Holds::Dates),
            (&["", " "], Holds::Nothing),
        ] {
            let mut shape = Shape::default();
            for cell in cells {
                shape.add(2, cell);
            }
            assert_eq!(shape.holds(), expected, "{cells:?}");
        }
    }

    #[test]
    fn a_date_late_in_a_column_of_texts_is_found() {
        let mut shape = Shape::default();
        for _ in 0..100 {
            shape.add(2, "Watch");
        }
        shape.add(3, "2026-09-09");
        assert_eq!((shape.holds(), shape.dates, shape.samples.len()), (Holds::Texts, 1, 2));
    }
}
