//! What a zone's clocks do: offsets and the moments at which they change.
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
pub struct Behaviour {
    /// The offset before the first change, in seconds east of UTC.
    first: i32,
    changes: Vec<Change>,
    index: Index,
}

/// Where among the changes of a zone a moment is: looking there first is some
/// times as fast as halving all of them, and times are looked up for each event
/// many times over.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
struct Index {
    /// The number of the first stretch that has a change.
    base: i64,
    /// How many changes come before each stretch from there on, and in all.
    before: Vec<usize>,
    /// By how much clocks are off UTC at most, in seconds.
    slack: i64,
}

/// A stretch has 2²⁴ seconds, 194 days: as a rule one change, or none.
const STRETCH_BITS: u32 = 24;

impl Index {
    fn of(changes: &[Change]) -> Self {
        let stretch = |change: &Change| change.instant >> STRETCH_BITS;
        let (Some(first), Some(last)) = (changes.first().map(stretch), changes.last().map(stretch)) else {
            return Self::default();
        };
        let mut before = Vec::new();
        for number in first..=last {
            let from = before.last().copied().unwrap_or_default();
            let ahead = changes[from..].iter().take_while(|change| stretch(change) < number);
            before.push(from + ahead.count());
        }
        before.push(changes.len());
        let off = changes.iter().flat_map(|change| [change.before, change.after]);
        let slack = off.map(|offset| i64::from(offset).abs()).max().unwrap_or_default();
        Self { base: first, before, slack }
    }

    /// The changes that may come around a clock time: all before them come
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
pub struct Change {
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
pub enum ClockKind {
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

static IANA: LazyLock<RwLock<HashMap<String, Arc<Behaviour>>>> = LazyLock::new(RwLock::default);
static DATABASE: LazyLock<TimeZoneDatabase> = LazyLock::new(TimeZoneDatabase::bundled);

impl Behaviour {
    /// The behaviour of an IANA zone by the tz database built into the
    /// program; the machine's own is never asked. `None` for an unknown name.
    pub fn of_iana(name: &str) -> Option<Arc<Self>> {
        // A poisoned lock means a panic elsewhere; the table itself is only
        // ever added to, so it is sound.
        let known = IANA.read().unwrap_or_else(std::sync::PoisonError::into_inner).get(name).cloned();
        if known.is_some() {
            return known;
        }
        let behaviour = Arc::new(Self::of_time_zone(&DATABASE.get(name).ok()?));
        let mut table = IANA.write().unwrap_or_else(std::sync::PoisonError::into_inner);
        Some(table.entry(name.to_owned()).or_insert(behaviour).clone())
    }

    fn of_time_zone(zone: &TimeZone) -> Self {
        let last = day_number(LAST_YEAR, 1, 1) * SECONDS_A_DAY;
        let start = Timestamp::from_second(day_number(1800, 1, 1) * SECONDS_A_DAY).unwrap_or(Timestamp::MIN);
        let first = zone.to_offset(start).seconds();
        let mut before = first;
        let mut changes = Vec::new();
        for transition in zone.following(start) {
            let instant = transition.timestamp().as_second();
            if instant >= last {
                break;
            }
            let after = transition.offset().seconds();
            if after != before {
                let kind = if transition.dst().is_dst() { ClockKind::Summer } else { ClockKind::Standard };
                changes.push(Change {
                    instant,
                    before,
                    after,
                    kind,
                    abbreviation: transition.abbreviation().into(),
                });
                before = after;
            }
        }
        Self::new(first, changes)
    }

    fn new(first: i32, changes: Vec<Change>) -> Self {
        let index = Index::of(&changes);
        Self { first, changes, index }
    }

    /// How many changes come before the first that is not so; `is_before` holds
    /// for changes by how they stand to a clock time or an instant.
    fn behind(&self, moment: i64, is_before: impl Fn(&Change) -> bool) -> usize {
        let around = self.index.around(moment);
        around.start + self.changes[around].partition_point(is_before)
    }

    /// One offset for ever, in seconds east of UTC.
    pub fn fixed(offset: i32) -> Self {
        Self::new(offset, Vec::new())
    }

    /// Changes in ascending order; those that change nothing are left out.
    pub fn of_changes(first: i32, changes: Vec<Change>) -> Self {
        let mut before = first;
        let mut kept: Vec<Change> = Vec::with_capacity(changes.len());
        for change in changes {
            if change.after != before && kept.last().is_none_or(|last| last.instant < change.instant) {
                let after = change.after;
                kept.push(Change { before, ..change });
                before = after;
            }
        }
        Self::new(first, kept)
    }

    /// The offset in force at an instant (seconds since 1970 in UTC), in
    /// seconds east of UTC.
    pub fn offset_at(&self, instant: i64) -> i32 {
        let behind = self.behind(instant, |change| change.instant <= instant);
        if behind == 0 { self.first } else { self.changes[behind - 1].after }
    }

    /// The offset with which to read a clock time (seconds since 1970 on that
    /// clock), as RFC 5545 section 3.3.5 says: in a gap the offset before it,
    /// of two the first.
    pub fn offset_of_clock(&self, clock: i64) -> i32 {
        let behind = self.behind(clock, |change| change.settled_at() <= clock);
        if behind == 0 { self.first } else { self.changes[behind - 1].after }
    }

    /// The instant of a clock time, read as [`Self::offset_of_clock`] does.
    pub fn instant_of(&self, clock: i64) -> i64 {
        clock - i64::from(self.offset_of_clock(clock))
    }

    /// What clocks show at an instant.
    pub fn clock_at(&self, instant: i64) -> i64 {
        instant + i64::from(self.offset_at(instant))
    }

    /// Whether a clock time exists once, twice or not at all.
    pub fn reading_of(&self, clock: i64) -> ClockReading {
        let behind = self.behind(clock, |change| change.unsettled_from() <= clock);
        match self.changes[..behind].last() {
            Some(change) if clock < change.settled_at() => {
                if change.after > change.before {
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
    pub fn calm_clocks_around(&self, clock: i64) -> std::ops::Range<i64> {
        let behind = self.behind(clock, |change| change.settled_at() <= clock);
        let from = behind.checked_sub(1).map_or(i64::MIN, |last| self.changes[last].settled_at());
        let until = self.changes.get(behind).map_or(i64::MAX, Change::unsettled_from);
        from..until.max(from)
    }

    /// The offset before any change.
    pub fn first_offset(&self) -> i32 {
        self.first
    }

    /// The changes in an inclusive range of instants.
    pub fn changes_between(&self, from: i64, until: i64) -> &[Change] {
        let start = self.behind(from, |change| change.instant < from);
        let end = self.behind(until, |change| change.instant <= until);
        &self.changes[start..end.max(start)]
    }

    /// The last change at or before an instant.
    pub fn change_before(&self, instant: i64) -> Option<&Change> {
        let behind = self.behind(instant, |change| change.instant <= instant);
        self.changes[..behind].last()
    }

    /// Whether two zones show the same time at every instant of an inclusive
    /// range.
    pub fn agrees_with(&self, other: &Self, from: i64, until: i64) -> bool {
        if self.offset_at(from) != other.offset_at(from) {
            return false;
        }
        let (one, two) = (self.changes_between(from, until), other.changes_between(from, until));
        one.len() == two.len()
            && one.iter().zip(two).all(|(one, two)| one.instant == two.instant && one.after == two.after)
    }

    /// The clock times that changes in a range of instants skip or repeat: the
    /// first of them, and the first after them.
    pub fn unsettled_clocks(&self, from: i64, until: i64) -> Vec<(i64, i64)> {
        let changes = self.changes_between(from, until).iter();
        changes.map(|change| (change.unsettled_from(), change.settled_at())).collect()
    }

    /// The instants of all changes from an instant on, as far as they are known.
    pub fn instants_of_changes(&self, from: i64) -> Vec<i64> {
        self.changes_between(from, i64::MAX).iter().map(|change| change.instant).collect()
    }

    /// Whether the zone ever changes its clocks in an inclusive range.
    pub fn changes_in(&self, from: i64, until: i64) -> bool {
        !self.changes_between(from, until).is_empty()
    }

    /// Whether the zone has had an offset as its standard time since 2000.
    pub fn has_recent_offset(&self, offset: i32) -> bool {
        let from = day_number(2000, 1, 1) * SECONDS_A_DAY;
        let until = day_number(2040, 1, 1) * SECONDS_A_DAY;
        self.offset_at(from) == offset
            || self
                .changes_between(from, until)
                .iter()
                .any(|change| change.after == offset && change.after < change.before)
    }
}

impl Change {
    /// The first clock time from which on the new offset reads it for sure.
    fn settled_at(&self) -> i64 {
        self.instant + i64::from(self.before.max(self.after))
    }

    /// The first clock time that the change skips or repeats.
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
            let zone = Behaviour::of_iana(&vector.tzid).unwrap();
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
        let change = |instant: i64, before: i32, after: i32| Change {
            instant,
            before,
            after,
            kind: ClockKind::Standard,
            abbreviation: "".into(),
        };
        let crowded = (0..100).map(|at| change(i64::from(at) * 3600, 60 * (at % 2), 60 * (1 - at % 2)));
        let sparse = [change(-60_000_000_000, 0, 50_000), change(60_000_000_000, 50_000, -50_000)];
        let zones = [
            Behaviour::of_changes(0, crowded.collect()),
            Behaviour::of_changes(0, sparse.to_vec()),
            Behaviour::fixed(3600),
            Behaviour::clone(&Behaviour::of_iana("Europe/Helsinki").unwrap()),
        ];
        for zone in &zones {
            let near = zone.changes.iter().map(|change| change.instant);
            let near =
                near.flat_map(|at| [-1 << 24, -90_000, -1, 0, 1, 3600, 90_000, 1 << 24].map(|by| at + by));
            for moment in near.chain([i64::MIN, -1, 0, 1, i64::MAX]) {
                let halved = zone.changes.partition_point(|change| change.instant <= moment);
                assert_eq!(zone.behind(moment, |change| change.instant <= moment), halved, "{moment}");
                let halved = zone.changes.partition_point(|change| change.settled_at() <= moment);
                assert_eq!(zone.behind(moment, |change| change.settled_at() <= moment), halved, "{moment}");
            }
        }
    }

    #[test]
    fn zones_compare_by_what_they_do_in_a_range() {
        let [helsinki, stockholm, athens] = ["Europe/Helsinki", "Europe/Stockholm", "Europe/Athens"]
            .map(|zone| Behaviour::of_iana(zone).unwrap());
        let (from, until) = (seconds("20200101T000000"), seconds("20300101T000000"));
        assert!(helsinki.agrees_with(&athens, from, until));
        assert!(!helsinki.agrees_with(&stockholm, from, until));
        assert!(!helsinki.agrees_with(&athens, seconds("19700101T000000"), until));
        assert!(Behaviour::of_iana("Europe/Atlantis").is_none());
    }
}
