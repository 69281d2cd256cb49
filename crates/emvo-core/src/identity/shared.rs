//! What several things have in common, found by sorting numbers.

use std::hash::{BuildHasher, Hash};

use rayon::prelude::*;

/// A number for a thing: the same for the same things in every run, and almost
/// never the same for two others.
pub(crate) fn number_of(thing: &impl Hash) -> u64 {
    foldhash::fast::FixedState::default().hash_one(thing)
}

/// The things of a list by their numbers: one word for each, as much of its
/// number as there is room for in front of its place. So a group may hold a
/// thing that got there by chance.
#[derive(Debug)]
pub(crate) struct Numbered {
    words: Vec<u64>,
    /// How many bits of a word are a place.
    place_bits: u32,
}

/// A thing that has no number.
const NONE: u64 = u64::MAX;

impl Numbered {
    /// Numbers `count` things; those without a number are left out.
    pub(crate) fn of(count: usize, number: impl Fn(usize) -> Option<u64> + Sync) -> Self {
        Self::beside(count, count, number)
    }

    /// The same, to be compared with a list of another length.
    pub(crate) fn beside(count: usize, other: usize, number: impl Fn(usize) -> Option<u64> + Sync) -> Self {
        let place_bits = place_bits(count.max(other));
        let word = |at: usize| word_of(number(at), at, place_bits);
        let mut words: Vec<u64> = (0..count).into_par_iter().with_min_len(512).map(word).collect();
        words.par_sort_unstable();
        words.truncate(words.partition_point(|word| *word != NONE));
        Self { words, place_bits }
    }

    /// Numbers `count` things in several ways at once, with one look at each.
    pub(crate) fn in_ways<const WAYS: usize>(
        count: usize,
        numbers: impl Fn(usize) -> [Option<u64>; WAYS] + Sync,
    ) -> [Self; WAYS] {
        let place_bits = place_bits(count);
        let words = |at: usize| numbers(at).map(|number| word_of(number, at, place_bits));
        let all: Vec<[u64; WAYS]> = (0..count).into_par_iter().with_min_len(512).map(words).collect();
        std::array::from_fn(|way| {
            let words =
                all.par_iter().with_min_len(4096).map(|words| words[way]).filter(|word| *word != NONE);
            let mut words: Vec<u64> = words.collect();
            words.par_sort_unstable();
            Self { words, place_bits }
        })
    }

    /// The things with the same number, by number.
    pub(crate) fn groups(&self) -> impl Iterator<Item = SameNumber<'_>> {
        let groups = self.words.chunk_by(|one, two| one >> self.place_bits == two >> self.place_bits);
        groups.map(|words| SameNumber { words, place_bits: self.place_bits })
    }

    /// The things that share their number, in order of the first of each group: to
    /// go through things as they stand in memory takes half of the time.
    pub(crate) fn in_order(&self) -> Vec<SameNumber<'_>> {
        let mut groups: Vec<_> = self.groups().filter(|group| group.len() > 1).collect();
        groups.par_sort_unstable_by_key(|group| group.places().next());
        groups
    }

    /// The things of two lists that were numbered beside each other and that have
    /// the same number, by number.
    pub(crate) fn meeting<'n>(
        &'n self,
        other: &'n Self,
    ) -> impl Iterator<Item = (SameNumber<'n>, SameNumber<'n>)> {
        let mut others = other.groups().peekable();
        self.groups().filter_map(move |group| {
            while others.next_if(|other| other.number() < group.number()).is_some() {}
            others.next_if(|other| other.number() == group.number()).map(|other| (group, other))
        })
    }

    /// The places, in order, of all things that share their number.
    pub(crate) fn shared(&self) -> Vec<usize> {
        let mut places: Vec<usize> =
            self.groups().filter(|group| group.len() > 1).flat_map(SameNumber::places).collect();
        places.sort_unstable();
        places
    }
}

/// How many bits a place takes: one place more than there is, so that no word is all ones.
fn place_bits(count: usize) -> u32 {
    usize::BITS - count.leading_zeros()
}

fn word_of(number: Option<u64>, at: usize, place_bits: u32) -> u64 {
    number.map_or(NONE, |number| number << place_bits | at as u64)
}

/// Things with the same number.
#[derive(Clone, Copy)]
pub(crate) struct SameNumber<'n> {
    words: &'n [u64],
    place_bits: u32,
}

impl<'n> SameNumber<'n> {
    pub(crate) fn len(self) -> usize {
        self.words.len()
    }

    /// What of the number is kept.
    pub(crate) fn number(self) -> u64 {
        self.words[0] >> self.place_bits
    }

    /// Where the things are, in order.
    pub(crate) fn places(self) -> impl DoubleEndedIterator<Item = usize> + Clone + 'n {
        let place = (1_u64 << self.place_bits) - 1;
        // It was a place before it was put into the word.
        self.words.iter().map(move |word| usize::try_from(word & place).unwrap_or(usize::MAX))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_occurs_once_or_has_no_number_is_left_out() {
        let texts = [Some("a"), None, Some("b"), Some("a"), Some("c"), None, Some("b"), Some("a")];
        let numbered = Numbered::of(texts.len(), |at| texts[at].map(|text| number_of(&text)));
        assert_eq!(numbered.shared(), [0, 2, 3, 6, 7]);
        assert_eq!(numbered.groups().map(SameNumber::len).sum::<usize>(), 6);
        let in_order: Vec<Vec<usize>> =
            numbered.in_order().into_iter().map(|group| group.places().collect()).collect();
        assert_eq!(in_order, [vec![0, 3, 7], vec![2, 6]]);
    }

    #[test]
    fn numbers_of_lists_of_different_lengths_compare() {
        let (few, many) = (
            Numbered::beside(3, 500, |at| Some(number_of(&at))),
            Numbered::of(500, |at| Some(number_of(&at))),
        );
        for group in few.groups() {
            let there = many.groups().find(|there| there.number() == group.number()).unwrap();
            assert!(there.places().any(|at| group.places().any(|own| own == at)));
        }
        assert_eq!(Numbered::of(0, |_| Some(1)).groups().count(), 0);
    }

    #[test]
    fn several_ways_at_once_are_each_as_by_itself() {
        let numbers = |at: usize| {
            [Some(number_of(&(at % 7))), (!at.is_multiple_of(3)).then(|| number_of(&(at % 5))), None]
        };
        let ways = Numbered::in_ways(100, numbers);
        for (way, numbered) in ways.iter().enumerate() {
            let alone = Numbered::of(100, |at| numbers(at)[way]);
            assert_eq!(numbered.words, alone.words, "{way}");
        }
        assert!(ways[2].shared().is_empty());
    }

    #[test]
    fn numbers_of_all_ones_are_numbers() {
        let numbered = Numbered::of(3, |at| (at != 1).then_some(u64::MAX));
        assert_eq!(numbered.shared(), [0, 2]);
    }
}
