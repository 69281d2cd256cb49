//! Component → [`Calendar`]: sorts what a `VCALENDAR` holds into series, zones
//! and the rest.

use hashbrown::{HashMap, HashSet};
use rayon::prelude::*;

use super::event::Event;
use super::event::Extent;
use super::series::Series;
use super::time::{EventTime, ZoneNames};
use super::uid::Uid;
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
    let mut events = Vec::with_capacity(items.len());
    let mut rank = 0;
    for item in items {
        match item {
            Item::Property(property) => calendar.properties.push(property),
            Item::Component(component) => {
                rank += 1;
                if component.is("VEVENT") {
                    events.push((component, rank));
                } else if component.is("VTIMEZONE") {
                    calendar.zones.push(Placed { rank, it: *component });
                } else {
                    calendar.others.push(Placed { rank, it: *component });
                }
            }
        }
    }
    let events: Vec<ReadEvent<'a>> = events
        .into_par_iter()
        .with_min_len(512)
        .map_init(ZoneNames::default, |names, (component, rank)| {
            Event::read_with(component, rank, names).map(Series::of).map_err(Box::new)
        })
        .collect();
    group(events, &mut calendar);
    calendar
}

/// Puts events together that were not read from a calendar file.
pub fn of_events<'a>(events: Vec<ReadEvent<'a>>, fallback_name: &str) -> Calendar<'a> {
    let mut calendar = Calendar { fallback_name: fallback_name.to_owned(), ..Calendar::default() };
    group(events, &mut calendar);
    calendar
}

/// An event whose component was made from these times.
pub fn read_stated(component: Component<'_>, rank: u32, start: EventTime, extent: Extent) -> ReadEvent<'_> {
    Event::stated(component, rank, start, extent).map(Series::of).map_err(Box::new)
}

/// An event on its own. As large as a series, so that the one becomes the
/// other in place.
pub type ReadEvent<'a> = Result<Series<'a>, Box<(Box<Component<'a>>, super::EventError)>>;

fn group<'a>(events: Vec<ReadEvent<'a>>, calendar: &mut Calendar<'a>) {
    let mut overrides = Vec::new();
    let unsound = &mut calendar.unsound;
    let series = events.into_iter().filter_map(|read| match read {
        Ok(series) if series.master().is_some() => Some(series),
        Ok(series) => {
            overrides.push(series);
            None
        }
        Err(broken) => {
            let (component, error) = *broken;
            unsound.push(Unsound { component: *component, error });
            None
        }
    });
    calendar.series = series.collect();
    if !overrides.is_empty() {
        join(overrides, &mut calendar.series);
        calendar.series.sort_by_key(|series| series.events().map(Event::rank).min());
    }
}

/// Gives overrides to the master of their id, wherever in the file it stands.
fn join<'a>(overrides: Vec<Series<'a>>, series: &mut Vec<Series<'a>>) {
    // Only an id that has overrides needs its master found.
    let overridden: HashSet<Uid<'static>> =
        overrides.iter().filter_map(|one| Some(one.uid()?.into_owned())).collect();
    let mut home: HashMap<Uid<'static>, usize> = HashMap::new();
    for (at, one) in series.iter().enumerate() {
        let Some(uid) = one.uid().filter(|uid| overridden.contains(uid)) else { continue };
        let known = home.entry(uid.into_owned()).or_insert(at);
        if one.repeats() && !series[*known].repeats() {
            *known = at;
        }
    }
    for one in overrides {
        let known = one.uid().and_then(|uid| home.get(&uid)).copied();
        if let Some(at) = known {
            series[at].join(one);
        } else {
            if let Some(uid) = one.uid() {
                home.insert(uid.into_owned(), series.len());
            }
            series.push(one);
        }
    }
}
