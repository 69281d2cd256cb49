//! `R06 exception-empty`: an exception on a day without a date.

use super::describe::declare_rule;
use super::r05_exception_misses::report_empty;
use super::{Context, Findings, Rule, RuleGroup, Subject, Traits};

declare_rule! {
    /// ## What it finds
    /// An exception (`EXDATE`) on a day on which the series has no date.
    ///
    /// ## Why it matters
    /// It does no harm. It may be left over from an earlier rule, or tell that
    /// the rule has changed since.
    ///
    /// ## Example
    /// An exception on a Thursday in a series of Mondays.
    ///
    /// ## Repair
    /// None: it is left as it is.
    ExceptionEmpty, "R06", "exception-empty", RuleGroup::Recurrence, "an exception on a day without a date"
}

impl Rule for ExceptionEmpty {
    fn needs(&self) -> Traits {
        Traits::FURTHER_DATES
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        report_empty(self, subject, context.zones, found);
    }
}
