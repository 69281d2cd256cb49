//! `Z06 series-in-utc`: a repeating event in UTC in a calendar with summer time.

use super::describe::declare_rule;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};
use emvo_ical::calendar::ZoneRef;

declare_rule! {
    /// ## What it finds
    /// A repeating event whose times are in UTC, while the calendar lives in a
    /// zone whose clocks change during the series.
    ///
    /// ## Why it matters
    /// People repeat things by the clock on the wall. In UTC the event moves by
    /// an hour twice a year.
    ///
    /// ## Example
    /// A meeting every Wednesday at `070000Z`: at 9:00 in Stockholm in summer, at
    /// 8:00 in winter.
    ///
    /// ## Repair
    /// With consent it gets the clock of the calendar's zone: the same instant at
    /// its start, the same clock time from there on. Exceptions, overrides and
    /// the end of the rule move along; an override with a time of its own keeps
    /// its instant.
    SeriesInUtc, "Z06", "series-in-utc", RuleGroup::Zones, "a repeating event in UTC in a calendar with summer time"
}

impl Rule for SeriesInUtc {
    fn needs(&self) -> Traits {
        Traits::REPEATS
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(master) = subject.series.master().filter(|master| master.repeats()) else { return };
        let Some(home) = &context.home else { return };
        if *master.start().zone() != ZoneRef::Utc || home.zone.is_utc() {
            return;
        }
        let (from, until) = subject.span;
        if home.zone.transitions().has_transition_in(from, until) {
            let message = format!(
                "repeats in UTC while the calendar lives in {} ({}): from the next changeover on its clock time is another",
                home.zone.name(),
                home.words()
            );
            found.offer(self, subject, message, Safety::Consent, Edit::Localise(home.zone.clone()));
        }
    }
}
