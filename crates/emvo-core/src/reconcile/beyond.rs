//! Series that go on where the window ends.
//!
//! A window is there so that what never ends can be listed at all; a proof may not
//! end with it. Rules that say the same, from the same start, are the same to their
//! end. Other series are compared date by date behind the window, to their end or
//! for four hundred years, after which the calendar repeats itself.
//!
//! ```text
//! source: every week until 2035-12-31        window until 2028-12-31
//! result: every week until 2029-01-08        all alike inside, 364 dates lost behind
//! ```

use hashbrown::{HashMap, HashSet};
use jiff::ToSpan;

use super::explained::ReceiptTrail;
use super::records::Records;
use crate::identity::{Moment, normalised, number_of};
use emvo_ical::calendar::{EventTime, Series, Uid};
use emvo_ical::recurrence::{Ceiling, Window, occurrences_of};
use emvo_ical::zone::ZoneResolver;

/// So many dates behind the window are compared of one series: more than one a day
/// for four hundred years.
const MOST: Ceiling = Ceiling(150_000);

/// A series whose dates behind the window are not those of its counterpart.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct GoesOn {
    /// The source it is from.
    pub path: String,
    /// Its id.
    pub uid: String,
    /// Its title.
    pub title: String,
    /// How.
    pub how: Beyond,
    /// How many dates of it are not there; at most so many were counted.
    pub dates: usize,
}

/// How a series goes on behind the window.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Beyond {
    /// The result holds a series that ends earlier, or has other dates there.
    SeriesEnds,
    /// The result holds single dates, as far as the window goes.
    SinglesEnd,
    /// It has more dates than were compared.
    NotCompared,
}

impl Beyond {
    /// The name in machine-readable answers.
    pub fn name(self) -> &'static str {
        match self {
            Self::SeriesEnds => "series-ends",
            Self::SinglesEnd => "singles-end",
            Self::NotCompared => "not-compared",
        }
    }
}

/// The series that go on otherwise than in the result. What is unchanged has the
/// same rule and was compared as a whole.
pub(super) fn series_going_on(source: &Records<'_, '_>, result: &Records<'_, '_>) -> Vec<GoesOn> {
    let Some(window) = behind(source.span.window) else { return Vec::new() };
    let going_on: Vec<(usize, usize)> = source
        .sides
        .iter()
        .enumerate()
        .flat_map(|(side, view)| (0..view.calendar.series.len()).map(move |at| (side, at)))
        .filter(|(side, at)| !source.is_unchanged(*side, *at))
        .filter(|(side, at)| {
            let view = &source.sides[*side];
            let series = &view.calendar.series[*at];
            series.repeats() && !dates(series, view.zones, window, Ceiling(1)).0.is_empty()
        })
        .collect();
    if going_on.is_empty() {
        return Vec::new();
    }
    let there = Candidates::of(result);
    let of_one = |(side, at): (usize, usize)| {
        let view = &source.sides[side];
        let series = &view.calendar.series[at];
        let trail = source.trails.get(side).and_then(|trails| trails.get(at)?.as_ref());
        if trail.is_some_and(ReceiptTrail::ends_it) {
            return None;
        }
        let (own, is_cut) = dates(series, view.zones, window, MOST);
        let candidates = there.of_series(series, trail);
        let mut found: HashSet<Moment> = HashSet::new();
        for (other, zones) in &candidates {
            found.extend(dates(other, zones, window, MOST).0.into_iter().map(|(moment, _)| moment));
        }
        let is_there = |(start, shown): &(Moment, EventTime)| {
            found.contains(start)
                || trail
                    .is_some_and(|trail| trail.moved(start, shown).iter().any(|start| found.contains(start)))
        };
        let missing = own.iter().filter(|date| !is_there(date)).count();
        let how = match (missing, is_cut) {
            (0, false) => return None,
            (0, true) => Beyond::NotCompared,
            _ if candidates.iter().any(|(other, _)| other.repeats()) => Beyond::SeriesEnds,
            _ => Beyond::SinglesEnd,
        };
        Some(GoesOn {
            path: view.path.to_owned(),
            uid: series.uid_text().into_owned(),
            title: series.lead().title().unwrap_or_default().into_owned(),
            how,
            dates: missing,
        })
    };
    going_on.into_iter().filter_map(of_one).collect()
}

/// The four hundred years behind a window.
fn behind(window: Window) -> Option<Window> {
    let from = window.until.tomorrow().ok()?;
    let until = window.until.checked_add(400.years()).unwrap_or(jiff::civil::Date::MAX);
    Some(Window { from, until })
}

/// The starts of a series in a window, and whether there are more than were listed.
/// Its length was compared inside the window.
fn dates(
    series: &Series<'_>,
    zones: &ZoneResolver,
    window: Window,
    ceiling: Ceiling,
) -> (Vec<(Moment, EventTime)>, bool) {
    let found = occurrences_of(series, zones, window, ceiling);
    let starts = found.list.into_iter().map(|one| (Moment::of(&one.start, zones), one.start));
    (starts.collect(), found.met_ceiling)
}

/// Series of the result that may stand for one of the sources.
struct Candidates<'c, 'a> {
    by_key: HashMap<u64, Vec<(&'c Series<'a>, &'c ZoneResolver)>>,
}

impl<'c, 'a> Candidates<'c, 'a> {
    fn of(result: &Records<'c, 'a>) -> Self {
        let mut by_key: HashMap<u64, Vec<(&'c Series<'a>, &'c ZoneResolver)>> = HashMap::new();
        for side in result.sides {
            for series in &side.calendar.series {
                for key in keys(series) {
                    by_key.entry(key).or_default().push((series, side.zones));
                }
            }
        }
        Self { by_key }
    }

    /// Those with its id, the one that it has by now, or its title.
    fn of_series(
        &self,
        series: &Series<'_>,
        trail: Option<&ReceiptTrail<'_>>,
    ) -> Vec<(&'c Series<'a>, &'c ZoneResolver)> {
        let by_now = trail.and_then(ReceiptTrail::uid).map(|uid| number_of(&("uid", uid)));
        keys(series).chain(by_now).filter_map(|key| self.by_key.get(&key)).flatten().copied().collect()
    }
}

fn keys(series: &Series<'_>) -> impl Iterator<Item = u64> {
    let uid = series.uid().map(Uid::into_text).map(|uid| number_of(&("uid", uid)));
    let title = number_of(&("title", normalised(&series.lead().title().unwrap_or_default())));
    uid.into_iter().chain([title])
}
