//! `C12 id-damaged`: an id that a spreadsheet has turned into a number.

use super::describe::declare_rule;
use super::source::{SourceFacts, report_notes};
use super::{Findings, Level, Rule, RuleGroup, Safety};
use crate::table::NoteKind;

declare_rule! {
    /// ## What it finds
    /// A cell in the column of ids such as `1,23E+18`: a spreadsheet took a long id for
    /// a number and kept its first digits. An id of digits that another input has whole,
    /// such as `42` for its `0042`, of an event with the same title.
    ///
    /// ## Why it matters
    /// Different events have the same cell then, and would be taken for one.
    ///
    /// ## Example
    /// `4,71E+17` in a column `uid`.
    ///
    /// ## Repair
    /// None: what was cut off stands nowhere. The row gets an id from its calendar, title
    /// and start, and the cell is carried along. Open the original with the column as
    /// text, or give Emvo the spreadsheet itself.
    IdDamaged, "C12", "id-damaged", RuleGroup::Tables, "an id that a spreadsheet has turned into a number"
}

impl Rule for IdDamaged {
    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        report_notes(self, NoteKind::IdDamaged, Level::Warning, Safety::ShowOnly, facts, found);
    }
}
