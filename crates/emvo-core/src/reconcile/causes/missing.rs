//! Why occurrences are missing: a calendar, a range of dates, the ends of
//! series.

use crate::advice::{Advice, RepairFirst};
use hashbrown::{HashMap, HashSet};
use std::collections::{BTreeMap, BTreeSet};

use jiff::civil::DateTime;
use rayon::prelude::*;

use super::{ALIKE, ENOUGH, Evidence, occurrences_are};
use crate::reconcile::{CauseKind, DifferenceKind};
use crate::words::grouped;
use emvo_ical::calendar::Series;

/// Of fewer dates nobody can say which is their end.
const LEAST_OF_A_SERIES: usize = 3;

/// Calendars of the sources of which nothing at all is in the result.
pub(super) fn absent_calendars(evidence: &mut Evidence<'_, '_, '_>) {
    let totals = evidence.of_sides.clone();
    for (side, members) in by_side(evidence, &evidence.free(DifferenceKind::Missing)) {
        let count = members.len();
        if totals.get(&side) != Some(&count) || count < ALIKE {
            continue;
        }
        let source = &evidence.source.sides[side];
        let of_path = evidence.source.sides.iter().filter(|other| other.path == source.path).count();
        let path = source.path;
        let name =
            if of_path > 1 { format!("`{}` in {path}", source.calendar.name()) } else { path.to_owned() };
        let summary = format!("nothing of {name} is in the result: {} missing", occurrences_are(count));
        evidence.name(
            CauseKind::CalendarAbsent,
            &members,
            summary,
            Some(Advice::ImportAgain { path: path.to_owned() }),
        );
    }
}

fn by_side(evidence: &Evidence<'_, '_, '_>, members: &[usize]) -> BTreeMap<usize, Vec<usize>> {
    let mut by_side: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
    for at in members {
        if let Some(source) = evidence.places[*at].source {
            by_side.entry(evidence.source.list[source].place().0).or_default().push(*at);
        }
    }
    by_side
}

/// Where everything before a day or from a day on is missing, single events
/// too: the export or the import took a range of dates.
pub(super) fn range_cut(evidence: &mut Evidence<'_, '_, '_>) {
    for (side, members) in by_side(evidence, &evidence.free(DifferenceKind::Missing)) {
        let missing: HashMap<usize, usize> =
            members.iter().filter_map(|at| Some((evidence.places[*at].source?, *at))).collect();
        let mut all: Vec<usize> = (0..evidence.source.list.len())
            .filter(|at| evidence.source.list[*at].place().0 == side)
            .collect();
        let place = |at: usize| {
            let record = &evidence.source.list[at];
            (record.shown_start.clock(), record.place().1)
        };
        all.sort_by_key(|at| (place(*at), *at));
        let kept = Kept::of(evidence, side);
        let is_before_kept = |at: &usize| kept.first.is_none_or(|first| place(*at) < first);
        let is_behind_kept = |at: &usize| kept.last.is_none_or(|last| place(*at) > last);
        let head = all.iter().take_while(|at| missing.contains_key(*at) && is_before_kept(at)).count();
        let tail = all.iter().rev().take_while(|at| missing.contains_key(*at) && is_behind_kept(at)).count();
        for (count, is_head) in [(head, true), (tail, false)] {
            let cut = if is_head { &all[..count] } else { &all[all.len() - count..] };
            let rest = if is_head { &all[count..] } else { &all[..all.len() - count] };
            let rest = rest.iter().map(|at| place(*at));
            let border = if is_head { rest.chain(kept.first).min() } else { rest.chain(kept.last).max() };
            let Some((border, _)) = border.filter(|_| is_range(evidence, cut)) else { continue };
            let members: Vec<usize> = cut.iter().filter_map(|at| missing.get(at).copied()).collect();
            let path = evidence.source.sides[side].path;
            let range = format!("{} {}", if is_head { "before" } else { "after" }, border.date());
            let summary = format!(
                "everything of {path} {range} is missing: {}",
                occurrences_are(count).replace(" is", "").replace(" are", "")
            );
            let todo = Advice::ExportWhole { path: path.to_owned() };
            evidence.name(CauseKind::RangeCut, &members, summary, Some(todo));
        }
    }
}

/// When a date starts on the clock, and which series it is of.
type DateOfSeries = (DateTime, usize);

/// The first and the last date of a calendar that are in the result as whole
/// series are.
struct Kept {
    first: Option<DateOfSeries>,
    last: Option<DateOfSeries>,
}

impl Kept {
    fn of(evidence: &Evidence<'_, '_, '_>, side: usize) -> Self {
        let starts = || evidence.source.starts_unchanged(side).map(|(series, start)| (start.clock(), series));
        Self { first: starts().min(), last: starts().max() }
    }
}

/// Whether what is cut off is more than the ends of series: two events, one of
/// them no series.
fn is_range(evidence: &Evidence<'_, '_, '_>, cut: &[usize]) -> bool {
    let series: BTreeSet<usize> = cut.iter().map(|at| evidence.source.list[*at].place().1).collect();
    let is_single = |at: &usize| !evidence.source.series(*at).repeats();
    series.len() > 1 && cut.iter().any(is_single)
}

/// Series that stop early in the result: what is missing of them is their end.
pub(super) fn series_cut(evidence: &mut Evidence<'_, '_, '_>) {
    let mut missing: BTreeMap<(usize, usize), HashMap<usize, usize>> = BTreeMap::new();
    for at in evidence.free(DifferenceKind::Missing) {
        let Some(source) = evidence.places[at].source else { continue };
        let record = &evidence.source.list[source];
        missing.entry(record.place()).or_default().insert(source, at);
    }
    if missing.is_empty() {
        return;
    }
    let mut all: BTreeMap<(usize, usize), Vec<usize>> = BTreeMap::new();
    for (at, record) in evidence.source.list.iter().enumerate() {
        let key = record.place();
        if missing.contains_key(&key) {
            all.entry(key).or_default().push(at);
        }
    }
    // Of those that lose their last date alone, and of those that lose more.
    let (mut last, mut more) = (Tails::default(), Tails::default());
    for (key, mut dates) in all {
        dates.sort_by_key(|at| evidence.source.list[*at].start.clone());
        let gone = &missing[&key];
        let tail = dates.iter().rev().take_while(|at| gone.contains_key(*at)).count();
        // Of one date in two, or one in all, nobody can say that it is an end.
        if tail < gone.len() || tail == dates.len() || dates.len() < LEAST_OF_A_SERIES {
            continue;
        }
        let first_gone = evidence.source.list[dates[dates.len() - tail]].shown_start.to_string();
        let tails = if tail == 1 { &mut last } else { &mut more };
        tails.add(gone.values().copied().collect(), first_gone, evidence.source.sides[key.0].path);
    }
    name_tails(evidence, &more, &last);
}

fn name_tails(evidence: &mut Evidence<'_, '_, '_>, more: &Tails, last: &Tails) {
    let series = |count: usize| format!("{} series", grouped(count));
    if more.series > 0 {
        let (count, from) = (more.members.len(), &more.from);
        let summary = format!(
            "{} {} early in the result: {} missing, from {from} on",
            series(more.series),
            if more.series == 1 { "stops" } else { "stop" },
            occurrences_are(count)
        );
        let todo = Advice::ImportSingles { path: Some(more.paths()) };
        evidence.name(CauseKind::SeriesCut, &more.members, summary, Some(todo));
    }
    if last.series > 0 {
        let ended = |series: &&Series<'_>| {
            let ends = |rule: &str| rule.contains("UNTIL=") || rule.contains("COUNT=");
            series.lead().rules().any(|rule| ends(&rule.to_ascii_uppercase()))
        };
        let all = evidence.source.sides.iter().flat_map(|side| &side.calendar.series).filter(ended).count();
        let is_enough = last.series >= ENOUGH || last.series == all;
        let why = if is_enough { ": its end was read as before that day" } else { "" };
        let summary = format!("the last date of {} is missing{why}", series(last.series));
        let todo = Advice::RepairFirst { path: last.paths(), what: RepairFirst::EndsOfRules };
        evidence.name(CauseKind::LastOccurrence, &last.members, summary, is_enough.then_some(todo));
    }
}

/// Ends of series that are missing.
#[derive(Default)]
struct Tails {
    series: usize,
    members: Vec<usize>,
    /// The earliest of them.
    from: String,
    files: HashSet<String>,
}

impl Tails {
    fn add(&mut self, members: Vec<usize>, from: String, path: &str) {
        self.series += 1;
        self.members.extend(members);
        self.files.insert(path.to_owned());
        if self.from.is_empty() || from < self.from {
            self.from = from;
        }
    }

    fn paths(&self) -> String {
        let mut paths: Vec<&str> = self.files.iter().map(String::as_str).collect();
        paths.sort_unstable();
        paths.join(" ")
    }
}
