//! Times that keep their place on the clock: read in another zone, pinned,
//! shifted by a length.

use super::Retimed;
use crate::edit::{
    Refusal, Role, RuleEnd, later, map_event, map_rules, map_series, move_rules, until_at,
    with_dates_in_zone_of_start,
};
use emvo_ical::calendar::{EventTime, Series, ZoneRef};
use emvo_ical::day::SECONDS_A_DAY;
use emvo_ical::recurrence::Rule;
use emvo_ical::zone::{Zone, ZoneResolver};

/// The clock time was right, the zone was wrong: every time keeps what its
/// clock shows, in another zone.
pub fn read_as<'a>(series: &Series<'a>, zone: &Zone, zones: &ZoneResolver) -> Retimed<'a> {
    // An exception in UTC is a moment on the series' own clock, as that was read before.
    rezone(&with_dates_in_zone_of_start(series, zones, &[]), zone, zones, |time| !time.is_date())
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
    // A change of the clock between may part an exception in UTC from its date.
    let mut new = with_dates_in_zone_of_start(series, zones, &[]);
    map_series(&mut new, |_, time| later(time, seconds));
    match move_rules(series, &mut new, seconds, zones, RuleEnd::MovesAlong) {
        Ok(()) => Retimed::Done(vec![new]),
        Err(refusal) => Retimed::Refused(refusal),
    }
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
