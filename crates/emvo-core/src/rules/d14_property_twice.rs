//! `D14 property-twice`: a property that may stand there once, twice.

use super::describe::declare_rule;
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
        for event in subject.series.events().filter(|event| event.component().may_repeat_a_name()) {
            for name in Field::standing_once() {
                let mut lines = event.component().properties_named(name);
                let Some(first) = lines.next() else { continue };
                let others: Vec<_> = lines.collect();
                if others.is_empty() {
                    continue;
                }
                let is_same = others.iter().all(|other| other.logical() == first.logical());
                let how =
                    if is_same { "with the same value" } else { "with different values; the first is taken" };
                let message = format!("{name} stands there {} times, {how}", others.len() + 1);
                let safety = if is_same { Safety::Safe } else { Safety::Consent };
                found.offer(self, subject, message, safety, Edit::Event(EventEdit::FirstOfEach));
                return;
            }
        }
    }
}
