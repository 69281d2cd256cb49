//! `F07 reminders`: reminders that are not accepted.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};
use crate::fit::Acceptance;

declare_rule! {
    /// ## What it finds
    /// An event with reminders, where the destination takes none.
    ///
    /// ## Why it matters
    /// The destination refuses it, or changes it on its own.
    ///
    /// ## Example
    /// `reminders = false`.
    ///
    /// ## Repair
    /// Made to fit by `merge` and `convert` with `--limits`. By hand: `merge
    /// --reminders drop` leaves them out.
    RemindersNotAccepted, "F07", "reminders", RuleGroup::Fit, "reminders that are not accepted"
}

impl Rule for RemindersNotAccepted {
    fn needs(&self) -> Traits {
        Traits::DESTINATION
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(limits) = &context.options.limits else { return };
        let has_any = subject.series.events().any(|event| event.alarms().next().is_some());
        if limits.reminders == Acceptance::Refused && has_any {
            found.show(self, Level::Warning, subject, "has reminders, which are not accepted".to_owned());
        }
    }
}
