//! `D02 all-day-end`: an all-day event that ends on its last day.

use super::context::AllDayHabit;
use super::describe::declare_rule;
use super::event_edit::{EventEdit, has_no_day};
use super::r18_until_short::HABIT;
use super::source::{SourceFacts, report_notes};
use super::{Context, Edit, Findings, Level, Rule, RuleGroup, Safety, Subject, Traits};
use crate::table::NoteKind;
use emvo_ical::calendar::Extent;

declare_rule! {
    /// ## What it finds
    /// An all-day event whose end is its start, or is written as its last day. The
    /// standard wants the day after.
    ///
    /// ## Why it matters
    /// It is shown a day too short, or not at all.
    ///
    /// ## Example
    /// `DTSTART;VALUE=DATE:20261005` with `DTEND;VALUE=DATE:20261005`.
    ///
    /// ## Repair
    /// An event of no length becomes one day: safe, unless it speaks for longer
    /// ones. Where all one-day events of the file end on their own day, its longer
    /// ones end on their last day, too: that is one habit, and all of them get the
    /// day after together, with consent. In a table an end at midnight on a later day
    /// is taken by the letter, unless other rows show that it names the last day;
    /// `--all-day-end` says which is meant.
    AllDayEnd, "D02", "all-day-end", RuleGroup::Dates, "an all-day event that ends on its last day"
}

impl Rule for AllDayEnd {
    fn needs(&self) -> Traits {
        Traits::SPAN
    }

    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        report_notes(self, NoteKind::AllDayEnds, Level::Warning, Safety::ShowOnly, facts, found);
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(event) = subject.series.events().find(|event| event.is_all_day()) else { return };
        let AllDayHabit { on_own_day, on_next_day, later } = context.all_day_habit();
        let is_habit = on_own_day >= HABIT && on_next_day == 0;
        if has_no_day(event) {
            let message =
                format!("lasts whole days, but ends on {}, the day it starts: no time at all", event.start());
            // Without them nothing would say how the longer ones are meant.
            let safety = if is_habit && later > 0 { Safety::Consent } else { Safety::Safe };
            found.offer(self, subject, message, safety, Edit::Event(EventEdit::OneDay));
            return;
        }
        if is_habit && matches!(event.extent(), Extent::End(_)) {
            let message = format!(
                "ends on {}, which is its last day, as in all {on_own_day} one-day events of the file: a day is lost",
                event.end()
            );
            found.offer(self, subject, message, Safety::Consent, Edit::Event(EventEdit::EndAfterLastDay));
        }
    }
}
