//! What a destination keeps of what events say.

use crate::fit::NotTaken;
use emvo_ical::calendar::fields::Field;
use emvo_ical::content::Component;

use super::learned::{Learned, TOO_LITTLE};
use super::questions::Ask;
use super::returned::Answers;

/// Where a field stands that a destination may be without.
const DETAILS: [(Field, Ask); 16] = [
    (Field::Location, Ask::LongPlace),
    (Field::Description, Ask::Text200),
    (Field::Busy, Ask::Free),
    (Field::Private, Ask::Private),
    (Field::Status, Ask::Tentative),
    (Field::Category, Ask::Categories),
    (Field::Url, Ask::Link),
    (Field::Conference, Ask::Details),
    (Field::Resources, Ask::Details),
    (Field::Contact, Ask::Details),
    (Field::Comment, Ask::Details),
    (Field::Priority, Ask::Details),
    (Field::Geo, Ask::Details),
    (Field::Color, Ask::Details),
    (Field::Image, Ask::Details),
    (Field::Related, Ask::Details),
];

/// Learns how long texts may be.
pub(super) fn learn_lengths(sent: &Answers<'_, '_>, there: &Answers<'_, '_>, learned: &mut Learned) {
    for (key, field, asks) in [
        ("title_characters", Field::Title, &[Ask::LongTitle][..]),
        ("location_characters", Field::Location, &[Ask::LongPlace]),
        ("description_characters", Field::Description, &[Ask::Text40000, Ask::Text2000, Ask::Text200]),
    ] {
        let text = |of: &Answers<'_, '_>, ask: Ask| -> Option<String> {
            Some(of.first(ask)?.text(field.property())?.into_owned())
        };
        let longest = asks.iter().find_map(|ask| Some((*ask, text(sent, *ask)?)));
        let back = asks.iter().find_map(|ask| Some((*ask, text(sent, *ask)?, text(there, *ask)?)));
        let (Some((first, whole)), Some((ask, was, now))) = (longest, back) else {
            learned.miss(key, format!("no {} came back", field.name()));
            continue;
        };
        let (was_long, now_long) = (was.chars().count(), now.chars().count());
        if now_long < was_long && was.starts_with(now.trim_end_matches('…').trim_end()) {
            learned.know(key, now_long.to_string(), format!("of {was_long} characters {now_long} came back"));
        } else if ask != first {
            let missing = whole.chars().count();
            let evidence = format!("{now_long} characters came back, and the event with {missing} did not");
            learned.know_by_absence(key, now_long.to_string(), evidence);
        } else {
            learned.no_limit(key, format!("{was_long} characters came back"));
        }
    }
}

/// Learns what else of an event is kept.
pub(super) fn learn_details(sent: &Answers<'_, '_>, there: &Answers<'_, '_>, learned: &mut Learned) {
    learn_reminders(sent, there, learned);
    let has_any = |of: &Answers<'_, '_>, asks: &[Ask], field: Field| {
        let events = asks.iter().filter_map(|ask| of.first(*ask));
        let kept: Vec<bool> = events.map(|event| says(event.component(), field)).collect();
        (!kept.is_empty()).then(|| kept.contains(&true))
    };
    for (key, field, asks, what) in [
        ("attendees", Field::Attendees, &[Ask::People][..], "people"),
        ("attachments", Field::Attachments, &[Ask::Attachment, Ask::AttachmentInside], "attachments"),
    ] {
        match (has_any(sent, asks, field), has_any(there, asks, field)) {
            (Some(true), Some(true)) => learned.know(key, "true", format!("{what} came back")),
            (Some(true), Some(false)) => {
                learned.know(key, "false", format!("an event came back without its {what}"));
            }
            _ => learned.miss(key, format!("no event with {what} came back")),
        }
    }
    learn_fields(sent, there, learned);
    let berth =
        |of: &Answers<'_, '_>| of.first(Ask::OwnProperty).map(|event| event.component().has("X-EMVO-BERTH"));
    match (berth(sent), berth(there)) {
        (Some(true), Some(kept)) => {
            let evidence = if kept { "it came back" } else { "an event came back without it" };
            learned.know(
                "own_properties",
                kept.to_string(),
                format!("a property that no standard knows: {evidence}"),
            );
        }
        _ => learned.miss("own_properties", "no event with such a property came back"),
    }
    // It stands behind the last event, so it is missing where that is.
    match (sent.has_task(), there.has_task(), there.has(Ask::Last)) {
        (true, true, _) => learned.know("tasks", "true", "the task came back"),
        (true, false, true) => learned.know_by_absence("tasks", "false", "the task did not come back"),
        (true, false, false) => learned.miss("tasks", TOO_LITTLE),
        (false, ..) => learned.miss("tasks", "what was sent has no task"),
    }
}

fn learn_reminders(sent: &Answers<'_, '_>, there: &Answers<'_, '_>, learned: &mut Learned) {
    let count = |of: &Answers<'_, '_>| of.first(Ask::EightReminders).map(|event| event.alarms().count());
    match (count(sent), count(there)) {
        (Some(was), Some(0)) if was > 0 => {
            learned.know("reminders", "false", format!("an event came back without its {was} reminders"));
            learned.miss("reminders_per_event", "it takes no reminders");
        }
        (Some(was), Some(now)) if was > 0 => {
            let evidence = format!("of {was} reminders of an event {now} came back");
            learned.know("reminders", "true", evidence.clone());
            if now < was {
                learned.know("reminders_per_event", now.to_string(), evidence);
            } else {
                learned.no_limit("reminders_per_event", evidence);
            }
        }
        _ => {
            for key in ["reminders", "reminders_per_event"] {
                learned.miss(key, "no event with reminders came back");
            }
        }
    }
}

fn learn_fields(sent: &Answers<'_, '_>, there: &Answers<'_, '_>, learned: &mut Learned) {
    let (mut lost, mut kept, mut unseen) = (Vec::new(), 0, Vec::new());
    for (field, ask) in DETAILS {
        let was_said = sent.first(ask).is_some_and(|event| says(event.component(), field));
        match there.first(ask).filter(|_| was_said) {
            None => unseen.push(field.name()),
            Some(event) if says(event.component(), field) => kept += 1,
            Some(_) => lost.push(field.name()),
        }
    }
    if lost.is_empty() && kept == 0 {
        learned.miss("fields_lost", "no event with other fields came back");
        return;
    }
    let quoted: Vec<String> = lost.iter().map(|name| format!("\"{name}\"")).collect();
    let mut evidence = format!("{kept} of {} fields came back", DETAILS.len() - unseen.len());
    if !unseen.is_empty() {
        evidence = format!("{evidence}, and these were not seen: {}", unseen.join(", "));
    }
    learned.know("fields_lost", format!("[{}]", quoted.join(", ")), evidence);
}

/// Whether a component says anything in a field.
fn says(component: &Component<'_>, field: Field) -> bool {
    component.items().iter().any(|item| NotTaken::Field(field).is_said_in(item))
}
