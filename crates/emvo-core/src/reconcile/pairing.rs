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
use std::collections::{BTreeMap, VecDeque};

use hashbrown::{HashMap, HashSet};
use rayon::prelude::*;

use super::event_fields::EventFields;
use super::habits::Habits;
use super::keys::{
    Key, TITLE_FORMS, United, first_letters, first_letters_and_times, same_id_words_and_times, same_times,
    same_words_and_times,
};
use super::nearest::{NEARBY, nearest};
use super::record::Record;
use super::records::Records;
use crate::identity::{Moment, Numbered, Provenance, SameNumber, VersionKey, contradiction, number_of};
use emvo_ical::day::clock_seconds;

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
        pairing.pair_nearby(Starts::SameFirst, |records, at| Cow::Borrowed(records.uid(at)));
        for form in TITLE_FORMS {
            pairing.pair_by(Likeness::Key, |records, at| form.with_times(records, at));
        }
        pairing.pair_nearby(Starts::Near, |records, at| Cow::Borrowed(&*records.fields(at).title));
        pairing.pair_by(Likeness::TitleBeginning, first_letters_and_times);
        pairing.pair_by(Likeness::TitleBeginning, |records, at| Some(same_times(records, at)));
        for form in TITLE_FORMS {
            pairing.pair_nearby(Starts::Near, |records, at| form.of(records, at).unwrap_or_default());
        }
        pairing.pair_nearby(Starts::Near, |records, at| first_letters(records, at).unwrap_or_default());
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
    fn pair_nearby(
        &mut self,
        starts: Starts,
        name: impl Fn(&'r Records<'c, 'a>, usize) -> Cow<'r, str> + Sync,
    ) {
        if !self.counterparts.contains(&Counterpart::Unpaired) {
            return;
        }
        let (sources, results) = self.unpaired_by(|records, at| {
            let name = name(records, at);
            (!name.is_empty()).then(|| number_of(&name))
        });
        let mut groups: Vec<_> = sources.meeting(&results).collect();
        // As they stand in memory, which takes half of the time.
        groups.par_sort_unstable_by_key(|(group, _)| group.places().next());
        let is_single =
            |(sources, results): &(SameNumber<'_>, SameNumber<'_>)| sources.len() == 1 && results.len() == 1;
        let (single, several): (Vec<_>, Vec<_>) = groups.into_iter().partition(is_single);
        let name = &name;
        let mut pairs: Vec<(usize, usize)> = single
            .into_par_iter()
            .filter_map(|(sources, results)| {
                let (source, result) = (sources.places().next()?, results.places().next()?);
                let is_same = name(self.source, source) == name(self.result, result);
                (is_same && self.start_nearby(source, result)).then_some((source, result))
            })
            .collect();
        let of_groups = several.into_par_iter().flat_map_iter(|(sources, results)| {
            let of_name = |records: &'r Records<'c, 'a>, group: SameNumber<'_>| {
                let mut by_name: BTreeMap<Cow<'r, str>, Vec<(i64, usize)>> = BTreeMap::new();
                for at in group.places() {
                    // Numbers can meet by chance.
                    by_name.entry(name(records, at)).or_default().push((seconds_of(&records.list[at]), at));
                }
                by_name
            };
            let mut results = of_name(self.result, results);
            let of_sources = of_name(self.source, sources);
            let mut pairs = Vec::new();
            for (name, mut sources) in of_sources {
                let Some(mut results) = results.remove(&name) else { continue };
                if starts == Starts::SameFirst {
                    pairs.extend(self.with_same_start(&mut sources, &mut results));
                }
                pairs.extend(nearest(sources, results));
            }
            pairs
        });
        pairs.extend(of_groups.collect::<Vec<_>>());
        for (source, result) in pairs {
            self.pair(source, result);
        }
    }

    /// Whether an occurrence starts so near to another that it may be that one, displaced.
    fn start_nearby(&self, source: usize, result: usize) -> bool {
        let (one, two) = (&self.source.list[source], &self.result.list[result]);
        one.start == two.start || (seconds_of(one) - seconds_of(two)).abs() <= NEARBY
    }

    /// Takes out what starts at the same moment: of several, the first with the first.
    fn with_same_start(
        &self,
        sources: &mut Vec<(i64, usize)>,
        results: &mut Vec<(i64, usize)>,
    ) -> Vec<(usize, usize)> {
        let start = |records: &'r Records<'c, 'a>, at: usize| &records.list[at].start;
        let mut there: HashMap<&Moment, VecDeque<usize>> = HashMap::new();
        for (_, at) in results.iter() {
            there.entry(start(self.result, *at)).or_default().push_back(*at);
        }
        let mut pairs = Vec::new();
        sources.retain(|(_, at)| {
            let other = there.get_mut(start(self.source, *at)).and_then(VecDeque::pop_front);
            pairs.extend(other.map(|other| (*at, other)));
            other.is_none()
        });
        let taken: HashSet<usize> = pairs.iter().map(|(_, result)| *result).collect();
        results.retain(|(_, at)| !taken.contains(at));
        pairs
    }
}

/// How starts of one name are paired.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Starts {
    /// Those that are the same, and then those that are near.
    SameFirst,
    Near,
}

/// A start as a number to compare distances by; where nothing ties it to the
/// world, the clock time is as good as any.
fn seconds_of(record: &Record) -> i64 {
    match &record.start {
        Moment::Instant(instant) => *instant,
        Moment::Unbound(time) => clock_seconds(time.clock()),
    }
}
