//! `T07 invitations`: people who were asked to come.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject};
use emvo_ical::calendar::Event;

declare_rule! {
    /// ## What it finds
    /// An organizer or attendees on an event.
    ///
    /// ## Why it matters
    /// An importer may send mail to all of them, as if they were asked anew.
    ///
    /// ## Example
    /// `ATTENDEE:mailto:crew@example.org`.
    ///
    /// ## Repair
    /// None needed: `merge --invitations drop` leaves them out.
    Invitations, "T07", "invitations", RuleGroup::Text, "people who were asked to come"
}

impl Rule for Invitations {
    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        let people = subject.series.events().flat_map(Event::people);
        if people.into_iter().next().is_some() {
            let message = "has an organizer or attendees, to whom an importer may send mail".to_owned();
            found.show(self, Level::Note, subject, message);
        }
    }
}
