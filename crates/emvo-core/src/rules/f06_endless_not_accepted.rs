//! `F06 endless-not-accepted`: a series without end that is not accepted.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};
use crate::fit::Acceptance;

declare_rule! {
    /// ## What it finds
    /// A series that never ends, where the destination wants an end.
    ///
    /// ## Why it matters
    /// The destination refuses it, or changes it on its own.
    ///
    /// ## Example
    /// `endless_series = false`.
    ///
    /// ## Repair
    /// Made to fit by `merge` and `convert` with `--limits`. By hand: `drop --reach
    /// onward --on DATE` ends it before a day.
    EndlessNotAccepted, "F06", "endless-not-accepted", RuleGroup::Fit, "a series without end that is not accepted"
}

impl Rule for EndlessNotAccepted {
    fn needs(&self) -> Traits {
        Traits::DESTINATION
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(limits) = &context.options.limits else { return };
        let is_endless =
            subject.recurrence.as_ref().is_some_and(emvo_ical::recurrence::Recurrence::is_endless);
        if limits.endless_series == Acceptance::Refused && is_endless {
            found.show(self, Level::Warning, subject, "never ends, which is not accepted".to_owned());
        }
    }
}
