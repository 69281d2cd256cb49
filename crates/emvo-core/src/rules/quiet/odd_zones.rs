//! Zones that are not what their names say, and clock times that they skip or repeat.

use super::wake::Awake;
use super::{Ask, CLOCKS_APART, Quiet, QuietEvent};
use emvo_ical::calendar::ZoneName;
use emvo_ical::day::SECONDS_A_DAY;
use emvo_ical::zone::{ClockReading, DefinitionExtent, Zone, ZoneKind, ZoneResolver, ZoneSource};

impl Quiet<'_> {
    /// Wakes those whose zone is not what its name says, and those whose start it skips or repeats.
    pub(super) fn wake_in_odd_zones(&self, ask: &Ask<'_>, awake: &mut Awake) {
        let in_use = self.zones.iter().zip(self.clocks_by_zone());
        let clocks: Vec<Option<OddClocks>> =
            in_use.map(|(name, clocks)| OddClocks::of(name.as_ref(), clocks?, ask)).collect();
        for (at, event) in self.events.iter().enumerate() {
            awake.0[at] |= clocks[usize::from(event.zone)].as_ref().is_none_or(|clocks| clocks.touch(event));
        }
    }

    /// Wakes those whose zone the file defines otherwise, or in no way that can be read.
    pub(super) fn wake_in_own_zones(&self, zones: &ZoneResolver, awake: &mut Awake) {
        let in_use = self.zones.iter().zip(self.clocks_by_zone());
        let is_odd: Vec<bool> = in_use
            .map(|(name, clocks)| {
                name.as_ref().zip(clocks).is_some_and(|(name, clocks)| !is_defined(name, clocks, zones))
            })
            .collect();
        for (at, event) in self.events.iter().enumerate() {
            awake.0[at] |= is_odd[usize::from(event.zone)];
        }
    }
}

/// Whether the file defines a zone as what its name says, between two times on its clock.
fn is_defined(name: &ZoneName, (from, until): (i64, i64), zones: &ZoneResolver) -> bool {
    let Some(entry) = zones.get(name) else { return false };
    let Some((zone, ZoneSource::Name)) = &entry.zone else { return false };
    let definition = entry.definitions.iter().find_map(|definition| definition.as_ref().ok());
    let (from, until) = (from - 2 * SECONDS_A_DAY, until + 2 * SECONDS_A_DAY);
    definition.is_some_and(|definition| {
        zone.kind() == ZoneKind::Iana
            && zone.name() == name.as_str()
            && definition.extent == DefinitionExtent::Whole
            && zone.transitions().agrees_with(&definition.transitions, from, until)
    })
}

/// The clock times that a zone skips or repeats.
struct OddClocks {
    /// UTC has none.
    zone: Option<Zone>,
    /// At which seconds of a day, and for how long.
    times: Vec<(i64, i64)>,
}

impl OddClocks {
    /// Those of a zone between two times on its clock; `None` if its name does not mean itself.
    fn of(name: Option<&ZoneName>, (from, until): (i64, i64), ask: &Ask<'_>) -> Option<Self> {
        let Some(name) = name else { return Some(Self { zone: None, times: Vec::new() }) };
        let zone = Zone::named(name.as_str())?;
        let means_itself = zone.kind() == ZoneKind::Iana && zone.name() == name.as_str() && !zone.is_utc();
        if !means_itself || ask.zones.map.contains_key(name.as_str()) {
            return None;
        }
        let times = zone.transitions().unsettled_clocks(from - CLOCKS_APART, until + CLOCKS_APART);
        let of_day = |(first, after): (i64, i64)| (first.rem_euclid(SECONDS_A_DAY), after - first);
        let mut times: Vec<(i64, i64)> = times.into_iter().map(of_day).collect();
        times.sort_unstable();
        times.dedup();
        Some(Self { zone: Some(zone), times })
    }

    /// Whether a start of an event is one of them: of a series, whether one may be.
    fn touch(&self, event: &QuietEvent) -> bool {
        let Some(zone) = &self.zone else { return false };
        let of_day = event.start.rem_euclid(SECONDS_A_DAY);
        let may_be =
            self.times.iter().any(|(from, length)| (of_day - from).rem_euclid(SECONDS_A_DAY) < *length);
        let transitions = zone.transitions();
        may_be && (event.repeats.is_some() || transitions.reading_of(event.start) != ClockReading::Once)
    }
}
