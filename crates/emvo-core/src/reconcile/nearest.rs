//! Which of some starts went where, by distance alone.

use std::collections::BTreeSet;

/// How far a displaced occurrence is looked for: farther than a day, so that a
/// date that moved by one is found.
pub(super) const NEARBY: i64 = 36 * 3600;

/// Pairs starts of one name, each given with its place.
pub(super) fn nearest(mut sources: Vec<(i64, usize)>, mut results: Vec<(i64, usize)>) -> Vec<(usize, usize)> {
    sources.sort_unstable();
    results.sort_unstable();
    let in_order = || sources.iter().zip(&results);
    if sources.len() == results.len() && in_order().all(|(one, two)| (one.0 - two.0).abs() <= NEARBY) {
        return in_order().map(|(one, two)| (one.1, two.1)).collect();
    }
    let (mut sources, mut results): (BTreeSet<_>, BTreeSet<_>) =
        (sources.into_iter().collect(), results.into_iter().collect());
    let mut pairs = Vec::new();
    // Those first that are nearest to each other: what is left when one of many
    // is lost must not take its neighbour's.
    for _ in 0..MOST_ROUNDS {
        let nearest_of = |source: &(i64, usize)| Some((*source, closest(&results, source.0)?));
        let is_mutual = |(source, result): &((i64, usize), (i64, usize))| {
            closest(&sources, result.0).is_some_and(|back| back == *source)
        };
        let mutual: Vec<_> = sources.iter().filter_map(nearest_of).filter(is_mutual).collect();
        if mutual.is_empty() {
            break;
        }
        for (source, result) in mutual {
            sources.remove(&source);
            results.remove(&result);
            pairs.push((source.1, result.1));
        }
    }
    for source in sources {
        if let Some(result) = closest(&results, source.0) {
            results.remove(&result);
            pairs.push((source.1, result.1));
        }
    }
    pairs
}

/// Upper bound on rounds of mutual-nearest matching: a round leaves few, unless distances shrink from one start to the next all the way.
const MOST_ROUNDS: usize = 32;

/// The start that is nearest to another, the earlier of two; `None` if none is
/// near.
fn closest(starts: &BTreeSet<(i64, usize)>, to: i64) -> Option<(i64, usize)> {
    // Of several at one time the first, on either side.
    let before =
        starts.range(..(to, 0)).next_back().and_then(|(start, _)| starts.range((*start, 0)..).next());
    let behind = starts.range((to, 0)..).next();
    let distance = |(start, _): &(i64, usize)| (start - to).abs();
    let nearest = before.into_iter().chain(behind).min_by_key(|one| distance(one))?;
    (distance(nearest) <= NEARBY).then_some(*nearest)
}

#[cfg(test)]
mod tests {
    use super::nearest;

    /// Source and result starts in hours, and which source goes with which
    /// result.
    type Row = (&'static str, &'static [i64], &'static [i64], &'static [(usize, usize)]);

    #[test]
    fn starts_are_paired_in_order_or_with_the_nearest() {
        let rows: [Row; 6] = [
            (
                "all moved by more than half their distance",
                &[0, 24, 48],
                &[13, 37, 61],
                &[(0, 0), (1, 1), (2, 2)],
            ),
            ("all moved back so", &[24, 48, 72], &[11, 35, 59], &[(0, 0), (1, 1), (2, 2)]),
            ("one of them lost", &[0, 24, 48], &[1, 49], &[(0, 0), (2, 1)]),
            ("one more there", &[24], &[0, 26], &[(0, 1)]),
            ("too far away", &[0], &[40], &[]),
            ("as many, but too far away in order", &[0, 100], &[99, 200], &[(1, 0)]),
        ];
        let starts = |hours: &[i64]| hours.iter().map(|hour| hour * 3600).zip(0..).collect::<Vec<_>>();
        for (name, sources, results, pairs) in rows {
            assert_eq!(nearest(starts(sources), starts(results)), pairs, "{name}");
        }
    }
}
