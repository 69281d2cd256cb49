//! `T03 folding`: lines that are none.

use super::describe::declare_rule;
use super::source::{Place, SourceFacts};
use super::{Described, Findings, Level, Rule, RuleGroup, Safety};
use emvo_ical::content::FaultKind;

declare_rule! {
    /// ## What it finds
    /// A line of a calendar file without a name or a colon, or one that stands
    /// where none may be. It is often the rest of a text that was broken without
    /// the blank that marks a fold.
    ///
    /// ## Why it matters
    /// Some importers refuse the whole file, others drop the event.
    ///
    /// ## Example
    /// A description that goes on at the beginning of the next line.
    ///
    /// ## Repair
    /// The line is set aside with its number, and the event is kept without it.
    /// Lines that are too long, or end otherwise than they should, are folded and
    /// ended properly whenever their event is written anew: safe.
    Folding, "T03", "folding", RuleGroup::Text, "lines that are none"
}

impl Rule for Folding {
    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        for fault in facts.faults {
            let is_line = matches!(
                fault.kind,
                FaultKind::UnreadableLine
                    | FaultKind::StrayEnd
                    | FaultKind::OutsideCalendar
                    | FaultKind::TooDeep
            );
            if is_line {
                let text: String = fault.text.chars().take(60).collect();
                let message = format!("{}: `{}`; it is set aside", fault.kind, text.trim_end());
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
