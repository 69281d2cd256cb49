//! Which quiet events a rule may have something to say about after all.
//!
//! Ids, titles and shapes are sorted as numbers, so that what shares one stands together:
//!
//! ```text
//! title 03ad   2 March 08:30 Helsinki     one title on one day: both wake (U03, U04)
//! title 03ad   2 March 19:00 Helsinki
//! title 03ad   9 March 08:30 Helsinki     a week later: quiet
//! ```

use hashbrown::{HashMap, HashSet};
use rayon::prelude::*;

use super::keys::{shape_of, title_number, uid_number};
use super::seen::Seen;
use super::{Across, Ask, CLOCKS_APART, Quiet, QuietEvent};
use crate::rules::context::{LEAST_FLATTENED, middle_of};
use crate::rules::d07_year_implausible::FAR;
use crate::split::series_of;
use emvo_ical::calendar::{Calendar, Series, Uid};
use emvo_ical::day::{SECONDS_A_DAY, clock_seconds};
use emvo_ical::zone::ZoneResolver;

/// Clocks of one zone are never set by more.
const SET_BY: i64 = 3 * 3600;
/// More events of a title within a day are a case of their own: all of them wake.
const MOST_NEIGHBOURS: usize = 32;

/// Those that wake, by place.
pub(super) struct Awake(pub(super) Vec<bool>);

impl Awake {
    fn wake(&mut self, at: u32) {
        self.0[at as usize] = true;
    }

    fn wake_all(&mut self, group: &[One]) {
        for one in group {
            self.wake(one.at);
        }
    }
}

impl Quiet<'_> {
    /// Wakes those that tell by themselves and by each other that they are not quiet.
    pub(super) fn wake_among_themselves(&mut self, ask: &Ask<'_>) {
        if self.events.is_empty() {
            return;
        }
        let mut awake = Awake(vec![false; self.events.len()]);
        // The first event of all speaks for its calendar, and one of these may be the first.
        awake.wake(0);
        self.wake_in_odd_zones(ask, &mut awake);
        for group in groups_of(&self.shared(|event| event.uid), 2) {
            awake.wake_all(group);
        }
        if ask.across == Across::Compared {
            for group in groups_of(&self.shared(|event| event.shape), LEAST_FLATTENED) {
                awake.wake_all(group);
            }
            for group in groups_of(&self.shared(|event| event.title), 2) {
                Self::wake_neighbours(group, &mut awake);
            }
        }
        self.keep_asleep(&awake);
    }

    /// Wakes those that a rule may have something to say about because of the events that were
    /// read without them. Whether there were any: then the text is read again.
    pub fn wake_beside(&mut self, calendar: &Calendar<'_>, zones: &ZoneResolver, ask: &Ask<'_>) -> bool {
        if self.events.is_empty() {
            return false;
        }
        let mut awake = Awake(vec![false; self.events.len()]);
        self.wake_in_own_zones(zones, &mut awake);
        self.wake_far_years(calendar, &mut awake);
        self.wake_ids_of(calendar, &mut awake);
        if ask.across == Across::Compared {
            self.wake_shapes_of(calendar, &mut awake);
            self.wake_titles_of(calendar, &mut awake);
        }
        let has_woken = awake.0.contains(&true);
        self.keep_asleep(&awake);
        has_woken
    }

    fn keep_asleep(&mut self, awake: &Awake) {
        let mut awake = awake.0.iter();
        self.events.retain(|_| awake.next() != Some(&true));
    }

    /// The events whose number another one may have, in order of it and of their starts.
    ///
    /// What is seen a second time is told by a table of bits, in which two numbers meet by chance
    /// now and then: so the few that are left are sorted, instead of all.
    fn shared(&self, number: impl Fn(&QuietEvent) -> u64) -> Vec<One> {
        let mut seen = Seen::with_room_for(self.events.len());
        self.events.iter().for_each(|event| seen.note(number(event)));
        self.in_order(|event| Some(number(event)).filter(|number| seen.is_twice(*number)))
    }

    /// Some events in order of their numbers and starts.
    fn in_order(&self, number: impl Fn(&QuietEvent) -> Option<u64>) -> Vec<One> {
        let one = |(at, event): (usize, &QuietEvent)| {
            // A text has fewer than 2³² events.
            let at = u32::try_from(at).unwrap_or(u32::MAX);
            Some(One { number: number(event)?, start: event.start, at, zone: event.zone })
        };
        let mut some: Vec<One> = self.events.iter().enumerate().filter_map(one).collect();
        some.par_sort_unstable();
        some
    }

    /// Of one title, in order of their starts.
    fn wake_neighbours(group: &[One], awake: &mut Awake) {
        for (at, one) in group.iter().enumerate() {
            let behind = group[at + 1..].iter().take_while(|next| next.start - one.start <= CLOCKS_APART);
            for (count, other) in behind.enumerate() {
                if count >= MOST_NEIGHBOURS || one.is_near(other) {
                    awake.wake(one.at);
                    awake.wake(other.at);
                }
                if count >= MOST_NEIGHBOURS {
                    break;
                }
            }
        }
    }

    /// Wakes those whose year is far from the one in the middle of all.
    fn wake_far_years(&self, calendar: &Calendar<'_>, awake: &mut Awake) {
        let years: Vec<i16> = self.years().collect();
        let others = calendar.series.iter().map(|series| series.lead().start().date().year());
        let middle = middle_of(years.iter().copied().chain(others));
        for (at, year) in years.iter().enumerate() {
            awake.0[at] |= (year - middle).abs() > FAR;
        }
    }

    /// Wakes those whose id another event has, or is to get back.
    fn wake_ids_of(&self, calendar: &Calendar<'_>, awake: &mut Awake) {
        let own = calendar.series.iter().filter_map(Series::uid);
        let named = calendar.series.iter().filter_map(|series| series_of(series.lead()).and_then(Uid::new));
        let ids: HashSet<u64> = own.chain(named).map(|id| uid_number(id.as_str())).collect();
        for (at, event) in self.events.iter().enumerate() {
            awake.0[at] |= ids.contains(&event.uid);
        }
    }

    /// Wakes those that are too many of one shape with the single events that were read.
    fn wake_shapes_of(&self, calendar: &Calendar<'_>, awake: &mut Awake) {
        let mut counts: HashMap<u64, usize> = HashMap::new();
        for shape in calendar.series.iter().filter_map(shape_of) {
            *counts.entry(shape).or_insert(0) += 1;
        }
        let mut own: HashMap<u64, usize> = HashMap::new();
        for event in self.events.iter().filter(|event| counts.contains_key(&event.shape)) {
            *own.entry(event.shape).or_insert(0) += 1;
        }
        let are_many = |shape: &u64| {
            counts.get(shape).zip(own.get(shape)).is_some_and(|(one, two)| one + two >= LEAST_FLATTENED)
        };
        for (at, event) in self.events.iter().enumerate() {
            awake.0[at] |= are_many(&event.shape);
        }
    }

    /// Wakes those near an event of their title that was read.
    fn wake_titles_of(&self, calendar: &Calendar<'_>, awake: &mut Awake) {
        let leads = calendar.series.par_iter().map(Series::lead);
        let read = leads
            .filter_map(|lead| Some((title_number(&lead.title()?), clock_seconds(lead.start().clock()))));
        let read: Vec<(u64, i64)> = read.collect();
        let titles: HashSet<u64> = read.iter().map(|(title, _)| *title).collect();
        let own = self.in_order(|event| Some(event.title).filter(|title| titles.contains(title)));
        for (title, start) in read {
            let first = own.partition_point(|one| (one.number, one.start) < (title, start - CLOCKS_APART));
            let near = own[first..]
                .iter()
                .take_while(|one| (one.number, one.start) <= (title, start + CLOCKS_APART));
            for one in near {
                awake.wake(one.at);
            }
        }
    }
}

/// A quiet event among those with its number.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
struct One {
    number: u64,
    start: i64,
    /// Its place.
    at: u32,
    /// The place of its zone.
    zone: u16,
}

impl One {
    /// Whether it may be at one moment with another one of its title, or on one day.
    fn is_near(&self, other: &Self) -> bool {
        let day = |one: &Self| one.start.div_euclid(SECONDS_A_DAY);
        self.zone != other.zone || day(self) == day(other) || (other.start - self.start).abs() <= SET_BY
    }
}

/// Those of one number, as far as they are so many.
fn groups_of(some: &[One], at_least: usize) -> impl Iterator<Item = &[One]> {
    some.chunk_by(|one, two| one.number == two.number).filter(move |group| group.len() >= at_least)
}
