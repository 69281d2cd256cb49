//! Which result occurrence is which source occurrence.
//!
//! Pairs are made from the strongest likeness to the weakest, each occurrence
//! once. A round never takes an occurrence that a stronger round could have
//! given to somebody else, since that round was before it:
//!
//! | round | the same | may differ in |
//! |---|---|---|
//! | 1, 2 | words, times, all fields; first with the id, then without | the id |
//! | 3, 4 | words and times; first with the id, then without | details |
//! | 5 | id and start | the title, the end |
//! | 6 | id, at most [`NEARBY`] apart, the nearest first | the time |
//! | 7 | what a charset left of the title, times | signs that it broke |
//! | 8 | title, at most [`NEARBY`] apart, the nearest first | id and time |
//! | 9 | times, and one title begins the other | a title that was cut |
//! | 10 | as 7 and 9, at most [`NEARBY`] apart | all of that at once |
//!
//! Worked example: the sources have `Watch` of id 2 at 08:00 and of id 3 at 20:00,
//! the result `Watch` of id 3 at 20:00 and of id 9 at 09:00. Round 1 pairs id 3
//! with itself. Only then does round 8 look for the nearest `Watch`, which leaves
//! id 9 for id 2: one hour late. In the other order 08:00 could have taken 20:00.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet, VecDeque};

use hashbrown::{HashMap, HashSet};
use rayon::prelude::*;

use super::event_fields::EventFields;
use super::habits::Habits;
use super::keys::{
    Key, TITLE_FORMS, United, first_letters, first_letters_and_times, same_id_and_start,
    same_id_words_and_times, same_times, same_words_and_times,
};
use super::record::Record;
use super::records::Records;
use crate::identity::{Moment, Numbered, Provenance, SameNumber, VersionKey, contradiction, number_of};
use emvo_ical::day::clock_seconds;

/// How far a displaced occurrence is looked for: farther than a day, so that a
/// date that moved by one is found.
const NEARBY: i64 = 36 * 3600;

/// So many free occurrences at one time are looked at for a title that was cut.
const MOST_AT_ONE_TIME: usize = 1000;

/// What became of a source occurrence.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Counterpart {
    Unpaired,
    Paired(usize),
    /// Another source occurrence is the same event, and this one stands for both.
    Shared(usize),
    /// A newer version of its event is in the result.
    Explained,
}

/// How like two occurrences with the same key have to be.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Likeness {
    /// Alike in all fields that the verdict counts.
    AllFields,
    /// The key is enough.
    Key,
    /// The letters of one title begin those of the other: it may have been cut.
    TitleBeginning,
}

pub(super) struct Pairing<'r, 'c, 'a> {
    pub(super) source: &'r Records<'c, 'a>,
    pub(super) result: &'r Records<'c, 'a>,
    pub(super) counterparts: Vec<Counterpart>,
    /// For each result occurrence, the source occurrence it stands for.
    pub(super) stands_for: Vec<Option<usize>>,
    pub(super) doubled: HashSet<usize>,
    /// Result occurrences that are copies of ones that stand for a source.
    pub(super) copies: HashSet<usize>,
}

impl Likeness {
    fn holds(self, one: &EventFields<'_>, two: &EventFields<'_>) -> bool {
        match self {
            Self::Key => true,
            Self::AllFields => one.fields_unlike(two).is_empty(),
            Self::TitleBeginning => {
                let (one, two) = (one.letters(), two.letters());
                !one.is_empty() && !two.is_empty() && (one.starts_with(two) || two.starts_with(one))
            }
        }
    }
}

impl<'r, 'c, 'a> Pairing<'r, 'c, 'a> {
    pub(super) fn of(source: &'r Records<'c, 'a>, result: &'r Records<'c, 'a>) -> Self {
        let mut pairing = Self {
            source,
            result,
            counterparts: vec![Counterpart::Unpaired; source.list.len()],
            stands_for: vec![None; result.list.len()],
            doubled: HashSet::new(),
            copies: HashSet::new(),
        };
        // Where every date moved, no round by times can find anything.
        if pairing.some_have_words_and_times_in_common() {
            pairing.pair_by(Likeness::AllFields, same_id_words_and_times);
            pairing.pair_by(Likeness::AllFields, |records, at| Some(same_words_and_times(records, at)));
            pairing.explain_duplicates_of_sources();
            pairing.pair_by(Likeness::Key, same_id_words_and_times);
            pairing.pair_by(Likeness::Key, |records, at| Some(same_words_and_times(records, at)));
            pairing.explain_duplicates_of_sources();
            pairing.find_copies();
        }
        pairing.pair_by(Likeness::Key, same_id_and_start);
        pairing.pair_nearby(|records, at| Cow::Borrowed(records.uid(at)));
        for form in TITLE_FORMS {
            pairing.pair_by(Likeness::Key, |records, at| form.with_times(records, at));
        }
        pairing.pair_nearby(|records, at| Cow::Borrowed(&*records.fields(at).title));
        pairing.pair_by(Likeness::TitleBeginning, first_letters_and_times);
        pairing.pair_by(Likeness::TitleBeginning, |records, at| Some(same_times(records, at)));
        for form in TITLE_FORMS {
            pairing.pair_nearby(|records, at| form.of(records, at).unwrap_or_default());
        }
        pairing.pair_nearby(|records, at| first_letters(records, at).unwrap_or_default());
        // What moved or has other words by now moved for its duplicates as well.
        pairing.explain_duplicates_of_sources();
        pairing
    }

    /// Whether some occurrence of the sources may have the words and times of one of
    /// the result.
    fn some_have_words_and_times_in_common(&self) -> bool {
        let (sources, results) =
            self.unpaired_by(|records, at| Some(number_of(&same_words_and_times(records, at))));
        sources.meeting(&results).next().is_some()
    }

    /// Pairs what has the same key and is as like as asked for: of several, the
    /// first with the first.
    ///
    /// Keys are compared as numbers first, sorted on both sides: what has the
    /// same key then stands together.
    fn pair_by(
        &mut self,
        likeness: Likeness,
        key: impl Fn(&'r Records<'c, 'a>, usize) -> Option<Key<'r>> + Sync,
    ) {
        if !self.counterparts.contains(&Counterpart::Unpaired) {
            return;
        }
        let (sources, results) = self.unpaired_by(|records, at| Some(number_of(&key(records, at)?)));
        let groups: Vec<_> = sources.meeting(&results).collect();
        let pairs = groups.into_par_iter().with_min_len(256).flat_map_iter(|(members, group)| {
            let mut free: VecDeque<usize> = group.places().collect();
            let mut pairs = Vec::new();
            for at in members.places() {
                let (own, fields) = (key(self.source, at), self.source.fields(at));
                let place = free.iter().take(MOST_AT_ONE_TIME).position(|other| {
                    // Numbers can meet by chance.
                    key(self.result, *other) == own && likeness.holds(fields, self.result.fields(*other))
                });
                pairs.extend(place.and_then(|place| free.remove(place)).map(|other| (at, other)));
            }
            pairs
        });
        let pairs: Vec<(usize, usize)> = pairs.collect();
        for (source, result) in pairs {
            self.pair(source, result);
        }
    }

    fn pair(&mut self, source: usize, result: usize) {
        self.counterparts[source] = Counterpart::Paired(result);
        self.stands_for[result] = Some(source);
    }

    /// Duplicates and older versions inside the sources stand once in a result:
    /// that is what combining is for.
    fn explain_duplicates_of_sources(&mut self) {
        let is_unpaired = |counterpart: &Counterpart| *counterpart == Counterpart::Unpaired;
        // Nothing is left, or nothing is there that it could be a duplicate of.
        if !self.counterparts.iter().any(is_unpaired) || self.counterparts.iter().all(is_unpaired) {
            return;
        }
        let mut paired: HashMap<Key<'r>, Vec<usize>> = HashMap::new();
        for at in 0..self.source.list.len() {
            if matches!(self.counterparts[at], Counterpart::Paired(_)) {
                paired.entry(same_words_and_times(self.source, at)).or_default().push(at);
            }
        }
        let habits = Habits::of(self.source.sides);
        // What says more than the event that stands for both may be an older version.
        let mut say_more = Vec::new();
        for at in 0..self.counterparts.len() {
            if self.counterparts[at] != Counterpart::Unpaired {
                continue;
            }
            let others = paired.get(&same_words_and_times(self.source, at)).into_iter().flatten();
            let same = others.copied().filter(|other| self.is_same_event(at, *other, &habits));
            let there = same.filter_map(|other| match self.counterparts[other] {
                Counterpart::Paired(result) => Some(result),
                _ => None,
            });
            // The first that says it all, or else the one that lacks the least.
            let mut nearest: Option<(usize, usize)> = None;
            for result in there.take(MOST_AT_ONE_TIME) {
                let lacking = self.source.fields(at).fields_lacking(self.result.fields(result)).len();
                if nearest.is_none_or(|(least, _)| lacking < least) {
                    nearest = Some((lacking, result));
                }
                if lacking == 0 {
                    break;
                }
            }
            match nearest {
                Some((0, result)) => self.counterparts[at] = Counterpart::Shared(result),
                Some((_, result)) => say_more.push((at, result)),
                None => {}
            }
        }
        let accounted = self.accounted_by_uid();
        self.explain(|pairing, at| {
            let mut newer = accounted.get(pairing.source.uid(at)).into_iter().flatten();
            newer.any(|(_, other)| pairing.is_older_version(at, *other, &habits))
        });
        for (at, result) in say_more {
            if self.counterparts[at] == Counterpart::Unpaired {
                self.counterparts[at] = Counterpart::Shared(result);
            }
        }
    }

    fn explain(&mut self, is_explained: impl Fn(&Self, usize) -> bool) {
        for at in 0..self.counterparts.len() {
            if self.counterparts[at] == Counterpart::Unpaired && is_explained(self, at) {
                self.counterparts[at] = Counterpart::Explained;
            }
        }
    }

    /// One occurrence of each series that is accounted for, by id.
    fn accounted_by_uid(&self) -> HashMap<&'r str, BTreeMap<(usize, usize), usize>> {
        let mut by_uid: HashMap<&'r str, BTreeMap<(usize, usize), usize>> = HashMap::new();
        for (at, record) in self.source.list.iter().enumerate() {
            if self.counterparts[at] != Counterpart::Unpaired {
                by_uid.entry(self.source.uid(at)).or_default().entry(record.place()).or_insert(at);
            }
        }
        by_uid
    }

    /// The source occurrences with the words and times of one, besides itself.
    pub(super) fn others_of<'u>(
        &self,
        united: &'u United<'r>,
        at: usize,
    ) -> impl Iterator<Item = usize> + 'u {
        let others = united.by_words.get(&same_words_and_times(self.source, at)).into_iter().flatten();
        others.copied().filter(move |other| *other != at).take(MOST_AT_ONE_TIME)
    }

    /// Whether some other source occurrence of the same event says in a field what a
    /// result occurrence says: then the result unites the two.
    pub(super) fn is_united(&self, united: &United<'r>, at: usize, result: usize, field: &str) -> bool {
        let there = self.result.fields(result);
        self.others_of(united, at).any(|other| {
            there.has_field_of(self.source.fields(other), field)
                && self.is_same_event(at, other, &united.habits)
        })
    }

    fn is_same_event(&self, at: usize, other: usize, habits: &Habits<'_>) -> bool {
        let (one, two) = (self.source.series(at), self.source.series(other));
        let side = |at: usize| self.source.list[at].side as usize;
        let stamps = [at, other].map(|at| &habits.stamps[side(at)]);
        !std::ptr::eq(one, two) && contradiction(one.lead(), two.lead(), stamps).is_none()
    }

    fn is_older_version(&self, at: usize, other: usize, habits: &Habits<'_>) -> bool {
        let (older, newer) = (self.source.series(at), self.source.series(other));
        let uid = self.source.uid(at);
        if std::ptr::eq(older, newer) || uid.is_empty() {
            return false;
        }
        let [one, two] = [at, other].map(|at| self.source.list[at].side as usize);
        let origin = if one == two {
            Provenance::SameInput
        } else if habits.uids_of_many.contains(uid) {
            Provenance::AmongMany
        } else if habits.used_again.between(one, two) > 0 {
            Provenance::IdsUsedAgain
        } else {
            Provenance::OtherInput
        };
        VersionKey::of(newer).is_newer_version_of(&VersionKey::of(older), origin)
    }

    /// A result occurrence left over that says what a paired one says.
    fn find_copies(&mut self) {
        if self.stands_for.iter().all(Option::is_some) {
            return;
        }
        let mut paired: HashMap<Key<'r>, usize> = HashMap::new();
        for (result, source) in self.stands_for.iter().enumerate() {
            if let Some(source) = source {
                paired.entry(same_words_and_times(self.result, result)).or_insert(*source);
            }
        }
        for at in 0..self.result.list.len() {
            if self.stands_for[at].is_none()
                && let Some(source) = paired.get(&same_words_and_times(self.result, at))
            {
                self.doubled.insert(*source);
                self.copies.insert(at);
            }
        }
    }

    /// What is unpaired on both sides, by number.
    fn unpaired_by(
        &self,
        number: impl Fn(&'r Records<'c, 'a>, usize) -> Option<u64> + Sync,
    ) -> (Numbered, Numbered) {
        let is_free = |at: usize| self.stands_for[at].is_none() && !self.copies.contains(&at);
        let (sources, results) = (self.source.list.len(), self.result.list.len());
        let of_results =
            Numbered::beside(results, sources, |at| if is_free(at) { number(self.result, at) } else { None });
        let of_sources = Numbered::beside(sources, results, |at| {
            if self.counterparts[at] == Counterpart::Unpaired { number(self.source, at) } else { None }
        });
        (of_sources, of_results)
    }

    /// Pairs what is left of the same name: in order where as many are left on
    /// both sides, else each with the nearest start.
    fn pair_nearby(&mut self, name: impl Fn(&'r Records<'c, 'a>, usize) -> Cow<'r, str> + Sync) {
        if !self.counterparts.contains(&Counterpart::Unpaired) {
            return;
        }
        let (sources, results) = self.unpaired_by(|records, at| {
            let name = name(records, at);
            (!name.is_empty()).then(|| number_of(&name))
        });
        let groups: Vec<_> = sources.meeting(&results).collect();
        let pairs = groups.into_par_iter().flat_map_iter(|(sources, results)| {
            let of_name = |records: &'r Records<'c, 'a>, group: SameNumber<'_>| {
                let mut by_name: BTreeMap<Cow<'r, str>, Vec<(i64, usize)>> = BTreeMap::new();
                for at in group.places() {
                    // Numbers can meet by chance.
                    by_name.entry(name(records, at)).or_default().push((seconds_of(&records.list[at]), at));
                }
                by_name
            };
            let mut results = of_name(self.result, results);
            let of_sources = of_name(self.source, sources).into_iter();
            let same = of_sources.filter_map(move |(name, sources)| Some((sources, results.remove(&name)?)));
            same.flat_map(|(sources, results)| nearest(sources, results))
        });
        let pairs: Vec<(usize, usize)> = pairs.collect();
        for (source, result) in pairs {
            self.pair(source, result);
        }
    }
}

/// Pairs starts of one name, each given with its place.
fn nearest(mut sources: Vec<(i64, usize)>, mut results: Vec<(i64, usize)>) -> Vec<(usize, usize)> {
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

/// A start as a number to compare distances by; where nothing ties it to the
/// world, the clock time is as good as any.
fn seconds_of(record: &Record) -> i64 {
    match &record.start {
        Moment::Instant(instant) => *instant,
        Moment::Unbound(time) => clock_seconds(time.clock()),
    }
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
