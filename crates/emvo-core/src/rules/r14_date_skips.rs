//! `R14 date-skips`: a day that some months or years do not have.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};
use emvo_ical::calendar::EventTime;
use emvo_ical::day::{SECONDS_A_DAY, civil, clock_seconds, days_in_month};
use emvo_ical::recurrence::{Frequency, Rule as RecurrenceRule, Skip};

/// Periods looked at in a series that never ends.
const MOST_PERIODS: i64 = 1_200;

declare_rule! {
    /// ## What it finds
    /// A monthly series on the 29th, 30th or 31st, or a yearly one on such a day
    /// of a shorter month: some of its periods have no such day.
    ///
    /// ## Why it matters
    /// RFC 5545 skips those periods. Some systems take the last day of the month
    /// instead, or the day after.
    ///
    /// ## Example
    /// An inspection every year on 29 February.
    ///
    /// ## Repair
    /// None: the rule is as RFC 5545 has it. `every month on the last day` says
    /// the other thing.
    DateSkips, "R14", "date-skips", RuleGroup::Recurrence, "a day that some months or years do not have"
}

impl Rule for DateSkips {
    fn needs(&self) -> Traits {
        Traits::REPEATS
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        let (Some(master), Some(recurrence)) = (subject.series.master(), &subject.recurrence) else { return };
        for rule in recurrence.rules() {
            let (skipped, all) = skips(rule, master.start(), subject.span.1);
            if skipped > 0 {
                let what = if rule.frequency == Frequency::Monthly { "months" } else { "years" };
                let start = master.start();
                let message = format!(
                    "{skipped} of {all} {what} have no day like {} and are skipped; some systems take another day then",
                    start.date()
                );
                found.show(self, Level::Note, subject, message);
            }
        }
    }
}

/// How many periods up to a moment lack a day that the rule names, of how many.
fn skips(rule: &RecurrenceRule, start: &EventTime, until: i64) -> (i64, i64) {
    let is_by_days = rule.by_day.is_empty()
        && rule.by_week_no.is_empty()
        && rule.by_year_day.is_empty()
        && rule.by_set_pos.is_empty();
    let has_other_days = matches!(rule.skip, Some(Skip::Forward | Skip::Backward));
    if !is_by_days || has_other_days || rule.frequency < Frequency::Monthly {
        return (0, 0);
    }
    let (year, month, day) = civil(clock_seconds(start.clock()).div_euclid(SECONDS_A_DAY));
    let days: Vec<i64> = match rule.by_month_day.as_slice() {
        [] => vec![day],
        days => days.iter().map(|day| i64::from(*day)).filter(|day| *day > 0).collect(),
    };
    let Some(latest) = days.iter().copied().max().filter(|day| *day > 28) else { return (0, 0) };
    let months: Vec<i64> = match (rule.frequency, rule.by_month.as_slice()) {
        (Frequency::Yearly, []) if rule.by_month_day.is_empty() => vec![month],
        (_, []) => (1..=12).collect(),
        (_, months) => months.iter().map(|month| i64::from(*month)).collect(),
    };
    let (last_year, last_month, _) = civil(until.div_euclid(SECONDS_A_DAY));
    let interval = i64::from(rule.interval);
    let (mut skipped, mut all) = (0, 0);
    for period in 0..most_periods(rule) {
        let at = match rule.frequency {
            Frequency::Monthly => year * 12 + month - 1 + period * interval,
            _ => (year + period * interval) * 12,
        };
        if at / 12 > last_year
            || (rule.frequency == Frequency::Monthly && at > last_year * 12 + last_month - 1)
        {
            break;
        }
        let in_period: Vec<i64> = match rule.frequency {
            Frequency::Monthly => months.iter().copied().filter(|month| *month == at % 12 + 1).collect(),
            _ => months.clone(),
        };
        if !in_period.is_empty() {
            all += 1;
            let lacks = |month: &i64| days_in_month(at / 12, *month) < latest;
            skipped += i64::from(in_period.iter().all(lacks));
        }
    }
    (skipped, all)
}

fn most_periods(rule: &RecurrenceRule) -> i64 {
    // A rule that counts skips periods without counting them.
    rule.count.map_or(MOST_PERIODS, |count| i64::from(count).saturating_mul(8).min(MOST_PERIODS))
}
