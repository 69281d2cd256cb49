//! `D07 year-implausible`: a year that nobody can mean.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject};

/// Years from most other events that are implausible.
pub(super) const FAR: i16 = 30;

declare_rule! {
    /// ## What it finds
    /// A start in a year that computers count from (1, 1601, 1899, 1900, 1969,
    /// 1970), with two digits, or more than thirty years from most events of the
    /// calendar.
    ///
    /// ## Why it matters
    /// The date was lost somewhere on the way: the event is in the calendar, and
    /// nobody will find it.
    ///
    /// ## Example
    /// `DTSTART:19700101T000000Z`.
    ///
    /// ## Repair
    /// None: only a person can know the date.
    YearImplausible, "D07", "year-implausible", RuleGroup::Dates, "a year that nobody can mean"
}

impl Rule for YearImplausible {
    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let date = subject.series.lead().start().date();
        let year = date.year();
        let is_epoch = matches!(year, 1 | 1601 | 1899 | 1900 | 1969)
            || (year == 1970 && date.month() == 1 && date.day() == 1)
            || year < 100;
        let bulk = context.middle_year();
        if is_epoch {
            found.show(
                self,
                Level::Warning,
                subject,
                format!("starts on {date}, from which computers count: the date was lost"),
            );
        } else if (year - bulk).abs() > FAR {
            found.show(
                self,
                Level::Warning,
                subject,
                format!("starts on {date}, far from the other events around {bulk}"),
            );
        }
    }
}
