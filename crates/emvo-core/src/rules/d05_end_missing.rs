//! `D05 end-missing`: a timed event without an end.

use super::describe::declare_rule;
use super::event_edit::{EventEdit, lacks_end};
use super::{Context, Edit, Findings, Level, Rule, RuleGroup, Safety, Subject};

declare_rule! {
    /// ## What it finds
    /// A timed event with neither an end nor a length.
    ///
    /// ## Why it matters
    /// It takes no time at all; some systems give it an hour, others half of one.
    ///
    /// ## Example
    /// `DTSTART:20261005T080000` alone.
    ///
    /// ## Repair
    /// None by itself: it may mean a moment, such as a departure. `repair --length
    /// 1h --consent D05` gives such events a length.
    EndMissing, "D05", "end-missing", RuleGroup::Dates, "a timed event without an end"
}

impl Rule for EndMissing {
    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        if !subject.series.events().any(lacks_end) {
            return;
        }
        match context.options.length {
            None => {
                let message = "has neither an end nor a length; systems give it one of their own".to_owned();
                found.show(self, Level::Note, subject, message);
            }
            Some(length) => {
                let message = format!("has neither an end nor a length; {length} as was said");
                let edit = Edit::Event(EventEdit::Length(length));
                found.push(self, Level::Note, subject, message, Safety::Consent, Some(edit));
            }
        }
    }
}
