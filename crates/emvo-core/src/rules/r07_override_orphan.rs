//! `R07 override-orphan`: an override of a date that no series has.

use super::describe::declare_rule;
use super::series_edit::SeriesEdit;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};
use emvo_ical::calendar::EventTime;
use emvo_ical::day::{SECONDS_A_DAY, clock_at, clock_seconds};
use emvo_ical::recurrence::on_clock_of;
use emvo_ical::zone::ZoneResolver;

declare_rule! {
    /// ## What it finds
    /// An override (`RECURRENCE-ID`) whose series is not in the file, or for a
    /// date that its series does not have.
    ///
    /// ## Why it matters
    /// Many systems drop it without a word; others show it beside the date that
    /// it was to replace.
    ///
    /// ## Example
    /// `RECURRENCE-ID:20260119T070000Z` in a series at 08:00 Helsinki time, which
    /// is 06:00 in UTC.
    ///
    /// ## Repair
    /// With consent. Where only the time of day differs, it is tied to that day's
    /// date; else it becomes a single event with an id derived from its series.
    OverrideOrphan, "R07", "override-orphan", RuleGroup::Recurrence, "an override of a date that no series has"
}

impl Rule for OverrideOrphan {
    fn needs(&self) -> Traits {
        Traits::OVERRIDES
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let series = subject.series;
        let overrides = series.overrides();
        if overrides.is_empty() {
            return;
        }
        if series.master().is_none() {
            let all: Vec<usize> = (0..overrides.len()).collect();
            let slots: Vec<String> =
                overrides.iter().filter_map(|event| event.replaces().map(EventTime::to_string)).collect();
            let message = format!("replaces {} of a series that is not in this file", slots.join(", "));
            found.offer(self, subject, message, Safety::Consent, Edit::Series(SeriesEdit::Detach(all)));
            return;
        }
        let orphans = orphans_of(subject, context.zones);
        let (tied, alone): (Vec<_>, Vec<_>) =
            orphans.into_iter().partition(|orphan| orphan.days_date.is_some());
        let of = |orphans: &[Orphan]| {
            orphans.iter().map(|orphan| orphan.slot.to_string()).collect::<Vec<_>>().join(", ")
        };
        if !tied.is_empty() {
            let message = format!("replaces {}, where the series has another time that day", of(&tied));
            let pairs = tied.into_iter().filter_map(|orphan| Some((orphan.number, orphan.days_date?)));
            let edit = Edit::Series(SeriesEdit::Tie(pairs.collect()));
            found.offer(self, subject, message, Safety::Consent, edit);
        } else if !alone.is_empty() {
            let message = format!("replaces {}, which the series does not have", of(&alone));
            let numbers = alone.into_iter().map(|orphan| orphan.number).collect();
            let edit = Edit::Series(SeriesEdit::Detach(numbers));
            found.offer(self, subject, message, Safety::Consent, edit);
        }
    }
}

struct Orphan {
    number: usize,
    slot: EventTime,
    /// The one date of the series on that day that nothing else replaces.
    days_date: Option<EventTime>,
}

fn orphans_of(subject: &Subject<'_, '_>, zones: &ZoneResolver) -> Vec<Orphan> {
    let series = subject.series;
    let Some(master) = series.master() else { return Vec::new() };
    let start = master.start();
    let on_clock = |time: &EventTime| on_clock_of(time, start, zones);
    let taken: Vec<i64> = series.overrides().iter().filter_map(|event| on_clock(event.replaces()?)).collect();
    let excluded: Vec<i64> = master.dates("EXDATE").iter().filter_map(on_clock).collect();
    let mut orphans = Vec::new();
    for (number, event) in series.overrides().iter().enumerate() {
        let Some(slot) = event.replaces() else { continue };
        let moment = on_clock(slot);
        let own = moment.unwrap_or_else(|| clock_seconds(slot.clock()));
        let Some(recurrence) = &subject.recurrence else {
            // A single event with an override: only its own date can be meant.
            if moment != Some(clock_seconds(start.clock())) {
                orphans.push(Orphan { number, slot: slot.clone(), days_date: None });
            }
            continue;
        };
        if !recurrence.unreadable().is_empty() || moment.is_some_and(|moment| recurrence.has(moment)) {
            continue;
        }
        let day = own.div_euclid(SECONDS_A_DAY) * SECONDS_A_DAY;
        let that_day: Vec<i64> = recurrence
            .slots(day, day + SECONDS_A_DAY - 1)
            .filter(|slot| !taken.contains(slot) && !excluded.contains(slot))
            .take(2)
            .collect();
        let days_date = match that_day.as_slice() {
            [one] => clock_at(*one).map(|clock| start.at_clock(clock)),
            _ => None,
        };
        orphans.push(Orphan { number, slot: slot.clone(), days_date });
    }
    orphans
}
