//! `D14 property-twice`: a property that may stand there once, twice.

use super::describe::declare_rule;
use emvo_ical::calendar::Event;
use emvo_ical::calendar::fields::Field;

use super::event_edit::EventEdit;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject};

declare_rule! {
    /// ## What it finds
    /// A start, an end, an id, a title or the like that stands there twice.
    ///
    /// ## Why it matters
    /// Systems take the first or the last of them.
    ///
    /// ## Example
    /// Two `SUMMARY` lines with different titles.
    ///
    /// ## Repair
    /// The first stays: safe where both say the same, else with consent.
    PropertyTwice, "D14", "property-twice", RuleGroup::Dates, "a property that may stand there once, twice"
}

impl Rule for PropertyTwice {
    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        let may_repeat = |event: &&Event<'_>| event.component().may_repeat_a_name();
        let events: Vec<&Event<'_>> = subject.series.events().filter(may_repeat).collect();
        if events.is_empty() {
            return;
        }
        for name in Field::standing_once() {
            // Each property is a question of its own; its first event stands for it.
            let twice = events.iter().find_map(|event| {
                let lines: Vec<_> = event.component().properties_named(name).collect();
                (lines.len() > 1).then_some(lines)
            });
            let Some(lines) = twice else { continue };
            let (how, safety) = if lines.iter().all(|line| line.logical() == lines[0].logical()) {
                ("with the same value".to_owned(), Safety::Safe)
            } else {
                let values: Vec<_> = lines.iter().map(|line| format!("`{}`", line.text())).collect();
                (format!("as {}; the first is taken", values.join(" and ")), Safety::Consent)
            };
            let message = format!("{name} stands there {} times, {how}", lines.len());
            found.offer(self, subject, message, safety, Edit::Event(EventEdit::FirstOf(name)));
        }
    }
}
