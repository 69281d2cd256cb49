//! How many dates each calendar of the sources had, and how many of them stand in the result.
//!
//! A date stands there if an occurrence of the result was paired with it, at whatever time and
//! in whatever words; what was superseded or left out as asked does not.

use super::pairing::{Counterpart, Pairing};

/// One calendar of the sources, then and now.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ThenNow {
    /// Its file.
    pub path: String,
    /// Its name.
    pub calendar: String,
    /// How many series and single events it had.
    pub events: usize,
    /// How many dates they had inside the window.
    pub then: usize,
    /// How many of these stand in the result.
    pub now: usize,
}

impl Pairing<'_, '_, '_> {
    /// Each calendar of the sources, in their order.
    pub(super) fn then_and_now(&self) -> Vec<ThenNow> {
        let unchanged = |side: usize| self.source.unchanged.by_side.get(side).copied().unwrap_or(0);
        let mut all: Vec<ThenNow> = Vec::new();
        for (side, view) in self.source.sides.iter().enumerate() {
            all.push(ThenNow {
                path: view.path.to_owned(),
                calendar: view.calendar.name(),
                events: view.calendar.series.len(),
                then: unchanged(side),
                now: unchanged(side),
            });
        }
        for (record, counterpart) in self.source.list.iter().zip(&self.counterparts) {
            let one = &mut all[record.place().0];
            one.then += 1;
            one.now += match counterpart {
                Counterpart::Paired(_) | Counterpart::Shared(_) => 1,
                Counterpart::Unpaired | Counterpart::Explained => 0,
            };
        }
        all
    }
}
