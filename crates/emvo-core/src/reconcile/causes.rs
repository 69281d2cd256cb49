//! What many differences have in common: a cause, not a list.

use std::collections::{BTreeMap, HashSet};

use super::record::Records;
use super::{Cause, Difference, DifferenceKind, Ownership, Side};
use crate::calendar::Duration;
use crate::identity::Moment;

/// From how many alike on a cause is worth naming.
const ENOUGH: usize = 2;
/// Of fewer dates nobody can say which is their end.
const LEAST_OF_A_SERIES: usize = 3;

pub(super) fn of(differences: &[Difference], source: &Records<'_, '_>, sides: &[Side<'_, '_>]) -> Vec<Cause> {
    let mut causes = Vec::new();
    let absent = absent_calendars(differences, source, sides, &mut causes);
    shifts(differences, &mut causes);
    doubled(differences, &mut causes);
    lost_fields(differences, &mut causes);
    let cut = series_cut(differences, source, sides, &absent, &mut causes);
    revived(differences, &mut causes);
    let other_missing = differences
        .iter()
        .filter(|one| one.kind == DifferenceKind::Missing && !absent.contains(one.path.as_str()));
    let count = other_missing.count() - cut;
    if count > 0 {
        let summary = format!("{count} {} not in the result", occurrences_are(count));
        causes.push(Cause { kind: "other", occurrences: count, summary });
    }
    causes.sort_by(|one, two| {
        two.occurrences.cmp(&one.occurrences).then_with(|| one.summary.cmp(&two.summary))
    });
    causes
}

/// Sources of which nothing at all is in the result.
fn absent_calendars<'d>(
    differences: &'d [Difference],
    source: &Records<'_, '_>,
    sides: &[Side<'_, '_>],
    causes: &mut Vec<Cause>,
) -> HashSet<&'d str> {
    let mut total: BTreeMap<&str, usize> = BTreeMap::new();
    for record in &source.list {
        *total.entry(sides[record.side].path).or_insert(0) += 1;
    }
    let mut missing: BTreeMap<&str, usize> = BTreeMap::new();
    for one in differences.iter().filter(|one| one.kind == DifferenceKind::Missing) {
        *missing.entry(one.path.as_str()).or_insert(0) += 1;
    }
    let mut absent = HashSet::new();
    for (path, count) in missing {
        if total.get(path) == Some(&count) && count >= ENOUGH {
            let summary =
                format!("nothing of {path} is in the result: {count} {} missing", occurrences_are(count));
            causes.push(Cause { kind: "calendar-absent", occurrences: count, summary });
            absent.insert(path);
        }
    }
    absent
}

/// Series that stop early in the result: what is missing of them is their end.
/// How many occurrences that explains.
fn series_cut(
    differences: &[Difference],
    source: &Records<'_, '_>,
    sides: &[Side<'_, '_>],
    absent: &HashSet<&str>,
    causes: &mut Vec<Cause>,
) -> usize {
    let mut missing: BTreeMap<(&str, &str), HashSet<&str>> = BTreeMap::new();
    for one in differences.iter().filter(|one| one.kind == DifferenceKind::Missing) {
        if !one.uid.is_empty() && !absent.contains(one.path.as_str()) {
            missing.entry((&one.path, &one.uid)).or_default().insert(&one.start);
        }
    }
    if missing.is_empty() {
        return 0;
    }
    let mut starts: BTreeMap<(&str, &str), Vec<(&Moment, String)>> = BTreeMap::new();
    for (at, record) in source.list.iter().enumerate() {
        let key = (sides[record.side].path, source.uid(at));
        if missing.contains_key(&key) {
            starts.entry(key).or_default().push((&record.start, record.shown_start.to_string()));
        }
    }
    // How many series, how many occurrences, and since when: of those that lose
    // their last date alone, and of those that lose more.
    let (mut last, mut more) = (Tails::default(), Tails::default());
    for (key, mut all) in starts {
        all.sort();
        let gone = &missing[&key];
        let tail = all.iter().rev().take_while(|(_, shown)| gone.contains(shown.as_str())).count();
        // Of one date in two, or one in all, nobody can say that it is an end.
        if tail < gone.len() || tail == all.len() || all.len() < LEAST_OF_A_SERIES {
            continue;
        }
        let first_gone = all[all.len() - tail].1.clone();
        if tail == 1 { last.add(1, first_gone) } else { more.add(tail, first_gone) }
    }
    let series = |count: usize| if count == 1 { "1 series".to_owned() } else { format!("{count} series") };
    if more.series > 0 {
        let (count, from) = (more.occurrences, &more.from);
        let summary = format!(
            "{} {} early in the result: {count} {} missing, from {from} on",
            series(more.series),
            if more.series == 1 { "stops" } else { "stop" },
            occurrences_are(count)
        );
        causes.push(Cause { kind: "series-cut", occurrences: count, summary });
    }
    if last.series > 0 {
        let summary = format!(
            "the last date of {} is missing: its end was read as before that day",
            series(last.series)
        );
        causes.push(Cause { kind: "last-occurrence", occurrences: last.occurrences, summary });
    }
    more.occurrences + last.occurrences
}

/// Ends of series that are missing.
#[derive(Default)]
struct Tails {
    series: usize,
    occurrences: usize,
    /// The earliest of them.
    from: String,
}

impl Tails {
    fn add(&mut self, occurrences: usize, from: String) {
        self.series += 1;
        self.occurrences += occurrences;
        if self.from.is_empty() || from < self.from {
            self.from = from;
        }
    }
}

/// Dates of the sources' series that were left out there and are in the result.
fn revived(differences: &[Difference], causes: &mut Vec<Cause>) {
    let is_back =
        |one: &&Difference| one.kind == DifferenceKind::Extra && one.ownership == Ownership::OfSource;
    let count = differences.iter().filter(is_back).count();
    if count > 0 {
        let are = if count == 1 { "date that was cancelled is" } else { "dates that were cancelled are" };
        let summary = format!("{count} {are} back: exceptions of series were lost");
        causes.push(Cause { kind: "exceptions-lost", occurrences: count, summary });
    }
}

fn shifts(differences: &[Difference], causes: &mut Vec<Cause>) {
    let mut by_shift: BTreeMap<(i64, &str), Vec<&Difference>> = BTreeMap::new();
    for one in differences.iter().filter(|one| one.kind == DifferenceKind::Retimed) {
        if let Some(by) = one.by {
            by_shift.entry((by, one.path.as_str())).or_default().push(one);
        }
    }
    for ((by, path), list) in by_shift {
        if list.len() < ENOUGH {
            continue;
        }
        let days: Vec<&str> = list.iter().filter_map(|one| one.start.get(..10)).collect();
        let (first, last) = (days.iter().min().unwrap_or(&""), days.iter().max().unwrap_or(&""));
        let is_days = by % 86_400 == 0;
        let direction = if by > 0 { "late" } else { "early" };
        let length = shown_length(by);
        let summary = format!(
            "{} {} {length} {direction}, between {first} and {last}, all from {path}",
            list.len(),
            occurrences_are(list.len())
        );
        let kind = if is_days { "day-shift" } else { "offset-shift" };
        causes.push(Cause { kind, occurrences: list.len(), summary });
    }
}

fn doubled(differences: &[Difference], causes: &mut Vec<Cause>) {
    let count = differences.iter().filter(|one| one.kind == DifferenceKind::Doubled).count();
    if count > 0 {
        let stand = if count == 1 { "occurrence stands" } else { "occurrences stand" };
        let summary = format!("{count} {stand} in the result more than once");
        causes.push(Cause { kind: "imported-twice", occurrences: count, summary });
    }
}

fn lost_fields(differences: &[Difference], causes: &mut Vec<Cause>) {
    let mut by_field: BTreeMap<&str, usize> = BTreeMap::new();
    for field in
        differences.iter().filter(|one| one.kind == DifferenceKind::Altered).flat_map(|one| &one.fields)
    {
        *by_field.entry(field).or_insert(0) += 1;
    }
    for (field, count) in by_field {
        let have = if count == 1 { "occurrence has" } else { "occurrences have" };
        let summary = format!("{count} {have} another {field}");
        causes.push(Cause { kind: "field-lost", occurrences: count, summary });
    }
}

fn occurrences_are(count: usize) -> &'static str {
    if count == 1 { "occurrence is" } else { "occurrences are" }
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
