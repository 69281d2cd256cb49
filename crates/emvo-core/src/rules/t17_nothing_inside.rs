//! `T17 nothing-inside`: a calendar without an entry.

use super::describe::declare_rule;
use super::source::{Place, SourceFacts};
use super::{Described, Findings, Level, Rule, RuleGroup, Safety};
use emvo_ical::calendar::Calendar;

declare_rule! {
    /// ## What it finds
    /// A calendar file in which there is no event, no task and no other entry.
    ///
    /// ## Why it matters
    /// It imports without an error, and the calendar stays empty. An export that ran
    /// while nobody was signed in looks like this.
    ///
    /// ## Example
    /// `BEGIN:VCALENDAR`, `VERSION:2.0`, `END:VCALENDAR` and nothing between.
    ///
    /// ## Repair
    /// None: export it again, and compare the number of events with what the old
    /// system shows.
    NothingInside, "T17", "nothing-inside", RuleGroup::Text, "a calendar without an entry"
}

impl Rule for NothingInside {
    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        // What could not be read is told by its own rules.
        let is_empty =
            |calendar: &&Calendar<'_>| calendar.counts().total() == 0 && calendar.unsound.is_empty();
        if facts.faults.is_empty() && facts.is_calendar_file() && facts.calendars.iter().all(is_empty) {
            let message = "has no event, no task and no other entry: was it exported whole?".to_owned();
            found.in_file(self.id(), Level::Warning, Place::default(), "", message, Safety::ShowOnly);
        }
    }
}
