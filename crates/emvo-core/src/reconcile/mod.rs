//! The proof: every occurrence of the sources accounted for in the result.
//!
//! Owns pairing source occurrences with result occurrences, naming what
//! differs, and the verdict. It never looks at how the result was made: two
//! programs that agree on nothing but RFC 5545 can be held against each other.

mod account;
mod causes;
mod event_fields;
mod explained;
mod habits;
mod pairing;
mod record;
mod records;
mod unchanged;

use std::collections::BTreeMap;

use jiff::civil::Date;

use crate::advice::{Advice, Advised};
use crate::survey::default_window;
use crate::view::CalendarView;
use emvo_ical::recurrence::{Ceiling, Window};

pub use explained::Explanations;

use pairing::Pairing;
use record::Span;
use records::Records;
use unchanged::{Trails, Unchanged};

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

/// A difference, and the occurrences that differ.
pub(crate) struct Found {
    difference: Difference,
    source: Option<usize>,
    result: Option<usize>,
}

/// What went wrong.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[allow(missing_docs, reason = "their names in answers say it")]
pub enum CauseKind {
    OffsetShift,
    ZoneSwap,
    DayShift,
    EndDay,
    SeriesCut,
    LastOccurrence,
    OverridesLost,
    ExceptionsLost,
    ImportedTwice,
    RangeCut,
    DefaultLength,
    FieldLost,
    TextDamaged,
    TextCut,
    CalendarAbsent,
    Other,
}

impl CauseKind {
    /// The name in machine-readable answers.
    pub fn name(self) -> &'static str {
        match self {
            Self::OffsetShift => "offset-shift",
            Self::ZoneSwap => "zone-swap",
            Self::DayShift => "day-shift",
            Self::EndDay => "end-day",
            Self::SeriesCut => "series-cut",
            Self::LastOccurrence => "last-occurrence",
            Self::OverridesLost => "overrides-lost",
            Self::ExceptionsLost => "exceptions-lost",
            Self::ImportedTwice => "imported-twice",
            Self::RangeCut => "range-cut",
            Self::DefaultLength => "default-length",
            Self::FieldLost => "field-lost",
            Self::TextDamaged => "text-damaged",
            Self::TextCut => "text-cut",
            Self::CalendarAbsent => "calendar-absent",
            Self::Other => "other",
        }
    }
}

/// Many differences with one reason.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Cause {
    /// The kind.
    pub kind: CauseKind,
    /// How many occurrences it explains.
    pub occurrences: usize,
    /// In words.
    pub summary: String,
    /// What a person can do about it.
    pub todo: Option<Advice>,
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

/// Whether anything was lost.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Verdict {
    /// Every source occurrence is there as it was, or its absence is explained.
    Complete,
    /// Something is missing, moved, altered or doubled; or not all was looked at.
    Incomplete,
}

/// The account of sources against a result.
#[derive(Clone, Debug)]
pub struct Reconciliation {
    /// Where occurrences were compared.
    pub window: Window,
    /// How many went which way.
    pub counts: Counts,
    /// All that differ, by source, then by start.
    pub differences: Vec<Difference>,
    /// What many of them have in common.
    pub causes: Vec<Cause>,
    /// How many matched occurrences differ in fields that the verdict does not
    /// count, by field.
    pub other_fields: BTreeMap<&'static str, usize>,
    /// How many dates each day has, in the sources and in the result; duplicates
    /// and what receipts explain left out.
    pub days: BTreeMap<Date, (usize, usize)>,
    /// Series that could not be compared date by date, and why.
    pub not_compared: Vec<Advised>,
    /// Whether anything was lost.
    pub verdict: Verdict,
}

/// Accounts for every occurrence of the sources in the result.
///
/// `explanations` are the receipts of the runs in between: what they say was
/// meant is explained. Without a window it is from the earliest start of the sources to 31
/// December of the second year after their latest. `None` if no source has an
/// event.
pub fn reconcile<'c>(
    sources: &'c [CalendarView<'c, '_>],
    results: &[CalendarView<'_, '_>],
    window: Option<Window>,
    ceiling: Ceiling,
    explanations: &'c Explanations<'c>,
) -> Option<Reconciliation> {
    let window = window.or_else(|| default_window(sources.iter().map(|side| side.calendar)))?;
    let trails = explained::trails(sources, explanations);
    let span = Span { window, ceiling };
    let unchanged = Unchanged::find(sources, results, &trails, span);
    Some(account(sources, results, trails, span, unchanged))
}

fn account<'c>(
    sources: &'c [CalendarView<'c, '_>],
    results: &[CalendarView<'_, '_>],
    trails: Trails<'c>,
    span: Span,
    unchanged: Unchanged,
) -> Reconciliation {
    let mut source = Records::of(sources, unchanged.source, span);
    (source.trails, source.unchanged) = (trails, unchanged.counted);
    let result = Records::of(results, unchanged.result, span);
    let pairing = Pairing::of(&source, &result);
    let (counts, mut found, other_fields) = pairing.account();
    let not_compared = source.not_compared.iter().chain(&result.not_compared).cloned().collect::<Vec<_>>();
    let causes = causes::of(&mut found, &source, &result);
    let differences: Vec<Difference> = found.into_iter().map(|one| one.difference).collect();
    let is_complete = counts.retimed + counts.altered + counts.missing + counts.doubled == 0
        && !differences
            .iter()
            .any(|one| one.kind == DifferenceKind::Extra && one.ownership == Ownership::OfSource)
        && not_compared.is_empty();
    Reconciliation {
        window: span.window,
        counts,
        differences,
        causes,
        other_fields,
        days: pairing.days(),
        not_compared,
        verdict: if is_complete { Verdict::Complete } else { Verdict::Incomplete },
    }
}
