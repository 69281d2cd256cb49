//! Which days of a year, a month or a week a rule picks, as sets of bits.
//!
//! RFC 5545 section 3.3.10 has a table by frequency and part: a part *expands* a
//! period into several dates, or *limits* those that it has. With sets of days
//! both are one operation. A period starts out with all of its days, and each
//! part keeps the days that it names; if no part names days, the day of the
//! series' start is kept. `BYDAY` with an ordinal counts within the month or the
//! year, `BYDAY` and `BYMONTHDAY` together keep what both name (the table's notes
//! 1 and 2).
//!
//! Worked example, `FREQ=MONTHLY;BYDAY=FR;BYMONTHDAY=13` in November 2026, which
//! starts on a Sunday:
//!
//! ```text
//! all days         1 … 30
//! BYMONTHDAY=13    13
//! BYDAY=FR         6 13 20 27
//! kept by both     13
//! ```
//!
//! A day that a month does not have is left out, or another is taken for it
//! (`SKIP` of RFC 7529): 31 April is 30 April or 1 May, which is the day behind the
//! month's last.
//!
//! Times of day are made once for the rule ([`DaySets::offsets`]): every kept day
//! has each of them.

use super::rule::{ByDay, Frequency, Rule, Skip};
use crate::day::{SECONDS_A_DAY, civil, day_number, days_in_month, days_in_year, weekday};

/// What a rule and the start of its series say once and for all.
#[derive(Clone, Debug)]
pub(super) struct DaySets {
    /// How often the rule repeats, as [`frequency_of`] has it.
    pub(super) frequency: Frequency,
    pub(super) year: i64,
    pub(super) month: i64,
    pub(super) day: i64,
    /// The first day of the week in which the series starts.
    pub(super) week_day: i64,
    /// The weekdays a rule picks without ordinals, bit 0 for Monday.
    pub(super) weekdays: u32,
    /// The months it allows, bit 1 for January.
    months: u32,
    day_of_month: i64,
    /// Times of day (or of the hour, the minute) in seconds, ascending.
    pub(super) offsets: Vec<i64>,
    /// 10000-01-01.
    pub(super) day_after_all: i64,
}

impl DaySets {
    pub(super) fn of(rule: &Rule, start: i64) -> Self {
        let day = start.div_euclid(SECONDS_A_DAY);
        let (year, month, day_of_month) = civil(day);
        let week_day = day - (weekday(day) - rule.week_start.number()).rem_euclid(7);
        let mut weekdays = rule
            .by_day
            .iter()
            .filter(|day| day.ordinal.is_none())
            .fold(0, |set, day| set | 1 << day.weekday.number());
        if rule.by_day.is_empty() && rule.frequency == Frequency::Weekly {
            weekdays = 1 << weekday(day);
        }
        let months = match rule.by_month.as_slice() {
            [] => !0,
            months => months.iter().fold(0, |set, month| set | 1 << *month),
        };
        let frequency = frequency_of(rule);
        Self {
            frequency,
            year,
            month,
            day,
            week_day,
            weekdays,
            months,
            day_of_month,
            offsets: offsets(rule, frequency, start),
            day_after_all: day_number(10_000, 1, 1),
        }
    }

    /// How many starts each period has, if that is the same for all of them.
    pub(super) fn starts_in_every_period(&self, rule: &Rule) -> Option<u64> {
        if !rule.by_set_pos.is_empty() || !rule.by_month.is_empty() || !rule.by_year_day.is_empty() {
            return None;
        }
        let days = match self.frequency {
            Frequency::Weekly => u64::from(self.weekdays.count_ones()),
            Frequency::Daily if rule.by_day.is_empty() && rule.by_month_day.is_empty() => 1,
            Frequency::Secondly | Frequency::Minutely | Frequency::Hourly
                if rule.by_day.is_empty()
                    && rule.by_month_day.is_empty()
                    && rule.by_hour.is_empty()
                    && (self.frequency == Frequency::Hourly || rule.by_minute.is_empty())
                    && (self.frequency != Frequency::Secondly || rule.by_second.is_empty()) =>
            {
                1
            }
            _ => return None,
        };
        Some(days * self.offsets.len() as u64)
    }

    pub(super) fn month_fits(&self, day: i64) -> bool {
        self.months == !0 || self.months >> civil(day).1 & 1 == 1
    }

    /// Whether a day passes all parts that only ever limit (RFC 5545, the rows
    /// of `BYMONTH` to `BYDAY` for `DAILY` and shorter).
    pub(super) fn day_fits(&self, rule: &Rule, day: i64) -> bool {
        if !rule.by_day.is_empty() && self.weekdays >> weekday(day) & 1 == 0 {
            return false;
        }
        if self.months == !0 && rule.by_month_day.is_empty() && rule.by_year_day.is_empty() {
            return true;
        }
        let (year, month, date) = civil(day);
        let length = days_in_month(year, month);
        let year_day = day - day_number(year, 1, 1) + 1;
        self.months >> month & 1 == 1
            && (rule.by_month_day.is_empty() || holds(&rule.by_month_day, date, length))
            && (rule.by_year_day.is_empty() || holds(&rule.by_year_day, year_day, days_in_year(year)))
    }

    /// The first day after one that does not fit which may: where its month is not allowed,
    /// the first of the next that is.
    pub(super) fn day_after_misfit(&self, day: i64) -> i64 {
        let (mut year, mut month, _) = civil(day);
        if self.months >> month & 1 == 1 {
            return day + 1;
        }
        // A rule that allows no month at all comes around to the same one.
        for _ in 0..12 {
            (year, month) = if month == 12 { (year + 1, 1) } else { (year, month + 1) };
            if self.months >> month & 1 == 1 {
                break;
            }
        }
        day_number(year, month, 1)
    }

    /// The days of a month that a monthly rule picks, bit 0 for the first.
    pub(super) fn days_of_month(&self, rule: &Rule, year: i64, month: i64) -> u32 {
        if self.months >> month & 1 == 0 {
            return 0;
        }
        let length = days_in_month(year, month);
        let mut set = u32::MAX >> (32 - length);
        if !rule.by_month_day.is_empty() {
            set = month_days(&rule.by_month_day, length, rule.skip);
        }
        if !rule.by_day.is_empty() {
            let first = weekday(day_number(year, month, 1));
            let behind = u32::from(self.weekdays >> ((first + length) % 7) & 1 == 1) << length;
            set &= rule.by_day.iter().fold(behind, |days, day| days | weekdays_of_month(*day, first, length));
        }
        if rule.by_month_day.is_empty() && rule.by_day.is_empty() {
            set = self.own_day(length, rule.skip);
        }
        set
    }

    /// The day of the month on which the series starts.
    fn own_day(&self, length: i64, skip: Option<Skip>) -> u32 {
        i16::try_from(self.day_of_month).map_or(0, |day| month_days(&[day], length, skip))
    }

    /// The days of a year that a yearly rule picks.
    pub(super) fn days_of_year(&self, rule: &Rule, year: i64) -> YearSet {
        let length = days_in_year(year);
        let mut set = YearSet::first(length);
        let has_days = !(rule.by_week_no.is_empty()
            && rule.by_year_day.is_empty()
            && rule.by_month_day.is_empty()
            && rule.by_day.is_empty());
        if !rule.by_month.is_empty() || !rule.by_month_day.is_empty() || !has_days {
            set = set.and(self.days_by_month(rule, year, has_days));
        }
        if !rule.by_year_day.is_empty() {
            set = set.and(YearSet::of(rule.by_year_day.iter().map(|place| place_in(*place, length))));
        }
        if !rule.by_week_no.is_empty() {
            set = set.and(self.days_by_week(rule, year, length));
        }
        if !rule.by_day.is_empty()
            && (rule.by_month.is_empty() || !rule.by_day.iter().any(|day| day.ordinal.is_some()))
        {
            let first = weekday(day_number(year, 1, 1));
            let mut days = YearSet::default();
            for day in &rule.by_day {
                days.add_weekdays(*day, first, length);
            }
            set = set.and(days);
        }
        set
    }

    fn days_by_month(&self, rule: &Rule, year: i64, has_days: bool) -> YearSet {
        let mut set = YearSet::default();
        let mut first = 0;
        let has_ordinals = rule.by_day.iter().any(|day| day.ordinal.is_some());
        for month in 1..=12 {
            let length = days_in_month(year, month);
            let is_picked = if rule.by_month.is_empty() && !has_days {
                month == self.month
            } else {
                self.months >> month & 1 == 1
            };
            if is_picked {
                let mut days = u32::MAX >> (32 - length);
                if !rule.by_month_day.is_empty() {
                    days = month_days(&rule.by_month_day, length, rule.skip);
                } else if !has_days {
                    days = self.own_day(length, rule.skip);
                }
                if has_ordinals && !rule.by_month.is_empty() {
                    let weekday = weekday(day_number(year, month, 1));
                    days &=
                        rule.by_day.iter().fold(0, |set, day| set | weekdays_of_month(*day, weekday, length));
                }
                set.add_month(first, days);
            }
            first += length;
        }
        set
    }

    /// `BYWEEKNO`: the days of the year that lie in weeks of these numbers.
    /// Week 1 is the first with at least four days in its year; the days of a
    /// week that lie in the next or the last year are picked with that year.
    fn days_by_week(&self, rule: &Rule, year: i64, length: i64) -> YearSet {
        let new_year = day_number(year, 1, 1);
        let mut set = YearSet::default();
        let start = rule.week_start.number();
        for week_year in [year - 1, year, year + 1] {
            let first = first_week(week_year, start);
            let weeks = (first_week(week_year + 1, start) - first) / 7;
            for number in &rule.by_week_no {
                let Some(week) = place_in(*number, weeks) else { continue };
                for day in first + week * 7..first + week * 7 + 7 {
                    let is_own_weekday = weekday(day) == weekday(self.day);
                    let is_expanded = !rule.by_day.is_empty()
                        || !rule.by_year_day.is_empty()
                        || !rule.by_month_day.is_empty();
                    if is_expanded || is_own_weekday {
                        set.add(day - new_year, length);
                    }
                }
            }
        }
        set
    }
}

/// The first day of week 1 of a year whose weeks start on `start`.
fn first_week(year: i64, start: i64) -> i64 {
    let fourth = day_number(year, 1, 4);
    fourth - (weekday(fourth) - start).rem_euclid(7)
}

/// The place, counted from 0, of the n-th of `length` things; `None` if there
/// are not so many.
fn place_in(number: i16, length: i64) -> Option<i64> {
    let number = i64::from(number);
    let place = if number > 0 { number - 1 } else { length + number };
    (0..length).contains(&place).then_some(place)
}

/// Whether the n-th of `length` things, counted from 1, is among `places`.
fn holds(places: &[i16], number: i64, length: i64) -> bool {
    places.iter().any(|place| place_in(*place, length) == Some(number - 1))
}

/// Days of a month, and what is taken for those that it does not have: bit `length` is
/// the first day of the next month. Days counted from the end are left out where there
/// are not so many.
fn month_days(places: &[i16], length: i64, skip: Option<Skip>) -> u32 {
    let taken = |place: &i16| match (place_in(*place, length), skip.unwrap_or_default()) {
        (Some(day), _) => Some(day),
        (None, Skip::Forward) if *place > 0 => Some(length),
        (None, Skip::Backward) if *place > 0 => Some(length - 1),
        (None, _) => None,
    };
    places.iter().filter_map(taken).fold(0, |set, day| set | 1 << day)
}

/// The n-th weekday of a month, or all of them; `first` is the weekday of the
/// month's first day.
fn weekdays_of_month(day: ByDay, first: i64, length: i64) -> u32 {
    let offset = (day.weekday.number() - first).rem_euclid(7);
    let count = (length - offset + 6) / 7;
    match day.ordinal {
        None => (0..count).fold(0, |set, week| set | 1 << (offset + week * 7)),
        Some(ordinal) => place_in(i16::from(ordinal), count).map_or(0, |week| 1 << (offset + week * 7)),
    }
}

/// How often a rule repeats, without steps that its own parts leave out again:
/// `SECONDLY;BYSECOND=0;BYMINUTE=0;BYHOUR=8` is `DAILY` with the same parts, where those
/// expand instead of limiting, and there are 86,400 times fewer periods to look at. Each
/// second is each second of every hour.
fn frequency_of(rule: &Rule) -> Frequency {
    let names = |part: &[i16]| !part.is_empty();
    // A leap second is no second that limits, and is one that expands.
    if rule.interval != 1 || !rule.by_set_pos.is_empty() || rule.by_second.contains(&60) {
        return rule.frequency;
    }
    match rule.frequency {
        Frequency::Secondly if names(&rule.by_second) && names(&rule.by_minute) && names(&rule.by_hour) => {
            Frequency::Daily
        }
        Frequency::Minutely if names(&rule.by_minute) && names(&rule.by_hour) => Frequency::Daily,
        Frequency::Secondly | Frequency::Minutely => Frequency::Hourly,
        Frequency::Hourly if names(&rule.by_hour) => Frequency::Daily,
        // `DAILY;BYDAY=MO` is `WEEKLY` with the same days, a seventh of the periods.
        Frequency::Daily
            if rule.by_month_day.is_empty() && rule.by_year_day.is_empty() && !rule.by_day.is_empty() =>
        {
            Frequency::Weekly
        }
        frequency => frequency,
    }
}

/// Whether the steps of a rule that repeats within a day ever meet a time of day that its
/// parts allow. Steps of two seconds from an even one never meet `BYSECOND=7`; steps of
/// `n` units meet just those that are as far from the start by the greatest common divisor
/// of `n` and the units of a day.
pub(super) fn meets_its_times(rule: &Rule, frequency: Frequency, start: i64) -> bool {
    let (unit, of_day) = match frequency {
        Frequency::Secondly => (1, SECONDS_A_DAY),
        Frequency::Minutely => (60, SECONDS_A_DAY / 60),
        Frequency::Hourly => (3600, SECONDS_A_DAY / 3600),
        Frequency::Daily | Frequency::Weekly | Frequency::Monthly | Frequency::Yearly => return true,
    };
    let set = |list: &[i16]| match list {
        [] => u64::MAX,
        list => list.iter().fold(0, |set, number| set | 1 << number),
    };
    let (hours, minutes, seconds) = (set(&rule.by_hour), set(&rule.by_minute), set(&rule.by_second));
    let allows = |unit_of_day: i64| {
        let second = unit_of_day * unit;
        hours >> (second / 3600) & 1 == 1
            && (frequency == Frequency::Hourly || minutes >> (second / 60 % 60) & 1 == 1)
            && (frequency != Frequency::Secondly || seconds >> (second % 60) & 1 == 1)
    };
    let step = common_divisor(i64::from(rule.interval), of_day);
    let first = start.div_euclid(unit).rem_euclid(step);
    (0..of_day / step).any(|at| allows(first + at * step))
}

fn common_divisor(one: i64, two: i64) -> i64 {
    if two == 0 { one } else { common_divisor(two, one % two) }
}

/// Times of day that a rule gives each of its days, from `BYHOUR`, `BYMINUTE`
/// and `BYSECOND` or else the start; for hourly and minutely rules, what is
/// left below the hour or the minute.
fn offsets(rule: &Rule, frequency: Frequency, start: i64) -> Vec<i64> {
    let time = start.rem_euclid(SECONDS_A_DAY);
    let pick = |list: &[i16], own: i64| match list {
        [] => vec![own],
        list => list.iter().map(|number| i64::from(*number)).collect(),
    };
    // Parts that a rule which repeats oftener does not name have all of their values.
    let named_or_all = |list: &[i16], own: i64, repeats_by_it: bool| match list {
        [] if repeats_by_it => (0..60).collect(),
        list => pick(list, own),
    };
    let hours = if frequency >= Frequency::Daily { pick(&rule.by_hour, time / 3600) } else { vec![0] };
    let minutes = if frequency >= Frequency::Hourly {
        named_or_all(&rule.by_minute, time / 60 % 60, rule.frequency < Frequency::Hourly)
    } else {
        vec![0]
    };
    let seconds = if frequency >= Frequency::Minutely {
        named_or_all(&rule.by_second, time % 60, rule.frequency == Frequency::Secondly)
    } else {
        vec![0]
    };
    let mut offsets = Vec::with_capacity(hours.len() * minutes.len() * seconds.len());
    for hour in &hours {
        for minute in &minutes {
            for second in &seconds {
                // No zone data has leap seconds; 60 is read as the second before.
                offsets.push(hour * 3600 + minute * 60 + (*second).min(59));
            }
        }
    }
    offsets.dedup();
    offsets
}

/// A set of days of one year, day 0 being the first of January.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct YearSet([u64; 6]);

impl YearSet {
    fn first(length: i64) -> Self {
        let mut set = Self([u64::MAX; 6]);
        set.0[5] = (1 << (length - 320)) - 1;
        set
    }

    fn of(days: impl Iterator<Item = Option<i64>>) -> Self {
        let mut set = Self::default();
        for day in days.flatten() {
            set.add(day, 366);
        }
        set
    }

    fn add(&mut self, day: i64, length: i64) {
        if (0..length).contains(&day)
            && let Ok(at) = usize::try_from(day)
        {
            self.0[at / 64] |= 1 << (at % 64);
        }
    }

    fn add_month(&mut self, first: i64, days: u32) {
        let Ok(at) = usize::try_from(first) else { return };
        let wide = u128::from(days) << (at % 64);
        let [low, high] =
            [wide & u128::from(u64::MAX), wide >> 64].map(|half| u64::try_from(half).unwrap_or(0));
        self.0[at / 64] |= low;
        if let Some(next) = self.0.get_mut(at / 64 + 1) {
            *next |= high;
        }
    }

    fn add_weekdays(&mut self, day: ByDay, first: i64, length: i64) {
        let offset = (day.weekday.number() - first).rem_euclid(7);
        let count = (length - offset + 6) / 7;
        match day.ordinal {
            None => (0..count).for_each(|week| self.add(offset + week * 7, length)),
            Some(ordinal) => {
                if let Some(week) = place_in(i16::from(ordinal), count) {
                    self.add(offset + week * 7, length);
                }
            }
        }
    }

    fn and(self, other: Self) -> Self {
        let mut set = self;
        for (word, other) in set.0.iter_mut().zip(other.0) {
            *word &= other;
        }
        set
    }

    /// The days in it, ascending.
    pub(super) fn days(self, length: i64) -> impl Iterator<Item = i64> {
        let words = self.0;
        (0..6_i64)
            .zip(words)
            .flat_map(|(at, mut word)| {
                std::iter::from_fn(move || {
                    if word == 0 {
                        return None;
                    }
                    let day = at * 64 + i64::from(word.trailing_zeros());
                    word &= word - 1;
                    Some(day)
                })
            })
            .take_while(move |day| *day < length)
    }
}
