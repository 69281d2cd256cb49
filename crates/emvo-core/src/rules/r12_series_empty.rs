//! `R12 series-empty`: a series without any date.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};
use emvo_ical::recurrence::{Exceptions, on_clock_of};

/// A series with more exceptions than this is not empty in any export we know.
const LOOKED_AT: usize = 20_000;

declare_rule! {
    /// ## What it finds
    /// A series of which rule, exceptions and overrides leave no date.
    ///
    /// ## Why it matters
    /// Nobody sees it, some systems refuse it, and it makes counts differ. It may
    /// be the rest of a series that was deleted date by date.
    ///
    /// ## Example
    /// Three weekly dates and three exceptions.
    ///
    /// ## Repair
    /// None: a person has to say whether it may go.
    SeriesEmpty, "R12", "series-empty", RuleGroup::Recurrence, "a series without any date"
}

impl Rule for SeriesEmpty {
    fn needs(&self) -> Traits {
        Traits::FURTHER_DATES
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let (Some(master), Some(recurrence)) = (subject.series.master(), &subject.recurrence) else { return };
        let has_exceptions =
            ["EXDATE", "EXRULE"].iter().any(|name| master.component().property(name).is_some());
        if !has_exceptions || !subject.series.overrides().is_empty() || !recurrence.unreadable().is_empty() {
            return;
        }
        let exceptions = Exceptions::of(master, context.zones);
        let mut walk = exceptions.walk();
        let own = on_clock_of(master.start(), master.start(), context.zones).unwrap_or(0);
        let slots = recurrence.slots(own.min(i64::MAX / 4) - 1, i64::MAX / 4);
        let mut left_out = 0;
        for slot in slots {
            if !walk.leaves_out(slot) || left_out == LOOKED_AT {
                return;
            }
            left_out += 1;
        }
        let message = format!("has no date left: {left_out} exceptions take them all");
        found.show(self, Level::Warning, subject, message);
    }
}
