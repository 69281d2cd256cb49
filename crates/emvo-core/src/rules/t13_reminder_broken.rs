//! `T13 reminder-broken`: a reminder that cannot ring.

use super::describe::declare_rule;
use super::event_edit::{EventEdit, can_ring};
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};

declare_rule! {
    /// ## What it finds
    /// A reminder without a moment or without saying what to do, or one counted
    /// from an end that the event does not have.
    ///
    /// ## Why it matters
    /// Some importers refuse the whole event for it.
    ///
    /// ## Example
    /// A `VALARM` without `TRIGGER`.
    ///
    /// ## Repair
    /// One that only lacks its action is shown: safe. One that cannot ring goes,
    /// with consent.
    ReminderBroken, "T13", "reminder-broken", RuleGroup::Text, "a reminder that cannot ring"
}

impl Rule for ReminderBroken {
    fn needs(&self) -> Traits {
        Traits::INSIDE
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        for event in subject.series.events() {
            let has_end = !event.lacks_end();
            let broken = event.alarms().filter(|alarm| !can_ring(alarm, has_end)).count();
            let silent = event.alarms().filter(|alarm| alarm.property("ACTION").is_none()).count();
            let (safety, message) = match (broken, silent) {
                (0, 0) => continue,
                (0, _) => {
                    (Safety::Safe, "has a reminder that does not say what to do; it is shown".to_owned())
                }
                (_, _) => (Safety::Consent, "has a reminder without a moment to ring; it goes".to_owned()),
            };
            found.offer(self, subject, message, safety, Edit::Event(EventEdit::CompleteReminders));
            return;
        }
    }
}
