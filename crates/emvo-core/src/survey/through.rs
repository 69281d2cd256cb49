//! Through which date events are loaded, title by title or category by category:
//! whether a month is still to come is a question of each duty, not of the calendar.

use std::collections::BTreeMap;

use jiff::civil::Date;

use super::{Survey, survey_series};
use emvo_ical::calendar::{Calendar, Series};
use emvo_ical::recurrence::{Ceiling, Window};
use emvo_ical::zone::ZoneResolver;

/// What events are put together by.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Per {
    /// Their calendar.
    Calendar,
    /// Their title.
    Title,
    /// Each of their categories.
    Category,
}

/// Through which date some events are loaded.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Through {
    /// How many they are.
    pub events: usize,
    /// How many dates they have inside the window.
    pub occurrences: usize,
    /// The last of them that is no date of a series without end.
    pub last: Option<Date>,
    /// How many are series without end.
    pub endless: usize,
}

impl Through {
    /// Of events that were counted already.
    pub fn of(counts: &Survey) -> Self {
        let Survey { events, occurrences, through, endless, .. } = *counts;
        Self { events, occurrences, last: through, endless }
    }

    /// The same for more events.
    #[must_use]
    pub fn and(self, other: Self) -> Self {
        Self {
            events: self.events + other.events,
            occurrences: self.occurrences + other.occurrences,
            last: self.last.max(other.last),
            endless: self.endless + other.endless,
        }
    }
}

/// Through which date the events that `choose` takes are loaded, by name. Events
/// without a title, or without a category, are under an empty one.
pub fn loaded_through(
    calendar: &Calendar<'_>,
    zones: &ZoneResolver,
    (window, ceiling): (Window, Ceiling),
    choose: impl Fn(usize, &Series<'_>) -> bool,
    per: Per,
) -> BTreeMap<String, Through> {
    let mut found: BTreeMap<String, Through> = BTreeMap::new();
    for (_, series) in calendar.series.iter().enumerate().filter(|(number, series)| choose(*number, series)) {
        let counts = survey_series(series, zones, window, ceiling);
        for name in names(series, calendar, per) {
            let sum = found.entry(name).or_default();
            *sum = sum.and(Through::of(&counts));
        }
    }
    found
}

fn names(series: &Series<'_>, calendar: &Calendar<'_>, per: Per) -> Vec<String> {
    let lead = series.lead();
    match per {
        Per::Calendar => vec![calendar.name()],
        Per::Title => vec![lead.title().unwrap_or_default().trim().to_owned()],
        Per::Category => {
            let categories = lead.categories();
            if categories.is_empty() { vec![String::new()] } else { categories }
        }
    }
}
