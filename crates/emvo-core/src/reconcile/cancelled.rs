//! Dates that do not take place: those that the sources cancel or leave out.
//!
//! A date that is cancelled in a source may be cancelled in the result, or, if it is
//! one of a series, left out there: both say that it does not take place. It may
//! not be back, under whatever id, and an event that is cancelled as a whole may
//! not be gone, since people look for it to learn that.

use hashbrown::HashSet;

use super::explained::ReceiptTrail;
use super::records::Records;
use super::{Cause, CauseKind};
use crate::advice::Advice;
use crate::identity::{Moment, normalised, number_of};
use crate::words::grouped;
use emvo_ical::calendar::{Event, EventTime, Series, Status};
use emvo_ical::recurrence::occurrences_of;
use emvo_ical::zone::ZoneResolver;

/// A cancelled event of the sources that the result does not have.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CancelledGone {
    /// The source it is from.
    pub path: String,
    /// Its id.
    pub uid: String,
    /// Its title.
    pub title: String,
    /// When it would have been.
    pub start: String,
}

/// Titles and starts of dates that do not take place, as numbers.
pub(super) struct NotTakingPlace(HashSet<u64>);

impl NotTakingPlace {
    /// What the sources cancel or leave out of series, as far as it has one of these
    /// titles.
    pub(super) fn of(sources: &Records<'_, '_>, titles: &HashSet<&str>) -> Self {
        let Self(mut dates) = Self::left_out(sources, titles);
        dates.extend(Self::cancelled(sources, titles).0);
        Self(dates)
    }

    /// How many they are.
    pub(super) fn len(&self) -> usize {
        self.0.len()
    }

    /// What series of the sources leave out.
    pub(super) fn left_out(sources: &Records<'_, '_>, titles: &HashSet<&str>) -> Self {
        Self::collect(sources, titles, |series, _| series.lead().dates("EXDATE"))
    }

    /// What the sources cancel.
    pub(super) fn cancelled(sources: &Records<'_, '_>, titles: &HashSet<&str>) -> Self {
        Self::collect(sources, titles, |series, zones| {
            if !series.events().any(is_cancelled) {
                return Vec::new();
            }
            let found = occurrences_of(series, zones, sources.span.window, sources.span.ceiling);
            found.cancelled.into_iter().map(|one| one.start).collect()
        })
    }

    fn collect(
        sources: &Records<'_, '_>,
        titles: &HashSet<&str>,
        dates: impl Fn(&Series<'_>, &ZoneResolver) -> Vec<EventTime>,
    ) -> Self {
        let mut found = HashSet::new();
        for side in sources.sides {
            for series in &side.calendar.series {
                let dates = dates(series, side.zones);
                if dates.is_empty() {
                    continue;
                }
                let title = normalised(&series.lead().title().unwrap_or_default()).into_owned();
                if titles.contains(&*title) {
                    found.extend(dates.iter().map(|time| number(&title, time, side.zones)));
                }
            }
        }
        Self(found)
    }

    pub(super) fn has(&self, title: &str, start: &Moment) -> bool {
        self.0.contains(&number_of(&(title, start)))
    }
}

fn number(title: &str, time: &EventTime, zones: &ZoneResolver) -> u64 {
    number_of(&(title, &Moment::of(time, zones)))
}

fn is_cancelled(event: &Event<'_>) -> bool {
    event.status() == Status::Cancelled
}

/// Events that the sources cancel as a whole and that the result does not have at
/// all, neither cancelled nor taking place.
pub(super) fn cancelled_gone(sources: &Records<'_, '_>, results: &Records<'_, '_>) -> Vec<CancelledGone> {
    let key = |series: &Series<'_>, zones: &ZoneResolver| {
        let lead = series.lead();
        number(&normalised(&lead.title().unwrap_or_default()), lead.start(), zones)
    };
    let mut cancelled = Vec::new();
    for (number, side) in sources.sides.iter().enumerate() {
        for (at, series) in side.calendar.series.iter().enumerate() {
            let trail = sources.trails.get(number).and_then(|trails| trails.get(at)?.as_ref());
            let is_meant = trail.is_some_and(ReceiptTrail::explains_absence);
            if !is_meant && series.master().is_some_and(is_cancelled) {
                cancelled.push((side, series));
            }
        }
    }
    if cancelled.is_empty() {
        return Vec::new();
    }
    let there: HashSet<u64> = results
        .sides
        .iter()
        .flat_map(|side| side.calendar.series.iter().map(move |series| key(series, side.zones)))
        .collect();
    cancelled.retain(|(side, series)| !there.contains(&key(series, side.zones)));
    let gone = cancelled.into_iter().map(|(side, series)| CancelledGone {
        path: side.path.to_owned(),
        uid: series.uid_text().into_owned(),
        title: series.lead().title().unwrap_or_default().into_owned(),
        start: series.lead().start().to_string(),
    });
    gone.collect()
}

/// What cancelled events that are gone have in common.
pub(super) fn cause_of(gone: &[CancelledGone]) -> Option<Cause> {
    let count = gone.len();
    let (events, they) = match count {
        1 => ("cancelled event is", "it does"),
        _ => ("cancelled events are", "they do"),
    };
    (count > 0).then(|| Cause {
        kind: CauseKind::CancellationsLost,
        occurrences: count,
        summary: format!(
            "{} {events} gone, so that nobody can see that {they} not take place",
            grouped(count)
        ),
        todo: Some(Advice::ByHand("tell those who wait for them, or enter them there as cancelled")),
    })
}
