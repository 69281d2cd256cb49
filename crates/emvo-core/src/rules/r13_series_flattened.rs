//! `R13 series-flattened`: single events that are one series taken apart.

use super::describe::declare_rule;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Scope, Subject};
use emvo_ical::recurrence::rule_in_words;

declare_rule! {
    /// ## What it finds
    /// Single events that are alike in all but their date, where the dates follow
    /// a rule.
    ///
    /// ## Why it matters
    /// A system without series has taken one apart. In the destination nobody can
    /// change it as one, and a hundred events stand where one would do.
    ///
    /// ## Example
    /// Forty events `Drill` on Fridays from 10:00 to 11:00, each by itself.
    ///
    /// ## Repair
    /// With consent, or by `convert --roll`, they become one series with the
    /// shortest rule that has exactly these dates; weeks left out become
    /// exceptions. No date is invented.
    SeriesFlattened, "R13", "series-flattened", RuleGroup::Recurrence, "single events that are one series taken apart"
}

impl Rule for SeriesFlattened {
    fn scope(&self) -> Scope {
        Scope::Calendar
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        if subject.series.repeats() {
            return;
        }
        let Some(rolled) = context.rolled_at(subject.index) else { return };
        let rule = rule_in_words(&rolled.rule.to_string(), subject.series.lead().start(), context.zones);
        let gaps = match rolled.exceptions.len() {
            0 => String::new(),
            1 => ", but for one date".to_owned(),
            many => format!(", but for {many} dates"),
        };
        let message = format!("{} single events are one series: {rule}{gaps}", rolled.members.len());
        found.offer(self, subject, message, Safety::Consent, Edit::Roll(rolled.clone()));
    }
}
