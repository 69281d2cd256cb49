//! `R02 until-and-count`: a rule that ends in two ways.

use std::cmp::Ordering;

use super::describe::declare_rule;
use super::series_edit::SeriesEdit;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};
use emvo_ical::recurrence::{Rule as RecurrenceRule, last_of, last_start};

declare_rule! {
    /// ## What it finds
    /// A rule with both `UNTIL` and `COUNT`.
    ///
    /// ## Why it matters
    /// RFC 5545 forbids it. Some systems go by the one, some by the other, some
    /// refuse the event.
    ///
    /// ## Example
    /// `RRULE:FREQ=WEEKLY;COUNT=10;UNTIL=20260309T080000Z` from 5 January on: ten
    /// times is until 9 March, which agrees.
    ///
    /// ## Repair
    /// Only `UNTIL` stays where both end at the same date: safe. Otherwise, with
    /// consent, the one that ends earlier.
    UntilAndCount, "R02", "until-and-count", RuleGroup::Recurrence, "a rule that ends in two ways"
}

impl Rule for UntilAndCount {
    fn needs(&self) -> Traits {
        Traits::UNTIL
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(master) = subject.series.master() else { return };
        for text in master.rules() {
            let Ok(rule) = RecurrenceRule::parse(&text) else { continue };
            if rule.until.is_none() || rule.count.is_none() {
                continue;
            }
            let (mut by_until, mut by_count) = (rule.clone(), rule.clone());
            by_until.count = None;
            by_count.until = None;
            let start = master.start();
            let end = super::series_edit::moment_of(last_of(&rule, start, context.zones)).unwrap_or(i64::MAX);
            let until = last_start(&by_until, start.clock(), end);
            let count = last_start(&by_count, start.clock(), i64::MAX);
            let (new, safety, message) = match until.cmp(&count) {
                Ordering::Equal => {
                    (by_until, Safety::Safe, "has both UNTIL and COUNT, which end at the same date")
                }
                Ordering::Less => (by_until, Safety::Consent, "has both UNTIL and COUNT; UNTIL ends earlier"),
                Ordering::Greater => {
                    (by_count, Safety::Consent, "has both UNTIL and COUNT; COUNT ends earlier")
                }
            };
            let edit = SeriesEdit::Rule { to: new.text_like(&text), from: text.into_owned() };
            found.offer(self, subject, message.to_owned(), safety, Edit::Series(edit));
        }
    }
}
