//! A rule whose dates move by a length on the clock.
//!
//! A rule says its dates by weekday, by day of the month and by hour, so moving
//! its start is not enough. Every second Monday at 23:30, an hour later, is
//! every second Tuesday at 00:30: `BYDAY=MO;WKST=MO` becomes `BYDAY=TU;WKST=TU`.
//! The last Friday of a month, a day later, has no such form: the day after a
//! month's last Friday is not its last Saturday.
//!
//! So a candidate is built, its dates are compared with the moved dates of the
//! old rule, and a candidate that differs is refused.

use super::Refusal;
use super::times::map_rules;
use emvo_ical::calendar::{EventTime, Series, ZoneRef};
use emvo_ical::day::{SECONDS_A_DAY, civil, clock_at, clock_seconds};
use emvo_ical::recurrence::{Frequency, Last, Rule, Starts, Weekday};
use emvo_ical::zone::{Zone, ZoneResolver};

/// How many dates of a moved rule are compared with those of the old one.
const COMPARED: usize = 600;

/// The time a number of seconds later on its own clock.
pub(crate) fn later(time: &EventTime, seconds: i64) -> EventTime {
    clock_at(clock_seconds(time.clock()).saturating_add(seconds))
        .map_or_else(|| time.clone(), |clock| time.at_clock(clock))
}

/// What becomes of the end of a rule when its dates move.
#[derive(Clone, Copy, Debug)]
pub(crate) enum RuleEnd<'z> {
    /// It moves along on the clock of its series.
    MovesAlong,
    /// It moves along on the clock, which is that of another zone from here on.
    MovesIntoZone(&'z Zone),
    /// The dates stay the same instants, and so does the end.
    KeepsInstant,
}

/// The end of a rule whose dates move by a number of seconds on the clock.
pub(crate) fn until_at(
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

/// Moves the rules of a series whose times were moved by a number of seconds on the
/// clock, and proves it: the dates of the new rule are those of the old one,
/// moved. What cannot be put for the new time is refused.
pub(crate) fn move_rules(
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

/// The rule whose dates are a number of seconds later, without its `UNTIL`. A
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
