//! `F07 reminders`: reminders that are not accepted.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};
use crate::fit::Acceptance;

declare_rule! {
    /// ## What it finds
    /// An event with reminders, where the destination takes none, or with more of them than
    /// it takes.
    ///
    /// ## Why it matters
    /// The destination refuses it, or forgets them.
    ///
    /// ## Example
    /// `reminders = false`, `reminders_per_event = 1`.
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
        let most = subject.series.events().map(|event| event.alarms().count()).max().unwrap_or(0);
        if limits.reminders == Acceptance::Refused && most > 0 {
            found.show(self, Level::Warning, subject, "has reminders, which are not accepted".to_owned());
        } else if let Some(taken) = limits.reminders_per_event.filter(|taken| most > *taken) {
            let message = format!("has {most} reminders, and {taken} of an event are taken");
            found.show(self, Level::Warning, subject, message);
        }
    }
}
