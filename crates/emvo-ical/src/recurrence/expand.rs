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

mod counting;

pub use counting::last_start;

use self::counting::Days;
use super::period::{DaySets, YearSet, meets_its_times};
use super::rule::{Frequency, Rule, Skip};
use crate::day::{SECONDS_A_DAY, civil, clock_seconds, day_number, days_in_year, weekday};
use jiff::civil::DateTime;

/// No calendar writes a year beyond this one.
const LAST_YEAR: i64 = 9999;
/// The days of 400 years, after which dates fall on the same weekdays again: a
/// rule that picked none of this number of days in a row picks none at all.
const DAYS_OF_ALL_KINDS: i64 = 146_097;

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
    /// What the period has: each base with each of the times of day behind it. A rule with
    /// all parts has 86,400 of those a day, so they are not written out.
    bases: Vec<i64>,
    /// Which of them `BYSETPOS` picks, counted through all bases.
    picked: Option<Vec<usize>>,
    /// The base that is next, and its next time of day (or the next that is picked).
    base: usize,
    next: usize,
    is_first_given: bool,
    /// The last start that was given: two months may have one in common, where days
    /// that the first does not have are days of the second.
    given: i64,
    /// The last start that was counted, also where nobody asked for it.
    counted: Option<i64>,
    from: i64,
    /// The last period that can hold a start before `last`.
    last_period: i64,
    /// How many days in a row did not fit.
    days_in_vain: i64,
    /// How many periods in a row had no start.
    periods_in_vain: i64,
    /// No period has a start.
    is_void: bool,
    days: Days,
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
            bases: Vec::new(),
            picked: None,
            base: 0,
            next: 0,
            is_first_given: false,
            given: start,
            counted: None,
            from: i64::MIN,
            last_period: i64::MAX,
            days_in_vain: 0,
            periods_in_vain: 0,
            is_void: false,
            days: Days::default(),
        };
        starts.is_void = !meets_its_times(rule, starts.sets.frequency, start);
        if let Last::At(last) = last {
            starts.last_period = starts.period_holding(last);
        }
        starts
    }

    /// Those that the rule picks by itself: the start of the series is one of them, and is
    /// counted, only where it is picked.
    pub fn by_rule_alone(rule: &'r Rule, start: DateTime, last: Last) -> Self {
        Self { is_first_given: !is_start_of(rule, start), ..Self::new(rule, start, last) }
    }

    /// The same starts, but only those from a moment on. Costs no more for a
    /// late moment than for an early one, except where a rule counts in steps
    /// that are not all alike: then it has to count.
    #[must_use]
    pub fn from(mut self, moment: i64) -> Self {
        self.advance(moment);
        self
    }

    /// Passes over what lies before a moment.
    pub fn advance(&mut self, moment: i64) {
        self.from = self.from.max(moment);
        self.count_up_to_wanted();
        let target = self.period_holding(moment) - 1;
        if moment <= self.start || target <= self.period {
            return;
        }
        if self.left.is_none() {
            self.skip_to(target);
        } else if let Some(each) = self.sets.starts_in_every_period(self.rule)
            && target > 1
        {
            let (ready, next) = match self.period {
                0 => (self.starts_in_first_period() - u64::from(self.is_first_given), 1),
                period => (self.starts_left_in_period(), period),
            };
            let passed = ready + each * u64::try_from(target - next).unwrap_or(0);
            self.left = self.left.map(|left| left.saturating_sub(passed));
            self.skip_to(target);
        }
    }

    fn skip_to(&mut self, period: i64) {
        self.period = period;
        self.is_first_given = true;
        self.clear_period();
    }

    /// Leaves nothing ready.
    fn clear_period(&mut self) {
        self.bases.clear();
        self.picked = None;
        (self.base, self.next) = (0, 0);
    }

    /// How many starts of the period that is ready were not given yet; none is picked by its
    /// place.
    fn starts_left_in_period(&self) -> u64 {
        (self.bases.len() * self.sets.offsets.len())
            .saturating_sub(self.base * self.sets.offsets.len() + self.next) as u64
    }

    /// How many starts the first period has, the series' start included.
    fn starts_in_first_period(&mut self) -> u64 {
        self.fill(0);
        let offsets = &self.sets.offsets;
        let later =
            |base: &i64| offsets.len() - offsets.partition_point(|offset| base + offset <= self.start);
        let later: usize = self.bases.iter().map(later).sum();
        self.bases.clear();
        later as u64 + 1
    }

    /// The number of the period in which a moment lies.
    fn period_holding(&self, moment: i64) -> i64 {
        let interval = i64::from(self.rule.interval);
        let day = moment.div_euclid(SECONDS_A_DAY);
        let units = match self.sets.frequency {
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

    /// Makes the starts of a period ready. False when there is no such
    /// period any more, or none with a start.
    fn fill(&mut self, period: i64) -> bool {
        self.clear_period();
        let Some(step) = period.checked_mul(i64::from(self.rule.interval)) else { return false };
        let is_within = match self.sets.frequency {
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
            self.pick_positions();
        }
        if self.is_void {
            return false;
        }
        let has_none = self.bases.is_empty() || self.picked.as_ref().is_some_and(Vec::is_empty);
        self.periods_in_vain = if has_none { self.periods_in_vain + 1 } else { 0 };
        is_within && self.periods_in_vain < self.periods_of_all_kinds()
    }

    /// How many periods there are in 400 years, after which they are as they were before.
    fn periods_of_all_kinds(&self) -> i64 {
        match self.sets.frequency {
            Frequency::Yearly => 400,
            Frequency::Monthly => 4_800,
            Frequency::Weekly => DAYS_OF_ALL_KINDS / 7,
            // A period that fits is as large as any other, and has a start or never has one.
            // Those that do not fit are counted by days.
            Frequency::Daily | Frequency::Hourly | Frequency::Minutely | Frequency::Secondly
                if self.picked.as_ref().is_some_and(Vec::is_empty) && !self.bases.is_empty() =>
            {
                0
            }
            Frequency::Daily | Frequency::Hourly | Frequency::Minutely | Frequency::Secondly => i64::MAX,
        }
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
        if self.sets.day_fits(self.rule, day) {
            self.days_in_vain = 0;
            self.push_day(day);
        } else {
            self.skip_days_to(self.sets.day_after_misfit(day));
        }
        day < self.sets.day_after_all && self.days_in_vain < DAYS_OF_ALL_KINDS
    }

    /// Goes on with the first period that begins on a day or after it; the periods before
    /// did not fit.
    fn skip_days_to(&mut self, day: i64) {
        let last = self.period.max(self.period_holding(day * SECONDS_A_DAY - 1));
        self.days_in_vain += 1 + last - self.period;
        self.period = last;
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
        if part_of_hour_fits(self.rule, self.sets.frequency, from) {
            self.bases.push(from);
        }
        true
    }

    /// Where the day, the hour or the minute of a moment ends, if that one does not fit:
    /// none of its parts has to be looked at.
    fn end_of_misfit(&mut self, day: i64, moment: i64) -> Option<i64> {
        if !self.sets.day_fits(self.rule, day) {
            let next = self.sets.day_after_misfit(day);
            self.days_in_vain += next - day;
            return Some(next * SECONDS_A_DAY);
        }
        self.days_in_vain = 0;
        let end_of = |length: i64| moment.div_euclid(length) * length + length;
        if !names(&self.rule.by_hour, moment.rem_euclid(SECONDS_A_DAY) / 3600) {
            return Some(end_of(3600));
        }
        let is_finer = self.sets.frequency < Frequency::Hourly;
        (is_finer && !names(&self.rule.by_minute, moment.rem_euclid(3600) / 60)).then(|| end_of(60))
    }

    fn push_day(&mut self, day: i64) {
        self.bases.push(day * SECONDS_A_DAY);
    }

    /// `BYSETPOS` counts within the whole period, also in the part before the
    /// series starts.
    fn pick_positions(&mut self) {
        self.picked = Some(self.places_picked(self.bases.len() * self.sets.offsets.len()));
    }

    /// The places that `BYSETPOS` picks of so many.
    fn places_picked(&self, size: usize) -> Vec<usize> {
        let place = |position: &i16| {
            let distance = usize::from(position.unsigned_abs());
            let place = if *position > 0 { distance.checked_sub(1) } else { size.checked_sub(distance) };
            place.filter(|place| *place < size)
        };
        let mut picked: Vec<usize> = self.rule.by_set_pos.iter().filter_map(place).collect();
        picked.sort_unstable();
        picked.dedup();
        picked
    }

    /// The next start of the period that is ready.
    #[inline]
    fn next_ready(&mut self) -> Option<i64> {
        let offsets = &self.sets.offsets;
        if let Some(picked) = &self.picked {
            let place = *picked.get(self.next)?;
            self.next += 1;
            return Some(self.bases[place / offsets.len()] + offsets[place % offsets.len()]);
        }
        let moment = self.bases.get(self.base)? + offsets[self.next];
        self.next += 1;
        if self.next == offsets.len() {
            (self.base, self.next) = (self.base + 1, 0);
        }
        Some(moment)
    }

    /// Whether the period that is ready has a start at a moment.
    fn has_ready(&self, moment: i64) -> bool {
        let offsets = &self.sets.offsets;
        self.bases.iter().enumerate().any(|(at, base)| {
            let place = offsets.binary_search(&(moment - base)).map(|offset| at * offsets.len() + offset);
            place.is_ok_and(|place| self.picked.as_ref().is_none_or(|picked| picked.contains(&place)))
        })
    }

    /// The next start, `COUNT` and `UNTIL` not yet looked at.
    fn candidate(&mut self) -> Option<i64> {
        if !self.is_first_given {
            self.is_first_given = true;
            return Some(self.start);
        }
        loop {
            while let Some(moment) = self.next_ready() {
                if moment > self.given {
                    self.given = moment;
                    return Some(moment);
                }
            }
            self.pass_whole_days();
            let period = self.period;
            if self.left == Some(0) || period > self.last_period || !self.fill(period) {
                return None;
            }
            self.period += 1;
            self.count_unwanted();
        }
    }
}

/// Whether a part of a rule allows a number; one that is not there allows all.
fn names(part: &[i16], number: i64) -> bool {
    part.is_empty() || part.iter().any(|named| i64::from(*named) == number)
}

/// Whether the minute and the second in which a step begins are allowed, as far
/// as steps of this length tell them apart.
fn part_of_hour_fits(rule: &Rule, frequency: Frequency, moment: i64) -> bool {
    let minute_fits = || names(&rule.by_minute, moment.rem_euclid(3600) / 60);
    match frequency {
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
        starts.has_ready(starts.start)
    })
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
            self.counted = Some(moment);
            if moment >= self.from {
                return Some(moment);
            }
        }
    }
}
