//! Two lists paired one for one, by what is surest first.
//!
//! Each stage has a key, and pairs what has the same key and no counterpart yet. Where
//! several have it, the nearest go first:
//!
//! ```text
//! key: title and times     first list        second list
//!                          Leave, Elsa       Leave, Olof
//!                          Leave, Olof       Leave, Elsa
//! distance                 Olof–Olof 0, Elsa–Elsa 0, the others 1: each finds its own
//! ```

use std::hash::Hash;

use hashbrown::HashMap;

/// So many pairs of one key are compared; of more, those in order.
const MOST_COMPARED: usize = 10_000;

/// Which of the second list is which of the first.
pub(crate) struct OneForOne {
    /// The place in the second list, for each of the first.
    pub(crate) second_of: Vec<Option<usize>>,
    /// The place in the first list, for each of the second.
    pub(crate) first_of: Vec<Option<usize>>,
}

/// What one stage goes by.
pub(crate) struct Stage<F, S, M, D> {
    /// The key of one of the first list; `None` pairs it with nothing.
    pub(crate) first: F,
    /// The key of one of the second.
    pub(crate) second: S,
    /// Whether two with one key may be one at all.
    pub(crate) may_be_one: M,
    /// In how much two with one key differ; asked only where several have it.
    pub(crate) distance: D,
}

impl OneForOne {
    /// Two lists of these lengths, without pairs.
    pub(crate) fn of(first: usize, second: usize) -> Self {
        Self { second_of: vec![None; first], first_of: vec![None; second] }
    }

    /// Pairs what one stage pairs.
    pub(crate) fn pair<K: Hash + Eq>(
        &mut self,
        stage: &Stage<
            impl Fn(usize) -> Option<K>,
            impl Fn(usize) -> Option<K>,
            impl Fn(usize, usize) -> bool,
            impl Fn(usize, usize) -> usize,
        >,
    ) {
        let groups = self.groups(stage);
        for (number, (one, two)) in groups.alone.iter().enumerate() {
            if let Some((first, second)) = groups.crowded.get(&number) {
                for (one, two) in nearest(first, second, stage) {
                    self.join(one, two);
                }
            } else if let Some(two) = two
                && (stage.may_be_one)(*one, *two)
            {
                self.join(*one, *two);
            }
        }
    }

    /// What has one key and no counterpart yet, in the order of the first of each, so that the
    /// result does not depend on chance.
    fn groups<K: Hash + Eq, M, D>(
        &self,
        stage: &Stage<impl Fn(usize) -> Option<K>, impl Fn(usize) -> Option<K>, M, D>,
    ) -> Groups {
        let is_free = |(_, other): &(usize, &Option<usize>)| other.is_none();
        let mut groups = Groups::default();
        let free = self.second_of.iter().filter(|other| other.is_none()).count();
        let mut numbers: HashMap<K, usize> = HashMap::with_capacity(free);
        for (at, _) in self.second_of.iter().enumerate().filter(is_free) {
            let Some(key) = (stage.first)(at) else { continue };
            let number = *numbers.entry(key).or_insert(groups.alone.len());
            if number == groups.alone.len() {
                groups.alone.push((at, None));
            } else {
                groups.crowd(number).0.push(at);
            }
        }
        for (at, _) in self.first_of.iter().enumerate().filter(is_free) {
            let Some(number) = (stage.second)(at).and_then(|key| numbers.get(&key).copied()) else {
                continue;
            };
            let is_first = groups.alone[number].1.is_none() && !groups.crowded.contains_key(&number);
            if is_first {
                groups.alone[number].1 = Some(at);
            } else {
                groups.crowd(number).1.push(at);
            }
        }
        groups
    }

    fn join(&mut self, one: usize, two: usize) {
        self.second_of[one] = Some(two);
        self.first_of[two] = Some(one);
    }
}

/// What has one key, by the number of the group. Nearly all groups are one and one, and of a million
/// of these no lists are made.
#[derive(Default)]
struct Groups {
    /// One of the first list, and one of the second.
    alone: Vec<(usize, Option<usize>)>,
    /// Those that have several of either; what stands above is theirs as well.
    crowded: HashMap<usize, (Vec<usize>, Vec<usize>)>,
}

impl Groups {
    /// The lists of a group that has several.
    fn crowd(&mut self, number: usize) -> &mut (Vec<usize>, Vec<usize>) {
        let (one, two) = self.alone[number];
        self.crowded.entry(number).or_insert_with(|| (vec![one], two.into_iter().collect()))
    }
}

/// The pairs of one group, each one once.
fn nearest<F, S>(
    first: &[usize],
    second: &[usize],
    stage: &Stage<F, S, impl Fn(usize, usize) -> bool, impl Fn(usize, usize) -> usize>,
) -> Vec<(usize, usize)> {
    let may_be_one = |(one, two): &(usize, usize)| (stage.may_be_one)(*one, *two);
    if first.len() * second.len() > MOST_COMPARED {
        let in_order = first.iter().copied().zip(second.iter().copied());
        return in_order.filter(may_be_one).collect();
    }
    let all = first.iter().flat_map(|one| second.iter().map(|two| (*one, *two)));
    let mut pairs: Vec<(usize, usize)> = all.filter(may_be_one).collect();
    if pairs.len() > 1 {
        pairs.sort_by_cached_key(|(one, two)| ((stage.distance)(*one, *two), *one, *two));
    }
    let (mut ones, mut twos) = (hashbrown::HashSet::new(), hashbrown::HashSet::new());
    pairs.retain(|(one, two)| {
        let is_free = !ones.contains(one) && !twos.contains(two);
        if is_free {
            ones.insert(*one);
            twos.insert(*two);
        }
        is_free
    });
    pairs
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Pairs texts by their first letter, the nearest by length first; a `!` is never
    /// paired.
    fn paired(first: &[&str], second: &[&str]) -> Vec<Option<usize>> {
        let mut pairs = OneForOne::of(first.len(), second.len());
        pairs.pair(&Stage {
            first: |at: usize| first[at].chars().next(),
            second: |at: usize| second[at].chars().next(),
            may_be_one: |one: usize, two: usize| !first[one].contains('!') && !second[two].contains('!'),
            distance: |one: usize, two: usize| first[one].len().abs_diff(second[two].len()),
        });
        pairs.second_of
    }

    #[test]
    fn each_finds_its_own_and_none_is_taken_twice() {
        assert_eq!(paired(&["a", "abc"], &["abc", "a"]), [Some(1), Some(0)]);
        assert_eq!(paired(&["a", "abc"], &["abcd"]), [None, Some(0)], "the nearer of the two");
        assert_eq!(paired(&["a", "a"], &["a"]), [Some(0), None], "in order where both are as near");
        assert_eq!(paired(&["a!", "b"], &["a", "c"]), [None, None]);
        assert_eq!(paired(&[""], &[""]), [None], "without a key there is no pair");
    }

    #[test]
    fn of_very_many_alike_those_in_order_are_paired() {
        let many = vec!["a"; 150];
        let all: Vec<_> = (0..150).map(Some).collect();
        assert_eq!(paired(&many, &many), all);
    }
}
