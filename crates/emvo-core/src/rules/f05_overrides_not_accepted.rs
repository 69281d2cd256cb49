//! `F05 overrides-not-accepted`: overrides that are not accepted.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};
use crate::fit::SeriesLimit;

declare_rule! {
    /// ## What it finds
    /// A series with overrides, where the destination takes plain series.
    ///
    /// ## Why it matters
    /// The destination refuses it, or changes it on its own.
    ///
    /// ## Example
    /// `series = "plain"` and a watch that was swapped once.
    ///
    /// ## Repair
    /// Made to fit by `merge` and `convert` with `--limits`. By hand: `convert
    /// --unroll` makes single events of series, the changed date as it is.
    OverridesNotAccepted, "F05", "overrides-not-accepted", RuleGroup::Fit, "overrides that are not accepted"
}

impl Rule for OverridesNotAccepted {
    fn needs(&self) -> Traits {
        Traits::DESTINATION
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(limits) = &context.options.limits else { return };
        let count = subject.series.overrides().len();
        if limits.series == SeriesLimit::Plain && count > 0 {
            let message = format!("has changed dates ({count}), which are not accepted in a series");
            found.show(self, Level::Warning, subject, message);
        }
    }
}
