//! `D15 start-missing`: an event without a start.

use super::describe::declare_rule;
use super::source::{Place, SourceFacts};
use super::{Described, Findings, Level, Rule, RuleGroup, Safety};
use emvo_ical::calendar::EventError;

declare_rule! {
    /// ## What it finds
    /// An event without a start.
    ///
    /// ## Why it matters
    /// Nobody knows when it is; importers refuse it or put it on today.
    ///
    /// ## Example
    /// A `VEVENT` with a title and no `DTSTART`.
    ///
    /// ## Repair
    /// None: anything that writes sets the event aside with its original text.
    StartMissing, "D15", "start-missing", RuleGroup::Dates, "an event without a start"
}

impl Rule for StartMissing {
    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        for event in facts.unsound.iter().filter(|event| event.error == EventError::StartMissing) {
            let title = event.component.text("SUMMARY").unwrap_or_default();
            let place = Place::line(event.component.line());
            found.in_file(self.id(), Level::Error, place, &title, event.error.to_string(), Safety::ShowOnly);
        }
    }
}
