//! `C04 date-lost`: a cell in which a spreadsheet has lost a date.

use super::describe::declare_rule;
use super::source::{Place, SourceFacts};
use super::{Described, Findings, Level, Rule, RuleGroup, Safety};
use crate::table::RowFault;

declare_rule! {
    /// ## What it finds
    /// `####`, `#VALUE!` and the like where a date should be.
    ///
    /// ## Why it matters
    /// The spreadsheet wrote what it showed: a column that was too narrow, or a
    /// formula that failed. The date itself is not in the file any more.
    ///
    /// ## Example
    /// `########` in the column of the start.
    ///
    /// ## Repair
    /// None: the row is set aside. Widen the column in the spreadsheet, or mend
    /// its formula, and save it as CSV again.
    DateLost, "C04", "date-lost", RuleGroup::Tables, "a cell in which a spreadsheet has lost a date"
}

impl Rule for DateLost {
    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        for row in facts.rows.iter().filter(|row| row.fault == RowFault::DateLost) {
            let title = row.cells.iter().find(|cell| !cell.trim().is_empty()).map_or("", |cell| cell.trim());
            let place = Place::row(Some(row.row));
            found.in_file(self.id(), Level::Error, place, title, row.reason.clone(), Safety::ShowOnly);
        }
    }
}
