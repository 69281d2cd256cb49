//! `T14 person-broken`: a person without an address.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};
use emvo_ical::calendar::Event;

declare_rule! {
    /// ## What it finds
    /// An organizer or attendee without an address that a program can use.
    ///
    /// ## Why it matters
    /// Importers drop the person, some the whole event.
    ///
    /// ## Example
    /// `ATTENDEE:Aino`.
    ///
    /// ## Repair
    /// None: `merge --invitations drop` leaves people out.
    PersonBroken, "T14", "person-broken", RuleGroup::Text, "a person without an address"
}

impl Rule for PersonBroken {
    fn needs(&self) -> Traits {
        Traits::PEOPLE
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        let people = subject.series.events().flat_map(Event::people);
        let broken = people.into_iter().find(|line| {
            let value = line.value();
            !value.split_once(':').is_some_and(|(scheme, rest)| {
                !scheme.is_empty()
                    && scheme.chars().all(|char| char.is_ascii_alphanumeric())
                    && !rest.trim().is_empty()
            })
        });
        if let Some(line) = broken {
            let message = format!("{} `{}` is no address", line.name(), line.value());
            found.show(self, Level::Note, subject, message);
        }
    }
}
