//! `R17 override-cancelled`: a date cancelled by an override.

use super::describe::declare_rule;
use super::series_edit::SeriesEdit;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};
use emvo_ical::calendar::{EventTime, Status};

declare_rule! {
    /// ## What it finds
    /// An override with `STATUS:CANCELLED`: that date does not take place.
    ///
    /// ## Why it matters
    /// Many importers show it all the same, as if it took place.
    ///
    /// ## Example
    /// `RECURRENCE-ID:20260323T060000Z` with `STATUS:CANCELLED`.
    ///
    /// ## Repair
    /// With consent it becomes an exception (`EXDATE`) of its series. What the
    /// override says besides, such as why, is gone then.
    OverrideCancelled, "R17", "override-cancelled", RuleGroup::Recurrence, "a date cancelled by an override"
}

impl Rule for OverrideCancelled {
    fn needs(&self) -> Traits {
        Traits::OVERRIDES
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        let series = subject.series;
        if !series.master().is_some_and(emvo_ical::calendar::Event::repeats) {
            return;
        }
        let overrides = series.overrides().iter().enumerate();
        let cancelled: Vec<_> = overrides.filter(|(_, event)| event.status() == Status::Cancelled).collect();
        if !cancelled.is_empty() {
            let dates: Vec<String> = cancelled
                .iter()
                .filter_map(|(_, event)| event.replaces().map(EventTime::to_string))
                .collect();
            let message =
                format!("is cancelled on {} by an override, which many importers show", dates.join(", "));
            let numbers = cancelled.iter().map(|(at, _)| *at).collect();
            found.offer(self, subject, message, Safety::Consent, Edit::Series(SeriesEdit::Except(numbers)));
        }
    }
}
