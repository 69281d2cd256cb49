//! What is found to differ, and how much of it.

use std::collections::BTreeMap;
use std::ops::AddAssign;

use super::CauseKind;

/// What became of a source occurrence, or where a result occurrence came from.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum DifferenceKind {
    /// It is not in the result.
    Missing,
    /// It is there at another time, or ends at another.
    Retimed,
    /// It is there with other words, or other busy/free or privacy.
    Altered,
    /// It is there more than once.
    Doubled,
    /// It is in the result and in no source.
    Extra,
}

impl DifferenceKind {
    /// The name in machine-readable answers.
    pub fn name(self) -> &'static str {
        match self {
            Self::Missing => "missing",
            Self::Retimed => "retimed",
            Self::Altered => "altered",
            Self::Doubled => "doubled",
            Self::Extra => "extra",
        }
    }
}

/// Whether an extra occurrence speaks against the result.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Ownership {
    /// It belongs to an event that the sources have: a date that came back.
    OfSource,
    /// It was the destination's own.
    OfDestination,
}

/// One occurrence that is not as it was.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Difference {
    /// What is wrong.
    pub kind: DifferenceKind,
    /// The source it is from; for an extra one the result.
    pub path: String,
    /// The event's id.
    pub uid: String,
    /// The event's title.
    pub title: String,
    /// When it starts; in the source, but for extra ones.
    pub start: String,
    /// When it starts in the result.
    pub result_start: Option<String>,
    /// By how many seconds it moved, where both are instants: its start, or if
    /// that stayed its end.
    pub by: Option<i64>,
    /// The fields that differ.
    pub fields: Vec<&'static str>,
    /// Whose an extra one is.
    pub ownership: Ownership,
    /// What it has in common with others.
    pub cause: Option<CauseKind>,
}

/// What differs, and for each difference the occurrences that do.
#[derive(Default)]
pub(super) struct Found {
    pub(super) differences: Vec<Difference>,
    pub(super) places: Vec<Place>,
}

/// The occurrences that differ.
#[derive(Clone, Copy, Debug)]
pub(super) struct Place {
    pub(super) source: Option<usize>,
    pub(super) result: Option<usize>,
}

impl Found {
    pub(super) fn push(&mut self, difference: Difference, place: Place) {
        self.differences.push(difference);
        self.places.push(place);
    }
}

/// Something that an event of the sources says besides its times and words, and
/// that its counterpart in the result does not say.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DetailDifference {
    /// The source it is from.
    pub path: String,
    /// The event's id.
    pub uid: String,
    /// The event's title.
    pub title: String,
    /// The date, in the source.
    pub start: String,
    /// The field by its name, or the property's, or the inner component's.
    pub field: String,
    /// What it says in the source.
    pub before: String,
    /// What the counterpart says in the field that the source does not; empty if
    /// nothing.
    pub after: String,
}

/// What differs and is no loss.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Notes {
    /// How many occurrences have the same description with other markup.
    pub markup: usize,
    /// How many occurrences say more in the result than in the sources, by field.
    pub added: BTreeMap<String, usize>,
}

impl AddAssign for Notes {
    fn add_assign(&mut self, other: Self) {
        self.markup += other.markup;
        for (field, count) in other.added {
            *self.added.entry(field).or_insert(0) += count;
        }
    }
}

/// How many occurrences went which way. Each source occurrence is in exactly
/// one of matched, retimed, altered, missing, doubled, explained.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct Counts {
    pub source_events: usize,
    pub source_occurrences: usize,
    pub matched: usize,
    pub retimed: usize,
    pub altered: usize,
    pub missing: usize,
    pub doubled: usize,
    pub extra: usize,
    pub explained: usize,
}

impl AddAssign for Counts {
    fn add_assign(&mut self, other: Self) {
        self.source_events += other.source_events;
        self.source_occurrences += other.source_occurrences;
        self.matched += other.matched;
        self.retimed += other.retimed;
        self.altered += other.altered;
        self.missing += other.missing;
        self.doubled += other.doubled;
        self.extra += other.extra;
        self.explained += other.explained;
    }
}

impl Counts {
    pub(super) fn of(&mut self, kind: DifferenceKind) -> &mut usize {
        match kind {
            DifferenceKind::Missing => &mut self.missing,
            DifferenceKind::Retimed => &mut self.retimed,
            DifferenceKind::Altered => &mut self.altered,
            DifferenceKind::Doubled => &mut self.doubled,
            DifferenceKind::Extra => &mut self.extra,
        }
    }
}
