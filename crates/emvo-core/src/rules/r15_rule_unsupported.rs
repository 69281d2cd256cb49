//! `R15 rule-unsupported`: a rule that nobody here can expand.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};
use emvo_ical::recurrence::{Rule as RecurrenceRule, is_unsupported};

declare_rule! {
    /// ## What it finds
    /// A rule that counts in another calendar than ours (`RSCALE` of RFC 7529, with
    /// anything but `GREGORIAN`), or a `SKIP` without a calendar.
    ///
    /// ## Why it matters
    /// Few systems can expand it. Its dates are in no count of occurrences, so
    /// nothing can be proved about them.
    ///
    /// ## Example
    /// `RRULE:RSCALE=CHINESE;FREQ=YEARLY`.
    ///
    /// ## Repair
    /// None: the series is carried as it is, and named wherever dates are counted.
    RuleUnsupported, "R15", "rule-unsupported", RuleGroup::Recurrence, "a rule that cannot be expanded here"
}

impl Rule for RuleUnsupported {
    fn needs(&self) -> Traits {
        Traits::REPEATS
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        let Some(master) = subject.series.master() else { return };
        for text in master.rules() {
            if RecurrenceRule::parse(&text).is_err_and(|error| is_unsupported(&error)) {
                let message =
                    format!("its rule `{text}` counts in another calendar; its dates are in no count");
                found.show(self, Level::Error, subject, message);
            }
        }
    }
}
