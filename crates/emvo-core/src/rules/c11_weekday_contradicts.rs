//! `C11 weekday-contradicts`: a weekday beside a date that is another day.

use super::describe::declare_rule;
use super::source::{SourceFacts, report_notes};
use super::{Findings, Level, Rule, RuleGroup, Safety};
use crate::table::NoteKind;

declare_rule! {
    /// ## What it finds
    /// A row with a weekday in front of its date, or in a column of weekdays, that is
    /// not the weekday of the date.
    ///
    /// ## Why it matters
    /// One of the two is wrong: often the rows of last year were copied, and the dates
    /// were changed and the weekdays not, or the other way round.
    ///
    /// ## Example
    /// `Tue 7.9.2026`, which is a Monday.
    ///
    /// ## Repair
    /// None: the date is taken as it stands. Look at the row, and ask whoever wrote it.
    WeekdayContradicts, "C11", "weekday-contradicts", RuleGroup::Tables, "a weekday beside a date that is another day"
}

impl Rule for WeekdayContradicts {
    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        report_notes(self, NoteKind::WeekdayContradicts, Level::Warning, Safety::ShowOnly, facts, found);
    }
}
