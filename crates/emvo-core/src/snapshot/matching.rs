//! Which event of one snapshot is which of another: by id and start, by id, by
//! title and times.

use std::collections::VecDeque;
use std::hash::Hash;

use hashbrown::HashMap;

use super::Entry;
use crate::identity::{Fingerprint, Moment};

/// Which event of the later snapshot is which of the earlier one.
pub(super) struct Matching {
    /// The place in the later one, for each of the earlier one.
    pub(super) pair_of: Vec<Option<usize>>,
    /// Whether an event of the later one has a counterpart.
    pub(super) taken: Vec<bool>,
}

impl Matching {
    pub(super) fn of(olds: &[Entry<'_, '_>], news: &[Entry<'_, '_>]) -> Self {
        let mut matching = Self { pair_of: vec![None; olds.len()], taken: vec![false; news.len()] };
        matching.by(olds, news, |entry| {
            let uid = entry.series.uid()?;
            Some((uid, Some(Moment::of(entry.series.lead().start(), entry.zones))))
        });
        matching.by(olds, news, |entry| Some((entry.series.uid()?, None::<Moment>)));
        matching.by(olds, news, |entry| Some(Fingerprint::of(entry.series.lead(), entry.zones)));
        matching
    }

    fn by<'e, 's, 'a, K: Hash + Eq>(
        &mut self,
        olds: &'e [Entry<'s, 'a>],
        news: &'e [Entry<'s, 'a>],
        key: impl Fn(&'e Entry<'s, 'a>) -> Option<K>,
    ) {
        let mut free: HashMap<K, VecDeque<usize>> = HashMap::new();
        for (at, entry) in news.iter().enumerate().filter(|(at, _)| !self.taken[*at]) {
            if let Some(key) = key(entry) {
                free.entry(key).or_default().push_back(at);
            }
        }
        for (at, entry) in olds.iter().enumerate() {
            if self.pair_of[at].is_some() {
                continue;
            }
            let place = key(entry).and_then(|key| free.get_mut(&key)?.pop_front());
            if let Some(place) = place {
                self.pair_of[at] = Some(place);
                self.taken[place] = true;
            }
        }
    }
}
