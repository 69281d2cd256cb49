//! `D06 end-and-duration`: an event with an end and a length.

use super::describe::declare_rule;
use super::event_edit::EventEdit;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};
use emvo_ical::calendar::Duration;
use emvo_ical::day::{SECONDS_A_DAY, clock_seconds};

declare_rule! {
    /// ## What it finds
    /// An event with both `DTEND` and `DURATION`.
    ///
    /// ## Why it matters
    /// RFC 5545 forbids it; systems go by either, and some refuse the event.
    ///
    /// ## Example
    /// An end at 09:00 and a length of an hour, from 08:00 on.
    ///
    /// ## Repair
    /// The length goes: safe where both say the same, else with consent.
    EndAndDuration, "D06", "end-and-duration", RuleGroup::Dates, "an event with an end and a length"
}

impl Rule for EndAndDuration {
    fn needs(&self) -> Traits {
        Traits::LENGTH
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        for event in subject.series.events() {
            let component = event.component();
            let (Some(_), Some(length)) = (component.property("DTEND"), component.property("DURATION"))
            else {
                continue;
            };
            let stated = Duration::parse(length.value().trim());
            let by_length = stated.map(|length| {
                clock_seconds(event.start().clock()) + length.days * SECONDS_A_DAY + length.seconds
            });
            let agrees = by_length == Some(clock_seconds(event.end().clock()));
            let message = format!(
                "has both an end ({}) and a length ({}), which {}",
                event.end(),
                length.value(),
                if agrees { "say the same" } else { "differ; the end is taken" }
            );
            let safety = if agrees { Safety::Safe } else { Safety::Consent };
            found.offer(self, subject, message, safety, Edit::Event(EventEdit::EndAlone));
            return;
        }
    }
}
