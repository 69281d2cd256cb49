//! Each zone name that the result uses is defined once (Z02, Z08).

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use hashbrown::HashSet;
use rayon::prelude::*;

use super::{Merge, MergeWarning};
use crate::calendar::{Calendar, Event, Placed, Series, ZoneName};
use crate::content::{Component, Item};
use crate::receipt::Change;
use crate::zone::{Behaviour, Definition, InUse, Zone, ZoneSource, definition_of};

/// A name in use and what it stands for.
struct Defined {
    behaviour: Option<Arc<Behaviour>>,
    component: Option<Component<'static>>,
}

impl Merge<'_> {
    /// The definitions that the result needs, by name.
    pub(super) fn define_zones(
        &mut self,
        calendars: &[Calendar<'_>],
        warnings: &mut Vec<MergeWarning>,
    ) -> Vec<Placed<Component<'static>>> {
        let mut defined: BTreeMap<String, Defined> = BTreeMap::new();
        for (source, calendar) in calendars.iter().enumerate() {
            let names: BTreeSet<ZoneName> = self.names_of(source);
            if names.is_empty() {
                continue;
            }
            let span = self.span_of(source);
            for name in names {
                let component = definition_in(calendar, &name);
                self.define(source, &name, component, span, &mut defined);
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

    fn define(
        &mut self,
        source: usize,
        name: &ZoneName,
        own: Option<Component<'static>>,
        (from, until): (i64, i64),
        defined: &mut BTreeMap<String, Defined>,
    ) {
        let meaning = self.books[source].get(name).and_then(|entry| entry.zone.clone());
        let resolved = match &meaning {
            Some((zone, ZoneSource::Map | ZoneSource::Name)) => Some(zone.clone()),
            Some((_, ZoneSource::Definition)) | None => Zone::named(name.as_str()),
        };
        // A name that means a zone is obeyed, so definitions cannot conflict.
        if let Some(zone) = resolved {
            let known = defined.entry(name.as_str().to_owned());
            let entry = known.or_insert(Defined { behaviour: None, component: None });
            let agrees = |component: &Component<'_>| {
                Definition::read(component)
                    .is_ok_and(|own| zone.behaviour().agrees_with(&own.behaviour, from, until))
            };
            let is_better = entry.component.as_ref().is_none_or(|there| !agrees(there));
            if let Some(own) = own
                && (entry.component.is_none() || (is_better && agrees(&own)))
            {
                entry.component = Some(own);
            } else if entry.component.is_none() {
                entry.component = Some(definition_of(name.as_str(), zone.behaviour(), from, until));
                self.zone_change("Z02", name, "no definition".to_owned(), "defined".to_owned());
            }
            return;
        }
        let behaviour = meaning.map(|(zone, _)| Arc::new(zone.behaviour().clone()));
        match defined.get(name.as_str()) {
            None => {
                defined.insert(name.as_str().to_owned(), Defined { behaviour, component: own });
            }
            Some(there) => {
                let (Some(one), Some(two)) = (&there.behaviour, &behaviour) else { return };
                if !one.agrees_with(two, from, until) {
                    self.rename(source, name, own, behaviour, defined);
                }
            }
        }
    }

    /// Z08: the second definition under a name gets a name of its own.
    fn rename(
        &mut self,
        source: usize,
        name: &ZoneName,
        own: Option<Component<'static>>,
        behaviour: Option<Arc<Behaviour>>,
        defined: &mut BTreeMap<String, Defined>,
    ) {
        let (Some(mut component), Some(behaviour)) = (own, behaviour) else { return };
        for number in 2.. {
            let fresh = format!("{name} ({number})");
            match defined.get(&fresh) {
                Some(there) if there.behaviour.as_ref() != Some(&behaviour) => continue,
                Some(_) => {}
                None => {
                    component.set(crate::content::Property::text_of("TZID", &fresh));
                    defined.insert(
                        fresh.clone(),
                        Defined { behaviour: Some(behaviour), component: Some(component) },
                    );
                }
            }
            for entry in self.kept.iter_mut().flatten().filter(|entry| entry.source == source) {
                refer_to(&mut entry.series, name, &fresh);
            }
            let before = format!("zone {name}, which another input defines otherwise");
            self.zone_change("Z08", name, before, format!("zone {fresh}"));
            return;
        }
    }

    fn zone_change(&mut self, rule: &'static str, name: &ZoneName, before: String, after: String) {
        self.changes.push(Change {
            rule: Some(rule),
            uid: String::new(),
            title: format!("zone {name}"),
            before,
            after,
        });
    }

    fn series_of(&self, source: usize) -> impl ParallelIterator<Item = &Series<'_>> {
        let entries = self.kept.par_iter().with_min_len(1024).flatten();
        entries.filter(move |entry| entry.source == source).map(|entry| &entry.series)
    }

    /// The zone names that the events of an input refer to.
    fn names_of(&self, source: usize) -> BTreeSet<ZoneName> {
        let add = |mut known: HashSet<ZoneName>, series: &Series<'_>| {
            for name in series.events().flat_map(Event::zone_words) {
                if !known.contains(&*name) {
                    known.extend(ZoneName::new(&name));
                }
            }
            known
        };
        let unite = |one: HashSet<ZoneName>, two: HashSet<ZoneName>| one.union(&two).cloned().collect();
        self.series_of(source).fold(HashSet::new, add).reduce(HashSet::new, unite).into_iter().collect()
    }

    /// The instants that the events of an input use.
    fn span_of(&self, source: usize) -> (i64, i64) {
        let zones = &self.books[source];
        let spans = self.series_of(source).map(|series| InUse::by(series, zones));
        spans.reduce_with(InUse::and).unwrap_or_default().span()
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
        for item in component.items_mut() {
            if let Item::Property(property) = item
                && property.parameter("TZID").is_some_and(|zone| zone == from.as_str())
            {
                *item = Item::Property(property.with_parameter("TZID", Some(to)));
            }
        }
        if let Some(renamed) = event.made_anew(component) {
            *event = renamed;
        }
    }
}
