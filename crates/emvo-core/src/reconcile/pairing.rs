//! Which result occurrence is which source occurrence.
//!
//! Pairs are made from the strongest likeness to the weakest, each occurrence
//! once: the same in everything, then the same under another id, then the same
//! id at another time, then the same title nearby.

use std::collections::{BTreeMap, BTreeSet, VecDeque};

use jiff::civil::Date;

use super::explained::Course;
use super::record::{Record, Records};
use super::{Counts, Difference, DifferenceKind, Found, Ownership};
use crate::identity::{Moment, Origin, VersionKey, contradiction};
use crate::recurrence::day::clock_seconds;
use hashbrown::{HashMap, HashSet};

/// How far a displaced occurrence is looked for: farther than a day, so that a
/// date that moved by one is found.
const NEARBY: i64 = 36 * 3600;

/// Fewer letters than this say nothing about a title.
const LEAST_LETTERS: usize = 3;
/// So many letters of a title are left by most cuts.
const FIRST_LETTERS: usize = 10;

/// What became of a source occurrence.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Fate {
    Unpaired,
    Paired(usize),
    /// It says what another source occurrence says that is in the result.
    Explained,
}

/// How like two occurrences with the same key have to be.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Likeness {
    /// Alike in all fields that the verdict counts.
    InAllFields,
    /// The key is enough.
    InKey,
}

pub(super) struct Pairing<'r, 'c, 'a> {
    source: &'r Records<'c, 'a>,
    result: &'r Records<'c, 'a>,
    fates: Vec<Fate>,
    /// For each result occurrence, the source occurrence it stands for.
    stands_for: Vec<Option<usize>>,
    doubled: HashSet<usize>,
    /// Result occurrences that are copies of ones that stand for a source.
    copies: HashSet<usize>,
}

type Key<'r> = (&'r str, &'r str, Option<&'r Moment>, Option<&'r Moment>);

impl<'r, 'c, 'a> Pairing<'r, 'c, 'a> {
    pub(super) fn of(source: &'r Records<'c, 'a>, result: &'r Records<'c, 'a>) -> Self {
        let mut pairing = Self {
            source,
            result,
            fates: vec![Fate::Unpaired; source.list.len()],
            stands_for: vec![None; result.list.len()],
            doubled: HashSet::new(),
            copies: HashSet::new(),
        };
        pairing.pair_by(Likeness::InAllFields, same_id_words_and_times);
        pairing.pair_by(Likeness::InAllFields, |records, at| Some(same_words_and_times(records, at)));
        pairing.explain_duplicates_of_sources();
        pairing.pair_by(Likeness::InKey, same_id_words_and_times);
        pairing.pair_by(Likeness::InKey, |records, at| Some(same_words_and_times(records, at)));
        pairing.explain_duplicates_of_sources();
        pairing.find_copies();
        pairing.pair_by(Likeness::InKey, same_id_and_start);
        pairing.pair_by(Likeness::InKey, letters_and_times);
        pairing.pair_by(Likeness::InKey, first_letters_and_times);
        pairing.pair_nearby(|records, at| records.uid(at));
        pairing.pair_nearby(|records, at| records.told(at).title.as_ref());
        pairing
    }

    /// Pairs what has the same key and is as like as asked for.
    fn pair_by(&mut self, likeness: Likeness, key: impl Fn(&'r Records<'c, 'a>, usize) -> Option<Key<'r>>) {
        if !self.fates.contains(&Fate::Unpaired) {
            return;
        }
        let mut free: HashMap<Key<'r>, VecDeque<usize>> = HashMap::new();
        for at in 0..self.result.list.len() {
            if self.stands_for[at].is_none()
                && !self.copies.contains(&at)
                && let Some(key) = key(self.result, at)
            {
                free.entry(key).or_default().push_back(at);
            }
        }
        for at in 0..self.source.list.len() {
            if self.fates[at] != Fate::Unpaired {
                continue;
            }
            let Some(candidates) = key(self.source, at).and_then(|key| free.get_mut(&key)) else { continue };
            let told = self.source.told(at);
            let place = match likeness {
                Likeness::InKey => Some(0),
                Likeness::InAllFields => candidates
                    .iter()
                    .position(|other| told.fields_unlike(self.result.told(*other)).is_empty()),
            };
            if let Some(other) = place.and_then(|place| candidates.remove(place)) {
                self.pair(at, other);
            }
        }
    }

    fn pair(&mut self, source: usize, result: usize) {
        self.fates[source] = Fate::Paired(result);
        self.stands_for[result] = Some(source);
    }

    /// Duplicates and older versions inside the sources stand once in a result:
    /// that is what combining is for.
    fn explain_duplicates_of_sources(&mut self) {
        if !self.fates.contains(&Fate::Unpaired) {
            return;
        }
        let mut paired: HashMap<Key<'r>, Vec<usize>> = HashMap::new();
        for at in 0..self.source.list.len() {
            if matches!(self.fates[at], Fate::Paired(_)) {
                paired.entry(same_words_and_times(self.source, at)).or_default().push(at);
            }
        }
        self.explain(|pairing, at| {
            let others = paired.get(&same_words_and_times(pairing.source, at));
            others.is_some_and(|others| others.iter().any(|other| pairing.is_same_event(at, *other)))
        });
        let (accounted, many) = (self.accounted_by_uid(), self.uids_of_many());
        self.explain(|pairing, at| {
            let mut newer = accounted.get(pairing.source.uid(at)).into_iter().flatten();
            newer.any(|(_, other)| pairing.is_older_version(at, *other, &many))
        });
    }

    fn explain(&mut self, is_explained: impl Fn(&Self, usize) -> bool) {
        for at in 0..self.fates.len() {
            if self.fates[at] == Fate::Unpaired && is_explained(self, at) {
                self.fates[at] = Fate::Explained;
            }
        }
    }

    /// One occurrence of each series that is accounted for, by id.
    fn accounted_by_uid(&self) -> HashMap<&'r str, BTreeMap<(usize, usize), usize>> {
        let mut by_uid: HashMap<&'r str, BTreeMap<(usize, usize), usize>> = HashMap::new();
        for (at, record) in self.source.list.iter().enumerate() {
            if self.fates[at] != Fate::Unpaired {
                by_uid.entry(self.source.uid(at)).or_default().entry(record.place()).or_insert(at);
            }
        }
        by_uid
    }

    fn is_same_event(&self, at: usize, other: usize) -> bool {
        let (one, two) = (self.source.series(at), self.source.series(other));
        !std::ptr::eq(one, two) && contradiction(one.lead(), two.lead()).is_none()
    }

    /// The ids under which some source has several events.
    fn uids_of_many(&self) -> HashSet<&'c str> {
        let mut many = HashSet::new();
        for side in self.source.sides {
            let mut seen = HashSet::new();
            let uids = side
                .calendar
                .series
                .iter()
                .filter(|series| series.master().is_some())
                .filter_map(|series| series.uid());
            many.extend(uids.map(crate::calendar::Uid::as_str).filter(|uid| !seen.insert(*uid)));
        }
        many
    }

    fn is_older_version(&self, at: usize, other: usize, many: &HashSet<&str>) -> bool {
        let (older, newer) = (self.source.series(at), self.source.series(other));
        let uid = self.source.uid(at);
        if std::ptr::eq(older, newer) || uid.is_empty() {
            return false;
        }
        let origin = if self.source.list[at].side == self.source.list[other].side {
            Origin::SameInput
        } else if many.contains(uid) {
            Origin::AmongMany
        } else {
            Origin::Apart
        };
        let (older, newer) = (VersionKey::of(older), VersionKey::of(newer));
        older.is_version_of(&newer, origin) && older.revision() <= newer.revision()
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

    /// Pairs what is left of the same name, each with the nearest start.
    fn pair_nearby(&mut self, name: impl Fn(&'r Records<'c, 'a>, usize) -> &'r str) {
        let mut free: HashMap<&'r str, BTreeSet<(i64, usize)>> = HashMap::new();
        for at in 0..self.result.list.len() {
            let name = name(self.result, at);
            if self.stands_for[at].is_none() && !self.copies.contains(&at) && !name.is_empty() {
                free.entry(name).or_default().insert((seconds_of(&self.result.list[at]), at));
            }
        }
        let mut left: Vec<usize> =
            (0..self.fates.len()).filter(|at| self.fates[*at] == Fate::Unpaired).collect();
        left.sort_by_key(|at| (seconds_of(&self.source.list[*at]), *at));
        for at in left {
            let Some(candidates) = free.get_mut(name(self.source, at)) else { continue };
            let own = seconds_of(&self.source.list[at]);
            let range = (own - NEARBY, 0)..=(own + NEARBY, usize::MAX);
            let nearest = candidates.range(range).copied().min_by_key(|(start, _)| (start - own).abs());
            if let Some(key) = nearest {
                candidates.remove(&key);
                self.pair(at, key.1);
            }
        }
    }

    /// How many dates each day has on either side, without those that need not
    /// be in the result.
    pub(super) fn days(&self) -> BTreeMap<Date, (usize, usize)> {
        let mut days: BTreeMap<Date, (usize, usize)> = BTreeMap::new();
        for (at, record) in self.source.list.iter().enumerate() {
            let is_explained = match self.fates[at] {
                Fate::Explained => true,
                Fate::Unpaired => self.source.course(at).is_some_and(Course::explains_absence),
                Fate::Paired(_) => false,
            };
            if !is_explained {
                days.entry(record.shown_start.date()).or_default().0 += 1;
            }
        }
        for record in &self.result.list {
            days.entry(record.shown_start.date()).or_default().1 += 1;
        }
        days
    }

    /// Counts and names every occurrence.
    pub(super) fn account(&self) -> (Counts, Vec<Found>, BTreeMap<&'static str, usize>) {
        let mut counts = Counts {
            source_events: self.source.events,
            source_occurrences: self.source.list.len(),
            ..Counts::default()
        };
        let mut differences = Vec::new();
        let mut other_fields = BTreeMap::new();
        for (at, fate) in self.fates.iter().enumerate() {
            let difference = match *fate {
                Fate::Explained => {
                    counts.explained += 1;
                    None
                }
                Fate::Unpaired if self.source.course(at).is_some_and(Course::explains_absence) => {
                    counts.explained += 1;
                    continue;
                }
                Fate::Unpaired => Some(self.difference(DifferenceKind::Missing, at)),
                Fate::Paired(result) => {
                    for field in self.source.told(at).others_unlike(self.result.told(result)) {
                        *other_fields.entry(field).or_insert(0) += 1;
                    }
                    self.difference_of_pair(at, result)
                }
            };
            let difference = match (*fate, difference) {
                (Fate::Paired(result), Some(difference)) if self.is_meant(at, result, &difference) => {
                    counts.explained += 1;
                    continue;
                }
                (_, difference) => difference,
            };
            let Some(difference) = difference else {
                counts.matched += usize::from(*fate != Fate::Explained);
                continue;
            };
            match difference.kind {
                DifferenceKind::Missing => counts.missing += 1,
                DifferenceKind::Retimed => counts.retimed += 1,
                DifferenceKind::Altered => counts.altered += 1,
                DifferenceKind::Doubled => counts.doubled += 1,
                DifferenceKind::Extra => {}
            }
            let result = match *fate {
                Fate::Paired(result) => Some(result),
                Fate::Unpaired | Fate::Explained => None,
            };
            differences.push(Found { difference, source: Some(at), result });
        }
        let extras = self.extras();
        counts.extra = extras.len();
        differences.extend(extras);
        (counts, differences, other_fields)
    }

    /// Whether a receipt says that a pair should differ as it does.
    fn is_meant(&self, at: usize, result: usize, difference: &Difference) -> bool {
        let is_change = matches!(difference.kind, DifferenceKind::Retimed | DifferenceKind::Altered);
        let (one, two) = (&self.source.list[at], &self.result.list[result]);
        is_change
            && self
                .source
                .course(at)
                .is_some_and(|course| course.explains(one, two, self.result.told(result), &difference.fields))
    }

    fn difference(&self, kind: DifferenceKind, at: usize) -> Difference {
        let record = &self.source.list[at];
        Difference {
            kind,
            path: self.source.sides[record.place().0].path.to_owned(),
            uid: self.source.uid(at).to_owned(),
            title: self.source.told(at).title.to_string(),
            start: record.shown_start.to_string(),
            result_start: None,
            by: None,
            fields: Vec::new(),
            ownership: Ownership::OfSource,
            cause: None,
        }
    }

    fn difference_of_pair(&self, at: usize, result: usize) -> Option<Difference> {
        let (one, two) = (&self.source.list[at], &self.result.list[result]);
        let fields = self.source.told(at).fields_unlike(self.result.told(result));
        let kind = if one.start != two.start || one.end != two.end {
            DifferenceKind::Retimed
        } else if !fields.is_empty() {
            DifferenceKind::Altered
        } else if self.doubled.contains(&at) {
            DifferenceKind::Doubled
        } else {
            return None;
        };
        let by = (kind == DifferenceKind::Retimed).then(|| {
            let (from, to) =
                if one.start == two.start { (&one.end, &two.end) } else { (&one.start, &two.start) };
            match (from, to) {
                (Moment::Instant(from), Moment::Instant(to)) => Some(to - from),
                (Moment::Unbound(from), Moment::Unbound(to)) => {
                    Some(clock_seconds(to.clock()) - clock_seconds(from.clock()))
                }
                (Moment::Instant(_), Moment::Unbound(_)) | (Moment::Unbound(_), Moment::Instant(_)) => None,
            }
        });
        Some(Difference {
            result_start: Some(two.shown_start.to_string()),
            by: by.flatten(),
            fields,
            ..self.difference(kind, at)
        })
    }

    /// Result occurrences that stand for nothing. One of a series that stands
    /// for a source's is a date that came back.
    fn extras(&self) -> Vec<Found> {
        let series_of = |at: usize| (self.result.list[at].side, self.result.list[at].series);
        let of_sources: HashSet<_> =
            (0..self.result.list.len()).filter(|at| self.stands_for[*at].is_some()).map(series_of).collect();
        let source_uids: HashSet<&str> = self
            .source
            .sides
            .iter()
            .flat_map(|side| side.calendar.series.iter().filter_map(|series| Some(series.uid()?.as_str())))
            .collect();
        let is_extra = |at: &usize| self.stands_for[*at].is_none() && !self.copies.contains(at);
        (0..self.result.list.len())
            .filter(is_extra)
            .map(|at| {
                let record = &self.result.list[at];
                let is_of_source =
                    of_sources.contains(&series_of(at)) || source_uids.contains(self.result.uid(at));
                let difference = Difference {
                    kind: DifferenceKind::Extra,
                    path: self.result.sides[record.place().0].path.to_owned(),
                    uid: self.result.uid(at).to_owned(),
                    title: self.result.told(at).title.to_string(),
                    start: record.shown_start.to_string(),
                    result_start: Some(record.shown_start.to_string()),
                    by: None,
                    fields: Vec::new(),
                    ownership: if is_of_source { Ownership::OfSource } else { Ownership::OfDestination },
                    cause: None,
                };
                Found { difference, source: None, result: Some(at) }
            })
            .collect()
    }
}

fn same_id_words_and_times<'r>(records: &'r Records<'_, '_>, at: usize) -> Option<Key<'r>> {
    let uid = records.uid(at);
    let Record { start, end, .. } = &records.list[at];
    (!uid.is_empty()).then(|| (uid, records.told(at).title.as_ref(), Some(start), Some(end)))
}

fn same_id_and_start<'r>(records: &'r Records<'_, '_>, at: usize) -> Option<Key<'r>> {
    let uid = records.uid(at);
    (!uid.is_empty()).then(|| (uid, "", Some(&records.list[at].start), None))
}

/// Titles that differ in letters outside ASCII, as damaged ones do.
fn letters_and_times<'r>(records: &'r Records<'_, '_>, at: usize) -> Option<Key<'r>> {
    let Record { start, end, .. } = &records.list[at];
    let letters = records.told(at).letters();
    (letters.len() >= LEAST_LETTERS).then_some(("", letters, Some(start), Some(end)))
}

/// Titles that begin alike, as those that were cut do.
fn first_letters_and_times<'r>(records: &'r Records<'_, '_>, at: usize) -> Option<Key<'r>> {
    let Record { start, end, .. } = &records.list[at];
    let letters = records.told(at).letters().get(..FIRST_LETTERS)?;
    Some(("", letters, Some(start), Some(end)))
}

fn same_words_and_times<'r>(records: &'r Records<'_, '_>, at: usize) -> Key<'r> {
    let Record { start, end, .. } = &records.list[at];
    ("", records.told(at).title.as_ref(), Some(start), Some(end))
}

/// A start as a number to compare distances by; where nothing ties it to the
/// world, the clock time is as good as any.
fn seconds_of(record: &Record) -> i64 {
    match &record.start {
        Moment::Instant(instant) => *instant,
        Moment::Unbound(time) => clock_seconds(time.clock()),
    }
}
