//! What stood in a calendar before an import.

use std::collections::VecDeque;
use std::hash::Hash;

use hashbrown::HashMap;

use super::InBook;
use crate::identity::Fingerprint;

/// Which events of a calendar were there before, one for one: by id, and where ids
/// are new at every export by title and times. An event that stands there once more
/// than before was not.
pub(super) fn was_there(before: &[InBook<'_, '_>], now: &[InBook<'_, '_>]) -> Vec<bool> {
    let mut settled = Settled { before: vec![false; before.len()], now: vec![false; now.len()] };
    settled.by(before, now, |(series, _)| series.uid());
    settled.by(before, now, |(series, zones)| Some(Fingerprint::of(series.lead(), zones)));
    settled.now
}

struct Settled {
    before: Vec<bool>,
    now: Vec<bool>,
}

impl Settled {
    fn by<'e, 's, 'a, K: Hash + Eq>(
        &mut self,
        before: &'e [InBook<'s, 'a>],
        now: &'e [InBook<'s, 'a>],
        key: impl Fn(&'e InBook<'s, 'a>) -> Option<K>,
    ) {
        let mut free: HashMap<K, VecDeque<usize>> = HashMap::new();
        for (at, one) in before.iter().enumerate().filter(|(at, _)| !self.before[*at]) {
            if let Some(key) = key(one) {
                free.entry(key).or_default().push_back(at);
            }
        }
        for (at, one) in now.iter().enumerate() {
            if self.now[at] {
                continue;
            }
            if let Some(place) = key(one).and_then(|key| free.get_mut(&key)?.pop_front()) {
                self.before[place] = true;
                self.now[at] = true;
            }
        }
    }
}
