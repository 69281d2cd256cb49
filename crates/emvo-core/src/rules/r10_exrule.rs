//! `R10 exrule`: a rule of exceptions, which the standard has given up.

use super::describe::declare_rule;
use super::series_edit::SeriesEdit;
use super::{Context, Edit, Findings, Level, Rule, RuleGroup, Safety, Subject, Traits};
use crate::advice::{Advice, Advised};
use crate::split::end_of_rule;
use emvo_ical::recurrence::{Rule as RecurrenceRule, rule_in_words};

declare_rule! {
    /// ## What it finds
    /// An `EXRULE`: a rule that says which dates are left out.
    ///
    /// ## Why it matters
    /// RFC 5545 dropped it, and most systems ignore it: the dates that it takes
    /// out come back.
    ///
    /// ## Example
    /// Every day, with `EXRULE:FREQ=WEEKLY;BYDAY=SU`.
    ///
    /// ## Repair
    /// Its dates are written out as exceptions (`EXDATE`): safe where the series
    /// ends. Where both go on for ever that cannot be done for all of them: with
    /// consent, and a `--horizon DATE`, the series ends on that day. Where more than
    /// 2,000 exceptions would have to be written out, it stays as it is.
    Exrule, "R10", "exrule", RuleGroup::Recurrence, "a rule of exceptions, which many systems ignore"
}

impl Rule for Exrule {
    fn needs(&self) -> Traits {
        Traits::FURTHER_DATES
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(master) = subject.series.master() else { return };
        let Some(recurrence) = &subject.recurrence else { return };
        let rules: Vec<_> = master.component().properties_named("EXRULE").collect();
        let [line, ..] = rules.as_slice() else { return };
        // Without its own dates nobody can say which of them are left out (R03).
        if !recurrence.unreadable().is_empty() {
            return;
        }
        let words = rule_in_words(&line.value(), master.start(), context.zones);
        let parsed: Result<Vec<RecurrenceRule>, _> =
            rules.iter().map(|line| RecurrenceRule::parse(&line.value())).collect();
        let Ok(parsed) = parsed else {
            found.show(self, Level::Error, subject, format!("its EXRULE `{words}` cannot be read"));
            return;
        };
        let message = format!("leaves out, by a rule of exceptions: {words}");
        if !recurrence.is_endless() || !parsed.iter().any(RecurrenceRule::is_endless) {
            let edit = Edit::Series(SeriesEdit::ListExceptions(None));
            found.offer(self, subject, message, Safety::Safe, edit);
            return;
        }
        let Some(horizon) = context.options.horizon else {
            let message = Advised::with(format!("{message}; it never ends"), Advice::SayHorizon);
            found.show(self, Level::Warning, subject, message);
            return;
        };
        let last = master.start().at_clock(horizon.at(23, 59, 59, 0));
        let end = end_of_rule(&last, context.zones);
        let message = format!("{message}; written out, and the series ended, on {horizon}");
        let edit = Edit::Series(SeriesEdit::ListExceptions(Some(end)));
        found.offer(self, subject, message, Safety::Consent, edit);
    }
}
