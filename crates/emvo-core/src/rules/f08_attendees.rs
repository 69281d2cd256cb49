//! `F08 attendees`: people that are not accepted.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};
use crate::fit::Acceptance;

declare_rule! {
    /// ## What it finds
    /// An event with people, where the destination takes none.
    ///
    /// ## Why it matters
    /// The destination refuses it, or changes it on its own.
    ///
    /// ## Example
    /// `attendees = false`.
    ///
    /// ## Repair
    /// Made to fit by `merge` and `convert` with `--limits`. By hand: `merge
    /// --invitations drop` leaves them out.
    AttendeesNotAccepted, "F08", "attendees", RuleGroup::Fit, "people that are not accepted"
}

impl Rule for AttendeesNotAccepted {
    fn needs(&self) -> Traits {
        Traits::DESTINATION
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(limits) = &context.options.limits else { return };
        let has_any = subject.series.events().any(|event| {
            ["ATTENDEE", "ORGANIZER"].iter().any(|name| event.component().property(name).is_some())
        });
        if limits.attendees == Acceptance::Refused && has_any {
            found.show(self, Level::Warning, subject, "has people, which are not accepted".to_owned());
        }
    }
}
