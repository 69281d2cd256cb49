//! `C03 date-serial`: spreadsheet numbers that are dates.

use super::describe::declare_rule;
use super::source::{SourceFacts, report_notes};
use super::{Findings, Level, Rule, RuleGroup, Safety};
use crate::table::NoteKind;

declare_rule! {
    /// ## What it finds
    /// A column of dates that holds spreadsheet numbers: days since 1900, or since
    /// 1904; or a number among other dates.
    ///
    /// ## Why it matters
    /// Nobody sees a date in `46266`, and other readers see a number.
    ///
    /// ## Example
    /// `46266.395833` for 1 September 2026, 09:30.
    ///
    /// ## Repair
    /// The whole column is read as dates: safe, and listed. A file that counts from
    /// 1904 is four years off otherwise; `serial_epoch = 1904` in a columns file
    /// says so. A number among other dates is read as one if it is within a year of
    /// them; where a spreadsheet has most likely turned day and month round in the
    /// numbers, their rows are set aside.
    DateSerial, "C03", "date-serial", RuleGroup::Tables, "spreadsheet numbers that are dates"
}

impl Rule for DateSerial {
    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        report_notes(self, NoteKind::SerialDates, Level::Warning, Safety::Safe, facts, found);
    }
}
