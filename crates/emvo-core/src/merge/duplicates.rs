//! The same event under different ids becomes one (U03).

use super::group::MergeGroup;
use super::{Merge, union};
use crate::edit::FoldKind;
use crate::identity::{Fingerprint, Numbered, contradiction, same_dates};

impl Merge<'_> {
    /// Folds duplicates, the first of a group that may stay first.
    ///
    /// Only events that share title, start and end are compared, so the work
    /// grows with the events, not with their pairs.
    pub(super) fn fold_duplicates(&mut self) {
        let number = |at: usize| {
            let entry = self.kept[at].as_ref()?;
            Fingerprint::number(entry.series.lead(), &self.terms.books[entry.source])
        };
        let numbered = Numbered::of(self.kept.len(), number);
        #[allow(
            clippy::redundant_closure_for_method_calls,
            reason = "the method itself is for one lifetime"
        )]
        self.settle(&numbered, |group| group.fold_duplicates());
    }
}

impl MergeGroup<'_, '_> {
    fn fold_duplicates(&mut self) -> Vec<usize> {
        // Numbers can meet by chance, and events with one fingerprint can still
        // contradict each other.
        let mut apart: Vec<(Fingerprint, usize)> = Vec::new();
        for at in self.places().collect::<Vec<_>>() {
            let Some(fingerprint) = self.fingerprint(at) else { continue };
            let is_same = |(known, there): &(Fingerprint, usize)| {
                *known == fingerprint && self.are_duplicates(*there, at)
            };
            match apart.iter().position(is_same) {
                Some(place) => apart[place].1 = self.fold_pair(apart[place].1, at),
                None => apart.push((fingerprint, at)),
            }
        }
        Vec::new()
    }

    /// What the events that this one may be a duplicate of share with it. An
    /// event without a title has too little to go by.
    fn fingerprint(&self, at: usize) -> Option<Fingerprint> {
        let entry = self.entry(at)?;
        let lead = entry.series.lead();
        lead.title().is_some().then(|| Fingerprint::of(lead, &self.terms.books[entry.source]))
    }

    fn are_duplicates(&self, there: usize, at: usize) -> bool {
        let (Some(one), Some(two)) = (self.entry(there), self.entry(at)) else { return false };
        if Some(one.source) == self.terms.destination && one.source == two.source {
            return false;
        }
        contradiction(one.series.lead(), two.series.lead()).is_none()
            && same_dates(
                (&one.series, &self.terms.books[one.source]),
                (&two.series, &self.terms.books[two.source]),
                self.terms.options.ceiling,
            )
    }

    /// Folds the second event of a pair into the first, or the first into the
    /// second where that says more. Returns which one stays.
    fn fold_pair(&mut self, there: usize, at: usize) -> usize {
        let richness = |at: usize| self.series(at).map_or(0, union::richness);
        let (stays, goes) =
            if self.may_change(there) && richness(at) > richness(there) { (at, there) } else { (there, at) };
        let Some(folded) = self.take(goes) else { return stays };
        if self.may_change(stays)
            && let Some(entry) = self.entry_mut(stays)
            && let Some(gained) = union::take_in(&mut entry.series, &folded.series)
        {
            let lead = entry.series.lead().clone();
            self.change(FoldKind::Duplicate.rule(), &lead, gained.before, gained.after);
        }
        self.fold(FoldKind::Duplicate, &folded, stays);
        stays
    }
}
