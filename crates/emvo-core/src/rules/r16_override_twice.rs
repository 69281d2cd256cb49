//! `R16 override-twice`: two overrides for one date.

use super::describe::declare_rule;
use super::series_edit::SeriesEdit;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};
use crate::identity::Revision;
use emvo_ical::recurrence::on_clock_of;
use std::collections::BTreeMap;

declare_rule! {
    /// ## What it finds
    /// Two overrides that replace the same date of a series.
    ///
    /// ## Why it matters
    /// A date can be replaced once. Systems take the first or the last of them,
    /// or show both.
    ///
    /// ## Example
    /// A watch on 16 March moved to 10:00, and in a second override to 12:00.
    ///
    /// ## Repair
    /// With consent the newest stays, by `SEQUENCE`, then `LAST-MODIFIED`, then
    /// `DTSTAMP`; of equals the later in the file. The other is reported and goes.
    OverrideTwice, "R16", "override-twice", RuleGroup::Recurrence, "two overrides for one date"
}

impl Rule for OverrideTwice {
    fn needs(&self) -> Traits {
        Traits::OVERRIDES
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let series = subject.series;
        let start = series.lead().start();
        let mut newest: BTreeMap<i64, usize> = BTreeMap::new();
        let (mut older, mut dates) = (Vec::new(), Vec::new());
        for (at, event) in series.overrides().iter().enumerate() {
            let Some(slot) = event.replaces() else { continue };
            let Some(moment) = on_clock_of(slot, start, context.zones) else { continue };
            let Some(known) = newest.get_mut(&moment) else {
                newest.insert(moment, at);
                continue;
            };
            let is_newer = Revision::of(event) >= Revision::of(&series.overrides()[*known]);
            older.push(if is_newer { std::mem::replace(known, at) } else { at });
            dates.push(slot.to_string());
        }
        if !older.is_empty() {
            let message = format!("has more than one override for {}", dates.join(", "));
            let edit = Edit::Series(SeriesEdit::DropOverrides(older));
            found.offer(self, subject, message, Safety::Consent, edit);
        }
    }
}
