//! What became of every event, by the events themselves: each carries where it
//! was read from through every change.

use std::borrow::Cow;
use std::hash::{BuildHasher, Hash, Hasher};
use std::sync::Arc;

use hashbrown::HashMap;
use rayon::prelude::*;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::edit::{Change, Fold};
use crate::identity::{Detail, Statement, details_lacking, normalised};
use emvo_ical::calendar::fields::Field;
use emvo_ical::calendar::{Calendar, Classification, Event, Origin, Series};
use emvo_ical::content::{Component, parse};
use emvo_ical::zone::ZoneResolver;

/// An event as it was read, as far as a receipt needs it.
#[derive(Clone, Debug)]
struct Fact {
    path: Arc<str>,
    uid: Box<str>,
    title: Box<str>,
    start: Box<str>,
    instant: Option<i64>,
    fields: [u64; FIELDS.len()],
    /// All of its text.
    whole: u64,
    is_private: bool,
}

/// The events of all inputs as they were read.
#[derive(Clone, Debug, Default)]
pub struct ReadLog {
    /// How many events of other inputs come before.
    before: usize,
    all: Vec<Fact>,
}

/// What was folded, by the id that it had and where it was read.
type Folded<'f> = HashMap<(&'f str, &'f str), &'f Fold>;

/// What became of an event.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, JsonSchema, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Fate {
    /// It was written as it was.
    Written,
    /// It was written, changed.
    Changed,
    /// It became part of another.
    Folded,
    /// It was left out as asked.
    Removed,
    /// It was kept beside the output.
    SetAside,
    /// It was in no input.
    Added,
}

impl Fate {
    /// The name in answers.
    pub fn name(self) -> &'static str {
        match self {
            Self::Written => "written",
            Self::Changed => "changed",
            Self::Folded => "folded",
            Self::Removed => "removed",
            Self::SetAside => "set_aside",
            Self::Added => "added",
        }
    }
}

/// One event in a receipt.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema, Deserialize)]
pub struct EventRecord {
    /// The input it was read from; empty for one that was added.
    pub path: String,
    /// Its id there, empty if it had none.
    pub uid: String,
    /// Its title; empty for a private event that was left out or masked.
    pub title: String,
    /// When it started.
    pub start: String,
    /// What became of it.
    pub fate: Fate,
    /// The id of the event that it became part of.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub into: Option<String>,
    /// What it is now, where it is not as it was.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub now: Vec<Now>,
    /// Which of its fields changed.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub fields: Vec<String>,
    /// What it said besides its times and words and says no more.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub gone: Vec<Statement>,
    /// What it says besides and did not say.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub came: Vec<Statement>,
    /// The changes, with the rules behind them.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub changes: Vec<ChangeRecord>,
}

impl EventRecord {
    /// An event of which nothing is told but what became of it.
    pub fn of(fate: Fate, uid: impl Into<String>, title: impl Into<String>) -> Self {
        Self {
            path: String::new(),
            uid: uid.into(),
            title: title.into(),
            start: String::new(),
            fate,
            into: None,
            now: Vec::new(),
            fields: Vec::new(),
            gone: Vec::new(),
            came: Vec::new(),
            changes: Vec::new(),
        }
    }
}

/// An event as it was written.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, JsonSchema, Deserialize)]
pub struct Now {
    /// Its id.
    pub uid: String,
    /// When it starts.
    pub start: String,
    /// By how many seconds its start moved, where both are instants.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub shift: Option<i64>,
    /// Its title, if that changed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub title: Option<String>,
    /// Its place, if that changed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub location: Option<String>,
    /// Its description, if that changed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub description: Option<String>,
    /// Whether it is busy, if that changed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub busy: Option<bool>,
    /// Who may see it, if that changed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub private: Option<String>,
}

/// One change to an event.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema, Deserialize)]
pub struct ChangeRecord {
    /// The rule behind it; none for what was asked by option.
    pub rule: Option<String>,
    /// What it was.
    pub before: String,
    /// What it became.
    pub after: String,
}

/// The fields of which a receipt says whether they changed.
const FIELDS: [Field; 8] = [
    Field::Title,
    Field::Location,
    Field::Description,
    Field::Busy,
    Field::Private,
    Field::Start,
    Field::End,
    Field::Repeat,
];

impl ReadLog {
    /// An empty list, behind the events of other inputs.
    pub fn behind(events: usize) -> Self {
        Self { before: events, all: Vec::new() }
    }

    /// How many events are noted here and before.
    pub fn end(&self) -> usize {
        self.before + self.all.len()
    }

    /// Takes note of the events of a calendar, and marks each with where it comes
    /// from.
    pub fn note(&mut self, path: &str, calendar: &mut Calendar<'_>, zones: &ZoneResolver) {
        let path: Arc<str> = path.into();
        let before = self.end();
        self.all.par_extend(
            calendar.series.par_iter().with_min_len(512).map(|series| Fact::of(&path, series, zones)),
        );
        for (at, series) in calendar.series.iter_mut().enumerate() {
            let origin = Origin::at(before + at);
            series.events_mut().for_each(|event| event.set_origin(origin));
        }
    }

    /// What became of every event of these inputs, in the order in which they
    /// were noted, then what was added.
    pub fn fates(
        of_inputs: &[&Self],
        written: &[(&Calendar<'_>, &ZoneResolver)],
        folds: &[&Fold],
        changes: &[&Change],
    ) -> Vec<EventRecord> {
        let all: Vec<&Fact> = of_inputs.iter().flat_map(|facts| &facts.all).collect();
        let mut parts: Vec<Vec<(&Series<'_>, &ZoneResolver)>> = vec![Vec::new(); all.len()];
        let mut added = Vec::new();
        for (calendar, zones) in written {
            for series in &calendar.series {
                let place = series.lead().origin().map(Origin::position);
                match place.and_then(|place| parts.get_mut(place)) {
                    Some(parts) => parts.push((series, zones)),
                    None => added.push(series),
                }
            }
        }
        let told = told_of(&all, &parts, changes);
        let folded: Folded<'_> = folds.iter().map(|fold| ((&*fold.uid, &*fold.from), *fold)).collect();
        let mut records: Vec<EventRecord> = all
            .into_par_iter()
            .zip(parts)
            .zip(told)
            .with_min_len(512)
            .map(|((fact, parts), told)| fact.record(&parts, &folded, &told))
            .collect();
        records.extend(added.into_iter().map(|series| {
            let lead = series.lead();
            let (uid, title) = (series.uid_text(), lead.title().unwrap_or_default());
            let record = EventRecord::of(Fate::Added, uid, title);
            EventRecord { start: lead.start().to_string(), ..record }
        }));
        records
    }
}

/// The changes of each event: those that were followed from where it was read, and the
/// others by the id that it had, or has by now. Of several events with one id, the first
/// tells those: told of each, an id that a thousand events share would make a million.
fn told_of<'c>(
    all: &[&Fact],
    parts: &[Vec<(&Series<'_>, &ZoneResolver)>],
    changes: &[&'c Change],
) -> Vec<Vec<&'c Change>> {
    let mut by_id: HashMap<Cow<'_, str>, usize> = HashMap::new();
    for (at, fact) in all.iter().enumerate() {
        by_id.entry(Cow::Borrowed(&*fact.uid)).or_insert(at);
    }
    for (at, parts) in parts.iter().enumerate() {
        for (series, _) in parts {
            by_id.entry(series.uid_text()).or_insert(at);
        }
    }
    let mut told = vec![Vec::new(); all.len()];
    for change in changes.iter().filter(|change| !change.uid.is_empty()) {
        let followed = change.origin.map(Origin::position).filter(|at| *at < all.len());
        if let Some(at) = followed.or_else(|| by_id.get(change.uid.as_str()).copied()) {
            told[at].push(*change);
        }
    }
    told
}

impl Fact {
    fn of(path: &Arc<str>, series: &Series<'_>, zones: &ZoneResolver) -> Self {
        let lead = series.lead();
        Self {
            path: path.clone(),
            uid: series.uid_text().into(),
            title: lead.title().unwrap_or_default().into(),
            start: lead.start().to_string().into(),
            instant: zones.instant(lead.start()),
            fields: fields_of(lead),
            whole: whole_of(series),
            is_private: lead.classification() != Classification::Public,
        }
    }

    fn record(
        &self,
        parts: &[(&Series<'_>, &ZoneResolver)],
        folded: &Folded<'_>,
        told: &[&Change],
    ) -> EventRecord {
        let as_it_was = parts.len() == 1 && whole_of(parts[0].0) == self.whole;
        let fold = folded.get(&(&*self.uid, &*self.path)).copied();
        let fate = match (parts, fold) {
            ([], Some(_)) => Fate::Folded,
            ([], None) => Fate::Removed,
            _ if as_it_was => Fate::Written,
            _ => Fate::Changed,
        };
        let mut record = EventRecord {
            path: self.path.to_string(),
            start: self.start.to_string(),
            into: (fate == Fate::Folded).then(|| fold.map(|fold| fold.into_uid().to_owned())).flatten(),
            ..EventRecord::of(fate, &*self.uid, &*self.title)
        };
        if fate == Fate::Changed {
            let fields: Vec<_> = parts.iter().map(|(series, _)| fields_of(series.lead())).collect();
            let differ = |at: &usize| fields.iter().any(|fields| fields[*at] != self.fields[*at]);
            record.fields = (0..FIELDS.len()).filter(differ).map(|at| FIELDS[at].name().to_owned()).collect();
            (record.gone, record.came) = details_exchanged(parts);
            let mut names: Vec<&str> =
                record.gone.iter().chain(&record.came).map(|one| one.field.as_str()).collect();
            names.sort_unstable();
            names.dedup();
            record.fields.extend(names.into_iter().map(str::to_owned));
            let parts = parts.iter().zip(&fields);
            record.now = parts.map(|((series, zones), fields)| self.now(series, zones, fields)).collect();
        }
        let changes = told.iter().map(|change| ChangeRecord {
            rule: change.rule.map(str::to_owned),
            before: change.before.clone(),
            after: change.after.clone(),
        });
        record.changes = if fate == Fate::Written { Vec::new() } else { changes.collect() };
        let is_hidden = fate == Fate::Removed || record.fields.iter().any(|field| field == "title");
        if self.is_private && is_hidden {
            record.title = String::new();
            record.changes.clear();
            record.gone.clear();
            record.came.clear();
            record.now.iter_mut().for_each(|now| now.description = None);
        }
        record
    }

    fn now(&self, series: &Series<'_>, zones: &ZoneResolver, fields: &[u64; FIELDS.len()]) -> Now {
        let lead = series.lead();
        let changed = |at: usize, text: Option<Cow<'_, str>>| {
            (fields[at] != self.fields[at]).then(|| text.unwrap_or_default().into_owned())
        };
        let instants = self.instant.zip(zones.instant(lead.start()));
        Now {
            uid: series.uid_text().into_owned(),
            start: lead.start().to_string(),
            shift: instants.map(|(before, now)| now - before).filter(|shift| *shift != 0),
            title: changed(0, lead.title()),
            location: changed(1, lead.location()),
            description: changed(2, lead.description()),
            busy: (fields[3] != self.fields[3]).then(|| lead.is_busy()),
            private: (fields[4] != self.fields[4]).then(|| lead.classification().name().to_owned()),
        }
    }
}

/// What an event said besides when it was read and no part of it says now, and what
/// parts of it say now that it did not.
fn details_exchanged(parts: &[(&Series<'_>, &ZoneResolver)]) -> (Vec<Statement>, Vec<Statement>) {
    let components = || parts.iter().map(|(series, _)| series.lead().component());
    let Some(read) = components().find_map(Component::origin).and_then(|text| parse(text).roots.pop()) else {
        return (Vec::new(), Vec::new());
    };
    let gone = components().map(|now| details_lacking(&read, now));
    let gone = gone.reduce(|mut one, two| {
        one.retain(|detail| two.contains(detail));
        one
    });
    let mut came: Vec<Detail> = components().flat_map(|now| details_lacking(now, &read)).collect();
    came.sort();
    came.dedup();
    let told = |details: Vec<Detail>| details.into_iter().map(Statement::from).collect();
    (told(gone.unwrap_or_default()), told(came))
}

/// Numbers are compared within one run alone.
fn hasher() -> impl Hasher {
    foldhash::fast::FixedState::default().build_hasher()
}

fn hash_of(value: impl Hash) -> u64 {
    let mut hasher = hasher();
    value.hash(&mut hasher);
    hasher.finish()
}

fn fields_of(event: &Event<'_>) -> [u64; FIELDS.len()] {
    let text = |field: Field| hash_of(event.text(field.property()).map(|text| hash_of(normalised(&text))));
    [
        text(Field::Title),
        text(Field::Location),
        text(Field::Description),
        hash_of(event.is_busy()),
        hash_of(event.classification()),
        hash_of(event.start()),
        hash_of(event.end()),
        hash_of(event.rules().collect::<Vec<_>>()),
    ]
}

/// All that a series says, line by line.
fn whole_of(series: &Series<'_>) -> u64 {
    let mut hasher = hasher();
    for event in series.events() {
        hash_component(event.component(), &mut hasher);
    }
    hasher.finish()
}

fn hash_component(component: &Component<'_>, hasher: &mut impl Hasher) {
    for property in component.properties() {
        property.logical().hash(hasher);
    }
    for inner in component.components() {
        hash_component(inner, hasher);
    }
}
