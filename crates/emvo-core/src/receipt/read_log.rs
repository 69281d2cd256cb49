//! What became of every event, by the events themselves: each carries where it
//! was read from through every change.
//!
//! Nearly all events are written as they were read. So nothing is noted of an event but its text,
//! and only what is written otherwise is read again from there:
//!
//! ```text
//! read                      written
//! BEGIN:VEVENT … UID:1      the same text         written as it was: told from what is written
//! BEGIN:VEVENT … UID:2      a text of its own     read again, and compared field by field
//! BEGIN:VEVENT … UID:3                            read again, for its id, title and start
//! ```
//!
//! What has no text that is written as it stands (a row of a table, an event whose line ends have to
//! be put right) is noted in full, since it may be changed in place.

use std::borrow::Cow;
use std::cell::LazyCell;

use hashbrown::HashMap;
use rayon::prelude::*;

use super::fact::{Fact, Folded, Part, Traced};
use super::records::{EventRecord, Fate};
use crate::edit::{Change, Fold};
use emvo_ical::calendar::{Calendar, Event, Origin, Series};
use emvo_ical::content::parse;
use emvo_ical::zone::ZoneResolver;

/// An event as it was read.
#[derive(Clone, Debug)]
enum Noted<'t> {
    /// An event without overrides, by its text.
    Text(&'t str),
    /// A series, by the texts of its events.
    Texts(Box<[&'t str]>),
    Whole(Box<Fact>),
}

/// The events of all inputs as they were read.
#[derive(Clone, Debug, Default)]
pub struct ReadLog<'t> {
    /// How many events of other inputs come before.
    before: usize,
    books: Vec<Book<'t>>,
}

/// The events of a calendar.
#[derive(Clone, Debug)]
struct Book<'t> {
    path: String,
    /// What its zone names meant.
    zones: ZoneResolver,
    events: Vec<Noted<'t>>,
}

impl<'t> ReadLog<'t> {
    /// An empty list, behind the events of other inputs.
    pub fn behind(events: usize) -> Self {
        Self { before: events, books: Vec::new() }
    }

    /// How many events are noted here and before.
    pub fn end(&self) -> usize {
        self.before + self.books.iter().map(|book| book.events.len()).sum::<usize>()
    }

    /// Takes note of the events of a calendar, and marks each with where it comes
    /// from.
    pub fn note(&mut self, path: &str, calendar: &mut Calendar<'t>, zones: &ZoneResolver) {
        let before = self.end();
        let noted = calendar.series.par_iter().with_min_len(512).map(|series| Noted::of(series, zones));
        let events = noted.collect();
        self.books.push(Book { path: path.to_owned(), zones: zones.clone(), events });
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
        let books = of_inputs.iter().flat_map(|log| &log.books);
        let all: Vec<(&Book<'_>, &Noted<'_>)> =
            books.flat_map(|book| book.events.iter().map(move |noted| (book, noted))).collect();
        let (mut parts, mut added) = (Vec::new(), Vec::new());
        for (calendar, zones) in written {
            for series in &calendar.series {
                match series.lead().origin().map(Origin::position).filter(|place| *place < all.len()) {
                    Some(place) => parts.push(Part { place, series, zones }),
                    None => added.push(series),
                }
            }
        }
        // What stays in its order is sorted at once; parts of one event stay in theirs.
        parts.sort_by_key(|part| part.place);
        let parts = parts_of_each(all.len(), &parts);
        let told = told_of(&all, &parts, changes);
        let folded: Folded<'_> = folds.iter().map(|fold| ((&*fold.uid, &*fold.from), *fold)).collect();
        let record = |at: usize| {
            let (book, noted) = all[at];
            if let Some(series) = noted.unchanged(parts[at]) {
                return record_as_it_was(book, series);
            }
            let read = noted.read();
            let traced = Traced { path: &book.path, parts: parts[at], read: read.as_ref(), folded: &folded };
            noted.fact(read.as_ref(), &book.zones).record(&traced, told.of(at))
        };
        let mut records: Vec<EventRecord> =
            (0..all.len()).into_par_iter().with_min_len(512).map(record).collect();
        records.extend(added.into_iter().map(|series| {
            let lead = series.lead();
            let (uid, title) = (series.uid_text(), lead.title().unwrap_or_default());
            let record = EventRecord::of(Fate::Added, uid, title);
            EventRecord { start: lead.start().to_string(), ..record }
        }));
        records
    }
}

/// The parts of each of so many events; they are in order.
fn parts_of_each<'p, 'w, 'a>(count: usize, parts: &'p [Part<'w, 'a>]) -> Vec<&'p [Part<'w, 'a>]> {
    let mut rest = parts;
    let of_one = |place: usize| {
        let own = rest.iter().take_while(|part| part.place == place).count();
        let (own, behind) = rest.split_at(own);
        rest = behind;
        own
    };
    (0..count).map(of_one).collect()
}

/// An event that is written in the text in which it was read.
fn record_as_it_was(book: &Book<'_>, series: &Series<'_>) -> EventRecord {
    let lead = series.lead();
    let record = EventRecord::of(Fate::Written, series.uid_text(), lead.title().unwrap_or_default());
    EventRecord { path: book.path.clone(), start: lead.start().to_string(), ..record }
}

/// The changes of each event.
struct Told<'c>(HashMap<usize, Vec<&'c Change>>);

impl<'c> Told<'c> {
    fn of(&self, at: usize) -> &[&'c Change] {
        self.0.get(&at).map_or(&[], Vec::as_slice)
    }
}

/// The changes of each event: those that were followed from where it was read, and the
/// others by the id that it had, or has by now. Of several events with one id, the first
/// tells those: told of each, an id that a thousand events share would make a million.
fn told_of<'c>(
    all: &[(&Book<'_>, &Noted<'_>)],
    parts: &[&[Part<'_, '_>]],
    changes: &[&'c Change],
) -> Told<'c> {
    let by_id: LazyCell<HashMap<Cow<'_, str>, usize>, _> = LazyCell::new(|| {
        let mut by_id = HashMap::new();
        for (at, (book, noted)) in all.iter().enumerate() {
            by_id.entry(noted.uid(book, parts[at])).or_insert(at);
        }
        for (at, parts) in parts.iter().enumerate() {
            for part in *parts {
                by_id.entry(part.series.uid_text()).or_insert(at);
            }
        }
        by_id
    });
    let mut told: HashMap<usize, Vec<&Change>> = HashMap::new();
    for change in changes.iter().filter(|change| !change.uid.is_empty()) {
        let followed = change.origin.map(Origin::position).filter(|at| *at < all.len());
        if let Some(at) = followed.or_else(|| by_id.get(change.uid.as_str()).copied()) {
            told.entry(at).or_default().push(*change);
        }
    }
    Told(told)
}

impl<'t> Noted<'t> {
    fn of(series: &Series<'t>, zones: &ZoneResolver) -> Self {
        let mut texts = texts_of(series);
        match (texts.next(), texts.next()) {
            (Some(Some(text)), None) => Self::Text(text),
            _ => match texts_of(series).collect() {
                Some(texts) => Self::Texts(texts),
                None => Self::Whole(Box::new(Fact::of(series, zones))),
            },
        }
    }

    /// The texts that it was read from, if nothing else is known of it.
    fn texts(&self) -> &[&'t str] {
        match self {
            Self::Text(text) => std::slice::from_ref(text),
            Self::Texts(texts) => texts,
            Self::Whole(_) => &[],
        }
    }

    /// What was written of it, if that is its texts, and nothing else.
    fn unchanged<'w, 'a>(&self, parts: &[Part<'w, 'a>]) -> Option<&'w Series<'a>> {
        let [Part { series, .. }] = parts else { return None };
        let texts = self.texts();
        let mut written = texts_of(series);
        let are_there =
            texts.iter().all(|text| written.next().flatten().is_some_and(|there| std::ptr::eq(there, *text)));
        (!texts.is_empty() && are_there && written.next().is_none()).then_some(*series)
    }

    /// The series, read again from its texts; none where these were not noted.
    fn read(&self) -> Option<Series<'t>> {
        let read = |text: &&'t str| Event::read(parse(text).roots.pop()?, 0).ok();
        let mut events = self.texts().iter().filter_map(read);
        let mut series = Series::of(events.next()?);
        // The lead of a series comes first.
        events.for_each(|event| series.add_override(event));
        Some(series)
    }

    /// What is known of it, if need be by what was `read` again.
    fn fact(&self, read: Option<&Series<'_>>, zones: &ZoneResolver) -> Cow<'_, Fact> {
        match (self, read) {
            (Self::Whole(fact), _) => Cow::Borrowed(fact),
            (Self::Text(_) | Self::Texts(_), Some(read)) => Cow::Owned(Fact::of(read, zones)),
            (Self::Text(_) | Self::Texts(_), None) => {
                debug_assert!(false, "it was read before");
                Cow::Owned(Fact::default())
            }
        }
    }

    /// The id that it had.
    fn uid<'s>(&'s self, book: &Book<'_>, parts: &[Part<'s, '_>]) -> Cow<'s, str> {
        if let Some(series) = self.unchanged(parts) {
            return series.uid_text();
        }
        match self.fact(self.read().as_ref(), &book.zones) {
            Cow::Borrowed(fact) => Cow::Borrowed(&fact.uid),
            Cow::Owned(fact) => Cow::Owned(fact.uid.into_string()),
        }
    }
}

/// The texts that the events of a series stand in; none for one of which anything was changed.
fn texts_of<'s, 't>(series: &'s Series<'t>) -> impl Iterator<Item = Option<&'t str>> + use<'s, 't> {
    series.events().map(|event| event.component().source())
}
