//! `C11 weekday-contradicts`: a weekday beside a date that is another day.

use super::describe::declare_rule;
use super::source::{SourceFacts, report_notes};
use super::{Context, Findings, Level, Rule, RuleGroup, Safety, Subject};
use crate::table::{NoteKind, weekdays_named};
use emvo_ical::recurrence::Frequency;

declare_rule! {
    /// ## What it finds
    /// A row with a weekday in front of its date, or in a column of weekdays, that is
    /// not the weekday of the date; an event whose title names one weekday in full, and
    /// that takes place on another.
    ///
    /// ## Why it matters
    /// One of the two is wrong: often the rows of last year were copied, and the dates
    /// were changed and the weekdays not, or the other way round.
    ///
    /// ## Example
    /// `Tue 7.9.2026`, which is a Monday.
    ///
    /// ## Repair
    /// None: the date is taken as it stands. Look at the row, and ask whoever wrote it.
    WeekdayContradicts, "C11", "weekday-contradicts", RuleGroup::Tables, "a weekday beside a date that is another day"
}

impl Rule for WeekdayContradicts {
    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        let lead = subject.series.lead();
        let Some(title) = lead.title() else { return };
        let named = weekdays_named(&title);
        let [(word, day)] = named.as_slice() else { return };
        // A series may name one of several days, or move from one to another.
        let is_one_day = subject.recurrence.as_ref().is_none_or(|recurrence| {
            recurrence.rules().all(|rule| rule.frequency == Frequency::Weekly && rule.by_day.len() < 2)
        });
        let ends_on_it = !lead.is_all_day() && lead.end().date().weekday() == *day;
        if is_one_day && !ends_on_it && lead.start().date().weekday() != *day {
            let start = lead.start();
            let message =
                format!("`{word}` stands in the title, and {start} is {}", start.date().strftime("a %A"));
            found.show(self, Level::Note, subject, message);
        }
    }

    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        report_notes(self, NoteKind::WeekdayContradicts, Level::Warning, Safety::ShowOnly, facts, found);
    }
}
