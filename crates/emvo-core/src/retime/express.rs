//! The same instants, written in another zone.

use super::Retimed;
use crate::edit::{Refusal, RuleEnd, map_series, move_rules};
use crate::split::split_off;
use emvo_ical::calendar::{Event, Series, ZoneRef};
use emvo_ical::day::clock_seconds;
use emvo_ical::recurrence::{Last, Rule, Starts, last_of};
use emvo_ical::zone::{Transitions, Zone, ZoneResolver};

/// How many dates are looked at to find where one rule does not do.
const MOST_DATES: usize = 100_000;

/// Writes a series in another zone, every occurrence at its instant.
///
/// Where the two zones do not keep the same distance over the series' dates,
/// it is split where the distance changes. The second pass of an hour that the
/// zone repeats cannot be written there and stays in UTC.
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
    let mut last_distance: Option<Option<i64>> = None;
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
            let here = distance(moment, own.transitions(), zone.transitions());
            if last_distance.is_some_and(|before| before != here) {
                if rule.is_endless() && last == Last::Open {
                    return Err(Refusal::Endless { zone: zone.name().to_owned() });
                }
                cuts.push(moment);
            }
            last_distance = Some(here);
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
    Ok(new)
}
