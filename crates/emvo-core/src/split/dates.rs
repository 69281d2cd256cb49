//! A series without one of its dates, or ended before a day.
//!
//! Exceptions, overrides and the end of the rule stay consistent: what is left
//! has exactly the dates that it should have.

use jiff::civil::Date;

use super::{except, split_off};
use crate::edit::Refusal;
use emvo_ical::calendar::{Event, EventTime, Series};
use emvo_ical::day::{SECONDS_A_DAY, clock_at, clock_seconds};
use emvo_ical::recurrence::{Ceiling, Occurrence, Part, Window, occurrences_of, on_clock_of};
use emvo_ical::zone::ZoneResolver;

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
