//! `Z05 time-floating`: clock times without a zone.

use super::describe::declare_rule;
use super::{Context, Edit, Findings, Level, Rule, RuleGroup, Safety, Subject};
use crate::advice::{Advice, Advised};
use emvo_ical::calendar::ZoneRef;

declare_rule! {
    /// ## What it finds
    /// Clock times without a zone.
    ///
    /// ## Why it matters
    /// They mean the same clock time wherever one is, which is right for an alarm
    /// clock and wrong for a departure. Importers read them in a zone of their
    /// own, often UTC.
    ///
    /// ## Example
    /// `DTSTART:20261019T060000` in a calendar that states Europe/Helsinki.
    ///
    /// ## Repair
    /// They get the house zone (`--zone`), or else the zone that the calendar
    /// states: safe. Where there is neither, nothing is guessed.
    TimeFloating, "Z05", "time-floating", RuleGroup::Zones, "clock times without a zone"
}

impl Rule for TimeFloating {
    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let floats = subject
            .series
            .events()
            .any(|event| !event.is_all_day() && *event.start().zone() == ZoneRef::Floating);
        if !floats {
            return;
        }
        match (&context.floating_home, &context.home) {
            (Some(home), _) => {
                let message = format!("no zone given; {} is meant ({})", home.zone.name(), home.words());
                found.offer(self, subject, message, Safety::Safe, Edit::Pin(home.zone.clone()));
            }
            (None, Some(home)) => {
                let name = home.zone.name();
                let message = format!("no zone given; {name} may be meant ({})", home.words());
                let advice = Advice::SayHouseZone { candidate: Some(name.to_owned()) };
                found.show(self, Level::Warning, subject, Advised::with(message, advice));
            }
            (None, None) => {
                let message = "no zone given, and the calendar states none";
                let advice = Advice::SayHouseZone { candidate: None };
                found.show(self, Level::Warning, subject, Advised::with(message, advice));
            }
        }
    }
}
