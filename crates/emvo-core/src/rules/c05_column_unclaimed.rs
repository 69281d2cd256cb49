//! `C05 column-unclaimed`: a column that is no field of an event.

use super::describe::declare_rule;
use super::source::{SourceFacts, report_notes};
use super::{Findings, Level, Rule, RuleGroup, Safety};
use crate::table::NoteKind;

declare_rule! {
    /// ## What it finds
    /// A column whose header is none of the words for a field.
    ///
    /// ## Why it matters
    /// Nothing shows it in a calendar. It may hold what people look for.
    ///
    /// ## Example
    /// `Vessel` with the name of a ship in every row.
    ///
    /// ## Repair
    /// It is carried along with every event and comes back under its header when a
    /// table is written. `--column location="Vessel"` makes it a field.
    ColumnUnclaimed, "C05", "column-unclaimed", RuleGroup::Tables, "a column that is no field of an event"
}

impl Rule for ColumnUnclaimed {
    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        report_notes(self, NoteKind::ColumnUnclaimed, Level::Note, Safety::ShowOnly, facts, found);
    }
}
