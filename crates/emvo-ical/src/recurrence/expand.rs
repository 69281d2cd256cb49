//! Rule → dates: the starts of a rule, in order, one after the other.
//!
//! Works on clock times alone: one period (a year, a month, a week, …) at a
//! time gives a sorted handful of starts. Periods are numbered, so expansion
//! can begin in any of them.
//!
//! Worked example, `FREQ=WEEKLY;BYDAY=MO,WE;COUNT=20` from Wednesday 2026-09-02:
//!
//! ```text
//! period  week of     starts                   counted
//! 0       08-31       09-02 (08-31 is before   1
//!                     the series' start)
//! 1       09-07       09-07 09-09              2  3
//! 2       09-14       09-14 09-16              4  5
//! 3       09-21       09-21 09-23              6  7
//! ```
//!
//! Asked for starts from 2026-10-01 on ([`Starts::from`]), it begins in period 3,
//! one before that of the moment. Every period but the first has two starts, so
//! the periods before have 1 + 2 × 2 = 5 of the 20, and 15 are left. A rule whose
//! periods differ in size (`MONTHLY;BYMONTHDAY=31`) has to count from the start.

use super::period::{DaySets, YearSet};
use super::rule::{Frequency, Rule, Skip};
use crate::day::{SECONDS_A_DAY, civil, clock_seconds, day_number, days_in_year, weekday};
use jiff::civil::DateTime;

/// No calendar writes a year beyond this one.
const LAST_YEAR: i64 = 9999;
/// The days of 400 years, after which dates fall on the same weekdays again: a
/// rule that picked none of this number of days in a row picks none at all.
const DAYS_OF_ALL_KINDS: u32 = 146_097;

/// The end of a rule on its own clock.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Last {
    /// There is none, or the rule counts.
    Open,
    /// Starts after this clock time are out, in seconds of [`crate::day`].
    At(i64),
}

/// The starts of one rule as clock seconds, ascending, without exceptions.
///
/// The series' own start is a start whether the rule matches it or not: RFC
/// 5545 counts it as the first.
#[derive(Clone, Debug)]
pub struct Starts<'r> {
    rule: &'r Rule,
    sets: DaySets,
    start: i64,
    last: Last,
    /// How many starts `COUNT` still allows.
    left: Option<u64>,
    period: i64,
    ready: Vec<i64>,
    next: usize,
    is_first_given: bool,
    /// The last start that was given: two months may have one in common, where days
    /// that the first does not have are days of the second.
    given: i64,
    from: i64,
    /// The last period that can hold a start before `last`.
    last_period: i64,
    /// How many days in a row did not fit.
    days_in_vain: u32,
}

impl<'r> Starts<'r> {
    /// All starts of a rule whose series begins at `start`.
    pub fn new(rule: &'r Rule, start: DateTime, last: Last) -> Self {
        let start = clock_seconds(start);
        let mut starts = Self {
            rule,
            sets: DaySets::of(rule, start),
            start,
            last,
            left: rule.count.map(u64::from),
            period: 0,
            ready: Vec::new(),
            next: 0,
            is_first_given: false,
            given: start,
            from: i64::MIN,
            last_period: i64::MAX,
            days_in_vain: 0,
        };
        if let Last::At(last) = last {
            starts.last_period = starts.period_holding(last);
        }
        starts
    }

    /// The same starts, but only those from a moment on. Costs no more for a
    /// late moment than for an early one, except where a rule counts in steps
    /// that are not all alike: then it has to count.
    #[must_use]
    pub fn from(mut self, moment: i64) -> Self {
        self.from = moment;
        if moment <= self.start {
            return self;
        }
        let target = self.period_holding(moment) - 1;
        match self.left {
            None if target > 0 => self.skip_to(target),
            Some(count) => {
                if let Some(each) = self.sets.starts_in_every_period(self.rule)
                    && target > 1
                {
                    let in_first = self.starts_in_first_period();
                    let before = in_first + each * u64::try_from(target - 1).unwrap_or(0);
                    self.left = Some(count.saturating_sub(before));
                    self.skip_to(target);
                }
            }
            None => {}
        }
        self
    }

    fn skip_to(&mut self, period: i64) {
        self.period = period;
        self.is_first_given = true;
    }

    /// How many starts the first period has, the series' start included.
    fn starts_in_first_period(&mut self) -> u64 {
        self.fill(0);
        let start = self.start;
        let later = self.ready.iter().filter(|moment| **moment > start).count();
        self.ready.clear();
        later as u64 + 1
    }

    /// The number of the period in which a moment lies.
    fn period_holding(&self, moment: i64) -> i64 {
        let interval = i64::from(self.rule.interval);
        let day = moment.div_euclid(SECONDS_A_DAY);
        let units = match self.rule.frequency {
            Frequency::Yearly => civil(day).0 - self.sets.year,
            Frequency::Monthly => {
                let (year, month, _) = civil(day);
                (year - self.sets.year) * 12 + month - self.sets.month
            }
            Frequency::Weekly => (day - self.sets.week_day).div_euclid(7),
            Frequency::Daily => day - self.sets.day,
            Frequency::Hourly => moment.div_euclid(3600) - self.start.div_euclid(3600),
            Frequency::Minutely => moment.div_euclid(60) - self.start.div_euclid(60),
            Frequency::Secondly => moment - self.start,
        };
        units.div_euclid(interval)
    }

    /// Puts the starts of a period into `ready`. False when there is no such
    /// period any more.
    fn fill(&mut self, period: i64) -> bool {
        self.ready.clear();
        self.next = 0;
        let Some(step) = period.checked_mul(i64::from(self.rule.interval)) else { return false };
        let is_within = match self.rule.frequency {
            Frequency::Yearly => self.fill_year(self.sets.year + step),
            Frequency::Monthly => {
                let months = self.sets.month - 1 + step;
                self.fill_month(self.sets.year + months.div_euclid(12), months.rem_euclid(12) + 1)
            }
            Frequency::Weekly => self.fill_week(self.sets.week_day.saturating_add(step.saturating_mul(7))),
            Frequency::Daily => self.fill_day(self.sets.day.saturating_add(step)),
            Frequency::Hourly => self.fill_part_of_day(step, 3600),
            Frequency::Minutely => self.fill_part_of_day(step, 60),
            Frequency::Secondly => self.fill_part_of_day(step, 1),
        };
        if !self.rule.by_set_pos.is_empty() {
            self.keep_positions();
        }
        is_within
    }

    fn fill_year(&mut self, year: i64) -> bool {
        if year > LAST_YEAR {
            return false;
        }
        let first = day_number(year, 1, 1);
        let set: YearSet = self.sets.days_of_year(self.rule, year);
        for day in set.days(days_in_year(year)) {
            self.push_day(first + day);
        }
        true
    }

    fn fill_month(&mut self, year: i64, month: i64) -> bool {
        if year > LAST_YEAR {
            return false;
        }
        let mut set = self.sets.days_of_month(self.rule, year, month);
        let first = day_number(year, month, 1);
        while set != 0 {
            self.push_day(first + i64::from(set.trailing_zeros()));
            set &= set - 1;
        }
        true
    }

    fn fill_week(&mut self, monday: i64) -> bool {
        for day in monday..monday.saturating_add(7) {
            if self.sets.weekdays >> weekday(day) & 1 == 1 && self.sets.month_fits(day) {
                self.push_day(day);
            }
        }
        monday < self.sets.day_after_all
    }

    fn fill_day(&mut self, day: i64) -> bool {
        let fits = self.day_fits(day);
        if fits {
            self.push_day(day);
        }
        day < self.sets.day_after_all && self.days_in_vain < DAYS_OF_ALL_KINDS
    }

    fn day_fits(&mut self, day: i64) -> bool {
        let fits = self.sets.day_fits(self.rule, day);
        self.days_in_vain = if fits { 0 } else { self.days_in_vain + 1 };
        fits
    }

    fn fill_part_of_day(&mut self, step: i64, length: i64) -> bool {
        let from = (self.start.div_euclid(length) + step) * length;
        let day = from.div_euclid(SECONDS_A_DAY);
        // Steps of more than a day leave days out, which might fit.
        let misses_none = i64::from(self.rule.interval).saturating_mul(length) <= SECONDS_A_DAY;
        if day >= self.sets.day_after_all || (misses_none && self.days_in_vain >= DAYS_OF_ALL_KINDS) {
            return false;
        }
        if let Some(moment) = self.end_of_misfit(day, from) {
            self.period = self.period.max(self.period_holding(moment - 1));
            return true;
        }
        if part_of_hour_fits(self.rule, from) {
            self.ready.extend(self.sets.offsets.iter().map(|offset| from + offset));
        }
        true
    }

    /// Where the day or the hour of a moment ends, if that one does not fit: none
    /// of its parts has to be looked at.
    fn end_of_misfit(&mut self, day: i64, moment: i64) -> Option<i64> {
        if !self.day_fits(day) {
            return Some((day + 1) * SECONDS_A_DAY);
        }
        let hour = moment.rem_euclid(SECONDS_A_DAY) / 3600;
        (!names(&self.rule.by_hour, hour)).then(|| moment.div_euclid(3600) * 3600 + 3600)
    }

    fn push_day(&mut self, day: i64) {
        for offset in &self.sets.offsets {
            self.ready.push(day * SECONDS_A_DAY + offset);
        }
    }

    /// `BYSETPOS` counts within the whole period, also in the part before the
    /// series starts.
    fn keep_positions(&mut self) {
        let size = i64::try_from(self.ready.len()).unwrap_or(i64::MAX);
        let positions = &self.rule.by_set_pos;
        let mut at = 0;
        self.ready.retain(|_| {
            at += 1;
            positions.iter().any(|position| {
                let position = i64::from(*position);
                position == at || position == at - size - 1
            })
        });
    }

    /// The next start, `COUNT` and `UNTIL` not yet looked at.
    fn candidate(&mut self) -> Option<i64> {
        if !self.is_first_given {
            self.is_first_given = true;
            return Some(self.start);
        }
        loop {
            while let Some(moment) = self.ready.get(self.next).copied() {
                self.next += 1;
                if moment > self.given {
                    self.given = moment;
                    return Some(moment);
                }
            }
            let period = self.period;
            if period > self.last_period || !self.fill(period) {
                return None;
            }
            self.period += 1;
        }
    }
}

/// Whether a part of a rule allows a number; one that is not there allows all.
fn names(part: &[i16], number: i64) -> bool {
    part.is_empty() || part.iter().any(|named| i64::from(*named) == number)
}

/// Whether the minute and the second in which a step begins are allowed, as far
/// as steps of this length tell them apart.
fn part_of_hour_fits(rule: &Rule, moment: i64) -> bool {
    let minute_fits = || names(&rule.by_minute, moment.rem_euclid(3600) / 60);
    match rule.frequency {
        Frequency::Secondly => minute_fits() && names(&rule.by_second, moment.rem_euclid(60)),
        Frequency::Minutely => minute_fits(),
        Frequency::Hourly | Frequency::Daily | Frequency::Weekly | Frequency::Monthly | Frequency::Yearly => {
            true
        }
    }
}

/// Whether a rule, asked by itself, has a start at the very start of its series.
pub fn is_start_of(rule: &Rule, start: DateTime) -> bool {
    let mut starts = Starts::new(rule, start, Last::Open);
    // The day behind the last of a month is the month's where it stands for another.
    let first = if rule.skip == Some(Skip::Forward) { -1 } else { 0 };
    (first..=0).any(|period| {
        starts.fill(period);
        starts.ready.contains(&starts.start)
    })
}

/// The last start of a rule that is not after a moment. Looks back in steps
/// that widen, so that a long series is not walked from its beginning; a rule
/// that counts has to be.
pub fn last_start(rule: &Rule, start: DateTime, moment: i64) -> Option<i64> {
    const STEPS: [i64; 3] = [40, 400, 4000];
    let own = clock_seconds(start);
    let from_of = |days: &i64| moment.saturating_sub(days * SECONDS_A_DAY);
    for from in STEPS.iter().map(from_of).filter(|from| *from > own && rule.count.is_none()) {
        let last = Starts::new(rule, start, Last::At(moment)).from(from).last();
        if last.is_some() {
            return last;
        }
    }
    Starts::new(rule, start, Last::At(moment)).last()
}

impl Iterator for Starts<'_> {
    type Item = i64;

    #[inline]
    fn next(&mut self) -> Option<i64> {
        loop {
            if self.left == Some(0) {
                return None;
            }
            let moment = self.candidate()?;
            if let Last::At(last) = self.last
                && moment > last
            {
                return None;
            }
            if let Some(left) = &mut self.left {
                *left -= 1;
            }
            if moment >= self.from {
                return Some(moment);
            }
        }
    }
}
