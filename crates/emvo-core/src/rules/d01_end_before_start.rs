//! `D01 end-before-start`: an event that ends before it starts.

use super::describe::declare_rule;
use super::event_edit::{EventEdit, ends_before_start};
use super::{Context, Edit, Findings, Level, Rule, RuleGroup, Safety, Subject, Traits};
use emvo_ical::day::{SECONDS_A_DAY, clock_seconds};

declare_rule! {
    /// ## What it finds
    /// An event whose end comes before its start.
    ///
    /// ## Why it matters
    /// Some systems refuse the whole import; others show the event at the wrong
    /// hour, or not at all.
    ///
    /// ## Example
    /// A drill from 15:00 to 14:00 on the same day.
    ///
    /// ## Repair
    /// With consent: an evening event ends at the same clock time on the next day;
    /// otherwise start and end change places, if that makes no more than a day.
    /// Else a person has to decide.
    EndBeforeStart, "D01", "end-before-start", RuleGroup::Dates, "an event that ends before it starts"
}

impl Rule for EndBeforeStart {
    fn needs(&self) -> Traits {
        Traits::SPAN
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        let Some(event) = subject.series.events().find(|event| ends_before_start(event)) else { return };
        let (start, end) = (event.start().clock(), event.end().clock());
        let message = format!("ends at {}, before it starts at {}", event.end(), event.start());
        let is_evening = start.date() == end.date() && start.hour() >= 18 && end.hour() < 12;
        let gap = clock_seconds(start) - clock_seconds(end);
        let edit = if is_evening {
            Some(EventEdit::EndNextDay)
        } else {
            (gap <= SECONDS_A_DAY).then_some(EventEdit::SwapEnds)
        };
        let safety = if edit.is_some() { Safety::Consent } else { Safety::ShowOnly };
        found.push(self, Level::Error, subject, message, safety, edit.map(Edit::Event));
    }
}
