//! `U03 duplicate`: the same event under another id.

use super::describe::declare_rule;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Scope, Subject};

declare_rule! {
    /// ## What it finds
    /// Two events with different ids that share title, start, end and dates, where
    /// no field contradicts.
    ///
    /// ## Why it matters
    /// Everybody sees it twice; a change to one leaves the other.
    ///
    /// ## Example
    /// A crossing in the calendars of both operators.
    ///
    /// ## Repair
    /// With consent they become one, with all that either of them says. `merge`
    /// does it as it combines; what the one that stays may not take over is in
    /// `OUT.left-behind.csv`.
    Duplicate, "U03", "duplicate", RuleGroup::Identity, "the same event under another id"
}

impl Rule for Duplicate {
    fn scope(&self) -> Scope {
        Scope::Calendar
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        if let Some(first) = context.duplicate_before(subject.index) {
            let message = match first {
                // Events of a table have no line.
                0 => "is there twice: the same as a row before it".to_owned(),
                line => format!("is there twice: the same as the event in line {line}"),
            };
            found.offer(self, subject, message, Safety::Consent, Edit::Fold);
        }
    }
}
