//! Series → occurrences: rules, further dates, exceptions and overrides
//! together.

use jiff::civil::Date;

use super::ends::own_end;
use super::expansion::Expansion;
use super::rule::RuleError;
use crate::calendar::{Event, EventTime, Series, Status};
use crate::day::{SECONDS_A_DAY, clock_seconds, day_of};
use crate::zone::ZoneResolver;

/// A window of dates in the house zone, both inclusive.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Window {
    /// The first day in it.
    pub from: Date,
    /// The last day in it.
    pub until: Date,
}

/// How many occurrences of one series are looked at before we stop.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Ceiling(pub usize);

impl Default for Ceiling {
    fn default() -> Self {
        Self(100_000)
    }
}

/// Which event of a series an occurrence is told by.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Part {
    /// The series itself.
    Master,
    /// The override of this number.
    Override(usize),
    /// The override of this number, which stands for this later date as well
    /// (`RANGE=THISANDFUTURE`).
    Later(usize),
}

impl Part {
    /// The event that tells the fields of an occurrence.
    pub fn event<'s, 'a>(self, series: &'s Series<'a>) -> &'s Event<'a> {
        match self {
            Self::Master => series.lead(),
            Self::Override(index) | Self::Later(index) => {
                series.overrides().get(index).unwrap_or_else(|| series.lead())
            }
        }
    }
}

/// One date of a series, or a single event.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Occurrence {
    /// What tells its fields.
    pub part: Part,
    /// When it starts, in the zone of its event.
    pub start: EventTime,
    /// When it ends, in the zone of its event; for whole days the day after.
    pub end: EventTime,
}

/// The occurrences of a series in a window.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct Occurrences {
    /// Those that take place, ascending by start.
    pub list: Vec<Occurrence>,
    /// Those that are marked as cancelled.
    pub cancelled: Vec<Occurrence>,
    /// The rules that could not be read; without them the series is not
    /// expanded, and its first date alone stands here.
    pub unreadable: Vec<RuleError>,
    /// Whether the ceiling cut the list off.
    pub met_ceiling: bool,
}

/// The occurrences of a series that touch a window.
///
/// An occurrence touches it when any part of it lies in it; one without length
/// counts at its start. Days are those of the house zone where the times can
/// be expressed in it, else those of the event's own clock.
pub fn occurrences_of(
    series: &Series<'_>,
    zones: &ZoneResolver,
    window: Window,
    ceiling: Ceiling,
) -> Occurrences {
    let mut found = Occurrences::default();
    let Walked { unreadable, met_ceiling } =
        walk_occurrences(series, zones, (window, ceiling), |status, occurrence| {
            let list = if status == Status::Cancelled { &mut found.cancelled } else { &mut found.list };
            list.push(occurrence);
        });
    (found.unreadable, found.met_ceiling) = (unreadable, met_ceiling);
    if !series.overrides().is_empty() {
        found.list.sort_by_key(|occurrence| occurrence.start.clock());
    }
    found
}

/// The events of a series whose dates stand for themselves: a single event, and overrides.
pub fn single_parts(series: &Series<'_>) -> impl Iterator<Item = Part> {
    let single = series.master().filter(|master| !master.repeats()).map(|_| Part::Master);
    single.into_iter().chain((0..series.overrides().len()).map(Part::Override))
}

/// The date of such an event, if it touches a window.
pub fn single_date(
    series: &Series<'_>,
    part: Part,
    zones: &ZoneResolver,
    window: Window,
) -> Option<Occurrence> {
    let event = part.event(series);
    let occurrence = Occurrence { part, start: event.start().clone(), end: own_end(event, zones) };
    touches(&occurrence, window, zones).then_some(occurrence)
}

/// What kept some occurrences from being told.
#[derive(Clone, Debug, Default)]
pub struct Walked {
    /// The rules that could not be read; without them the first date alone is told.
    pub unreadable: Vec<RuleError>,
    /// Whether the ceiling cut them off.
    pub met_ceiling: bool,
}

/// Tells the occurrences of a series that touch a window, one after the other: those that it
/// repeats, and then those that stand for themselves.
pub fn walk_occurrences(
    series: &Series<'_>,
    zones: &ZoneResolver,
    (window, ceiling): (Window, Ceiling),
    mut tell: impl FnMut(Status, Occurrence),
) -> Walked {
    let mut walked = Walked::default();
    if let Some(expansion) = Expansion::of(series, zones, window, ceiling) {
        let mut dates = expansion.all();
        while let Some(occurrence) = dates.next() {
            tell(dates.status(), occurrence);
        }
        walked = Walked { met_ceiling: dates.has_met_ceiling(), unreadable: expansion.unreadable().to_vec() };
    }
    for part in single_parts(series) {
        if let Some(occurrence) = single_date(series, part, zones, window) {
            tell(part.event(series).status(), occurrence);
        }
    }
    walked
}

/// Whether any part of an occurrence lies in a window.
pub(super) fn touches(occurrence: &Occurrence, window: Window, zones: &ZoneResolver) -> bool {
    let on_house_clock = |time: &EventTime| match zones.floating_zone() {
        Some(house) if !time.is_date() => zones
            .instant(time)
            .map_or_else(|| clock_seconds(time.clock()), |instant| house.transitions().clock_at(instant)),
        _ => clock_seconds(time.clock()),
    };
    let (from, until) = (day_of(window.from) * SECONDS_A_DAY, (day_of(window.until) + 1) * SECONDS_A_DAY);
    let start = on_house_clock(&occurrence.start);
    if start >= until {
        return false;
    }
    start >= from || on_house_clock(&occurrence.end) > from
}

/// Whether any date of a series lies in a window, a cancelled one or one that
/// cannot be told because of an unreadable rule included.
pub fn has_date_in(series: &Series<'_>, zones: &ZoneResolver, window: Window) -> bool {
    let found = occurrences_of(series, zones, window, Ceiling(1));
    !(found.list.is_empty() && found.cancelled.is_empty() && found.unreadable.is_empty())
}

#[cfg(test)]
mod tests;
