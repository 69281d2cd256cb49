//! `F09 attachments`: attachments that are not accepted.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};
use crate::fit::Acceptance;

declare_rule! {
    /// ## What it finds
    /// An event with attachments, where the destination takes none.
    ///
    /// ## Why it matters
    /// The destination refuses it, or changes it on its own.
    ///
    /// ## Example
    /// `attachments = false`.
    ///
    /// ## Repair
    /// Made to fit by `merge` and `convert` with `--limits`. By hand: `merge
    /// --attachments drop` or `pick --attachments drop` leaves them out.
    AttachmentsNotAccepted, "F09", "attachments", RuleGroup::Fit, "attachments that are not accepted"
}

impl Rule for AttachmentsNotAccepted {
    fn needs(&self) -> Traits {
        Traits::DESTINATION
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(limits) = &context.options.limits else { return };
        let has_any = subject.series.events().any(|event| event.component().property("ATTACH").is_some());
        if limits.attachments == Acceptance::Refused && has_any {
            found.show(self, Level::Warning, subject, "has attachments, which are not accepted".to_owned());
        }
    }
}
