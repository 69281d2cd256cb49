//! `D17 days-apart`: whole days of one title, one behind the other.

use std::collections::BTreeMap;

use jiff::civil::Date;

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Scope, Subject};
use emvo_ical::calendar::{Calendar, Event, Series};

/// Two days in a row are often two events.
const LEAST: usize = 3;

declare_rule! {
    /// ## What it finds
    /// Three or more single events of one title and place that each last one whole
    /// day, on days that follow each other.
    ///
    /// ## Why it matters
    /// Some systems export an event of several days as one event for each: five
    /// entries where there was one, and five to change when it moves.
    ///
    /// ## Example
    /// *Dry dock* on 5, 6, 7, 8 and 9 October.
    ///
    /// ## Repair
    /// None: days that are counted one by one, such as shifts, look the same. R13
    /// makes one series of them, with consent.
    DaysApart, "D17", "days-apart", RuleGroup::Dates, "whole days of one title, one behind the other"
}

/// Days that follow each other, by the number of the first one's series: how many, and
/// the last.
pub(super) type Runs = BTreeMap<usize, (usize, Date)>;

impl Rule for DaysApart {
    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        if let Some((days, last)) = context.runs_of_days().get(&subject.index) {
            let first = subject.series.lead().start();
            let message = format!(
                "{days} events of this title last a whole day each, from {first} to {last} without a gap; \
                 one event of {days} days may be meant"
            );
            found.show(self, Level::Note, subject, message);
        }
    }

    fn scope(&self) -> Scope {
        Scope::Calendar
    }
}

/// All runs of a calendar.
///
/// ```text
/// Dry dock  5 Oct, 6 Oct, 7 Oct, 12 Oct    a run of three from 5 to 7 October
/// ```
pub(super) fn runs_of(calendar: &Calendar<'_>) -> Runs {
    let mut days: BTreeMap<(String, String), Vec<(Date, usize)>> = BTreeMap::new();
    for (index, series) in calendar.series.iter().enumerate() {
        let lead = series.lead();
        if is_one_day(series, lead) {
            let key = (
                lead.title().unwrap_or_default().into_owned(),
                lead.location().unwrap_or_default().into_owned(),
            );
            days.entry(key).or_default().push((lead.start().date(), index));
        }
    }
    let mut runs = Runs::new();
    for mut dates in days.into_values().filter(|dates| dates.len() >= LEAST) {
        dates.sort_unstable();
        let follows = |one: &(Date, usize), next: &(Date, usize)| one.0.tomorrow().ok() == Some(next.0);
        for run in dates.chunk_by(follows).filter(|run| run.len() >= LEAST) {
            runs.insert(run[0].1, (run.len(), run[run.len() - 1].0));
        }
    }
    runs
}

fn is_one_day(series: &Series<'_>, lead: &Event<'_>) -> bool {
    !series.repeats()
        && lead.replaces().is_none()
        && lead.is_all_day()
        && lead.start().date().tomorrow().ok() == Some(lead.end().date())
}
