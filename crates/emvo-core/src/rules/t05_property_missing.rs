//! `T05 property-missing`: a calendar or an event without a line that every one
//! has.

use super::describe::declare_rule;
use super::event_edit::EventEdit;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};
use crate::product::PRODUCT_ID;

declare_rule! {
    /// ## What it finds
    /// An event without `DTSTAMP`, a calendar without `VERSION` or `PRODID`.
    ///
    /// ## Why it matters
    /// RFC 5545 asks for them, and some importers refuse a file without.
    ///
    /// ## Example
    /// A `VEVENT` written by hand.
    ///
    /// ## Repair
    /// Safe: the stamp is taken from `LAST-MODIFIED` or `CREATED`, else it is 1
    /// January 1970; never from the clock. The calendar gets `VERSION:2.0` and a
    /// `PRODID` that names Emvo.
    PropertyMissing, "T05", "property-missing", RuleGroup::Text, "a line is missing that every calendar or event has"
}

impl Rule for PropertyMissing {
    fn needs(&self) -> Traits {
        Traits::FIRST.and(Traits::NO_STAMP)
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let is_from_table = subject.series.lead().line() == 0;
        let missing = context.calendar.missing_head(PRODUCT_ID);
        if let Some(first) = missing.first().filter(|_| subject.index == 0 && !is_from_table) {
            let message = format!("the calendar has no {}", first.name());
            found.offer(self, subject, message, Safety::Safe, Edit::Head);
        }
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
