//! The dates of a repeating series that no override of their own replaces, one after the
//! other.
//!
//! A series with overrides that stand for all later dates (`RANGE=THISANDFUTURE`) is told by
//! several events, each from one slot up to the next event's:
//!
//! ```text
//! slots      09-01  09-08  09-15  09-22  09-29 …
//! told by    the series ──────▶│  override of 09-15, an hour later ──▶
//! ```
//!
//! All of them can be walked at once ([`Expansion::all`]), or the dates of each by themselves
//! ([`Expansion::told_by`]), which are ascending in the zone of that event.

use std::ops::Range;
use std::sync::OnceLock;

use hashbrown::HashSet;

use super::ends::Ends;
use super::exceptions::{ExceptionWalk, Exceptions};
use super::occurrences::{Ceiling, Occurrence, Part, Window, touches};
use super::rule::RuleError;
use super::slots::{Recurrence, Slots, on_clock_of};
use crate::calendar::{Duration, Event, EventTime, Reach, Series, Status};
use crate::day::{SECONDS_A_DAY, clock_at, clock_seconds, day_of};
use crate::zone::ZoneResolver;

/// No zone is farther from another than this, so a window that is wider by it
/// misses nothing.
const ZONE_MARGIN: i64 = 2 * SECONDS_A_DAY;

/// A repeating series, read once, whose dates can be walked any number of times.
pub struct Expansion<'e> {
    zones: &'e ZoneResolver,
    window: Window,
    ceiling: Ceiling,
    recurrence: Recurrence,
    exceptions: Exceptions,
    replaced: HashSet<i64>,
    /// Who tells the dates from which slot on; ascending.
    tellers: Vec<Teller>,
    /// The slots that may touch the window.
    slots: (i64, i64),
    /// How many dates each event may tell, where there are several.
    shares: OnceLock<Vec<usize>>,
}

impl<'e> Expansion<'e> {
    /// The dates of a series that touch a window; `None` if it does not repeat.
    pub fn of(
        series: &Series<'_>,
        zones: &'e ZoneResolver,
        window: Window,
        ceiling: Ceiling,
    ) -> Option<Self> {
        let master = series.master().filter(|master| master.repeats())?;
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
        let exceptions = Exceptions::of(master, zones);
        Some(Self {
            zones,
            window,
            ceiling,
            recurrence,
            exceptions,
            replaced,
            tellers,
            slots,
            shares: OnceLock::new(),
        })
    }

    /// The rules that could not be read; without them the first date alone is told.
    pub fn unreadable(&self) -> &[RuleError] {
        self.recurrence.unreadable()
    }

    /// All dates, by their slots.
    pub fn all(&self) -> Dates<'_, 'e> {
        let Ceiling(left) = self.ceiling;
        self.dates(self.tellers.clone(), self.slots, left)
    }

    /// The events that tell its dates: the series itself, and the overrides that stand for
    /// all later dates.
    pub fn tellers(&self) -> impl Iterator<Item = Part> {
        self.tellers.iter().map(|teller| teller.part)
    }

    /// The dates that one event tells. The ceiling is that of all of them together.
    pub fn told_by(&self, part: Part) -> Option<Dates<'_, 'e>> {
        let at = self.tellers.iter().position(|teller| teller.part == part)?;
        let until = self.tellers.get(at + 1).map_or(self.slots.1, |next| next.from.saturating_sub(1));
        let slots = (self.slots.0.max(self.tellers[at].from), self.slots.1.min(until));
        let left = match self.tellers.as_slice() {
            [_] => self.ceiling.0,
            _ => self.shares.get_or_init(|| self.count_shares())[at],
        };
        Some(self.dates(vec![self.tellers[at].clone()], slots, left))
    }

    /// How many dates each event may tell until the ceiling of all is met. The last that
    /// has dates then is the only one that is stopped by it.
    fn count_shares(&self) -> Vec<usize> {
        let mut shares = vec![0; self.tellers.len()];
        let mut dates = self.all();
        while dates.next().is_some() {
            shares[dates.teller] += 1;
        }
        let (last, met) = (dates.teller, dates.has_met_ceiling);
        let in_full = |at: usize| at < last || !met;
        let share = |(at, told): (usize, usize)| if in_full(at) { usize::MAX } else { told };
        shares.into_iter().enumerate().map(share).collect()
    }

    fn dates(&self, tellers: Vec<Teller>, (from, until): (i64, i64), left: usize) -> Dates<'_, 'e> {
        Dates {
            of: self,
            slots: self.recurrence.slots(from, until),
            exceptions: self.exceptions.walk(),
            tellers,
            teller: 0,
            left,
            has_met_ceiling: false,
        }
    }
}

/// The dates of an [`Expansion`], ascending by their slots.
pub struct Dates<'d, 'e> {
    of: &'d Expansion<'e>,
    slots: Slots<'d>,
    exceptions: ExceptionWalk<'d>,
    tellers: Vec<Teller>,
    /// The one that tells the dates now.
    teller: usize,
    /// How many more may be told.
    left: usize,
    has_met_ceiling: bool,
}

impl Dates<'_, '_> {
    /// Whether there are more than the ceiling allows; known once they have been walked.
    pub fn has_met_ceiling(&self) -> bool {
        self.has_met_ceiling
    }

    /// Whether the next date is cancelled, or was: all that one event tells are, or none.
    pub fn status(&self) -> Status {
        self.tellers[self.teller].status
    }
}

impl Iterator for Dates<'_, '_> {
    type Item = Occurrence;

    fn next(&mut self) -> Option<Occurrence> {
        let Expansion { zones, window, recurrence, replaced, .. } = self.of;
        loop {
            let moment = self.slots.next()?;
            if self.exceptions.leaves_out(moment) || replaced.contains(&moment) {
                continue;
            }
            if self.left == 0 {
                self.has_met_ceiling = true;
                return None;
            }
            while self.tellers.get(self.teller + 1).is_some_and(|next| next.from <= moment) {
                self.teller += 1;
            }
            let teller = &mut self.tellers[self.teller];
            let Some(occurrence) = teller.tell(moment, recurrence.length_at(moment)) else { continue };
            if teller.surely_inside.contains(&moment) || touches(&occurrence, *window, zones) {
                self.left -= 1;
                return Some(occurrence);
            }
        }
    }
}

/// What all dates that one event tells have in common, looked up once.
#[derive(Clone)]
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
}
