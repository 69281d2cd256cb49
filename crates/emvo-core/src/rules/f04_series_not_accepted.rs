//! `F04 series-not-accepted`: a series that is not accepted.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};
use crate::fit::SeriesLimit;

declare_rule! {
    /// ## What it finds
    /// A series, where the destination takes none, or one with several rules or
    /// further dates, where it takes plain ones.
    ///
    /// ## Why it matters
    /// The destination refuses it, or changes it on its own.
    ///
    /// ## Example
    /// `series = "none"`.
    ///
    /// ## Repair
    /// Made to fit by `merge` and `convert` with `--limits`. By hand: `convert
    /// --unroll` makes single events of series; R09 has a repair for several rules.
    SeriesNotAccepted, "F04", "series-not-accepted", RuleGroup::Fit, "a series that is not accepted"
}

impl Rule for SeriesNotAccepted {
    fn needs(&self) -> Traits {
        Traits::DESTINATION
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(limits) = &context.options.limits else { return };
        let Some(master) = subject.series.master().filter(|master| master.repeats()) else { return };
        let is_plain = master.rules().count() == 1 && master.dates("RDATE").is_empty();
        let message = match limits.series {
            SeriesLimit::Any => return,
            SeriesLimit::Plain if is_plain => return,
            SeriesLimit::Plain => "has more than one rule or further dates, which are not accepted",
            SeriesLimit::None => "repeats, and no series are accepted",
        };
        found.show(self, Level::Warning, subject, message.to_owned());
    }
}
