//! The newest versions under one id, found again without looking at all of them.

use std::collections::BTreeMap;

use hashbrown::HashMap;

use crate::identity::VersionKey;

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
    /// By title and start.
    by_both: HashMap<(u64, u64), Vec<usize>>,
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

    pub(super) fn push(&mut self, candidate: Candidate) {
        let (place, sources) = (self.list.len(), candidate.sources.clone());
        self.by_both.entry(candidate.key.numbers()).or_default().push(place);
        self.list.push(Candidate { sources: Vec::new(), ..candidate });
        self.add_sources(place, &sources);
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
