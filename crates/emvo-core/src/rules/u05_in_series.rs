//! `U05 in-series`: a single event that stands where a series has a date.

use super::describe::declare_rule;
use super::{Rule, RuleGroup};

declare_rule! {
    /// ## What it finds
    /// A single event and a series with a date at the same time under the same title,
    /// where no field contradicts. `merge` and `run` find it between their inputs;
    /// `check` does not look for it.
    ///
    /// ## Why it matters
    /// One system exports a series, another its dates one by one: together everybody
    /// sees each date twice.
    ///
    /// ## Example
    /// `Morning watch` every Monday in one calendar, and on Monday 5 October as an
    /// event of its own in the other.
    ///
    /// ## Repair
    /// `merge` folds it into the series. What it says more than the series is left
    /// behind and listed; where a field contradicts both stay, and the pair is on
    /// the sheet of `--review`. `--duplicates keep` keeps both.
    InSeries, "U05", "in-series", RuleGroup::Identity, "a single event that stands where a series has a date"
}

/// Combining settles it: see [`crate::merge`].
impl Rule for InSeries {}
