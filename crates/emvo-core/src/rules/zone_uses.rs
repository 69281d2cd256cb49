//! Which zone names the series of a calendar use, and from when to when.

use std::collections::BTreeSet;

use hashbrown::HashSet;
use rayon::prelude::*;

use super::quiet::Quiet;
use emvo_ical::calendar::{Calendar, EventTime, Extent, Series, ZoneName, ZoneRef};
use emvo_ical::zone::{UsedSpan, ZoneResolver};

/// The zone names of a series, and the instants it uses.
#[derive(Debug)]
pub(super) struct Uses {
    pub(super) names: Names,
    pub(super) span: (i64, i64),
}

/// Places among the names of the calendar, in the order in which a series has them.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum Names {
    None,
    /// Of nearly all series.
    One(u32),
    Several(Box<[u32]>),
}

impl Names {
    pub(super) fn places(&self) -> &[u32] {
        match self {
            Self::None => &[],
            Self::One(place) => std::slice::from_ref(place),
            Self::Several(places) => places,
        }
    }
}

/// A name, and the first and the last instant of the series that have it.
pub(super) type NameInUse = (ZoneName, (i64, i64));

/// The names that a calendar uses, in order, each with the first and the last instant of the
/// series that have it; and what each series uses.
pub(super) fn uses_of_all(
    calendar: &Calendar<'_>,
    quiet: &Quiet<'_>,
    zones: &ZoneResolver,
) -> (Vec<NameInUse>, Vec<Uses>) {
    let of_quiet = quiet.spans(zones);
    let mut known = names_of_all(calendar);
    known.extend(of_quiet.iter().map(|(name, _)| name.clone()));
    let known: Vec<ZoneName> = known.into_iter().collect();
    let series = calendar.series.par_iter().with_min_len(256);
    let uses = series.map(|series| Uses {
        names: places_of_names(series, &known),
        span: UsedSpan::by(series, zones).span(),
    });
    let uses: Vec<Uses> = uses.collect();
    // Each name is known since some series has it.
    let mut spans = vec![(i64::MAX, i64::MIN); known.len()];
    for Uses { names, span: (from, until) } in &uses {
        for place in names.places() {
            let span = &mut spans[*place as usize];
            *span = (span.0.min(*from), span.1.max(*until));
        }
    }
    for (name, (from, until)) in of_quiet {
        if let Ok(place) = known.binary_search(&name) {
            spans[place] = (spans[place].0.min(from), spans[place].1.max(until));
        }
    }
    (known.into_iter().zip(spans).collect(), uses)
}

/// The zone names that the times of a calendar refer to, in order.
fn names_of_all(calendar: &Calendar<'_>) -> BTreeSet<ZoneName> {
    // Most often the name that was met last comes again.
    type Known = (HashSet<ZoneName>, Option<ZoneName>);
    let add = |(mut all, mut last): Known, series: &Series<'_>| {
        each_name_in(series, &mut |name| {
            if last.as_ref() != Some(name) {
                all.get_or_insert_with(name, ZoneName::clone);
                last = Some(name.clone());
            }
        });
        (all, last)
    };
    let unite = |(mut one, last): Known, (two, _): Known| {
        one.extend(two);
        (one, last)
    };
    let all = calendar.series.par_iter().with_min_len(1024);
    let (names, _) = all.fold(Known::default, add).reduce(Known::default, unite);
    names.into_iter().collect()
}

/// Where the zone names that the times of a series refer to stand among all, each once.
fn places_of_names(series: &Series<'_>, known: &[ZoneName]) -> Names {
    let mut names = Names::None;
    each_name_in(series, &mut |name| {
        let Ok(place) = known.binary_search(name) else { return };
        // There are fewer names than 2³².
        let place = u32::try_from(place).unwrap_or(u32::MAX);
        let places = names.places();
        if !places.contains(&place) {
            names = if places.is_empty() {
                Names::One(place)
            } else {
                Names::Several([places, &[place]].concat().into())
            };
        }
    });
    names
}

/// Tells the zone names that the times of a series refer to.
fn each_name_in(series: &Series<'_>, tell: &mut impl FnMut(&ZoneName)) {
    let mut add = |time: &EventTime| {
        if let ZoneRef::Named(name) = time.zone() {
            tell(name);
        }
    };
    for event in series.events() {
        add(event.start());
        if let Extent::End(end) = event.extent() {
            add(end);
        }
        if let Some(replaces) = event.replaces() {
            add(replaces);
        }
        if event.repeats() {
            event.dates("EXDATE").iter().chain(&event.dates("RDATE")).for_each(&mut add);
        }
    }
}
