//! Overrides that leave their series.

use std::collections::BTreeSet;

use crate::identity::{derived_uid, derived_uid_of_parts};
use emvo_ical::calendar::{Event, EventTime, Series, Uid};

/// The overrides of a series as single events, and the series without the dates
/// that they replace. Overrides that stand for all later dates are split off
/// first ([`super::at_this_and_future`]).
pub fn detach_overrides<'a>(series: &Series<'a>) -> Vec<Series<'a>> {
    let own = series.uid();
    let singles = series.overrides().iter().map(|event| single_of(event.clone(), own.as_ref()));
    let singles: Vec<Series<'a>> = singles.collect();
    if series.master().is_none() {
        return singles;
    }
    let mut bare = series.clone();
    let all: Vec<usize> = (0..series.overrides().len()).collect();
    except(&mut bare, &all);
    std::iter::once(bare).chain(singles).collect()
}

/// Replaces the overrides of these numbers by exceptions on the dates that they
/// replace.
pub(crate) fn except(series: &mut Series<'_>, numbers: &[usize]) {
    let removed = remove_overrides(series, numbers);
    let slots: Vec<EventTime> = removed.iter().filter_map(|event| event.replaces().cloned()).collect();
    if let Some(master) = series.master_mut()
        && !slots.is_empty()
    {
        master.add_dates("EXDATE", &slots);
    }
}

/// Takes the overrides of these numbers out of a series.
pub(crate) fn remove_overrides<'a>(series: &mut Series<'a>, numbers: &[usize]) -> Vec<Event<'a>> {
    if numbers.is_empty() {
        return Vec::new();
    }
    let numbers: BTreeSet<usize> = numbers.iter().copied().collect();
    let (mut kept, mut removed) = (Vec::new(), Vec::new());
    for (number, event) in std::mem::take(series.overrides_mut()).into_iter().enumerate() {
        if numbers.contains(&number) { removed.push(event) } else { kept.push(event) }
    }
    *series.overrides_mut() = kept;
    removed
}

/// An override as a single event. Its id is derived from that of its series and
/// the date that it replaced, so that it is the same on every run.
pub(crate) fn single_of<'a>(mut event: Event<'a>, series: Option<&Uid<'_>>) -> Series<'a> {
    let slot = event.replaces().map(EventTime::to_string).unwrap_or_default();
    event.set_replaces(None);
    let uid = match series {
        Some(series) => derived_uid_of_parts(&["single", series.as_str(), &slot], 0),
        None => derived_uid(&event, 0),
    };
    let mut single = Series::of(event);
    single.set_uid(&uid);
    single
}
