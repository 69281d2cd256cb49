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
use super::rule::Rule;
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
