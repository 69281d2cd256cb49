//! `R11 endless`: a series that never ends.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject};
use emvo_ical::recurrence::rule_in_words;

declare_rule! {
    /// ## What it finds
    /// A series without an end.
    ///
    /// ## Why it matters
    /// It is a fair thing to have. But some destinations keep only a few years of
    /// it or refuse it, and a table cannot hold its dates.
    ///
    /// ## Example
    /// `RRULE:FREQ=WEEKLY;BYDAY=MO` with neither `UNTIL` nor `COUNT`.
    ///
    /// ## Repair
    /// None: it is left as it is. What a destination takes is said in a limits
    /// file.
    Endless, "R11", "endless", RuleGroup::Recurrence, "a series that never ends"
}

impl Rule for Endless {
    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let (Some(master), Some(recurrence)) = (subject.series.master(), &subject.recurrence) else { return };
        let rule = recurrence.rules().find(|rule| rule.is_endless());
        if let Some(rule) = rule {
            let words = rule_in_words(&rule.to_string(), master.start(), context.zones);
            found.show(self, Level::Note, subject, format!("goes on for ever: {words}"));
        }
    }
}
