//! `R03 rule-invalid`: a rule that RFC 5545 does not allow.

use super::describe::declare_rule;
use super::series_edit::SeriesEdit;
use super::{Context, Edit, Findings, Level, Rule, RuleGroup, Safety, Subject, Traits};
use emvo_ical::recurrence::{Rule as RecurrenceRule, is_unsupported, recover_rule, rule_in_words};

declare_rule! {
    /// ## What it finds
    /// A rule with a value out of range, or with a part that its frequency does
    /// not allow.
    ///
    /// ## Why it matters
    /// Systems refuse such a rule or guess, each in its own way. As long as it
    /// cannot be read, its dates are in no count of occurrences.
    ///
    /// ## Example
    /// `RRULE:FREQ=WEEKLY;BYDAY=2TU`: the second Tuesday of a week.
    ///
    /// ## Repair
    /// Safe where the fault has no effect on any date. Else, with consent, the
    /// reading that the finding states. Where there is none, as without a
    /// frequency, a person has to write the rule.
    RuleInvalid, "R03", "rule-invalid", RuleGroup::Recurrence, "a rule that the standard does not allow"
}

impl Rule for RuleInvalid {
    fn needs(&self) -> Traits {
        Traits::REPEATS
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(master) = subject.series.master() else { return };
        for text in master.rules() {
            let Err(error) = RecurrenceRule::parse(&text) else { continue };
            if is_unsupported(&error) {
                continue;
            }
            let Some(probable) = recover_rule(&text) else {
                let message = format!("its rule `{text}` cannot be read: {error}; its dates are in no count");
                found.show(self, Level::Error, subject, message);
                continue;
            };
            let to = probable.rule.text_like(&text);
            let words = rule_in_words(&to, master.start(), context.zones);
            let message =
                format!("its rule `{text}` is no valid one: {}; read as: {words}", probable.steps.join("; "));
            let safety = if probable.is_certain { Safety::Safe } else { Safety::Consent };
            let edit = SeriesEdit::Rule { from: text.into_owned(), to };
            found.offer(self, subject, message, safety, Edit::Series(edit));
        }
    }
}
