//! Ids of incoming tasks and journals, and what refers to ids, where all get fresh ones.
//!
//! A task that hangs on an event by `RELATED-TO` has to hang on it under the new id as well.

use emvo_ical::calendar::{Calendar, Uid};
use emvo_ical::content::{Component, Item, Property};
use hashbrown::HashMap;

use super::Merge;
use crate::edit::Change;
use crate::identity::derived_uid_of_parts;

/// The fresh ids of a source, by those that they come in the place of.
pub(super) type Renamed = HashMap<(usize, String), Uid<'static>>;

impl Merge<'_> {
    /// Gives tasks, journals and others ids that are derived from theirs, and has every
    /// incoming component refer to the new ones.
    pub(super) fn renew_others(&mut self, calendars: &mut [Calendar<'_>], mut renamed: Renamed) {
        for (source, calendar) in incoming(calendars, self.terms.destination) {
            for other in calendar.others.iter_mut().map(|placed| &mut placed.it) {
                let own = uid_of(other).filter(|own| !own.is_empty());
                let Some(own) = own else { continue };
                let fresh = derived_uid_of_parts(&["fresh", other.name(), &own], 0);
                other.set(Property::text_of("UID", fresh.as_str()));
                self.changes.push(told(other, &own));
                renamed.insert((source, own), fresh);
            }
        }
        for (source, calendar) in incoming(calendars, self.terms.destination) {
            for other in &mut calendar.others {
                refer_anew(&mut other.it, source, &renamed);
            }
        }
        let destination = self.terms.destination;
        for entry in self.kept.iter_mut().flatten().filter(|entry| Some(entry.source) != destination) {
            for event in entry.series.events_mut() {
                if refers_to_any(event.component(), entry.source, &renamed) {
                    event.edit(|component| refer_anew(component, entry.source, &renamed));
                }
            }
        }
    }
}

fn incoming<'c, 'a>(
    calendars: &'c mut [Calendar<'a>],
    destination: Option<usize>,
) -> impl Iterator<Item = (usize, &'c mut Calendar<'a>)> {
    calendars.iter_mut().enumerate().filter(move |(source, _)| Some(*source) != destination)
}

fn uid_of(component: &Component<'_>) -> Option<String> {
    component.text("UID").map(|uid| uid.trim().to_owned())
}

fn told(component: &Component<'_>, own: &str) -> Change {
    Change {
        rule: None,
        uid: own.to_owned(),
        origin: None,
        title: component.text("SUMMARY").unwrap_or_default().into_owned(),
        before: "as it came".to_owned(),
        after: "another id".to_owned(),
    }
}

/// The fresh id of what a line refers to, if it has one.
fn fresh_of<'r>(line: &Property<'_>, source: usize, renamed: &'r Renamed) -> Option<&'r Uid<'static>> {
    let is_reference = line.is("RELATED-TO");
    is_reference.then(|| renamed.get(&(source, line.text().trim().to_owned()))).flatten()
}

fn refers_to_any(component: &Component<'_>, source: usize, renamed: &Renamed) -> bool {
    component.properties().any(|line| fresh_of(line, source, renamed).is_some())
}

fn refer_anew(component: &mut Component<'_>, source: usize, renamed: &Renamed) {
    if !refers_to_any(component, source, renamed) {
        return;
    }
    for item in component.items_mut() {
        if let Item::Property(line) = item
            && let Some(fresh) = fresh_of(line, source, renamed)
        {
            *line = line.with_value(fresh.as_str());
        }
    }
}
