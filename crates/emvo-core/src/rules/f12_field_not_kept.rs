//! `F12 field-not-kept`: what the destination has no place for.

use super::describe::{Described, declare_rule};
use super::source::Place;
use super::{Context, Findings, Level, Rule, RuleGroup, Safety, SourceFacts, Subject, Traits};
use crate::fit::{Limits, NotTaken, is_task_not_taken};
use emvo_ical::calendar::fields::Field;
use emvo_ical::calendar::{Classification, Event};

declare_rule! {
    /// ## What it finds
    /// An event that says something which the destination has no place for: its categories, its
    /// address on the web, whether it is busy, or properties that no standard knows; and tasks,
    /// where it takes none.
    ///
    /// ## Why it matters
    /// The destination forgets it. Where it is who may see the event, everybody can who sees
    /// the calendar.
    ///
    /// ## Example
    /// `fields_lost = ["category", "url"]`, `own_properties = false`.
    ///
    /// ## Repair
    /// Left out, and told, by `merge` and `convert` with `--limits`; who may see an event stays
    /// in the file. By hand: `pick --private omit` leaves private events out.
    FieldNotKept, "F12", "field-not-kept", RuleGroup::Fit, "what the destination has no place for"
}

impl Rule for FieldNotKept {
    fn needs(&self) -> Traits {
        Traits::DESTINATION
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(limits) = &context.options.limits else { return };
        let said: Vec<&str> = not_kept(limits)
            .filter(|kind| subject.series.events().any(|event| says(event, *kind)))
            .map(NotTaken::what)
            .collect();
        if !said.is_empty() {
            let message = format!("says what is not kept there: {}", said.join(", "));
            found.show(self, Level::Warning, subject, message);
        }
    }

    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        let Some(limits) = facts.limits else { return };
        let others = facts.calendars.iter().flat_map(|calendar| &calendar.others);
        for task in others.filter(|other| is_task_not_taken(other, limits)) {
            let title = task.it.text("SUMMARY").unwrap_or_default();
            let (place, message) = (Place::line(task.it.line()), "a task, and the destination takes none");
            found.in_file(self.id(), Level::Warning, place, &title, message, Safety::ShowOnly);
        }
    }
}

/// What is not kept and has no rule of its own.
fn not_kept(limits: &Limits) -> impl Iterator<Item = NotTaken> {
    limits.not_taken().filter(|kind| kind.rule() == "F12")
}

/// Whether an event says it; to be public says nothing.
fn says(event: &Event<'_>, kind: NotTaken) -> bool {
    if kind == NotTaken::Field(Field::Private) {
        return event.classification() != Classification::Public;
    }
    event.component().items().iter().any(|item| kind.is_said_in(item))
}
