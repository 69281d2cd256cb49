//! Dates → the shortest rule that has exactly these.
//!
//! Every rule that all dates could follow is tried, and the one that costs least
//! is taken: a letter of the rule costs 1, a date that has to be taken out again
//! (`EXDATE`) costs [`EXCEPTION`], about what its line takes beyond the rule.
//!
//! Worked example, Tuesdays in 2026: 6, 13, 20 and 27 October, 10 November.
//!
//! ```text
//! FREQ=WEEKLY;COUNT=6             19 letters, without 3 November    19 + 16 = 35
//! FREQ=DAILY;…                    more gaps than dates              no candidate
//! FREQ=MONTHLY;BYDAY=…            misses most dates                 no candidate
//! ```
//!
//! More than one gap in [`DATES_A_GAP`] dates is no rule with exceptions but
//! another rule.

use super::{Rolled, moment, time_at};
use emvo_ical::calendar::Series;
use emvo_ical::day::{SECONDS_A_DAY, civil, clock_at, days_in_month, weekday};
use emvo_ical::recurrence::{ByDay, Frequency, Last, Rule, Starts, Weekday};

/// What an exception costs against a letter of the rule.
const EXCEPTION: usize = 16;
/// One gap among this number of dates is a gap; more of them are another rule.
const DATES_A_GAP: usize = 3;

/// The series that a group of events alike in all but their dates is made of:
/// one for all, else one for each day of the week that gives one.
pub(super) fn rules_for(all: &[Series<'_>], mut group: Vec<usize>, at_least: usize) -> Vec<Rolled> {
    group.sort_by_key(|at| moment(&all[*at]));
    // Two at the same time are duplicates of each other; one of them stays out.
    group.dedup_by_key(|at| moment(&all[*at]));
    if let Some(rolled) = rule_for(all, &group, at_least) {
        return vec![rolled];
    }
    let on = |day: i64| -> Vec<usize> {
        let day_of = |at: &usize| weekday(moment(&all[*at]).div_euclid(SECONDS_A_DAY));
        group.iter().copied().filter(|at| day_of(at) == day).collect()
    };
    (0..7).filter_map(|day| rule_for(all, &on(day), at_least)).collect()
}

fn rule_for(all: &[Series<'_>], members: &[usize], at_least: usize) -> Option<Rolled> {
    if members.len() < at_least.max(2) {
        return None;
    }
    let moments: Vec<i64> = members.iter().map(|at| moment(&all[*at])).collect();
    let best = candidates(&moments)
        .into_iter()
        .filter_map(|rule| fitted(rule, &moments))
        .min_by_key(|(rule, gaps)| rule.to_string().len() + EXCEPTION * gaps.len());
    let (rule, gaps) = best?;
    let start = all[members[0]].lead().start();
    let exceptions = gaps.into_iter().filter_map(|gap| time_at(gap, start)).collect();
    Some(Rolled { members: members.to_vec(), rule, exceptions, origin: None })
}

/// A rule with as many dates as it takes to reach the last moment, and those of
/// its dates that are none of the moments. `None` if it misses a moment, or has
/// too many others.
fn fitted(mut rule: Rule, moments: &[i64]) -> Option<(Rule, Vec<i64>)> {
    let (first, last) = (*moments.first()?, *moments.last()?);
    let most = moments.len() + moments.len() / DATES_A_GAP;
    let (mut count, mut gaps, mut wanted) = (0_u32, Vec::new(), moments.iter().copied().peekable());
    for date in Starts::new(&rule, clock_at(first)?, Last::At(last)) {
        count += 1;
        if wanted.next_if_eq(&date).is_none() {
            gaps.push(date);
        }
        if count as usize > most || wanted.peek().is_some_and(|next| *next < date) {
            return None;
        }
    }
    rule.count = Some(count);
    wanted.peek().is_none().then_some((rule, gaps))
}

/// A date taken apart.
struct Day {
    number: i64,
    year: i64,
    month: i64,
    date: i64,
    weekday: i64,
    is_last_of_month: bool,
    is_last_weekday: bool,
}

impl Day {
    fn of(moment: i64) -> Self {
        let number = moment.div_euclid(SECONDS_A_DAY);
        let (year, month, date) = civil(number);
        let length = days_in_month(year, month);
        Self {
            number,
            year,
            month,
            date,
            weekday: weekday(number),
            is_last_of_month: date == length,
            is_last_weekday: date + 7 > length,
        }
    }

    fn ordinal(&self) -> i64 {
        (self.date - 1) / 7 + 1
    }

    fn months(&self) -> i64 {
        self.year * 12 + self.month
    }
}

/// Every rule that may have these dates, without its end.
fn candidates(moments: &[i64]) -> Vec<Rule> {
    let days: Vec<Day> = moments.iter().map(|moment| Day::of(*moment)).collect();
    let Some(first) = days.first() else { return Vec::new() };
    let all = |test: &dyn Fn(&Day) -> bool| days.iter().all(test);
    let mut rules = Vec::new();
    let mut add = |rule: Rule, step: i64| {
        // A step of one skips what does not exist, such as 29 February.
        for step in [1, step] {
            if let Some(interval) = u32::try_from(step).ok().filter(|step| *step > 0) {
                rules.push(Rule { interval, ..rule.clone() });
            }
        }
    };
    let step = step_of(days.iter().map(|day| day.number));
    // What comes every seven days is weekly to people.
    add(Rule::bare(Frequency::Daily), if step % 7 == 0 { 1 } else { step });
    let mut weekly = Rule::bare(Frequency::Weekly);
    if !all(&|day| day.weekday == first.weekday) {
        weekly.by_day = by_weekdays(&days);
    }
    add(weekly, step_of(days.iter().map(|day| (day.number - day.weekday) / 7)));
    let months = step_of(days.iter().map(Day::months));
    let years = step_of(days.iter().map(|day| day.year));
    let is_one_month = all(&|day| day.month == first.month);
    for by_part in month_rules(&days, first) {
        if is_one_month {
            let month = i16::try_from(first.month).unwrap_or(1);
            let needs_month = !by_part.by_day.is_empty() || !by_part.by_month_day.is_empty();
            let by_month = if needs_month { vec![month] } else { Vec::new() };
            add(Rule { frequency: Frequency::Yearly, by_month, ..by_part.clone() }, years);
        }
        add(by_part, months);
    }
    rules
}

/// The ways to name the day within its month that fit all dates.
fn month_rules(days: &[Day], first: &Day) -> Vec<Rule> {
    let monthly = Rule::bare(Frequency::Monthly);
    let mut rules = Vec::new();
    if days.iter().all(|day| day.date == first.date) {
        rules.push(monthly.clone());
    }
    if days.iter().all(|day| day.is_last_of_month) {
        rules.push(Rule { by_month_day: vec![-1], ..monthly.clone() });
    }
    let weekday = Weekday::after_monday(first.weekday);
    let nth = |ordinal: i64| Rule {
        by_day: vec![ByDay { ordinal: i8::try_from(ordinal).ok(), weekday }],
        ..monthly.clone()
    };
    if days.iter().all(|day| day.weekday == first.weekday) {
        if days.iter().all(|day| day.ordinal() == first.ordinal()) {
            rules.push(nth(first.ordinal()));
        }
        if days.iter().all(|day| day.is_last_weekday) {
            rules.push(nth(-1));
        }
    }
    rules
}

fn by_weekdays(days: &[Day]) -> Vec<ByDay> {
    let mut weekdays: Vec<i64> = days.iter().map(|day| day.weekday).collect();
    weekdays.sort_unstable();
    weekdays.dedup();
    weekdays.into_iter().map(|day| ByDay { ordinal: None, weekday: Weekday::after_monday(day) }).collect()
}

/// The greatest step that all the numbers are apart.
fn step_of(numbers: impl Iterator<Item = i64>) -> i64 {
    let numbers: Vec<i64> = numbers.collect();
    numbers.windows(2).map(|pair| pair[1] - pair[0]).fold(0, greatest_common_divisor)
}

fn greatest_common_divisor(one: i64, two: i64) -> i64 {
    if two == 0 { one } else { greatest_common_divisor(two, one % two) }
}
