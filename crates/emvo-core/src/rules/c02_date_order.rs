//! `C02 date-order`: dates that read day first and month first.

use super::describe::declare_rule;
use super::source::{Place, SourceFacts};
use super::{Described, Findings, Level, Rule, RuleGroup, Safety};
use crate::advice::{Advice, Advised};
use crate::table::TableError;

declare_rule! {
    /// ## What it finds
    /// A table whose dates read equally well day first and month first, or that
    /// contradicts itself.
    ///
    /// ## Why it matters
    /// Guessed wrongly, half of the events are months off, and none looks wrong.
    ///
    /// ## Example
    /// `03/04/2026` as the only kind of date in the table.
    ///
    /// ## Repair
    /// None: `--date-order day` or `--date-order month` says which. Commands that
    /// write refuse the table until then. One date that reads one way alone, such
    /// as `25/04/2026`, decides the whole table.
    DateOrder, "C02", "date-order", RuleGroup::Tables, "dates that read day first and month first"
}

impl Rule for DateOrder {
    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        if let Some(TableError::Order { evidence }) = &facts.undecided {
            let message = format!("day and month cannot be told apart: {evidence}");
            let message = Advised::with(message, Advice::SayDateOrder);
            found.in_file(self.id(), Level::Error, Place::default(), "", message, Safety::ShowOnly);
        }
    }
}
