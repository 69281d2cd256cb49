//! `U04 look-alike`: probably the same event.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Scope, Subject};

declare_rule! {
    /// ## What it finds
    /// Two events of a title on a day, one of which is all-day or is marked as a
    /// copy.
    ///
    /// ## Why it matters
    /// They may be one event that was entered twice.
    ///
    /// ## Example
    /// `Inspection` and `Copy of Inspection` at the same hour.
    ///
    /// ## Repair
    /// None: a person has to say. `merge --review pairs.html` shows such pairs on a
    /// page, side by side.
    LookAlike, "U04", "look-alike", RuleGroup::Identity, "probably the same event"
}

impl Rule for LookAlike {
    fn scope(&self) -> Scope {
        Scope::Calendar
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        if let Some((title, reason)) = context.look_alike_before(subject.index) {
            let message = format!("looks like `{title}` that day: {reason}");
            found.show(self, Level::Warning, subject, message);
        }
    }
}
