//! One series → two that follow each other, with the same dates in all.
//!
//! A rule that counts is split by counting: of `COUNT=6`, with two slots before
//! the moment, the head keeps `COUNT=2` and the tail gets `COUNT=4`. A rule with
//! an end, or without one, ends in the head at its last slot there.

use crate::edit::{Refusal, later, map_rules};
use crate::identity::derived_uid_of_parts;
use emvo_ical::calendar::{Event, EventTime, Extent, Reach, Series, ZoneRef};
use emvo_ical::day::{clock_at, clock_seconds};
use emvo_ical::recurrence::{Rule, Starts, last_of, on_clock_of};
use emvo_ical::zone::ZoneResolver;

/// Cuts a repeating series at a moment on its own clock: what starts before it
/// keeps the id, what starts at it or later gets a derived one. Exceptions,
/// further dates and overrides go with their date. Together the two have
/// exactly the dates of the one.
pub fn split_off<'a>(
    series: &Series<'a>,
    moment: i64,
    zones: &ZoneResolver,
) -> Result<(Option<Series<'a>>, Option<Series<'a>>), Refusal> {
    let Some(master) = series.master() else { return Ok((Some(series.clone()), None)) };
    let start = clock_seconds(master.start().clock());
    if moment <= start {
        return Ok((None, Some(series.clone())));
    }
    let reaches_over = |event: &Event<'_>| {
        let slot = event.replaces().and_then(|slot| on_clock_of(slot, master.start(), zones));
        event.reach() == Reach::ThisAndFuture && slot.is_some_and(|slot| slot < moment)
    };
    if series.overrides().iter().any(reaches_over) {
        return Err(Refusal::RangedOverride);
    }
    let Some(rule) = only_rule(master)? else { return split_dates(series, moment, zones) };
    let last = last_of(&rule, master.start(), zones);
    let mut own = Starts::new(&rule, master.start().clock(), last);
    let (mut before, mut last_before) = (0_u32, start);
    let first_after = loop {
        match own.next() {
            None => break None,
            Some(at) if at >= moment => break Some(at),
            Some(at) => (before, last_before) = (before.saturating_add(1), at),
        }
    };
    let has_later_date = slots(master, "RDATE", zones).iter().any(|slot| *slot >= moment);
    let Some(first_after) = first_after else {
        return if has_later_date {
            split_dates(series, moment, zones)
        } else {
            Ok((Some(series.clone()), None))
        };
    };
    let (head_rule, tail_rule) = halves(&rule, before, &at_clock(master.start(), last_before), zones);
    let mut head = with_rule(series, &head_rule)?;
    keep_slots(&mut head, zones, |slot| slot < moment);
    let mut tail = with_rule(series, &tail_rule)?;
    move_start(&mut tail, first_after)?;
    keep_slots(&mut tail, zones, |slot| slot >= moment);
    give_uid_of_part(&mut tail, first_after);
    Ok((Some(head), Some(tail)))
}

/// The one rule of a master; `None` if it has only further dates. Several are
/// a fault of their own (R09).
fn only_rule(master: &Event<'_>) -> Result<Option<Rule>, Refusal> {
    let texts: Vec<String> = master.rules().map(std::borrow::Cow::into_owned).collect();
    match texts.as_slice() {
        [] => Ok(None),
        [text] => Rule::parse(text).map(Some).map_err(|_| Refusal::UnreadableRule { rule: text.clone() }),
        [_, ..] => Err(Refusal::Rule { rule: texts.join(" & ") }),
    }
}

/// Cuts where what lies behind is further dates (`RDATE`) alone.
fn split_dates<'a>(
    series: &Series<'a>,
    moment: i64,
    zones: &ZoneResolver,
) -> Result<(Option<Series<'a>>, Option<Series<'a>>), Refusal> {
    let Some(master) = series.master() else { return Ok((Some(series.clone()), None)) };
    let later: Vec<i64> = slots(master, "RDATE", zones).into_iter().filter(|slot| *slot >= moment).collect();
    let Some(first) = later.iter().min().copied() else { return Ok((Some(series.clone()), None)) };
    let mut head = series.clone();
    keep_slots(&mut head, zones, |slot| slot < moment);
    let mut tail = series.clone();
    if let Some(master) = tail.master_mut() {
        master.edit(|component| {
            component.remove("RRULE");
        });
    }
    move_start(&mut tail, first)?;
    // The first of them is the start now, and needs no further date.
    keep_slots(&mut tail, zones, |slot| slot >= moment);
    give_uid_of_part(&mut tail, first);
    Ok((Some(head), Some(tail)))
}

/// The rule of the head, which has its last date at `last` and `before` dates in
/// all, and the rule of the tail.
fn halves(rule: &Rule, before: u32, last: &EventTime, zones: &ZoneResolver) -> (Rule, Rule) {
    let (mut head, mut tail) = (rule.clone(), rule.clone());
    match rule.count {
        Some(count) => {
            head.count = Some(before);
            tail.count = Some(count - before);
        }
        None => head.until = Some(end_of_rule(last, zones)),
    }
    (head, tail)
}

/// A time on the clock of a start, by its seconds.
fn at_clock(start: &EventTime, seconds: i64) -> EventTime {
    clock_at(seconds).map_or_else(|| start.clone(), |clock| start.at_clock(clock))
}

/// A last date as the end of a rule: RFC 5545 section 3.3.10 wants UTC wherever
/// the start has a zone.
pub(crate) fn end_of_rule(last: &EventTime, zones: &ZoneResolver) -> EventTime {
    match zones.instant(last).and_then(clock_at) {
        Some(at) if *last.zone() != ZoneRef::Floating => EventTime::Clock { at, zone: ZoneRef::Utc },
        _ => last.clone(),
    }
}

fn with_rule<'a>(series: &Series<'a>, rule: &Rule) -> Result<Series<'a>, Refusal> {
    let mut new = series.clone();
    map_rules(&mut new, |_| Ok(rule.clone()), |rule, _| Refusal::UnreadableRule { rule })?;
    Ok(new)
}

fn move_start(series: &mut Series<'_>, start: i64) -> Result<(), Refusal> {
    let Some(master) = series.master_mut() else { return Ok(()) };
    let seconds = start - clock_seconds(master.start().clock());
    let new = later(master.start(), seconds);
    if let Extent::End(end) = master.extent() {
        let end = later(end, seconds);
        master.set_extent(Extent::End(end));
    }
    if clock_seconds(new.clock()) != start {
        return Err(Refusal::Ceiling);
    }
    master.set_start(new);
    Ok(())
}

/// The dates of a list property as moments on the clock of the master.
fn slots(master: &Event<'_>, name: &str, zones: &ZoneResolver) -> Vec<i64> {
    master.dates(name).iter().filter_map(|date| on_clock_of(date, master.start(), zones)).collect()
}

/// Keeps the exceptions, further dates and overrides whose date is wanted.
fn keep_slots(series: &mut Series<'_>, zones: &ZoneResolver, is_kept: impl Fn(i64) -> bool) {
    let start = series.lead().start().clone();
    let on_clock =
        |time: &EventTime| on_clock_of(time, &start, zones).unwrap_or_else(|| clock_seconds(time.clock()));
    series
        .overrides_mut()
        .retain(|event| event.replaces().is_some_and(|replaces| is_kept(on_clock(replaces))));
    let Some(master) = series.master_mut() else { return };
    for name in ["EXDATE", "RDATE"] {
        master.remove_dates(name, |time| !is_kept(on_clock(time)));
    }
}

/// The id of a later part: from the series' and the date it begins at, so that
/// it is the same on every run.
fn give_uid_of_part(series: &mut Series<'_>, start: i64) {
    let own = series.uid_text().into_owned();
    let uid = derived_uid_of_parts(&["part", &own, &start.to_string()], 0);
    series.set_uid(&uid);
}
