//! Events that are settled among themselves, many groups side by side.

use std::cmp::Ordering;

use rayon::prelude::*;

use super::{Entry, Merge, Terms, overrides, union};
use crate::edit::{Change, Fold, FoldKind};
use crate::identity::{Numbered, Statement, Words};
use emvo_ical::calendar::{Event, Series};

/// The number of groups that are taken out of the events at once.
const AT_ONCE: usize = 1 << 13;

/// A few events that have something in common, taken out of all of them.
pub(super) struct MergeGroup<'m, 'a> {
    pub(super) terms: &'m Terms,
    /// The events by their places among all, ascending.
    members: Vec<(usize, Option<Entry<'a>>)>,
    folds: Vec<Fold>,
    changes: Vec<Change>,
}

impl<'a> Merge<'a> {
    /// Settles events with the same number among themselves, told in order of
    /// the first event of each group. Returns what is left to be settled
    /// otherwise.
    pub(super) fn settle<T: Send>(
        &mut self,
        numbered: &Numbered,
        settle: impl Fn(&mut MergeGroup<'_, 'a>) -> Vec<T> + Sync,
    ) -> Vec<T> {
        let mut left = Vec::new();
        let groups = numbered.in_order();
        self.folds.reserve_exact(groups.iter().map(|group| group.len() - 1).sum());
        for groups in groups.chunks(AT_ONCE) {
            let taken: Vec<Vec<_>> = groups
                .iter()
                .map(|group| group.places().map(|at| (at, self.kept[at].take())).collect())
                .collect();
            let terms = &self.terms;
            let settled: Vec<(MergeGroup<'_, 'a>, Vec<T>)> = taken
                .into_par_iter()
                .with_min_len(32)
                .map(|members| {
                    let mut group = MergeGroup { terms, members, folds: Vec::new(), changes: Vec::new() };
                    let left = settle(&mut group);
                    (group, left)
                })
                .collect();
            for (group, one) in settled {
                left.extend(one);
                self.account.events.folded += group.folds.len();
                self.folds.extend(group.folds);
                self.changes.extend(group.changes);
                for (at, entry) in group.members {
                    self.kept[at] = entry;
                }
            }
        }
        left
    }
}

impl<'a> MergeGroup<'_, 'a> {
    /// The places of its events.
    pub(super) fn places(&self) -> impl Iterator<Item = usize> {
        self.members.iter().map(|(at, _)| *at)
    }

    fn number_of(&self, at: usize) -> Option<usize> {
        self.members.binary_search_by_key(&at, |(place, _)| *place).ok()
    }

    pub(super) fn entry(&self, at: usize) -> Option<&Entry<'a>> {
        self.members[self.number_of(at)?].1.as_ref()
    }

    pub(super) fn entry_mut(&mut self, at: usize) -> Option<&mut Entry<'a>> {
        let number = self.number_of(at)?;
        self.members[number].1.as_mut()
    }

    pub(super) fn take(&mut self, at: usize) -> Option<Entry<'a>> {
        let number = self.number_of(at)?;
        self.members[number].1.take()
    }

    /// Puts an event in the place of another, which is given back.
    pub(super) fn replace(&mut self, at: usize, entry: Entry<'a>) -> Option<Entry<'a>> {
        let number = self.number_of(at)?;
        self.members[number].1.replace(entry)
    }

    pub(super) fn series(&self, at: usize) -> Option<&Series<'a>> {
        self.entry(at).map(|entry| &entry.series)
    }

    /// What an event says in the fields that it fills once.
    pub(super) fn words(&self, at: usize) -> Words {
        let is_stamp = |name: &str| self.terms.stamps.iter().any(|own| own.has(name));
        self.series(at).map(|series| Words::of(series.lead(), is_stamp)).unwrap_or_default()
    }

    /// The destination's own first, then what says most, then by the words: an
    /// order that does not depend on that of the inputs.
    pub(super) fn by_content(&self, one: usize, two: usize) -> Ordering {
        let richness = |at: usize| self.series(at).map_or(0, union::richness);
        let lines = |at: usize| {
            let events = self.series(at).into_iter().flat_map(Series::events);
            events.flat_map(|event| event.component().properties()).map(|line| line.logical())
        };
        let first = self.may_change(one).cmp(&self.may_change(two));
        first.then_with(|| richness(two).cmp(&richness(one))).then_with(|| lines(one).cmp(lines(two)))
    }

    /// Whether an event may be changed: the destination's own may not.
    pub(super) fn may_change(&self, at: usize) -> bool {
        self.entry(at).is_some_and(|entry| Some(entry.source) != self.terms.destination)
    }

    /// Folds an event into another, which takes over what it says more, where it
    /// may be changed.
    pub(super) fn unite(&mut self, kind: FoldKind, folded: &Entry<'a>, into: usize) {
        let books = &self.terms.books;
        if self.may_change(into)
            && let Some(entry) = self.entry_mut(into)
            && let Some(gained) = overrides::take_in(books, entry, folded)
        {
            let lead = entry.series.lead().clone();
            self.change(kind.rule(), &lead, gained.before, gained.after);
        }
        self.fold(kind, folded, into);
    }

    /// Tells that an event became part of another.
    pub(super) fn fold(&mut self, kind: FoldKind, folded: &Entry<'a>, into: usize) {
        self.fold_besides(kind, folded, into, Vec::new());
    }

    /// The same, where something of the event that stays gave way as well.
    pub(super) fn fold_besides(
        &mut self,
        kind: FoldKind,
        folded: &Entry<'a>,
        into: usize,
        gave_way: Vec<Statement>,
    ) {
        let Some(stays) = self.entry(into) else { return };
        let fold = self.terms.fold(kind, folded, stays, gave_way);
        self.folds.push(fold);
    }

    /// Tells that an event was changed.
    pub(super) fn change(&mut self, rule: &'static str, event: &Event<'_>, before: String, after: String) {
        self.changes.push(Change::to_event(Some(rule), event, before, after));
    }
}
