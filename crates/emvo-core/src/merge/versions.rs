//! One event an id: copies, versions, clashes with the destination (U01, U02).

use std::cmp::Ordering;
use std::collections::BTreeMap;

use super::group::MergeGroup;
use super::overrides::{self, Precedence};
use super::winners::{Candidate, Winners};
use super::{Apart, Entry, Merge, union};
use crate::edit::FoldKind;
use crate::identity::{
    IdsUsedAgain, Moment, Numbered, Provenance, Revision, Statement, VersionKey, derived_uid, is_derived,
    number_of, uid_of_other,
};
use emvo_ical::calendar::{Calendar, Series, Uid};
use emvo_ical::recurrence::{Recurrence, on_clock_of};
use hashbrown::{HashMap, HashSet};
use rayon::prelude::*;

/// A question about so many ids that two inputs use again is one that a person
/// can answer; more are a habit.
const FEW: usize = 2;

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
            self.kept.extend(all.map(|series| Some(Entry { series, source, apart: Apart::No })));
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
    fn settle_ids(&mut self) -> Vec<Other> {
        let uid = |at: usize| Some(number_of(&self.kept[at].as_ref()?.series.uid()?));
        let numbered = Numbered::of(self.kept.len(), uid);
        self.terms.used_again = self.ids_used_again(&numbered);
        #[allow(clippy::redundant_closure_for_method_calls, reason = "the method itself is for one lifetime")]
        self.settle(&numbered, |group| group.settle_ids())
    }

    /// The days on which the event of each id starts, input by input; an id that
    /// one input has for several events is no sign.
    fn ids_used_again(&self, numbered: &Numbered) -> IdsUsedAgain {
        let groups = numbered.groups().filter(|group| group.len() > 1);
        IdsUsedAgain::among(groups.filter_map(|group| {
            let entries = group.places().filter_map(|at| self.kept[at].as_ref());
            let masters = entries.filter(|entry| entry.series.master().is_some());
            let starts: Vec<_> =
                masters.map(|entry| (entry.source, entry.series.lead().start().date())).collect();
            let mut sources = HashSet::new();
            starts.iter().all(|(source, _)| sources.insert(*source)).then_some(starts)
        }))
    }

    /// Events of their own under an id that is taken. Combined a second time
    /// each meets itself under its derived id and is folded.
    fn give_derived_uids(&mut self, others: Vec<Other>) {
        if others.is_empty() {
            return;
        }
        let rules: HashMap<usize, &'static str> = others.iter().map(|other| (other.at, other.rule)).collect();
        let questions = others.iter().filter_map(|other| Some((other.asked?, other.at)));
        self.asked.extend(questions.map(|(one, two)| {
            (one, two, "the same id for other dates or another title, and nothing says which is newer")
        }));
        let pending: Vec<(usize, Option<Entry<'a>>)> =
            others.into_iter().map(|other| (other.at, self.kept[other.at].take())).collect();
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
            entry.series.set_uid(&uid_of_other(&before, &entry.series, 0));
            Some((at, before, entry))
        });
        for (at, before, entry) in renamed.collect::<Vec<_>>() {
            self.place_derived(at, rules[&at], &before, entry, &mut taken);
        }
    }

    /// Puts an event that has a derived id in its place, under the next derived
    /// id if that one is taken, or folds it into what it is a copy of.
    fn place_derived(
        &mut self,
        at: usize,
        rule: &'static str,
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
                    Some(rule),
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
            let next = uid_of_other(before, &entry.series, salt);
            entry.series.set_uid(&next);
        }
    }
}

/// An event of its own under an id that is taken.
pub(super) struct Other {
    at: usize,
    /// The rule that says so.
    rule: &'static str,
    /// Whose id it has, if a person should look at the two.
    asked: Option<usize>,
}

impl<'a> MergeGroup<'_, 'a> {
    fn settle_ids(&mut self) -> Vec<Other> {
        let mut others = Vec::new();
        for members in self.by_uid() {
            let of_destination = |at: &usize| {
                self.source_of(*at) == self.terms.destination && self.terms.destination.is_some()
            };
            let (own, incoming): (Vec<_>, Vec<_>) = members.iter().copied().partition(of_destination);
            let many = self.has_many(&members);
            let is_whole = |at: &usize| self.series(*at).is_some_and(|series| series.master().is_some());
            let (whole, parts): (Vec<_>, Vec<_>) = incoming.into_iter().partition(is_whole);
            let mut winners = self.fold_versions(&whole, many);
            self.join_overrides(parts, &mut winners);
            let stays = own.first().or(winners.first()).copied();
            if own.is_empty() {
                winners = winners.split_off(1.min(winners.len()));
            } else {
                winners.retain(|at| !self.clashes(*at, &own, many));
            }
            others.extend(winners.into_iter().map(|at| self.other(at, stays, many)));
        }
        others
    }

    /// An event that stays beside the first one of its id.
    fn other(&self, at: usize, first: Option<usize>, many: bool) -> Other {
        let sources = first.and_then(|first| self.source_of(first)).zip(self.source_of(at));
        let count = sources.map_or(0, |(one, two)| self.terms.used_again.between(one, two));
        // What one input has twice, or uses again and again, is its habit and asks
        // nobody.
        let is_question = sources.is_some_and(|(one, two)| one != two) && !many && count <= FEW;
        let is_apart = self.entry(at).is_some_and(|entry| entry.apart == Apart::FromDestination);
        let asked = first.filter(|_| is_question && !is_apart);
        let rule = if count > 0 || asked.is_some() { "U08" } else { "U02" };
        Other { at, rule, asked }
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

    /// Overrides that came without their series join the one that has their date,
    /// else the first; without any series they join each other.
    fn join_overrides(&mut self, mut parts: Vec<usize>, winners: &mut Vec<usize>) {
        parts.sort_by(|one, two| self.by_age(*one, *two));
        for at in parts {
            let Some(target) = self.series_of(at, winners) else {
                winners.push(at);
                continue;
            };
            let Some(part) = self.take(at) else { continue };
            let gave_way = self.take_dates(target, &part);
            // Where one of two changes of a date is newer, the other is a version.
            let kind = if gave_way.is_empty() { FoldKind::Joined } else { FoldKind::OlderVersion };
            self.fold_besides(kind, &part, target, gave_way);
        }
    }

    fn series_of(&self, part: usize, winners: &[usize]) -> Option<usize> {
        let part = self.entry(part)?;
        let slot = part.series.lead().replaces()?;
        let has_date = |at: &&usize| {
            self.entry(**at).is_some_and(|entry| {
                let zones = &self.terms.books[entry.source];
                entry.series.master().is_some_and(|master| {
                    on_clock_of(slot, master.start(), zones)
                        .is_some_and(|slot| Recurrence::of(master, zones).has(slot))
                })
            })
        };
        winners.iter().find(has_date).or(winners.first()).copied()
    }

    /// Newest first, then by what they say.
    fn by_age(&self, one: usize, two: usize) -> Ordering {
        let revision = |at: usize| self.series(at).map(|series| Revision::of(series.lead()));
        revision(two).cmp(&revision(one)).then_with(|| self.by_content(one, two))
    }

    /// Folds versions into the newest, copies into the first. What stays, newest
    /// first.
    ///
    /// The newest go first, and an older one is folded only into one that it is
    /// a version of itself: no chain of likenesses takes an event away.
    fn fold_versions(&mut self, members: &[usize], many: bool) -> Vec<usize> {
        let mut newest_first: Vec<usize> = members.to_vec();
        newest_first.sort_by(|one, two| self.by_age(*one, *two));
        let newest_first: Vec<Candidate> = newest_first.iter().filter_map(|at| self.candidate(*at)).collect();
        let mut winners = Winners::default();
        for candidate in newest_first {
            let are_versions = |winner: &Candidate| self.are_versions(winner, &candidate, many);
            let words = |at: usize| self.words(at);
            let Some(place) = winners.find(&candidate, many, words, are_versions) else {
                winners.push(candidate, words);
                continue;
            };
            let into = winners.list[place].at;
            let is_copy = self.are_copies(&winners.list[place], &candidate);
            if is_copy {
                winners.add_sources(place, &candidate.sources);
            }
            let is_tied = winners.list[place].key.is_tied_with(&candidate.key);
            let Some(folded) = self.take(candidate.at) else { continue };
            if is_copy {
                self.fold(FoldKind::Copy, &folded, into);
            } else if is_tied {
                self.unite_versions(&folded, into);
                winners.says_more(place, |at| self.words(at));
            } else {
                let gave_way = self.take_dates(into, &folded);
                self.fold_besides(FoldKind::OlderVersion, &folded, into, gave_way);
            }
        }
        winners.list.into_iter().map(|winner| winner.at).collect()
    }

    /// Two that nothing tells apart in age become one; their changed dates are
    /// settled by their own age.
    fn unite_versions(&mut self, folded: &Entry<'a>, into: usize) {
        let gave_way = self.take_dates(into, folded);
        let is_settled_by_age = !gave_way.is_empty()
            || self.entry(into).is_some_and(|stays| {
                overrides::are_of_other_age(self.terms.side(folded), self.terms.side(stays))
            });
        let kind = if is_settled_by_age { FoldKind::OlderVersion } else { FoldKind::Copy };
        let gained = self.entry_mut(into).and_then(|entry| {
            let event = entry.series.events_mut().next()?;
            let gained = union::take_event(event, folded.series.lead())?;
            Some((event.clone(), gained))
        });
        if let Some((event, gained)) = gained {
            self.change(kind.rule(), &event, gained.before, gained.after);
        }
        self.fold_besides(kind, folded, into, gave_way);
    }

    /// Takes over the changed dates of a series by their age; what gave way.
    fn take_dates(&mut self, into: usize, from: &Entry<'a>) -> Vec<Statement> {
        let books = &self.terms.books;
        self.entry_mut(into)
            .map(|entry| overrides::take_over(books, entry, from, Precedence::Newer))
            .unwrap_or_default()
    }

    pub(super) fn candidate(&self, at: usize) -> Option<Candidate> {
        let entry = self.entry(at)?;
        Some(Candidate { at, key: VersionKey::of(&entry.series), sources: vec![entry.source] })
    }

    pub(super) fn are_copies(&self, one: &Candidate, two: &Candidate) -> bool {
        one.key.is_tied_with(&two.key)
            && self.series(one.at).zip(self.series(two.at)).is_some_and(|(one, two)| is_same(one, two))
    }

    pub(super) fn are_used_again(&self, sources: &[usize], others: &[Candidate]) -> bool {
        let others = others.iter().flat_map(|other| &other.sources);
        sources.iter().any(|one| others.clone().any(|two| self.terms.used_again.between(*one, *two) > 0))
    }

    pub(super) fn are_versions(&self, winner: &Candidate, other: &Candidate, many: bool) -> bool {
        let origin = if winner.sources.iter().any(|source| other.sources.contains(source)) {
            Provenance::SameInput
        } else if many {
            Provenance::AmongMany
        } else if self.are_used_again(&winner.sources, std::slice::from_ref(other)) {
            Provenance::IdsUsedAgain
        } else {
            Provenance::OtherInput
        };
        winner.key.is_newer_version_of(&other.key, origin)
            || self.are_copies(winner, other)
            || self.are_tied_and_one(winner, other)
    }

    /// Two that nothing tells apart in age, and that can be one.
    fn are_tied_and_one(&self, one: &Candidate, two: &Candidate) -> bool {
        one.key.is_tied_with(&two.key)
            && self.entry(one.at).zip(self.entry(two.at)).is_some_and(|(one, two)| {
                let end =
                    |entry: &Entry<'_>| Moment::of_end(entry.series.lead(), &self.terms.books[entry.source]);
                end(one) == end(two) && self.terms.are_one_but_for_dates(one, two)
            })
    }
}

fn is_same(one: &Series<'_>, two: &Series<'_>) -> bool {
    one.events().count() == two.events().count()
        && one.events().zip(two.events()).all(|(one, two)| one.component().says_the_same_as(two.component()))
}
