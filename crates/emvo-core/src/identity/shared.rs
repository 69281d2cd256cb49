//! What several things have in common, found by sorting numbers.

use std::hash::{BuildHasher, Hash};

use rayon::prelude::*;

/// A number for a thing: the same for the same things in every run, and almost
/// never the same for two others.
pub(crate) fn number_of(thing: &impl Hash) -> u64 {
    foldhash::fast::FixedState::default().hash_one(thing)
}

/// The places, in order, whose number occurs more than once. A group of others
/// may be among them: numbers can meet by chance.
pub(crate) fn places_of_shared(mut numbers: Vec<(u64, usize)>) -> Vec<usize> {
    numbers.par_sort_unstable();
    let shared = numbers.chunk_by(|one, two| one.0 == two.0).filter(|members| members.len() > 1);
    let mut places: Vec<usize> = shared.flatten().map(|(_, place)| *place).collect();
    places.sort_unstable();
    places
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_occurs_once_is_left_out() {
        let numbers = ["a", "b", "a", "c", "b", "a"].iter().enumerate();
        let numbers = numbers.map(|(place, text)| (number_of(text), place)).collect();
        assert_eq!(places_of_shared(numbers), [0, 1, 2, 4, 5]);
    }
}
