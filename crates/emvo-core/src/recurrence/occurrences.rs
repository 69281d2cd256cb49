//! Series → occurrences: rules, further dates, exceptions and overrides
//! together.

use std::collections::{BTreeMap, HashSet};
use std::ops::Range;

use jiff::civil::{Date, DateTime};

use super::day::{SECONDS_A_DAY, clock_at, clock_seconds, day_of};
use super::expand::{Last, Starts};
use super::rule::{Rule, RuleError};
use crate::calendar::{Duration, Event, EventTime, Extent, Series, Status, ZoneName, ZoneRef};
use crate::zone::{Zone, ZoneBook};

/// No zone is farther from another than this, so a window that is wider by it
/// misses nothing.
const ZONE_MARGIN: i64 = 2 * SECONDS_A_DAY;

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
}

/// One date of a series, or a single event.
#[derive(Clone, Debug, PartialEq, Eq)]
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
    zones: &ZoneBook,
    window: Window,
    ceiling: Ceiling,
) -> Occurrences {
    let mut found = Occurrences::default();
    let replaced: HashSet<i64> = match series.master() {
        Some(master) => series
            .overrides()
            .iter()
            .filter_map(|event| on_clock_of(event.replaces()?, master.start(), zones))
            .collect(),
        None => HashSet::new(),
    };
    if let Some(master) = series.master() {
        Expansion { master, zones, window, ceiling, found: &mut found }.run(&replaced);
    }
    for (index, event) in series.overrides().iter().enumerate() {
        let occurrence = Occurrence {
            part: Part::Override(index),
            start: event.start().clone(),
            end: own_end(event, zones),
        };
        if touches(&occurrence, window, zones) {
            place(&mut found, event, occurrence);
        }
    }
    if !series.overrides().is_empty() {
        found.list.sort_by_key(|occurrence| occurrence.start.clock());
    }
    found
}

fn place(found: &mut Occurrences, event: &Event<'_>, occurrence: Occurrence) {
    if event.status() == Status::Cancelled {
        found.cancelled.push(occurrence);
    } else {
        found.list.push(occurrence);
    }
}

struct Expansion<'e, 'a> {
    master: &'e Event<'a>,
    zones: &'e ZoneBook,
    window: Window,
    ceiling: Ceiling,
    found: &'e mut Occurrences,
}

/// What all occurrences of a series share, looked up once.
struct Placing<'s> {
    status: Status,
    start: &'s EventTime,
    zone: Option<Zone>,
    ends: Ends,
    /// Starts that lie in the window whatever the zones.
    surely_inside: Range<i64>,
}

impl Placing<'_> {
    fn list<'f>(&self, found: &'f mut Occurrences) -> &'f mut Vec<Occurrence> {
        if self.status == Status::Cancelled { &mut found.cancelled } else { &mut found.list }
    }
}

impl Expansion<'_, '_> {
    fn run(mut self, replaced: &HashSet<i64>) {
        let start = self.master.start().clone();
        if !self.master.repeats() {
            let end = own_end(self.master, self.zones);
            let occurrence = Occurrence { part: Part::Master, start, end };
            if touches(&occurrence, self.window, self.zones) {
                place(self.found, self.master, occurrence);
            }
            return;
        }
        let length = self.longest_seconds();
        let from = day_of(self.window.from) * SECONDS_A_DAY - length - ZONE_MARGIN;
        let until = (day_of(self.window.until) + 1) * SECONDS_A_DAY + ZONE_MARGIN;
        let rules = self.rules();
        let excluded = self.excluded(from, until);
        let extra = self.extra_dates();
        let mut sources: Vec<_> = rules
            .iter()
            .map(|rule| {
                Starts::new(rule, start.clock(), last_of(rule, &start, self.zones)).from(from).peekable()
            })
            .collect();
        let how = Placing {
            status: self.master.status(),
            start: &start,
            zone: self.zones.zone_of(start.zone()),
            ends: Ends::of(self.master, self.zones),
            surely_inside: from + length + 2 * ZONE_MARGIN..until - 2 * ZONE_MARGIN,
        };
        let own = clock_seconds(start.clock());
        let mut dates = extra.keys().copied().chain(rules.is_empty().then_some(own)).collect::<Vec<_>>();
        dates.sort_unstable();
        let mut dates = dates.into_iter().filter(|date| *date >= from).peekable();
        let mut last = i64::MIN;
        loop {
            let next = sources
                .iter_mut()
                .filter_map(|source| source.peek().copied())
                .chain(dates.peek().copied())
                .min();
            let Some(moment) = next.filter(|moment| *moment <= until) else { break };
            for source in &mut sources {
                source.next_if_eq(&moment);
            }
            dates.next_if_eq(&moment);
            if moment == last || excluded.contains(&moment) || replaced.contains(&moment) {
                continue;
            }
            last = moment;
            if self.found.list.len() + self.found.cancelled.len() >= self.ceiling.0 {
                self.found.met_ceiling = true;
                break;
            }
            self.push(moment, &how, extra.get(&moment).and_then(Option::as_ref));
        }
    }

    fn push(&mut self, moment: i64, how: &Placing<'_>, own_length: Option<&Duration>) {
        let Some(clock) = clock_at(moment) else { return };
        let start = how.start.at_clock(clock);
        let zone = how.zone.as_ref();
        let end = match own_length {
            Some(length) => end_after(&start, *length, zone),
            None => how.ends.end(&start, zone),
        };
        let occurrence = Occurrence { part: Part::Master, start, end };
        if how.surely_inside.contains(&moment) || touches(&occurrence, self.window, self.zones) {
            how.list(self.found).push(occurrence);
        }
    }

    fn rules(&mut self) -> Vec<Rule> {
        let mut rules = Vec::new();
        for text in self.master.rules() {
            match Rule::parse(&text) {
                Ok(rule) => rules.push(rule),
                Err(error) => self.found.unreadable.push(error),
            }
        }
        if self.found.unreadable.is_empty() { rules } else { Vec::new() }
    }

    fn longest_seconds(&self) -> i64 {
        let (start, end) = (self.master.start(), self.master.end());
        (clock_seconds(end.clock()) - clock_seconds(start.clock())).max(0)
    }

    /// Exceptions as moments on the master's clock: `EXDATE`, and the dates of
    /// the obsolete `EXRULE` (RFC 2445) in the span we look at.
    fn excluded(&self, from: i64, until: i64) -> HashSet<i64> {
        let start = self.master.start();
        let mut excluded: HashSet<i64> = self
            .master
            .dates("EXDATE")
            .iter()
            .filter_map(|date| on_clock_of(date, start, self.zones))
            .collect();
        for property in self.master.component().properties_named("EXRULE") {
            if let Ok(rule) = Rule::parse(&property.value()) {
                let starts = Starts::new(&rule, start.clock(), last_of(&rule, start, self.zones)).from(from);
                excluded.extend(starts.take(self.ceiling.0).take_while(|moment| *moment <= until));
            }
        }
        excluded
    }

    /// `RDATE`: moments on the master's clock, with a length where the date is
    /// a period.
    fn extra_dates(&self) -> BTreeMap<i64, Option<Duration>> {
        let mut dates = BTreeMap::new();
        for property in self.master.component().properties_named("RDATE") {
            let zone = property.parameter("TZID").and_then(|zone| ZoneName::new(&zone));
            for value in property.value().split(',') {
                let (first, length) = match value.trim().split_once('/') {
                    Some((first, length)) => (first, Some(length)),
                    None => (value.trim(), None),
                };
                let Ok(date) = EventTime::parse(first, zone.as_ref()) else { continue };
                let length = length.and_then(|length| {
                    Duration::parse(length).or_else(|| {
                        let end = EventTime::parse(length, zone.as_ref()).ok()?;
                        Some(Duration::from_seconds(clock_seconds(end.clock()) - clock_seconds(date.clock())))
                    })
                });
                if let Some(moment) = on_clock_of(&date, self.master.start(), self.zones) {
                    dates.insert(moment, length);
                }
            }
        }
        dates
    }
}

/// A time as a moment on the clock of a series, in seconds. `None` if it is a
/// date where the series has times, or the reverse: then it hits nothing.
pub(crate) fn on_clock_of(time: &EventTime, start: &EventTime, zones: &ZoneBook) -> Option<i64> {
    if time.is_date() != start.is_date() {
        return None;
    }
    if time.zone() == start.zone() {
        return Some(clock_seconds(time.clock()));
    }
    let zone = zones.zone_of(start.zone());
    match (zones.instant(time), zone) {
        (Some(instant), Some(zone)) => Some(zone.behaviour().clock_at(instant)),
        // Without the zones the clock times are all there is to go by.
        _ => Some(clock_seconds(time.clock())),
    }
}

/// Where a rule's `UNTIL` lies on the clock of its series.
pub(crate) fn last_of(rule: &Rule, start: &EventTime, zones: &ZoneBook) -> Last {
    let Some(until) = &rule.until else { return Last::Open };
    let own = match until {
        // A date means through that day, whatever the series' kind (R01).
        EventTime::Date(date) => clock_seconds(date.at(23, 59, 59, 0)),
        EventTime::Clock { at, .. } if start.is_date() => clock_seconds(at.date().at(0, 0, 0, 0)),
        EventTime::Clock { at, zone: ZoneRef::Utc } => match zones.zone_of(start.zone()) {
            Some(zone) => latest_clock_at(clock_seconds(*at), zone.behaviour()),
            None => clock_seconds(*at),
        },
        EventTime::Clock { at, .. } => clock_seconds(*at),
    };
    Last::At(own)
}

/// The last clock time whose instant is not after `instant`: where clocks are
/// set back, the first pass of the repeated hour counts.
fn latest_clock_at(instant: i64, zone: &crate::zone::Behaviour) -> i64 {
    let clock = zone.clock_at(instant);
    // In a second pass every clock time of the first pass has gone by.
    let first_pass = instant + i64::from(zone.offset_of_clock(clock));
    clock.max(first_pass)
}

/// When an event ends that stands for itself.
fn own_end(event: &Event<'_>, zones: &ZoneBook) -> EventTime {
    match event.extent() {
        Extent::Length(length) => {
            end_after(event.start(), *length, zones.zone_of(event.start().zone()).as_ref())
        }
        Extent::Unstated | Extent::End(_) => event.end(),
    }
}

/// How the end of each occurrence follows from its start, worked out once a
/// series: a stated end keeps its exact distance, a length in days is nominal
/// (RFC 5545 sections 3.8.2.2, 3.3.6).
enum Ends {
    After(Duration),
    /// Seconds on the clock: whole days, and times that nothing ties to the
    /// world.
    OnTheClock(i64),
}

impl Ends {
    fn of(event: &Event<'_>, zones: &ZoneBook) -> Self {
        let on_the_clock =
            || Self::OnTheClock(clock_seconds(event.end().clock()) - clock_seconds(event.start().clock()));
        match event.extent() {
            Extent::Length(length) => Self::After(*length),
            Extent::Unstated => on_the_clock(),
            Extent::End(end) => match (zones.instant(event.start()), zones.instant(end)) {
                (Some(first), Some(last)) => Self::After(Duration::from_seconds(last - first)),
                _ => on_the_clock(),
            },
        }
    }

    fn end(&self, start: &EventTime, zone: Option<&Zone>) -> EventTime {
        match self {
            Self::After(length) => end_after(start, *length, zone),
            Self::OnTheClock(seconds) => {
                start.at_clock(clock_at(clock_seconds(start.clock()) + seconds).unwrap_or(DateTime::MAX))
            }
        }
    }
}

/// `start` plus a length: days on the clock, seconds in real time. An end in the
/// second pass of an hour that its zone repeats is told in UTC, since its clock
/// time means the first pass.
fn end_after(start: &EventTime, length: Duration, zone: Option<&Zone>) -> EventTime {
    let days = clock_seconds(start.clock()).saturating_add(length.days.saturating_mul(SECONDS_A_DAY));
    let at = |clock: i64| clock_at(clock).unwrap_or(DateTime::MAX);
    let Some(zone) = zone.filter(|_| length.seconds != 0 && !start.is_date()) else {
        return start.at_clock(at(days.saturating_add(length.seconds)));
    };
    let instant = zone.behaviour().instant_of(days).saturating_add(length.seconds);
    let clock = zone.behaviour().clock_at(instant);
    if zone.behaviour().instant_of(clock) == instant {
        start.at_clock(at(clock))
    } else {
        EventTime::Clock { at: at(instant), zone: ZoneRef::Utc }
    }
}

/// Whether any part of an occurrence lies in a window.
fn touches(occurrence: &Occurrence, window: Window, zones: &ZoneBook) -> bool {
    let on_house_clock = |time: &EventTime| match zones.floating_zone() {
        Some(house) if !time.is_date() => zones
            .instant(time)
            .map_or_else(|| clock_seconds(time.clock()), |instant| house.behaviour().clock_at(instant)),
        _ => clock_seconds(time.clock()),
    };
    let (from, until) = (day_of(window.from) * SECONDS_A_DAY, (day_of(window.until) + 1) * SECONDS_A_DAY);
    let start = on_house_clock(&occurrence.start);
    if start >= until {
        return false;
    }
    start >= from || on_house_clock(&occurrence.end) > from
}

#[cfg(test)]
mod tests;
