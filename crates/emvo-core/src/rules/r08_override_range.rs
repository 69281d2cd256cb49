//! `R08 override-range`: an override that stands for all later dates.

use super::describe::declare_rule;
use super::series_edit::SeriesEdit;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};
use emvo_ical::calendar::{EventTime, Reach};

declare_rule! {
    /// ## What it finds
    /// An override with `RANGE=THISANDFUTURE`: from its date on the series is as
    /// the override says.
    ///
    /// ## Why it matters
    /// Few systems know the range. The others change the one date and leave all
    /// later ones as they were.
    ///
    /// ## Example
    /// `RECURRENCE-ID;RANGE=THISANDFUTURE:20260504T050000Z`, starting an hour
    /// later from May on.
    ///
    /// ## Repair
    /// With consent the series is split in two: the second one starts at the
    /// override and has its fields. All dates stay what they were.
    OverrideRange, "R08", "override-range", RuleGroup::Recurrence, "an override that stands for all later dates"
}

impl Rule for OverrideRange {
    fn needs(&self) -> Traits {
        Traits::OVERRIDES
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        let ranged = subject.series.overrides().iter().filter(|event| event.reach() == Reach::ThisAndFuture);
        let dates: Vec<String> =
            ranged.filter_map(|event| event.replaces().map(EventTime::to_string)).collect();
        if !dates.is_empty() && subject.series.master().is_some() {
            let message =
                format!("is another from {} on, by an override that few systems know", dates.join(", "));
            found.offer(self, subject, message, Safety::Consent, Edit::Series(SeriesEdit::SplitAtRange));
        }
    }
}
