//! Every time of a series through one function: the only place that knows
//! which properties hold times.

use emvo_ical::calendar::{Event, EventTime, Extent, Series, ZoneName, ZoneRef};
use emvo_ical::content::{Item, Property};
use emvo_ical::recurrence::{Rule, RuleError};
use emvo_ical::zone::ZoneResolver;

/// What a time is to its event.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Role {
    Start,
    End,
    /// `RECURRENCE-ID`, `EXDATE`, `RDATE`: which date of the series.
    Slot,
}

/// Puts every time of an event through a function.
pub(crate) fn map_event(event: &mut Event<'_>, change: &mut impl FnMut(Role, &EventTime) -> EventTime) {
    let start = change(Role::Start, event.start());
    if start != *event.start() {
        event.set_start(start);
    }
    if let Extent::End(end) = event.extent() {
        let new = change(Role::End, end);
        if new != *end {
            event.set_extent(Extent::End(new));
        }
    }
    if let Some(replaces) = event.replaces() {
        let new = change(Role::Slot, replaces);
        if new != *replaces {
            event.set_replaces(Some(new));
        }
    }
    map_dates(event, change);
}

/// Puts every time of all events of a series through a function.
pub(crate) fn map_series(series: &mut Series<'_>, mut change: impl FnMut(Role, &EventTime) -> EventTime) {
    for event in series.events_mut() {
        map_event(event, &mut change);
    }
}

fn map_dates(event: &mut Event<'_>, change: &mut impl FnMut(Role, &EventTime) -> EventTime) {
    let is_dates = |property: &Property<'_>| property.is("EXDATE") || property.is("RDATE");
    if !event.component().properties().any(is_dates) {
        return;
    }
    let mut new: Vec<Option<Vec<Property<'static>>>> = Vec::new();
    for item in event.component().items() {
        new.push(match item {
            Item::Property(property) if is_dates(property) => changed_dates(property, change),
            Item::Property(_) | Item::Component(_) => None,
        });
    }
    if new.iter().all(Option::is_none) {
        return;
    }
    event.edit(|component| {
        let items = std::mem::take(component.items_mut());
        for (item, new) in items.into_iter().zip(new) {
            match new {
                None => component.items_mut().push(item),
                Some(lines) => component.items_mut().extend(lines.into_iter().map(Item::Property)),
            }
        }
    });
}

/// A line of dates with each of them changed; several lines where they came to
/// be in different zones. `None` if nothing changed. Values that cannot be read
/// stay as they are, in a line of their own.
fn changed_dates(
    property: &Property<'_>,
    change: &mut impl FnMut(Role, &EventTime) -> EventTime,
) -> Option<Vec<Property<'static>>> {
    let zone = property.parameter("TZID").and_then(|zone| ZoneName::new(&zone));
    let mut lines: Vec<(Option<EventTime>, Vec<String>)> = Vec::new();
    let mut is_changed = false;
    let value = property.value();
    for text in value.split(',') {
        let (first, rest) =
            text.trim().split_once('/').map_or((text.trim(), None), |(first, rest)| (first, Some(rest)));
        let (kind, text) = match EventTime::parse(first, zone.as_ref()) {
            Err(_) => (None, text.to_owned()),
            Ok(old) => {
                let new = change(Role::Slot, &old);
                is_changed |= new != old;
                let end = rest.map(|rest| match EventTime::parse(rest, zone.as_ref()) {
                    Ok(end) => change(Role::End, &end).value(),
                    Err(_) => rest.to_owned(),
                });
                let text = end.map_or_else(|| new.value(), |end| format!("{}/{end}", new.value()));
                (Some(new), text)
            }
        };
        match lines.last_mut() {
            Some((last, texts)) if is_one_kind(last.as_ref(), kind.as_ref()) => texts.push(text),
            _ => lines.push((kind, vec![text])),
        }
    }
    is_changed
        .then(|| lines.into_iter().map(|(kind, texts)| line_of(property, kind.as_ref(), &texts)).collect())
}

fn is_one_kind(one: Option<&EventTime>, two: Option<&EventTime>) -> bool {
    match (one, two) {
        (Some(one), Some(two)) => one.zone() == two.zone() && one.is_date() == two.is_date(),
        (None, None) => true,
        _ => false,
    }
}

fn line_of(property: &Property<'_>, kind: Option<&EventTime>, texts: &[String]) -> Property<'static> {
    let line = property.with_value(&texts.join(","));
    let Some(kind) = kind else { return line };
    let zone = match kind.zone() {
        ZoneRef::Named(zone) => Some(zone.as_str()),
        ZoneRef::Floating | ZoneRef::Utc => None,
    };
    let is_period = property.parameter("VALUE").is_some_and(|value| value.eq_ignore_ascii_case("PERIOD"));
    let value = if kind.is_date() {
        Some("DATE")
    } else if is_period {
        Some("PERIOD")
    } else {
        None
    };
    line.with_parameter("VALUE", value).with_parameter("TZID", zone)
}

/// Puts every rule of a series through a function. Rules that it leaves as
/// they are keep their text.
pub(crate) fn map_rules<E>(
    series: &mut Series<'_>,
    mut change: impl FnMut(&Rule) -> Result<Rule, E>,
    unreadable: impl Fn(String, RuleError) -> E,
) -> Result<(), E> {
    let Some(master) = series.master_mut() else { return Ok(()) };
    let mut new: Vec<Option<Property<'static>>> = Vec::new();
    for item in master.component().items() {
        let line = match item {
            Item::Property(property) if property.is("RRULE") || property.is("EXRULE") => property,
            Item::Property(_) | Item::Component(_) => {
                new.push(None);
                continue;
            }
        };
        let text = line.value().into_owned();
        let old = Rule::parse(&text).map_err(|error| unreadable(text.clone(), error))?;
        let changed = change(&old)?;
        new.push((changed != old).then(|| line.with_value(&changed.text_like(&text))));
    }
    if new.iter().any(Option::is_some) {
        master.edit(|component| {
            for (item, new) in component.items_mut().iter_mut().zip(new) {
                if let Some(line) = new {
                    *item = Item::Property(line);
                }
            }
        });
    }
    Ok(())
}

/// Every time of a series with its zone put through a function; clocks stay.
pub(crate) fn with_zone<'a>(series: &Series<'a>, change: impl Fn(&ZoneRef) -> ZoneRef) -> Series<'a> {
    let mut new = series.clone();
    map_series(&mut new, |_, time| match time {
        EventTime::Date(_) => time.clone(),
        EventTime::Clock { at, zone } => EventTime::Clock { at: *at, zone: change(zone) },
    });
    new
}

/// A series with its exceptions, further dates and the dates that overrides
/// replace written in the zone of its start (rule Z09). Their instants stay.
pub(crate) fn with_dates_in_zone_of_start<'a>(
    series: &Series<'a>,
    zones: &ZoneResolver,
    spared: &[EventTime],
) -> Series<'a> {
    in_zone_of_start(series, zones, |role, time| role == Role::Slot && !spared.contains(time))
}

/// A series with its ends and overrides written in the zone of its start (rule
/// Z09). Their instants stay.
pub(crate) fn with_times_in_zone_of_start<'a>(series: &Series<'a>, zones: &ZoneResolver) -> Series<'a> {
    in_zone_of_start(series, zones, |role, _| role != Role::Slot)
}

fn in_zone_of_start<'a>(
    series: &Series<'a>,
    zones: &ZoneResolver,
    is_meant: impl Fn(Role, &EventTime) -> bool,
) -> Series<'a> {
    let start = series.lead().start().clone();
    let mut new = series.clone();
    let zone = zones.zone_of(start.zone());
    map_series(&mut new, |role, time| {
        let moves = is_meant(role, time) && !time.is_date() && time.zone() != start.zone();
        let own = zone.as_ref().filter(|_| moves && *start.zone() != ZoneRef::Floating);
        own.and_then(|own| zones.time_in_called(time, own, start.zone())).unwrap_or_else(|| time.clone())
    });
    new
}
