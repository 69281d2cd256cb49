//! `T08 private-in-shared`: a private event in an export.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};
use emvo_ical::calendar::{Classification, Event};

declare_rule! {
    /// ## What it finds
    /// An event that is private or confidential.
    ///
    /// ## Why it matters
    /// In a shared calendar everybody may see it: not every importer keeps the
    /// mark.
    ///
    /// ## Example
    /// `CLASS:PRIVATE`.
    ///
    /// ## Repair
    /// None needed: `pick --private omit` or `mask` makes a copy without it.
    PrivateInShared, "T08", "private-in-shared", RuleGroup::Text, "a private event in an export"
}

impl Rule for PrivateInShared {
    fn needs(&self) -> Traits {
        Traits::CLASS
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        let class = subject.series.events().map(Event::classification).max();
        if class.is_some_and(|class| class > Classification::Public) {
            let message = "is private or confidential; not every importer keeps that".to_owned();
            found.show(self, Level::Note, subject, message);
        }
    }
}
