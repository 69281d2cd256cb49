//! `T15 control-characters`: control characters in text.

use super::describe::declare_rule;
use super::event_edit::{EventEdit, READ_BY_PEOPLE, is_odd_control};
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};

declare_rule! {
    /// ## What it finds
    /// Signs in a text that control a terminal or a printer, and are none that
    /// people see.
    ///
    /// ## Why it matters
    /// Some importers refuse the file for a single one.
    ///
    /// ## Example
    /// A bell in a title.
    ///
    /// ## Repair
    /// Safe: they go, and it is listed.
    ControlCharacters, "T15", "control-characters", RuleGroup::Text, "control characters in text"
}

impl Rule for ControlCharacters {
    fn needs(&self) -> Traits {
        Traits::CONTROL
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        for name in READ_BY_PEOPLE {
            let has_any = |event: &emvo_ical::calendar::Event<'_>| {
                event.component().properties_named(name).any(|line| line.value().chars().any(is_odd_control))
            };
            if subject.series.events().any(has_any) {
                let message = format!("{name} has control characters, which nobody sees");
                found.offer(self, subject, message, Safety::Safe, Edit::Event(EventEdit::NoControls));
                return;
            }
        }
    }
}
