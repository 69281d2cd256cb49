//! `C10 cell-unused`: a cell that its column should have used and could not.

use super::describe::declare_rule;
use super::source::{SourceFacts, report_notes};
use super::{Findings, Level, Rule, RuleGroup, Safety};
use crate::table::NoteKind;

declare_rule! {
    /// ## What it finds
    /// A cell in a column such as `private`, `busy` or `status` whose word is none
    /// that is known.
    ///
    /// ## Why it matters
    /// What it says is not in the event. In the column of privacy somebody marked
    /// the event, so it is taken for private rather than shown to everybody.
    ///
    /// ## Example
    /// `crew only` in a column `Private`.
    ///
    /// ## Repair
    /// None: write `yes`, `no` or a word such as `private`, `free` or `tentative`.
    /// The cell is carried along.
    CellUnused, "C10", "cell-unused", RuleGroup::Tables, "a cell that its column should have used and could not"
}

impl Rule for CellUnused {
    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        report_notes(self, NoteKind::CellUnused, Level::Warning, Safety::ShowOnly, facts, found);
    }
}
