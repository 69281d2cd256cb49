//! `D12 duration-negative`: a length below zero.

use super::describe::declare_rule;
use super::event_edit::{EventEdit, is_negative};
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};

declare_rule! {
    /// ## What it finds
    /// A `DURATION` below zero.
    ///
    /// ## Why it matters
    /// It ends before it starts; systems refuse it or drop it.
    ///
    /// ## Example
    /// `DURATION:-PT1H`.
    ///
    /// ## Repair
    /// With consent the length goes, and the event takes no time.
    DurationNegative, "D12", "duration-negative", RuleGroup::Dates, "a length below zero"
}

impl Rule for DurationNegative {
    fn needs(&self) -> Traits {
        Traits::LENGTH
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        if let Some(event) = subject.series.events().find(|event| is_negative(event)) {
            let length = event.component().text("DURATION").unwrap_or_default().into_owned();
            let message = format!("has a length of {length}, which is below zero");
            found.offer(self, subject, message, Safety::Consent, Edit::Event(EventEdit::NoLength));
        }
    }
}
