//! `T03 folding`: lines that are not as lines should be.

use super::describe::declare_rule;
use super::source::{Place, SourceFacts};
use super::{Described, Findings, Level, Rule, RuleGroup, Safety};
use emvo_ical::content::{FaultKind, Lines, WireForm};

declare_rule! {
    /// ## What it finds
    /// A line of a calendar file without a name or a colon, or one that stands
    /// where none may be. It is often the rest of a text that was broken without
    /// the blank that marks a fold. Also lines of more than 75 octets, lines that end
    /// otherwise than with a carriage return and a line feed, and empty ones between
    /// others.
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
    /// ended properly by every command that writes: safe. A carriage return inside a
    /// line ends it where a property follows; else it is a line break of the text.
    Folding, "T03", "folding", RuleGroup::Text, "lines that are not as lines should be"
}

impl Rule for Folding {
    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        for (lines, fault) in facts.form.iter().flat_map(form_faults) {
            let Lines { count, first } = lines;
            let message = match count {
                0 => continue,
                1 => format!("line {first} {}", fault.one),
                _ => format!("{count} lines {} (the first is line {first})", fault.several),
            };
            found.in_file(self.id(), Level::Warning, Place::line(first), "", message, Safety::Safe);
        }
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

/// What is wrong with the form of lines, for one and for several.
struct FormFault {
    one: &'static str,
    several: &'static str,
}

fn form_faults(form: &WireForm) -> [(Lines, FormFault); 6] {
    let fault = |one, several| FormFault { one, several };
    [
        (form.too_long, fault("has more than 75 octets", "have more than 75 octets")),
        (form.feed_alone, fault("ends with a line feed alone", "end with a line feed alone")),
        (form.return_alone, fault("ends with a carriage return alone", "end with a carriage return alone")),
        (
            form.return_inside,
            fault(
                "has a carriage return in it, which many readers take for its end",
                "have carriage returns in them, which many readers take for their end",
            ),
        ),
        (form.return_twice, fault("ends with two carriage returns", "end with two carriage returns")),
        (form.blank, fault("is empty", "are empty")),
    ]
}
