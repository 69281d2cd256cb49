//! Why occurrences are at other times: a zone read as another, an offset, days,
//! lengths, overrides that were lost.

use std::collections::BTreeMap;

use hashbrown::HashSet;
use rayon::prelude::*;

use super::{ENOUGH, Evidence, days, occurrences_are};
use crate::calendar::{Duration, EventTime, ZoneRef};
use crate::identity::Moment;
use crate::reconcile::record::{Record, Slot};
use crate::reconcile::{CauseKind, DifferenceKind};
use crate::recurrence::day::clock_seconds;
use crate::zone::{Behaviour, Zone};

/// Of ten occurrences so many have to fit for a zone to be named.
const MOST_OF_TEN: usize = 9;

fn pair<'e>(evidence: &Evidence<'e, '_, '_>, at: usize) -> Option<(&'e Record, &'e Record)> {
    let found = &evidence.found[at];
    Some((&evidence.source.list[found.source?], &evidence.result.list[found.result?]))
}

/// Overrides whose date is there as the series would have it.
pub(super) fn overrides_lost(evidence: &mut Evidence<'_, '_, '_>) {
    let mut candidates = evidence.free(DifferenceKind::Retimed);
    candidates.extend(evidence.free(DifferenceKind::Altered));
    let is_as_series = |at: &usize| {
        let Some((source, result)) = pair(evidence, *at) else { return false };
        let Slot::Replaces(slot) = &source.slot else { return false };
        if **slot != result.start {
            return false;
        }
        // A changed date that kept its time shows in its words.
        let series = evidence.source.series(evidence.found[*at].source.unwrap_or_default());
        let title = series.lead().title().unwrap_or_default();
        source.start != result.start
            || source.end != result.end
            || evidence.result.told(evidence.found[*at].result.unwrap_or_default()).title
                == crate::identity::normalised(&title)
    };
    let members: Vec<usize> = candidates.into_iter().filter(is_as_series).collect();
    if members.is_empty() {
        return;
    }
    let count = members.len();
    let dates = if count == 1 { "changed date of a series is" } else { "changed dates of series are" };
    let summary = format!("{count} {dates} there as the series has it: overrides were lost");
    let todo = "let changed dates be events of their own: `series = \"plain\"` in a limits file, and emvo merge --limits";
    evidence.name(CauseKind::OverridesLost, &members, summary, Some(todo.to_owned()));
}

/// Whole days that are off by days: all of it, or its end alone.
pub(super) fn whole_days(evidence: &mut Evidence<'_, '_, '_>) {
    let mut starts: BTreeMap<(&str, i64), Vec<usize>> = BTreeMap::new();
    let mut ends: BTreeMap<(&str, i64), Vec<usize>> = BTreeMap::new();
    for at in evidence.free(DifferenceKind::Retimed) {
        let Some((source, result)) = pair(evidence, at) else { continue };
        let (Some(first), Some(second)) = (date_of(&source.start), date_of(&result.start)) else { continue };
        let path = evidence.difference(at).path.as_str();
        if first == second {
            let end = date_of(&source.end).zip(date_of(&result.end));
            let by = end.map_or(0, |(one, two)| two - one);
            ends.entry((path, by)).or_default().push(at);
        } else {
            starts.entry((path, second - first)).or_default().push(at);
        }
    }
    for ((path, by), members) in starts {
        let summary = format!(
            "{} whole-day {} {} {}, all from {path}",
            members.len(),
            occurrences_are(members.len()),
            shown_length(by),
            if by > 0 { "late" } else { "early" }
        );
        let todo = format!(
            "the days were taken for midnights in some zone: emvo repair {path} --consent D04 -o repaired/"
        );
        evidence.name(CauseKind::DayShift, &members, summary, Some(todo));
    }
    for ((path, by), members) in ends {
        let count = members.len();
        let summary = format!(
            "{count} whole-day {} {} too {}, all from {path}: the end was read {}",
            occurrences_are(count),
            shown_length(by),
            if by > 0 { "long" } else { "short" },
            if by > 0 {
                "as the last day instead of the day after it"
            } else {
                "as the day after instead of the last day"
            }
        );
        let todo = "say so in a limits file (`all_day_end = \"inclusive\"`), and try it with emvo rehearse"
            .to_owned();
        evidence.name(CauseKind::EndDay, &members, summary, Some(todo));
    }
}

fn date_of(moment: &Moment) -> Option<i64> {
    match moment {
        Moment::Unbound(time) if time.is_date() => Some(clock_seconds(time.clock())),
        _ => None,
    }
}

/// Times that moved: by one offset, or as another zone's clock has them.
pub(super) fn zones_and_offsets(evidence: &mut Evidence<'_, '_, '_>) {
    let moved: Vec<usize> = evidence
        .free(DifferenceKind::Retimed)
        .into_iter()
        .filter(|at| pair(evidence, *at).is_some_and(|(one, two)| one.start != two.start))
        .collect();
    for (path, members) in evidence.by_path(&moved) {
        let mut by_zone: BTreeMap<String, Vec<usize>> = BTreeMap::new();
        for at in members {
            let zone = pair(evidence, at).map(|(source, _)| source.shown_start.zone().clone());
            by_zone.entry(zone_name(zone.as_ref())).or_default().push(at);
        }
        for members in by_zone.into_values() {
            name_swap(evidence, path, &members);
        }
    }
    name_shifts(evidence);
}

fn zone_name(zone: Option<&ZoneRef>) -> String {
    match zone {
        Some(ZoneRef::Named(name)) => name.to_string(),
        Some(ZoneRef::Utc) => "UTC".to_owned(),
        Some(ZoneRef::Floating) | None => String::new(),
    }
}

/// The instants of a pair, where both have one.
fn instants(evidence: &Evidence<'_, '_, '_>, at: usize) -> Option<(i64, i64)> {
    match pair(evidence, at)? {
        (Record { start: Moment::Instant(one), .. }, Record { start: Moment::Instant(two), .. }) => {
            Some((*one, *two))
        }
        _ => None,
    }
}

/// Names the zone as whose clock the times of another were read, if the shift
/// depends on the date as the two zones do.
fn name_swap(evidence: &mut Evidence<'_, '_, '_>, path: &str, members: &[usize]) {
    let Some(own) = members.first().and_then(|at| own_zone(evidence, *at)) else { return };
    let all: Vec<(usize, i64, i64)> =
        members.iter().filter_map(|at| instants(evidence, *at).map(|(one, two)| (*at, one, two))).collect();
    if all.len() < ENOUGH {
        return;
    }
    let still = unmoved(evidence, members);
    let mut best: Option<(Vec<usize>, usize, Candidate)> = None;
    for candidate in candidates(evidence, &own) {
        let read = |instant: i64| candidate.behaviour.instant_of(own.behaviour().clock_at(instant));
        let fit: Vec<usize> =
            all.iter().filter(|(_, one, two)| read(*one) == *two).map(|(at, ..)| *at).collect();
        // Those that did not move speak for a zone that has them where they are.
        let at_rest = still.iter().filter(|instant| read(**instant) == **instant).count();
        let is_better =
            best.as_ref().is_none_or(|(known, rest, _)| (fit.len(), at_rest) > (known.len(), *rest));
        if fit.len() * 10 >= all.len() * MOST_OF_TEN && is_better {
            best = Some((fit, at_rest, candidate));
        }
    }
    let Some((fit, _, candidate)) = best else { return };
    let shifts: std::collections::BTreeSet<i64> =
        all.iter().filter(|(at, ..)| fit.contains(at)).map(|(_, one, two)| two - one).collect();
    let (first, last) = days(evidence, &fit);
    let amount = match (shifts.first(), shifts.last()) {
        (Some(one), Some(two)) if one == two => {
            format!("{} {}", shown_length(*one), if *one > 0 { "late" } else { "early" })
        }
        _ => "at other times".to_owned(),
    };
    let is_dated = shifts.len() > 1 || is_only_part_of_year(evidence, &own, &candidate, &fit);
    let summary = format!(
        "{} {} {amount}, {}between {first} and {last}, all from {path}: their {} times were read as {}",
        fit.len(),
        occurrences_are(fit.len()),
        if is_dated && shifts.len() == 1 { "only while summer time differs, " } else { "" },
        own.name(),
        candidate.name
    );
    let todo = candidate.zone.map_or_else(
        || {
            format!(
                "give the destination UTC: emvo retime {path} --express-in UTC -o in-utc.ics, and import that"
            )
        },
        |zone| format!("emvo retime {path} --express-in {zone} -o fitted.ics, and import that instead"),
    );
    let kind = if is_dated { CauseKind::ZoneSwap } else { CauseKind::OffsetShift };
    evidence.name(kind, &fit, summary, Some(todo));
}

/// The instants of occurrences with the titles and the zone of those that moved,
/// that did not.
fn unmoved(evidence: &Evidence<'_, '_, '_>, moved: &[usize]) -> Vec<i64> {
    let sources: HashSet<usize> = moved.iter().filter_map(|at| evidence.found[*at].source).collect();
    let titles: HashSet<&str> = sources.iter().map(|at| evidence.source.told(*at).title.as_ref()).collect();
    let Some(sample) = sources.iter().next().map(|at| &evidence.source.list[*at]) else { return Vec::new() };
    let others = evidence.source.list.iter().enumerate().filter(|(at, record)| {
        !sources.contains(at)
            && record.side == sample.side
            && record.shown_start.zone() == sample.shown_start.zone()
            && titles.contains(evidence.source.told(*at).title.as_ref())
    });
    let instant = |(_, record): (usize, &Record)| match &record.start {
        Moment::Instant(instant) => Some(*instant),
        Moment::Unbound(_) => None,
    };
    others.filter_map(instant).collect()
}

/// Whether others of the same zone did not move, as the two zones' offsets have
/// it: the shift depends on the time of the year.
fn is_only_part_of_year(
    evidence: &Evidence<'_, '_, '_>,
    own: &Zone,
    candidate: &Candidate,
    moved: &[usize],
) -> bool {
    let Some(first) = moved.first().and_then(|at| evidence.found[*at].source) else { return false };
    let sample = &evidence.source.list[first];
    let side = sample.place().0;
    let listed = evidence.source.list.iter().filter(|record| record.place().0 == side);
    let is_unmoved = |start: &EventTime| {
        let has_instant = || evidence.source.sides[side].zones.instant(start);
        start.zone() == sample.shown_start.zone()
            && has_instant().is_some_and(|instant| {
                candidate.behaviour.offset_at(instant) == own.behaviour().offset_at(instant)
            })
    };
    listed.map(|record| &record.shown_start).any(is_unmoved)
        || evidence.source.starts_apart(side).any(|(_, start)| is_unmoved(&start))
}

fn own_zone(evidence: &Evidence<'_, '_, '_>, at: usize) -> Option<Zone> {
    let (source, _) = pair(evidence, at)?;
    evidence.source.sides[source.place().0].zones.zone_of(source.shown_start.zone())
}

struct Candidate {
    /// In words.
    name: String,
    behaviour: Behaviour,
    /// What to express times in, so that the destination reads them right.
    zone: Option<String>,
}

/// Zones as which times may have been read: UTC, the zone without its summer
/// time, and those that the two sides use.
fn candidates(evidence: &Evidence<'_, '_, '_>, own: &Zone) -> Vec<Candidate> {
    let mut names: Vec<Zone> = vec![Zone::utc()];
    for side in evidence.source.sides.iter().chain(evidence.result.sides) {
        let used = side.zones.names().into_iter().filter_map(|name| side.zones.zone_named(name));
        let stated = side.zones.stated_zone().cloned();
        names.extend(used.chain(stated).chain(side.zones.floating_zone().cloned()));
    }
    names.sort_by(|one, two| one.name().cmp(two.name()));
    names.dedup_by(|one, two| one.name() == two.name());
    names.retain(|zone| zone.name() != own.name());
    let mut candidates: Vec<Candidate> = names
        .into_iter()
        .map(|zone| Candidate {
            name: if zone.is_utc() {
                "UTC".to_owned()
            } else if zone.name().starts_with("Etc/") {
                format!("{} all year, without summer time", shown_offset(zone.behaviour().offset_at(0)))
            } else {
                zone.name().to_owned()
            },
            behaviour: zone.behaviour().clone(),
            zone: Some(if zone.is_utc() { "UTC".to_owned() } else { zone.name().to_owned() }),
        })
        .collect();
    for instant in [1_768_435_200, 1_784_073_600] {
        // Mid January and mid July of 2026: one of them has no summer time.
        let offset = own.behaviour().offset_at(instant);
        let hours = shown_offset(offset);
        candidates.push(Candidate {
            name: format!("{hours} all year, without summer time"),
            behaviour: Behaviour::fixed(offset),
            zone: None,
        });
    }
    candidates
}

fn shown_offset(seconds: i32) -> String {
    let sign = if seconds < 0 { '-' } else { '+' };
    format!("UTC{sign}{:02}:{:02}", seconds.abs() / 3600, seconds.abs() / 60 % 60)
}

/// What moved by one amount, without a zone that explains it.
fn name_shifts(evidence: &mut Evidence<'_, '_, '_>) {
    let mut by_shift: BTreeMap<(i64, &str), Vec<usize>> = BTreeMap::new();
    for at in evidence.free(DifferenceKind::Retimed) {
        let is_start = pair(evidence, at).is_some_and(|(one, two)| one.start != two.start);
        let one = evidence.difference(at);
        if let Some(by) = one.by.filter(|_| is_start) {
            by_shift.entry((by, one.path.as_str())).or_default().push(at);
        }
    }
    for ((by, path), members) in by_shift {
        if members.len() < ENOUGH {
            continue;
        }
        let (first, last) = days(evidence, &members);
        let summary = format!(
            "{} {} {} {}, between {first} and {last}, all from {path}",
            members.len(),
            occurrences_are(members.len()),
            shown_length(by),
            if by > 0 { "late" } else { "early" }
        );
        let kind = if by % 86_400 == 0 { CauseKind::DayShift } else { CauseKind::OffsetShift };
        let back = Duration::from_seconds(by.abs());
        let minutes = (back.days * 86_400 + back.seconds) / 60;
        let todo = format!(
            "emvo retime RESULT --shift {}{minutes}m with the same selection puts them back, or find the zone that was meant",
            if by > 0 { '-' } else { '+' }
        );
        evidence.name(kind, &members, summary, Some(todo));
    }
}

/// Starts that are right and ends that are all so much behind them: the
/// destination gave its own length.
pub(super) fn default_length(evidence: &mut Evidence<'_, '_, '_>) {
    let mut by_length: BTreeMap<(&str, i64), Vec<usize>> = BTreeMap::new();
    for at in evidence.free(DifferenceKind::Retimed) {
        let Some((source, result)) = pair(evidence, at) else { continue };
        if let (Moment::Instant(start), Moment::Instant(end)) = (&result.start, &result.end)
            && source.start == result.start
        {
            by_length.entry((&evidence.difference(at).path, end - start)).or_default().push(at);
        }
    }
    for ((path, length), members) in by_length {
        if members.len() < ENOUGH || !is_own_length(evidence, &members, length) {
            continue;
        }
        let count = members.len();
        let length = if length == 0 { "no length".to_owned() } else { shown_length(length) };
        let have = if count == 1 { "occurrence has" } else { "occurrences have" };
        let summary = format!(
            "{count} {have} {length} there, whatever they had in {path}: the destination gave its own"
        );
        let todo = format!(
            "state the ends: emvo repair {path} --consent D05 --length 1h -o repaired/, and import that"
        );
        evidence.name(CauseKind::DefaultLength, &members, summary, Some(todo));
    }
}

/// Lengths that systems give by themselves, in seconds.
const USUAL_LENGTHS: [i64; 5] = [0, 900, 1800, 3600, 86_400];

/// Whether a length is the destination's own: it stands where there were
/// different ones, or is one that systems give.
fn is_own_length(evidence: &Evidence<'_, '_, '_>, members: &[usize], length: i64) -> bool {
    let lengths: HashSet<i64> = members
        .iter()
        .filter_map(|at| match pair(evidence, *at)?.0 {
            Record { start: Moment::Instant(start), end: Moment::Instant(end), .. } => Some(end - start),
            _ => None,
        })
        .collect();
    lengths.len() > 1 || USUAL_LENGTHS.contains(&length)
}

/// Starts that are right and ends that are all off by as much: the end stood in
/// another zone than the start.
pub(super) fn ends_off(evidence: &mut Evidence<'_, '_, '_>) {
    let mut by_shift: BTreeMap<(&str, i64), Vec<usize>> = BTreeMap::new();
    for at in evidence.free(DifferenceKind::Retimed) {
        let is_end = pair(evidence, at).is_some_and(|(one, two)| one.start == two.start);
        let one = evidence.difference(at);
        if let Some(by) = one.by.filter(|_| is_end) {
            by_shift.entry((&one.path, by)).or_default().push(at);
        }
    }
    for ((path, by), members) in by_shift {
        if members.len() < ENOUGH {
            continue;
        }
        let summary = format!(
            "{} {} {} {}, all from {path}: start and end may be in different zones",
            members.len(),
            if members.len() == 1 { "occurrence ends" } else { "occurrences end" },
            shown_length(by),
            if by > 0 { "late" } else { "early" }
        );
        let todo =
            format!("write both in one zone: emvo repair {path} --consent Z09 -o repaired/, and import that");
        evidence.name(CauseKind::OffsetShift, &members, summary, Some(todo));
    }
}

/// `one hour`, `1 h 30 min`, `2 days`.
fn shown_length(seconds: i64) -> String {
    let Duration { seconds, .. } = Duration::from_seconds(seconds.abs());
    match (seconds / 86_400, seconds / 3600 % 24, seconds / 60 % 60) {
        (1, 0, 0) => "one day".to_owned(),
        (days, 0, 0) if days > 0 => format!("{days} days"),
        (0, 1, 0) => "one hour".to_owned(),
        (0, hours, 0) if hours > 0 => format!("{hours} hours"),
        (0, 0, minutes) => format!("{minutes} min"),
        (0, hours, minutes) => format!("{hours} h {minutes} min"),
        (days, hours, minutes) => format!("{days} d {hours} h {minutes} min"),
    }
}
