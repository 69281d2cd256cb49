//! `F03 zone-not-accepted`: a time in a zone that is not accepted.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};
use crate::fit::Zones;
use emvo_ical::calendar::Event;

declare_rule! {
    /// ## What it finds
    /// A time in another zone than the one that the destination reads everything
    /// in.
    ///
    /// ## Why it matters
    /// The destination refuses it, or changes it on its own.
    ///
    /// ## Example
    /// `zones = "one"` with `zone = "Europe/Helsinki"`, and a crossing in
    /// Stockholm's time.
    ///
    /// ## Repair
    /// Made to fit by `merge` and `convert` with `--limits`. By hand: `retime
    /// --express-in ZONE` writes the same instants in that zone. See Z10 for series
    /// that cannot.
    ZoneNotAccepted, "F03", "zone-not-accepted", RuleGroup::Fit, "a time in a zone that is not accepted"
}

impl Rule for ZoneNotAccepted {
    fn needs(&self) -> Traits {
        Traits::DESTINATION
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(limits) = &context.options.limits else { return };
        let Zones::One(own) = &limits.zones else { return };
        let other = subject
            .series
            .events()
            .map(Event::start)
            .find(|start| !start.is_date() && *start.zone() != own.to_ref());
        if let Some(start) = other {
            let message = format!("starts {start}, and everything is read in {}", own.name());
            found.show(self, Level::Warning, subject, message);
        }
    }
}
