//! Where the lines of a text end.

/// The places of line feeds, found by looking at sixteen bytes together: lines are short, and a
/// search that is begun anew for each takes longer than the lines.
///
/// ```text
/// block       'E' 'N' 'D' LF  'B' 'E' LF  'G'     (eight of sixteen)
/// ^ feeds      4f  44  4e  00  48  4f  00  4d     a byte that is zero was a feed
/// mask         00  00  00  80  00  00  80  00
/// ```
pub(crate) struct LineFeeds<'a> {
    bytes: &'a [u8],
    /// What was not looked at.
    rest: &'a [u8],
    /// Where the block of the mask begins.
    block: usize,
    /// The feeds of that block that were not told.
    mask: u128,
}

const BLOCK: usize = 16;

/// A byte in all places of a block.
const fn all(byte: u8) -> u128 {
    u128::from_le_bytes([byte; BLOCK])
}

/// The top bit of each byte that is a line feed.
fn feeds_of(block: [u8; BLOCK]) -> u128 {
    let zero_if_feed = u128::from_le_bytes(block) ^ all(b'\n');
    !(((zero_if_feed & all(0x7f)) + all(0x7f)) | zero_if_feed | all(0x7f))
}

impl<'a> LineFeeds<'a> {
    pub(crate) fn of(bytes: &'a [u8]) -> Self {
        Self { bytes, rest: bytes, block: 0, mask: 0 }
    }

    /// Goes on at a place.
    pub(crate) fn go_on_at(&mut self, place: usize) {
        self.rest = self.bytes.get(place..).unwrap_or_default();
        self.mask = 0;
    }

    /// Looks at further blocks until one has a feed; `false` if none has.
    #[inline]
    fn find(&mut self) -> bool {
        while let Some((block, rest)) = self.rest.split_first_chunk::<BLOCK>() {
            let has_feed = block.iter().fold(false, |has, byte| has | (*byte == b'\n'));
            if has_feed {
                self.block = self.bytes.len() - self.rest.len();
                self.mask = feeds_of(*block);
                self.rest = rest;
                return true;
            }
            self.rest = rest;
        }
        self.find_in_last()
    }

    /// Looks at what is shorter than a block.
    fn find_in_last(&mut self) -> bool {
        let mut block = [0; BLOCK];
        block[..self.rest.len()].copy_from_slice(self.rest);
        self.block = self.bytes.len() - self.rest.len();
        self.mask = feeds_of(block);
        self.rest = &[];
        self.mask != 0
    }
}

impl Iterator for LineFeeds<'_> {
    type Item = usize;

    #[inline]
    fn next(&mut self) -> Option<usize> {
        if self.mask == 0 && !self.find() {
            return None;
        }
        let place = self.block + self.mask.trailing_zeros() as usize / 8;
        self.mask &= self.mask - 1;
        Some(place)
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn each_feed_is_found(
            bytes in prop::collection::vec(prop::sample::select(vec![0, 9, 10, 11, 0x8a, b'A', 0xff]), 0..70),
            from in 0..70_usize,
        ) {
            let expected: Vec<usize> = (0..bytes.len()).filter(|at| bytes[*at] == b'\n').collect();
            prop_assert_eq!(LineFeeds::of(&bytes).collect::<Vec<_>>(), expected.clone());
            let mut feeds = LineFeeds::of(&bytes);
            feeds.next();
            feeds.go_on_at(from);
            let behind: Vec<usize> = expected.into_iter().filter(|at| *at >= from).collect();
            prop_assert_eq!(feeds.collect::<Vec<_>>(), behind);
        }
    }
}
