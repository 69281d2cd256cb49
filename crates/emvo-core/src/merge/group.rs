//! Events that are settled among themselves, many groups side by side.

use rayon::prelude::*;

use super::{Entry, Fold, FoldKind, Merge, Terms, change_of};
use crate::calendar::{Event, Series};
use crate::identity::Numbered;
use crate::receipt::Change;

/// So many groups are taken out of the events at once.
const AT_ONCE: usize = 1 << 13;

/// A few events that have something in common, taken out of all of them.
pub(super) struct Group<'m, 'a> {
    pub(super) terms: &'m Terms,
    /// The events by their places among all, ascending.
    members: Vec<(usize, Option<Entry<'a>>)>,
    told: Told,
}

/// What was done, each under the place of an event: what is told in the end
/// does not depend on which group came first.
#[derive(Default)]
struct Told {
    folds: Vec<(usize, Fold)>,
    changes: Vec<(usize, Change)>,
}

impl<'a> Merge<'a> {
    /// Settles events with the same number among themselves. What that gives, in
    /// order of the first event of each group.
    pub(super) fn settle<T: Send>(
        &mut self,
        numbered: &Numbered,
        settle: impl Fn(&mut Group<'_, 'a>) -> T + Sync,
    ) -> Vec<T> {
        let (mut told, mut given) = (Told::default(), Vec::new());
        let mut groups: Vec<_> = numbered.groups().filter(|group| group.len() > 1).collect();
        // What stands side by side in the file is settled one after the other.
        groups.par_sort_unstable_by_key(|group| group.places().next());
        for groups in groups.chunks(AT_ONCE) {
            let taken: Vec<Vec<_>> = groups
                .iter()
                .map(|group| group.places().map(|at| (at, self.kept[at].take())).collect())
                .collect();
            let terms = &self.terms;
            let settled: Vec<(Group<'_, 'a>, T)> = taken
                .into_par_iter()
                .with_min_len(32)
                .map(|members| {
                    let mut group = Group { terms, members, told: Told::default() };
                    let given = settle(&mut group);
                    (group, given)
                })
                .collect();
            for (group, one) in settled {
                given.push((group.first(), one));
                told.folds.extend(group.told.folds);
                told.changes.extend(group.told.changes);
                for (at, entry) in group.members {
                    self.kept[at] = entry;
                }
            }
        }
        told.folds.sort_by_key(|(place, _)| *place);
        told.changes.sort_by_key(|(place, _)| *place);
        self.balance.folded += told.folds.len();
        self.folds.extend(told.folds.into_iter().map(|(_, fold)| fold));
        self.changes.extend(told.changes.into_iter().map(|(_, change)| change));
        given.sort_by_key(|(first, _)| *first);
        given.into_iter().map(|(_, one)| one).collect()
    }
}

impl<'a> Group<'_, 'a> {
    /// The places of its events.
    pub(super) fn places(&self) -> impl Iterator<Item = usize> {
        self.members.iter().map(|(at, _)| *at)
    }

    fn first(&self) -> usize {
        self.members.first().map_or(0, |(at, _)| *at)
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

    /// Whether an event may be changed: the destination's own may not.
    pub(super) fn may_change(&self, at: usize) -> bool {
        self.entry(at).is_some_and(|entry| Some(entry.source) != self.terms.destination)
    }

    /// Tells that an event became part of another, under this place.
    pub(super) fn fold(&mut self, kind: FoldKind, folded: &Entry<'a>, into: usize, place: usize) {
        let Some(stays) = self.entry(into) else { return };
        let fold = self.terms.fold(kind, folded, stays);
        self.told.folds.push((place, fold));
    }

    /// Tells that an event was changed, under this place.
    pub(super) fn change(
        &mut self,
        rule: &'static str,
        event: &Event<'_>,
        (before, after): (String, String),
        place: usize,
    ) {
        self.told.changes.push((place, change_of(Some(rule), event, before, after)));
    }
}
