//! `R09 rules-several`: more than one rule in a series.

use super::describe::declare_rule;
use super::series_edit::SeriesEdit;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};
use emvo_ical::recurrence::rule_in_words;

declare_rule! {
    /// ## What it finds
    /// A series with more than one `RRULE`.
    ///
    /// ## Why it matters
    /// RFC 5545 advises against it, and most systems follow only the first or the
    /// last of them: the dates of the others are lost.
    ///
    /// ## Example
    /// One rule for Mondays in even weeks and one for Thursdays in odd ones.
    ///
    /// ## Repair
    /// With consent one rule stays and the dates of the others become further
    /// dates (`RDATE`). A second rule without an end becomes a series of its own.
    RulesSeveral, "R09", "rules-several", RuleGroup::Recurrence, "more than one rule in a series"
}

impl Rule for RulesSeveral {
    fn needs(&self) -> Traits {
        Traits::REPEATS
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(master) = subject.series.master() else { return };
        if master.rules().count() > 1 {
            let words: Vec<String> =
                master.rules().map(|rule| rule_in_words(&rule, master.start(), context.zones)).collect();
            let message = format!("has {} rules: {}", words.len(), words.join("; and "));
            found.offer(self, subject, message, Safety::Consent, Edit::Series(SeriesEdit::OneRule));
        }
    }
}
