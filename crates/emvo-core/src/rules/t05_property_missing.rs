//! `T05 property-missing`: an event without the stamp that every event has.

use super::describe::declare_rule;
use super::event_edit::EventEdit;
use super::{Context, Edit, Findings, Group, Rule, Safety, Subject};

declare_rule! {
    /// ## What it finds
    /// An event without `DTSTAMP`.
    ///
    /// ## Why it matters
    /// RFC 5545 asks for it, and some importers refuse an event without.
    ///
    /// ## Example
    /// A `VEVENT` written by hand.
    ///
    /// ## Repair
    /// Safe: the stamp is taken from `LAST-MODIFIED` or `CREATED`, else it is 1
    /// January 1970; never from the clock.
    PropertyMissing, "T05", "property-missing", Group::Text, "an event without the stamp that every event has"
}

impl Rule for PropertyMissing {
    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        let is_from_table = subject.series.lead().line() == 0;
        let lacks = subject.series.events().any(|event| event.component().property("DTSTAMP").is_none());
        if lacks && !is_from_table {
            found.offer(
                self,
                subject,
                "has no DTSTAMP".to_owned(),
                Safety::Safe,
                Edit::Event(EventEdit::Stamp),
            );
        }
    }
}
