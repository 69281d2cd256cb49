//! Component → [`Calendar`]: sorts what a `VCALENDAR` holds into series, zones
//! and the rest.

use hashbrown::{HashMap, HashSet};
use rayon::prelude::*;

use super::event::Event;
use super::series::{Series, Uid};
use super::time::ZoneNames;
use super::{Calendar, Placed, Unsound};
use crate::content::{Component, Item};

/// Reads a `VCALENDAR`. `fallback_name` is what it is called if it does not
/// say, usually the stem of its file.
///
/// Overrides join the master of their UID; without one they are a series of
/// their own. Several masters under one UID stay apart here (rule U02).
pub fn read<'a>(calendar: Component<'a>, fallback_name: &str) -> Calendar<'a> {
    read_bare(calendar.into_items(), fallback_name)
}

/// Reads components that stand in a file without a `VCALENDAR` around them.
pub fn read_bare<'a>(items: Vec<Item<'a>>, fallback_name: &str) -> Calendar<'a> {
    let mut calendar = Calendar { fallback_name: fallback_name.to_owned(), ..Calendar::default() };
    let mut events = Vec::new();
    let mut rank = 0;
    for item in items {
        match item {
            Item::Property(property) => calendar.properties.push(property),
            Item::Component(component) => {
                rank += 1;
                if component.is("VEVENT") {
                    events.push((*component, rank));
                } else if component.is("VTIMEZONE") {
                    calendar.zones.push(Placed { rank, it: *component });
                } else {
                    calendar.others.push(Placed { rank, it: *component });
                }
            }
        }
    }
    let events: Vec<_> = events
        .into_par_iter()
        .with_min_len(512)
        .map_init(ZoneNames::default, |names, (component, rank)| {
            let event = Event::read_with(component, rank, names)?;
            let uid = event.uid();
            Ok((event, uid))
        })
        .collect();
    group(events, &mut calendar);
    calendar
}

type ReadEvent<'a> = Result<(Event<'a>, Option<Uid>), (Box<Component<'a>>, super::EventError)>;

fn group<'a>(events: Vec<ReadEvent<'a>>, calendar: &mut Calendar<'a>) {
    // Where the series of each UID stands; masters come before overrides, since
    // exports do not keep them in order.
    let mut home: HashMap<Uid, usize> = HashMap::new();
    let has_overrides =
        |one: &&ReadEvent<'a>| one.as_ref().is_ok_and(|(event, _)| event.replaces().is_some());
    // Only an id that has overrides needs its master found.
    let overridden: HashSet<Uid> =
        events.iter().filter(has_overrides).filter_map(|one| one.as_ref().ok()?.1.clone()).collect();
    let mut overrides = Vec::new();
    calendar.series.reserve(events.len());
    for event in events {
        match event {
            Err((component, error)) => calendar.unsound.push(Unsound { component: *component, error }),
            Ok((event, uid)) if event.replaces().is_some() => overrides.push((event, uid)),
            Ok((event, uid)) => {
                let repeats = event.repeats();
                let at = calendar.series.len();
                calendar.series.push(Series::of(event));
                if let Some(uid) = uid.filter(|uid| overridden.contains(uid)) {
                    let known = home.entry(uid).or_insert(at);
                    if repeats && !calendar.series[*known].repeats() {
                        *known = at;
                    }
                }
            }
        }
    }
    for (event, uid) in overrides {
        let known = uid.as_ref().and_then(|uid| home.get(uid)).copied();
        if let Some(at) = known {
            calendar.series[at].add_override(event);
        } else {
            if let Some(uid) = uid {
                home.insert(uid, calendar.series.len());
            }
            calendar.series.push(Series::of(event));
        }
    }
    calendar.series.sort_by_key(|series| series.events().map(Event::rank).min());
}
