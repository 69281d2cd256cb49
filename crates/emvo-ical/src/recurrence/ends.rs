//! When an occurrence ends, given when it starts.

use std::ops::Range;

use jiff::civil::DateTime;

use crate::calendar::{Duration, Event, EventTime, Extent, ZoneRef};
use crate::day::{SECONDS_A_DAY, clock_at, clock_seconds};
use crate::zone::{Zone, ZoneResolver};

/// When an event ends that stands for itself.
pub fn own_end(event: &Event<'_>, zones: &ZoneResolver) -> EventTime {
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
#[derive(Clone)]
pub(super) struct Ends {
    length: Length,
    zone: Option<Zone>,
    /// Clock times around the last start between which the zone's clocks are
    /// not touched: there a length is the same on the clock as in the world.
    calm: Range<i64>,
}

#[derive(Clone)]
enum Length {
    After(Duration),
    /// Seconds on the clock: whole days, and times that nothing ties to the
    /// world.
    OnTheClock(i64),
}

impl Ends {
    pub(super) fn of(event: &Event<'_>, zones: &ZoneResolver) -> Self {
        let on_the_clock =
            || Length::OnTheClock(clock_seconds(event.end().clock()) - clock_seconds(event.start().clock()));
        let length = match event.extent() {
            Extent::Length(length) => Length::After(*length),
            Extent::Unstated => on_the_clock(),
            Extent::End(end) => match (zones.instant(event.start()), zones.instant(end)) {
                (Some(first), Some(last)) => Length::After(Duration::from_seconds(last - first)),
                _ => on_the_clock(),
            },
        };
        Self { length, zone: zones.zone_of(event.start().zone()), calm: 0..0 }
    }

    /// The end of the occurrence that starts then.
    pub(super) fn end(&mut self, start: &EventTime) -> EventTime {
        match self.length {
            Length::After(length) => self.after(start, length),
            Length::OnTheClock(seconds) => at(start, clock_seconds(start.clock()) + seconds),
        }
    }

    /// The end of an occurrence with a length of its own.
    pub(super) fn after(&mut self, start: &EventTime, length: Duration) -> EventTime {
        let begins = clock_seconds(start.clock());
        let whole_days = begins.saturating_add(length.days.saturating_mul(SECONDS_A_DAY));
        let ends = whole_days.saturating_add(length.seconds);
        if self.calm.contains(&whole_days) && self.calm.contains(&ends) {
            return at(start, ends);
        }
        if let Some(zone) = &self.zone {
            self.calm = zone.transitions().calm_clocks_around(begins);
        }
        end_after(start, length, self.zone.as_ref())
    }
}

fn at(start: &EventTime, clock: i64) -> EventTime {
    start.at_clock(clock_at(clock).unwrap_or(DateTime::MAX))
}

/// `start` plus a length: days on the clock, seconds in real time. An end in the
/// second pass of an hour that its zone repeats is told in UTC, since its clock
/// time means the first pass.
pub(crate) fn end_after(start: &EventTime, length: Duration, zone: Option<&Zone>) -> EventTime {
    let days = clock_seconds(start.clock()).saturating_add(length.days.saturating_mul(SECONDS_A_DAY));
    let Some(zone) = zone.filter(|_| length.seconds != 0 && !start.is_date()) else {
        return at(start, days.saturating_add(length.seconds));
    };
    let instant = zone.transitions().instant_of(days).saturating_add(length.seconds);
    let clock = zone.transitions().clock_at(instant);
    if zone.transitions().instant_of(clock) == instant {
        at(start, clock)
    } else {
        EventTime::Clock { at: clock_at(instant).unwrap_or(DateTime::MAX), zone: ZoneRef::Utc }
    }
}
