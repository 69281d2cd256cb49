//! Series → occurrences: rules, further dates, exceptions and overrides
//! together.

use hashbrown::HashSet;
use std::ops::Range;

use jiff::civil::Date;

use super::ends::{Ends, own_end};
use super::rule::RuleError;
use super::slots::{Recurrence, exceptions, on_clock_of};
use crate::calendar::{Duration, Event, EventTime, Reach, Series, Status};
use crate::day::{SECONDS_A_DAY, clock_at, clock_seconds, day_of};
use crate::zone::ZoneResolver;

/// No zone is farther from another than this, so a window that is wider by it
/// misses nothing.
const ZONE_MARGIN: i64 = 2 * SECONDS_A_DAY;

/// A window of dates in the house zone, both inclusive.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Window {
    /// The first day in it.
    pub from: Date,
    /// The last day in it.
    pub until: Date,
}

/// How many occurrences of one series are looked at before we stop.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Ceiling(pub usize);

impl Default for Ceiling {
    fn default() -> Self {
        Self(100_000)
    }
}

/// Which event of a series an occurrence is told by.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Part {
    /// The series itself.
    Master,
    /// The override of this number.
    Override(usize),
    /// The override of this number, which stands for this later date as well
    /// (`RANGE=THISANDFUTURE`).
    Later(usize),
}

impl Part {
    /// The event that tells the fields of an occurrence.
    pub fn event<'s, 'a>(self, series: &'s Series<'a>) -> &'s Event<'a> {
        match self {
            Self::Master => series.lead(),
            Self::Override(index) | Self::Later(index) => {
                series.overrides().get(index).unwrap_or_else(|| series.lead())
            }
        }
    }
}

/// One date of a series, or a single event.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Occurrence {
    /// What tells its fields.
    pub part: Part,
    /// When it starts, in the zone of its event.
    pub start: EventTime,
    /// When it ends, in the zone of its event; for whole days the day after.
    pub end: EventTime,
}

/// The occurrences of a series in a window.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct Occurrences {
    /// Those that take place, ascending by start.
    pub list: Vec<Occurrence>,
    /// Those that are marked as cancelled.
    pub cancelled: Vec<Occurrence>,
    /// The rules that could not be read; without them the series is not
    /// expanded, and its first date alone stands here.
    pub unreadable: Vec<RuleError>,
    /// Whether the ceiling cut the list off.
    pub met_ceiling: bool,
}

/// The occurrences of a series that touch a window.
///
/// An occurrence touches it when any part of it lies in it; one without length
/// counts at its start. Days are those of the house zone where the times can
/// be expressed in it, else those of the event's own clock.
pub fn occurrences_of(
    series: &Series<'_>,
    zones: &ZoneResolver,
    window: Window,
    ceiling: Ceiling,
) -> Occurrences {
    let mut found = Occurrences::default();
    if let Some(master) = series.master() {
        if master.repeats() {
            Expansion::of(series, master, zones, window, ceiling).run(&mut found);
        } else {
            let start = master.start().clone();
            let occurrence = Occurrence { part: Part::Master, start, end: own_end(master, zones) };
            if touches(&occurrence, window, zones) {
                place(&mut found, master, occurrence);
            }
        }
    }
    for (index, event) in series.overrides().iter().enumerate() {
        let occurrence = Occurrence {
            part: Part::Override(index),
            start: event.start().clone(),
            end: own_end(event, zones),
        };
        if touches(&occurrence, window, zones) {
            place(&mut found, event, occurrence);
        }
    }
    if !series.overrides().is_empty() {
        found.list.sort_by_key(|occurrence| occurrence.start.clock());
    }
    found
}

fn place(found: &mut Occurrences, event: &Event<'_>, occurrence: Occurrence) {
    if event.status() == Status::Cancelled {
        found.cancelled.push(occurrence);
    } else {
        found.list.push(occurrence);
    }
}

/// The dates of a repeating series that no override of their own replaces.
struct Expansion<'e> {
    zones: &'e ZoneResolver,
    window: Window,
    ceiling: Ceiling,
    recurrence: Recurrence,
    excluded: HashSet<i64>,
    replaced: HashSet<i64>,
    /// Who tells the dates from which slot on; ascending.
    tellers: Vec<Teller>,
    /// The slots that may touch the window.
    slots: (i64, i64),
}

/// What all dates that one event tells have in common, looked up once.
struct Teller {
    /// The first slot it tells.
    from: i64,
    part: Part,
    status: Status,
    /// Tells kind and zone of its times.
    start: EventTime,
    /// How much later than its slot each of its dates starts.
    shift: i64,
    ends: Ends,
    /// Slots whose dates lie in the window whatever the zones.
    surely_inside: Range<i64>,
    /// Slots whose dates may touch the window at all, inclusive.
    may_touch: (i64, i64),
}

impl<'e> Expansion<'e> {
    fn of(
        series: &Series<'_>,
        master: &Event<'_>,
        zones: &'e ZoneResolver,
        window: Window,
        ceiling: Ceiling,
    ) -> Self {
        let recurrence = Recurrence::of(master, zones);
        let slot_of = |event: &Event<'_>| on_clock_of(event.replaces()?, master.start(), zones);
        let replaced = series.overrides().iter().filter_map(slot_of).collect();
        let (first, after) =
            (day_of(window.from) * SECONDS_A_DAY, (day_of(window.until) + 1) * SECONDS_A_DAY);
        let mut tellers = vec![Teller::of(master, Part::Master, (i64::MIN, 0), zones, (first, after))];
        for (index, event) in series.overrides().iter().enumerate() {
            if event.reach() == Reach::ThisAndFuture
                && let Some(slot) = slot_of(event)
            {
                let shift = clock_seconds(event.start().clock()) - slot;
                tellers.push(Teller::of(event, Part::Later(index), (slot, shift), zones, (first, after)));
            }
        }
        tellers.sort_by_key(|teller| teller.from);
        let slots = tellers
            .iter()
            .map(|teller| teller.may_touch)
            .reduce(|one, two| (one.0.min(two.0), one.1.max(two.1)));
        let slots = slots.unwrap_or((first, after));
        let excluded = exceptions(master, zones, slots, ceiling.0);
        Self { zones, window, ceiling, recurrence, excluded, replaced, tellers, slots }
    }

    fn run(self, found: &mut Occurrences) {
        let Self { zones, window, ceiling, recurrence, excluded, replaced, mut tellers, slots } = self;
        found.unreadable = recurrence.unreadable().to_vec();
        let mut at = 0;
        for moment in recurrence.slots(slots.0, slots.1) {
            if excluded.contains(&moment) || replaced.contains(&moment) {
                continue;
            }
            if found.list.len() + found.cancelled.len() >= ceiling.0 {
                found.met_ceiling = true;
                break;
            }
            while tellers.get(at + 1).is_some_and(|next| next.from <= moment) {
                at += 1;
            }
            let teller = &mut tellers[at];
            let Some(occurrence) = teller.tell(moment, recurrence.length_at(moment)) else { continue };
            if teller.surely_inside.contains(&moment) || touches(&occurrence, window, zones) {
                teller.list(found).push(occurrence);
            }
        }
    }
}

impl Teller {
    fn of(
        event: &Event<'_>,
        part: Part,
        (from, shift): (i64, i64),
        zones: &ZoneResolver,
        (first, after): (i64, i64),
    ) -> Self {
        let start = event.start().clone();
        let length = (clock_seconds(event.end().clock()) - clock_seconds(start.clock())).max(0);
        let surely_inside = first + ZONE_MARGIN - shift..after - ZONE_MARGIN - shift;
        let may_touch =
            (first - shift - length - ZONE_MARGIN, after.saturating_sub(shift).saturating_add(ZONE_MARGIN));
        let (status, ends) = (event.status(), Ends::of(event, zones));
        Self { from, part, status, start, shift, ends, surely_inside, may_touch }
    }

    #[inline]
    fn tell(&mut self, slot: i64, own_length: Option<&Duration>) -> Option<Occurrence> {
        let start = self.start.at_clock(clock_at(slot + self.shift)?);
        let end = match own_length {
            Some(length) => self.ends.after(&start, *length),
            None => self.ends.end(&start),
        };
        Some(Occurrence { part: self.part, start, end })
    }

    fn list<'f>(&self, found: &'f mut Occurrences) -> &'f mut Vec<Occurrence> {
        if self.status == Status::Cancelled { &mut found.cancelled } else { &mut found.list }
    }
}

/// Whether any part of an occurrence lies in a window.
fn touches(occurrence: &Occurrence, window: Window, zones: &ZoneResolver) -> bool {
    let on_house_clock = |time: &EventTime| match zones.floating_zone() {
        Some(house) if !time.is_date() => zones
            .instant(time)
            .map_or_else(|| clock_seconds(time.clock()), |instant| house.transitions().clock_at(instant)),
        _ => clock_seconds(time.clock()),
    };
    let (from, until) = (day_of(window.from) * SECONDS_A_DAY, (day_of(window.until) + 1) * SECONDS_A_DAY);
    let start = on_house_clock(&occurrence.start);
    if start >= until {
        return false;
    }
    start >= from || on_house_clock(&occurrence.end) > from
}

/// Whether any date of a series lies in a window, a cancelled one or one that
/// cannot be told because of an unreadable rule included.
pub fn has_date_in(series: &Series<'_>, zones: &ZoneResolver, window: Window) -> bool {
    let found = occurrences_of(series, zones, window, Ceiling(1));
    !(found.list.is_empty() && found.cancelled.is_empty() && found.unreadable.is_empty())
}

#[cfg(test)]
mod tests;
