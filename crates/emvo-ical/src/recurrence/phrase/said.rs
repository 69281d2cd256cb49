//! What a phrase says, in no language yet: the rules that people make, and no others.

use jiff::civil::Date;

use crate::calendar::EventTime;
use crate::recurrence::rule::{ByDay, Frequency, Rule, Skip, Weekday};

/// A rule as far as words can say it. It and [`Said::rule`]'s rule have the same dates.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Said {
    pub(super) interval: u32,
    pub(super) unit: Unit,
    pub(super) on: On,
    pub(super) end: End,
}

/// What repeats.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Unit {
    Day,
    Week,
    Month,
    Year,
}

/// On which days of it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum On {
    /// The start says which.
    TheStart,
    Weekdays(Vec<Weekday>),
    Days(Vec<i16>),
    LastDay,
    Places(Vec<ByDay>),
    /// A day that some months lack, and the last one in its place.
    DayElseLast(i16),
    Date(i16, i16),
    PlacesOf(Vec<ByDay>, i16),
    /// 29 February, and 28 February in its place.
    LeapDay,
    /// A day that some months lack, and the day after their last in its place.
    DayElseNext(i16),
    /// 29 February, and 1 March in its place.
    LeapDayElseNext,
}

/// When it ends.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum End {
    Never,
    After(u32),
    /// With that day, itself included.
    Until(Date),
}

/// The last day that every month has.
const LAST_OF_ALL_MONTHS: i16 = 28;

impl Said {
    /// What a rule says; `None` if words cannot say exactly this.
    ///
    /// The end has to be a day (`UNTIL` as a date, meaning through that day) or a
    /// count: where in that day a timed series ends is for the caller to settle.
    pub(super) fn of(rule: &Rule) -> Option<Self> {
        let unit = match rule.frequency {
            Frequency::Daily => Unit::Day,
            Frequency::Weekly => Unit::Week,
            Frequency::Monthly => Unit::Month,
            Frequency::Yearly => Unit::Year,
            Frequency::Hourly | Frequency::Minutely | Frequency::Secondly => return None,
        };
        let is_timed_by_rule =
            !(rule.by_hour.is_empty() && rule.by_minute.is_empty() && rule.by_second.is_empty());
        let replacement = replacement_in(rule);
        let has_rare_parts = !(rule.by_year_day.is_empty() && rule.by_week_no.is_empty())
            || (!rule.by_set_pos.is_empty() && replacement.is_none());
        // Where weeks start matters to every second week alone.
        let needs_week_start =
            rule.week_start != Weekday::Monday && rule.interval > 1 && rule.frequency == Frequency::Weekly;
        // Another day may stand for one that these words name.
        let has_other_days = matches!(rule.skip, Some(Skip::Forward | Skip::Backward))
            && replacement.is_none()
            && (rule.by_month_day.iter().any(|day| is_lacking_somewhere(*day)) || names_no_day(rule));
        if is_timed_by_rule || has_rare_parts || needs_week_start || has_other_days {
            return None;
        }
        let on = match replacement {
            Some(on) => on,
            None => days_in(rule)?,
        };
        let end = match (&rule.until, rule.count) {
            (None, None) => End::Never,
            (None, Some(count)) => End::After(count),
            (Some(EventTime::Date(date)), None) => End::Until(*date),
            (Some(_), _) => return None,
        };
        Some(Self { interval: rule.interval, unit, on, end })
    }

    /// The rule that says it.
    pub(super) fn rule(self) -> Rule {
        let frequency = match self.unit {
            Unit::Day => Frequency::Daily,
            Unit::Week => Frequency::Weekly,
            Unit::Month => Frequency::Monthly,
            Unit::Year => Frequency::Yearly,
        };
        let mut rule = Rule { interval: self.interval, ..Rule::bare(frequency) };
        match self.on {
            On::TheStart => {}
            On::Weekdays(days) => {
                rule.by_day = days.into_iter().map(|weekday| ByDay { ordinal: None, weekday }).collect();
            }
            On::Days(days) => rule.by_month_day = days,
            On::LastDay => rule.by_month_day = vec![-1],
            On::Places(places) => rule.by_day = places,
            On::DayElseLast(day) => {
                rule.by_month_day = (LAST_OF_ALL_MONTHS..=day).collect();
                rule.by_set_pos = vec![-1];
            }
            On::Date(day, month) => (rule.by_month_day, rule.by_month) = (vec![day], vec![month]),
            On::PlacesOf(places, month) => (rule.by_day, rule.by_month) = (places, vec![month]),
            On::DayElseNext(day) => {
                rule.by_month_day = vec![day];
                rule.skip = Some(Skip::Forward);
            }
            On::LeapDayElseNext => {
                (rule.by_month_day, rule.by_month) = (vec![29], vec![2]);
                rule.skip = Some(Skip::Forward);
            }
            On::LeapDay => {
                rule.by_month = vec![2];
                rule.by_month_day = vec![28, 29];
                rule.by_set_pos = vec![-1];
            }
        }
        rule.by_day.sort_unstable();
        rule.by_day.dedup();
        rule.by_month_day.sort_unstable();
        match self.end {
            End::Never => {}
            End::After(count) => rule.count = Some(count),
            End::Until(day) => rule.until = Some(EventTime::Date(day)),
        }
        rule
    }
}

/// A day that some months lack, and the last day of the month in its place: of the days
/// from the 28th to that one the last that there is.
fn replacement_in(rule: &Rule) -> Option<On> {
    if let Some(on) = replacement_by_skip(rule) {
        return Some(on);
    }
    let day = *rule.by_month_day.last()?;
    let is_last_there = rule.by_set_pos == [-1]
        && rule.by_day.is_empty()
        && is_lacking_somewhere(day)
        && rule.by_month_day.iter().copied().eq(LAST_OF_ALL_MONTHS..=day);
    match (rule.frequency, rule.by_month.as_slice(), day) {
        _ if !is_last_there => None,
        (Frequency::Monthly, [], day) => Some(On::DayElseLast(day)),
        (Frequency::Yearly, [2], 29) => Some(On::LeapDay),
        _ => None,
    }
}

/// The same said by `SKIP` (RFC 7529).
fn replacement_by_skip(rule: &Rule) -> Option<On> {
    let [day] = rule.by_month_day[..] else { return None };
    if !rule.by_day.is_empty() || !rule.by_set_pos.is_empty() {
        return None;
    }
    match (rule.frequency, rule.by_month.as_slice(), rule.skip?) {
        (Frequency::Monthly, [], Skip::Backward) if is_lacking_somewhere(day) => Some(On::DayElseLast(day)),
        (Frequency::Monthly, [], Skip::Forward) if is_lacking_somewhere(day) => Some(On::DayElseNext(day)),
        (Frequency::Yearly, [2], Skip::Backward) if day == 29 => Some(On::LeapDay),
        (Frequency::Yearly, [2], Skip::Forward) if day == 29 => Some(On::LeapDayElseNext),
        _ => None,
    }
}

/// Whether some months do not have a day of this number.
pub(super) fn is_lacking_somewhere(day: i16) -> bool {
    (LAST_OF_ALL_MONTHS + 1..=31).contains(&day)
}

/// Whether the start alone says which day of the month is meant.
fn names_no_day(rule: &Rule) -> bool {
    matches!(rule.frequency, Frequency::Monthly | Frequency::Yearly)
        && rule.by_month_day.is_empty()
        && rule.by_day.is_empty()
}

fn days_in(rule: &Rule) -> Option<On> {
    if rule.by_month.is_empty() && rule.by_month_day.is_empty() && rule.by_day.is_empty() {
        return Some(On::TheStart);
    }
    let plain = || -> Option<Vec<Weekday>> {
        rule.by_day.iter().map(|day| day.ordinal.is_none().then_some(day.weekday)).collect()
    };
    let places = || {
        let are_places = rule.by_day.iter().all(|day| matches!(day.ordinal, Some(1..=5 | -1)));
        (are_places && !rule.by_day.is_empty()).then(|| rule.by_day.clone())
    };
    match (rule.frequency, rule.by_month.as_slice(), rule.by_month_day.as_slice(), rule.by_day.as_slice()) {
        (Frequency::Weekly, [], [], _) => Some(On::Weekdays(plain()?)),
        (Frequency::Monthly, [], [-1], []) => Some(On::LastDay),
        (Frequency::Monthly, [], days, []) if days.iter().all(|day| *day > 0) => {
            Some(On::Days(days.to_vec()))
        }
        (Frequency::Monthly, [], [], _) => Some(On::Places(places()?)),
        (Frequency::Yearly, [month], [day], []) if *day > 0 => Some(On::Date(*day, *month)),
        (Frequency::Yearly, [month], [], _) => Some(On::PlacesOf(places()?, *month)),
        _ => None,
    }
}
