//! `R19 date-unreadable`: an exception or a further date that is none.

use super::describe::declare_rule;
use super::event_edit::EventEdit;
use super::{Context, Edit, Findings, Level, Rule, RuleGroup, Safety, Subject, Traits};
use emvo_ical::calendar::unreadable_dates;

declare_rule! {
    /// ## What it finds
    /// An exception (`EXDATE`) or a further date (`RDATE`) of a series that cannot be
    /// read as a date in any form.
    ///
    /// ## Why it matters
    /// Strict importers refuse the event or the file. The others leave the line out,
    /// and a date that was cancelled takes place.
    ///
    /// ## Example
    /// `EXDATE:today` in a daily series: which day was meant, the file does not say.
    ///
    /// ## Repair
    /// Consent: the value goes. The dates of the series stay as they are read now;
    /// find out which day was meant, and cancel it where the series is kept.
    DateUnreadable, "R19", "date-unreadable", RuleGroup::Recurrence, "an exception or a further date that is none"
}

impl Rule for DateUnreadable {
    fn needs(&self) -> Traits {
        Traits::FURTHER_DATES
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        for (name, effect) in [("EXDATE", "it excludes nothing"), ("RDATE", "it adds nothing")] {
            let lines = subject.series.events().flat_map(|event| event.component().properties_named(name));
            let Some(value) = lines.flat_map(unreadable_dates).next() else { continue };
            let message = format!("`{name}:{value}` is no date, so {effect}");
            let edit = Some(Edit::Event(EventEdit::DropUnreadable(name)));
            found.push(self, Level::Error, subject, message, Safety::Consent, edit);
        }
    }
}
