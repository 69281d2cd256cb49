//! `T21 old-form`: a calendar from before the standard.

use std::collections::BTreeMap;

use super::describe::declare_rule;
use super::source::{Place, SourceFacts};
use super::{Described, Findings, Level, Rule, RuleGroup, Safety};

declare_rule! {
    /// ## What it finds
    /// A calendar of `VERSION:1.0`, the form that was in use before RFC 2445. It has
    /// rules such as `W2 TU TH #8`, offsets in place of zones, reminders in one line
    /// and texts in quoted-printable.
    ///
    /// ## Why it matters
    /// Most importers refuse it. Some read it as if it were of today, and lose its
    /// rules and reminders.
    ///
    /// ## Example
    /// An archive of a phone or an organiser of 2003.
    ///
    /// ## Repair
    /// Safe: every command that writes puts it into the form of today. What the
    /// standard has no place for is counted, and goes along under names that begin
    /// with `X-VCAL-`. A rule without a sure counterpart stays as it stands (R03).
    OldForm, "T21", "old-form", RuleGroup::Text, "a calendar from before the standard"
}

impl Rule for OldForm {
    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        for unplaced in facts.old_forms {
            let message = old_form_in_words(unplaced);
            found.in_file(self.id(), Level::Warning, Place::default(), "", message, Safety::Safe);
        }
    }
}

/// That a calendar is from before the standard, and what of it the standard has no
/// place for.
pub fn old_form_in_words(unplaced: &BTreeMap<String, usize>) -> String {
    let names: Vec<String> = unplaced.iter().map(|(name, count)| format!("{count} {name}")).collect();
    let rest = if names.is_empty() {
        "all that it says has a place in the form of today".to_owned()
    } else {
        format!("without a place in the form of today, and carried along: {}", names.join(", "))
    };
    format!("is a VERSION:1.0 calendar; {rest}")
}
