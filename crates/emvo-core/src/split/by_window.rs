//! A series by a window of dates.
//!
//! A date is in a window when any part of it is: of a night watch both days are. Who takes
//! dates out or keeps them alone asks [`by_window`], and an override counts where it takes
//! place. Who changes what lies inside, and has to leave the rest as it is, asks
//! [`parts_by_window`]; there the slots decide, since an override stays with its series.

use std::collections::BTreeSet;

use super::{at_every_future, except, single_of, split_off};
use crate::edit::Refusal;
use emvo_ical::calendar::{Event, Reach, Series};
use emvo_ical::day::{SECONDS_A_DAY, clock_seconds, day_of};
use emvo_ical::recurrence::{Ceiling, Occurrence, Part, Window, occurrences_of, on_clock_of};
use emvo_ical::zone::ZoneResolver;

/// A series cut at a window: the dates that touch it, and all others.
#[derive(Debug, Default)]
pub struct ByWindow<'a> {
    /// What has the dates inside.
    pub inside: Vec<Series<'a>>,
    /// What has the dates outside.
    pub outside: Vec<Series<'a>>,
}

/// Cuts a series at a window. A date is inside when any part of it is; an
/// override counts where it takes place itself.
pub fn by_window<'a>(
    series: &Series<'a>,
    window: Window,
    zones: &ZoneResolver,
    ceiling: Ceiling,
) -> Result<ByWindow<'a>, Refusal> {
    // An override that stands for all later dates has a series of its own.
    if series.overrides().iter().any(|event| event.reach() == Reach::ThisAndFuture)
        && series.master().is_some()
    {
        let mut cut = ByWindow::default();
        let (parts, refusal) = at_every_future(series, zones);
        if let Some(why) = refusal {
            return Err(why);
        }
        for part in parts {
            let of_part = by_window(&part, window, zones, ceiling)?;
            cut.inside.extend(of_part.inside);
            cut.outside.extend(of_part.outside);
        }
        return Ok(cut);
    }
    let found = occurrences_of(series, zones, window, ceiling);
    if !found.unreadable.is_empty() {
        let rule = series.lead().rules().next().map(std::borrow::Cow::into_owned).unwrap_or_default();
        return Err(Refusal::UnreadableRule { rule });
    }
    if found.met_ceiling {
        return Err(Refusal::Ceiling);
    }
    let there: Vec<Occurrence> = found.list.into_iter().chain(found.cancelled).collect();
    if !series.repeats() || !series.master().is_some_and(Event::repeats) {
        let (whole, none) = (vec![series.clone()], Vec::new());
        return Ok(if there.is_empty() {
            ByWindow { inside: none, outside: whole }
        } else {
            ByWindow { inside: whole, outside: none }
        });
    }
    if there.is_empty() {
        return Ok(ByWindow { inside: Vec::new(), outside: vec![series.clone()] });
    }
    cut_series(series, &there, zones)
}

/// On the clock of the series, where each of its overrides has its slot.
fn slots_of_overrides(series: &Series<'_>, zones: &ZoneResolver) -> Vec<Option<i64>> {
    let start = series.lead().start();
    let slot = |event: &Event<'_>| event.replaces().and_then(|slot| on_clock_of(slot, start, zones));
    series.overrides().iter().map(slot).collect()
}

/// Cuts a repeating series: the rule between the first and the last of its own
/// dates inside, overrides by where they take place.
fn cut_series<'a>(
    series: &Series<'a>,
    there: &[Occurrence],
    zones: &ZoneResolver,
) -> Result<ByWindow<'a>, Refusal> {
    let inside: BTreeSet<usize> = there
        .iter()
        .filter_map(|occurrence| match occurrence.part {
            Part::Override(at) => Some(at),
            Part::Master | Part::Later(_) => None,
        })
        .collect();
    let inside_override = |at: usize| inside.contains(&at);
    let own = there.iter().filter(|occurrence| occurrence.part == Part::Master);
    let own: Vec<i64> = own.map(|occurrence| clock_seconds(occurrence.start.clock())).collect();
    let mut bare = series.clone();
    let mut cut = ByWindow::default();
    let range = own.first().copied().zip(own.last().copied());
    let slots = slots_of_overrides(series, zones);
    // Overrides leave the series, with an exception in their place, where they
    // are on the other side than the dates around their slot.
    let detached: Vec<usize> = (0..slots.len())
        .filter(|at| {
            let slot_and_range = slots[*at].zip(range);
            slot_and_range.is_some_and(|(slot, (first, last))| (first..=last).contains(&slot))
                != inside_override(*at)
        })
        .collect();
    for at in &detached {
        let event = series.overrides()[*at].clone();
        let single = single_of(event, series.uid().as_ref());
        if inside_override(*at) { cut.inside.push(single) } else { cut.outside.push(single) }
    }
    except(&mut bare, &detached);
    let Some((first, last)) = range else {
        cut.outside.insert(0, bare);
        return Ok(cut);
    };
    let (before, rest) = split_off(&bare, first, zones)?;
    cut.outside.extend(before);
    if let Some(rest) = rest {
        let (inside, after) = split_off(&rest, last + 1, zones)?;
        cut.inside.splice(0..0, inside);
        cut.outside.extend(after);
    }
    Ok(cut)
}

/// A series cut at a window: what comes before it, what touches it, what
/// comes after.
#[derive(Debug, Default)]
pub struct Parts<'a> {
    /// What is over before the window.
    pub before: Option<Series<'a>>,
    /// What has any part in it.
    pub inside: Option<Series<'a>>,
    /// What starts after it.
    pub after: Option<Series<'a>>,
}

/// Cuts a series at a window. A series wholly on one side is that side.
pub fn parts_by_window<'a>(
    series: &Series<'a>,
    window: Window,
    zones: &ZoneResolver,
) -> Result<Parts<'a>, Refusal> {
    let touches = || {
        let found = occurrences_of(series, zones, window, Ceiling(1));
        !(found.list.is_empty() && found.cancelled.is_empty())
    };
    if !series.master().is_some_and(Event::repeats) {
        let whole = Some(series.clone());
        return Ok(if touches() {
            Parts { inside: whole, ..Parts::default() }
        } else if series.lead().start().date() < window.from {
            Parts { before: whole, ..Parts::default() }
        } else {
            Parts { after: whole, ..Parts::default() }
        });
    }
    let [from, until] = [window.from, window.until.tomorrow().unwrap_or(window.until)]
        .map(|date| on_own_clock(day_of(date) * SECONDS_A_DAY, series, zones));
    let from = first_reaching_in(series, window, zones).map_or(from, |first| first.min(from));
    let (before, rest) = split_off(series, from, zones)?;
    let Some(rest) = rest else { return Ok(Parts { before, ..Parts::default() }) };
    let (inside, after) = split_off(&rest, until, zones)?;
    Ok(Parts { before, inside, after })
}

/// Where on the clock of the series the first of its own dates starts that has a part in the
/// first day of a window.
fn first_reaching_in(series: &Series<'_>, window: Window, zones: &ZoneResolver) -> Option<i64> {
    let first_day = Window { from: window.from, until: window.from };
    let found = occurrences_of(series, zones, first_day, Ceiling::default());
    let own = found.list.iter().filter(|occurrence| occurrence.part == Part::Master);
    own.filter_map(|occurrence| on_clock_of(&occurrence.start, series.lead().start(), zones)).min()
}

/// A moment on the house's clock as one on the clock of the series.
fn on_own_clock(house: i64, series: &Series<'_>, zones: &ZoneResolver) -> i64 {
    let start = series.lead().start();
    match (zones.floating_zone(), zones.zone_of(start.zone())) {
        (Some(floating), Some(own)) if !start.is_date() => {
            own.transitions().clock_at(floating.transitions().instant_of(house))
        }
        _ => house,
    }
}
