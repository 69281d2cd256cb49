//! Transitions → `VTIMEZONE`: a definition that covers the dates in use, and all since
//! 1970. Some servers keep one definition a zone name for all events that they are given, so
//! that a narrow one would be wrong for the next event.

use super::definition::offset_value;
use super::transitions::{ClockKind, LAST_YEAR, Transition, Transitions};
use crate::calendar::EventTime;
use crate::content::{Component, Property};
use crate::day::{SECONDS_A_DAY, civil, clock_at, day_number, days_in_month, weekday};
use crate::recurrence::{ByDay, Frequency, Rule, Weekday};

/// A definition of `name` that is right from 1970 on, or from the instant `from` on
/// (seconds since 1970 in UTC) if that is earlier.
///
/// Transitions that come by one rule every year are written as that rule, the one
/// that goes on for ever without an end. Irregular transitions are written up to
/// `until`, and one more year.
pub fn definition_of(name: &str, zone: &Transitions, from: i64, until: i64) -> Component<'static> {
    let mut definition = Component::new("VTIMEZONE");
    definition.add(Property::text_of("TZID", name));
    let from = from.min(0);
    let begin = zone.transition_before(from).map_or(from, |transition| transition.instant);
    let transitions = zone.transitions_between(begin, i64::MAX);
    if zone.transition_before(from).is_none() {
        definition.add_component(constant(zone.first_offset(), from));
    }
    let horizon = until.saturating_add(366 * SECONDS_A_DAY);
    for run in runs(transitions) {
        if run.first.instant <= horizon || run.is_endless() {
            definition.add_component(run.to_component());
        }
    }
    definition
}

/// What holds before the first change, from a day on that no date in use comes before.
fn constant(offset: i32, from: i64) -> Component<'static> {
    let (year, ..) = civil(from.div_euclid(SECONDS_A_DAY));
    let first = if from < 0 { day_number(year - 1, 1, 1) * SECONDS_A_DAY } else { 0 };
    let start = Property::new("DTSTART", &[], &clock_value(first));
    observance("STANDARD", start, offset, offset, "")
}

fn observance(
    kind: &'static str,
    start: Property<'static>,
    before: i32,
    after: i32,
    name: &str,
) -> Component<'static> {
    let mut part = Component::new(kind);
    part.add(start);
    part.add(Property::new("TZOFFSETFROM", &[], &offset_value(before)));
    part.add(Property::new("TZOFFSETTO", &[], &offset_value(after)));
    if !name.is_empty() {
        part.add(Property::text_of("TZNAME", name));
    }
    part
}

/// Transitions that come by one rule in years without a gap.
struct Run<'c> {
    first: &'c Transition,
    last: &'c Transition,
    last_year: i64,
    /// The ways in which all days of the run can be said, the best first.
    patterns: Vec<DayPattern>,
}

/// How a day of the year is found again in other years.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum DayPattern {
    Weekday(ByDay),
    Date(i64),
}

fn runs(transitions: &[Transition]) -> Vec<Run<'_>> {
    let mut runs: Vec<Run<'_>> = Vec::new();
    for transition in transitions {
        let (year, month, day) = onset_date(transition);
        let patterns = patterns_of(year, month, day);
        let grown =
            runs.iter_mut().rev().find(|run| run.last_year + 1 == year && run.continues_with(transition));
        if let Some(run) = grown {
            let common: Vec<_> =
                run.patterns.iter().filter(|known| patterns.contains(known)).copied().collect();
            if !common.is_empty() {
                run.patterns = common;
                run.last = transition;
                run.last_year = year;
                continue;
            }
        }
        runs.push(Run { first: transition, last: transition, last_year: year, patterns });
    }
    runs
}

fn onset_clock(transition: &Transition) -> i64 {
    transition.instant + i64::from(transition.before)
}

fn onset_date(transition: &Transition) -> (i64, i64, i64) {
    civil(onset_clock(transition).div_euclid(SECONDS_A_DAY))
}

fn patterns_of(year: i64, month: i64, day: i64) -> Vec<DayPattern> {
    let weekday = Weekday::after_monday(weekday(day_number(year, month, day)));
    let of_ordinal = |ordinal: i64| {
        let ordinal = i8::try_from(ordinal).ok();
        DayPattern::Weekday(ByDay { ordinal, weekday })
    };
    let mut patterns = Vec::with_capacity(3);
    if day + 7 > days_in_month(year, month) {
        patterns.push(of_ordinal(-1));
    }
    if day <= 28 {
        patterns.push(of_ordinal((day - 1) / 7 + 1));
    }
    patterns.push(DayPattern::Date(day));
    patterns
}

impl Run<'_> {
    fn continues_with(&self, transition: &Transition) -> bool {
        let same_day = |one: &Transition| onset_clock(one).rem_euclid(SECONDS_A_DAY);
        self.first.before == transition.before
            && self.first.after == transition.after
            && self.first.kind == transition.kind
            && self.first.abbreviation == transition.abbreviation
            && onset_date(self.first).1 == onset_date(transition).1
            && same_day(self.first) == same_day(transition)
    }

    fn is_endless(&self) -> bool {
        self.last_year >= LAST_YEAR - 1
    }

    fn to_component(&self) -> Component<'static> {
        let kind = match self.first.kind {
            ClockKind::Standard => "STANDARD",
            ClockKind::Summer => "DAYLIGHT",
        };
        let start = Property::new("DTSTART", &[], &clock_value(onset_clock(self.first)));
        let mut part = observance(kind, start, self.first.before, self.first.after, &self.first.abbreviation);
        if self.first.instant != self.last.instant {
            part.add(Property::new("RRULE", &[], &self.rule().to_string()));
        }
        part
    }

    fn rule(&self) -> Rule {
        let mut rule = Rule::bare(Frequency::Yearly);
        rule.by_month = i16::try_from(onset_date(self.first).1).into_iter().collect();
        match self.patterns.first() {
            Some(DayPattern::Weekday(day)) => rule.by_day = vec![*day],
            Some(DayPattern::Date(day)) => rule.by_month_day = i16::try_from(*day).into_iter().collect(),
            None => {}
        }
        if !self.is_endless() {
            rule.until = EventTime::parse(&format!("{}Z", clock_value(self.last.instant)), None).ok();
        }
        rule
    }
}

fn clock_value(seconds: i64) -> String {
    clock_at(seconds).map(crate::calendar::basic_clock).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::content::push_component;
    use crate::zone::Definition;

    fn seconds(year: i64) -> i64 {
        day_number(year, 1, 1) * SECONDS_A_DAY
    }

    #[test]
    fn a_definition_is_right_since_1970_and_ends_with_the_rule_in_force() {
        let helsinki = Transitions::of_iana("Europe/Helsinki").unwrap();
        let mut out = Vec::new();
        push_component(&mut out, &definition_of("Europe/Helsinki", &helsinki, seconds(2026), seconds(2027)));
        insta::assert_snapshot!(String::from_utf8(out).unwrap().replace('\r', ""), @r"
        BEGIN:VTIMEZONE
        TZID:Europe/Helsinki
        BEGIN:STANDARD
        DTSTART:19421004T010000
        TZOFFSETFROM:+0300
        TZOFFSETTO:+0200
        TZNAME:EET
        END:STANDARD
        BEGIN:DAYLIGHT
        DTSTART:19810329T020000
        TZOFFSETFROM:+0200
        TZOFFSETTO:+0300
        TZNAME:EEST
        RRULE:FREQ=YEARLY;UNTIL=19820328T000000Z;BYDAY=-1SU;BYMONTH=3
        END:DAYLIGHT
        BEGIN:STANDARD
        DTSTART:19810927T030000
        TZOFFSETFROM:+0300
        TZOFFSETTO:+0200
        TZNAME:EET
        RRULE:FREQ=YEARLY;UNTIL=19820926T000000Z;BYDAY=-1SU;BYMONTH=9
        END:STANDARD
        BEGIN:DAYLIGHT
        DTSTART:19830327T030000
        TZOFFSETFROM:+0200
        TZOFFSETTO:+0300
        TZNAME:EEST
        RRULE:FREQ=YEARLY;BYDAY=-1SU;BYMONTH=3
        END:DAYLIGHT
        BEGIN:STANDARD
        DTSTART:19830925T040000
        TZOFFSETFROM:+0300
        TZOFFSETTO:+0200
        TZNAME:EET
        RRULE:FREQ=YEARLY;UNTIL=19950924T010000Z;BYDAY=-1SU;BYMONTH=9
        END:STANDARD
        BEGIN:STANDARD
        DTSTART:19961027T040000
        TZOFFSETFROM:+0300
        TZOFFSETTO:+0200
        TZNAME:EET
        RRULE:FREQ=YEARLY;BYDAY=-1SU;BYMONTH=10
        END:STANDARD
        END:VTIMEZONE
        ");
    }

    #[test]
    fn every_zone_reads_back_as_it_behaves() {
        let names = include_str!("data/iana-names.tsv").lines().filter(|line| !line.starts_with('#'));
        let mut count = 0;
        for name in names.map(|line| line.split('\t').next().unwrap()) {
            let Some(zone) = Transitions::of_iana(name) else { continue };
            // Whatever is in use, it is right since 1970, and from before the first change on
            // where that is in use; and it goes on by the rule that is in force.
            for (from, until, right_from) in
                [(1975, 2040, 1970), (2026, 2027, 1970), (1860, 1900, 1860), (1935, 2040, 1935)]
            {
                let definition =
                    Definition::read(&definition_of(name, &zone, seconds(from), seconds(until))).unwrap();
                let right_until = seconds(until.max(2027));
                let agrees = definition.transitions.agrees_with(&zone, seconds(right_from), right_until);
                assert!(agrees || until < 1970, "{name} {from}");
                assert!(
                    definition.transitions.agrees_with(&zone, seconds(right_from), seconds(until)),
                    "{name} {from}"
                );
            }
            count += 1;
        }
        assert!(count > 500, "only {count} zones are known");
    }
}
