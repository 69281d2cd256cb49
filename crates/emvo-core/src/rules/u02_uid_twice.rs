//! `U02 uid-twice`: one id for two events.

use super::describe::declare_rule;
use super::{Context, Findings, Group, Level, Rule, Scope, Subject};

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
    /// `merge` and `convert` settle it: copies become one, of versions the newest
    /// stays, and different events get ids of their own.
    UidTwice, "U02", "uid-twice", Group::Identity, "one id for two events"
}

impl Rule for UidTwice {
    fn scope(&self) -> Scope {
        Scope::Calendar
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        if let Some(first) = context.same_uid_before(subject.index) {
            let message = format!("has the id of `{first}`; merge and convert settle which of them stays");
            found.show(self, Level::Warning, subject, message);
        }
    }
}
