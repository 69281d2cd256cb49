//! Each zone name that the result uses is defined once (Z02, Z08).

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use hashbrown::HashSet;
use rayon::prelude::*;

use super::{Entry, Merge, MergeWarning};
use crate::edit::Change;
use emvo_ical::calendar::{Calendar, Event, Placed, Series, ZoneName};
use emvo_ical::content::{Component, Item};
use emvo_ical::zone::{Definition, Transitions, UsedSpan, Zone, ZoneResolver, ZoneSource, definition_of};

/// A name in use and what it stands for.
struct Defined {
    transitions: Option<Arc<Transitions>>,
    component: Option<Component<'static>>,
}

impl Merge<'_> {
    /// The definitions that the result needs, by name.
    pub(super) fn define_zones(
        &mut self,
        calendars: &mut [Calendar<'_>],
        warnings: &mut Vec<MergeWarning>,
    ) -> Vec<Placed<Component<'static>>> {
        let mut defined: BTreeMap<String, Defined> = BTreeMap::new();
        for (source, (calendar, uses)) in calendars.iter_mut().zip(self.uses()).enumerate() {
            let span = uses.span.unwrap_or_default().span();
            let of_others = calendar.zone_names_of_others();
            for name in uses.names.into_iter().chain(of_others).collect::<BTreeSet<_>>() {
                let component = definition_in(calendar, &name);
                if let Some(fresh) = self.define(source, &name, component, span, &mut defined) {
                    for other in calendar.others.iter_mut().filter(|other| refers_to(&other.it, &name)) {
                        refer_in(&mut other.it, &name, &fresh);
                        let (before, after) = (format!("zone {name}"), format!("zone {fresh}"));
                        self.changes.push(Change::to_component("Z08", &other.it, before, after));
                    }
                }
            }
        }
        let mut placed = Vec::new();
        for (name, defined) in defined {
            match defined.component {
                Some(component) => placed.push(Placed { rank: 0, it: component }),
                None => warnings.push(MergeWarning::UnknownZone { name }),
            }
        }
        placed
    }

    /// Sees to the definition of a name that an input uses; the name that stands
    /// for it from now on, if that is another.
    fn define(
        &mut self,
        source: usize,
        name: &ZoneName,
        own: Option<Component<'static>>,
        (from, until): (i64, i64),
        defined: &mut BTreeMap<String, Defined>,
    ) -> Option<String> {
        let meaning = self.terms.books[source].get(name).and_then(|entry| entry.zone.clone());
        let resolved = match &meaning {
            Some((zone, ZoneSource::Map | ZoneSource::Name)) => Some(zone.clone()),
            Some((_, ZoneSource::Definition)) | None => Zone::named(name.as_str()),
        };
        // A name that means a zone is obeyed, so definitions cannot conflict.
        if let Some(zone) = resolved {
            let known = defined.entry(name.as_str().to_owned());
            let entry = known.or_insert(Defined { transitions: None, component: None });
            let agrees = |component: &Component<'_>| {
                Definition::read(component)
                    .is_ok_and(|own| zone.transitions().agrees_with(&own.transitions, from, until))
            };
            let is_better = entry.component.as_ref().is_none_or(|there| !agrees(there));
            if let Some(own) = own
                && (entry.component.is_none() || (is_better && agrees(&own)))
            {
                entry.component = Some(own);
            } else if entry.component.is_none() {
                entry.component = Some(definition_of(name.as_str(), zone.transitions(), from, until));
                self.zone_change("Z02", name, "no definition".to_owned(), "defined".to_owned());
            }
            return None;
        }
        let transitions = meaning.map(|(zone, _)| Arc::new(zone.transitions().clone()));
        match defined.get(name.as_str()) {
            None => {
                defined.insert(name.as_str().to_owned(), Defined { transitions, component: own });
                None
            }
            Some(there) => {
                let differ = match (&there.transitions, &transitions) {
                    (Some(one), Some(two)) => !one.agrees_with(two, from, until),
                    _ => false,
                };
                if differ { self.rename(source, name, own, transitions, defined) } else { None }
            }
        }
    }

    /// Z08: the second definition under a name gets a name of its own, which is
    /// returned.
    fn rename(
        &mut self,
        source: usize,
        name: &ZoneName,
        own: Option<Component<'static>>,
        transitions: Option<Arc<Transitions>>,
        defined: &mut BTreeMap<String, Defined>,
    ) -> Option<String> {
        let (mut component, transitions) = own.zip(transitions)?;
        for number in 2.. {
            let fresh = format!("{name} ({number})");
            match defined.get(&fresh) {
                Some(there) if there.transitions.as_ref() != Some(&transitions) => continue,
                Some(_) => {}
                None => {
                    component.set(emvo_ical::content::Property::text_of("TZID", &fresh));
                    defined.insert(
                        fresh.clone(),
                        Defined { transitions: Some(transitions), component: Some(component) },
                    );
                }
            }
            let before = format!("zone {name}, which another input defines otherwise");
            self.zone_change("Z08", name, before, format!("zone {fresh}"));
            for entry in self.kept.iter_mut().flatten().filter(|entry| entry.source == source) {
                if entry.series.events().any(|event| refers_to(event.component(), name)) {
                    refer_to(&mut entry.series, name, &fresh);
                    let (before, after) = (format!("zone {name}"), format!("zone {fresh}"));
                    self.changes.push(Change::to_series(Some("Z08"), &entry.series, before, after));
                }
            }
            return Some(fresh);
        }
        None
    }

    fn zone_change(&mut self, rule: &'static str, name: &ZoneName, before: String, after: String) {
        self.changes.push(Change::to_other(rule, format!("zone {name}"), before, after));
    }

    /// What the events of each input use.
    fn uses(&self) -> Vec<Uses> {
        let none = || self.terms.books.iter().map(|_| Uses::default()).collect::<Vec<_>>();
        let add = |mut uses: Vec<Uses>, entry: &Entry<'_>| {
            uses[entry.source].add(&entry.series, &self.terms.books[entry.source]);
            uses
        };
        let unite = |one: Vec<Uses>, two: Vec<Uses>| {
            one.into_iter().zip(two).map(|(one, two)| one.and(two)).collect::<Vec<_>>()
        };
        let entries = self.kept.par_iter().with_min_len(1024).filter_map(Option::as_ref);
        entries.fold(none, add).reduce(none, unite)
    }
}

/// What the events of an input use.
#[derive(Default)]
struct Uses {
    /// The zone names that they refer to.
    names: HashSet<ZoneName>,
    /// Their instants.
    span: Option<UsedSpan>,
}

impl Uses {
    fn add(&mut self, series: &Series<'_>, zones: &ZoneResolver) {
        for name in series.events().flat_map(Event::zone_words) {
            if !self.names.contains(&*name) {
                self.names.extend(ZoneName::new(&name));
            }
        }
        self.span = Some(match self.span {
            Some(span) => span.widened_by(series, zones),
            None => UsedSpan::by(series, zones),
        });
    }

    fn and(self, other: Self) -> Self {
        let spans = self.span.into_iter().chain(other.span);
        Self { names: self.names.into_iter().chain(other.names).collect(), span: spans.reduce(UsedSpan::and) }
    }
}

fn definition_in(calendar: &Calendar<'_>, name: &ZoneName) -> Option<Component<'static>> {
    let zone = calendar
        .zones
        .iter()
        .find(|zone| zone.it.text("TZID").is_some_and(|tzid| tzid.trim() == name.as_str()));
    zone.map(|zone| zone.it.clone().into_owned())
}

/// Makes every time of a series refer to a zone by another name.
pub(crate) fn refer_to(series: &mut Series<'_>, from: &ZoneName, to: &str) {
    for event in series.events_mut() {
        let mut component = event.component().clone();
        refer_in(&mut component, from, to);
        if let Some(renamed) = event.made_anew(component) {
            *event = renamed;
        }
    }
}

/// Makes every time of a component refer to a zone by another name.
fn refer_in(component: &mut Component<'_>, from: &ZoneName, to: &str) {
    for item in component.items_mut() {
        match item {
            Item::Property(property) => {
                if property.parameter("TZID").is_some_and(|zone| zone == from.as_str()) {
                    *property = property.with_parameter("TZID", Some(to));
                }
            }
            Item::Component(inner) => refer_in(inner, from, to),
        }
    }
}

fn refers_to(component: &Component<'_>, zone: &ZoneName) -> bool {
    let mut words = component.properties().filter_map(|property| property.parameter("TZID"));
    words.any(|word| word == zone.as_str()) || component.components().any(|inner| refers_to(inner, zone))
}
