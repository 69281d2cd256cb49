//! The calendar around a series, looked at once for all rules.

use hashbrown::HashMap;
use std::collections::BTreeMap;
use std::sync::{Arc, OnceLock};

use jiff::civil::{Date, DateTime};

use super::d17_days_apart::{Runs, runs_of};
use super::event_edit::has_no_day;
use super::keys::Keys;
use super::quiet::Quiet;
use super::r18_until_short::{Midnight, midnight_of, tells_habit};
use super::twins::Twins;
use super::zone_uses::{Uses, uses_of_all};

use crate::fit::Limits;
use crate::roll::{Rolled, roll_by_shape};
use emvo_ical::calendar::{Calendar, Duration, Extent, Series, Uid, ZoneName, ZoneRef};
use emvo_ical::recurrence::{Recurrence, Window, rule_in_words};
use emvo_ical::zone::{
    Definition, DefinitionError, Zone, ZoneKind, ZoneResolver, ZoneSource, zones_that_agree,
};

/// From which share of the timed events on a zone counts as the calendar's.
const MOST: (usize, usize) = (2, 3);
/// Fewer timed events than this say nothing about a habit.
const ENOUGH_EVENTS: usize = 3;
/// Fewer single events may follow a rule by chance.
pub(super) const LEAST_FLATTENED: usize = 4;

/// What a check is told besides the calendar.
#[derive(Clone, Debug, Default)]
pub struct CheckOptions {
    /// The zone in which a destination reads everything.
    pub forced_zone: Option<Zone>,
    /// Definitions of the inputs before this one.
    pub others: Vec<OtherDefinition>,
    /// What a start that its rule does not pick becomes (R04).
    pub start_as: StartAs,
    /// What the destination accepts.
    pub limits: Option<Limits>,
    /// The length of timed events that have none (D05).
    pub length: Option<Duration>,
    /// What a plan says moves.
    pub plan_window: Option<Window>,
    /// How far a rule of exceptions without end is written out (R10).
    pub horizon: Option<Date>,
    /// The time now, in UTC (D16).
    pub now: Option<DateTime>,
}

/// What a start that its rule does not pick becomes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum StartAs {
    /// A further date beside the rule.
    #[default]
    Extra,
    /// It moves to the first date of the rule.
    Move,
}

/// A zone definition of another input.
#[derive(Clone, Debug)]
pub struct OtherDefinition {
    /// The input.
    pub path: String,
    /// The definition.
    pub definition: Definition,
}

/// A calendar, and what is known about its zones.
#[derive(Debug)]
pub struct Context<'c, 'a> {
    /// The calendar.
    pub calendar: &'c Calendar<'a>,
    /// Its events that were not read, since no rule has anything to say about them.
    pub(super) quiet: &'c Quiet<'a>,
    /// What its zone names mean.
    pub zones: &'c ZoneResolver,
    /// Where it lives, if that is known: by its own word, else the house zone,
    /// else by habit.
    pub home: Option<Home>,
    /// The zone of its floating times, if a person or the calendar names one:
    /// here the person goes first.
    pub floating_home: Option<Home>,
    /// What else was told.
    pub options: &'c CheckOptions,
    /// By name, in order.
    facts: Vec<ZoneFacts>,
    /// For each series, in order.
    uses: Vec<Uses>,
    /// Single events that are one series, by their first; found when asked for.
    rolled: OnceLock<HashMap<usize, Arc<Rolled>>>,
    runs_of_days: OnceLock<Runs>,
    midnight_ends: OnceLock<(usize, usize)>,
    middle_year: OnceLock<i16>,
    all_day_habit: OnceLock<AllDayHabit>,
    pub(super) keys: OnceLock<Keys>,
    pub(super) twins: OnceLock<Twins>,
    /// Ids for series that have none.
    pub(super) derived_uids: OnceLock<HashMap<usize, Uid<'static>>>,
}

/// How the all-day events of a calendar end.
#[derive(Clone, Copy, Debug)]
pub(super) struct AllDayHabit {
    /// How many end on the day they start.
    pub(super) on_own_day: usize,
    /// How many end on the day after, as one day does.
    pub(super) on_next_day: usize,
    /// How many end later.
    pub(super) later: usize,
}

/// The zone a calendar lives in.
#[derive(Clone, Debug)]
pub struct Home {
    /// The zone.
    pub zone: Zone,
    /// How that is known.
    pub evidence: Evidence,
}

/// What speaks for a zone as a calendar's home.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Evidence {
    /// A person said so.
    House,
    /// The calendar states it.
    Stated,
    /// The first number of timed events, of the second, are in it.
    Siblings(usize, usize),
}

impl Home {
    /// The evidence in words.
    pub fn words(&self) -> String {
        match self.evidence {
            Evidence::House => "the house zone".to_owned(),
            Evidence::Stated => "the calendar states it".to_owned(),
            Evidence::Siblings(some, all) => format!("{some} of {all} timed events are in it"),
        }
    }
}

/// What is known about one zone name in use.
#[derive(Clone, Debug)]
pub struct ZoneFacts {
    /// The name as it stands.
    pub name: ZoneName,
    /// The zone it means, and whose word that is.
    pub meaning: Option<(Zone, ZoneSource)>,
    /// The IANA zone to call it by, where the name is another one.
    pub alias_of: Option<Zone>,
    /// The file's definition, if it has one that can be read.
    pub definition: Option<Definition>,
    /// Why the file's definition cannot be read.
    pub definition_error: Option<DefinitionError>,
    /// Whether the file defines the name at all.
    pub is_defined: bool,
    /// Whether the file defines it twice and otherwise.
    pub is_defined_twice: bool,
    /// Whether the definition does what the meant zone does over the instants
    /// in use; true where there is nothing to compare.
    pub agrees: bool,
    /// The instants in use.
    pub span: (i64, i64),
    /// IANA zones that do what a private definition does.
    pub candidates: Vec<Zone>,
}

/// A series with the facts about the zones it uses.
#[derive(Debug)]
pub struct Subject<'s, 'a> {
    /// Its place in the calendar.
    pub index: usize,
    /// The series.
    pub series: &'s Series<'a>,
    /// The zone names that its times refer to, each once.
    pub zones: Vec<&'s ZoneFacts>,
    /// The first and the last instant that it uses.
    pub span: (i64, i64),
    /// When it has dates; `None` if it does not repeat.
    pub(super) recurrence: Option<Recurrence>,
    /// What zone names mean.
    pub(super) book: &'s ZoneResolver,
}

impl Subject<'_, '_> {
    /// How the series repeats, in words; empty if it does not.
    pub(super) fn in_words(&self) -> String {
        let lead = self.series.lead();
        let words: Vec<String> =
            lead.rules().map(|rule| rule_in_words(&rule, lead.start(), self.book)).collect();
        words.join(" & ")
    }
}

impl<'c, 'a> Context<'c, 'a> {
    /// Looks at a calendar as a whole.
    pub fn of(
        calendar: &'c Calendar<'a>,
        zones: &'c ZoneResolver,
        house: Option<&Zone>,
        options: &'c CheckOptions,
    ) -> Self {
        Self::beside(Quiet::NONE, calendar, zones, house, options)
    }

    /// Looks at a calendar of which some events were not read.
    pub fn beside(
        quiet: &'c Quiet<'a>,
        calendar: &'c Calendar<'a>,
        zones: &'c ZoneResolver,
        house: Option<&Zone>,
        options: &'c CheckOptions,
    ) -> Self {
        let stated = zones.stated_zone().map(|zone| Home { zone: zone.clone(), evidence: Evidence::Stated });
        let house = house.map(|zone| Home { zone: zone.clone(), evidence: Evidence::House });
        let floating_home = house.clone().or_else(|| stated.clone());
        let home = stated.or(house).or_else(|| home_by_habit(calendar, quiet, zones));
        let (known, uses) = uses_of_all(calendar, quiet, zones);
        let mut context = Self {
            calendar,
            quiet,
            zones,
            home,
            floating_home,
            options,
            facts: Vec::new(),
            uses,
            rolled: OnceLock::new(),
            runs_of_days: OnceLock::new(),
            midnight_ends: OnceLock::new(),
            middle_year: OnceLock::new(),
            all_day_habit: OnceLock::new(),
            keys: OnceLock::new(),
            twins: OnceLock::new(),
            derived_uids: OnceLock::new(),
        };
        context.facts = known.into_iter().map(|(name, span)| context.facts_about(name, span)).collect();
        context
    }

    fn facts_about(&self, name: ZoneName, span: (i64, i64)) -> ZoneFacts {
        let (from, until) = span;
        let entry = self.zones.get(&name);
        let meaning = match entry {
            Some(entry) => entry.zone.clone(),
            None => self.zones.zone_named(&name).map(|zone| (zone, ZoneSource::Name)),
        };
        let definitions = entry.map(|entry| entry.definitions.as_slice()).unwrap_or_default();
        let readable: Vec<&Definition> =
            definitions.iter().filter_map(|definition| definition.as_ref().ok()).collect();
        let definition = readable.first().map(|definition| (*definition).clone());
        let is_defined_twice = readable
            .iter()
            .skip(1)
            .any(|other| !other.transitions.agrees_with(&readable[0].transitions, from, until));
        let by_word =
            meaning.as_ref().filter(|(_, source)| *source != ZoneSource::Definition).map(|(zone, _)| zone);
        let agrees = match (by_word, &definition) {
            (Some(zone), Some(definition)) => {
                zone.transitions().agrees_with(&definition.transitions, from, until)
            }
            _ => true,
        };
        let is_private = by_word.is_none() && definition.is_some();
        let candidates = match &definition {
            Some(definition) if is_private => zones_that_agree(&definition.transitions, from, until),
            _ => Vec::new(),
        };
        ZoneFacts {
            alias_of: by_word.filter(|zone| is_alias(&name, zone)).cloned(),
            is_defined: !definitions.is_empty(),
            definition_error: definitions.iter().find_map(|definition| definition.as_ref().err().cloned()),
            is_defined_twice,
            agrees,
            span,
            candidates,
            definition,
            meaning,
            name,
        }
    }

    /// A series with the facts about its zones.
    pub fn subject<'s>(&'s self, index: usize, series: &'s Series<'a>) -> Subject<'s, 'a> {
        let uses = &self.uses[index];
        let zones = uses.names.places().iter().map(|place| &self.facts[*place as usize]).collect();
        let master = series.master().filter(|master| master.repeats());
        let recurrence = master.map(|master| Recurrence::of(master, self.zones));
        Subject { index, series, zones, span: uses.span, recurrence, book: self.zones }
    }

    /// The series that single events were taken from, of which this is the
    /// first.
    pub(super) fn rolled_at(&self, index: usize) -> Option<&Arc<Rolled>> {
        self.rolled().get(&index)
    }

    pub(super) fn rolled(&self) -> &HashMap<usize, Arc<Rolled>> {
        self.rolled.get_or_init(|| {
            let all = &self.calendar.series;
            let found = roll_by_shape(all, self.zones, LEAST_FLATTENED, &self.keys().shape);
            found.into_iter().map(|rolled| (rolled.members[0], Arc::new(rolled))).collect()
        })
    }

    /// Whole days of one title that follow each other.
    pub(super) fn runs_of_days(&self) -> &Runs {
        self.runs_of_days.get_or_init(|| runs_of(self.calendar))
    }

    /// The year in the middle of all starts.
    pub(super) fn middle_year(&self) -> i16 {
        *self.middle_year.get_or_init(|| {
            let starts = self.calendar.series.iter().map(|series| series.lead().start().date().year());
            middle_of(starts.chain(self.quiet.years()))
        })
    }

    /// How the all-day events end.
    pub(super) fn all_day_habit(&self) -> AllDayHabit {
        *self.all_day_habit.get_or_init(|| {
            let mut habit = AllDayHabit { on_own_day: 0, on_next_day: 0, later: 0 };
            for event in self.calendar.events().filter(|event| event.is_all_day()) {
                let Extent::End(end) = event.extent() else { continue };
                let next = event.start().date().tomorrow().ok();
                *(if has_no_day(event) {
                    &mut habit.on_own_day
                } else if next == Some(end.date()) {
                    &mut habit.on_next_day
                } else {
                    &mut habit.later
                }) += 1;
            }
            habit
        })
    }

    /// How many of the series that end at a midnight have a date later that
    /// day, of how many.
    pub(super) fn midnight_ends(&self) -> (usize, usize) {
        *self.midnight_ends.get_or_init(|| {
            let series = self.calendar.series.iter().filter(|series| tells_habit(series));
            let ends: Vec<Midnight> = series.filter_map(|series| midnight_of(series, self.zones)).collect();
            let losing = ends.iter().filter(|end| matches!(end, Midnight::LosesDate(_))).count();
            (losing, ends.len())
        })
    }

    /// The facts about every name in use, in order.
    pub fn zone_facts(&self) -> impl Iterator<Item = &ZoneFacts> {
        self.facts.iter()
    }

    /// The zone definitions of the calendar, for the inputs behind it to agree
    /// with; `path` is how people know it.
    pub fn definitions(&self, path: &str) -> Vec<OtherDefinition> {
        let definitions = self.zone_facts().filter_map(|facts| facts.definition.clone());
        definitions.map(|definition| OtherDefinition { path: path.to_owned(), definition }).collect()
    }
}

/// The year in the middle of some; 0 if there is none.
pub(super) fn middle_of(years: impl Iterator<Item = i16>) -> i16 {
    let mut years: Vec<i16> = years.collect();
    let middle = years.len() / 2;
    if years.is_empty() { 0 } else { *years.select_nth_unstable(middle).1 }
}

/// Whether a zone has another name than the one that stands for it.
fn is_alias(name: &ZoneName, zone: &Zone) -> bool {
    zone.kind() == ZoneKind::Iana && zone.name() != name.as_str()
}

fn home_by_habit(calendar: &Calendar<'_>, quiet: &Quiet<'_>, zones: &ZoneResolver) -> Option<Home> {
    let mut counts: BTreeMap<ZoneName, usize> = BTreeMap::new();
    let mut timed = 0;
    for series in &calendar.series {
        let start = series.lead().start();
        timed += usize::from(!start.is_date());
        if let ZoneRef::Named(name) = start.zone() {
            *counts.entry(name.clone()).or_insert(0) += 1;
        }
    }
    for (name, starts) in quiet.starts_by_zone() {
        timed += starts;
        if let Some(name) = name {
            *counts.entry(name.clone()).or_insert(0) += starts;
        }
    }
    let (name, count) = counts.into_iter().max_by_key(|(_, count)| *count)?;
    if timed < ENOUGH_EVENTS || count * MOST.1 < timed * MOST.0 {
        return None;
    }
    let zone = zones.zone_named(&name).filter(|zone| zone.kind() == ZoneKind::Iana)?;
    Some(Home { zone, evidence: Evidence::Siblings(count, timed) })
}
