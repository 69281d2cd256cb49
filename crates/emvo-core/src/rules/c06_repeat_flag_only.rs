//! `C06 repeat-flag-only`: a row that repeats without saying how.

use super::describe::declare_rule;
use super::source::{SourceFacts, report_notes};
use super::{Findings, Level, Rule, RuleGroup, Safety};
use crate::table::NoteKind;

declare_rule! {
    /// ## What it finds
    /// A row that is flagged as repeating, with no rule to say how.
    ///
    /// ## Why it matters
    /// Only its first date is in the calendar.
    ///
    /// ## Example
    /// `yes` in a column `Repeats`.
    ///
    /// ## Repair
    /// None: write how in the cell, such as `every 2 weeks on Tue until
    /// 2027-06-30`, or for all such rows `convert --repeat-rule "every year"`. The
    /// flag is carried along.
    RepeatFlagOnly, "C06", "repeat-flag-only", RuleGroup::Tables, "a row that repeats without saying how"
}

impl Rule for RepeatFlagOnly {
    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        report_notes(self, NoteKind::RepeatFlagOnly, Level::Warning, Safety::ShowOnly, facts, found);
    }
}
