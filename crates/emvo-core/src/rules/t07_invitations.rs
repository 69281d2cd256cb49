//! `T07 invitations`: people who were asked to come.

use super::describe::declare_rule;
use super::source::{Place, SourceFacts};
use super::{Context, Described, Findings, Level, Rule, RuleGroup, Safety, Subject, Traits};
use emvo_ical::calendar::Event;

declare_rule! {
    /// ## What it finds
    /// An organizer or attendees on an event, or a file that is an invitation
    /// (`METHOD:REQUEST`, `METHOD:ADD`).
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
    fn needs(&self) -> Traits {
        Traits::PEOPLE
    }

    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        for line in facts.calendars.iter().filter_map(|calendar| calendar.property("METHOD")) {
            let method = line.value().trim().to_ascii_uppercase();
            if ["REQUEST", "ADD"].contains(&method.as_str()) {
                let message = format!(
                    "is an invitation (METHOD:{method}): an importer refuses it, or asks its events' people anew"
                );
                let place = Place::line(line.line());
                found.in_file(self.id(), Level::Note, place, "", message, Safety::ShowOnly);
            }
        }
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        let people = subject.series.events().flat_map(Event::people);
        if people.into_iter().next().is_some() {
            let message = "has an organizer or attendees, to whom an importer may send mail".to_owned();
            found.show(self, Level::Note, subject, message);
        }
    }
}
