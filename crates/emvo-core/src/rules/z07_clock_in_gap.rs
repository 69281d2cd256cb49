//! `Z07 clock-in-gap`: a clock time that summer time skips or repeats.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject};
use emvo_ical::calendar::{EventTime, Series};
use emvo_ical::day::{SECONDS_A_DAY, clock_at, clock_seconds};
use emvo_ical::recurrence::{Ceiling, Frequency, Rule as RecurrenceRule, Window, occurrences_of};
use emvo_ical::zone::{ClockReading, Transitions, Zone};

declare_rule! {
    /// ## What it finds
    /// A start that its zone skips when clocks go forward, or has twice when they
    /// go back.
    ///
    /// ## Why it matters
    /// Systems read it differently, an hour apart.
    ///
    /// ## Example
    /// 03:30 on 29 March 2026 in Helsinki, where clocks go from 03:00 to 04:00.
    ///
    /// ## Repair
    /// None: a person has to say what was meant. Until then it is read as RFC 5545
    /// says: a skipped time with the offset before the gap, a repeated one as the
    /// first of the two.
    ClockInGap, "Z07", "clock-in-gap", RuleGroup::Zones, "a clock time that summer time skips or repeats"
}

impl Rule for ClockInGap {
    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        for start in suspects(subject, context) {
            let Some(zone) = context.zones.zone_of(start.zone()) else { continue };
            if let Some(message) = words_for(&start, &zone) {
                found.show(self, Level::Note, subject, message);
            }
        }
    }
}

/// The starts of a series that may lie in a changeover.
fn suspects(subject: &Subject<'_, '_>, context: &Context<'_, '_>) -> Vec<EventTime> {
    let series = subject.series;
    let mut starts: Vec<EventTime> = Vec::new();
    for event in series.events().filter(|event| !event.is_all_day() && !event.repeats()) {
        let clock = clock_seconds(event.start().clock());
        let is_odd = |zone: &Transitions| zone.reading_of(clock) != ClockReading::Once;
        if context.zones.with_transitions(event.start().zone(), is_odd) == Some(true) {
            starts.push(event.start().clone());
        }
    }
    let Some(master) = series.master().filter(|master| master.repeats() && !master.is_all_day()) else {
        return starts;
    };
    let Some(zone) = context.zones.zone_of(master.start().zone()) else { return starts };
    let (from, until) = subject.span;
    // A skipped start is read as an instant behind the change that skips it.
    let from = from.saturating_sub(SECONDS_A_DAY);
    let times = times_of_day(series);
    for (first, after) in zone.transitions().unsettled_clocks(from, until) {
        if !times.may_lie_in(first, after) {
            continue;
        }
        let Some(day) = clock_at(first).map(jiff::civil::DateTime::date) else { continue };
        let window = Window { from: day, until: day };
        let found = occurrences_of(series, context.zones, window, Ceiling(100));
        let hits = found.list.into_iter().map(|occurrence| occurrence.start);
        starts.extend(hits.filter(|start| (first..after).contains(&clock_seconds(start.clock()))));
    }
    starts
}

/// At which times of day a series starts.
enum TimesOfDay {
    At(i64),
    Any,
}

fn times_of_day(series: &Series<'_>) -> TimesOfDay {
    let lead = series.lead();
    let is_plain = |rule: &str| {
        RecurrenceRule::parse(rule).is_ok_and(|rule| {
            rule.frequency >= Frequency::Daily && rule.by_hour.is_empty() && rule.by_minute.is_empty()
        })
    };
    if lead.rules().all(|rule| is_plain(&rule)) && lead.dates("RDATE").is_empty() {
        TimesOfDay::At(clock_seconds(lead.start().clock()).rem_euclid(SECONDS_A_DAY))
    } else {
        TimesOfDay::Any
    }
}

impl TimesOfDay {
    /// Most series start at no time that any changeover touches.
    fn may_lie_in(&self, first: i64, after: i64) -> bool {
        match self {
            Self::Any => true,
            Self::At(time) => {
                (time - first.rem_euclid(SECONDS_A_DAY)).rem_euclid(SECONDS_A_DAY) < after - first
            }
        }
    }
}

fn words_for(start: &EventTime, zone: &Zone) -> Option<String> {
    let transitions: &Transitions = zone.transitions();
    let clock = clock_seconds(start.clock());
    let shown = |seconds: i64| clock_at(seconds).map(|clock| clock.time().to_string()).unwrap_or_default();
    match transitions.reading_of(clock) {
        ClockReading::Once => None,
        ClockReading::Skipped => {
            let read = transitions.clock_at(transitions.instant_of(clock));
            Some(format!("{start} does not exist, clocks skip it; read as {}", shown(read)))
        }
        ClockReading::Twice => Some(format!("{start} comes twice that day; read as the first")),
    }
}
