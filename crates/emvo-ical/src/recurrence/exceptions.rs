//! What a series leaves out: `EXDATE`, and the dates of the obsolete `EXRULE` (RFC 2445).
//!
//! A rule may leave out far more than the series has: every second of a weekly series. So its
//! dates are not written out but walked beside those of the series, which are asked in order:
//!
//! ```text
//! series              09-02             09-09             09-16
//! EXRULE, daily       09-02  …………▶      09-09  …………▶      09-16
//! ```
//!
//! What lies between two dates of the series is jumped over ([`Starts::advance`]). The start of
//! the series is left out only where the rule picks it: of a daily series from a Monday,
//! `EXRULE:FREQ=WEEKLY;BYDAY=SU` leaves out Sundays, and not that Monday.

use hashbrown::HashSet;

use super::expand::{Last, Starts};
use super::rule::{Frequency, Rule};
use super::slots::{last_of, on_clock_of};
use crate::calendar::{Event, EventTime};
use crate::zone::ZoneResolver;
use jiff::civil::DateTime;

/// What a series leaves out, read once.
#[derive(Clone, Debug)]
pub struct Exceptions {
    start: EventTime,
    /// `EXDATE`, as moments on the clock of the series.
    dates: HashSet<i64>,
    /// `EXRULE`, as far as it can be read.
    rules: Vec<(Rule, Last)>,
}

impl Exceptions {
    /// Reads them from the master of a series.
    pub fn of(master: &Event<'_>, zones: &ZoneResolver) -> Self {
        let start = master.start();
        let dates = master.dates("EXDATE");
        let dates = dates.iter().filter_map(|date| on_clock_of(date, start, zones)).collect();
        let mut known = HashSet::new();
        let mut rules = Vec::new();
        for property in master.component().properties_named("EXRULE") {
            // What is said again leaves out nothing new.
            if known.insert(property.value().into_owned())
                && let Ok(rule) = Rule::parse(&property.value())
            {
                let last = last_of(&rule, start, zones);
                rules.push((rule, last));
            }
        }
        forget_contained(&mut rules);
        Self { start: start.clone(), dates, rules }
    }

    /// The dates that it names one by one.
    pub fn dates(&self) -> &HashSet<i64> {
        &self.dates
    }

    /// They, to be asked of moments that ascend.
    pub fn walk(&self) -> ExceptionWalk<'_> {
        let clock = self.start.clock();
        let rules = self.rules.iter().map(|(rule, last)| ExceptionRule::of(rule, clock, *last));
        ExceptionWalk { dates: &self.dates, rules: rules.collect() }
    }
}

/// More rules are walked one and all, sooner than compared with each other.
const MOST_COMPARED: usize = 2000;

/// Takes out rules whose dates another one has as well. All begin with the series, so of two
/// that say nothing but their step one is contained in the other where its step is a multiple:
///
/// ```text
/// every 2 minutes    10:00  10:02  10:04  10:06  10:08
/// every 6 minutes    10:00                10:06          is forgotten
/// ```
fn forget_contained(rules: &mut Vec<(Rule, Last)>) {
    if rules.len() > MOST_COMPARED {
        return;
    }
    let step = |rule: &Rule| (rule.frequency, rule.interval);
    let mut steps: Vec<_> =
        rules.iter().map(|(rule, _)| rule).filter(|rule| is_bare(rule)).map(step).collect();
    steps.sort_unstable_by_key(|(_, interval)| *interval);
    let mut kept: Vec<(Frequency, u32)> = Vec::new();
    for (frequency, interval) in steps {
        let contains =
            |(other, every): &(Frequency, u32)| *other == frequency && interval.is_multiple_of(*every);
        if !kept.iter().any(contains) {
            kept.push((frequency, interval));
        }
    }
    rules.retain(|(rule, _)| !is_bare(rule) || kept.contains(&step(rule)));
}

/// Whether a rule says nothing but its step, which is one of equal length.
fn is_bare(rule: &Rule) -> bool {
    let Rule {
        by_second,
        by_minute,
        by_hour,
        by_month_day,
        by_year_day,
        by_week_no,
        by_month,
        by_set_pos,
        ..
    } = rule;
    let lists = [by_second, by_minute, by_hour, by_month_day, by_year_day, by_week_no, by_month, by_set_pos];
    let is_even = matches!(
        rule.frequency,
        Frequency::Secondly | Frequency::Minutely | Frequency::Hourly | Frequency::Daily
    );
    is_even
        && rule.count.is_none()
        && rule.until.is_none()
        && rule.by_day.is_empty()
        && lists.into_iter().all(Vec::is_empty)
}

/// What a series leaves out, asked of one moment after the other.
#[derive(Clone, Debug)]
pub struct ExceptionWalk<'x> {
    dates: &'x HashSet<i64>,
    rules: Vec<ExceptionRule<'x>>,
}

impl ExceptionWalk<'_> {
    /// Whether the series leaves a moment out, on its own clock. Not earlier than the one that
    /// was asked before.
    pub fn leaves_out(&mut self, moment: i64) -> bool {
        self.dates.contains(&moment) || self.rules.iter_mut().any(|rule| rule.has(moment))
    }

    /// Whether an `EXRULE` has dates behind a moment. Not earlier than the one that was asked
    /// before.
    pub fn rules_go_on_after(&mut self, moment: i64) -> bool {
        self.rules.iter_mut().any(|rule| rule.reach(moment.saturating_add(1)).is_some())
    }
}

#[derive(Clone, Debug)]
struct ExceptionRule<'x> {
    starts: Starts<'x>,
    /// Its next date, not before the last moment that was asked.
    next: Option<i64>,
}

impl<'x> ExceptionRule<'x> {
    fn of(rule: &'x Rule, start: DateTime, last: Last) -> Self {
        let mut starts = Starts::by_rule_alone(rule, start, last);
        let next = starts.next();
        Self { starts, next }
    }

    fn has(&mut self, moment: i64) -> bool {
        self.reach(moment) == Some(moment)
    }

    /// Its first date from a moment on.
    fn reach(&mut self, moment: i64) -> Option<i64> {
        if self.next.is_some_and(|next| next < moment) {
            self.starts.advance(moment);
            self.next = self.starts.next();
        }
        self.next
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::calendar::read;
    use crate::content::parse;

    #[test]
    fn rules_that_others_contain_are_forgotten_and_leave_out_the_same() {
        let rule = |every: u32| format!("EXRULE:FREQ=MINUTELY;INTERVAL={every}\r\n");
        let others = "EXRULE:FREQ=MINUTELY;INTERVAL=60;BYMINUTE=0\r\nEXRULE:FREQ=HOURLY;INTERVAL=3\r\n\
            EXRULE:FREQ=HOURLY;INTERVAL=7;COUNT=2\r\nEXRULE:FREQ=HOURLY;INTERVAL=6\r\n";
        for (steps, kept) in [(6..40_u32, 15), (2..40, 12), (1..40, 1)] {
            let rules: String = steps.clone().map(rule).collect();
            let text = format!(
                "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTART:20260101T000000Z\r\nRRULE:FREQ=MINUTELY\r\n\
                 {rules}{others}END:VEVENT\r\nEND:VCALENDAR\r\n"
            );
            let calendar = read(parse(&text).roots.remove(0), "x");
            let exceptions = Exceptions::of(calendar.series[0].lead(), &ZoneResolver::default());
            let plain = exceptions
                .rules
                .iter()
                .filter(|(rule, _)| rule.frequency == Frequency::Minutely && is_bare(rule));
            assert_eq!(plain.count(), kept, "{steps:?}");
            assert_eq!(exceptions.rules.len(), kept + 3, "{steps:?}");
            let start = crate::day::clock_seconds(calendar.series[0].lead().start().clock());
            let mut walk = exceptions.walk();
            for minute in 0..3000_u32 {
                let by_minute =
                    steps.clone().any(|every| minute.is_multiple_of(every)) || minute.is_multiple_of(60);
                let by_hour = minute.is_multiple_of(180) || minute == 420;
                let is_out = walk.leaves_out(start + 60 * i64::from(minute));
                assert_eq!(is_out, by_minute || by_hour, "{steps:?}: minute {minute}");
            }
        }
    }
}
