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
        *other = moved_slot(other.clone(), shift);
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

/// Splits a series at each of its overrides that reach on: as [`at_this_and_future`] does
/// once, in one pass. Where one cannot be split off, the last part keeps it and what comes
/// behind it, and the reason is given.
///
/// Each part is made of the overrides up to the next split alone, so that the cost grows
/// with the number of overrides and not with its square:
///
/// ```text
/// slots   1  2  3→  4  5→  6        → reaches on
/// parts   1  2 | 3→ 4 | 5→ 6
/// ```
///
/// An override behind a split replaces a date that has moved with it.
pub fn at_every_future<'a>(series: &Series<'a>, zones: &ZoneResolver) -> (Vec<Series<'a>>, Option<Refusal>) {
    let Some(master) = series.master() else { return (vec![series.clone()], None) };
    let slot_of = |event: &Event<'a>| on_clock_of(event.replaces()?, master.start(), zones);
    let mut waiting: Vec<(Option<i64>, Event<'a>)> =
        series.overrides().iter().map(|event| (slot_of(event), event.clone())).collect();
    let reaches_on = |event: &Event<'a>| event.reach() == Reach::ThisAndFuture;
    if waiting.iter().any(|(slot, event)| slot.is_none() && reaches_on(event)) {
        return (vec![series.clone()], Some(Refusal::OtherKindOfTime));
    }
    // Stable: of two that replace one date, the first stays the first.
    waiting.sort_by_key(|(slot, _)| *slot);
    let (mut parts, mut rest, mut shift) = (Vec::new(), series.clone(), 0);
    rest.overrides_mut().clear();
    let mut waiting = waiting.into_iter().peekable();
    while let Some((slot, event)) = waiting.next() {
        let (splits, replaces) = (reaches_on(&event), event.replaces().cloned());
        let start = clock_seconds(event.start().clock());
        rest.overrides_mut().push(moved_slot(event, shift));
        let Some(slot) = slot.filter(|_| splits) else { continue };
        // Others of this date; one that reaches on from it in other words is the next split.
        let is_of_date = |(other, event): &(Option<i64>, Event<'a>)| {
            *other == Some(slot) && (!reaches_on(event) || event.replaces() == replaces.as_ref())
        };
        while let Some((_, same)) = waiting.next_if(is_of_date) {
            rest.overrides_mut().push(moved_slot(same, shift));
        }
        share_uid(&mut rest);
        match at_this_and_future(&rest, zones) {
            Ok(mut split) => {
                rest = split.pop().unwrap_or(rest);
                parts.append(&mut split);
                shift = start - slot;
            }
            Err(why) => {
                rest.overrides_mut().extend(waiting.map(|(_, event)| moved_slot(event, shift)));
                share_uid(&mut rest);
                parts.push(rest);
                return (parts, Some(why));
            }
        }
    }
    share_uid(&mut rest);
    parts.push(rest);
    (parts, None)
}

/// Gives overrides that came to a part the id that it got.
fn share_uid(series: &mut Series<'_>) {
    if series.overrides().is_empty() {
        return;
    }
    if let Some(uid) = series.uid().map(Uid::into_owned) {
        series.set_uid(&uid);
    }
}

/// An override of a date that is moved.
fn moved_slot(mut event: Event<'_>, shift: i64) -> Event<'_> {
    if shift != 0 {
        map_event(&mut event, &mut |role, time| match role {
            Role::Slot => later(time, shift),
            Role::Start | Role::End => time.clone(),
        });
    }
    event
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
