//! What an event says in a field, as a number that differs where two events do.
//!
//! A number is made without keeping the text, so that comparing a million events
//! in all their fields takes no memory. Numbers mean something within one run
//! alone.

use std::borrow::Cow;

use emvo_ical::calendar::Event;
use emvo_ical::calendar::fields::{Comparison, Field};

use super::shared::number_of;
use super::text::normalised;

/// What an event says in a field, apart from times, whose meaning depends on
/// zones.
pub(crate) fn field_number(field: Field, event: &Event<'_>) -> u64 {
    match field.comparison() {
        Comparison::Text => {
            let text = event.text(field.property());
            number_of(&text.as_deref().map_or(Cow::default(), normalised))
        }
        Comparison::Meaning => meaning(field, event),
        Comparison::Texts if field == Field::Category => {
            let mut categories = event.categories();
            categories.sort_unstable();
            number_of(&categories)
        }
        Comparison::Texts | Comparison::Lines | Comparison::Time | Comparison::Times => lines(field, event),
        Comparison::Components => moments_of_reminders(event),
    }
}

fn meaning(field: Field, event: &Event<'_>) -> u64 {
    match field {
        Field::Busy => number_of(&event.is_busy()),
        Field::Private => number_of(&event.classification()),
        _ => number_of(&event.status()),
    }
}

fn lines(field: Field, event: &Event<'_>) -> u64 {
    let lines = field.properties().iter().flat_map(|name| event.component().properties_named(name));
    let mut values: Vec<_> = lines.map(|line| line.value().trim().to_lowercase()).collect();
    values.sort_unstable();
    number_of(&values)
}

/// When reminders ring. Destinations rewrite the rest of them.
fn moments_of_reminders(event: &Event<'_>) -> u64 {
    let trigger = |alarm: &emvo_ical::content::Component<'_>| {
        alarm.property("TRIGGER").map(|trigger| trigger.value().into_owned()).unwrap_or_default()
    };
    let mut triggers: Vec<String> = event.alarms().map(trigger).collect();
    triggers.sort_unstable();
    number_of(&triggers)
}
