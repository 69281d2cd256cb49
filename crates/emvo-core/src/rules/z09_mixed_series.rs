//! `Z09 zone-mixed-series`: the times of one series in different zones.

use super::describe::declare_rule;
use super::r05_exception_misses::misses_of;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};
use emvo_ical::calendar::{EventTime, Extent, Series, ZoneRef};
use emvo_ical::zone::ZoneResolver;

declare_rule! {
    /// ## What it finds
    /// A repeating event whose end, exceptions, further dates or overrides are in
    /// another zone than its start.
    ///
    /// ## Why it matters
    /// Many systems compare an exception with the start by its digits: in another
    /// zone it excludes nothing, and the cancelled date comes back.
    ///
    /// ## Example
    /// `DTSTART;TZID=Europe/Helsinki:…T080000` with `EXDATE:…T060000Z`.
    ///
    /// ## Repair
    /// Exceptions, further dates and the dates that overrides replace are written
    /// in the zone of the start, at the same instants: safe. An exception that hits
    /// nothing stays as it stands, since R05 asks what it means. Ends and overrides
    /// need consent, since another zone may be what was meant. A single event that
    /// starts in one zone and ends in another, such as a crossing, is no fault.
    ZoneMixedSeries, "Z09", "zone-mixed-series", RuleGroup::Zones, "the times of one series in different zones"
}

impl Rule for ZoneMixedSeries {
    fn needs(&self) -> Traits {
        Traits::REPEATS
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let series = subject.series;
        let Some(master) = series.master().filter(|master| master.repeats()) else { return };
        let start = master.start();
        if start.is_date() || *start.zone() == ZoneRef::Floating {
            return;
        }
        let zone = zone_words(start);
        let mut slots = slots(series);
        if !others(slots.iter(), start, context.zones).is_empty() {
            let spared: Vec<EventTime> =
                misses_of(subject, context.zones).into_iter().map(|miss| miss.date).collect();
            slots.retain(|slot| !spared.contains(slot));
            let dates = others(slots.iter(), start, context.zones);
            if !dates.is_empty() {
                let message = format!("starts in {zone}, but has dates in {}", dates.join(", "));
                found.offer(self, subject, message, Safety::Safe, Edit::AlignDates { spared });
            }
        }
        let times: Vec<EventTime> = times(series);
        let times = others(times.iter(), start, context.zones);
        if !times.is_empty() {
            let message = format!("starts in {zone}, but ends or has overrides in {}", times.join(", "));
            found.offer(self, subject, message, Safety::Consent, Edit::AlignTimes);
        }
    }
}

/// The zones, other than the start's, of times whose instant is known and can
/// be written in the start's zone.
fn others<'t>(
    times: impl Iterator<Item = &'t EventTime>,
    start: &EventTime,
    zones: &ZoneResolver,
) -> Vec<String> {
    let Some(own) = zones.zone_of(start.zone()) else { return Vec::new() };
    let mut names = Vec::new();
    for time in times.filter(|time| !time.is_date() && time.zone() != start.zone()) {
        let Some(instant) = zones.instant(time) else { continue };
        let clock = own.transitions().clock_at(instant);
        let name = zone_words(time);
        if own.transitions().instant_of(clock) == instant && !names.contains(&name) {
            names.push(name);
        }
    }
    names
}

fn slots(series: &Series<'_>) -> Vec<EventTime> {
    let lead = series.lead();
    let replaced = series.overrides().iter().filter_map(|event| event.replaces().cloned());
    lead.dates("EXDATE").into_iter().chain(lead.dates("RDATE")).chain(replaced).collect()
}

fn times(series: &Series<'_>) -> Vec<EventTime> {
    let ends = series.events().filter_map(|event| match event.extent() {
        Extent::End(end) => Some(end.clone()),
        Extent::Length(_) | Extent::Unstated => None,
    });
    ends.chain(series.overrides().iter().map(|event| event.start().clone())).collect()
}

fn zone_words(time: &EventTime) -> String {
    match time.zone() {
        ZoneRef::Floating => "no zone".to_owned(),
        ZoneRef::Utc => "UTC".to_owned(),
        ZoneRef::Named(name) => name.to_string(),
    }
}
