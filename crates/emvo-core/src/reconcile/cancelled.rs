//! Dates that do not take place: those that the sources cancel or leave out.
//!
//! A date that is cancelled in a source may be cancelled in the result, or, if it is
//! one of a series, left out there: both say that it does not take place. It may
//! not be back, under whatever id, and an event that is cancelled as a whole may
//! not be gone, since people look for it to learn that.

use hashbrown::HashSet;

use super::explained::ReceiptTrail;
use super::records::Records;
use crate::identity::{Moment, normalised, number_of};
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
        let mut dates = HashSet::new();
        for side in sources.sides {
            for series in &side.calendar.series {
                let lead = series.lead();
                let title = normalised(&lead.title().unwrap_or_default()).into_owned();
                let leaves_out = lead.component().has("EXDATE") || series.events().any(is_cancelled);
                if !leaves_out || !titles.contains(&*title) {
                    continue;
                }
                let start = |time: &EventTime| number(&title, time, side.zones);
                dates.extend(lead.dates("EXDATE").iter().map(start));
                let found = occurrences_of(series, side.zones, sources.span.window, sources.span.ceiling);
                dates.extend(found.cancelled.iter().map(|one| start(&one.start)));
            }
        }
        Self(dates)
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
