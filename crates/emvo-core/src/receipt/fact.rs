//! An event as it was read, held against what was written of it.

use std::borrow::Cow;
use std::hash::{BuildHasher, Hash, Hasher};

use hashbrown::HashMap;

use super::records::{ChangeRecord, EventRecord, Fate, Now};
use crate::edit::{Change, Fold};
use crate::identity::{Detail, Statement, details_unlike, normalised};
use emvo_ical::calendar::fields::Field;
use emvo_ical::calendar::{Classification, Event, Series};
use emvo_ical::content::{Component, parse};
use emvo_ical::zone::ZoneResolver;

/// What was folded, by the id that it had and where it was read.
pub(super) type Folded<'f> = HashMap<(&'f str, &'f str), &'f Fold>;

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

/// An event as it was read, as far as a receipt needs it.
#[derive(Clone, Debug, Default)]
pub(super) struct Fact {
    pub(super) uid: Box<str>,
    title: Box<str>,
    start: Box<str>,
    instant: Option<i64>,
    fields: [u64; FIELDS.len()],
    /// All of its text.
    whole: u64,
    is_private: bool,
}

/// A series that was written, with where it was read.
#[derive(Clone, Copy)]
pub(super) struct Part<'w, 'a> {
    pub(super) place: usize,
    pub(super) series: &'w Series<'a>,
    pub(super) zones: &'w ZoneResolver,
}

/// What became of an event that is not written as it was read.
pub(super) struct Traced<'c, 'a> {
    pub(super) path: &'c str,
    /// What was written of it.
    pub(super) parts: &'c [Part<'c, 'c>],
    /// As it was, read again.
    pub(super) read: Option<&'c Series<'a>>,
    pub(super) folded: &'c Folded<'c>,
}

impl Fact {
    pub(super) fn of(series: &Series<'_>, zones: &ZoneResolver) -> Self {
        let lead = series.lead();
        Self {
            uid: series.uid_text().into(),
            title: lead.title().unwrap_or_default().into(),
            start: lead.start().to_string().into(),
            instant: zones.instant(lead.start()),
            fields: fields_of(lead),
            whole: whole_of(series),
            is_private: lead.classification() != Classification::Public,
        }
    }

    pub(super) fn record(&self, traced: &Traced<'_, '_>, told: &[&Change]) -> EventRecord {
        let Traced { path, parts, folded, .. } = *traced;
        let as_it_was = parts.len() == 1 && whole_of(parts[0].series) == self.whole;
        let fold = folded.get(&(&*self.uid, path)).copied();
        let fate = match (parts, fold) {
            ([], Some(_)) => Fate::Folded,
            ([], None) => Fate::Removed,
            _ if as_it_was => Fate::Written,
            _ => Fate::Changed,
        };
        let mut record = EventRecord {
            path: path.to_owned(),
            start: self.start.to_string(),
            into: (fate == Fate::Folded).then(|| fold.map(|fold| fold.into_uid().to_owned())).flatten(),
            ..EventRecord::of(fate, &*self.uid, &*self.title)
        };
        if fate == Fate::Changed {
            self.tell_changes(traced, &mut record);
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

    /// Which fields changed, and what its parts say by now.
    fn tell_changes(&self, traced: &Traced<'_, '_>, record: &mut EventRecord) {
        let parts = traced.parts;
        let fields: Vec<_> = parts.iter().map(|part| fields_of(part.series.lead())).collect();
        let differ = |at: &usize| fields.iter().any(|fields| fields[*at] != self.fields[*at]);
        record.fields = (0..FIELDS.len()).filter(differ).map(|at| FIELDS[at].name().to_owned()).collect();
        (record.gone, record.came) = details_exchanged(traced);
        let mut names: Vec<&str> =
            record.gone.iter().chain(&record.came).map(|one| one.field.as_str()).collect();
        names.sort_unstable();
        names.dedup();
        record.fields.extend(names.into_iter().map(str::to_owned));
        record.now = parts.iter().zip(&fields).map(|(part, fields)| self.now(part, fields)).collect();
    }

    fn now(&self, Part { series, zones, .. }: &Part<'_, '_>, fields: &[u64; FIELDS.len()]) -> Now {
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
fn details_exchanged(Traced { parts, read, .. }: &Traced<'_, '_>) -> (Vec<Statement>, Vec<Statement>) {
    let components = || parts.iter().map(|part| part.series.lead().component());
    let Some(text) = components().find_map(Component::origin) else { return (Vec::new(), Vec::new()) };
    let known = read
        .map(|series| series.lead().component())
        .filter(|lead| lead.origin().is_some_and(|own| std::ptr::eq(own, text)));
    let read_now = if known.is_some() { None } else { parse(text).roots.pop() };
    let Some(read) = known.or(read_now.as_ref()) else { return (Vec::new(), Vec::new()) };
    let mut gone: Option<Vec<Detail>> = None;
    let mut came: Vec<Detail> = Vec::new();
    for now in components() {
        let [lacking, new] = details_unlike(read, now);
        came.extend(new);
        gone = Some(match gone {
            None => lacking,
            Some(mut gone) => {
                gone.retain(|detail| lacking.contains(detail));
                gone
            }
        });
    }
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
