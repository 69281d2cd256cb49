//! `D04 all-day-drifted`: whole days that went through a zone.

use super::describe::declare_rule;
use super::event_edit::{EventEdit, drift};
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};
use crate::retime::whole_days;
use emvo_ical::calendar::ZoneRef;

declare_rule! {
    /// ## What it finds
    /// A timed event of whole days that starts an hour or a few beside midnight: in
    /// UTC at what is midnight in the house zone, or at 01:00 sharp.
    ///
    /// ## Why it matters
    /// It was an all-day event, and some system has moved it through a zone. It now
    /// covers parts of two days.
    ///
    /// ## Example
    /// `20261004T210000Z` to `20261005T210000Z`, which is 5 October in Helsinki.
    ///
    /// ## Repair
    /// With consent it becomes the days that were meant.
    AllDayDrifted, "D04", "all-day-drifted", RuleGroup::Dates, "whole days that went through a zone"
}

impl Rule for AllDayDrifted {
    fn needs(&self) -> Traits {
        Traits::SPAN
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let lead = subject.series.lead();
        if lead.is_all_day() || subject.series.repeats() {
            return;
        }
        if *lead.start().zone() == ZoneRef::Utc && whole_days(lead, context.zones).is_some() {
            let house = context.zones.floating_zone().map(|zone| zone.name().to_owned()).unwrap_or_default();
            let message = format!(
                "{} is from midnight to midnight in {house}: whole days that went through a zone",
                lead.span()
            );
            found.offer(self, subject, message, Safety::Consent, Edit::ToDates);
        } else if drift(lead).is_some() {
            let message =
                format!("{} lasts whole days beside midnight: they went through a zone", lead.span());
            found.offer(self, subject, message, Safety::Consent, Edit::Event(EventEdit::Dates));
        }
    }
}
