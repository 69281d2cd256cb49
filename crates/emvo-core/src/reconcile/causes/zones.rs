//! Why occurrences are at other times: a zone read as another, or one offset.

use crate::advice::Advice;
use std::collections::{BTreeMap, BTreeSet};

use hashbrown::{HashMap, HashSet};
use rayon::prelude::*;

use super::times::{pair, shown_length};
use super::{ALIKE, ENOUGH, Evidence, days, occurrences_are};
use crate::identity::Moment;
use crate::reconcile::record::Record;
use crate::reconcile::{CauseKind, DifferenceKind};
use emvo_ical::calendar::{Duration, ZoneRef};
use emvo_ical::zone::{Transitions, Zone, main_zones};

/// The number of occurrences out of ten that have to fit for a zone to be named; the
/// others are told apart, and are none of its members.
const MOST_OF_TEN: usize = 9;

/// Times that moved: by one offset, or as another zone's clock has them.
pub(super) fn zones_and_offsets(evidence: &mut Evidence<'_, '_, '_>) {
    let starts_elsewhere = |at| pair(evidence, at).is_some_and(|(one, two)| one.start != two.start);
    let moved = evidence.free_that(DifferenceKind::Retimed, starts_elsewhere);
    for (path, members) in evidence.by_path(&moved) {
        let mut by_ref: HashMap<Option<&ZoneRef>, Vec<usize>> = HashMap::new();
        for at in members {
            let zone = pair(evidence, at).map(|(source, _)| source.shown_start.zone());
            by_ref.entry(zone).or_default().push(at);
        }
        let by_zone: BTreeMap<String, Vec<usize>> =
            by_ref.into_iter().map(|(zone, members)| (zone_name(zone), members)).collect();
        let of_zones: Vec<Move> = by_zone.values().map(|members| Move::of(evidence, members)).collect();
        if is_one_offset(&of_zones) {
            continue;
        }
        for swap in of_zones.into_iter().filter_map(|one| one.swap) {
            swap.name(evidence, path);
        }
    }
    name_shifts(evidence);
}

/// The name of a zone as people say it: nobody says `Etc/UTC`.
pub(super) fn name_for_people(zone: &Zone) -> &str {
    if zone.is_utc() { "UTC" } else { zone.name() }
}

fn zone_name(zone: Option<&ZoneRef>) -> String {
    match zone {
        Some(ZoneRef::Named(name)) => name.to_string(),
        Some(ZoneRef::Utc) => "UTC".to_owned(),
        Some(ZoneRef::Floating) | None => String::new(),
    }
}

/// What happened to the times of one zone.
struct Move {
    /// By how much nearly all of them moved, if it was by as much.
    shift: Option<i64>,
    swap: Option<Swap>,
}

impl Move {
    fn of(evidence: &Evidence<'_, '_, '_>, members: &[usize]) -> Self {
        let mut shifts: BTreeMap<i64, usize> = BTreeMap::new();
        for by in members.iter().filter_map(|at| evidence.difference(*at).by) {
            *shifts.entry(by).or_insert(0) += 1;
        }
        let most = shifts.into_iter().max_by_key(|(_, count)| *count);
        let shift = most.filter(|(_, count)| count * 10 >= members.len() * MOST_OF_TEN).map(|(by, _)| by);
        Self { shift, swap: Swap::of(evidence, members) }
    }
}

/// Whether times of several zones all moved by as much, whatever the date: then
/// it was no zone that was taken for another, unless it was the same for all.
fn is_one_offset(moves: &[Move]) -> bool {
    let shifts: BTreeSet<Option<i64>> = moves.iter().map(|one| one.shift).collect();
    let targets: BTreeSet<Option<&str>> =
        moves.iter().map(|one| one.swap.as_ref().map(|swap| swap.candidate.name.as_str())).collect();
    let has_rest = moves.iter().filter_map(|one| one.swap.as_ref()).any(|swap| swap.at_rest > 0);
    shifts.len() == 1 && !shifts.contains(&None) && targets.len() > 1 && !has_rest
}

/// Times of one zone that were read as those of another.
struct Swap {
    own: Zone,
    candidate: Candidate,
    /// The differences that this explains.
    members: Vec<usize>,
    /// By how much they moved.
    shifts: BTreeSet<i64>,
    /// How many dates the two zones have at one instant, and that did not move.
    at_rest: usize,
}

impl Swap {
    /// The zone as whose clock times of one zone were read, if the shift depends
    /// on the date as the two zones do.
    fn of(evidence: &Evidence<'_, '_, '_>, members: &[usize]) -> Option<Self> {
        let own = members.first().and_then(|at| own_zone(evidence, *at))?;
        let all: Vec<(usize, i64, i64)> = members
            .par_iter()
            .filter_map(|at| instants(evidence, *at).map(|(one, two)| (*at, one, two)))
            .collect();
        let path = members.first().map(|at| evidence.difference(*at).path.as_str()).unwrap_or_default();
        if all.len() < ENOUGH && all.len() < evidence.occurrences_of(path) {
            return None;
        }
        let unmoved = unmoved(evidence, members);
        let of_both = Self::best_of(candidates(evidence, &own), &own, &all, &unmoved);
        // Where the result is in UTC, it says nothing of the zone that was taken.
        let is_dated = || all.iter().map(|(_, one, two)| two - one).collect::<BTreeSet<i64>>().len() > 1;
        of_both.or_else(|| {
            is_dated().then(|| Self::best_of(zones_of_the_world(&own, &all), &own, &all, &unmoved)).flatten()
        })
    }

    fn best_of(
        candidates: Vec<Candidate>,
        own: &Zone,
        all: &[(usize, i64, i64)],
        unmoved: &[i64],
    ) -> Option<Self> {
        let mut best: Option<Self> = None;
        for candidate in candidates {
            let read = |instant: i64| candidate.transitions.instant_of(own.transitions().clock_at(instant));
            let fits = |(_, one, two): &&(usize, i64, i64)| read(*one) == *two;
            // Most candidates show within a tenth of them that they are none.
            let most_others = all.len() - (all.len() * MOST_OF_TEN).div_ceil(10);
            if all.iter().filter(|one| !fits(one)).take(most_others + 1).count() > most_others {
                continue;
            }
            let fit: Vec<&(usize, i64, i64)> = all.par_iter().filter(fits).collect();
            let count = fit.len();
            // Those that did not move speak for a zone that has them where they
            // are, and against one that has not.
            let at_rest = unmoved.iter().filter(|instant| read(**instant) == **instant).count();
            let is_likely = count * 10 >= all.len() * MOST_OF_TEN && count >= unmoved.len() - at_rest;
            let is_better =
                best.as_ref().is_none_or(|best| (count, at_rest) > (best.members.len(), best.at_rest));
            if is_likely && is_better {
                let members = fit.iter().map(|(at, ..)| *at).collect();
                let shifts = fit.iter().map(|(_, one, two)| two - one).collect::<HashSet<i64>>();
                let shifts = shifts.into_iter().collect();
                best = Some(Self { own: own.clone(), candidate, members, shifts, at_rest });
            }
        }
        best
    }

    /// Whether the shift depends on the time of the year.
    fn is_dated(&self) -> bool {
        self.shifts.len() > 1 || self.at_rest > 0
    }

    fn name(self, evidence: &mut Evidence<'_, '_, '_>, path: &str) {
        let is_dated = self.is_dated();
        let Self { own, candidate, members, shifts, .. } = self;
        let (first, last) = days(evidence, &members);
        let amount = match (shifts.first(), shifts.last()) {
            (Some(one), Some(two)) if one == two => {
                format!("{} {}", shown_length(*one), if *one > 0 { "late" } else { "early" })
            }
            (Some(one), Some(two)) if shifts.len() == 2 && (*one > 0) == (*two > 0) => {
                let (less, more) = if *one > 0 { (one, two) } else { (two, one) };
                let word = if *one > 0 { "late" } else { "early" };
                format!("{} or {} {word} by the date", shown_length(*less), shown_length(*more))
            }
            _ => "at other times".to_owned(),
        };
        let summary = format!(
            "{} {amount}, {}between {first} and {last}, all from {path}: their {} times were read as {}",
            occurrences_are(members.len()),
            if is_dated && shifts.len() == 1 { "only while summer time differs, " } else { "" },
            name_for_people(&own),
            candidate.name
        );
        let todo = Advice::ExpressIn { path: path.to_owned(), zone: candidate.zone };
        let kind = if is_dated { CauseKind::ZoneSwap } else { CauseKind::OffsetShift };
        evidence.name(kind, &members, summary, Some(todo));
    }
}

/// The instants of a pair, where both have one.
fn instants(evidence: &Evidence<'_, '_, '_>, at: usize) -> Option<(i64, i64)> {
    let (one, two) = pair(evidence, at)?;
    Some((instant_of(one)?, instant_of(two)?))
}

fn instant_of(record: &Record) -> Option<i64> {
    match record.start {
        Moment::Instant(instant) => Some(instant),
        Moment::Unbound(_) => None,
    }
}

/// The instants of occurrences that did not move, of the calendar and zone of
/// those that moved and repeating like those: importers treat series and single
/// events differently.
fn unmoved(evidence: &Evidence<'_, '_, '_>, moved: &[usize]) -> Vec<i64> {
    let records = evidence.source;
    let moved: Vec<usize> = moved.iter().filter_map(|at| evidence.places[*at].source).collect();
    let Some(sample) = moved.iter().min().map(|at| &records.list[*at]) else { return Vec::new() };
    let (side, zone) = (sample.place().0, sample.shown_start.zone());
    let has_some = |repeats| moved.par_iter().any(|at| records.series(*at).repeats() == repeats);
    let repeats: HashSet<bool> = [false, true].into_iter().filter(|repeats| has_some(*repeats)).collect();
    let mut gone = vec![false; records.list.len()];
    for kind in [DifferenceKind::Missing, DifferenceKind::Retimed] {
        let of_kind = evidence.of_kind.get(&kind).into_iter().flatten();
        for at in of_kind.filter_map(|at| evidence.places[*at].source) {
            gone[at] = true;
        }
    }
    let listed = (0..records.list.len()).into_par_iter().filter(|at| {
        let record = &records.list[*at];
        record.place().0 == side
            && record.shown_start.zone() == zone
            && !gone[*at]
            && repeats.contains(&records.series(*at).repeats())
    });
    let calendar = records.sides[side].calendar;
    let unchanged = records.starts_unchanged(side).filter(|(series, start)| {
        start.zone() == zone && repeats.contains(&calendar.series[*series].repeats())
    });
    let unchanged = unchanged.filter_map(|(_, start)| records.sides[side].zones.instant(&start));
    listed.filter_map(|at| instant_of(&records.list[at])).chain(unchanged).collect()
}

fn own_zone(evidence: &Evidence<'_, '_, '_>, at: usize) -> Option<Zone> {
    let (source, _) = pair(evidence, at)?;
    evidence.source.sides[source.place().0].zones.zone_of(source.shown_start.zone())
}

struct Candidate {
    /// In words.
    name: String,
    transitions: Transitions,
    /// What to express times in, so that the destination reads them right.
    zone: Option<String>,
}

/// UTC, and the zones that the two sides use or state.
pub(super) fn zones_of_both(evidence: &Evidence<'_, '_, '_>) -> Vec<Zone> {
    let mut names: Vec<Zone> = vec![Zone::utc()];
    for side in evidence.source.sides.iter().chain(evidence.result.sides) {
        let used = side.zones.names().into_iter().filter_map(|name| side.zones.zone_named(name));
        let stated = side.zones.stated_zone().cloned();
        names.extend(used.chain(stated).chain(side.zones.floating_zone().cloned()));
    }
    names.sort_by(|one, two| one.name().cmp(two.name()));
    names.dedup_by(|one, two| one.name() == two.name());
    names
}

/// Zones as which times may have been read: UTC, the zone without its summer
/// time, and those that the two sides use.
fn candidates(evidence: &Evidence<'_, '_, '_>, own: &Zone) -> Vec<Candidate> {
    let mut names = zones_of_both(evidence);
    names.retain(|zone| zone.name() != own.name());
    let mut candidates: Vec<Candidate> = names
        .into_iter()
        .map(|zone| Candidate {
            name: if zone.name().starts_with("Etc/") && !zone.is_utc() {
                format!("{} all year, without summer time", shown_offset(zone.transitions().offset_at(0)))
            } else {
                name_for_people(&zone).to_owned()
            },
            transitions: zone.transitions().clone(),
            zone: Some(name_for_people(&zone).to_owned()),
        })
        .collect();
    for instant in [1_768_435_200, 1_784_073_600] {
        // Mid January and mid July of 2026: one of them has no summer time.
        let offset = own.transitions().offset_at(instant);
        let hours = shown_offset(offset);
        candidates.push(Candidate {
            name: format!("{hours} all year, without summer time"),
            transitions: Transitions::fixed(offset),
            zone: None,
        });
    }
    candidates
}

/// So many dates are tried before a zone of the world is looked at in all of them.
const SAMPLE: usize = 64;

/// The zones that stand for those of one clock each, as far as they explain a sample.
fn zones_of_the_world(own: &Zone, all: &[(usize, i64, i64)]) -> Vec<Candidate> {
    let step = all.len().div_ceil(SAMPLE).max(1);
    let sample: Vec<_> = all.iter().step_by(step).collect();
    let fits = |zone: &Zone| {
        let read = |instant: i64| zone.transitions().instant_of(own.transitions().clock_at(instant));
        let count = sample.iter().filter(|(_, one, two)| read(*one) == *two).count();
        count * 10 >= sample.len() * MOST_OF_TEN
    };
    let zones = main_zones().into_iter().filter_map(Zone::named);
    zones
        .filter(|zone| zone.name() != own.name() && fits(zone))
        .map(|zone| Candidate {
            name: zone.name().to_owned(),
            transitions: zone.transitions().clone(),
            zone: Some(zone.name().to_owned()),
        })
        .collect()
}

fn shown_offset(seconds: i32) -> String {
    let sign = if seconds < 0 { '-' } else { '+' };
    format!("UTC{sign}{:02}:{:02}", seconds.abs() / 3600, seconds.abs() / 60 % 60)
}

/// What moved by one amount, without a zone that explains it.
fn name_shifts(evidence: &mut Evidence<'_, '_, '_>) {
    let mut by_shift: BTreeMap<(i64, &str), Vec<usize>> = BTreeMap::new();
    let starts_elsewhere = |at| pair(evidence, at).is_some_and(|(one, two)| one.start != two.start);
    for at in evidence.free_that(DifferenceKind::Retimed, starts_elsewhere) {
        let one = evidence.difference(at);
        if let Some(by) = one.by {
            by_shift.entry((by, one.path.as_str())).or_default().push(at);
        }
    }
    for ((by, path), members) in by_shift {
        if members.len() < ALIKE {
            continue;
        }
        let (first, last) = days(evidence, &members);
        let summary = format!(
            "{} {} {}, between {first} and {last}, all from {path}",
            occurrences_are(members.len()),
            shown_length(by),
            if by > 0 { "late" } else { "early" }
        );
        let kind = if by % 86_400 == 0 { CauseKind::DayShift } else { CauseKind::OffsetShift };
        let back = Duration::from_seconds(by.abs());
        let minutes = (back.days * 86_400 + back.seconds) / 60;
        let minutes = if by > 0 { -minutes } else { minutes };
        let share = evidence.share(path, members.len());
        let todo = Advice::ShiftBefore { path: path.to_owned(), minutes, share };
        evidence.name(kind, &members, summary, Some(todo));
    }
}
