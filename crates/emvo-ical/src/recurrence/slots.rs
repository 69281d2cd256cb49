//! The dates of a series before exceptions and overrides: its rules and its
//! further dates together, as moments on its own clock.

use std::collections::BTreeMap;
use std::collections::btree_map::Range;
use std::iter::Peekable;

use super::expand::{Last, Starts};
use super::rule::{Rule, RuleError};
use crate::calendar::{Duration, Event, EventTime, ZoneName, ZoneRef};
use crate::day::{SECONDS_A_DAY, clock_seconds};
use crate::zone::{Transitions, ZoneResolver};

/// What says when a series has dates, read once.
#[derive(Clone, Debug)]
pub struct Recurrence {
    start: EventTime,
    rules: Vec<(Rule, Last)>,
    /// `RDATE`, with a length where the date is a period.
    extra: BTreeMap<i64, Option<Duration>>,
    unreadable: Vec<RuleError>,
}

impl Recurrence {
    /// Reads it from the master of a series. Where a rule cannot be read, no
    /// rule is followed: a part of a series would be worse than none.
    pub fn of(master: &Event<'_>, zones: &ZoneResolver) -> Self {
        let start = master.start().clone();
        let (mut rules, mut unreadable) = (Vec::new(), Vec::new());
        for text in master.rules() {
            match Rule::parse(&text) {
                Ok(rule) => {
                    let last = last_of(&rule, &start, zones);
                    rules.push((rule, last));
                }
                Err(error) => unreadable.push(error),
            }
        }
        if !unreadable.is_empty() {
            rules.clear();
        }
        let extra = extra_dates(master, zones);
        Self { start, rules, extra, unreadable }
    }

    /// The start of the series.
    pub fn start(&self) -> &EventTime {
        &self.start
    }

    /// Its rules.
    pub fn rules(&self) -> impl Iterator<Item = &Rule> {
        self.rules.iter().map(|(rule, _)| rule)
    }

    /// Why rules of it could not be read.
    pub fn unreadable(&self) -> &[RuleError] {
        &self.unreadable
    }

    /// Whether it goes on for ever.
    pub fn is_endless(&self) -> bool {
        self.rules().any(Rule::is_endless)
    }

    /// The length of a further date that has its own.
    pub fn length_at(&self, moment: i64) -> Option<&Duration> {
        self.extra.get(&moment).and_then(Option::as_ref)
    }

    /// The moments from one to another, both inclusive, ascending, each once.
    pub fn slots(&self, from: i64, until: i64) -> Slots<'_> {
        let start = self.start.clock();
        let rules =
            self.rules.iter().map(|(rule, last)| Starts::new(rule, start, *last).from(from).peekable());
        let own = self.rules.is_empty().then(|| clock_seconds(start)).filter(|own| *own >= from);
        let dates = self.extra.range(from..).peekable();
        Slots { rules: rules.collect(), dates, own, until, last: i64::MIN }
    }

    /// Whether the series has a date at this moment.
    pub fn has(&self, moment: i64) -> bool {
        self.slots(moment, moment).next().is_some()
    }
}

/// The moments of a series, ascending.
pub struct Slots<'r> {
    rules: Vec<Peekable<Starts<'r>>>,
    /// The further dates, not copied: a series may have thousands, and be asked of each.
    dates: Peekable<Range<'r, i64, Option<Duration>>>,
    /// The start, where no rule has it.
    own: Option<i64>,
    until: i64,
    last: i64,
}

impl Slots<'_> {
    /// The next moment of several sources: the earliest of their next ones.
    fn earliest(&mut self) -> Option<i64> {
        let next = self.rules.iter_mut().filter_map(|source| source.peek().copied());
        let further = self.dates.peek().map(|(date, _)| **date);
        let moment = next.chain(further).chain(self.own).min()?;
        for source in &mut self.rules {
            source.next_if_eq(&moment);
        }
        self.dates.next_if(|(date, _)| **date == moment);
        self.own = self.own.filter(|own| *own != moment);
        Some(moment)
    }
}

impl Iterator for Slots<'_> {
    type Item = i64;

    #[inline]
    fn next(&mut self) -> Option<i64> {
        loop {
            let moment = match self.rules.as_mut_slice() {
                // The way almost all series go.
                [only] if self.dates.peek().is_none() => only.next()?,
                _ => self.earliest()?,
            };
            if moment > self.until {
                return None;
            }
            if moment != self.last {
                self.last = moment;
                return Some(moment);
            }
        }
    }
}

fn extra_dates(master: &Event<'_>, zones: &ZoneResolver) -> BTreeMap<i64, Option<Duration>> {
    let mut dates = BTreeMap::new();
    for property in master.component().properties_named("RDATE") {
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
            if let Some(moment) = on_clock_of(&date, master.start(), zones) {
                dates.insert(moment, length);
            }
        }
    }
    dates
}

/// A time as a moment on the clock of a series, in seconds. `None` if it is a
/// date where the series has times, or the reverse: then it hits nothing.
pub fn on_clock_of(time: &EventTime, start: &EventTime, zones: &ZoneResolver) -> Option<i64> {
    if time.is_date() != start.is_date() {
        return None;
    }
    if time.zone() == start.zone() {
        return Some(clock_seconds(time.clock()));
    }
    let zone = zones.zone_of(start.zone());
    match (zones.instant(time), zone) {
        (Some(instant), Some(zone)) => Some(clock_of_series_at(instant, start, zone.transitions())),
        // Without the zones the clock times are all there is to go by.
        _ => Some(clock_seconds(time.clock())),
    }
}

/// What the clock of a series shows at an instant. In the hour behind a gap two clock
/// times are this instant: the one that clocks show, and the skipped one, which is read
/// with the offset before the gap (RFC 5545 section 3.3.5). A series that starts at the
/// skipped time of day means that one.
fn clock_of_series_at(instant: i64, start: &EventTime, changes: &Transitions) -> i64 {
    let shown = changes.clock_at(instant);
    let time_of_day = |moment: i64| moment.rem_euclid(SECONDS_A_DAY);
    let own = time_of_day(clock_seconds(start.clock()));
    if time_of_day(shown) == own {
        return shown;
    }
    let before = changes.transition_before(instant).map(|change| instant + i64::from(change.before));
    before
        .filter(|skipped| time_of_day(*skipped) == own && changes.instant_of(*skipped) == instant)
        .unwrap_or(shown)
}

/// Where a rule's `UNTIL` lies on the clock of its series.
pub fn last_of(rule: &Rule, start: &EventTime, zones: &ZoneResolver) -> Last {
    let Some(until) = &rule.until else { return Last::Open };
    let own = match until {
        // A date means through that day, whatever the series' kind (R01).
        EventTime::Date(date) => clock_seconds(date.at(23, 59, 59, 0)),
        EventTime::Clock { at, .. } if start.is_date() => clock_seconds(at.date().at(0, 0, 0, 0)),
        EventTime::Clock { at, zone: ZoneRef::Utc } => match zones.zone_of(start.zone()) {
            Some(zone) => latest_clock_at(clock_seconds(*at), zone.transitions()),
            None => clock_seconds(*at),
        },
        EventTime::Clock { at, .. } => clock_seconds(*at),
    };
    Last::At(own)
}

/// The last clock time whose instant is not after `instant`: where clocks are
/// set back, the first pass of the repeated hour counts.
fn latest_clock_at(instant: i64, zone: &Transitions) -> i64 {
    let clock = zone.clock_at(instant);
    // In a second pass every clock time of the first pass has gone by.
    let first_pass = instant + i64::from(zone.offset_of_clock(clock));
    clock.max(first_pass)
}
