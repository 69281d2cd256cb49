//! `R11 endless`: a series that never ends, or not in the time of its users.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};
use emvo_ical::calendar::EventTime;
use emvo_ical::recurrence::rule_in_words;

/// Years for which a series is planned at most.
const LONGEST: i16 = 30;

declare_rule! {
    /// ## What it finds
    /// A series without an end, or one that ends more than thirty years after it starts.
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
    Endless, "R11", "endless", RuleGroup::Recurrence, "a series that never ends, or decades from now"
}

impl Rule for Endless {
    fn needs(&self) -> Traits {
        Traits::REPEATS
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let (Some(master), Some(recurrence)) = (subject.series.master(), &subject.recurrence) else { return };
        let rule = recurrence.rules().find(|rule| rule.is_endless());
        if let Some(rule) = rule {
            let words = rule_in_words(&rule.to_string(), master.start(), context.zones);
            found.show(self, Level::Note, subject, format!("goes on for ever: {words}"));
            return;
        }
        let start = master.start().date();
        let last = recurrence.rules().filter_map(|rule| rule.until.as_ref()).map(EventTime::date).max();
        if let Some(last) = last.filter(|last| last.year() - start.year() > LONGEST) {
            let message = format!("goes on until {last}, as good as for ever: it starts on {start}");
            found.show(self, Level::Note, subject, message);
        }
    }
}
