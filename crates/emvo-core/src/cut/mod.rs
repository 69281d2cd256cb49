//! A series without some of its dates, or with some of them alone.
//!
//! Exceptions, overrides and the end of the rule stay consistent: what is left
//! has exactly the dates that it should have, as a series where that can be.

use jiff::civil::Date;

use crate::identity::derived_uid_of_parts;
use crate::retime::{Refusal, split_at_range, split_off};
use emvo_ical::calendar::{Event, EventTime, Reach, Series};
use emvo_ical::day::{SECONDS_A_DAY, clock_at, clock_seconds};
use emvo_ical::recurrence::{Ceiling, Occurrence, Part, Window, occurrences_of, on_clock_of};
use emvo_ical::zone::ZoneResolver;

/// A series cut at a window: the dates that touch it, and all others.
#[derive(Debug, Default)]
pub struct Cut<'a> {
    /// What has the dates inside.
    pub inside: Vec<Series<'a>>,
    /// What has the dates outside.
    pub outside: Vec<Series<'a>>,
}

/// Cuts a series at a window. A date is inside when any part of it is; an
/// override counts where it takes place itself.
pub fn cut_by_window<'a>(
    series: &Series<'a>,
    window: Window,
    zones: &ZoneResolver,
    ceiling: Ceiling,
) -> Result<Cut<'a>, Refusal> {
    // An override that stands for all later dates has a series of its own.
    if series.overrides().iter().any(|event| event.reach() == Reach::ThisAndFuture)
        && series.master().is_some()
    {
        let mut cut = Cut::default();
        for part in split_at_range(series, zones)? {
            let of_part = cut_by_window(&part, window, zones, ceiling)?;
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
            Cut { inside: none, outside: whole }
        } else {
            Cut { inside: whole, outside: none }
        });
    }
    if there.is_empty() {
        return Ok(Cut { inside: Vec::new(), outside: vec![series.clone()] });
    }
    cut_series(series, &there, zones)
}

/// Cuts a repeating series: the rule between the first and the last of its own
/// dates inside, overrides by where they take place.
fn cut_series<'a>(
    series: &Series<'a>,
    there: &[Occurrence],
    zones: &ZoneResolver,
) -> Result<Cut<'a>, Refusal> {
    let inside_override = |at: usize| there.iter().any(|occurrence| occurrence.part == Part::Override(at));
    let own = there.iter().filter(|occurrence| occurrence.part == Part::Master);
    let own: Vec<i64> = own.map(|occurrence| clock_seconds(occurrence.start.clock())).collect();
    let mut bare = series.clone();
    let mut cut = Cut::default();
    // Overrides leave the series, with an exception in their place, where they
    // are on the other side than the dates around their slot.
    let start = series.lead().start().clone();
    let range = own.first().copied().zip(own.last().copied());
    let mut detached = Vec::new();
    for (at, event) in series.overrides().iter().enumerate() {
        let slot = event.replaces().and_then(|slot| on_clock_of(slot, &start, zones));
        let slot_is_inside =
            slot.zip(range).is_some_and(|(slot, (first, last))| (first..=last).contains(&slot));
        if slot_is_inside != inside_override(at) {
            detached.push(at);
        }
    }
    for at in &detached {
        let event = series.overrides()[*at].clone();
        let single = as_single(event, series);
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

/// The overrides of a series as single events, and the series without the dates
/// that they replace. Overrides that stand for all later dates are split off
/// first (`retime::split_at_range`).
pub fn detach_overrides<'a>(series: &Series<'a>) -> Vec<Series<'a>> {
    let singles = series.overrides().iter().map(|event| as_single(event.clone(), series));
    let singles: Vec<Series<'a>> = singles.collect();
    if series.master().is_none() {
        return singles;
    }
    let mut bare = series.clone();
    let all: Vec<usize> = (0..series.overrides().len()).collect();
    except(&mut bare, &all);
    std::iter::once(bare).chain(singles).collect()
}

/// Replaces overrides by exceptions on the dates they replace.
fn except(series: &mut Series<'_>, numbers: &[usize]) {
    if numbers.is_empty() {
        return;
    }
    let slots: Vec<EventTime> =
        numbers.iter().filter_map(|at| series.overrides()[*at].replaces().cloned()).collect();
    let mut at = 0;
    series.overrides_mut().retain(|_| {
        at += 1;
        !numbers.contains(&(at - 1))
    });
    if let Some(master) = series.master_mut() {
        master.add_dates("EXDATE", &slots);
    }
}

fn as_single<'a>(mut event: Event<'a>, series: &Series<'a>) -> Series<'a> {
    let own = series.uid_text().into_owned();
    let slot = event.replaces().map(EventTime::to_string).unwrap_or_default();
    event.set_replaces(None);
    let mut single = Series::of(event);
    single.set_uid(&derived_uid_of_parts(&["single", &own, &slot], 0));
    single
}

/// What becomes of a series from which a date is taken.
#[derive(Debug)]
pub enum WithoutDate<'a> {
    /// This is left.
    Left(Box<Series<'a>>),
    /// Nothing is left.
    Nothing,
    /// It has no date on that day; these are the nearest.
    NoSuchDate(Vec<Date>),
}

/// How far around a day dates are looked for, to name the nearest.
const AROUND: i32 = 400;

/// Takes the date out that people see on a day: an exception for a date of the
/// rule, an override's own date for an override.
pub fn without_date<'a>(series: &Series<'a>, day: Date, zones: &ZoneResolver) -> WithoutDate<'a> {
    let there = on_day(series, day, zones);
    let Some(occurrence) = there.first() else {
        return WithoutDate::NoSuchDate(nearest(series, day, zones));
    };
    if !series.repeats() {
        return WithoutDate::Nothing;
    }
    let mut left = series.clone();
    match occurrence.part {
        Part::Override(at) if series.master().is_some() => except(&mut left, &[at]),
        Part::Override(at) => {
            left.overrides_mut().remove(at);
            if left.overrides().is_empty() {
                return WithoutDate::Nothing;
            }
        }
        Part::Master | Part::Later(_) => {
            let Some(slot) = slot_of(series, occurrence, zones) else {
                return WithoutDate::Left(Box::new(left));
            };
            if let Some(master) = left.master_mut() {
                master.add_dates("EXDATE", &[slot]);
            }
        }
    }
    if is_empty(&left, zones) { WithoutDate::Nothing } else { WithoutDate::Left(Box::new(left)) }
}

/// Ends a series before a day, which may lie between two of its dates. Later
/// exceptions and overrides go with their dates.
pub fn before_day<'a>(
    series: &Series<'a>,
    day: Date,
    zones: &ZoneResolver,
) -> Result<Option<Series<'a>>, Refusal> {
    if !series.master().is_some_and(Event::repeats) {
        let is_before = series.lead().start().date() < day;
        return Ok(is_before.then(|| series.clone()));
    }
    let moment = match on_day(series, day, zones).first() {
        Some(occurrence) => slot_of(series, occurrence, zones)
            .map_or(clock_seconds(occurrence.start.clock()), |slot| clock_seconds(slot.clock())),
        None => clock_seconds(day.at(0, 0, 0, 0)),
    };
    let (head, _) = split_off(series, moment, zones)?;
    Ok(head.filter(|head| !is_empty(head, zones)))
}

/// The slot on the master's clock that an occurrence stands for.
fn slot_of(series: &Series<'_>, occurrence: &Occurrence, zones: &ZoneResolver) -> Option<EventTime> {
    let master = series.master()?.start();
    match occurrence.part {
        Part::Master => Some(occurrence.start.clone()),
        Part::Override(at) => series.overrides().get(at)?.replaces().cloned(),
        Part::Later(at) => {
            let event = series.overrides().get(at)?;
            let slot = on_clock_of(event.replaces()?, master, zones)?;
            let shift = clock_seconds(event.start().clock()) - slot;
            clock_at(clock_seconds(occurrence.start.clock()) - shift).map(|clock| master.at_clock(clock))
        }
    }
}

/// The dates that start on a day, on their own clock.
fn on_day(series: &Series<'_>, day: Date, zones: &ZoneResolver) -> Vec<Occurrence> {
    let mut there = around(series, day, 2, zones);
    there.retain(|occurrence| occurrence.start.date() == day);
    there
}

fn around(series: &Series<'_>, day: Date, days: i32, zones: &ZoneResolver) -> Vec<Occurrence> {
    let span = jiff::Span::new().days(days);
    let window = Window { from: day.saturating_sub(span), until: day.saturating_add(span) };
    occurrences_of(series, zones, window, Ceiling::default()).list
}

/// The dates nearest to a day, at most two before and two after it.
fn nearest(series: &Series<'_>, day: Date, zones: &ZoneResolver) -> Vec<Date> {
    let dates: Vec<Date> =
        around(series, day, AROUND, zones).iter().map(|occurrence| occurrence.start.date()).collect();
    let (before, after): (Vec<Date>, Vec<Date>) = dates.into_iter().partition(|date| *date < day);
    let skipped = before.len().saturating_sub(2);
    before.into_iter().skip(skipped).chain(after.into_iter().take(2)).collect()
}

fn is_empty(series: &Series<'_>, zones: &ZoneResolver) -> bool {
    let start = clock_seconds(series.lead().start().clock());
    let from = clock_at(start - 2 * SECONDS_A_DAY).map_or(Date::MIN, jiff::civil::DateTime::date);
    let window = Window { from, until: Date::constant(9999, 12, 31) };
    let found = occurrences_of(series, zones, window, Ceiling(1));
    found.list.is_empty() && found.cancelled.is_empty() && found.unreadable.is_empty()
}

#[cfg(test)]
mod tests;
