//! `U07 cancelled`: an event that does not take place.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject};
use emvo_ical::calendar::Status;

declare_rule! {
    /// ## What it finds
    /// A single event that is cancelled.
    ///
    /// ## Why it matters
    /// Many importers show it as if it took place.
    ///
    /// ## Example
    /// `STATUS:CANCELLED`.
    ///
    /// ## Repair
    /// None needed: it is counted apart everywhere. `drop --finding U07` leaves it
    /// out.
    Cancelled, "U07", "cancelled", RuleGroup::Identity, "an event that does not take place"
}

impl Rule for Cancelled {
    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        let lead = subject.series.lead();
        if !subject.series.repeats() && lead.status() == Status::Cancelled {
            let message = "is cancelled; an importer may show it as if it took place".to_owned();
            found.show(self, Level::Note, subject, message);
        }
    }
}
