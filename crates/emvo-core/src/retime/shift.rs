//! Times that keep their place on the clock: read in another zone, pinned,
//! shifted by a length.

use super::Retimed;
use crate::edit::{Refusal, Role, RuleEnd, later, map_event, map_rules, map_series, move_rules, until_at};
use emvo_ical::calendar::{EventTime, Series, ZoneRef};
use emvo_ical::day::{SECONDS_A_DAY, clock_at, clock_seconds};
use emvo_ical::recurrence::{Rule, on_clock_of};
use emvo_ical::zone::{Zone, ZoneResolver};

/// The clock time was right, the zone was wrong: every time keeps what its
/// clock shows, in another zone.
pub fn read_as<'a>(series: &Series<'a>, zone: &Zone, zones: &ZoneResolver) -> Retimed<'a> {
    rezone(&with_slots_on_own_clock(series, zones), zone, zones, |time| !time.is_date())
}

/// Times without a zone get one.
pub fn pin<'a>(series: &Series<'a>, zone: &Zone, zones: &ZoneResolver) -> Retimed<'a> {
    rezone(series, zone, zones, |time| !time.is_date() && *time.zone() == ZoneRef::Floating)
}

fn rezone<'a>(
    series: &Series<'a>,
    zone: &Zone,
    zones: &ZoneResolver,
    is_meant: impl Fn(&EventTime) -> bool,
) -> Retimed<'a> {
    let own = zone.to_ref();
    let mut is_touched = false;
    let mut new = series.clone();
    let old_start = series.lead().start().clone();
    map_series(&mut new, |_, time| {
        if is_meant(time) && *time.zone() != own {
            is_touched = true;
            EventTime::Clock { at: time.clock(), zone: own.clone() }
        } else {
            time.clone()
        }
    });
    if !is_touched {
        return Retimed::Untouched;
    }
    let end_of_rule = |rule: &Rule| {
        let mut rule = rule.clone();
        rule.until =
            rule.until.map(|until| until_at(&until, &old_start, zones, 0, RuleEnd::MovesIntoZone(zone)));
        Ok(rule)
    };
    match map_rules(&mut new, end_of_rule, |rule, _| Refusal::UnreadableRule { rule }) {
        Ok(()) => Retimed::Done(vec![new]),
        Err(refusal) => Retimed::Refused(refusal),
    }
}

/// Later by a number of seconds on the clock of each time. Whole days move by whole
/// days only.
pub fn shift<'a>(series: &Series<'a>, seconds: i64, zones: &ZoneResolver) -> Retimed<'a> {
    if seconds == 0 {
        return Retimed::Untouched;
    }
    if series.events().any(emvo_ical::calendar::Event::is_all_day) && seconds % SECONDS_A_DAY != 0 {
        return Retimed::Refused(Refusal::WholeDays);
    }
    let mut new = with_slots_on_own_clock(series, zones);
    let mut beyond = None;
    map_series(&mut new, |_, time| {
        if clock_at(clock_seconds(time.clock()).saturating_add(seconds)).is_none() {
            beyond = Some(time.to_string());
        }
        later(time, seconds)
    });
    if let Some(time) = beyond {
        return Retimed::Refused(Refusal::OutOfRange { time });
    }
    match move_rules(series, &mut new, seconds, zones, RuleEnd::MovesAlong) {
        Ok(()) => Retimed::Done(vec![new]),
        Err(refusal) => Retimed::Refused(refusal),
    }
}

/// A series with each exception, further date and replaced date on its own clock, where it
/// meets the same date as before. One in UTC names an instant, which another zone, or a change
/// of the clock on the way, would part from its date.
fn with_slots_on_own_clock<'a>(series: &Series<'a>, zones: &ZoneResolver) -> Series<'a> {
    let start = series.lead().start().clone();
    let mut new = series.clone();
    if *start.zone() == ZoneRef::Floating {
        return new;
    }
    map_series(&mut new, |role, time| {
        let is_elsewhere = role == Role::Slot && !time.is_date() && time.zone() != start.zone();
        let moment = is_elsewhere.then(|| on_clock_of(time, &start, zones)).flatten();
        moment.and_then(clock_at).map_or_else(|| time.clone(), |at| start.at_clock(at))
    });
    new
}

/// A series in UTC gets the clock of a zone (rule Z06): the same instant at its
/// start, the same clock time from there on. Exceptions and the end of its rule
/// move along, and so does an override that keeps its series' time; one with a
/// time of its own keeps its instant.
pub fn localise<'a>(series: &Series<'a>, zone: &Zone, zones: &ZoneResolver) -> Retimed<'a> {
    let start = series.lead().start();
    let (Some(instant), ZoneRef::Utc) = (zones.instant(start), start.zone()) else {
        return Retimed::Untouched;
    };
    let seconds = i64::from(zone.transitions().offset_at(instant));
    let own = zone.to_ref();
    let mut new = series.clone();
    for event in new.events_mut() {
        let keeps_time = event.replaces().is_none_or(|replaces| replaces == event.start());
        map_event(event, &mut |role, time| match time.zone() {
            ZoneRef::Utc if role == Role::Slot || keeps_time => {
                let moved = later(time, seconds);
                EventTime::Clock { at: moved.clock(), zone: own.clone() }
            }
            ZoneRef::Utc => zones.time_in(time, zone).unwrap_or_else(|| time.clone()),
            ZoneRef::Floating | ZoneRef::Named(_) => time.clone(),
        });
    }
    match move_rules(series, &mut new, seconds, zones, RuleEnd::MovesIntoZone(zone)) {
        Ok(()) => Retimed::Done(vec![new]),
        Err(refusal) => Retimed::Refused(refusal),
    }
}
