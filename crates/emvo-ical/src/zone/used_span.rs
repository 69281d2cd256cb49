//! Which instants some series use: where zones have to be right.

use super::ZoneResolver;
use crate::calendar::{Event, EventTime, Extent, Series};
use crate::day::{SECONDS_A_DAY, clock_seconds};
use crate::recurrence::{Rule, last_start};

/// How long a series without end is taken to run if it starts after 2027.
const TEN_YEARS: i64 = 3653 * SECONDS_A_DAY;

/// The first and the last instant in use, in seconds since 1970 in UTC.
#[derive(Clone, Copy, Debug)]
pub struct UsedSpan {
    from: i64,
    until: i64,
}

impl UsedSpan {
    /// By one series. One that never ends is taken to run to 2037, or ten years
    /// if it starts later.
    pub fn by(series: &Series<'_>, zones: &ZoneResolver) -> Self {
        let spans = series.events().map(|event| Self::by_event(event, zones));
        // A series holds at least one event.
        spans.reduce(Self::and).unwrap_or_default()
    }

    fn by_event(event: &Event<'_>, zones: &ZoneResolver) -> Self {
        let at = |time: &EventTime| zones.instant(time).unwrap_or_else(|| clock_seconds(time.clock()));
        let start = at(event.start());
        let end = match event.extent() {
            Extent::End(end) => at(end),
            Extent::Length(_) | Extent::Unstated => at(&event.end()),
        };
        let mut until = end.max(start);
        for text in event.rules() {
            let Ok(rule) = Rule::parse(&text) else { continue };
            let end = match (&rule.until, rule.count) {
                (Some(until), _) => clock_seconds(until.clock()),
                (None, Some(_)) => {
                    last_start(&rule, event.start().clock(), i64::MAX).unwrap_or(start) + SECONDS_A_DAY
                }
                (None, None) => super::span_of_interest().1.max(start + TEN_YEARS),
            };
            until = until.max(end);
        }
        for date in event.dates("RDATE") {
            until = until.max(at(&date));
        }
        Self { from: start, until }
    }

    /// By either of two.
    #[must_use]
    pub fn and(self, other: Self) -> Self {
        Self { from: self.from.min(other.from), until: self.until.max(other.until) }
    }

    /// From when to when.
    pub fn span(self) -> (i64, i64) {
        (self.from, self.until)
    }
}

/// What is in use where nothing is: the years that zones are looked at.
impl Default for UsedSpan {
    fn default() -> Self {
        let (from, until) = super::span_of_interest();
        Self { from, until }
    }
}
