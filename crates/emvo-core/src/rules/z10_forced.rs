//! `Z10 zone-forced`: a series that one rule cannot keep in the destination's
//! zone.

use super::describe::declare_rule;
use super::{Context, Edit, Findings, Level, Rule, RuleGroup, Safety, Subject, Traits};
use crate::retime::{Retimed, express_in};

declare_rule! {
    /// ## What it finds
    /// A repeating event, for a destination that keeps everything in one zone,
    /// whose occurrences cannot keep their instants under one rule there: the two
    /// zones change their clocks on different days.
    ///
    /// ## Why it matters
    /// Between the two changeovers the destination shows it an hour off.
    ///
    /// ## Example
    /// A weekly call at 16:00 in Helsinki, kept in `America/New_York`: 9:00 there,
    /// but 10:00 for some weeks in March and one in autumn.
    ///
    /// ## Repair
    /// Written in the destination's zone and split at the changeovers, so that
    /// every occurrence keeps its instant: safe. A series without an end cannot be
    /// split for ever and stays as it is.
    ZoneForced, "Z10", "zone-forced", RuleGroup::Zones, "a series that one rule cannot keep in the destination's zone"
}

impl Rule for ZoneForced {
    fn needs(&self) -> Traits {
        Traits::DESTINATION
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(zone) = &context.options.forced_zone else { return };
        match express_in(subject.series, zone, context.zones) {
            Retimed::Done(parts) if parts.len() > 1 => {
                let message = format!(
                    "in {} its dates are at two clock times: {} series are needed",
                    zone.name(),
                    parts.len()
                );
                found.offer(self, subject, message, Safety::Safe, Edit::Express(zone.clone()));
            }
            Retimed::Refused(refusal) => {
                found.show(
                    self,
                    Level::Warning,
                    subject,
                    format!("cannot be written in {}: {refusal}", zone.name()),
                );
            }
            Retimed::Done(_) | Retimed::Untouched => {}
        }
    }
}
