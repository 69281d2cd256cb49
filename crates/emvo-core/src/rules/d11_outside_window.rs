//! `D11 outside-window`: an event that a plan leaves behind.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};
use emvo_ical::recurrence::has_date_in;

declare_rule! {
    /// ## What it finds
    /// An event with no date in the window that a plan says moves.
    ///
    /// ## Why it matters
    /// It stays in the old system. That is what the plan asks for, and is counted.
    ///
    /// ## Example
    /// `from = 2026-09-01` in a plan, and a drill in the spring before.
    ///
    /// ## Repair
    /// None: `emvo run` leaves it out and says how many there are. A series that
    /// reaches into the window is kept whole.
    OutsideWindow, "D11", "outside-window", RuleGroup::Dates, "an event that a plan leaves behind"
}

impl Rule for OutsideWindow {
    fn needs(&self) -> Traits {
        Traits::DESTINATION
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(window) = context.options.plan_window else { return };
        if !has_date_in(subject.series, context.zones, window) {
            let message =
                format!("has no date from {} through {}, so the plan leaves it", window.from, window.until);
            found.show(self, Level::Note, subject, message);
        }
    }
}
