//! The sum: what was read against what was written.
//!
//! An operation counts what it read when it reads it and what it writes when it
//! writes it; the two counts come from different data, so that an event that is
//! lost between them shows.

use std::ops::AddAssign;

use serde::{Deserialize, Serialize};

/// Counts of events, each series or single event once (an override belongs to
/// its series).
///
/// `read + added = written + folded + removed + set_aside` holds for every
/// command that writes; [`Balance::ensure_sum`] says so or refuses.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Balance {
    /// Events in the inputs, those that could not be read included.
    pub read: usize,
    /// Events in the outputs.
    pub written: usize,
    /// Events that became part of another: duplicates, older versions.
    pub folded: usize,
    /// Events left out because they were asked to be.
    pub removed: usize,
    /// Events that cannot be read, kept beside the output as they were.
    pub set_aside: usize,
    /// Events that were in no input, such as the second half of a split series.
    pub added: usize,
}

/// A balance whose two sides differ: a fault of Emvo's own.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error(
    "the sum is off, so nothing was written: {} read + {} added is not {} written + {} folded + {} removed + {} set aside. \
     This is a fault in Emvo; your files are untouched",
    .0.read, .0.added, .0.written, .0.folded, .0.removed, .0.set_aside
)]
pub struct Imbalance(pub Balance);

impl Balance {
    /// Refuses a balance whose two sides differ.
    pub fn ensure_sum(self) -> Result<Self, Imbalance> {
        let came = self.read + self.added;
        let went = self.written + self.folded + self.removed + self.set_aside;
        if came == went { Ok(self) } else { Err(Imbalance(self)) }
    }
}

impl AddAssign for Balance {
    fn add_assign(&mut self, other: Self) {
        self.read += other.read;
        self.written += other.written;
        self.folded += other.folded;
        self.removed += other.removed;
        self.set_aside += other.set_aside;
        self.added += other.added;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_sum_that_is_off_is_refused_with_its_numbers() {
        let good = Balance { read: 10, added: 1, written: 7, folded: 2, removed: 1, set_aside: 1 };
        assert_eq!(good.ensure_sum(), Ok(good));
        let lost = Balance { written: 6, ..good };
        insta::assert_snapshot!(lost.ensure_sum().unwrap_err(), @"the sum is off, so nothing was written: 10 read + 1 added is not 6 written + 2 folded + 1 removed + 1 set aside. This is a fault in Emvo; your files are untouched");
    }
}
