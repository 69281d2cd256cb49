//! One event an id: copies, versions, clashes with the destination (U01, U02).

use std::cmp::Reverse;
use std::collections::BTreeMap;

use super::group::MergeGroup;
use super::{Clash, Entry, Merge};
use crate::edit::FoldKind;
use crate::identity::{
    Difference, Numbered, Provenance, VersionKey, derived_uid, differences, is_derived, number_of,
};
use emvo_ical::calendar::{Calendar, Series, Uid};
use hashbrown::{HashMap, HashSet};
use rayon::prelude::*;

/// An event under an id that several have, and the inputs that have it just so.
struct Candidate {
    at: usize,
    key: VersionKey,
    sources: Vec<usize>,
}

impl<'a> Merge<'a> {
    /// Takes the series out of the calendars, in order, one an id.
    pub(super) fn take_series(&mut self, calendars: &mut [Calendar<'a>]) {
        self.kept.reserve(calendars.iter().map(|calendar| calendar.series.len()).sum());
        for (source, calendar) in calendars.iter_mut().enumerate() {
            let mut unnamed: HashMap<Uid<'static>, u32> = HashMap::new();
            let all = calendar.series.par_iter_mut().with_min_len(1024);
            // In their order, since they are numbered.
            for series in all.filter(|series| series.uid().is_none()).collect::<Vec<_>>() {
                self.give_uid(series, &mut unnamed);
            }
            let all = std::mem::take(&mut calendar.series).into_iter();
            self.kept.extend(all.map(|series| Some(Entry { series, source })));
        }
        let others = self.settle_ids();
        self.give_derived_uids(others);
    }

    fn give_uid(&mut self, series: &mut Series<'a>, unnamed: &mut HashMap<Uid<'static>, u32>) {
        // Events that agree in all that identifies them are told apart by
        // number, in order of the file.
        let salt = unnamed.entry(derived_uid(series.lead(), 0)).or_insert(0);
        let uid = derived_uid(series.lead(), *salt);
        *salt += 1;
        series.set_uid(&uid);
        self.change(Some("U01"), series.lead(), "no UID".to_owned(), format!("UID {uid}"));
    }

    /// Settles the events under each id. Returns those that are events of their
    /// own under an id that is taken.
    fn settle_ids(&mut self) -> Vec<usize> {
        let uid = |at: usize| Some(number_of(&self.kept[at].as_ref()?.series.uid()?));
        let numbered = Numbered::of(self.kept.len(), uid);
        #[allow(clippy::redundant_closure_for_method_calls, reason = "the method itself is for one lifetime")]
        self.settle(&numbered, |group| group.settle_ids())
    }

    /// Events of their own under an id that is taken. Combined a second time
    /// each meets itself under its derived id and is folded.
    fn give_derived_uids(&mut self, others: Vec<usize>) {
        if others.is_empty() {
            return;
        }
        let pending: Vec<(usize, Option<Entry<'a>>)> =
            others.into_iter().map(|at| (at, self.kept[at].take())).collect();
        let derived = self.kept.par_iter().with_min_len(1024).enumerate().filter_map(|(at, entry)| {
            let uid = entry.as_ref()?.series.uid().filter(is_derived)?;
            Some((uid.into_owned(), at))
        });
        let mut taken: HashMap<Uid<'static>, usize> = HashMap::new();
        for (uid, at) in derived.collect::<Vec<_>>() {
            taken.entry(uid).or_insert(at);
        }
        let renamed = pending.into_par_iter().with_min_len(64).filter_map(|(at, entry)| {
            let mut entry = entry?;
            let before = entry.series.uid_text().into_owned();
            entry.series.set_uid(&derived_uid(entry.series.lead(), 0));
            Some((at, before, entry))
        });
        for (at, before, entry) in renamed.collect::<Vec<_>>() {
            self.place_derived(at, &before, entry, &mut taken);
        }
    }

    /// Puts an event that has a derived id in its place, under the next derived
    /// id if that one is taken, or folds it into what it is a copy of.
    fn place_derived(
        &mut self,
        at: usize,
        before: &str,
        mut entry: Entry<'a>,
        taken: &mut HashMap<Uid<'static>, usize>,
    ) {
        for salt in 1.. {
            let there = entry.series.uid().and_then(|uid| taken.get(&uid)).copied();
            let Some(there) = there else {
                taken.extend(entry.series.uid().map(|uid| (uid.into_owned(), at)));
                let before = format!("UID {before}, which another event has");
                self.change(
                    Some("U02"),
                    entry.series.lead(),
                    before,
                    format!("UID {}", entry.series.uid_text()),
                );
                self.kept[at] = Some(entry);
                return;
            };
            if self.kept[there].as_ref().is_some_and(|there| is_same(&there.series, &entry.series)) {
                self.fold(FoldKind::Copy, &entry, there);
                return;
            }
            entry.series.set_uid(&derived_uid(entry.series.lead(), salt));
        }
    }
}

impl MergeGroup<'_, '_> {
    fn settle_ids(&mut self) -> Vec<usize> {
        let mut others = Vec::new();
        for members in self.by_uid() {
            let of_destination = |at: &usize| {
                self.source_of(*at) == self.terms.destination && self.terms.destination.is_some()
            };
            let (own, incoming): (Vec<_>, Vec<_>) = members.iter().copied().partition(of_destination);
            let many = self.has_many(&members);
            let incoming = self.join_overrides(incoming);
            let winners = self.fold_versions(&incoming, many);
            if own.is_empty() {
                others.extend(winners.into_iter().skip(1));
            } else {
                others.extend(winners.into_iter().filter(|at| !self.clashes(*at, &own, many)));
            }
        }
        others
    }

    /// Its events by id, in order of the first of each: numbers can meet by
    /// chance.
    fn by_uid(&self) -> Vec<Vec<usize>> {
        let mut by_uid: BTreeMap<Uid<'_>, Vec<usize>> = BTreeMap::new();
        for at in self.places() {
            if let Some(uid) = self.series(at).and_then(Series::uid) {
                by_uid.entry(uid).or_default().push(at);
            }
        }
        let mut all: Vec<Vec<usize>> = by_uid.into_values().collect();
        all.sort_unstable();
        all
    }

    fn source_of(&self, at: usize) -> Option<usize> {
        self.entry(at).map(|entry| entry.source)
    }

    /// Whether some input has several events under the id of these.
    fn has_many(&self, members: &[usize]) -> bool {
        let masters =
            members.iter().filter(|at| self.series(**at).is_some_and(|series| series.master().is_some()));
        let mut sources = HashSet::new();
        masters.into_iter().any(|at| !sources.insert(self.source_of(*at)))
    }

    /// Overrides that came without their series join the first one of their id.
    fn join_overrides(&mut self, members: Vec<usize>) -> Vec<usize> {
        let is_whole = |at: &usize| self.series(*at).is_some_and(|series| series.master().is_some());
        let (whole, parts): (Vec<_>, Vec<_>) = members.into_iter().partition(is_whole);
        let Some(&target) = whole.first().or(parts.first()) else { return Vec::new() };
        for at in parts.into_iter().filter(|at| *at != target) {
            let Some(part) = self.take(at) else { continue };
            if let Some(entry) = self.entry_mut(target) {
                let known: Vec<_> =
                    entry.series.overrides().iter().filter_map(|event| event.replaces().cloned()).collect();
                for event in part.series.overrides() {
                    if event.replaces().is_some_and(|replaces| !known.contains(replaces)) {
                        entry.series.add_override(event.clone());
                    }
                }
            }
            self.fold(FoldKind::OlderVersion, &part, target);
        }
        if whole.is_empty() { vec![target] } else { whole }
    }

    /// Folds versions into the newest, copies into the first. What stays, in
    /// order.
    ///
    /// The newest go first, and an older one is folded only into one that it is
    /// a version of itself: no chain of likenesses takes an event away.
    fn fold_versions(&mut self, members: &[usize], many: bool) -> Vec<usize> {
        let mut newest_first: Vec<Candidate> = members.iter().filter_map(|at| self.candidate(*at)).collect();
        newest_first.sort_by_key(|candidate| Reverse(candidate.key.revision()));
        let mut winners = Winners::default();
        for candidate in newest_first {
            let are_versions = |winner: &Candidate| self.are_versions(winner, &candidate, many);
            match winners.find(&candidate, many, are_versions) {
                None => winners.push(candidate),
                Some(place) => {
                    let into = winners.list[place].at;
                    let kind = if self.are_copies(&winners.list[place], &candidate) {
                        winners.add_sources(place, &candidate.sources);
                        FoldKind::Copy
                    } else {
                        FoldKind::OlderVersion
                    };
                    if let Some(folded) = self.take(candidate.at) {
                        self.fold(kind, &folded, into);
                    }
                }
            }
        }
        let mut winners: Vec<usize> = winners.list.into_iter().map(|winner| winner.at).collect();
        winners.sort_unstable();
        winners
    }

    fn candidate(&self, at: usize) -> Option<Candidate> {
        let entry = self.entry(at)?;
        Some(Candidate { at, key: VersionKey::of(&entry.series), sources: vec![entry.source] })
    }

    fn are_copies(&self, one: &Candidate, two: &Candidate) -> bool {
        one.key.may_be_copy_of(&two.key)
            && self.series(one.at).zip(self.series(two.at)).is_some_and(|(one, two)| is_same(one, two))
    }

    fn are_versions(&self, winner: &Candidate, other: &Candidate, many: bool) -> bool {
        let origin = if winner.sources.iter().any(|source| other.sources.contains(source)) {
            Provenance::SameInput
        } else if many {
            Provenance::AmongMany
        } else {
            Provenance::OtherInput
        };
        winner.key.is_version_of(&other.key, origin) || self.are_copies(winner, other)
    }

    /// Settles an incoming event against the destination's under its id. False
    /// if it is an event of its own.
    fn clashes(&mut self, at: usize, own: &[usize], many: bool) -> bool {
        let Some(incoming) = self.candidate(at) else { return true };
        let own: Vec<Candidate> = own.iter().filter_map(|there| self.candidate(*there)).collect();
        let alike = own.iter().find(|there| self.are_copies(there, &incoming));
        // Where the id stands for one event on both sides, it is that event,
        // however much of it was edited.
        let meant = || {
            if many {
                own.iter().find(|there| self.are_versions(there, &incoming, many))
            } else {
                own.first()
            }
        };
        let Some(there) = alike.or_else(meant) else { return false };
        let (kind, is_replaced) = match self.terms.options.clash {
            _ if alike.is_some() => (FoldKind::Copy, false),
            Clash::Existing => (FoldKind::Clash, false),
            Clash::Incoming => (FoldKind::Clash, true),
            Clash::Newest => (FoldKind::OlderVersion, incoming.key.revision() > there.key.revision()),
            Clash::Both => return false,
        };
        let there = there.at;
        let Some(incoming) = self.take(at) else { return true };
        if is_replaced {
            self.tell_replaced(there, &incoming);
        }
        let folded = if is_replaced { self.replace(there, incoming) } else { Some(incoming) };
        if let Some(folded) = folded {
            self.fold(kind, &folded, there);
        }
        true
    }

    /// What the destination's event had and has, field by field.
    fn tell_replaced(&mut self, there: usize, incoming: &Entry<'_>) {
        let Some(old) = self.entry(there) else { return };
        let fields = differences(&old.series, &incoming.series);
        if fields.is_empty() {
            return;
        }
        let side = |of: fn(&Difference) -> &str| {
            fields.iter().map(|field| format!("{} {}", field.field, of(field))).collect::<Vec<_>>().join(", ")
        };
        let (before, after) = (side(|field| &field.first), side(|field| &field.second));
        self.change("U02", incoming.series.lead(), before, after);
    }
}

/// The newest versions of the events under one id, found again by what an older
/// one has in common with them: some exports have all their dates under one id.
#[derive(Default)]
struct Winners {
    list: Vec<Candidate>,
    /// By title and start.
    by_both: HashMap<(u64, u64), Vec<usize>>,
    /// By title or start and input, then by revision number.
    by_one: HashMap<(u64, usize), BTreeMap<i64, Vec<usize>>>,
}

impl Winners {
    /// The first winner that an event is a version of. With `many`, that is one
    /// that shares title and start, or one of its own input that shares either
    /// and has another revision number (see [`VersionKey::is_version_of`]).
    fn find(
        &self,
        candidate: &Candidate,
        many: bool,
        are_versions: impl Fn(&Candidate) -> bool,
    ) -> Option<usize> {
        let one_by_one = || self.list.iter().position(&are_versions);
        if !many {
            return one_by_one();
        }
        let key = &candidate.key;
        let (title, start) = key.numbers();
        let is_wanted = |place: &usize| are_versions(&self.list[*place]);
        let first_of = |places: &[usize]| places.iter().copied().find(is_wanted);
        let same_both = self.by_both.get(&(title, start)).and_then(|places| first_of(places));
        let keys = candidate.sources.iter().flat_map(|source| [(title, *source), (start, *source)]);
        let by_sequence = keys.filter(|_| key.can_have_versions()).filter_map(|key| self.by_one.get(&key));
        let others = by_sequence
            .flatten()
            .filter(|(sequence, _)| **sequence != key.sequence())
            .filter_map(|(_, places)| first_of(places));
        let found = others.chain(same_both).min();
        debug_assert_eq!(found, one_by_one(), "the index finds what a search finds");
        found
    }

    fn push(&mut self, candidate: Candidate) {
        let (place, sources) = (self.list.len(), candidate.sources.clone());
        self.by_both.entry(candidate.key.numbers()).or_default().push(place);
        self.list.push(Candidate { sources: Vec::new(), ..candidate });
        self.add_sources(place, &sources);
    }

    /// Notes that these inputs have a winner just so.
    fn add_sources(&mut self, place: usize, sources: &[usize]) {
        let winner = &mut self.list[place];
        let ((title, start), sequence) = (winner.key.numbers(), winner.key.sequence());
        for source in sources.iter().filter(|source| !winner.sources.contains(source)) {
            for number in [title, start] {
                let places = self.by_one.entry((number, *source)).or_default().entry(sequence).or_default();
                // It may have come later than one that is behind it.
                places.insert(places.partition_point(|other| *other < place), place);
            }
        }
        winner.sources.extend(sources);
    }
}

fn is_same(one: &Series<'_>, two: &Series<'_>) -> bool {
    one.events().count() == two.events().count()
        && one.events().zip(two.events()).all(|(one, two)| one.component().says_the_same_as(two.component()))
}
