//! `R04 start-off-rule`: a start that its own rule does not pick.

use super::context::StartAs;
use super::describe::declare_rule;
use super::series_edit::SeriesEdit;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};
use emvo_ical::day::{clock_at, clock_seconds};
use emvo_ical::recurrence::{Last, Starts, is_start_of, on_clock_of, rule_in_words};

declare_rule! {
    /// ## What it finds
    /// A series whose start is no date of its own rule.
    ///
    /// ## Why it matters
    /// RFC 5545 counts the start as the first date all the same; other systems
    /// leave it out. Between two of them a date appears or is lost, and a rule
    /// that counts ends elsewhere.
    ///
    /// ## Example
    /// A start on Monday with `RRULE:FREQ=WEEKLY;BYDAY=TU;COUNT=10`.
    ///
    /// ## Repair
    /// With consent. By default, and with `--start-as extra`, the start becomes a
    /// further date (`RDATE`) beside the rule, and a count becomes an end: every
    /// system then sees the dates that RFC 5545 means. With `--start-as move` the
    /// series starts at the first date of its rule.
    StartOffRule, "R04", "start-off-rule", RuleGroup::Recurrence, "a start that its own rule does not pick"
}

impl Rule for StartOffRule {
    fn needs(&self) -> Traits {
        Traits::REPEATS
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(master) = subject.series.master() else { return };
        let Some(recurrence) = &subject.recurrence else { return };
        let rules: Vec<_> = recurrence.rules().collect();
        let (start, [rule]) = (master.start(), rules.as_slice()) else { return };
        if is_start_of(rule, start.clock()) {
            return;
        }
        let own = clock_seconds(start.clock());
        let is_own =
            |date: &emvo_ical::calendar::EventTime| on_clock_of(date, start, context.zones) == Some(own);
        let is_told_apart = ["RDATE", "EXDATE"].iter().any(|name| master.dates(name).iter().any(is_own));
        if is_told_apart && rule.count.is_none() {
            return;
        }
        let mut open = (*rule).clone();
        (open.until, open.count) = (None, None);
        let first = Starts::new(&open, start.clock(), Last::Open).nth(1).and_then(clock_at);
        let Some(first) = first.map(|clock| start.at_clock(clock)) else { return };
        let words = rule_in_words(&rule.to_string(), start, context.zones);
        let message = format!(
            "starts {start}, which is no date of its rule ({words}): systems differ on whether it counts; \
             the rule's first date is {first}"
        );
        let edit = match context.options.start_as {
            StartAs::Extra => SeriesEdit::StartIsExtra,
            StartAs::Move => SeriesEdit::StartMoves(first),
        };
        found.offer(self, subject, message, Safety::Consent, Edit::Series(edit));
    }
}
