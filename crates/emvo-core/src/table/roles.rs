//! What each column is for, by its header and by what stands in it.
//!
//! The header proposes a role, and the cells accept it or not. `Start` above clock
//! times beside a column of dates is the time of the start; a column called `Time`
//! that holds days with times is the start itself. What a person has settled stays.
//!
//! | header says | cells are | and then |
//! |---|---|---|
//! | start, start date | times | it is the time of the start, if a column of dates says the day |
//! | start time | days, days with times | it is the day of the start, the start |
//! | end, end date | times | it is the time of the end |
//! | end time | days, days with times | it is the day of the end, the end |
//! | start date, beside a start with days | days | it is a column that is carried along |

use super::column::ColumnField;
use super::layout::Layout;
use super::read::TableError;
use super::shape::{Holds, Shape};

/// A column that a person may have to decide about, with some of its cells.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Candidate {
    /// Its header, or `column 3`.
    pub header: String,
    /// Its number, from 1.
    pub number: usize,
    /// Its first cells.
    pub samples: Vec<String>,
}

impl Candidate {
    pub(super) fn of(layout: &Layout, shapes: &[Shape], at: usize) -> Self {
        let samples = shapes.get(at).map(|shape| shape.samples.clone()).unwrap_or_default();
        Self { header: layout.name_of(at).into_owned(), number: at + 1, samples }
    }

    /// `` `Anlass` (Drill, Muster, Watch) ``.
    pub(super) fn words(&self) -> String {
        format!("`{}` ({})", self.header, self.samples.join(", "))
    }
}

/// The roles of the columns, as header and cells together say; `settled` are the
/// places that a person has decided about.
pub(super) fn settle(layout: &mut Layout, shapes: &[Shape], settled: &[usize]) {
    let mut roles = Roles { layout, shapes, settled };
    roles.of_rivals();
    roles.of_start();
    roles.of_end();
    roles.without_a_second_day();
}

struct Roles<'r> {
    layout: &'r mut Layout,
    shapes: &'r [Shape],
    settled: &'r [usize],
}

impl Roles<'_> {
    /// What a column holds whose header says that it is about times: its numbers are
    /// times of day, or days as a spreadsheet counts them.
    fn holds(&self, at: usize) -> Holds {
        let Some(shape) = self.shapes.get(at) else { return Holds::Nothing };
        match shape.holds() {
            Holds::Numbers if shape.serials.count > 0 => Holds::Moments,
            Holds::Numbers => Holds::Times,
            other => other,
        }
    }

    /// The column for a field, if its cells are such and nobody has settled it.
    fn open(&self, field: ColumnField, holds: &[Holds]) -> Option<usize> {
        let at = self.layout.column(field).filter(|at| !self.settled.contains(at))?;
        holds.contains(&self.holds(at)).then_some(at)
    }

    fn is_free(&self, field: ColumnField) -> bool {
        self.layout.column(field).is_none()
    }

    /// Gives a column another role, if no other column has it.
    fn turn(&mut self, at: usize, field: ColumnField) {
        if self.is_free(field) {
            self.layout.settle(field, at);
        }
    }

    /// Of two columns whose headers say the same, the one whose cells can be that: `Dag`
    /// has weekdays, `Datum` has the days.
    fn of_rivals(&mut self) {
        for (field, one, two) in self.layout.rivals.clone() {
            match [one, two].map(|at| self.can_be(field, at)) {
                [true, false] => self.layout.settle(field, one),
                [false, true] => self.layout.settle(field, two),
                _ => {}
            }
        }
    }

    fn can_be(&self, field: ColumnField, at: usize) -> bool {
        use ColumnField::{End, EndDate, EndTime, RepeatUntil, Start, StartDate, StartTime};
        let shape = self.shapes.get(at);
        let is_text = shape.is_some_and(|shape| shape.holds() == Holds::Texts);
        let names_weekdays = shape.is_some_and(Shape::holds_weekdays);
        match (field, self.holds(at)) {
            (_, Holds::Nothing) => false,
            _ if names_weekdays => false,
            (StartDate | EndDate | RepeatUntil, holds) => matches!(holds, Holds::Dates | Holds::Moments),
            (StartTime | EndTime, holds) => holds == Holds::Times,
            (Start | End, holds) => holds != Holds::Texts,
            _ => is_text,
        }
    }

    fn of_start(&mut self) {
        use ColumnField::{Start, StartDate, StartTime};
        let days = [Holds::Dates, Holds::Moments];
        if let Some(at) = self.open(StartTime, &days) {
            let field = if self.holds(at) == Holds::Dates { StartDate } else { Start };
            self.turn(at, field);
        }
        for field in [Start, StartDate] {
            let other = if field == Start { StartDate } else { Start };
            let day = self.layout.column(other).filter(|at| days.contains(&self.holds(*at)));
            if let Some(at) = self.open(field, &[Holds::Times])
                && let Some(day) = day.or_else(|| self.only_free_day())
                && self.is_free(StartTime)
            {
                self.layout.settle(StartTime, at);
                if self.layout.fields[day].is_none() {
                    self.layout.settle(StartDate, day);
                }
            }
        }
    }

    /// The one column of days that no header has claimed, if there is one.
    fn only_free_day(&self) -> Option<usize> {
        let is_day =
            |at: &usize| self.layout.fields[*at].is_none() && self.shapes[*at].holds() == Holds::Dates;
        let mut days = (0..self.layout.fields.len()).filter(is_day);
        days.next().filter(|_| days.next().is_none())
    }

    fn of_end(&mut self) {
        use ColumnField::{End, EndDate, EndTime};
        if let Some(at) = self.open(EndTime, &[Holds::Dates, Holds::Moments]) {
            let field = if self.holds(at) == Holds::Dates { EndDate } else { End };
            self.turn(at, field);
        }
        for field in [End, EndDate] {
            if let Some(at) = self.open(field, &[Holds::Times]) {
                self.turn(at, EndTime);
            }
        }
    }

    /// A column of days beside one of days with times says the day a second time: it
    /// must not take the times' place.
    fn without_a_second_day(&mut self) {
        for (whole, day) in
            [(ColumnField::Start, ColumnField::StartDate), (ColumnField::End, ColumnField::EndDate)]
        {
            if self.layout.column(whole).is_some_and(|at| self.holds(at) == Holds::Moments)
                && let Some(at) = self.open(day, &[Holds::Dates])
            {
                self.layout.fields[at] = None;
                self.layout.carried.push(at);
            }
        }
    }
}

/// What a person has to say before anything can be written.
pub(super) fn ensure_settled(layout: &Layout, shapes: &[Shape]) -> Result<(), TableError> {
    let holds = |at: usize| shapes.get(at).map_or(Holds::Nothing, Shape::holds);
    let has_title =
        [ColumnField::Title, ColumnField::Replaces].iter().any(|field| layout.column(*field).is_some());
    if !has_title {
        let may_be_title = |at: &usize| {
            let is_free = layout.fields[*at].is_none_or(|field| TEXTS.contains(&field));
            is_free && holds(*at) == Holds::Texts
        };
        let places = (0..layout.fields.len()).filter(may_be_title);
        let candidates: Vec<Candidate> = places.map(|at| Candidate::of(layout, shapes, at)).collect();
        if !candidates.is_empty() {
            return Err(TableError::NoTitle { candidates });
        }
    }
    let is_for_nothing = |at: &usize| {
        layout.fields[*at].is_none()
            && matches!(holds(*at), Holds::Dates | Holds::Times | Holds::Moments)
            && !layout.carried.contains(at)
            && !layout.is_stamp(*at)
            // `1/2` is half of something as likely as a day.
            && shapes[*at].says_years()
    };
    match (0..layout.fields.len()).find(is_for_nothing) {
        Some(at) => Err(TableError::NoRole {
            column: Candidate::of(layout, shapes, at),
            field: if holds(at) == Holds::Times { "start_time" } else { "start_date" },
        }),
        None => Ok(()),
    }
}

/// Two columns that have an equal right to a field are a question, whoever wrote the
/// table.
pub(super) fn ensure_no_rivals(layout: &Layout) -> Result<(), TableError> {
    match layout.rivals.first() {
        None => Ok(()),
        Some((field, one, two)) => Err(TableError::Rivals {
            field: field.name(),
            one: layout.headers[*one].clone(),
            one_at: one + 1,
            two: layout.headers[*two].clone(),
            two_at: two + 1,
        }),
    }
}

/// Fields whose column may have the title in it, where nothing says which has.
const TEXTS: [ColumnField; 3] = [ColumnField::Location, ColumnField::Description, ColumnField::Category];
