//! `T09 reminders-many`: more than one reminder.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};

declare_rule! {
    /// ## What it finds
    /// An event with more than one reminder.
    ///
    /// ## Why it matters
    /// After an import they ring for everybody who sees the calendar, also for what
    /// is long over.
    ///
    /// ## Example
    /// Three reminders on a daily watch.
    ///
    /// ## Repair
    /// None needed: `merge --reminders drop` leaves them out.
    RemindersMany, "T09", "reminders-many", RuleGroup::Text, "more than one reminder"
}

impl Rule for RemindersMany {
    fn needs(&self) -> Traits {
        Traits::INSIDE
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        let most = subject.series.events().map(|event| event.alarms().count()).max().unwrap_or(0);
        if most > 1 {
            found.show(self, Level::Note, subject, format!("has {most} reminders"));
        }
    }
}
