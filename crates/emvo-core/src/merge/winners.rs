//! The newest versions under one id, found again without looking at all of them.

use std::collections::BTreeMap;

use hashbrown::HashMap;

use crate::identity::{Revision, StandApart, VersionKey, Words};

/// An event under an id that several have, and the inputs that have it just so.
pub(super) struct Candidate {
    pub(super) at: usize,
    pub(super) key: VersionKey,
    pub(super) sources: Vec<usize>,
}

/// The newest versions of the events under one id, found again by what an older
/// one has in common with them: some exports have all their dates under one id.
#[derive(Default)]
pub(super) struct Winners {
    pub(super) list: Vec<Candidate>,
    /// The first of each title and start: the newest.
    newest: HashMap<(u64, u64), usize>,
    /// Those that are as new as each other, by title and start.
    tied: HashMap<(u64, u64, Revision), StandApart>,
    /// By title or start and input, then by revision number.
    by_one: HashMap<(u64, usize), BTreeMap<i64, Vec<usize>>>,
}

impl Winners {
    /// The first winner that an event is a version of. With `many`, that is one
    /// that shares title and start, or one of its own input that shares either
    /// and has another revision number (see [`VersionKey::is_newer_version_of`]).
    pub(super) fn find(
        &self,
        candidate: &Candidate,
        many: bool,
        words: impl Fn(usize) -> Words,
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
        let newest = self.newest.get(&(title, start)).copied().filter(is_wanted);
        let tied = || {
            let tied = self.tied.get(&(title, start, key.revision()))?;
            tied.find(|| words(candidate.at), |place| is_wanted(&place))
        };
        let same_both = newest.or_else(tied);
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

    pub(super) fn push(&mut self, candidate: Candidate, words: impl Fn(usize) -> Words) {
        let (place, sources) = (self.list.len(), candidate.sources.clone());
        let ((title, start), revision) = (candidate.key.numbers(), candidate.key.revision());
        self.list.push(Candidate { sources: Vec::new(), ..candidate });
        self.newest.entry((title, start)).or_insert(place);
        let tied = self.tied.entry((title, start, revision)).or_default();
        tied.push(place, |place| words(self.list[place].at));
        self.add_sources(place, &sources);
    }

    /// Notes that a winner says more than before.
    pub(super) fn says_more(&mut self, place: usize, words: impl Fn(usize) -> Words) {
        let Candidate { at, key, .. } = &self.list[place];
        let (title, start) = key.numbers();
        if let Some(tied) = self.tied.get_mut(&(title, start, key.revision())) {
            tied.says_more(place, || words(*at));
        }
    }

    /// Notes that these inputs have a winner just so.
    pub(super) fn add_sources(&mut self, place: usize, sources: &[usize]) {
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
