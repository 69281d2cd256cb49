//! `T16 calendars-several`: a file that holds more than one calendar.

use super::describe::declare_rule;
use super::source::{Place, SourceFacts};
use super::{Described, Findings, Level, Rule, RuleGroup, Safety};

declare_rule! {
    /// ## What it finds
    /// A file with more than one `VCALENDAR`.
    ///
    /// ## Why it matters
    /// The standard allows it, and importers differ: many read the first calendar and
    /// say nothing of the others, some refuse the file, some put all events together.
    ///
    /// ## Example
    /// An archive of the office and the crew in one file.
    ///
    /// ## Repair
    /// None: whether they are one calendar is yours to say. `merge` makes one of them,
    /// `pick --calendar` takes one out.
    CalendarsSeveral, "T16", "calendars-several", RuleGroup::Text, "a file that holds more than one calendar"
}

impl Rule for CalendarsSeveral {
    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        let calendars = &facts.calendars;
        if calendars.len() < 2 {
            return;
        }
        let names: Vec<String> = calendars
            .iter()
            .filter(|calendar| calendar.states_name())
            .map(|calendar| calendar.name())
            .collect();
        let names = if names.is_empty() { String::new() } else { format!(" ({})", names.join(", ")) };
        let message =
            format!("holds {} calendars{names}; many importers read the first alone", calendars.len());
        found.in_file(self.id(), Level::Warning, Place::default(), "", message, Safety::ShowOnly);
    }
}
