//! `R05 exception-misses`: an exception that hits nothing on a day with a date.

use super::describe::declare_rule;
use super::series_edit::SeriesEdit;
use super::{Context, Edit, Findings, Level, Rule, RuleGroup, Safety, Subject, Traits};
use emvo_ical::calendar::{EventTime, ZoneRef};
use emvo_ical::day::{SECONDS_A_DAY, clock_at, clock_seconds};
use emvo_ical::recurrence::Recurrence;
use emvo_ical::recurrence::on_clock_of;
use emvo_ical::zone::ZoneResolver;
use std::collections::BTreeSet;

declare_rule! {
    /// ## What it finds
    /// An exception (`EXDATE`) at which the series has no date, though it has one
    /// that day: it is a date where the series has times, or in the wrong zone.
    ///
    /// ## Why it matters
    /// It excludes nothing: the cancelled date comes back.
    ///
    /// ## Example
    /// `DTSTART;TZID=Europe/Helsinki:20260105T080000` weekly, with
    /// `EXDATE;VALUE=DATE:20260119`.
    ///
    /// ## Repair
    /// The exception is written as the date that it means. Safe where the day has
    /// one date; with consent where it has several, or where the day depends on
    /// the zone: a time in UTC within an hour of a midnight, there, on the clock of
    /// the series or in the house zone.
    ExceptionMisses, "R05", "exception-misses", RuleGroup::Recurrence, "an exception that hits nothing on a day with a date"
}

impl Rule for ExceptionMisses {
    fn needs(&self) -> Traits {
        Traits::FURTHER_DATES
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let misses = misses_of(subject, context.zones);
        let (mut pairs, mut safety, mut words) = (Vec::new(), Safety::Safe, Vec::new());
        for miss in misses {
            let Meant::Dates(dates, how) = miss.meant else { continue };
            safety = safety.min(how);
            let list: Vec<String> = dates.iter().map(EventTime::to_string).collect();
            words.push(format!("{} (that day it has {})", miss.date, list.join(", ")));
            pairs.push((miss.date, dates));
        }
        if !pairs.is_empty() {
            let message = format!("excludes nothing on {}", words.join(", "));
            found.offer(self, subject, message, safety, Edit::Series(SeriesEdit::Exceptions(pairs)));
        }
    }
}

/// An exception at which the series has no date.
pub(super) struct Miss {
    pub(super) date: EventTime,
    pub(super) meant: Meant,
}

/// What it may mean.
pub(super) enum Meant {
    Nothing,
    Dates(Vec<EventTime>, Safety),
}

/// All exceptions of a series that hit nothing.
pub(super) fn misses_of(subject: &Subject<'_, '_>, zones: &ZoneResolver) -> Vec<Miss> {
    let (Some(master), Some(recurrence)) = (subject.series.master(), &subject.recurrence) else {
        return Vec::new();
    };
    let dates = master.dates("EXDATE");
    if dates.is_empty() || !recurrence.unreadable().is_empty() {
        return Vec::new();
    }
    let on_clock = |time: &EventTime| on_clock_of(time, master.start(), zones);
    let overrides = subject.series.overrides().iter().filter_map(|event| on_clock(event.replaces()?));
    let taken: BTreeSet<i64> = dates.iter().filter_map(on_clock).chain(overrides).collect();
    let misses =
        dates.into_iter().filter(|date| !on_clock(date).is_some_and(|moment| recurrence.has(moment)));
    misses.map(|date| Miss { meant: meant_by(&date, recurrence, &taken, zones), date }).collect()
}

fn meant_by(date: &EventTime, recurrence: &Recurrence, taken: &BTreeSet<i64>, zones: &ZoneResolver) -> Meant {
    let start = recurrence.start();
    let on_day = |clock: i64| -> Vec<i64> {
        let day = clock.div_euclid(SECONDS_A_DAY) * SECONDS_A_DAY;
        let slots = recurrence.slots(day, day + SECONDS_A_DAY - 1);
        slots.filter(|slot| !taken.contains(slot)).take(50).collect()
    };
    let digits = clock_seconds(date.clock());
    let own = match date.zone() {
        ZoneRef::Utc => zones.zone_of(start.zone()).map(|zone| zone.transitions().clock_at(digits)),
        ZoneRef::Floating | ZoneRef::Named(_) => on_clock_of(date, start, zones),
    };
    let own = own.unwrap_or(digits);
    let is_open = *date.zone() == ZoneRef::Utc && is_near_midnight(date, start, own, zones)
        || own.div_euclid(SECONDS_A_DAY) != digits.div_euclid(SECONDS_A_DAY);
    let mut candidates = on_day(own);
    if candidates.is_empty() {
        candidates = on_day(digits);
    }
    // The digits of the start's clock, written under another zone.
    if !date.is_date() && candidates.contains(&digits) {
        candidates = vec![digits];
    }
    if candidates.len() > 1 && !date.is_date() {
        candidates.sort_by_key(|slot| (slot - own).abs());
        candidates.truncate(1);
        return dates_of(&candidates, start, Safety::Consent);
    }
    let safety = if candidates.len() > 1 || is_open { Safety::Consent } else { Safety::Safe };
    dates_of(&candidates, start, safety)
}

/// Whether a time in UTC may belong to another day than it says: it is a midnight, or
/// within an hour of one, in UTC, on the clock of the start or on that of the house.
/// Whole days that begin at 00:00 UTC say their day, unless the house says another.
fn is_near_midnight(date: &EventTime, start: &EventTime, own: i64, zones: &ZoneResolver) -> bool {
    const HOUR: i64 = 3600;
    let digits = clock_seconds(date.clock());
    let house = zones.floating_zone().map(|house| house.transitions().clock_at(digits));
    let day_of = |moment: i64| moment.div_euclid(SECONDS_A_DAY);
    if start.is_date() {
        let is_late = digits.rem_euclid(SECONDS_A_DAY) >= SECONDS_A_DAY - HOUR;
        return is_late || house.is_some_and(|house| day_of(house) != day_of(digits));
    }
    [Some(digits), Some(own), house].into_iter().flatten().any(|moment| {
        let into_day = moment.rem_euclid(SECONDS_A_DAY);
        into_day <= HOUR || into_day >= SECONDS_A_DAY - HOUR
    })
}

fn dates_of(slots: &[i64], start: &EventTime, safety: Safety) -> Meant {
    let dates: Vec<EventTime> =
        slots.iter().filter_map(|slot| clock_at(*slot)).map(|clock| start.at_clock(clock)).collect();
    if dates.is_empty() { Meant::Nothing } else { Meant::Dates(dates, safety) }
}

/// `R06 exception-empty` looks at the same misses.
pub(super) fn report_empty(
    rule: &dyn Rule,
    subject: &Subject<'_, '_>,
    zones: &ZoneResolver,
    found: &mut Findings,
) {
    let misses = misses_of(subject, zones);
    let empty: Vec<String> = misses
        .iter()
        .filter(|miss| matches!(miss.meant, Meant::Nothing))
        .map(|miss| miss.date.to_string())
        .collect();
    if !empty.is_empty() {
        let message = format!("excludes {}, where it has no date anyway", empty.join(", "));
        found.show(rule, Level::Note, subject, message);
    }
}
