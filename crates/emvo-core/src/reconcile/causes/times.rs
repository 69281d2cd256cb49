//! Why occurrences are at other times, but for zones and offsets: overrides that
//! were lost, days, lengths.

use crate::advice::{Advice, FitTo, RepairFirst};
use std::collections::BTreeMap;

use hashbrown::HashSet;

use super::{ALIKE, ENOUGH, Evidence, occurrences_are};
use crate::identity::Moment;
use crate::reconcile::record::{Record, Slot};
use crate::reconcile::{CauseKind, DifferenceKind};
use crate::words::grouped;
use emvo_ical::calendar::Duration;
use emvo_ical::day::clock_seconds;

pub(super) fn pair<'e>(evidence: &Evidence<'e, '_, '_>, at: usize) -> Option<(&'e Record, &'e Record)> {
    let found = &evidence.places[at];
    Some((&evidence.source.list[found.source?], &evidence.result.list[found.result?]))
}

/// Overrides whose date is there as the series would have it.
pub(super) fn overrides_lost(evidence: &mut Evidence<'_, '_, '_>) {
    let is_as_series = |at: usize| {
        let Some((source, result)) = pair(evidence, at) else { return false };
        let Slot::Replaces(slot) = &source.slot else { return false };
        if **slot != result.start {
            return false;
        }
        // A changed date that kept its time shows in its words.
        let series = evidence.source.series(evidence.places[at].source.unwrap_or_default());
        let title = series.lead().title().unwrap_or_default();
        source.start != result.start
            || source.end != result.end
            || evidence.result.fields(evidence.places[at].result.unwrap_or_default()).title
                == crate::identity::normalised(&title)
    };
    let mut members = evidence.free_that(DifferenceKind::Retimed, is_as_series);
    members.extend(evidence.free_that(DifferenceKind::Altered, is_as_series));
    if members.is_empty() {
        return;
    }
    let count = members.len();
    let dates = if count == 1 { "changed date of a series is" } else { "changed dates of series are" };
    let all = evidence.source.sides.iter().flat_map(|side| &side.calendar.series);
    let all: usize = all.map(|series| series.overrides().len()).sum();
    let why = if count >= ENOUGH || count == all { ": overrides were lost" } else { "" };
    let summary = format!("{} {dates} there as the series has it{why}", grouped(count));
    let todo = Advice::Fit { path: evidence.paths(&members), to: FitTo::PlainSeries };
    evidence.name(CauseKind::OverridesLost, &members, summary, Some(todo));
}

/// Whole days that are off by days: all of it, or its end alone.
pub(super) fn whole_days(evidence: &mut Evidence<'_, '_, '_>) {
    let mut starts: BTreeMap<(&str, i64), Vec<usize>> = BTreeMap::new();
    let mut ends: BTreeMap<(&str, i64), Vec<usize>> = BTreeMap::new();
    let is_of_days = |at| pair(evidence, at).is_some_and(|(one, _)| date_of(&one.start).is_some());
    for at in evidence.free_that(DifferenceKind::Retimed, is_of_days) {
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
            "{} {} {}, all from {path}",
            whole_days_are(members.len()),
            shown_length(by),
            if by > 0 { "late" } else { "early" }
        );
        let share = evidence.share(path, members.len());
        let todo = Advice::ShiftBefore { path: path.to_owned(), minutes: -by / 60, share };
        evidence.name(CauseKind::DayShift, &members, summary, Some(todo));
    }
    for ((path, by), members) in ends {
        let count = members.len();
        let is_enough = count >= ENOUGH || count == whole_days_of(evidence, path);
        let why = match by {
            _ if !is_enough => "",
            1.. => ": the end was read as the last day instead of the day after it",
            _ => ": the end was read as the day after instead of the last day",
        };
        let summary = format!(
            "{} {} too {}, all from {path}{why}",
            whole_days_are(count),
            shown_length(by),
            if by > 0 { "long" } else { "short" },
        );
        let todo = is_enough.then(|| Advice::Fit { path: path.to_owned(), to: FitTo::InclusiveEnds });
        evidence.name(CauseKind::EndDay, &members, summary, todo);
    }
}

/// How many dates of a file last whole days, but that what is unchanged counts once
/// for each event.
fn whole_days_of(evidence: &Evidence<'_, '_, '_>, path: &str) -> usize {
    let records = evidence.source;
    let is_of_path = |side: usize| records.sides[side].path == path;
    let listed = records.list.iter().filter(|one| is_of_path(one.place().0) && date_of(&one.start).is_some());
    let sides = records.sides.iter().enumerate().filter(|(side, _)| is_of_path(*side));
    let unchanged = sides.flat_map(|(side, view)| {
        let series = view.calendar.series.iter().enumerate();
        series.filter(move |(at, series)| records.is_unchanged(side, *at) && series.lead().is_all_day())
    });
    listed.count() + unchanged.count()
}

fn whole_days_are(count: usize) -> String {
    occurrences_are(count).replacen(" occurrence", " whole-day occurrence", 1)
}

fn date_of(moment: &Moment) -> Option<i64> {
    match moment {
        Moment::Unbound(time) if time.is_date() => Some(clock_seconds(time.clock())),
        _ => None,
    }
}

/// Starts that are right and ends that are all so much behind them: the
/// destination gave its own length.
pub(super) fn default_length(evidence: &mut Evidence<'_, '_, '_>) {
    let mut by_length: BTreeMap<(&str, i64), Vec<usize>> = BTreeMap::new();
    let starts_right = |at| pair(evidence, at).is_some_and(|(one, two)| one.start == two.start);
    for at in evidence.free_that(DifferenceKind::Retimed, starts_right) {
        let Some((_, result)) = pair(evidence, at) else { continue };
        if let (Moment::Instant(start), Moment::Instant(end)) = (&result.start, &result.end) {
            by_length.entry((&evidence.difference(at).path, end - start)).or_default().push(at);
        }
    }
    for ((path, length), members) in by_length {
        let is_enough = members.len() >= ENOUGH || members.len() == evidence.occurrences_of(path);
        if !is_enough || !is_own_length(evidence, &members, length) {
            continue;
        }
        let count = members.len();
        let length = if length == 0 { "no length".to_owned() } else { shown_length(length) };
        let have = if count == 1 { "occurrence has" } else { "occurrences have" };
        let summary = format!(
            "{} {have} {length} there, whatever they had in {path}: the destination gave its own",
            grouped(count)
        );
        let states_no_end = |at: &usize| {
            let source = evidence.places[*at].source;
            source.is_some_and(|source| evidence.source.fields(source).states_no_end())
        };
        let todo = if members.iter().all(states_no_end) {
            Advice::RepairFirst { path: path.to_owned(), what: RepairFirst::MissingEnds }
        } else {
            Advice::ByHand(
                "the destination does not take lengths from this kind of file: try the other one, ICS or CSV",
            )
        };
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
    let starts_right = |at| pair(evidence, at).is_some_and(|(one, two)| one.start == two.start);
    for at in evidence.free_that(DifferenceKind::Retimed, starts_right) {
        let one = evidence.difference(at);
        if let Some(by) = one.by {
            by_shift.entry((&one.path, by)).or_default().push(at);
        }
    }
    for ((path, by), members) in by_shift {
        if members.len() < ALIKE {
            continue;
        }
        // A cause is a claim: the events themselves say so, or it is not made.
        let is_mixed = |at: &usize| {
            let source = evidence.places[*at].source;
            source.is_some_and(|source| evidence.source.fields(source).has_mixed_zones())
        };
        let are_mixed = members.iter().all(is_mixed);
        let why = if are_mixed { ": start and end are in different zones" } else { "" };
        let summary = format!(
            "{} {} {} {}, all from {path}{why}",
            grouped(members.len()),
            if members.len() == 1 { "occurrence ends" } else { "occurrences end" },
            shown_length(by),
            if by > 0 { "late" } else { "early" }
        );
        let todo = Advice::RepairFirst { path: path.to_owned(), what: RepairFirst::MixedZones };
        evidence.name(CauseKind::OffsetShift, &members, summary, are_mixed.then_some(todo));
    }
}

/// `one hour`, `1 h 30 min`, `2 days`, `1 second`.
pub(super) fn shown_length(seconds: i64) -> String {
    let Duration { seconds, .. } = Duration::from_seconds(seconds.abs());
    match (seconds, seconds % 60) {
        (1, _) => return "one second".to_owned(),
        (seconds, rest) if seconds < 60 && rest > 0 => return format!("{seconds} seconds"),
        (seconds, rest) if rest > 0 => return format!("{} {rest} s", shown_length(seconds - rest)),
        _ => {}
    }
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
