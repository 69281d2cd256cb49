//! `F11 length-needed`: an event without a length that is not accepted.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};
use crate::fit::LengthLimit;
use emvo_ical::calendar::Event;

declare_rule! {
    /// ## What it finds
    /// A timed event without an end, or one that ends when it starts, where the
    /// destination wants a length.
    ///
    /// ## Why it matters
    /// The destination refuses the event, and some refuse the whole file with it.
    ///
    /// ## Example
    /// `length = "needed"`.
    ///
    /// ## Repair
    /// Made to fit by `merge` and `convert` with `--limits` and `--length 30min`, and
    /// by a plan with `length` at its destination. Nobody but you knows how long it
    /// lasts.
    LengthNeeded, "F11", "length-needed", RuleGroup::Fit, "an event without a length that is not accepted"
}

impl Rule for LengthNeeded {
    fn needs(&self) -> Traits {
        Traits::DESTINATION
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(limits) = &context.options.limits else { return };
        if limits.length == LengthLimit::Needed && subject.series.events().any(Event::lacks_length) {
            let message = "takes no time, which is not accepted".to_owned();
            found.show(self, Level::Warning, subject, message);
        }
    }
}
