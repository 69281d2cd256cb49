//! The same instants, written in another zone.

use super::Retimed;
use crate::edit::{Refusal, RuleEnd, map_series, move_rules};
use crate::split::split_off;
use emvo_ical::calendar::{Duration, Event, Extent, Series, ZoneRef};
use emvo_ical::day::{SECONDS_A_DAY, clock_seconds};
use emvo_ical::recurrence::{Last, Rule, Starts, last_of, own_end};
use emvo_ical::zone::{Transitions, Zone, ZoneResolver};

/// How many dates are looked at to find where one rule does not do.
const MOST_DATES: usize = 100_000;

/// Writes a series in another zone, every occurrence at its instant.
///
/// Where the two zones do not keep the same distance over the series' dates,
/// it is split where the distance changes. The second pass of an hour that the
/// zone repeats cannot be written there and stays in UTC.
///
/// A length in days is nominal: over a change of the clocks it is an hour more or
/// less than in a zone without that change, so there its end is stated.
///
/// ```text
/// in Europe/Stockholm              in UTC
/// 28 Mar 09:00, P1D                28 Mar 08:00 – 29 Mar 07:00, 23 hours
/// ```
pub fn express_in<'a>(series: &Series<'a>, zone: &Zone, zones: &ZoneResolver) -> Retimed<'a> {
    let start = series.lead().start();
    if start.is_date() || series.events().all(|event| is_all_in(event, zone)) {
        return Retimed::Untouched;
    }
    let Some(own) = zones.zone_of(start.zone()) else {
        return match start.zone() {
            // Nothing ties a floating time to an instant.
            ZoneRef::Floating | ZoneRef::Utc => Retimed::Untouched,
            ZoneRef::Named(name) => Retimed::Refused(Refusal::UnknownZone { zone: name.to_string() }),
        };
    };
    let pieces = match pieces(series, &own, zone, zones) {
        Ok(pieces) => pieces,
        Err(refusal) => return Retimed::Refused(refusal),
    };
    let mut done = Vec::with_capacity(pieces.len());
    for piece in pieces {
        match express_piece(&piece, &own, zone, zones) {
            Ok(piece) => done.push(piece),
            Err(refusal) => return Retimed::Refused(refusal),
        }
    }
    Retimed::Done(done)
}

fn is_all_in(event: &Event<'_>, zone: &Zone) -> bool {
    *event.start().zone() == zone.to_ref() && *event.end().zone() == zone.to_ref()
}

/// How far the clock of one zone is ahead of another's at a moment on the
/// other's clock; nothing where the clock time could not be read back.
fn distance(moment: i64, own: &Transitions, zone: &Transitions) -> Option<i64> {
    let instant = own.instant_of(moment);
    let clock = zone.clock_at(instant);
    (zone.instant_of(clock) == instant).then_some(clock - moment)
}

/// What one rule keeps in the other zone from a date on.
#[derive(Clone, Copy, PartialEq, Eq)]
struct Shape {
    distance: Option<i64>,
    /// The exact length, where the nominal one would not be the same there.
    odd_length: Option<i64>,
}

impl Shape {
    /// At a moment on the own zone's clock.
    fn at(moment: i64, nominal: Option<Duration>, own: &Transitions, zone: &Transitions) -> Self {
        let instant = own.instant_of(moment);
        let odd_length = nominal.and_then(|Duration { days, seconds }| {
            let lasts = |clock: i64, zone: &Transitions| {
                zone.instant_of(clock + days * SECONDS_A_DAY) + seconds - instant
            };
            let here = lasts(moment, own);
            (here != lasts(zone.clock_at(instant), zone)).then_some(here)
        });
        Self { distance: distance(moment, own, zone), odd_length }
    }
}

/// The length of an event, if it is one in days.
fn nominal_length(event: &Event<'_>) -> Option<Duration> {
    match event.extent() {
        Extent::Length(length) if length.days != 0 => Some(*length),
        Extent::Length(_) | Extent::End(_) | Extent::Unstated => None,
    }
}

/// Cuts a series where the distance between the zones changes between two of
/// its dates.
fn pieces<'a>(
    series: &Series<'a>,
    own: &Zone,
    zone: &Zone,
    zones: &ZoneResolver,
) -> Result<Vec<Series<'a>>, Refusal> {
    let Some(master) = series.master().filter(|master| master.repeats()) else {
        return Ok(vec![series.clone()]);
    };
    let mut cuts = Vec::new();
    let nominal = nominal_length(master);
    let mut before: Option<Shape> = None;
    for text in master.rules() {
        let rule = Rule::parse(&text).map_err(|_| Refusal::UnreadableRule { rule: text.into_owned() })?;
        if rule.is_endless() && always_same_distance(master, own, zone) {
            continue;
        }
        let last = last_of(&rule, master.start(), zones);
        for (count, moment) in Starts::new(&rule, master.start().clock(), last).enumerate() {
            if count >= MOST_DATES {
                return Err(Refusal::Ceiling);
            }
            let here = Shape::at(moment, nominal, own.transitions(), zone.transitions());
            if before.is_some_and(|before| before != here) {
                if rule.is_endless() && last == Last::Open {
                    return Err(Refusal::Endless { zone: zone.name().to_owned() });
                }
                cuts.push(moment);
            }
            before = Some(here);
        }
    }
    split_at_all(series, &cuts, zones)
}

/// A series in parts that start at these moments.
fn split_at_all<'a>(
    series: &Series<'a>,
    moments: &[i64],
    zones: &ZoneResolver,
) -> Result<Vec<Series<'a>>, Refusal> {
    let mut parts = Vec::with_capacity(moments.len() + 1);
    let mut rest = Some(series.clone());
    for moment in moments {
        let Some(current) = rest.take() else { break };
        let (head, tail) = split_off(&current, *moment, zones)?;
        parts.extend(head);
        rest = tail;
    }
    parts.extend(rest);
    Ok(parts)
}

/// Whether two zones keep the same distance from a series' start for as long
/// as changes are known.
fn always_same_distance(master: &Event<'_>, own: &Zone, zone: &Zone) -> bool {
    let from = own.transitions().instant_of(clock_seconds(master.start().clock()));
    let apart = |instant: i64| zone.transitions().offset_at(instant) - own.transitions().offset_at(instant);
    let first = apart(from);
    let changes = [own, zone].map(|zone| zone.transitions().transition_instants(from));
    changes.into_iter().flatten().all(|instant| apart(instant) == first)
}

fn express_piece<'a>(
    series: &Series<'a>,
    own: &Zone,
    zone: &Zone,
    zones: &ZoneResolver,
) -> Result<Series<'a>, Refusal> {
    let start = clock_seconds(series.lead().start().clock());
    let target = match distance(start, own.transitions(), zone.transitions()) {
        Some(_) => zone.clone(),
        None => Zone::utc(),
    };
    let mut new = series.clone();
    map_series(&mut new, |_, time| zones.time_in(time, &target).unwrap_or_else(|| time.clone()));
    let moved = clock_seconds(new.lead().start().clock()) - start;
    move_rules(series, &mut new, moved, zones, RuleEnd::KeepsInstant)?;
    for (before, after) in series.events().zip(new.events_mut()) {
        keep_end(before, after, &target, zones);
    }
    Ok(new)
}

/// States the end of an event whose length in days would end at another instant in the
/// zone.
fn keep_end(before: &Event<'_>, after: &mut Event<'_>, zone: &Zone, zones: &ZoneResolver) {
    if nominal_length(after).is_none() {
        return;
    }
    let end = own_end(before, zones);
    if zones.instant(&end) != zones.instant(&own_end(after, zones))
        && let Some(end) = zones.time_in(&end, zone)
    {
        after.set_extent(Extent::End(end));
    }
}
