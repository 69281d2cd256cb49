//! What many differences have in common: a cause, not a list.
//!
//! Each cause looks at what is left unexplained, from those that explain most
//! to the particular ones, and takes what fits. What nobody takes is `other`.

mod cancelled;
mod floating;
mod missing;
mod times;
mod words;
mod zones;

use crate::advice::{Advice, Share};
use crate::words::grouped;
use std::collections::BTreeMap;

use rayon::prelude::*;

use super::difference::{Found, Place};
use super::records::Records;
use super::{Cause, CauseKind, Difference, DifferenceKind, titles_in_words};

/// From how many alike on a sentence about all of them is worth more than a list.
const ALIKE: usize = 2;

/// From how many on it may be said why: fewer are a reason only if they are all there
/// are.
const ENOUGH: usize = 3;

/// Names the causes, the one that explains most first; each difference gets the
/// kind of its cause.
pub(super) fn of(found: &mut Found, source: &Records<'_, '_>, result: &Records<'_, '_>) -> Vec<Cause> {
    let mut evidence = Evidence::of(found, source, result);
    missing::absent_calendars(&mut evidence);
    missing::range_cut(&mut evidence);
    missing::series_cut(&mut evidence);
    times::overrides_lost(&mut evidence);
    times::whole_days(&mut evidence);
    floating::read_in_a_zone(&mut evidence);
    zones::zones_and_offsets(&mut evidence);
    times::default_length(&mut evidence);
    times::ends_off(&mut evidence);
    words::texts(&mut evidence);
    words::lost_fields(&mut evidence);
    doubled(&mut evidence);
    cancelled::revived(&mut evidence);
    others(&mut evidence);
    let Evidence { taken, causes, .. } = evidence;
    for (difference, cause) in found.differences.iter_mut().zip(taken) {
        difference.cause = cause;
    }
    let mut causes = causes;
    causes.sort_by(|one, two| {
        let rank = |cause: &Cause| (cause.kind == CauseKind::Other, usize::MAX - cause.occurrences);
        rank(one).cmp(&rank(two)).then_with(|| one.summary.cmp(&two.summary))
    });
    causes
}

/// The differences, and which of them have a cause.
struct Evidence<'e, 'c, 'a> {
    found: &'e [Difference],
    places: &'e [Place],
    source: &'e Records<'c, 'a>,
    result: &'e Records<'c, 'a>,
    /// The differences of each kind.
    of_kind: BTreeMap<DifferenceKind, Vec<usize>>,
    taken: Vec<Option<CauseKind>>,
    causes: Vec<Cause>,
    /// How many occurrences each calendar of the sources has, by number of side.
    of_sides: BTreeMap<usize, usize>,
}

impl<'e, 'c, 'a> Evidence<'e, 'c, 'a> {
    fn of(found: &'e Found, source: &'e Records<'c, 'a>, result: &'e Records<'c, 'a>) -> Self {
        let mut of_kind: BTreeMap<DifferenceKind, Vec<usize>> = BTreeMap::new();
        let Found { differences: found, places } = found;
        for (at, one) in found.iter().enumerate() {
            of_kind.entry(one.kind).or_default().push(at);
        }
        let taken = vec![None; found.len()];
        let of_sides = occurrences_of_sides(source);
        Self { found, places, source, result, of_kind, taken, causes: Vec::new(), of_sides }
    }

    /// The differences of a kind without a cause.
    fn free(&self, kind: DifferenceKind) -> Vec<usize> {
        let of_kind = self.of_kind.get(&kind).into_iter().flatten();
        of_kind.filter(|at| self.taken[**at].is_none()).copied().collect()
    }

    /// Those of them that are such.
    fn free_that(&self, kind: DifferenceKind, is_such: impl Fn(usize) -> bool + Sync) -> Vec<usize> {
        self.free(kind).into_par_iter().filter(|at| is_such(*at)).collect()
    }

    fn difference(&self, at: usize) -> &'e Difference {
        &self.found[at]
    }

    /// Differences by the file that they are in.
    fn by_path(&self, members: &[usize]) -> BTreeMap<&'e str, Vec<usize>> {
        let mut by_path: BTreeMap<&str, Vec<usize>> = BTreeMap::new();
        let path = |at: usize| self.difference(at).path.as_str();
        // Those of one file stand together.
        for of_path in members.chunk_by(|one, two| path(*one) == path(*two)) {
            by_path.entry(path(of_path[0])).or_default().extend(of_path);
        }
        by_path
    }

    /// How many occurrences the files with one path have.
    fn occurrences_of(&self, path: &str) -> usize {
        let sides = self.source.sides.iter().enumerate().filter(|(_, side)| side.path == path);
        sides.filter_map(|(at, _)| self.of_sides.get(&at)).sum()
    }

    /// The files that some differences are in.
    fn paths(&self, members: &[usize]) -> String {
        self.by_path(members).into_keys().collect::<Vec<_>>().join(" ")
    }

    /// How much of a file some occurrences of it are.
    fn share(&self, path: &str, count: usize) -> Share {
        if count == self.occurrences_of(path) { Share::All } else { Share::Some }
    }

    /// Names a cause of some differences.
    fn name(&mut self, kind: CauseKind, members: &[usize], summary: String, todo: Option<Advice>) {
        for at in members {
            self.taken[*at] = Some(kind);
        }
        self.causes.push(Cause { kind, occurrences: members.len(), summary, todo });
    }
}

fn occurrences_of_sides(source: &Records<'_, '_>) -> BTreeMap<usize, usize> {
    let mut counts: BTreeMap<usize, usize> = source.unchanged.by_side.iter().copied().enumerate().collect();
    // Those of one side stand together.
    for of_side in source.list.chunk_by(|one, two| one.place().0 == two.place().0) {
        *counts.entry(of_side[0].place().0).or_insert(0) += of_side.len();
    }
    counts
}

fn doubled(evidence: &mut Evidence<'_, '_, '_>) {
    let all = evidence.free(DifferenceKind::Doubled);
    for (path, members) in evidence.by_path(&all) {
        let count = members.len();
        let (summary, todo) = if count == evidence.occurrences_of(path) && count >= ALIKE {
            let summary = format!(
                "all of {path} was imported twice: each of its {} occurrences stands there more than once",
                grouped(count)
            );
            (summary, Advice::RetractAndImportOnce { path: path.to_owned() })
        } else {
            let stand = if count == 1 { "occurrence stands" } else { "occurrences stand" };
            let summary = format!("{} {stand} there more than once, all from {path}", grouped(count));
            (summary, Advice::FoldCopies)
        };
        evidence.name(CauseKind::ImportedTwice, &members, summary, Some(todo));
    }
}

fn others(evidence: &mut Evidence<'_, '_, '_>) {
    for (kind, one, many) in [
        (DifferenceKind::Missing, "occurrence is not in the result", "occurrences are not in the result"),
        (DifferenceKind::Retimed, "occurrence is at another time", "occurrences are at other times"),
        (DifferenceKind::Altered, "occurrence has other words", "occurrences have other words"),
    ] {
        let members = evidence.free(kind);
        if !members.is_empty() {
            let count = members.len();
            let mut summary = format!("{} {}", grouped(count), if count == 1 { one } else { many });
            if kind == DifferenceKind::Missing {
                let titles = members.iter().map(|at| evidence.difference(*at).title.as_str());
                summary = format!("{summary}: {}", titles_in_words(titles));
            }
            evidence.name(CauseKind::Other, &members, summary, None);
        }
    }
}

/// `1 occurrence is`, `1,204 occurrences are`.
fn occurrences_are(count: usize) -> String {
    format!("{} {}", grouped(count), if count == 1 { "occurrence is" } else { "occurrences are" })
}

/// The first and the last day of some differences.
fn days<'d>(evidence: &Evidence<'d, '_, '_>, members: &[usize]) -> (&'d str, &'d str) {
    let day = |at: &usize| evidence.difference(*at).start.get(..10);
    let first = members.iter().filter_map(day).min().unwrap_or("");
    let last = members.iter().filter_map(day).max().unwrap_or("");
    (first, last)
}
