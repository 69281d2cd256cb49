//! What quiet events are counted with: zones, years, dates.

use std::collections::BTreeMap;

use super::{CLOCKS_APART, Quiet, QuietEvent, Repeats};
use emvo_ical::calendar::{EventTime, ZoneName, ZoneRef};
use emvo_ical::day::{SECONDS_A_DAY, civil, clock_at, day_of};
use emvo_ical::recurrence::Window;
use emvo_ical::zone::ZoneResolver;
use jiff::civil::Date;

/// What quiet events have inside a window.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Inside {
    /// How many dates.
    pub dates: usize,
    /// The first and the last of them.
    pub span: Option<(Date, Date)>,
}

impl Quiet<'_> {
    /// The names that their starts and ends refer to, and how often.
    pub fn names_in_times(&self) -> BTreeMap<ZoneName, usize> {
        self.starts_by_zone()
            .into_iter()
            .filter_map(|(name, starts)| Some((name?.clone(), 2 * starts)))
            .collect()
    }

    /// How many of them start in each zone; UTC has no name.
    pub fn starts_by_zone(&self) -> Vec<(Option<&ZoneName>, usize)> {
        let mut starts = vec![0; self.zones.len()];
        self.events.iter().for_each(|event| starts[usize::from(event.zone)] += 1);
        let named = self.zones.iter().map(Option::as_ref).zip(starts);
        named.filter(|(_, starts)| *starts > 0).collect()
    }

    /// How many of them repeat.
    pub fn series(&self) -> usize {
        self.events.iter().filter(|event| event.repeats.is_some()).count()
    }

    /// The years of their starts.
    pub(in crate::rules) fn years(&self) -> impl Iterator<Item = i16> {
        // Of four digits.
        let year = |event: &QuietEvent| {
            i16::try_from(civil(event.start.div_euclid(SECONDS_A_DAY)).0).unwrap_or(i16::MAX)
        };
        self.events.iter().map(year)
    }

    /// The days of the first and of the last start, on their clocks.
    pub fn days(&self) -> Option<(Date, Date)> {
        let starts = self.events.iter().map(|event| event.start);
        let (first, last) = (starts.clone().min()?, starts.max()?);
        Some((clock_at(first)?.date(), clock_at(last)?.date()))
    }

    /// The names in use, each with the first and the last instant of the events that have it.
    ///
    /// Clocks that are set back give a later time an earlier instant, by hours: so those that are
    /// nearly the first or the last on the clock are looked up.
    pub(in crate::rules) fn spans(&self, zones: &ZoneResolver) -> Vec<(ZoneName, (i64, i64))> {
        let clocks = self.clocks_by_zone();
        let names: Vec<ZoneRef> =
            self.zones.iter().map(|name| name.clone().map_or(ZoneRef::Utc, ZoneRef::Named)).collect();
        let mut spans = vec![(i64::MAX, i64::MIN); names.len()];
        for event in self.events.iter() {
            let zone = usize::from(event.zone);
            let Some((first, last)) = clocks[zone] else { continue };
            let (instant, (from, until)) =
                (|clock: i64| instant_of(clock, &names[zone], zones), &mut spans[zone]);
            if event.start <= first + SECONDS_A_DAY {
                *from = (*from).min(instant(event.start));
            }
            if event.until_on_clock() >= last - SECONDS_A_DAY {
                let end = instant(event.start).max(instant(event.start + i64::from(event.lasts)));
                // Of a series on the clock, as the rules take it.
                let of_series = event.repeats.map(|_| event.last_start() + SECONDS_A_DAY);
                *until = (*until).max(end).max(of_series.unwrap_or(end));
            }
        }
        let in_use = self.zones.iter().zip(clocks).zip(spans);
        in_use.filter_map(|((name, clocks), span)| clocks.and_then(|_| Some((name.clone()?, span)))).collect()
    }

    /// For each zone the first start and the last end on its clock, with all dates of series.
    pub(super) fn clocks_by_zone(&self) -> Vec<Option<(i64, i64)>> {
        let mut clocks: Vec<Option<(i64, i64)>> = vec![None; self.zones.len()];
        for event in self.events.iter() {
            let (start, until) = (event.start, event.until_on_clock());
            let of_zone = &mut clocks[usize::from(event.zone)];
            *of_zone =
                Some(of_zone.map_or((start, until), |(first, last)| (first.min(start), last.max(until))));
        }
        clocks
    }

    /// What they have inside a window, whose days are those of the house zone.
    pub fn inside(&self, window: Window, zones: &ZoneResolver) -> Inside {
        let edges = Edges::of(window);
        let mut found = Inside::default();
        let mut clocks: Option<(i64, i64)> = None;
        for event in self.events.iter() {
            for start in event.starts() {
                let lies_in = edges
                    .tell(start, start + i64::from(event.lasts))
                    .unwrap_or_else(|| self.touches(event, start, &edges, zones));
                if lies_in {
                    found.dates += 1;
                    clocks = Some(
                        clocks.map_or((start, start), |(first, last)| (first.min(start), last.max(start))),
                    );
                }
            }
        }
        found.span = clocks.and_then(|(first, last)| Some((clock_at(first)?.date(), clock_at(last)?.date())));
        found
    }

    /// Whether a date of an event lies in a window, near one of its edges.
    fn touches(&self, event: &QuietEvent, start: i64, edges: &Edges, zones: &ZoneResolver) -> bool {
        let zone = self.zones[usize::from(event.zone)].clone().map_or(ZoneRef::Utc, ZoneRef::Named);
        let instant = |clock: i64| instant_of(clock, &zone, zones);
        // Each date of a series takes as long as its first, in the world.
        let lasts = instant(event.start + i64::from(event.lasts)) - instant(event.start);
        let (begins, ends) = (instant(start), instant(start) + lasts);
        let shown = |instant: i64, clock: i64| {
            zones.floating_zone().map_or(clock, |house| house.transitions().clock_at(instant))
        };
        let own_end = zones.zone_of(&zone).map_or(ends, |zone| zone.transitions().clock_at(ends));
        let start = shown(begins, start);
        start < edges.until && (start >= edges.from || shown(ends, own_end) > edges.from)
    }
}

impl QuietEvent {
    /// The last end on its clock, or the day after the last start of a series.
    fn until_on_clock(&self) -> i64 {
        let end = self.start + i64::from(self.lasts);
        if self.repeats.is_some() { end.max(self.last_start() + SECONDS_A_DAY) } else { end }
    }

    /// The starts of all dates, on its clock.
    fn starts(&self) -> impl Iterator<Item = i64> {
        let (step, count) = match self.repeats {
            Some(Repeats { every_days, count }) => (i64::from(every_days.get()) * SECONDS_A_DAY, count),
            None => (0, 1),
        };
        (0..i64::from(count)).map(move |at| self.start + at * step)
    }
}

/// Where a window begins and ends, in seconds on the house clock.
struct Edges {
    from: i64,
    until: i64,
}

impl Edges {
    fn of(window: Window) -> Self {
        Self { from: day_of(window.from) * SECONDS_A_DAY, until: (day_of(window.until) + 1) * SECONDS_A_DAY }
    }

    /// Whether a time lies in the window, if that does not depend on whose clock it is on.
    fn tell(&self, start: i64, end: i64) -> Option<bool> {
        if start >= self.from + CLOCKS_APART && start < self.until - CLOCKS_APART {
            return Some(true);
        }
        (end < self.from - CLOCKS_APART || start >= self.until + CLOCKS_APART).then_some(false)
    }
}

fn instant_of(clock: i64, zone: &ZoneRef, zones: &ZoneResolver) -> i64 {
    let time = clock_at(clock).map(|at| EventTime::Clock { at, zone: zone.clone() });
    time.and_then(|time| zones.instant(&time)).unwrap_or(clock)
}
