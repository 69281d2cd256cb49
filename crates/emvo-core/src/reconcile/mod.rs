//! The proof: every occurrence of the sources accounted for in the result.
//!
//! Owns pairing source occurrences with result occurrences, naming what
//! differs, and the verdict. It never looks at how the result was made: two
//! programs that agree on nothing but RFC 5545 can be held against each other.

mod account;
mod beyond;
mod cancelled;
mod causes;
mod components;
mod difference;
mod event_fields;
mod explained;
mod habits;
mod keys;
mod nearest;
mod pairing;
mod record;
mod records;
mod release;
mod then_now;
mod unchanged;

use std::collections::BTreeMap;

use hashbrown::HashSet;

use jiff::civil::Date;

use crate::advice::{Advice, Advised};
use crate::survey::default_window;
use crate::view::CalendarView;
use emvo_ical::calendar::Series;
use emvo_ical::recurrence::{Ceiling, Window};

pub use beyond::{Beyond, GoesOn};
pub use cancelled::CancelledGone;
pub use components::{CalendarLine, ComponentDifference};
pub(crate) use components::{InBook, calendar_lines_lost, lacking, unlike};
pub use difference::{Counts, DetailDifference, Difference, DifferenceKind, Notes, Ownership};
pub use explained::Explanations;
pub use release::{Reason, ReasonKind, Release};
pub use then_now::ThenNow;

use account::Accounted;
use pairing::Pairing;
use record::Span;
use records::{Records, Role};
use release::Findings;
use unchanged::{Trails, Unchanged};

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
    FloatingRead,
    CancellationsLost,
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
            Self::FloatingRead => "floating-read",
            Self::CancellationsLost => "cancellations-lost",
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
    /// What events say besides, and their counterparts do not.
    pub details: Vec<DetailDifference>,
    /// What differs and is no loss.
    pub notes: Notes,
    /// Tasks, journals and others that are not there as they were.
    pub components: Vec<ComponentDifference>,
    /// What calendars say of themselves and the result does not.
    pub calendar_lines: Vec<CalendarLine>,
    /// Cancelled events that are gone.
    pub cancelled_gone: Vec<CancelledGone>,
    /// Series that go on behind the window otherwise than in the result.
    pub going_on: Vec<GoesOn>,
    /// How many events of the sources have dates outside the window.
    pub outside: usize,
    /// What was compared of each source, by its path.
    pub compared: BTreeMap<String, Compared>,
    /// How many dates each calendar of the sources had, and has in the result.
    pub then_and_now: Vec<ThenNow>,
    /// How many dates each day has, in the sources and in the result; duplicates
    /// and what receipts explain left out.
    pub days: BTreeMap<Date, (usize, usize)>,
    /// Series that could not be compared date by date, and why.
    pub not_compared: Vec<Advised>,
    /// What could not be read, as whoever read it says.
    pub unread: Unread,
    /// Whether every date is there as it was.
    pub verdict: Verdict,
    /// Whether the old calendars may go.
    pub release: Release,
}

impl Reconciliation {
    /// How many dates differ in what else their events say, by field.
    pub fn other_fields(&self) -> BTreeMap<&str, usize> {
        let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
        let mut dates: Vec<_> = self
            .details
            .iter()
            .map(|one| (&*one.field, &*one.path, &*one.uid, &*one.start, &*one.title))
            .collect();
        dates.sort_unstable();
        dates.dedup();
        for (field, ..) in dates {
            *counts.entry(field).or_insert(0) += 1;
        }
        counts
    }
}

/// What could not be read and so cannot be accounted for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Unread {
    /// Events, tasks and others of the sources.
    pub components: usize,
    /// Parts of the sources that are none of these, such as a line of an event.
    pub parts: usize,
    /// Files that claim to be exports.
    pub files: usize,
}

/// What was compared of one source.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Compared {
    /// Series and single events.
    pub events: usize,
    /// Their dates inside the window.
    pub occurrences: usize,
    /// Tasks, journals and others.
    pub components: usize,
    /// Events with dates outside the window.
    pub outside: usize,
}

/// What is asked of a proof.
#[derive(Clone, Debug, Default)]
pub struct ProofOptions<'e> {
    /// The period; without one it is from the earliest start of the sources to 31
    /// December of the second year after their latest.
    pub window: Option<Window>,
    /// How many dates of a series are listed.
    pub ceiling: Ceiling,
    /// What could not be read.
    pub unread: Unread,
    /// The fields that a person has decided to do without.
    pub accepted: &'e [String],
    /// What was left in the old calendars on purpose, as whoever left it says.
    pub stayed: &'e [Stayed],
}

/// Events that stay in the old calendars alone, as asked.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Stayed {
    /// By which a person can accept it, such as `private-events`.
    pub field: &'static str,
    /// How many.
    pub count: usize,
    /// What they are, in words that follow the number, such as `private events`.
    pub what: &'static str,
}

/// Accounts for every occurrence of the sources in the result, and for all else that
/// they say.
///
/// `explanations` are the receipts of the runs in between: what they say was
/// meant is explained. `None` if no source has an event.
pub fn reconcile<'c>(
    sources: &'c [CalendarView<'c, '_>],
    results: &[CalendarView<'_, '_>],
    options: &ProofOptions<'_>,
    explanations: &'c Explanations<'c>,
) -> Option<Reconciliation> {
    let window = options.window.or_else(|| default_window(sources.iter().map(|side| side.calendar)))?;
    let trails = explained::trails(sources, explanations);
    let span = Span { window, ceiling: options.ceiling };
    let unchanged = Unchanged::find(sources, results, &trails, span);
    Some(account(sources, results, trails, span, unchanged, (options, &explanations.left_behind)))
}

fn account<'c>(
    sources: &'c [CalendarView<'c, '_>],
    results: &[CalendarView<'_, '_>],
    trails: Trails<'c>,
    span: Span,
    unchanged: Unchanged,
    (options, left_behind): (&ProofOptions<'_>, &BTreeMap<&str, usize>),
) -> Reconciliation {
    let mut source = Records::of(Role::Source, sources, unchanged.source, span);
    (source.trails, source.unchanged) = (trails, unchanged.counted);
    let result = Records::of(Role::Result, results, unchanged.result, span);
    let pairing = Pairing::of(&source, &result);
    let Accounted { counts, mut found, details, notes, taken_out } = pairing.account();
    let not_compared = source.not_compared.iter().chain(&result.not_compared).cloned().collect::<Vec<_>>();
    let mut causes = causes::of(&mut found, &source, &result);
    let differences = found.differences;
    let is_back =
        |one: &&Difference| one.kind == DifferenceKind::Extra && one.ownership == Ownership::OfSource;
    let came_back = differences.iter().filter(is_back).count();
    let components = components::components_unlike(sources, results);
    let going_on = beyond::series_going_on(&source, &result);
    let is_cut = |one: &GoesOn| one.how == Beyond::SeriesEnds;
    // Who asks about a period asks about its dates alone.
    let is_about_all = options.window.is_none();
    let is_complete = counts.retimed + counts.altered + counts.missing + counts.doubled + came_back == 0
        && not_compared.is_empty()
        && options.unread.components + options.unread.files == 0
        && !components.iter().any(ComponentDifference::is_missing)
        && !(is_about_all && going_on.iter().any(is_cut));
    let verdict = if is_complete { Verdict::Complete } else { Verdict::Incomplete };
    let calendar_lines = calendar_lines_lost(sources, results);
    let cancelled_gone = cancelled::cancelled_gone(&source, &result);
    causes.extend(cancelled::cause_of(&cancelled_gone));
    let compared = compared(&source, span.window);
    let outside = compared.values().map(|one| one.outside).sum();
    let findings = Findings {
        counts,
        came_back,
        unread: options.unread,
        stayed: options.stayed,
        taken_out,
        components: &components,
        going_on: &going_on,
        not_compared: &not_compared,
        outside,
        details: &details,
        left_behind,
        cancelled: &cancelled_gone,
        lines: &calendar_lines,
    };
    let release = findings.release(options.accepted);
    let found = Reconciliation {
        window: span.window,
        counts,
        differences,
        causes,
        details,
        notes,
        components,
        calendar_lines,
        cancelled_gone,
        going_on,
        outside,
        compared,
        then_and_now: pairing.then_and_now(),
        days: pairing.days(),
        not_compared,
        unread: options.unread,
        verdict,
        release,
    };
    drop(pairing);
    // To let go of a million occurrences takes a while.
    rayon::join(move || drop(source), move || drop(result));
    found
}

/// What is compared of each source.
fn compared(source: &Records<'_, '_>, window: Window) -> BTreeMap<String, Compared> {
    let mut found: BTreeMap<String, Compared> = BTreeMap::new();
    let mut occurrences = source.unchanged.by_side.clone();
    occurrences.resize(source.sides.len(), 0);
    for record in &source.list {
        occurrences[record.place().0] += 1;
    }
    for (side, occurrences) in source.sides.iter().zip(occurrences) {
        let one = found.entry(side.path.to_owned()).or_default();
        one.events += side.calendar.series.len();
        one.occurrences += occurrences;
        one.components += side.calendar.others.len();
        one.outside += outside(side, window);
    }
    found
}

/// How many events have a date outside a window, behind which series are looked at
/// apart.
fn outside(side: &CalendarView<'_, '_>, window: Window) -> usize {
    let is_outside = |series: &Series<'_>| {
        let starts = || series.events().map(|event| event.start().date());
        starts().any(|start| start < window.from)
            || (!series.repeats() && starts().any(|start| start > window.until))
    };
    side.calendar.series.iter().filter(|series| is_outside(series)).count()
}

/// The first few of some titles, each once: ``Muster`, `Drill` and 3 more titles``.
fn titles_in_words<'t>(all: impl Iterator<Item = &'t str>) -> String {
    const SHOWN: usize = 3;
    let mut seen = HashSet::new();
    let titles: Vec<&str> = all.filter(|title| seen.insert(*title)).collect();
    let shown: Vec<String> = titles.iter().take(SHOWN).map(|title| format!("`{title}`")).collect();
    match titles.len().saturating_sub(SHOWN) {
        0 => shown.join(", "),
        more => format!("{} and {more} more titles", shown.join(", ")),
    }
}
