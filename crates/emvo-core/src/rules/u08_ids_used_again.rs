//! `U08 ids-used-again`: ids that a system gives to other events in its next export.

use super::describe::declare_rule;
use super::{Rule, RuleGroup};

declare_rule! {
    /// ## What it finds
    /// Two events under one id in two inputs that share neither title nor start, with
    /// nothing that makes one a version of the other. `merge` and `run` find it;
    /// `check` does not look for it.
    ///
    /// ## Why it matters
    /// Some systems count the events of each download from 1. Taken for versions,
    /// the later download would replace the earlier one event by event.
    ///
    /// ## Example
    /// `UID:1` is a drill in the export of spring and a crossing in that of autumn.
    ///
    /// ## Repair
    /// Both stay, the second under an id derived from what it says. Where all ids
    /// that two files share recur in another period this is their habit, whatever
    /// the stamps say; one or two such pairs are on the sheet of `--review`.
    UidsReused, "U08", "ids-used-again", RuleGroup::Identity, "ids given to other events in another export"
}

/// Combining settles it: see [`crate::merge`].
impl Rule for UidsReused {}
