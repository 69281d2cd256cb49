//! `D05 end-missing`: a timed event without a length.

use super::describe::declare_rule;
use super::event_edit::EventEdit;
use super::{Context, Edit, Findings, Level, Rule, RuleGroup, Safety, Subject, Traits};
use emvo_ical::calendar::Event;

declare_rule! {
    /// ## What it finds
    /// A timed event with neither an end nor a length, or one that ends when it starts.
    ///
    /// ## Why it matters
    /// It takes no time at all. Some systems give it an hour, others half of one, and
    /// some refuse it: the standard wants an end that is later than the start.
    ///
    /// ## Example
    /// `DTSTART:20261005T080000` alone.
    ///
    /// ## Repair
    /// None by itself: it may mean a moment, such as a departure. `repair --length
    /// 1h --consent D05` gives such events a length. Where a destination is known to
    /// refuse them, `length = "needed"` in its limits file says so (F11).
    EndMissing, "D05", "end-missing", RuleGroup::Dates, "a timed event without a length"
}

impl Rule for EndMissing {
    fn needs(&self) -> Traits {
        Traits::SPAN
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        if !subject.series.events().any(Event::lacks_length) {
            return;
        }
        let has_no_end = subject.series.events().any(Event::lacks_end);
        let fault = if has_no_end { "has neither an end nor a length" } else { "ends when it starts" };
        match context.options.length {
            None => {
                let message = format!("{fault}; systems give it a length of their own, or refuse it");
                found.show(self, Level::Note, subject, message);
            }
            Some(length) => {
                let message = format!("{fault}; {length} as was said");
                let edit = Edit::Event(EventEdit::Length(length));
                found.push(self, Level::Note, subject, message, Safety::Consent, Some(edit));
            }
        }
    }
}
