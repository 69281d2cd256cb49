//! The same event under different ids becomes one (U03).

use hashbrown::HashMap;

use super::{FoldKind, Merge, union};
use crate::identity::{Fingerprint, Numbered, contradiction, same_dates};

impl Merge<'_> {
    /// Folds duplicates, the first of a group that may stay first.
    ///
    /// Only events that share title, start and end are compared, so the work
    /// grows with the events, not with their pairs.
    pub(super) fn fold_duplicates(&mut self) {
        let number = |at: usize| {
            let entry = self.kept[at].as_ref()?;
            Fingerprint::number(entry.series.lead(), &self.books[entry.source])
        };
        let mut groups: HashMap<Fingerprint, Vec<usize>> = HashMap::new();
        for at in Numbered::of(self.kept.len(), number).shared() {
            let Some(fingerprint) = self.fingerprint(at) else { continue };
            let group = groups.entry(fingerprint).or_default();
            match group.iter().position(|&there| self.are_duplicates(there, at)) {
                Some(place) => group[place] = self.fold_pair(group[place], at),
                None => group.push(at),
            }
        }
    }

    /// What the events that this one may be a duplicate of share with it. An
    /// event without a title has too little to go by.
    fn fingerprint(&self, at: usize) -> Option<Fingerprint> {
        let entry = self.kept[at].as_ref()?;
        let lead = entry.series.lead();
        lead.title().is_some().then(|| Fingerprint::of(lead, &self.books[entry.source]))
    }

    fn are_duplicates(&self, there: usize, at: usize) -> bool {
        let (Some(one), Some(two)) = (&self.kept[there], &self.kept[at]) else { return false };
        if Some(one.source) == self.destination && one.source == two.source {
            return false;
        }
        contradiction(one.series.lead(), two.series.lead()).is_none()
            && same_dates(
                (&one.series, &self.books[one.source]),
                (&two.series, &self.books[two.source]),
                self.options.ceiling,
            )
    }

    /// Folds the second event of a pair into the first, or the first into the
    /// second where that says more. Returns which one stays.
    fn fold_pair(&mut self, there: usize, at: usize) -> usize {
        let richness = |at: usize| self.kept[at].as_ref().map_or(0, |entry| union::richness(&entry.series));
        let (stays, goes) =
            if self.may_change(there) && richness(at) > richness(there) { (at, there) } else { (there, at) };
        let Some(folded) = self.kept[goes].take() else { return stays };
        if self.may_change(stays)
            && let Some(entry) = self.kept[stays].as_mut()
            && let Some(gained) = union::take_in(&mut entry.series, &folded.series)
        {
            let lead = entry.series.lead().clone();
            self.change(Some(FoldKind::Duplicate.rule()), &lead, gained.before, gained.after);
        }
        self.fold(FoldKind::Duplicate, &folded, stays);
        stays
    }
}
