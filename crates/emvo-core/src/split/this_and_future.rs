//! An override that stands for all later dates as well (`RANGE=THISANDFUTURE`)
//! → a series of its own (rule R08).

use super::split_off;
use crate::edit::{Refusal, Role, RuleEnd, later, map_event, move_rules};
use emvo_ical::calendar::{Event, Reach, Series, Uid};
use emvo_ical::content::{Item, Property};
use emvo_ical::day::clock_seconds;
use emvo_ical::recurrence::on_clock_of;
use emvo_ical::zone::ZoneResolver;

/// The properties that say when a series has dates.
const RECURRENCE: [&str; 4] = ["RRULE", "RDATE", "EXDATE", "EXRULE"];

/// Splits a series where its first override that reaches on begins: from there
/// on the override's fields, times and length are those of the series. All dates
/// stay what they were.
pub fn at_this_and_future<'a>(series: &Series<'a>, zones: &ZoneResolver) -> Result<Vec<Series<'a>>, Refusal> {
    let Some(master) = series.master() else { return Ok(vec![series.clone()]) };
    let slot_of = |event: &Event<'_>| on_clock_of(event.replaces()?, master.start(), zones);
    let ranged = series.overrides().iter().filter(|event| event.reach() == Reach::ThisAndFuture);
    // A day where the series has times, or the reverse, is none of its dates.
    let slots: Option<Vec<_>> = ranged.map(|event| Some((slot_of(event)?, event))).collect();
    let slots = slots.ok_or(Refusal::OtherKindOfTime)?;
    let Some((slot, event)) = slots.into_iter().min_by_key(|(slot, _)| *slot) else {
        return Ok(vec![series.clone()]);
    };
    if event.start().zone() != master.start().zone() || event.is_all_day() != master.is_all_day() {
        return Err(Refusal::OtherKindOfTime);
    }
    let shift = clock_seconds(event.start().clock()) - slot;
    let (head, tail) = split_off(series, slot, zones)?;
    let Some(mut tail) = tail else { return Err(Refusal::NoSuchDate { date: event.start().to_string() }) };
    let starts_there = clock_seconds(tail.lead().start().clock()) == slot;
    if !starts_there {
        return Err(Refusal::NoSuchDate { date: event.start().to_string() });
    }
    tail.overrides_mut().retain(|other| other.replaces() != event.replaces());
    let old = tail.clone();
    // Later overrides keep their own times; only the dates they replace move.
    for other in tail.overrides_mut() {
        map_event(other, &mut |role, time| match role {
            Role::Slot => later(time, shift),
            Role::Start | Role::End => time.clone(),
        });
    }
    if let Some(master) = tail.master_mut() {
        map_event(master, &mut |_, time| later(time, shift));
    }
    move_rules(&old, &mut tail, shift, zones, RuleEnd::MovesAlong)?;
    let lines: Vec<Property<'a>> = recurrence_lines(&tail);
    let uid = tail.uid().map(Uid::into_owned);
    if let Some(master) = tail.master_mut() {
        let mut new = event.clone();
        new.set_replaces(None);
        new.edit(|component| {
            for name in RECURRENCE {
                component.remove(name);
            }
            for line in lines {
                component.add(line);
            }
        });
        new.set_rank(master.rank());
        *master = new;
    }
    if let Some(uid) = uid {
        tail.set_uid(&uid);
    }
    Ok(head.into_iter().chain([tail]).collect())
}

fn recurrence_lines<'a>(series: &Series<'a>) -> Vec<Property<'a>> {
    let items = series.lead().component().items().iter();
    items
        .filter_map(|item| match item {
            Item::Property(line) if RECURRENCE.iter().any(|name| line.is(name)) => Some(line.clone()),
            Item::Property(_) | Item::Component(_) => None,
        })
        .collect()
}
