//! What bare numbers and ends mean in one table: found on the whole of it, or asked.
//!
//! | column | its numbers | and then they are |
//! |---|---|---|
//! | length | all below 1 | parts of a day |
//! | length | all below 24, in quarters, and not all whole | hours |
//! | length | all over 14 | minutes |
//! | time | `9.3`, and `10.15` beside it | 9:30: a spreadsheet dropped the nought |
//!
//! Whatever else they may be is for a person to say.

use jiff::civil::{Date, Time};

use super::cell::length;
use super::column::ColumnField;
use super::layout::Layout;
use super::notes::{Note, NoteKind};
use super::read::{ReadOptions, TableError};
use super::roles::Candidate;
use super::shape::Shape;
use emvo_ical::calendar::Duration;

/// What a bare number in a column of lengths counts.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum LengthUnit {
    /// Hours.
    Hours,
    /// Minutes.
    #[default]
    Minutes,
    /// Parts of a day, as a spreadsheet keeps a length.
    Days,
}

impl LengthUnit {
    /// The name in columns files and options.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Hours => "hours",
            Self::Minutes => "minutes",
            Self::Days => "days",
        }
    }
}

/// What stands behind the point in a time such as `9.3`.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ClockDot {
    /// Minutes, of which a nought was dropped: 9:30.
    Minutes,
    /// Tenths of an hour: 9:18.
    Tenths,
}

impl ClockDot {
    /// The name in columns files and options.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Minutes => "minutes",
            Self::Tenths => "tenths",
        }
    }
}

/// Which day the end of whole days names.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum AllDayEnds {
    /// The last one.
    Inclusive,
    /// The one behind the last.
    Exclusive,
}

impl AllDayEnds {
    /// The name in columns files and options.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Inclusive => "inclusive",
            Self::Exclusive => "exclusive",
        }
    }
}

/// What a table means by its numbers and ends.
#[derive(Clone, Debug, Default)]
pub(super) struct Habits {
    unit: LengthUnit,
    dot: Option<ClockDot>,
    pub(super) all_day_ends: Option<AllDayEnds>,
}

const TIMES: [ColumnField; 4] =
    [ColumnField::StartTime, ColumnField::EndTime, ColumnField::Start, ColumnField::End];

impl Habits {
    /// What the columns show, or a person has said.
    pub(super) fn of(layout: &Layout, shapes: &[Shape], options: &ReadOptions) -> Result<Self, TableError> {
        let file = options.columns_file.as_ref();
        let said = options.length_unit.or(file.and_then(|file| file.length_unit));
        let unit = match (said, layout.column(ColumnField::Duration)) {
            (Some(unit), _) => unit,
            (None, None) => LengthUnit::default(),
            (None, Some(at)) => layout.unit_of(at).map_or_else(
                || {
                    shapes[at]
                        .length_unit()
                        .ok_or_else(|| TableError::LengthUnit { column: Candidate::of(layout, shapes, at) })
                },
                Ok,
            )?,
        };
        let times = || TIMES.into_iter().filter_map(|field| layout.column(field));
        let odd = times().find(|at| shapes[*at].has_short_dots());
        let said = options.clock_dot.or(file.and_then(|file| file.clock_dot));
        let dot = match (said, odd) {
            (dot @ Some(_), _) => dot,
            (None, None) => None,
            (None, Some(_)) if times().any(|at| shapes[at].has_dotted_minutes()) => Some(ClockDot::Minutes),
            (None, Some(at)) => {
                return Err(TableError::ClockDot { column: Candidate::of(layout, shapes, at) });
            }
        };
        Ok(Self { unit, dot, all_day_ends: options.all_day_ends() })
    }

    /// A length; a bare number in the unit of the table.
    pub(super) fn length(&self, cell: &str) -> Option<Duration> {
        let Some(number) = bare_number(cell) else { return length(cell) };
        let seconds = match self.unit {
            LengthUnit::Hours => 3600.0,
            LengthUnit::Minutes => 60.0,
            LengthUnit::Days => 86_400.0,
        };
        #[allow(clippy::cast_possible_truncation, reason = "a number of a few digits, times a day")]
        Some(Duration::from_seconds((number * seconds).round() as i64))
    }

    /// `9.3` as this table means it.
    pub(super) fn dotted(&self, cell: &str) -> Option<Time> {
        let (hour, part) = short_dot(cell)?;
        let minute = match self.dot? {
            ClockDot::Minutes => part * 10,
            ClockDot::Tenths => part * 6,
        };
        Time::new(hour, minute, 0, 0).ok()
    }
}

/// The end of a whole-day row, as it is written.
#[derive(Clone, Copy, Debug)]
pub(super) struct WholeDaysEnd {
    /// The day of the start.
    pub(super) first: Date,
    /// The day that the end names.
    pub(super) end: Date,
    /// Whether it says midnight, rather than no time at all.
    pub(super) is_midnight: bool,
}

/// The ends of whole days in a table that says which rows are such.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct EndsSeen {
    /// On the day of the start: then it names the last day.
    same_day: usize,
    /// At midnight on a later day: by the letter that day is over before it begins.
    midnight: usize,
    /// Without a time, on the next day: two days by the letter.
    next_day: usize,
    /// Without a time, behind that.
    later: usize,
}

/// So many rows show a habit.
const ENOUGH: usize = 3;

impl EndsSeen {
    pub(super) fn add(&mut self, seen: WholeDaysEnd) {
        let WholeDaysEnd { first, end, is_midnight } = seen;
        let count = if end <= first {
            &mut self.same_day
        } else if is_midnight {
            &mut self.midnight
        } else if first.tomorrow().is_ok_and(|next| next == end) {
            &mut self.next_day
        } else {
            &mut self.later
        };
        *count += 1;
    }

    /// What enough rows show and none contradicts.
    pub(super) fn habit(self) -> Option<AllDayEnds> {
        match self {
            Self { same_day: 0, midnight: ENOUGH.., .. } | Self { same_day: 0, next_day: ENOUGH.., .. } => {
                Some(AllDayEnds::Exclusive)
            }
            Self { same_day: 1.., .. } => Some(AllDayEnds::Inclusive),
            _ => None,
        }
    }

    /// What a person should know of it, if nobody has said.
    pub(super) fn note(self, said: Option<AllDayEnds>) -> Option<Note> {
        let Self { midnight, next_day, later, .. } = self;
        let habit = self.habit();
        let (count, at, reading) = match habit {
            Some(AllDayEnds::Inclusive) => (midnight, "at midnight on", "that day, as other rows show"),
            _ if midnight > 0 => (midnight, "at midnight on", "the day before, since it begins at midnight"),
            // By the letter the end is the last day, as people write it.
            None => return None,
            Some(AllDayEnds::Exclusive) => {
                (next_day + later, "on", "the day before, since no row ends on the day that it starts")
            }
        };
        let rows = if count == 1 { "one row".to_owned() } else { format!("{count} rows") };
        (said.is_none() && count > 0).then(|| Note {
            kind: NoteKind::AllDayEnds,
            row: None,
            title: String::new(),
            words: format!(
                "{rows} of whole days with an end {at} a later day: the last day is taken to be {reading}"
            ),
        })
    }
}

/// The longest number that is no code or id.
const LONGEST_NUMBER: usize = 8;

/// A cell that is a number and nothing else.
pub(super) fn bare_number(cell: &str) -> Option<f64> {
    let is_number = cell.len() <= LONGEST_NUMBER
        && cell.bytes().all(|byte| byte.is_ascii_digit() || matches!(byte, b'.' | b','))
        && cell.bytes().filter(|byte| !byte.is_ascii_digit()).count() <= 1;
    if is_number { cell.replace(',', ".").parse().ok() } else { None }
}

/// The hour and the one digit of `9.3`; `0.5` is a part of a day.
pub(super) fn short_dot(cell: &str) -> Option<(i8, i8)> {
    let (hour, part) = cell.split_once(['.', ','])?;
    let are_digits = [hour, part].iter().all(|text| text.bytes().all(|byte| byte.is_ascii_digit()));
    let is_short = part.len() == 1 && (1..=2).contains(&hour.len()) && hour != "0";
    (are_digits && is_short).then_some((hour.parse().ok()?, part.parse().ok()?))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bare_numbers_are_what_the_table_means() {
        let lengths = |unit| Habits { unit, ..Habits::default() };
        for (unit, cell, minutes) in [
            (LengthUnit::Hours, "1.5", 90),
            (LengthUnit::Hours, "2", 120),
            (LengthUnit::Minutes, "45", 45),
            (LengthUnit::Days, "0,0625", 90),
            (LengthUnit::Hours, "45 min", 45),
            (LengthUnit::Days, "1:30", 90),
        ] {
            let found = lengths(unit).length(cell).map(|length| length.days * 1440 + length.seconds / 60);
            assert_eq!(found, Some(minutes), "{cell}");
        }
        let dots = |dot| Habits { dot: Some(dot), ..Habits::default() };
        for (dot, cell, expected) in [
            (ClockDot::Minutes, "9.3", Some("09:30:00")),
            (ClockDot::Tenths, "9,5", Some("09:30:00")),
            (ClockDot::Minutes, "10.15", None),
            (ClockDot::Minutes, "0.5", None),
        ] {
            let found = dots(dot).dotted(cell).map(|time| time.to_string());
            assert_eq!(found.as_deref(), expected, "{cell}");
        }
        assert_eq!(Habits::default().dotted("9.3"), None);
    }
}
