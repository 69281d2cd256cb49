//! `U02 uid-twice`: one id for two events.

use super::describe::declare_rule;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Scope, Subject};

declare_rule! {
    /// ## What it finds
    /// Two events under one id in the same file, neither of which is an override.
    ///
    /// ## Why it matters
    /// An importer takes the second for a change of the first: one of them is lost.
    ///
    /// ## Example
    /// A series exported date by date under one id.
    ///
    /// ## Repair
    /// Safe: copies become one, of versions the newest stays, and different events
    /// get ids of their own. A version needs evidence: the same title or start, and
    /// a higher `SEQUENCE` or a later stamp. What an older one said more is in
    /// `OUT.left-behind.csv`. `merge` and `convert` do the same.
    UidTwice, "U02", "uid-twice", RuleGroup::Identity, "one id for two events"
}

impl Rule for UidTwice {
    fn scope(&self) -> Scope {
        Scope::Calendar
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        if let Some(first) = context.same_uid_before(subject.index) {
            let message = format!("has the id of `{first}`");
            found.offer(self, subject, message, Safety::Safe, Edit::Fold);
        }
    }
}
