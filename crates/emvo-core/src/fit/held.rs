//! What a destination holds, by the ids under which it was given.

use hashbrown::HashMap;

use emvo_ical::calendar::{Event, Series};

/// The events of a destination, in the order in which they came.
#[derive(Default)]
pub(super) struct Held<'a> {
    /// What was replaced leaves its place empty.
    places: Vec<Option<Series<'a>>>,
    /// The places of what was given under one id: a series may be many events there.
    by_id: HashMap<String, Vec<usize>>,
}

impl<'a> Held<'a> {
    /// The latest revision (`SEQUENCE`) of what was given under an id; `None` where there is
    /// nothing of it.
    pub(super) fn revision_of(&self, uid: &str) -> Option<i64> {
        let places = self.by_id.get(uid).filter(|_| !uid.is_empty())?;
        places.iter().filter_map(|at| self.places[*at].as_ref()).map(revision_of).max()
    }

    /// Takes in what was made of a series that was given under an id.
    pub(super) fn add(&mut self, uid: String, all: Vec<Series<'a>>) {
        let places = self.by_id.entry(uid).or_default();
        for series in all {
            places.push(self.places.len());
            self.places.push(Some(series));
        }
    }

    /// Takes out whatever was given under an id.
    pub(super) fn remove(&mut self, uid: &str) {
        for at in self.by_id.remove(uid).into_iter().flatten() {
            self.places[at] = None;
        }
    }

    /// How many places were ever taken: a number that no event had before.
    pub(super) fn next_number(&self) -> usize {
        self.places.len()
    }

    pub(super) fn into_series(self) -> impl Iterator<Item = Series<'a>> {
        self.places.into_iter().flatten()
    }
}

/// The latest revision of the events of a series.
pub(super) fn revision_of(series: &Series<'_>) -> i64 {
    series.events().map(Event::sequence).max().unwrap_or(0)
}
