//! `D08 very-long`: a timed event of more than two weeks, or whole days of more than a
//! year.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};
use emvo_ical::day::{SECONDS_A_DAY, clock_seconds};
use jiff::civil::Date;

/// Two weeks, in seconds.
const LONG: i64 = 14 * SECONDS_A_DAY;
/// Whole days may go on for a year: leave, a building site.
const LONG_OF_DAYS: i64 = 366 * SECONDS_A_DAY;

declare_rule! {
    /// ## What it finds
    /// A timed event that lasts longer than fourteen days, or one of whole days that
    /// lasts longer than a year.
    ///
    /// ## Why it matters
    /// Most often its end has a wrong month or year, or day and month changed
    /// places.
    ///
    /// ## Example
    /// From 1 September 08:00 to 9 January 09:00, meant to be 1 September.
    ///
    /// ## Repair
    /// None. Where day and month of the end can change places and give a length
    /// that is plausible, the finding proposes it.
    VeryLong, "D08", "very-long", RuleGroup::Dates, "an event that lasts longer than is likely"
}

impl Rule for VeryLong {
    fn needs(&self) -> Traits {
        Traits::SPAN
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        let lead = subject.series.lead();
        let (start, end) = (lead.start().clock(), lead.end().clock());
        let longest = if lead.is_all_day() { LONG_OF_DAYS } else { LONG };
        if clock_seconds(end) - clock_seconds(start) <= longest {
            return;
        }
        let swapped =
            Date::new(end.year(), end.day(), end.month()).ok().map(|date| date.to_datetime(end.time()));
        let plausible =
            swapped.filter(|other| (0..=longest).contains(&(clock_seconds(*other) - clock_seconds(start))));
        let proposal = plausible
            .map(|other| format!("; {} would be plausible, with day and month in places", other.date()));
        let message =
            format!("lasts from {} to {}{}", lead.start(), lead.end(), proposal.unwrap_or_default());
        found.show(self, Level::Warning, subject, message);
    }
}
