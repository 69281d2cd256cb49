//! `C01 row-unreadable`: a row of a table that is no event.

use super::describe::declare_rule;
use super::source::{Place, SourceFacts};
use super::{Described, Findings, Level, Rule, RuleGroup, Safety};
use crate::table::RowFault;

declare_rule! {
    /// ## What it finds
    /// A row without a start that can be read, or with a date that does not exist.
    /// A totals line is one, too, as a note.
    ///
    /// ## Why it matters
    /// Most importers leave such a row out without a word.
    ///
    /// ## Example
    /// `31/02/2026` in the column of the start.
    ///
    /// ## Repair
    /// None: the row is set aside as it stands, with its number and the reason.
    /// Correct it there or in the table, and read it again.
    RowUnreadable, "C01", "row-unreadable", RuleGroup::Tables, "a row of a table that is no event"
}

impl Rule for RowUnreadable {
    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        for row in facts.rows {
            let level = match row.fault {
                RowFault::Unreadable => Level::Error,
                RowFault::Totals => Level::Note,
                RowFault::DateLost => continue,
            };
            let title = row.cells.iter().find(|cell| !cell.trim().is_empty()).map_or("", |cell| cell.trim());
            let place = Place::row(Some(row.row));
            found.in_file(self.id(), level, place, title, row.reason.clone(), Safety::ShowOnly);
        }
    }
}
