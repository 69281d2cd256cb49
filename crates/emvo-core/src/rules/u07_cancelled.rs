//! `U07 cancelled`: an event that does not take place, or a file that takes events back.

use super::describe::declare_rule;
use super::source::{Place, SourceFacts};
use super::{Context, Described, Findings, Level, Rule, RuleGroup, Safety, Subject, Traits};
use emvo_ical::calendar::Status;

declare_rule! {
    /// ## What it finds
    /// A single event that is cancelled, or a file that is a message about events
    /// (`METHOD:CANCEL`, `METHOD:REPLY` and the like) and no export of them.
    ///
    /// ## Why it matters
    /// Many importers show a cancelled event as if it took place. A file that is a
    /// message is refused, or carried out: the events of `METHOD:CANCEL` are deleted
    /// where they are known.
    ///
    /// ## Example
    /// `STATUS:CANCELLED`.
    ///
    /// ## Repair
    /// None needed for an event: it is counted apart everywhere, and `drop --finding
    /// U07` leaves it out. A message is no export: export the calendar itself. `merge`
    /// writes its events without the method.
    Cancelled, "U07", "cancelled", RuleGroup::Identity, "what does not take place, or takes back what does"
}

/// What importers do with the files of a method (RFC 5546 section 1.4).
fn effect_of(method: &str) -> Option<&'static str> {
    Some(match method.to_ascii_uppercase().as_str() {
        "CANCEL" => "an importer refuses it, or deletes these events",
        "REPLY" | "COUNTER" | "DECLINECOUNTER" | "REFRESH" => "an importer refuses it, or adds nothing",
        _ => return None,
    })
}

impl Rule for Cancelled {
    fn needs(&self) -> Traits {
        Traits::STATUS
    }

    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        for line in facts.calendars.iter().filter_map(|calendar| calendar.property("METHOD")) {
            let method = line.value();
            if let Some(effect) = effect_of(method.trim()) {
                let message = format!("is a message (METHOD:{}) and no export: {effect}", method.trim());
                let place = Place::line(line.line());
                found.in_file(self.id(), Level::Warning, place, "", message, Safety::ShowOnly);
            }
        }
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        let lead = subject.series.lead();
        if !subject.series.repeats() && lead.status() == Status::Cancelled {
            let message = "is cancelled; an importer may show it as if it took place".to_owned();
            found.show(self, Level::Note, subject, message);
        }
    }
}
