//! Which of many numbers come twice, without sorting them.

/// Which numbers were seen, and which of them again: by their first bits, two for each.
pub(super) struct Seen {
    bits: Vec<u64>,
    shift: u32,
}

impl Seen {
    /// So many places for each number: one in so many is taken for seen again by chance.
    const ROOM: usize = 32;

    pub(super) fn with_room_for(count: usize) -> Self {
        let places = (count * Self::ROOM).next_power_of_two().max(64);
        Self { bits: vec![0; places / 32], shift: u64::BITS - places.trailing_zeros() }
    }

    fn place(&self, number: u64) -> (usize, u32) {
        let place = number >> self.shift;
        // There are as many words as the shift leaves room for, and 64 bits in each.
        (usize::try_from(place / 32).unwrap_or(0), u32::try_from(place % 32 * 2).unwrap_or(0))
    }

    pub(super) fn note(&mut self, number: u64) {
        let (word, bit) = self.place(number);
        let word = &mut self.bits[word];
        let was_seen = *word >> bit & 1;
        *word |= (1 | was_seen << 1) << bit;
    }

    pub(super) fn is_twice(&self, number: u64) -> bool {
        let (word, bit) = self.place(number);
        self.bits[word] >> bit & 2 != 0
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::identity::number_of;

    #[test]
    fn what_comes_twice_is_told_and_hardly_anything_else() {
        let numbers: Vec<u64> = (0..10_000_u64).map(|at| number_of(&(at % 9_000))).collect();
        let mut seen = Seen::with_room_for(numbers.len());
        for number in &numbers {
            seen.note(*number);
        }
        let told = |range: std::ops::Range<usize>| {
            numbers[range].iter().filter(|number| seen.is_twice(**number)).count()
        };
        assert_eq!(told(0..1_000), 1_000);
        assert!(told(1_000..9_000) < 8_000 / 20, "by chance: {}", told(1_000..9_000));
    }
}
