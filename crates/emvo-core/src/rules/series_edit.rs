//! What repairs do to the rule, the dates and the overrides of one series.

use crate::edit::{Refusal, spans};
use crate::identity::derived_uid_of_parts;
use crate::split::{at_every_future, end_of_rule, except, remove_overrides, single_of};
use emvo_ical::calendar::{EventTime, Extent, Series, Uid};
use emvo_ical::content::Property;
use emvo_ical::day::{clock_at, clock_seconds};
use emvo_ical::recurrence::{Exceptions, Last, Recurrence, Rule, Starts, last_of, last_start};
use emvo_ical::zone::ZoneResolver;

/// More dates than this are not written out one by one.
const MOST_DATES: usize = 2_000;
/// Nor are more dates than this looked at, to find what an `EXRULE` leaves out of them.
const MOST_SLOTS: usize = 200_000;

/// A change to the recurrence of one series.
#[derive(Clone, Debug)]
pub enum SeriesEdit {
    /// A rule is replaced by another (R01, R02, R03, R18).
    Rule {
        /// The rule's text as it stands.
        from: String,
        /// The new text.
        to: String,
    },
    /// The start becomes a further date beside its rule, and a count becomes an
    /// end: then all systems see the same dates (R04).
    StartIsExtra,
    /// The series starts at this first date of its rule (R04).
    StartMoves(EventTime),
    /// Exceptions are replaced by others (R05).
    Exceptions(Vec<(EventTime, Vec<EventTime>)>),
    /// Overrides of these numbers become single events (R07).
    Detach(Vec<usize>),
    /// Overrides replace other dates than they say (R07).
    Tie(Vec<(usize, EventTime)>),
    /// From an override that reaches on, the series is another one (R08).
    SplitAtRange,
    /// One rule stays; the dates of the others become further dates, or a
    /// series of their own where they never end (R09).
    OneRule,
    /// What an `EXRULE` excludes becomes exceptions; without an end of its own
    /// the series ends at this time (R10).
    ListExceptions(Option<EventTime>),
    /// Overrides of these numbers go, since another replaces the same date
    /// (R16).
    DropOverrides(Vec<usize>),
    /// Cancelled overrides of these numbers become exceptions (R17).
    Except(Vec<usize>),
    /// The rule goes, and the event takes place once (R20).
    Once,
}

impl SeriesEdit {
    /// What becomes of a series.
    pub(super) fn apply<'a>(
        &self,
        series: &Series<'a>,
        zones: &ZoneResolver,
    ) -> Result<Vec<Series<'a>>, Refusal> {
        let mut new = series.clone();
        match self {
            Self::Rule { from, to } => replace_rule(&mut new, from, to),
            Self::StartIsExtra => start_is_extra(&mut new, zones)?,
            Self::StartMoves(start) => start_moves(&mut new, start),
            Self::Exceptions(pairs) => {
                let Some(master) = new.master_mut() else { return Ok(vec![new]) };
                master.remove_dates("EXDATE", |date| pairs.iter().any(|(old, _)| old == date));
                let dates: Vec<EventTime> = pairs.iter().flat_map(|(_, new)| new.clone()).collect();
                master.add_dates("EXDATE", &dates);
            }
            Self::Detach(numbers) => return Ok(detach(new, numbers)),
            Self::Tie(pairs) => {
                for (number, slot) in pairs {
                    new.overrides_mut()[*number].set_replaces(Some(slot.clone()));
                }
            }
            Self::SplitAtRange => {
                let (parts, refusal) = at_every_future(series, zones);
                // A part of the way is none for a repair.
                return refusal.map_or(Ok(parts), Err);
            }
            Self::OneRule => return one_rule(series, zones),
            Self::ListExceptions(end) => list_exceptions(&mut new, end.as_ref(), zones)?,
            Self::DropOverrides(numbers) => {
                remove_overrides(&mut new, numbers);
            }
            Self::Except(numbers) => except(&mut new, numbers),
            Self::Once => {
                if let Some(master) = new.master_mut() {
                    master.edit(|component| {
                        component.remove("RRULE");
                    });
                }
            }
        }
        Ok(vec![new])
    }

    /// What a person sees of it: before and after.
    pub(super) fn words(&self, before: &Series<'_>, after: &[Series<'_>]) -> (String, String) {
        let list = |times: &mut dyn Iterator<Item = String>| times.collect::<Vec<_>>().join(", ");
        let slot =
            |at: &usize| before.overrides()[*at].replaces().map(EventTime::to_string).unwrap_or_default();
        match self {
            Self::Rule { from, to } => (from.clone(), to.clone()),
            Self::StartIsExtra => {
                (rules_of(before), format!("{} and {}", rules_of_all(after), before.lead().start()))
            }
            Self::StartMoves(start) => {
                (format!("starts {}", before.lead().start()), format!("starts {start}"))
            }
            Self::Exceptions(pairs) => (
                format!("without {}", list(&mut pairs.iter().map(|(old, _)| old.to_string()))),
                format!(
                    "without {}",
                    list(&mut pairs.iter().flat_map(|(_, new)| new).map(EventTime::to_string))
                ),
            ),
            Self::Detach(numbers) => {
                (format!("overrides on {}", list(&mut numbers.iter().map(slot))), "single events".to_owned())
            }
            Self::Tie(pairs) => (
                format!("override on {}", list(&mut pairs.iter().map(|(at, _)| slot(at)))),
                format!("override on {}", list(&mut pairs.iter().map(|(_, slot)| slot.to_string()))),
            ),
            Self::SplitAtRange => (before.lead().span(), spans(after)),
            Self::Once => (rules_of(before), format!("once, {}", before.lead().start())),
            Self::OneRule => (rules_of(before), rules_of_all(after)),
            Self::ListExceptions(_) => {
                let exrule =
                    before.lead().component().property("EXRULE").map(|rule| rule.value().into_owned());
                let dates = after.first().map_or(0, |after| after.lead().dates("EXDATE").len());
                (format!("EXRULE {}", exrule.unwrap_or_default()), format!("{dates} dates as EXDATE"))
            }
            Self::DropOverrides(numbers) => {
                (format!("two overrides on {}", list(&mut numbers.iter().map(slot))), "the newest".to_owned())
            }
            Self::Except(numbers) => (
                format!("cancelled on {}", list(&mut numbers.iter().map(slot))),
                "an exception of the series".to_owned(),
            ),
        }
    }
}

fn rules_of(series: &Series<'_>) -> String {
    series.lead().rules().collect::<Vec<_>>().join(" & ")
}

fn rules_of_all(parts: &[Series<'_>]) -> String {
    parts.iter().map(rules_of).collect::<Vec<_>>().join(" | ")
}

fn replace_rule(series: &mut Series<'_>, from: &str, to: &str) {
    let Some(master) = series.master_mut() else { return };
    master.edit(|component| {
        let line = component.properties().find(|line| line.is("RRULE") && line.value() == from);
        let Some(new) = line.map(|line| line.with_value(to)) else { return };
        for item in component.items_mut() {
            if let emvo_ical::content::Item::Property(line) = item
                && line.is("RRULE")
                && line.value() == from
            {
                *line = new.clone();
            }
        }
    });
}

fn start_is_extra(series: &mut Series<'_>, zones: &ZoneResolver) -> Result<(), Refusal> {
    let Some(master) = series.master_mut() else { return Ok(()) };
    let start = master.start().clone();
    let text = master.rules().next().map(std::borrow::Cow::into_owned).unwrap_or_default();
    let mut rule = Rule::parse(&text).map_err(|_| Refusal::UnreadableRule { rule: text.clone() })?;
    if rule.count.is_some() {
        let last = last_start(&rule, start.clock(), i64::MAX).and_then(clock_at);
        rule.count = None;
        rule.until = last.map(|clock| end_of_rule(&start.at_clock(clock), zones));
        let to = rule.text_like(&text);
        replace_rule(series, &text, &to);
    }
    if let Some(master) = series.master_mut()
        && !master.dates("RDATE").contains(&start)
    {
        master.add_dates("RDATE", &[start]);
    }
    Ok(())
}

fn start_moves(series: &mut Series<'_>, start: &EventTime) {
    let Some(master) = series.master_mut() else { return };
    let text = master.rules().next().map(std::borrow::Cow::into_owned).unwrap_or_default();
    let seconds = clock_seconds(start.clock()) - clock_seconds(master.start().clock());
    if let Extent::End(end) = master.extent()
        && let Some(clock) = clock_at(clock_seconds(end.clock()) + seconds)
    {
        let end = end.at_clock(clock);
        master.set_extent(Extent::End(end));
    }
    master.set_start(start.clone());
    // The old start was the first that the rule counted.
    if let Ok(mut rule) = Rule::parse(&text)
        && let Some(count) = rule.count
    {
        rule.count = Some(count.saturating_sub(1).max(1));
        let to = rule.text_like(&text);
        replace_rule(series, &text, &to);
    }
}

/// Overrides as single events of their own.
fn detach<'a>(mut series: Series<'a>, numbers: &[usize]) -> Vec<Series<'a>> {
    let own = series.uid().map(Uid::into_owned);
    let removed = remove_overrides(&mut series, numbers).into_iter();
    let singles: Vec<Series<'a>> = removed.map(|event| single_of(event, own.as_ref())).collect();
    if series.master().is_none() && series.overrides().is_empty() {
        return singles;
    }
    std::iter::once(series).chain(singles).collect()
}

/// The dates of a rule, if they can be written out one by one.
fn listed(rule: &Rule, start: &EventTime, zones: &ZoneResolver) -> Option<Vec<i64>> {
    if rule.is_endless() {
        return None;
    }
    let starts = Starts::new(rule, start.clock(), last_of(rule, start, zones));
    let dates: Vec<i64> = starts.take(MOST_DATES + 1).collect();
    (dates.len() <= MOST_DATES).then_some(dates)
}

/// The first rule that cannot be written out stays, else the first of all. What
/// cannot be written out beside it becomes a series of its own, if the two have
/// no date in common.
fn one_rule<'a>(series: &Series<'a>, zones: &ZoneResolver) -> Result<Vec<Series<'a>>, Refusal> {
    let Some(master) = series.master() else { return Ok(vec![series.clone()]) };
    let start = master.start().clone();
    let mut rules = Vec::new();
    for text in master.rules() {
        let rule = Rule::parse(&text).map_err(|_| Refusal::UnreadableRule { rule: text.to_string() })?;
        rules.push((text.into_owned(), listed(&rule, &start, zones), rule));
    }
    let stays = rules.iter().position(|(_, dates, _)| dates.is_none()).unwrap_or(0);
    let (text, _, rule) = rules.remove(stays);
    let mut new = series.clone();
    let Some(master) = new.master_mut() else { return Ok(vec![new]) };
    master.edit(|component| component.set(Property::new("RRULE", &[], &text)));
    let mut others = Vec::new();
    for (_, dates, other) in &rules {
        let Some(dates) = dates else {
            others.push(own_series(series, &rule, other, zones)?);
            continue;
        };
        let times = dates.iter().filter_map(|date| clock_at(*date)).map(|clock| start.at_clock(clock));
        let known = master.dates("RDATE");
        let new: Vec<EventTime> = times.filter(|time| *time != start && !known.contains(time)).collect();
        master.add_dates("RDATE", &new);
    }
    Ok(std::iter::once(new).chain(others).collect())
}

/// The dates of a further endless rule as a series of its own.
fn own_series<'a>(
    series: &Series<'a>,
    stays: &Rule,
    other: &Rule,
    zones: &ZoneResolver,
) -> Result<Series<'a>, Refusal> {
    let Some(master) = series.master() else { return Ok(series.clone()) };
    let refusal = || Refusal::Rule { rule: other.to_string() };
    let start = master.start();
    let own = clock_seconds(start.clock());
    let mut dates =
        Starts::new(other, start.clock(), last_of(other, start, zones)).skip_while(|at| *at <= own);
    let first = dates.next().ok_or_else(refusal)?;
    // Of two rules the one that repeats oftener may come to the other's dates late.
    let of_stays = || Starts::new(stays, start.clock(), last_of(stays, start, zones));
    let of_other = || Starts::new(other, start.clock(), last_of(other, start, zones));
    let is_shared = std::iter::once(first)
        .chain(dates)
        .take(MOST_DATES)
        .any(|date| of_stays().from(date).next() == Some(date))
        || of_stays().skip(1).take(MOST_DATES).any(|date| of_other().from(date).next() == Some(date));
    if is_shared || other.count.is_some() || !series.overrides().is_empty() {
        return Err(refusal());
    }
    let first = start.at_clock(clock_at(first).ok_or_else(refusal)?);
    let mut new = Series::of(master.clone());
    if let Some(master) = new.master_mut() {
        master.edit(|component| component.set(Property::new("RRULE", &[], &other.to_string())));
        master.remove_dates("RDATE", |_| true);
    }
    start_moves(&mut new, &first);
    let uid = series.uid_text().into_owned();
    new.set_uid(&derived_uid_of_parts(&["rule", &uid, &other.to_string()], 0));
    Ok(new)
}

/// Writes out what an `EXRULE` excludes of the dates that the series has.
fn list_exceptions(
    series: &mut Series<'_>,
    end: Option<&EventTime>,
    zones: &ZoneResolver,
) -> Result<(), Refusal> {
    let Some(master) = series.master_mut() else { return Ok(()) };
    let start = master.start().clone();
    if let Some(end) = end {
        let texts: Vec<String> = master.rules().map(std::borrow::Cow::into_owned).collect();
        for text in texts {
            let mut rule = Rule::parse(&text).map_err(|_| Refusal::UnreadableRule { rule: text.clone() })?;
            if rule.is_endless() {
                rule.until = Some(end.clone());
                replace_rule(series, &text, &rule.text_like(&text));
            }
        }
    }
    let Some(master) = series.master_mut() else { return Ok(()) };
    let (recurrence, exceptions) = (Recurrence::of(master, zones), Exceptions::of(master, zones));
    let mut walk = exceptions.walk();
    let mut dates = Vec::new();
    for (count, slot) in recurrence.slots(i64::MIN / 4, i64::MAX / 4).enumerate() {
        if walk.leaves_out(slot) && !exceptions.dates().contains(&slot) {
            dates.extend(clock_at(slot).map(|clock| start.at_clock(clock)));
        }
        if dates.len() > MOST_DATES || count > MOST_SLOTS {
            return Err(Refusal::Ceiling);
        }
        if !walk.rules_go_on_after(slot) {
            break;
        }
    }
    master.edit(|component| {
        component.remove("EXRULE");
    });
    master.add_dates("EXDATE", &dates);
    Ok(())
}

/// The last moment of a rule on its own clock, and what follows is out.
pub(super) fn moment_of(last: Last) -> Option<i64> {
    match last {
        Last::Open => None,
        Last::At(moment) => Some(moment),
    }
}
