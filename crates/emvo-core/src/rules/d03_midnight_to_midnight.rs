//! `D03 midnight-to-midnight`: a timed event that means whole days.

use super::describe::declare_rule;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};
use crate::retime::whole_days;
use emvo_ical::calendar::ZoneRef;

declare_rule! {
    /// ## What it finds
    /// A timed event from midnight to midnight, or to a minute or a second before
    /// it.
    ///
    /// ## Why it matters
    /// It fills the day's hours instead of standing above them, and in another zone
    /// it covers two days.
    ///
    /// ## Example
    /// From 00:00 on 5 October to 23:59 on 6 October.
    ///
    /// ## Repair
    /// With consent it becomes all-day.
    MidnightToMidnight, "D03", "midnight-to-midnight", RuleGroup::Dates, "a timed event that means whole days"
}

impl Rule for MidnightToMidnight {
    fn needs(&self) -> Traits {
        Traits::SPAN
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let lead = subject.series.lead();
        if *lead.start().zone() != ZoneRef::Utc
            && !lead.is_all_day()
            && whole_days(lead, context.zones).is_some()
        {
            let message = format!("goes from midnight to midnight ({}), which means whole days", lead.span());
            found.offer(self, subject, message, Safety::Consent, Edit::ToDates);
        }
    }
}
