//! Which zone each name of a calendar means.

use hashbrown::HashMap;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use rayon::prelude::*;

use super::definition::{Definition, DefinitionError};
use super::names::{NameMeaning, may_stand_for, meaning_of};
use super::transitions::Transitions;
use crate::calendar::{Calendar, EventTime, Extent, Series, ZoneName, ZoneRef};
use crate::day::{clock_at, clock_seconds};

/// A zone that is known to behave in some way.
#[derive(Clone, Debug)]
pub struct Zone {
    name: Arc<str>,
    kind: ZoneKind,
    transitions: Arc<Transitions>,
}

/// Where a zone's transitions come from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ZoneKind {
    /// The tz database.
    Iana,
    /// The offset in its name.
    Fixed,
    /// A definition in the file that no name in the tz database explains.
    Own,
}

/// How often names occur. The one that was met last is counted beside the others: most often it
/// comes again.
#[derive(Default)]
struct NameCounts<'c> {
    all: HashMap<&'c ZoneName, usize>,
    last: Option<(&'c ZoneName, usize)>,
}

impl<'c> NameCounts<'c> {
    fn add(&mut self, name: &'c ZoneName) {
        match &mut self.last {
            Some((last, count)) if *last == name => *count += 1,
            _ => self.put_last_away(Some((name, 1))),
        }
    }

    fn put_last_away(&mut self, next: Option<(&'c ZoneName, usize)>) {
        if let Some((name, count)) = std::mem::replace(&mut self.last, next) {
            *self.all.entry(name).or_insert(0) += count;
        }
    }
}

/// The names that the starts and ends of a calendar refer to, and how often.
fn names_in_times<'c>(calendar: &'c Calendar<'_>) -> BTreeMap<&'c ZoneName, usize> {
    let add = |mut names: NameCounts<'c>, series: &'c Series<'_>| {
        for event in series.events() {
            let end = if let Extent::End(end) = event.extent() { Some(end) } else { None };
            [Some(event.start()), end]
                .into_iter()
                .flatten()
                .filter_map(named)
                .for_each(|name| names.add(name));
        }
        names
    };
    let unite = |mut one: NameCounts<'c>, mut two: NameCounts<'c>| {
        two.put_last_away(None);
        for (name, count) in two.all {
            *one.all.entry(name).or_insert(0) += count;
        }
        one
    };
    let all = calendar.series.par_iter().with_min_len(1024);
    let mut names = all.fold(NameCounts::default, add).reduce(NameCounts::default, unite);
    names.put_last_away(None);
    names.all.into_iter().collect()
}

impl Zone {
    /// Coordinated Universal Time.
    pub fn utc() -> Self {
        Self { name: "Etc/UTC".into(), kind: ZoneKind::Iana, transitions: Arc::new(Transitions::fixed(0)) }
    }

    /// The zone that a name means, without any file to ask.
    pub fn named(name: &str) -> Option<Self> {
        match meaning_of(name)? {
            NameMeaning::Iana(name) => Self::iana(name),
            NameMeaning::Offset(minutes) => {
                let transitions = Arc::new(Transitions::fixed(i32::from(minutes) * 60));
                Some(Self { name: name.trim().into(), kind: ZoneKind::Fixed, transitions })
            }
        }
    }

    fn iana(name: &str) -> Option<Self> {
        Some(Self { name: name.into(), kind: ZoneKind::Iana, transitions: Transitions::of_iana(name)? })
    }

    fn own(definition: &Definition) -> Self {
        let transitions = Arc::new(definition.transitions.clone());
        Self { name: definition.tzid.as_str().into(), kind: ZoneKind::Own, transitions }
    }

    /// Its name: IANA's where it is IANA's, else as the file has it.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Where its transitions come from.
    pub fn kind(&self) -> ZoneKind {
        self.kind
    }

    /// What its clocks do.
    pub fn transitions(&self) -> &Transitions {
        &self.transitions
    }

    /// Whether this is UTC, under whichever name.
    pub fn is_utc(&self) -> bool {
        matches!(&*self.name, "Etc/UTC" | "UTC")
    }

    /// How events refer to it: UTC has a form of its own.
    pub fn to_ref(&self) -> ZoneRef {
        match ZoneName::new(&self.name) {
            Some(name) if !self.is_utc() => ZoneRef::Named(name),
            _ => ZoneRef::Utc,
        }
    }
}

impl PartialEq for Zone {
    fn eq(&self, other: &Self) -> bool {
        self.name == other.name && self.kind == other.kind
    }
}

/// What a person said about zones, for all inputs.
#[derive(Clone, Debug, Default)]
pub struct ZoneChoices {
    /// The house zone: for times that carry none.
    pub house: Option<Zone>,
    /// What names mean that nobody else knows.
    pub map: BTreeMap<String, Zone>,
}

/// Why a name means what it means.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ZoneSource {
    /// A person said so.
    Map,
    /// The name itself says so.
    Name,
    /// The file's own definition does.
    Definition,
}

/// All that is known about one zone name of a calendar.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct ZoneEntry {
    /// The zone, and whose word that is; `None` if nobody knows.
    pub zone: Option<(Zone, ZoneSource)>,
    /// The file's definitions under this name, in order.
    pub definitions: Vec<Result<Definition, DefinitionError>>,
}

/// What is known about the names of a calendar, in their order. Every time of every event asks
/// for one of them, and most calendars have a few: these are compared one by one.
#[derive(Clone, Debug, Default)]
struct Entries(Vec<(ZoneName, ZoneEntry)>);

impl Entries {
    /// So many names are compared sooner than they are searched for.
    const FEW: usize = 8;

    fn get(&self, name: &ZoneName) -> Option<&ZoneEntry> {
        if self.0.len() <= Self::FEW {
            return self.0.iter().find(|(known, _)| known == name).map(|(_, entry)| entry);
        }
        let at = self.0.binary_search_by(|(known, _)| known.cmp(name)).ok()?;
        Some(&self.0[at].1)
    }

    fn insert(&mut self, name: ZoneName, entry: ZoneEntry) {
        match self.0.binary_search_by(|(known, _)| known.cmp(&name)) {
            Ok(at) => self.0[at].1 = entry,
            Err(at) => self.0.insert(at, (name, entry)),
        }
    }
}

/// The zones of one calendar, by the names it uses. Each is resolved once.
#[derive(Clone, Debug, Default)]
pub struct ZoneResolver {
    entries: Entries,
    floating: Option<Zone>,
    stated: Option<Zone>,
    map: BTreeMap<String, Zone>,
    /// Zones that the calendar is known to live in: of several that a name may stand
    /// for, the first that is among them is meant.
    homes: Vec<Zone>,
}

impl ZoneResolver {
    /// Looks up every name that the calendar's definitions and times use.
    ///
    /// A person's word counts first, then a name that means a zone, then the
    /// file's own definition: people agreed on clock times, and destinations go
    /// by the name.
    pub fn of(calendar: &Calendar<'_>, choices: &ZoneChoices) -> Self {
        Self::beside(&BTreeMap::new(), calendar, choices)
    }

    /// The same for a calendar of which some events were not read: the names in their starts and
    /// ends, and how often they stand there.
    pub fn beside(more: &BTreeMap<ZoneName, usize>, calendar: &Calendar<'_>, choices: &ZoneChoices) -> Self {
        let stated = calendar.stated_zone().and_then(|name| Zone::named(&name));
        let floating = choices.house.clone().or_else(|| stated.clone());
        let mut in_use = names_in_times(calendar);
        for (name, count) in more {
            *in_use.entry(name).or_insert(0) += count;
        }
        let homes = stated.iter().chain(&choices.house).cloned().chain(homes_by_use(&in_use)).collect();
        let mut book =
            Self { entries: Entries::default(), floating, stated, map: choices.map.clone(), homes };
        let mut definitions: BTreeMap<ZoneName, Vec<_>> = BTreeMap::new();
        for zone in &calendar.zones {
            let name = zone.it.text("TZID").and_then(|name| ZoneName::new(name.trim()));
            if let Some(name) = name {
                definitions.entry(name).or_default().push(Definition::read(&zone.it));
            }
        }
        for (name, definitions) in definitions {
            let entry = book.entry(&name, definitions);
            book.entries.insert(name, entry);
        }
        for name in in_use.into_keys() {
            if book.entries.get(name).is_none() {
                let entry = book.entry(name, Vec::new());
                book.entries.insert(name.clone(), entry);
            }
        }
        book
    }

    fn entry(&self, name: &ZoneName, definitions: Vec<Result<Definition, DefinitionError>>) -> ZoneEntry {
        let mapped = self.map.get(name.as_str()).map(|zone| (zone.clone(), ZoneSource::Map));
        let zone = mapped.or_else(|| Some((self.meant_by(name)?, ZoneSource::Name))).or_else(|| {
            let definition = definitions.iter().find_map(|definition| definition.as_ref().ok())?;
            let by_location = definition.location.as_deref().and_then(Zone::named);
            let agrees = |zone: &Zone| {
                // A location that the definition contradicts is a leftover.
                let (from, until) = super::span_of_interest();
                zone.transitions.agrees_with(&definition.transitions, from, until)
            };
            let zone = by_location.filter(agrees).unwrap_or_else(|| Zone::own(definition));
            Some((zone, ZoneSource::Definition))
        });
        ZoneEntry { zone, definitions }
    }

    /// The zone that a name means by itself. A Windows id stands for several: where the
    /// calendar lives in one of them, which does the same, it is that one, so that one
    /// name has one meaning in all that is said of a calendar.
    fn meant_by(&self, name: &ZoneName) -> Option<Zone> {
        let zone = Zone::named(name.as_str())?;
        if zone.kind != ZoneKind::Iana || zone.name() == name.as_str() {
            return Some(zone);
        }
        let (from, until) = super::span_of_interest();
        let is_meant = |home: &&Zone| {
            may_stand_for(name.as_str(), home.name())
                && home.transitions.agrees_with(&zone.transitions, from, until)
        };
        Some(self.homes.iter().find(is_meant).cloned().unwrap_or(zone))
    }

    /// What is known about a name.
    pub fn get(&self, name: &ZoneName) -> Option<&ZoneEntry> {
        self.entries.get(name)
    }

    /// The names known here, in order.
    pub fn names(&self) -> BTreeSet<&ZoneName> {
        self.entries.0.iter().map(|(name, _)| name).collect()
    }

    /// The zone that a name means.
    pub fn zone_named(&self, name: &ZoneName) -> Option<Zone> {
        match self.entries.get(name) {
            Some(entry) => entry.zone.as_ref().map(|(zone, _)| zone.clone()),
            None => self.map.get(name.as_str()).cloned().or_else(|| self.meant_by(name)),
        }
    }

    /// The zone in which a time is to be read. Floating times are read in the
    /// house zone or else the calendar's stated zone, if there is either.
    pub fn zone_of(&self, zone: &ZoneRef) -> Option<Zone> {
        match zone {
            ZoneRef::Floating => self.floating.clone(),
            ZoneRef::Utc => Some(Zone::utc()),
            ZoneRef::Named(name) => self.zone_named(name),
        }
    }

    /// A time at its instant in another zone; in UTC where that zone's clock
    /// would be read as another instant. `None` for dates and where nobody knows
    /// the instant.
    pub fn time_in(&self, time: &EventTime, zone: &Zone) -> Option<EventTime> {
        self.time_in_called(time, zone, &zone.to_ref())
    }

    /// The same, where a file has a name of its own for the zone.
    pub fn time_in_called(&self, time: &EventTime, zone: &Zone, name: &ZoneRef) -> Option<EventTime> {
        let instant = self.instant(time)?;
        let clock = zone.transitions.clock_at(instant);
        if zone.transitions.instant_of(clock) != instant {
            return Some(EventTime::Clock { at: clock_at(instant)?, zone: ZoneRef::Utc });
        }
        Some(EventTime::Clock { at: clock_at(clock)?, zone: name.clone() })
    }

    /// Asks the transitions of a time's zone something, without a copy of it.
    pub fn with_transitions<T>(&self, zone: &ZoneRef, ask: impl Fn(&Transitions) -> T) -> Option<T> {
        match zone {
            ZoneRef::Utc => None,
            ZoneRef::Named(name) => match self.entries.get(name) {
                Some(entry) => entry.zone.as_ref().map(|(zone, _)| ask(&zone.transitions)),
                None => self.zone_of(zone).map(|zone| ask(&zone.transitions)),
            },
            ZoneRef::Floating => self.floating.as_ref().map(|zone| ask(&zone.transitions)),
        }
    }

    /// The zone in which floating times and dates are read.
    pub fn floating_zone(&self) -> Option<&Zone> {
        self.floating.as_ref()
    }

    /// The zone that the calendar states for itself, if its name means one.
    pub fn stated_zone(&self) -> Option<&Zone> {
        self.stated.as_ref()
    }

    /// The instant of a clock time, in seconds since 1970 in UTC. `None` for
    /// dates, and where the zone is unknown.
    pub fn instant(&self, time: &EventTime) -> Option<i64> {
        let EventTime::Clock { at, zone } = time else { return None };
        let clock = clock_seconds(*at);
        match zone {
            ZoneRef::Utc => Some(clock),
            // The way almost all times go: nothing is cloned.
            ZoneRef::Named(name) => match self.entries.get(name) {
                Some(entry) => Some(entry.zone.as_ref()?.0.transitions.instant_of(clock)),
                None => Some(self.zone_of(zone)?.transitions.instant_of(clock)),
            },
            ZoneRef::Floating => Some(self.floating.as_ref()?.transitions.instant_of(clock)),
        }
    }
}

/// The IANA zones that a calendar refers to by their own names, those in use most
/// first.
fn homes_by_use(in_use: &BTreeMap<&ZoneName, usize>) -> Vec<Zone> {
    let mut names: Vec<(&ZoneName, usize)> = in_use.iter().map(|(name, count)| (*name, *count)).collect();
    names.sort_by_key(|(_, count)| std::cmp::Reverse(*count));
    let zones = names.into_iter().filter_map(|(name, _)| Some((name, Zone::named(name.as_str())?)));
    zones.filter(|(name, zone)| zone.name() == name.as_str()).map(|(_, zone)| zone).collect()
}

fn named(time: &EventTime) -> Option<&ZoneName> {
    match time.zone() {
        ZoneRef::Named(name) => Some(name),
        ZoneRef::Floating | ZoneRef::Utc => None,
    }
}

/// The IANA zones that do what a definition does over an inclusive range of
/// instants, by name.
pub fn zones_that_agree(transitions: &Transitions, from: i64, until: i64) -> Vec<Zone> {
    let zones = super::names::places().filter_map(Zone::iana);
    zones.filter(|zone| zone.transitions.agrees_with(transitions, from, until)).collect()
}
