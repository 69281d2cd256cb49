//! Which events of a calendar are those of an import, where their ids do not tell.

use std::collections::BTreeMap;

use hashbrown::HashSet;

use super::{FoundBy, InBook, Match, edits};
use crate::identity::{Fingerprint, same_dates};
use emvo_ical::recurrence::Ceiling;

/// So many pairs of one title and time are compared; of more, those in order.
const MOST_COMPARED: usize = 10_000;

/// Pairs what ids did not: events of one title, start and end, the nearest first.
pub(super) fn pair_alike(import: &[InBook<'_, '_>], now: &[InBook<'_, '_>], matches: &mut [Option<Match>]) {
    let by_id: HashSet<usize> = matches.iter().flatten().map(|found| found.imported).collect();
    let mut alike: BTreeMap<Fingerprint, (Vec<usize>, Vec<usize>)> = BTreeMap::new();
    let print = |(series, zones): &InBook<'_, '_>| Fingerprint::of(series.lead(), zones);
    for (at, one) in import.iter().enumerate() {
        alike.entry(print(one)).or_default().0.push(at);
    }
    for (at, one) in now.iter().enumerate().filter(|(at, _)| matches[*at].is_none()) {
        if let Some((_, there)) = alike.get_mut(&print(one)) {
            there.push(at);
        }
    }
    for (imported, there) in alike.into_values() {
        for (at, found) in nearest((import, now), &imported, &there, &by_id) {
            matches[at] = Some(found);
        }
    }
}

/// Each of the calendar with the one of the import that it says most nearly. What of
/// one that was found by its id stands there under another as well is a copy.
fn nearest(
    (import, now): (&[InBook<'_, '_>], &[InBook<'_, '_>]),
    imported: &[usize],
    there: &[usize],
    by_id: &HashSet<usize>,
) -> Vec<(usize, Match)> {
    let is_many = imported.len() * there.len() > MOST_COMPARED;
    let mut pairs: Vec<(usize, usize, Match)> = Vec::new();
    for (number, at) in there.iter().enumerate() {
        let own =
            if is_many { &imported[number % imported.len()..=number % imported.len()] } else { imported };
        for one in own {
            if same_dates(import[*one], now[*at], Ceiling::default()) {
                let changes = edits(import[*one], now[*at]);
                pairs.push((*at, *one, Match { imported: *one, by: FoundBy::Likeness, changes }));
            }
        }
    }
    pairs.sort_by_key(|(at, one, found)| (found.changes.len(), *at, *one));
    let mut taken: HashSet<usize> = imported.iter().copied().filter(|one| by_id.contains(one)).collect();
    let mut settled = HashSet::new();
    let mut chosen = Vec::new();
    let mut left = Vec::new();
    for (at, one, found) in pairs {
        if settled.contains(&at) {
            continue;
        }
        if taken.insert(one) {
            settled.insert(at);
            chosen.push((at, found));
        } else {
            left.push((at, found));
        }
    }
    for (at, found) in left {
        if settled.insert(at) {
            chosen.push((at, Match { by: FoundBy::Copy, ..found }));
        }
    }
    chosen
}
