//! From midnight to midnight → whole days (rule D03).

use super::Retimed;
use crate::edit::{Refusal, Role, map_rules, map_series};
use emvo_ical::calendar::{Event, EventTime, Extent, Series, VendorMirror, ZoneRef};
use emvo_ical::day::{SECONDS_A_DAY, clock_at, clock_seconds};
use emvo_ical::zone::ZoneResolver;

/// Turns events from 00:00 to 00:00 into whole days; an end at 23:59 or
/// 23:59:59 means the midnight behind it. Measured on the event's own clock,
/// for UTC on the house's. A series changes if its master does.
pub fn to_dates<'a>(series: &Series<'a>, zones: &ZoneResolver) -> Retimed<'a> {
    let lead = series.lead();
    if lead.is_all_day() || whole_days(lead, zones).is_none() {
        return Retimed::Untouched;
    }
    let mut new = series.clone();
    for event in new.events_mut() {
        let days = whole_days(event, zones);
        if let Some((first, after)) = days {
            event.set_extent(Extent::Unstated);
            event.set_start(EventTime::Date(first));
            event.set_extent(Extent::End(EventTime::Date(after)));
            event.update_vendor_mirrors(VendorMirror::AllDay);
        }
    }
    map_series(&mut new, |role, time| match role {
        Role::Slot if !time.is_date() => EventTime::Date(on_measuring_clock(time, zones).clock().date()),
        Role::Slot | Role::Start | Role::End => time.clone(),
    });
    let by_day = |rule: &emvo_ical::recurrence::Rule| {
        let mut rule = rule.clone();
        rule.until = rule.until.map(|until| {
            let on_clock =
                if *until.zone() == ZoneRef::Utc { at_zone_of(lead.start(), &until, zones) } else { until };
            EventTime::Date(on_clock.clock().date())
        });
        rule.by_hour.clear();
        rule.by_minute.clear();
        rule.by_second.clear();
        Ok(rule)
    };
    match map_rules(&mut new, by_day, |rule, _| Refusal::UnreadableRule { rule }) {
        Ok(()) => Retimed::Done(vec![new]),
        Err(refusal) => Retimed::Refused(refusal),
    }
}

/// The first day of an event and the day after its last, if it is made of whole
/// days.
pub(crate) fn whole_days(
    event: &Event<'_>,
    zones: &ZoneResolver,
) -> Option<(jiff::civil::Date, jiff::civil::Date)> {
    let start = clock_seconds(on_measuring_clock(event.start(), zones).clock());
    let end = clock_seconds(on_measuring_clock(&event.end(), zones).clock());
    let after = match end.rem_euclid(SECONDS_A_DAY) {
        0 => end,
        86_340 => end + 60,
        86_399 => end + 1,
        _ => return None,
    };
    if start.rem_euclid(SECONDS_A_DAY) != 0 || after <= start {
        return None;
    }
    Some((clock_at(start)?.date(), clock_at(after)?.date()))
}

/// UTC is measured on the house's clock, where there is one.
fn on_measuring_clock(time: &EventTime, zones: &ZoneResolver) -> EventTime {
    match (time.zone(), zones.floating_zone()) {
        (ZoneRef::Utc, Some(house)) => {
            let clock = house.transitions().clock_at(clock_seconds(time.clock()));
            clock_at(clock).map_or_else(|| time.clone(), |clock| time.at_clock(clock))
        }
        _ => time.clone(),
    }
}

/// An instant in UTC on the clock by which a start is measured.
fn at_zone_of(start: &EventTime, instant: &EventTime, zones: &ZoneResolver) -> EventTime {
    match start.zone() {
        ZoneRef::Utc => on_measuring_clock(instant, zones),
        own => match zones
            .zone_of(own)
            .and_then(|own| clock_at(own.transitions().clock_at(clock_seconds(instant.clock()))))
        {
            Some(clock) => instant.at_clock(clock),
            None => instant.clone(),
        },
    }
}
