//! The answer of a list of dates. However long it is, it is told some lines at a time.

use std::cell::RefCell;
use std::convert::Infallible;
use std::fmt::Write as _;

use emvo_ical::recurrence::{Ceiling, Window};
use jiff::civil::Date;
use schemars::JsonSchema;
use serde::ser::SerializeSeq as _;
use serde::{Serialize, Serializer};

use super::date_grids::{day_and_time, tell_grids};
use super::date_lines::{DateLine, EventCells};
use super::date_list::{DateList, Listing, Told};
use super::list::{SortArg, unread_line, wrote_line};
use super::{Answer, Detail, Stream, told_text};
use crate::input::{Given, Source, given};
use crate::terminal::{HungUp, STRONG, Say, WARNING, counted, sanitized, styled};

/// A list of dates, and what was asked for.
pub(crate) struct Dates<'d, 't> {
    list: DateList<'d, 't>,
    sources: &'d [Source<'t>],
    pub(crate) listing: Listing<'d>,
    /// The file that the list goes to.
    output: Option<String>,
    /// What was in the list, once it has been walked.
    told: RefCell<Option<Told>>,
}

impl<'d, 't> Dates<'d, 't> {
    pub(crate) fn of(sources: &'d [Source<'t>], listing: Listing<'d>, output: Option<String>) -> Self {
        let list = DateList::of(sources, listing);
        Self { list, sources, listing, output, told: RefCell::new(None) }
    }

    /// Takes the lines in their order, some at a time, until there are none or it fails.
    pub(crate) fn walk<E>(&self, take: impl FnMut(&[DateLine]) -> Result<(), E>) -> Result<Told, E> {
        let told = self.list.walk(take)?;
        *self.told.borrow_mut() = Some(told.clone());
        Ok(told)
    }

    /// What is in the list.
    pub(crate) fn told(&self) -> Told {
        let known = self.told.borrow().clone();
        known.unwrap_or_else(|| {
            let Ok(told) = self.walk(|_| Ok::<_, Infallible>(()));
            told
        })
    }
}

impl Answer for Dates<'_, '_> {
    const COMMAND: &'static str = "dates";

    fn text(&self, detail: Detail) -> String {
        told_text(self, detail)
    }

    fn tell(&self, _: Detail, say: &mut Say<'_>) -> Result<(), HungUp> {
        match &self.output {
            None => tell_grids(self, say, || nothing(self)),
            Some(_) if self.told().listed == 0 => say(&nothing(self)),
            Some(path) => {
                let Window { from, until } = self.listing.window;
                let dates = styled(STRONG, counted(self.told().listed, "date", "dates"));
                say(&format!("{dates}, from {from} through {until}\n{}", wrote_line(path)))
            }
        }
    }

    fn json(&self) -> impl Serialize + JsonSchema {
        let Window { from, until } = self.listing.window;
        DatesJson {
            window: WindowJson { from: from.to_string(), until: until.to_string() },
            occurrences: OccurrencesJson(self),
            rest: RestJson(self),
        }
    }

    fn inputs(&self) -> Vec<Given> {
        given(self.sources)
    }

    fn stream(&self) -> Stream {
        Stream::beside(self.output.as_deref().into_iter())
    }

    fn warnings(&self) -> Vec<String> {
        self.told().not_expanded.into_iter().chain(unread_line(self.sources)).collect()
    }
}

/// An empty list is said loudly, with the nearest dates that there are.
fn nothing(dates: &Dates<'_, '_>) -> String {
    let Listing { window, language, ceiling, .. } = dates.listing;
    let wide = Listing {
        window: Window { from: Date::MIN, until: Date::constant(2200, 12, 31) },
        ceiling: Ceiling(ceiling.0.min(10_000)),
        zone: None,
        fields: &[],
        sort: SortArg::Start,
        ..dates.listing
    };
    let (mut before, mut after) = (None, None);
    // It ends with the first date behind the window.
    let _ = DateList::of(dates.sources, wide).walk(|lines| {
        let in_front = lines.iter().rev().find(|line| line.start.date() < window.from);
        before = in_front.cloned().or(before.take());
        after = lines.iter().find(|line| line.start.date() > window.from).cloned();
        if after.is_none() { Ok(()) } else { Err(()) }
    });
    let mut out = format!("{} no date from {} through {}\n", styled(WARNING, "!"), window.from, window.until);
    for (line, what) in [(&before, "the last one before"), (&after, "the next one after")] {
        if let Some(line) = line {
            let (day, time) = day_and_time(line, language);
            // Writing into a string cannot fail.
            let _ = writeln!(out, "  {what}: {day} {time}  {}", sanitized(&line.cells.title));
        }
    }
    if before.is_none() && after.is_none() {
        out.push_str("  nothing is chosen at all: the selectors match no event\n");
    }
    out
}

/// Told in the order of its fields: what is counted is known behind the dates.
#[derive(Serialize, JsonSchema)]
struct DatesJson<'d, 'a, 't> {
    window: WindowJson,
    #[schemars(with = "Vec<RowJson<'static>>")]
    occurrences: OccurrencesJson<'d, 'a, 't>,
    #[serde(flatten)]
    #[schemars(with = "CountsJson")]
    rest: RestJson<'d, 'a, 't>,
}

/// The dates, each told as the list is walked.
struct OccurrencesJson<'d, 'a, 't>(&'d Dates<'a, 't>);

impl Serialize for OccurrencesJson<'_, '_, '_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut rows = serializer.serialize_seq(None)?;
        self.0.walk(|lines| lines.iter().try_for_each(|line| rows.serialize_element(&RowJson::of(line))))?;
        rows.end()
    }
}

/// What is known once the list has been walked.
struct RestJson<'d, 'a, 't>(&'d Dates<'a, 't>);

impl Serialize for RestJson<'_, '_, '_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let Told { cancelled, not_expanded, .. } = self.0.told();
        CountsJson { cancelled, not_expanded }.serialize(serializer)
    }
}

#[derive(Serialize, JsonSchema)]
struct CountsJson {
    cancelled: usize,
    not_expanded: Vec<String>,
}

#[derive(Serialize, JsonSchema)]
pub(crate) struct RowJson<'l> {
    start: String,
    end: String,
    all_day: bool,
    zone: &'l str,
    title: &'l str,
    location: &'l str,
    category: &'l str,
    calendar: &'l str,
    uid: &'l str,
    cancelled: bool,
    repeat: &'l str,
}

impl<'l> RowJson<'l> {
    pub(crate) fn of(row: &'l DateLine) -> Self {
        let EventCells { title, location, category, calendar, uid, repeat, .. } = &*row.cells;
        Self {
            start: row.start.text(),
            end: row.end.text(),
            all_day: row.is_all_day(),
            zone: &row.zone,
            title,
            location,
            category,
            calendar,
            uid,
            cancelled: row.cancelled,
            repeat,
        }
    }
}

#[derive(Serialize, JsonSchema)]
struct WindowJson {
    from: String,
    until: String,
}
