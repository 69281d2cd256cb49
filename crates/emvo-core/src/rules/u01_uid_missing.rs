//! `U01 uid-missing`: an event without an id.

use super::describe::declare_rule;
use super::event_edit::EventEdit;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};

declare_rule! {
    /// ## What it finds
    /// An event without a `UID`.
    ///
    /// ## Why it matters
    /// Importers give it one of their own, another each time: imported twice, it
    /// stands there twice.
    ///
    /// ## Example
    /// A `VEVENT` from a home-made export.
    ///
    /// ## Repair
    /// Safe: it gets an id derived from its title, start, end and rule, the same on
    /// every run.
    UidMissing, "U01", "uid-missing", RuleGroup::Identity, "an event without an id"
}

impl Rule for UidMissing {
    fn needs(&self) -> Traits {
        Traits::ID
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        if subject.series.uid().is_none()
            && let Some(uid) = context.derived_uid_at(subject.index)
        {
            let message = "has no id; imported twice it would stand there twice".to_owned();
            found.offer(self, subject, message, Safety::Safe, Edit::Event(EventEdit::GiveUid(uid)));
        }
    }
}
