//! The same event under different ids becomes one (U03).

use super::group::MergeGroup;
use super::{Apart, Entry, Merge};
use crate::edit::FoldKind;
use crate::identity::{Fingerprint, Numbered, StandApart, is_placeholder};

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
    fn fold_duplicates(&mut self) -> Vec<()> {
        // Numbers can meet by chance, and events with one fingerprint can still
        // contradict each other.
        let mut groups: Vec<(Fingerprint, StandApart)> = Vec::new();
        for at in self.in_order_of_content() {
            let Some(fingerprint) = self.fingerprint(at) else { continue };
            let known = groups.iter().position(|(known, _)| *known == fingerprint);
            let group = known.unwrap_or_else(|| {
                groups.push((fingerprint, StandApart::default()));
                groups.len() - 1
            });
            let apart = &mut groups[group].1;
            match apart.find(|| self.words(at), |there| self.are_duplicates(there, at)) {
                Some(into) => {
                    if let Some(folded) = self.take(at) {
                        self.unite(FoldKind::Duplicate, &folded, into);
                        apart.says_more(into, || self.words(into));
                    }
                }
                None => apart.push(at, |at| self.words(at)),
            }
        }
        Vec::new()
    }

    /// The destination's own first, then what says most: which of several stays
    /// must not depend on the order of the inputs.
    fn in_order_of_content(&self) -> Vec<usize> {
        let mut places: Vec<usize> = self.places().collect();
        places.sort_by(|one, two| self.by_content(*one, *two));
        places
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
        let is_destinations = |entry: &Entry<'_>| Some(entry.source) == self.terms.destination;
        let is_kept =
            |one: &Entry<'_>, two: &Entry<'_>| one.apart == Apart::FromDestination && is_destinations(two);
        // "Busy" in two calendars is two people's time.
        let are_two_people = one.source != two.source && is_placeholder(one.series.lead());
        !is_kept(one, two) && !is_kept(two, one) && !are_two_people && self.terms.are_one(one, two)
    }
}
