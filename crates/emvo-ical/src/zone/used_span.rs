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

    /// With the instants of one more series. Of most a look at their clocks shows that they lie
    /// between those of others.
    #[must_use]
    pub fn widened_by(self, series: &Series<'_>, zones: &ZoneResolver) -> Self {
        if series.events().all(|event| self.surely_holds(event)) {
            return self;
        }
        self.and(Self::by(series, zones))
    }

    /// Whether an event does not repeat and lies in it, whatever its clock differs from others.
    fn surely_holds(self, event: &Event<'_>) -> bool {
        // No clock is further from UTC.
        const APART: i64 = 2 * SECONDS_A_DAY;
        if event.component().has("RRULE") || event.component().has("RDATE") {
            return false;
        }
        let start = clock_seconds(event.start().clock());
        let end = match event.extent() {
            Extent::End(end) => clock_seconds(end.clock()),
            Extent::Length(_) | Extent::Unstated => clock_seconds(event.end().clock()),
        };
        start.min(end) - APART >= self.from && start.max(end) + APART <= self.until
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::calendar::read;
    use crate::content::parse;
    use crate::zone::ZoneChoices;

    #[test]
    fn what_lies_within_widens_nothing_and_what_does_not_widens_as_by_itself() {
        let times = [
            "DTSTART;TZID=Europe/Helsinki:20260907T080000",
            "DTSTART:20260101T000000Z\nDTEND:20280101T000000Z",
            "DTSTART;TZID=Europe/Helsinki:20270601T080000\nDTEND;TZID=Europe/Helsinki:20270601T090000",
            "DTSTART;VALUE=DATE:20251231",
            "DTSTART;TZID=Pacific/Kiritimati:20280102T120000",
            "DTSTART:20270101T080000Z\nRRULE:FREQ=WEEKLY;COUNT=200",
            "DTSTART:20270101T080000Z\nRDATE:20310101T080000Z",
            "RECURRENCE-ID:20270101T080000Z\nDTSTART:20270101T080000Z\nRRULE:FREQ=YEARLY",
            "DTSTART:20270101T080000Z\nDURATION:P2000D",
            "DTSTART:20270101T080000Z\nDTEND:20200101T080000Z",
        ];
        let event = |(number, times): (usize, &&str)| {
            format!("BEGIN:VEVENT\nUID:{number}\nSUMMARY:Watch\n{times}\nEND:VEVENT\n")
        };
        for from in 0..times.len() {
            let (behind, before) = times.split_at(from);
            let events: String = before.iter().chain(behind).enumerate().map(event).collect();
            let text = format!("BEGIN:VCALENDAR\n{events}END:VCALENDAR\n");
            let calendar = read(parse(&text).roots.remove(0), "test");
            let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
            let mut span: Option<UsedSpan> = None;
            for (at, series) in calendar.series.iter().enumerate() {
                let widened = span.map(|span| span.widened_by(series, &zones).span());
                let own = UsedSpan::by(series, &zones);
                span = Some(span.map_or(own, |span| span.and(own)));
                assert!(widened.is_none() || widened == span.map(UsedSpan::span), "{from} {at}");
            }
        }
    }
}
