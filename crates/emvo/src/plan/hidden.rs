//! What a plan does not move of its sources: private events, and what `show` leaves out.

use std::collections::BTreeSet;

use emvo_core::edit::sync_definitions;
use emvo_core::reconcile::Stayed;
use emvo_core::redact::{Private, Show, Showing, bare_calendar, shown, shows};
use emvo_ical::calendar::{Calendar, Classification, ComponentCounts, ComponentKind, Event};
use emvo_ical::zone::ZoneResolver;

/// What was left out of calendars.
#[derive(Debug, Default)]
pub(super) struct Hidden {
    /// Private events.
    pub(super) events: usize,
    /// Changed dates of series that are shown.
    dates: usize,
    /// Tasks, journals and others.
    pub(super) others: ComponentCounts,
    /// Events that are shown without their words, whole or at some dates.
    masked: usize,
    /// Events that are shown with less than they say.
    reduced: usize,
}

impl Hidden {
    /// How many private things were left out.
    pub(super) fn count(&self) -> usize {
        let ComponentCounts { tasks, journals, others, .. } = self.others;
        self.events + self.dates + tasks + journals + others
    }

    pub(super) fn add(&mut self, other: &Self) {
        self.events += other.events;
        self.dates += other.dates;
        self.others += other.others;
        self.masked += other.masked;
        self.reduced += other.reduced;
    }

    /// What of them stays in the old calendars alone, for the proof.
    pub(super) fn stayed(&self) -> [Stayed; 3] {
        [
            Stayed { field: "private-events", count: self.count(), what: "private" },
            Stayed {
                field: "private-words",
                count: self.masked,
                what: "private, whose times alone are moved",
            },
            Stayed { field: "not-shown", count: self.reduced, what: "of which only a part is moved" },
        ]
    }
}

/// Whether anything is left out at all.
pub(super) fn is_hiding(showing: &Showing) -> bool {
    showing.private != Private::Include || showing.show != Show::All
}

/// Leaves private events out or takes their words, and all that is not shown, before anything
/// else is done to them: what is changed later is told in reports.
pub(super) fn hide(calendar: &mut Calendar<'_>, zones: &ZoneResolver, showing: &Showing) -> Hidden {
    let mut hidden = Hidden::default();
    if !is_hiding(showing) {
        return hidden;
    }
    let all = std::mem::take(&mut calendar.series);
    calendar.series.reserve(all.len());
    for series in &all {
        match shown(series, series, showing) {
            None => hidden.events += 1,
            Some(kept) => {
                let is_private = |event: &Event<'_>| event.classification() > Classification::Public;
                let is_masked = showing.private == Private::Mask && series.events().any(is_private);
                hidden.masked += usize::from(is_masked);
                hidden.reduced += usize::from(!is_masked && showing.show != Show::All);
                hidden.dates += series.overrides().len() - kept.overrides().len();
                calendar.series.push(kept);
            }
        }
    }
    let others = calendar.others.extract_if(.., |other| !shows(&other.it, showing));
    hidden.others = others.map(|other| ComponentKind::of(other.it.name())).collect();
    if showing.show != Show::All {
        // Definitions are written anew: a file's own may say more than times.
        let bare = bare_calendar(calendar);
        let series = std::mem::take(&mut calendar.series);
        // What cannot be read is counted, and shown nowhere.
        let unsound = std::mem::take(&mut calendar.unsound);
        *calendar = Calendar { series, unsound, ..bare };
        sync_definitions(calendar, zones, &BTreeSet::new(), &BTreeSet::new());
    }
    hidden
}
