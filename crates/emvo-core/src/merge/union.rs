//! What a surviving event takes over from its duplicate: nothing that either
//! of them says is lost.

use crate::identity::stated_parameters;
use emvo_ical::calendar::fields::{Field, Weight};
use emvo_ical::calendar::{Classification, Event, Series, VendorMirror, vendor_mirror_of};
use emvo_ical::content::{Item, Property, escape_text};

/// What an event took over, for the report.
pub(super) struct Gained {
    pub(super) before: String,
    pub(super) after: String,
}

/// How much an event says: its filled lines, and its alarms.
pub(super) fn richness(series: &Series<'_>) -> usize {
    series
        .events()
        .map(|event| {
            let filled =
                event.component().properties().filter(|property| !property.value().trim().is_empty());
            filled.count() + event.component().components().count()
        })
        .sum()
}

/// Takes over into an event what its duplicate says besides: categories, reminders,
/// people, the stricter privacy, busy rather than free, fields that it lacks. `None`
/// if there was nothing.
pub(super) fn take_event(event: &mut Event<'_>, other: &Event<'_>) -> Option<Gained> {
    let mut gained = Vec::new();
    let mut before = Vec::new();
    take_categories(event, other, &mut gained);
    if other.classification() > event.classification() {
        let class =
            if other.classification() == Classification::Confidential { "CONFIDENTIAL" } else { "PRIVATE" };
        before.push(format!("CLASS {}", event.text("CLASS").unwrap_or("PUBLIC".into())));
        gained.push(format!("CLASS {class}"));
        event.edit(|component| component.set(Property::new("CLASS", &[], class)));
    }
    if other.is_busy() && !event.is_busy() {
        before.push("free".to_owned());
        gained.push("busy".to_owned());
        event.edit(|component| component.set(Property::new("TRANSP", &[], "OPAQUE")));
        event.update_vendor_mirrors(VendorMirror::Busy);
    }
    take_lines(event, other, &mut gained);
    take_parameters(event, other, &mut gained);
    take_components(event, other, &mut gained);
    if gained.is_empty() {
        return None;
    }
    let before = if before.is_empty() { "as it was".to_owned() } else { before.join(", ") };
    Some(Gained { before, after: format!("with {}", gained.join(", ")) })
}

/// What a line says in its parameters, where the event has the line without them: the
/// answer of a person, a name, a side.
fn take_parameters(event: &mut Event<'_>, other: &Event<'_>, gained: &mut Vec<String>) {
    for line in other.component().properties().filter(|line| !is_own(line)) {
        let is_same = |known: &Property<'_>| {
            known.is(line.name()) && known.value().trim().eq_ignore_ascii_case(line.value().trim())
        };
        let answers = ["PARTSTAT", "ROLE"].into_iter().filter_map(|name| {
            let said = line.parameter(name).filter(|said| said != "NEEDS-ACTION")?;
            Some((name.to_owned(), said.into_owned()))
        });
        for (name, said) in answers.chain(stated_parameters(line)) {
            let lacks = |known: &Property<'_>| {
                let own = known.parameter(&name);
                own.is_none_or(|own| own.is_empty() || own.eq_ignore_ascii_case("NEEDS-ACTION"))
            };
            let wanted = |known: &Property<'_>| is_same(known) && lacks(known);
            if !event.component().properties().any(wanted) {
                continue;
            }
            event.edit(|component| {
                for item in component.items_mut() {
                    if let Item::Property(known) = item
                        && wanted(known)
                    {
                        *item = Item::Property(known.with_parameter(&name, Some(&said)));
                    }
                }
            });
            gained.push(format!("{name} {said}"));
        }
    }
}

fn take_categories(event: &mut Event<'_>, other: &Event<'_>, gained: &mut Vec<String>) {
    let has = event.categories();
    let new: Vec<String> =
        other.categories().into_iter().filter(|category| !has.contains(category)).collect();
    if !new.is_empty() {
        let value: Vec<_> = new.iter().map(|category| escape_text(category)).collect();
        event.edit(|component| component.add(Property::new("CATEGORIES", &[], &value.join(","))));
        gained.push(format!("category {}", new.join(", ")));
    }
}

/// Whether a property is the survivor's own: times, identity and stamps, and what
/// is settled by its meaning.
fn is_own(property: &Property<'_>) -> bool {
    Field::of_property(property.name()).is_some_and(|field| {
        matches!(field.weight(), Weight::When | Weight::Stamp)
            || matches!(field, Field::Category | Field::Private | Field::Busy)
    })
}

/// Lines whose name the event lacks altogether, and further lines of names that
/// may stand there several times; of a system's own names nobody knows how often.
fn take_lines(event: &mut Event<'_>, other: &Event<'_>, gained: &mut Vec<String>) {
    let own = event.component();
    let says = |line: &Property<'_>| {
        let value = line.value().to_lowercase();
        own.properties_named(line.name()).any(|known| known.value().to_lowercase() == value)
    };
    let is_new = |line: &&Property<'_>| {
        let is_filled = !line.value().trim().is_empty();
        let may_repeat = !Field::stands_once(line.name());
        is_filled
            && !is_own(line)
            && if may_repeat && vendor_mirror_of(line).is_none() {
                !says(line)
            } else {
                !own.has(line.name())
            }
    };
    let new: Vec<_> = other.component().properties().filter(is_new).collect();
    for line in new {
        gained.push(format!("{} {}", line.name().to_ascii_uppercase(), line.text()));
        let line = line.clone().into_owned();
        event.edit(|component| component.add(line));
    }
}

fn take_components(event: &mut Event<'_>, other: &Event<'_>, gained: &mut Vec<String>) {
    for component in other.component().components() {
        if !event.component().components().any(|known| known.says_the_same_as(component)) {
            gained.push(if component.is("VALARM") {
                "a reminder".to_owned()
            } else {
                component.name().to_owned()
            });
            let component = component.clone().into_owned();
            event.edit(|into| into.items_mut().push(Item::Component(Box::new(component))));
        }
    }
}
