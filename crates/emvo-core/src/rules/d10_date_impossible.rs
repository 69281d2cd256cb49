//! `D10 date-impossible`: a date that no calendar has.

use super::describe::declare_rule;
use super::source::{Place, SourceFacts};
use super::{Described, Findings, Level, Rule, RuleGroup, Safety};
use emvo_ical::calendar::{EventError, TimeError};

declare_rule! {
    /// ## What it finds
    /// An event with a date or a time that does not exist.
    ///
    /// ## Why it matters
    /// Importers refuse the event or move it, most of them without a word.
    ///
    /// ## Example
    /// `DTSTART:20260230T080000`, or 24:61 o'clock.
    ///
    /// ## Repair
    /// None: nobody can know the day. Anything that writes sets the event aside
    /// with its original text.
    DateImpossible, "D10", "date-impossible", RuleGroup::Dates, "a date that no calendar has"
}

impl Rule for DateImpossible {
    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        for event in &facts.unsound {
            if matches!(&event.error, EventError::Time { error: TimeError::Impossible { .. }, .. }) {
                let title = event.component.text("SUMMARY").unwrap_or_default();
                let place = Place::line(event.component.line());
                found.in_file(
                    self.id(),
                    Level::Error,
                    place,
                    &title,
                    event.error.to_string(),
                    Safety::ShowOnly,
                );
            }
        }
    }
}
