//! What a zone's clocks do: its offsets, and the transitions between them.
//!
//! IANA zones, definitions in a file and fixed offsets all become this one
//! table, so that looking up, comparing and writing need to know no kinds.

use hashbrown::HashMap;
use std::sync::{Arc, LazyLock, RwLock};

use jiff::Timestamp;
use jiff::tz::{TimeZone, TimeZoneDatabase};

use crate::day::{SECONDS_A_DAY, day_number};

/// Changes are known up to this year; later ones are taken as none.
pub(super) const LAST_YEAR: i64 = 2200;

/// The offsets of a zone over time.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Transitions {
    /// The offset before the first transition, in seconds east of UTC.
    first: i32,
    list: Vec<Transition>,
    index: Index,
}

/// Finds the transitions near a moment by its stretch of time. Faster than
/// binary search over all of them, and offsets are looked up many times an event.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
struct Index {
    /// The number of the first stretch that has a transition.
    base: i64,
    /// How many transitions come before each stretch from there on, and in all.
    before: Vec<usize>,
    /// By how much clocks are off UTC at most, in seconds.
    slack: i64,
}

/// A stretch has 2²⁴ seconds, 194 days: as a rule one transition, or none.
const STRETCH_BITS: u32 = 24;

impl Index {
    fn of(transitions: &[Transition]) -> Self {
        let stretch = |transition: &Transition| transition.instant >> STRETCH_BITS;
        let (Some(first), Some(last)) = (transitions.first().map(stretch), transitions.last().map(stretch))
        else {
            return Self::default();
        };
        let mut before = Vec::new();
        for number in first..=last {
            let from = before.last().copied().unwrap_or_default();
            let ahead = transitions[from..].iter().take_while(|transition| stretch(transition) < number);
            before.push(from + ahead.count());
        }
        before.push(transitions.len());
        let off = transitions.iter().flat_map(|transition| [transition.before, transition.after]);
        let slack = off.map(|offset| i64::from(offset).abs()).max().unwrap_or_default();
        Self { base: first, before, slack }
    }

    /// The transitions that may come around a clock time: all before them come
    /// before it, all behind them after it.
    fn around(&self, clock: i64) -> std::ops::Range<usize> {
        let last = self.before.len().saturating_sub(1);
        let place = |moment: i64| {
            let behind = (moment >> STRETCH_BITS).saturating_sub(self.base).max(0);
            usize::try_from(behind).unwrap_or(usize::MAX)
        };
        let from = place(clock.saturating_sub(self.slack)).min(last);
        let until = place(clock.saturating_add(self.slack)).saturating_add(1).min(last);
        let at = |stretch: usize| self.before.get(stretch).copied().unwrap_or_default();
        // In front of the first stretch, there is none before it.
        at(from)..at(until)
    }
}

/// One moment at which clocks are set.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Transition {
    /// Seconds since 1970-01-01T00:00:00Z.
    pub instant: i64,
    pub before: i32,
    pub after: i32,
    pub kind: ClockKind,
    /// What the zone's time is called from here on, such as `CEST`.
    pub abbreviation: Box<str>,
}

/// What the law calls the time that clocks are set to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum ClockKind {
    Standard,
    Summer,
}

/// How a clock time exists in a zone.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ClockReading {
    /// Once.
    Once,
    /// Not at all: clocks jump over it. Read with the offset before the gap.
    Skipped,
    /// Twice: clocks are set back over it. Read as the first of the two.
    Twice,
}

static IANA: LazyLock<RwLock<HashMap<String, Arc<Transitions>>>> = LazyLock::new(RwLock::default);
static DATABASE: LazyLock<TimeZoneDatabase> = LazyLock::new(TimeZoneDatabase::bundled);

impl Transitions {
    /// The transitions of an IANA zone by the tz database built into the
    /// program; the machine's own is never asked. `None` for an unknown name.
    pub fn of_iana(name: &str) -> Option<Arc<Self>> {
        // A poisoned lock means a panic elsewhere; the table itself is only
        // ever added to, so it is sound.
        let known = IANA.read().unwrap_or_else(std::sync::PoisonError::into_inner).get(name).cloned();
        if known.is_some() {
            return known;
        }
        let transitions = Arc::new(Self::of_time_zone(&DATABASE.get(name).ok()?));
        let mut table = IANA.write().unwrap_or_else(std::sync::PoisonError::into_inner);
        Some(table.entry(name.to_owned()).or_insert(transitions).clone())
    }

    fn of_time_zone(zone: &TimeZone) -> Self {
        let last = day_number(LAST_YEAR, 1, 1) * SECONDS_A_DAY;
        let start = Timestamp::from_second(day_number(1800, 1, 1) * SECONDS_A_DAY).unwrap_or(Timestamp::MIN);
        let first = zone.to_offset(start).seconds();
        let mut before = first;
        let mut transitions = Vec::new();
        for transition in zone.following(start) {
            let instant = transition.timestamp().as_second();
            if instant >= last {
                break;
            }
            let after = transition.offset().seconds();
            if after != before {
                let kind = if transition.dst().is_dst() { ClockKind::Summer } else { ClockKind::Standard };
                transitions.push(Transition {
                    instant,
                    before,
                    after,
                    kind,
                    abbreviation: transition.abbreviation().into(),
                });
                before = after;
            }
        }
        Self::new(first, transitions)
    }

    fn new(first: i32, transitions: Vec<Transition>) -> Self {
        let index = Index::of(&transitions);
        Self { first, list: transitions, index }
    }

    /// How many transitions come before the first that is not so; `is_before` holds
    /// for transitions by how they stand to a clock time or an instant.
    fn behind(&self, moment: i64, is_before: impl Fn(&Transition) -> bool) -> usize {
        let around = self.index.around(moment);
        around.start + self.list[around].partition_point(is_before)
    }

    /// One offset for ever, in seconds east of UTC.
    pub fn fixed(offset: i32) -> Self {
        Self::new(offset, Vec::new())
    }

    /// Changes in ascending order; those that change nothing are left out.
    pub(crate) fn of_transitions(first: i32, transitions: Vec<Transition>) -> Self {
        let mut before = first;
        let mut kept: Vec<Transition> = Vec::with_capacity(transitions.len());
        for transition in transitions {
            if transition.after != before && kept.last().is_none_or(|last| last.instant < transition.instant)
            {
                let after = transition.after;
                kept.push(Transition { before, ..transition });
                before = after;
            }
        }
        Self::new(first, kept)
    }

    /// The offset in force at an instant (seconds since 1970 in UTC), in
    /// seconds east of UTC.
    pub fn offset_at(&self, instant: i64) -> i32 {
        let behind = self.behind(instant, |transition| transition.instant <= instant);
        if behind == 0 { self.first } else { self.list[behind - 1].after }
    }

    /// The offset with which to read a clock time (seconds since 1970 on that
    /// clock), as RFC 5545 section 3.3.5 says: in a gap the offset before it,
    /// of two the first.
    pub fn offset_of_clock(&self, clock: i64) -> i32 {
        let behind = self.behind(clock, |transition| transition.settled_at() <= clock);
        if behind == 0 { self.first } else { self.list[behind - 1].after }
    }

    /// The instant of a clock time, read as [`Self::offset_of_clock`] does.
    pub fn instant_of(&self, clock: i64) -> i64 {
        clock - i64::from(self.offset_of_clock(clock))
    }

    /// The earliest instant of this clock time and all later ones: those that clocks jump
    /// over are read later than the first behind them.
    ///
    /// In Europe/Helsinki 03:30 on 2027-03-28 does not exist and is read as 01:30 UTC, half
    /// an hour after 04:00 has been (01:00 UTC).
    pub fn earliest_instant_from(&self, clock: i64) -> i64 {
        let behind = self.behind(clock, |transition| transition.settled_at() <= clock);
        let instant = self.instant_of(clock);
        self.list.get(behind).map_or(instant, |gap| instant.min(gap.instant))
    }

    /// What clocks show at an instant.
    pub fn clock_at(&self, instant: i64) -> i64 {
        instant + i64::from(self.offset_at(instant))
    }

    /// Whether a clock time exists once, twice or not at all.
    pub fn reading_of(&self, clock: i64) -> ClockReading {
        let behind = self.behind(clock, |transition| transition.unsettled_from() <= clock);
        match self.list[..behind].last() {
            Some(transition) if clock < transition.settled_at() => {
                if transition.after > transition.before {
                    ClockReading::Skipped
                } else {
                    ClockReading::Twice
                }
            }
            _ => ClockReading::Once,
        }
    }

    /// The clock times around one of them between which clocks are not touched:
    /// from the first to the first that is out. Empty where they are touched.
    pub(crate) fn calm_clocks_around(&self, clock: i64) -> std::ops::Range<i64> {
        let behind = self.behind(clock, |transition| transition.settled_at() <= clock);
        let from = behind.checked_sub(1).map_or(i64::MIN, |last| self.list[last].settled_at());
        let until = self.list.get(behind).map_or(i64::MAX, Transition::unsettled_from);
        from..until.max(from)
    }

    /// The offset before any transition.
    pub(crate) fn first_offset(&self) -> i32 {
        self.first
    }

    /// The transitions in an inclusive range of instants.
    pub(crate) fn transitions_between(&self, from: i64, until: i64) -> &[Transition] {
        let start = self.behind(from, |transition| transition.instant < from);
        let end = self.behind(until, |transition| transition.instant <= until);
        &self.list[start..end.max(start)]
    }

    /// The last transition at or before an instant.
    pub(crate) fn transition_before(&self, instant: i64) -> Option<&Transition> {
        let behind = self.behind(instant, |transition| transition.instant <= instant);
        self.list[..behind].last()
    }

    /// Whether two zones show the same time at every instant of an inclusive
    /// range.
    pub fn agrees_with(&self, other: &Self, from: i64, until: i64) -> bool {
        if self.offset_at(from) != other.offset_at(from) {
            return false;
        }
        let (one, two) = (self.transitions_between(from, until), other.transitions_between(from, until));
        one.len() == two.len()
            && one.iter().zip(two).all(|(one, two)| one.instant == two.instant && one.after == two.after)
    }

    /// The clock times that transitions in a range of instants skip or repeat: the
    /// first of them, and the first after them.
    pub fn unsettled_clocks(&self, from: i64, until: i64) -> Vec<(i64, i64)> {
        let transitions = self.transitions_between(from, until).iter();
        transitions.map(|transition| (transition.unsettled_from(), transition.settled_at())).collect()
    }

    /// The instants of all transitions from an instant on, as far as they are known.
    pub fn transition_instants(&self, from: i64) -> Vec<i64> {
        self.transitions_between(from, i64::MAX).iter().map(|transition| transition.instant).collect()
    }

    /// Whether the zone ever changes its clocks in an inclusive range.
    pub fn has_transition_in(&self, from: i64, until: i64) -> bool {
        !self.transitions_between(from, until).is_empty()
    }

    /// Whether the zone has had an offset as its standard time since 2000.
    pub(crate) fn has_recent_offset(&self, offset: i32) -> bool {
        let from = day_number(2000, 1, 1) * SECONDS_A_DAY;
        let until = day_number(2040, 1, 1) * SECONDS_A_DAY;
        self.offset_at(from) == offset
            || self
                .transitions_between(from, until)
                .iter()
                .any(|transition| transition.after == offset && transition.after < transition.before)
    }
}

impl Transition {
    /// The first clock time from which on the new offset reads it for sure.
    fn settled_at(&self) -> i64 {
        self.instant + i64::from(self.before.max(self.after))
    }

    /// The first clock time that the transition skips or repeats.
    fn unsettled_from(&self) -> i64 {
        self.instant + i64::from(self.before.min(self.after))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::calendar::EventTime;
    use crate::day::{clock_at, clock_seconds};

    #[derive(serde::Deserialize)]
    struct Vector {
        id: String,
        tzid: String,
        local: String,
        kind: String,
        expect: String,
    }

    fn seconds(value: &str) -> i64 {
        clock_seconds(EventTime::parse(value, None).unwrap().clock())
    }

    #[test]
    fn clock_times_are_the_instants_that_the_vectors_say() {
        let mut count = 0;
        for line in include_str!("../../tests/vectors/dst.jsonl").lines() {
            let vector: Vector = serde_json::from_str(line).unwrap();
            let zone = Transitions::of_iana(&vector.tzid).unwrap();
            let clock = seconds(&vector.local);
            let instant = zone.instant_of(clock);
            assert_eq!(clock_at(instant), clock_at(seconds(&vector.expect)), "{}", vector.id);
            let kind = match zone.reading_of(clock) {
                ClockReading::Once => "plain",
                ClockReading::Skipped => "gap",
                ClockReading::Twice => "overlap",
            };
            assert_eq!(kind, vector.kind, "{}", vector.id);
            if vector.kind != "gap" {
                assert_eq!(zone.clock_at(instant), clock, "{}", vector.id);
            }
            count += 1;
        }
        assert_eq!(count, 300);
    }

    /// The index may only ever save steps.
    #[test]
    fn a_moment_has_the_place_that_halving_finds() {
        let transition = |instant: i64, before: i32, after: i32| Transition {
            instant,
            before,
            after,
            kind: ClockKind::Standard,
            abbreviation: "".into(),
        };
        let crowded = (0..100).map(|at| transition(i64::from(at) * 3600, 60 * (at % 2), 60 * (1 - at % 2)));
        let sparse = [transition(-60_000_000_000, 0, 50_000), transition(60_000_000_000, 50_000, -50_000)];
        let zones = [
            Transitions::of_transitions(0, crowded.collect()),
            Transitions::of_transitions(0, sparse.to_vec()),
            Transitions::fixed(3600),
            Transitions::clone(&Transitions::of_iana("Europe/Helsinki").unwrap()),
        ];
        for zone in &zones {
            let near = zone.list.iter().map(|transition| transition.instant);
            let near =
                near.flat_map(|at| [-1 << 24, -90_000, -1, 0, 1, 3600, 90_000, 1 << 24].map(|by| at + by));
            for moment in near.chain([i64::MIN, -1, 0, 1, i64::MAX]) {
                let halved = zone.list.partition_point(|transition| transition.instant <= moment);
                assert_eq!(
                    zone.behind(moment, |transition| transition.instant <= moment),
                    halved,
                    "{moment}"
                );
                let halved = zone.list.partition_point(|transition| transition.settled_at() <= moment);
                assert_eq!(
                    zone.behind(moment, |transition| transition.settled_at() <= moment),
                    halved,
                    "{moment}"
                );
            }
        }
    }

    #[test]
    fn zones_compare_by_what_they_do_in_a_range() {
        let [helsinki, stockholm, athens] = ["Europe/Helsinki", "Europe/Stockholm", "Europe/Athens"]
            .map(|zone| Transitions::of_iana(zone).unwrap());
        let (from, until) = (seconds("20200101T000000"), seconds("20300101T000000"));
        assert!(helsinki.agrees_with(&athens, from, until));
        assert!(!helsinki.agrees_with(&stockholm, from, until));
        assert!(!helsinki.agrees_with(&athens, seconds("19700101T000000"), until));
        assert!(Transitions::of_iana("Europe/Atlantis").is_none());
    }

    #[test]
    fn the_earliest_instant_from_a_clock_time_is_that_of_all_later_ones() {
        for zone in ["Europe/Helsinki", "America/New_York", "Australia/Lord_Howe", "Pacific/Apia"] {
            let zone = Transitions::of_iana(zone).unwrap();
            let (from, until) = (seconds("20110101T000000"), seconds("20120201T000000"));
            let mut earliest = i64::MAX;
            for clock in (from..until).rev().step_by(600) {
                earliest = earliest.min(zone.instant_of(clock));
                let told = zone.earliest_instant_from(clock);
                assert!(told <= earliest && earliest - told < 600, "{clock}: {told} {earliest}");
            }
        }
    }
}
