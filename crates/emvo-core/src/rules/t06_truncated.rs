//! `T06 truncated`: a file that ends too early.

use super::describe::declare_rule;
use super::source::{Place, SourceFacts};
use super::{Described, Findings, Level, Rule, RuleGroup, Safety};
use emvo_ical::content::FaultKind;

declare_rule! {
    /// ## What it finds
    /// A file that ends inside an event, or an event whose `BEGIN` and `END` do
    /// not pair.
    ///
    /// ## Why it matters
    /// The download may have been cut off: then more is missing than the one
    /// event, and nothing in the file says how much.
    ///
    /// ## Example
    /// A file without `END:VCALENDAR`.
    ///
    /// ## Repair
    /// The whole part is kept, the broken one set aside. Export the calendar
    /// again if you can.
    Truncated, "T06", "truncated", RuleGroup::Text, "a file that ends too early"
}

impl Rule for Truncated {
    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        for fault in facts.faults {
            let is_cut = matches!(
                fault.kind,
                FaultKind::Unclosed { .. }
                    | FaultKind::Unopened { .. }
                    | FaultKind::UnclosedInside { .. }
                    | FaultKind::UnclosedCalendar
            );
            if is_cut {
                let message = fault.kind.to_string();
                found.in_file(
                    self.id(),
                    Level::Error,
                    Place::line(fault.line),
                    "",
                    message,
                    Safety::ShowOnly,
                );
            }
        }
    }
}
