//! `D13 time-malformed`: a time in another form than RFC 5545's.

use super::describe::declare_rule;
use super::event_edit::EventEdit;
use super::source::{Place, SourceFacts};
use super::{
    Context, Described, Edit, Findings, Level, Rule, RuleChoice, RuleGroup, Safety, Subject, Traits,
};
use crate::edit::Change;
use emvo_ical::calendar::{Calendar, Certainty, Event, EventError, Series, TimeError, lenient_times};

declare_rule! {
    /// ## What it finds
    /// Times with dashes and colons, with an offset behind them, without seconds;
    /// eight digits that do not say they are a date; a date with a zone; whole
    /// days that last 24 hours; a zone beside a `Z`.
    ///
    /// ## Why it matters
    /// Strict importers refuse the event; others read something else.
    ///
    /// ## Example
    /// `DTSTART:2026-03-02T08:00:00+02:00` is `DTSTART:20260302T060000Z`.
    ///
    /// ## Repair
    /// Safe where the form can mean one thing only. A zone beside a `Z` needs
    /// consent: the time is taken as UTC. What cannot be read at all is set aside
    /// by anything that writes.
    TimeMalformed, "D13", "time-malformed", RuleGroup::Dates, "a time in another form than the standard's"
}

impl Rule for TimeMalformed {
    fn needs(&self) -> Traits {
        Traits::FORM
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        // Nothing that was made here is in a wrong form.
        if subject.series.lead().line() == 0 {
            return;
        }
        let Some(lenient) = subject.series.events().find_map(|event| lenient_times(event.component())) else {
            return;
        };
        let message = format!("`{}` stands for `{}`", lenient.before, lenient.after);
        let (safety, message) = match lenient.certainty {
            Certainty::Certain => (Safety::Safe, message),
            Certainty::ZoneAndUtc => {
                (Safety::Consent, format!("{message}, if the Z counts and the zone beside it does not"))
            }
            Certainty::HoursOfDays => (
                Safety::Consent,
                format!("{message}: whole days have no hours, so those that are begun count"),
            ),
        };
        found.offer(self, subject, message, safety, Edit::Event(EventEdit::RewriteTimes));
    }

    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        for event in &facts.unsound {
            if !is_malformed(&event.error) {
                continue;
            }
            let title = event.component.text("SUMMARY").unwrap_or_default();
            let place = Place::line(event.component.line());
            let lenient =
                lenient_times(&event.component).filter(|lenient| lenient.certainty == Certainty::Certain);
            if let Some(lenient) = lenient {
                let message = format!("`{}` stands for `{}`", lenient.before, lenient.after);
                found.in_file(self.id(), Level::Warning, place, &title, message, Safety::Safe);
            } else {
                let message = event.error.to_string();
                found.in_file(self.id(), Level::Error, place, &title, message, Safety::ShowOnly);
            }
        }
    }
}

fn is_malformed(error: &EventError) -> bool {
    matches!(error, EventError::Time { error: TimeError::Malformed { .. }, .. } | EventError::Length { .. })
}

/// What became of events that could not be placed in time.
#[derive(Debug, Default)]
pub struct Placed {
    /// The repairs, before → after.
    pub changes: Vec<Change>,
    /// Overrides that joined their series.
    pub folded: usize,
}

/// Puts the times of events that could not be read into form, where they can
/// mean one thing only; the events join the calendar.
pub fn place_unsound(calendar: &mut Calendar<'_>, rules: &RuleChoice) -> Placed {
    let mut placed = Placed::default();
    if !rules.takes(TimeMalformed.id()) {
        return placed;
    }
    for unsound in std::mem::take(&mut calendar.unsound) {
        let readable = Some(&unsound).filter(|unsound| is_malformed(&unsound.error));
        let lenient = readable.and_then(|unsound| lenient_times(&unsound.component));
        let Some(lenient) = lenient.filter(|lenient| lenient.certainty == Certainty::Certain) else {
            calendar.unsound.push(unsound);
            continue;
        };
        let rank = calendar.events().map(Event::rank).max().map_or(1, |rank| rank + 1);
        let Ok(event) = Event::read(lenient.component, rank) else {
            calendar.unsound.push(unsound);
            continue;
        };
        let rule = Some(TimeMalformed.id().as_str());
        placed.changes.push(Change::to_event(rule, &event, lenient.before, lenient.after));
        placed.folded += join(calendar, event);
    }
    placed
}

/// Adds an event to its calendar; 1 if it became part of a series there.
fn join<'a>(calendar: &mut Calendar<'a>, event: Event<'a>) -> usize {
    let uid = event.uid();
    let home = calendar.series.iter_mut().find(|series| {
        event.replaces().is_some() && uid.is_some() && series.uid() == uid && series.repeats()
    });
    if let Some(series) = home {
        series.add_override(event);
        1
    } else {
        calendar.series.push(Series::of(event));
        0
    }
}
