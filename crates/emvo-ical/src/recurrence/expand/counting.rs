//! Starts that nobody asks for and that a rule with `COUNT` has to count: whole periods at
//! once, and of rules that repeat within a day whole days.
//!
//! The steps of such a rule come into a day at some place and go through it from there, so how
//! many of them fit depends on that place alone:
//!
//! ```text
//! FREQ=HOURLY;INTERVAL=5;BYHOUR=0,5,6,10    from   steps             fit
//!                                           0 h    0 5 10 15 20      3 (0 5 10)
//!                                           1 h    1 6 11 16 21      1 (6)
//!                                           5 h    5 10 15 20        2 (5 10)
//!                                           …
//! ```
//!
//! The table has a row for each place of a day. A day is counted by looking up where its first
//! step lies; from one step of a day to another there are as many as their rows differ by.

use super::{Last, Starts, names, part_of_hour_fits};
use crate::day::SECONDS_A_DAY;
use crate::recurrence::rule::{Frequency, Rule};
use jiff::civil::DateTime;

/// Whether whole days can be counted.
#[derive(Clone, Debug, Default)]
pub(super) enum Days {
    /// Nobody had to know yet.
    #[default]
    NotAsked,
    /// They cannot.
    Single,
    /// They can.
    Whole(FitsOfDay),
}

/// How many steps fit from a unit of the day to the end of the day.
#[derive(Clone, Debug)]
pub(super) struct FitsOfDay {
    /// The length of a unit: a second, a minute or an hour.
    unit: i64,
    /// How many units a step has.
    step: i64,
    /// By the unit of the day in which the first of them lies.
    fits_from: Vec<u32>,
}

impl FitsOfDay {
    /// `None` for rules that repeat by days or more, and for steps of a day or more.
    fn of(rule: &Rule, frequency: Frequency) -> Option<Self> {
        let unit = match frequency {
            Frequency::Secondly => 1,
            Frequency::Minutely => 60,
            Frequency::Hourly => 3600,
            Frequency::Daily | Frequency::Weekly | Frequency::Monthly | Frequency::Yearly => return None,
        };
        let units = SECONDS_A_DAY / unit;
        let step = usize::try_from(rule.interval).ok().filter(|_| i64::from(rule.interval) < units)?;
        let mut fits_from = vec![0; usize::try_from(units).ok()?];
        for at in (0..fits_from.len()).rev() {
            let moment = unit * i64::try_from(at).ok()?;
            let fits = names(&rule.by_hour, moment / 3600) && part_of_hour_fits(rule, frequency, moment);
            let later = fits_from.get(at + step).copied().unwrap_or(0);
            fits_from[at] = u32::from(fits) + later;
        }
        Some(Self { unit, step: i64::from(rule.interval), fits_from })
    }

    /// How many fit from a unit of the day on; none behind its end.
    fn from(&self, unit: i64) -> u64 {
        let fits = usize::try_from(unit).ok().and_then(|unit| self.fits_from.get(unit));
        fits.map_or(0, |fits| u64::from(*fits))
    }

    fn units(&self) -> i64 {
        SECONDS_A_DAY / self.unit
    }
}

impl Starts<'_> {
    /// Counts all starts of the period that is ready at once, where none of them is asked
    /// for: a day can have 86,400 of them.
    pub(super) fn count_unwanted(&mut self) {
        let Some(left) = self.left else { return };
        let offsets = &self.sets.offsets;
        let at = |place: usize| Some(self.bases.get(place / offsets.len())? + offsets[place % offsets.len()]);
        let (size, ends) = if let Some(picked) = &self.picked {
            (picked.len(), picked.first().copied().zip(picked.last().copied()))
        } else {
            let size = self.bases.len() * offsets.len();
            (size, size.checked_sub(1).map(|last| (0, last)))
        };
        let Some((first, last)) = ends.and_then(|(first, last)| at(first).zip(at(last))) else { return };
        let size = size as u64;
        // A last day of a month that stands for another may be in two of them, and the rule may
        // end in the midst of a period.
        if first > self.given && last < self.from && self.is_before_last(last) && size <= left {
            self.left = Some(left - size);
            (self.given, self.counted) = (last, Some(last));
            self.clear_period();
        } else if first > self.given && first < self.from {
            self.count_up_to_wanted();
        }
    }

    /// Counts what is ready in front of the first that is asked for, where it is of one day or
    /// hour.
    pub(super) fn count_up_to_wanted(&mut self) {
        let (Some(left), None, [base], 0) = (self.left, &self.picked, self.bases.as_slice(), self.base)
        else {
            return;
        };
        let offsets = &self.sets.offsets;
        let wanted = offsets.partition_point(|offset| base + offset < self.from);
        let size = wanted.saturating_sub(self.next) as u64;
        let Some(last) = wanted.checked_sub(1).map(|at| base + offsets[at]).filter(|_| size > 0) else {
            return;
        };
        if self.is_before_last(last) && size <= left {
            self.left = Some(left - size);
            (self.given, self.counted, self.next) = (last, Some(last), wanted);
            if wanted == offsets.len() || self.left == Some(0) {
                self.clear_period();
            }
        }
    }

    fn is_before_last(&self, moment: i64) -> bool {
        !matches!(self.last, Last::At(last) if moment > last)
    }

    /// Counts whole days behind that of the start, before what is asked for begins.
    pub(super) fn pass_whole_days(&mut self) {
        if self.from.saturating_sub(self.given) < 2 * SECONDS_A_DAY || self.left.is_none() {
            return;
        }
        let days = match std::mem::take(&mut self.days) {
            Days::NotAsked => FitsOfDay::of(self.rule, self.sets.frequency).map_or(Days::Single, Days::Whole),
            known => known,
        };
        if let Days::Whole(fits) = &days {
            self.pass_days_that_fit(fits);
        }
        self.days = days;
    }

    /// Day by day, the rest of a day and the part of one before what is asked for included.
    fn pass_days_that_fit(&mut self, fits: &FitsOfDay) {
        let units = fits.units();
        let base = self.start.div_euclid(fits.unit);
        let mut at = base + self.period * fits.step;
        let each = self.starts_of_a_step();
        // Steps are told apart by units: those of the unit that is asked for are walked.
        let wanted = self.from.div_euclid(fits.unit);
        loop {
            let day = at.div_euclid(units);
            let is_countable = day > self.sets.day && day < self.sets.day_after_all;
            let until = wanted.min((day + 1) * units);
            let last = until * fits.unit - 1;
            if !is_countable || at >= until || !self.is_before_last(last) {
                break;
            }
            let next = if self.sets.day_fits(self.rule, day) {
                let next = first_step_from(until, at, fits.step);
                let size = (fits.from(at - day * units) - fits.from(next - day * units)) * each;
                let Some(left) = self.left.and_then(|left| left.checked_sub(size)) else { break };
                self.left = Some(left);
                if size > 0 {
                    (self.given, self.counted) = (last, Some(last));
                }
                next
            } else {
                first_step_from(self.sets.day_after_misfit(day) * units, at, fits.step)
            };
            at = next;
            self.period = (at - base).div_euclid(fits.step);
        }
    }

    /// How many starts a step has that fits.
    fn starts_of_a_step(&self) -> u64 {
        let size = self.sets.offsets.len();
        let picked = if self.rule.by_set_pos.is_empty() { size } else { self.places_picked(size).len() };
        picked as u64
    }
}

/// The first step that is not before a unit, of steps that come by `at`, which is.
fn first_step_from(unit: i64, at: i64, step: i64) -> i64 {
    at + (unit - at + step - 1).div_euclid(step) * step
}

/// The last start of a rule that is not after a moment. Looks back in steps
/// that widen, so that a long series is not walked from its beginning; a rule
/// that counts has to be, by whole periods and days.
pub fn last_start(rule: &Rule, start: DateTime, moment: i64) -> Option<i64> {
    const STEPS: [i64; 3] = [40, 400, 4000];
    let mut starts = Starts::new(rule, start, Last::At(moment));
    let own = starts.start;
    if rule.count.is_some() {
        // None of them is asked for, all are counted.
        starts.from = i64::MAX;
        while starts.next().is_some() {}
        let last = starts.counted?;
        return last_on_day_of(rule, start, last);
    }
    let from_of = |days: &i64| moment.saturating_sub(days * SECONDS_A_DAY);
    for from in STEPS.iter().map(from_of).filter(|from| *from > own) {
        let last = Starts::new(rule, start, Last::At(moment)).from(from).last();
        if last.is_some() {
            return last;
        }
    }
    starts.last()
}

/// The last start up to a moment on the day of that moment, which has one: where days were
/// counted as a whole, it may lie before.
fn last_on_day_of(rule: &Rule, start: DateTime, moment: i64) -> Option<i64> {
    if moment.rem_euclid(SECONDS_A_DAY) != SECONDS_A_DAY - 1 {
        return Some(moment);
    }
    let open = Rule { count: None, ..rule.clone() };
    let day = moment.div_euclid(SECONDS_A_DAY) * SECONDS_A_DAY;
    Starts::new(&open, start, Last::At(moment)).from(day).last()
}
