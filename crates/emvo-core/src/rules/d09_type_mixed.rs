//! `D09 type-mixed`: a date at one end and a time at the other.

use super::describe::declare_rule;
use super::event_edit::EventEdit;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};
use emvo_ical::calendar::Extent;

declare_rule! {
    /// ## What it finds
    /// An event that starts with a date and ends with a time, or the reverse.
    ///
    /// ## Why it matters
    /// RFC 5545 wants the same kind for both; systems refuse the event, or guess.
    ///
    /// ## Example
    /// `DTSTART;VALUE=DATE:20261005` with `DTEND:20261006T120000`.
    ///
    /// ## Repair
    /// With consent the end becomes the kind that the start is: the day on which it
    /// ends is its last, or it ends as that day begins.
    TypeMixed, "D09", "type-mixed", RuleGroup::Dates, "a date at one end and a time at the other"
}

impl Rule for TypeMixed {
    fn needs(&self) -> Traits {
        Traits::SPAN
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        let mixed = subject.series.events().find(
            |event| matches!(event.extent(), Extent::End(end) if end.is_date() != event.start().is_date()),
        );
        if let Some(event) = mixed {
            let message = format!("starts {} and ends {}: a date and a time", event.start(), event.end());
            found.offer(self, subject, message, Safety::Consent, Edit::Event(EventEdit::EndLikeStart));
        }
    }
}
