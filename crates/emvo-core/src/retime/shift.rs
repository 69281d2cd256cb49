//! Times that keep their place on the clock: read in another zone, pinned,
//! shifted by a length.

use super::times::{Role, map_rules, map_series};
use super::{Refusal, Retimed};
use emvo_ical::calendar::{EventTime, Series, ZoneRef};
use emvo_ical::day::{SECONDS_A_DAY, civil, clock_at, clock_seconds};
use emvo_ical::recurrence::{Frequency, Last, Rule, Starts, Weekday};
use emvo_ical::zone::{Zone, ZoneResolver};

/// How many dates of a moved rule are compared with those of the old one.
const COMPARED: usize = 600;

/// The clock time was right, the zone was wrong: every time keeps what its
/// clock shows, in another zone.
pub fn read_as<'a>(series: &Series<'a>, zone: &Zone, zones: &ZoneResolver) -> Retimed<'a> {
    rezone(series, zone, zones, |time| !time.is_date())
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

/// Later by so many seconds on the clock of each time. Whole days move by whole
/// days only.
pub fn shift<'a>(series: &Series<'a>, seconds: i64, zones: &ZoneResolver) -> Retimed<'a> {
    if seconds == 0 {
        return Retimed::Untouched;
    }
    if series.events().any(emvo_ical::calendar::Event::is_all_day) && seconds % SECONDS_A_DAY != 0 {
        return Retimed::Refused(Refusal::WholeDays);
    }
    let mut new = series.clone();
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
        super::times::map_event(event, &mut |role, time| match time.zone() {
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

/// The time so many seconds later on its own clock.
pub(super) fn later(time: &EventTime, seconds: i64) -> EventTime {
    clock_at(clock_seconds(time.clock()) + seconds).map_or_else(|| time.clone(), |clock| time.at_clock(clock))
}

/// What becomes of the end of a rule when its dates move.
#[derive(Clone, Copy, Debug)]
pub(super) enum RuleEnd<'z> {
    /// It moves along on the clock of its series.
    MovesAlong,
    /// It moves along on the clock, which is that of another zone from here on.
    MovesIntoZone(&'z Zone),
    /// The dates stay the same instants, and so does the end.
    KeepsInstant,
}

/// The end of a rule whose dates move by so many seconds on the clock.
fn until_at(
    until: &EventTime,
    start: &EventTime,
    zones: &ZoneResolver,
    seconds: i64,
    end: RuleEnd<'_>,
) -> EventTime {
    let (seconds, zone) = match end {
        RuleEnd::MovesAlong => (seconds, None),
        RuleEnd::MovesIntoZone(zone) => (seconds, Some(zone)),
        RuleEnd::KeepsInstant if *until.zone() == ZoneRef::Utc => return until.clone(),
        // A local end of a floating series becomes the instant it was read as.
        RuleEnd::KeepsInstant => {
            let instant = zones.zone_of(start.zone()).filter(|_| !until.is_date());
            let instant = instant.map(|own| own.transitions().instant_of(clock_seconds(until.clock())));
            return match instant.and_then(clock_at) {
                Some(at) => EventTime::Clock { at, zone: ZoneRef::Utc },
                None => later(until, seconds.div_euclid(SECONDS_A_DAY) * SECONDS_A_DAY),
            };
        }
    };
    if until.is_date() {
        return later(until, seconds.div_euclid(SECONDS_A_DAY) * SECONDS_A_DAY);
    }
    let old = zones.zone_of(start.zone());
    let new = zone.or(old.as_ref());
    let clock = match (until.zone(), &old) {
        (ZoneRef::Utc, Some(old)) => old.transitions().clock_at(clock_seconds(until.clock())),
        _ => clock_seconds(until.clock()),
    } + seconds;
    match new {
        // RFC 5545 section 3.3.10: in UTC wherever the start has a zone.
        Some(new) if *until.zone() == ZoneRef::Utc || zone.is_some() => {
            let instant = new.transitions().instant_of(clock);
            clock_at(instant).map_or_else(|| until.clone(), |at| EventTime::Clock { at, zone: ZoneRef::Utc })
        }
        _ => later(until, seconds),
    }
}

/// Moves the rules of a series whose times were moved by so many seconds on the
/// clock, and proves it: the dates of the new rule are those of the old one,
/// moved. What cannot be put for the new time is refused.
pub(super) fn move_rules(
    old: &Series<'_>,
    new: &mut Series<'_>,
    seconds: i64,
    zones: &ZoneResolver,
    end: RuleEnd<'_>,
) -> Result<(), Refusal> {
    let start = old.lead().start().clone();
    map_rules(
        new,
        |rule| {
            let refusal = || Refusal::Rule { rule: rule.to_string() };
            let mut moved = moved_rule(rule, clock_seconds(start.clock()), seconds).ok_or_else(refusal)?;
            if !is_moved_alike(rule, &moved, &start, seconds) {
                return Err(refusal());
            }
            moved.until = rule.until.as_ref().map(|until| until_at(until, &start, zones, seconds, end));
            Ok(moved)
        },
        |rule, _| Refusal::UnreadableRule { rule },
    )
}

/// Whether the first dates of a moved rule are those of the old one, moved.
fn is_moved_alike(old: &Rule, new: &Rule, start: &EventTime, seconds: i64) -> bool {
    let Some(new_start) = clock_at(clock_seconds(start.clock()) + seconds) else { return false };
    let old = Starts::new(old, start.clock(), Last::Open).take(COMPARED);
    let new = Starts::new(new, new_start, Last::Open).take(COMPARED);
    old.map(|moment| moment + seconds).eq(new)
}

/// The rule whose dates are so many seconds later, without its `UNTIL`. A
/// candidate: whether it really has those dates is for the caller to prove.
fn moved_rule(rule: &Rule, start: i64, seconds: i64) -> Option<Rule> {
    let days = (start + seconds).div_euclid(SECONDS_A_DAY) - start.div_euclid(SECONDS_A_DAY);
    let mut moved = rule.clone();
    if !rule.by_hour.is_empty() || !rule.by_minute.is_empty() || !rule.by_second.is_empty() {
        move_times(&mut moved, seconds)?;
    }
    if days == 0 {
        return Some(moved);
    }
    for day in &mut moved.by_day {
        day.weekday = Weekday::after_monday(day.weekday.number() + days);
    }
    moved.by_day.sort_unstable();
    if rule.frequency == Frequency::Weekly {
        // The week moves along, so that every second week stays the same one.
        moved.week_start = Weekday::after_monday(rule.week_start.number() + days);
    }
    for day in moved.by_month_day.iter_mut().chain(&mut moved.by_year_day) {
        let place = i64::from(*day) + days;
        let crosses = (*day > 0) != (place > 0);
        *day = i16::try_from(place).ok().filter(|_| !crosses)?;
    }
    if !rule.by_month.is_empty() && rule.by_month_day.is_empty() && rule.by_day.is_empty() {
        move_months(&mut moved, start, days);
    }
    Some(moved)
}

/// A yearly rule that names months takes its day from the start: where that
/// moves into another month, so do the months.
fn move_months(rule: &mut Rule, start: i64, days: i64) {
    let day = start.div_euclid(SECONDS_A_DAY);
    let (old, new) = (civil(day).1, civil(day + days).1);
    for month in &mut rule.by_month {
        *month = i16::try_from((i64::from(*month) - 1 + new - old).rem_euclid(12) + 1).unwrap_or(*month);
    }
    rule.by_month.sort_unstable();
}

fn move_times(rule: &mut Rule, seconds: i64) -> Option<()> {
    if seconds % 3600 != 0 {
        return None;
    }
    for hour in &mut rule.by_hour {
        let moved = (i64::from(*hour) + seconds / 3600).rem_euclid(24);
        *hour = i16::try_from(moved).ok()?;
    }
    rule.by_hour.sort_unstable();
    Some(())
}
