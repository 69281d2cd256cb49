//! `C09 column-unsettled`: a column that a person has to decide about.

use super::describe::declare_rule;
use super::source::{Place, SourceFacts, report_notes};
use super::{Described, Findings, Level, Rule, RuleGroup, Safety};
use crate::advice::Advised;
use crate::table::{NoteKind, TableError};

declare_rule! {
    /// ## What it finds
    /// A table in which no column is sure to be the title, two columns are equally
    /// likely to be a field, a column of dates or times is for nothing, or dates have
    /// no year. A year that stands above the table is taken, and told.
    ///
    /// ## Why it matters
    /// A guess would give events other titles, or leave their times out, and nothing
    /// would look wrong.
    ///
    /// ## Example
    /// `Anlass;Beginn;Ende`, where no word of the header is known to be a title.
    ///
    /// ## Repair
    /// None: `--column title="Anlass"` says which column it is, `--column
    /// carried="Erledigt"` that a column is no field, and `--year 2026` which year it
    /// is. Commands that write refuse the table until then.
    ColumnUnsettled, "C09", "column-unsettled", RuleGroup::Tables, "a column that a person has to decide about"
}

impl Rule for ColumnUnsettled {
    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        if let Some(error) = &facts.undecided
            && !matches!(error, TableError::Order { .. })
        {
            let message = Advised { message: error.to_string(), advice: error.advice() };
            found.in_file(self.id(), Level::Error, Place::default(), "", message, Safety::ShowOnly);
        }
        report_notes(self, NoteKind::YearTaken, Level::Note, Safety::ShowOnly, facts, found);
    }
}
