//! `C07 title-missing`: a row without a title.

use super::describe::declare_rule;
use super::source::{SourceFacts, report_notes};
use super::{Findings, Level, Rule, RuleGroup, Safety};
use crate::table::NoteKind;

declare_rule! {
    /// ## What it finds
    /// A row without a title.
    ///
    /// ## Why it matters
    /// Some importers refuse it, others show an empty line.
    ///
    /// ## Example
    /// A start and an end, and nothing in the column of titles.
    ///
    /// ## Repair
    /// It is called `(untitled)`, and listed: safe.
    TitleMissing, "C07", "title-missing", RuleGroup::Tables, "a row without a title"
}

impl Rule for TitleMissing {
    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        report_notes(self, NoteKind::TitleMissing, Level::Warning, Safety::Safe, facts, found);
    }
}
