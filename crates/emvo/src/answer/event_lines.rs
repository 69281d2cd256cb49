//! The lines of a list of events: what each tells, and in which order they are.
//!
//! A million lines take more memory than the exports that they are of, so a list is the
//! order of its events, and its lines are made some at a time, side by side, whenever it
//! is told ([`EventList::walk`]).

use std::borrow::Cow;
use std::sync::Arc;

use emvo_core::table::series_as_json;
use emvo_ical::calendar::fields::Field;
use emvo_ical::calendar::{Event, Series, Status};
use rayon::prelude::*;
use schemars::JsonSchema;
use serde::Serialize;
use serde_json::{Map, Value};

use super::language::Language;
use super::list::{Line, SortArg};
use crate::input::{Loaded, Source};

/// How many lines are made at a time, and how many of them by one thread at least.
const LINES_AT_ONCE: usize = 1 << 14;
pub(super) const LINES_A_THREAD: usize = 1 << 9;

#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
#[value(rename_all = "snake_case")]
pub(crate) enum FieldArg {
    When,
    Repeat,
    Title,
    Location,
    Category,
    Status,
    Calendar,
    Uid,
}

pub(crate) const USUAL: [FieldArg; 6] = [
    FieldArg::When,
    FieldArg::Repeat,
    FieldArg::Title,
    FieldArg::Location,
    FieldArg::Category,
    FieldArg::Calendar,
];

impl FieldArg {
    pub(crate) fn name(self) -> &'static str {
        match self {
            Self::When => "when",
            Self::Repeat => Field::Repeat.name(),
            Self::Title => Field::Title.name(),
            Self::Location => Field::Location.name(),
            Self::Category => Field::Category.name(),
            Self::Status => Field::Status.name(),
            Self::Calendar => "calendar",
            Self::Uid => Field::Uid.name(),
        }
    }
}

/// A chosen series, where it is, and what its list is ordered by.
pub(crate) struct Picked<'s, 't> {
    pub(super) source: &'s Source<'t>,
    pub(super) loaded: &'s Loaded<'t>,
    pub(super) series: &'s Series<'t>,
    /// What its calendar is called.
    calendar: Arc<str>,
    title: Cow<'s, str>,
    /// When it starts, in seconds since 1970 in UTC.
    start: i64,
}

impl<'s, 't> Picked<'s, 't> {
    /// For a series of a calendar of this name.
    pub(crate) fn of(
        source: &'s Source<'t>,
        (loaded, calendar): (&'s Loaded<'t>, &Arc<str>),
        series: &'s Series<'t>,
    ) -> Self {
        let lead = series.lead();
        let as_utc =
            || Some(lead.start().clock().to_zoned(jiff::tz::TimeZone::UTC).ok()?.timestamp().as_second());
        let start = loaded.zones.instant(lead.start()).or_else(as_utc).unwrap_or(i64::MAX);
        let title = lead.title().unwrap_or_default();
        Self { source, loaded, series, calendar: calendar.clone(), title, start }
    }
}

/// The chosen events, and the order in which they are listed.
pub(crate) struct EventList<'s, 't> {
    picked: Vec<Picked<'s, 't>>,
    /// Their places among those that were picked.
    order: Vec<usize>,
    language: &'s Language,
}

impl<'s, 't> EventList<'s, 't> {
    pub(crate) fn of(picked: Vec<Picked<'s, 't>>, sort: SortArg, language: &'s Language) -> Self {
        let first_key = |one: &Picked<'s, 't>| match sort {
            SortArg::Start => Cow::Borrowed(""),
            SortArg::Title => one.title.clone(),
            SortArg::Category => Cow::Owned(category_of(one.series.lead())),
        };
        let keyed = picked.par_iter().with_min_len(LINES_A_THREAD).map(first_key).enumerate();
        let mut keyed: Vec<(usize, Cow<'s, str>)> = keyed.collect();
        keyed.par_sort_by(|(one, first), (two, second)| {
            let (one, two) = (&picked[*one], &picked[*two]);
            let by_key = language.order(first, second);
            by_key.then(one.start.cmp(&two.start)).then_with(|| language.order(&one.title, &two.title))
        });
        let order = keyed.into_iter().map(|(at, _)| at).collect();
        Self { picked, order, language }
    }

    pub(crate) fn len(&self) -> usize {
        self.order.len()
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.order.is_empty()
    }

    /// The events as they stand in their exports.
    pub(super) fn picked(&self) -> &[Picked<'s, 't>] {
        &self.picked
    }

    /// Takes the lines in their order, some at a time, until there are none or it fails.
    pub(crate) fn walk<E>(&self, mut take: impl FnMut(&[EventLine<'_>]) -> Result<(), E>) -> Result<(), E> {
        let line_of = |at: &usize| EventLine::of(&self.picked[*at], self.language);
        self.order.chunks(LINES_AT_ONCE).try_for_each(|some| {
            let lines: Vec<EventLine<'_>> =
                some.par_iter().with_min_len(LINES_A_THREAD).map(line_of).collect();
            take(&lines)
        })
    }
}

/// One line.
#[derive(Serialize, JsonSchema)]
pub(crate) struct EventLine<'l> {
    when: String,
    repeat: String,
    title: &'l str,
    location: Cow<'l, str>,
    category: String,
    status: &'static str,
    calendar: &'l str,
    uid: Cow<'l, str>,
    path: &'l str,
    line: Option<u32>,
    #[serde(skip)]
    place: (&'l Series<'l>, &'l Loaded<'l>),
}

/// An event for programs: what its line says, and all that tables carry of it.
#[derive(Serialize, JsonSchema)]
pub(crate) struct EventJson<'e> {
    #[serde(flatten)]
    line: &'e EventLine<'e>,
    /// The fields of the event, each in a form of its own; those of its changed dates
    /// under `overrides`.
    event: Map<String, Value>,
}

impl<'e> EventJson<'e> {
    pub(crate) fn of(line: &'e EventLine<'e>) -> Self {
        let (series, loaded) = line.place;
        Self { line, event: series_as_json(series, &loaded.calendar, &loaded.zones) }
    }
}

impl<'l> EventLine<'l> {
    pub(super) fn of(picked: &'l Picked<'_, '_>, language: &Language) -> Self {
        let Picked { source, loaded, series, calendar, title, .. } = picked;
        let lead = series.lead();
        Self {
            when: lead.span(),
            repeat: language
                .repeat(series, &loaded.zones)
                .unwrap_or_else(|| "override without its series".to_owned()),
            title,
            location: lead.location().unwrap_or_default(),
            category: category_of(lead),
            status: status_of(lead),
            calendar,
            uid: series.uid_text(),
            path: &source.path,
            line: (lead.line() > 0).then(|| lead.line()),
            place: (series, loaded),
        }
    }

    pub(super) fn when(&self) -> &str {
        &self.when
    }

    pub(super) fn repeat(&self) -> &str {
        &self.repeat
    }

    pub(super) fn title(&self) -> &str {
        self.title
    }

    /// The file, and the line of it where the event begins.
    pub(super) fn place(&self) -> String {
        self.line.map_or_else(|| self.path.to_owned(), |line| format!("{}:{line}", self.path))
    }
}

impl Line for EventLine<'_> {
    type Column = FieldArg;

    fn cell(&self, column: FieldArg, _: &Language) -> Cow<'_, str> {
        Cow::Borrowed(match column {
            FieldArg::When => &self.when,
            FieldArg::Repeat => &self.repeat,
            FieldArg::Title => self.title,
            FieldArg::Location => &self.location,
            FieldArg::Category => &self.category,
            FieldArg::Status => self.status,
            FieldArg::Calendar => self.calendar,
            FieldArg::Uid => &self.uid,
        })
    }
}

fn category_of(event: &Event<'_>) -> String {
    event.categories().join("; ")
}

fn status_of(event: &Event<'_>) -> &'static str {
    match event.status() {
        Status::Confirmed => "",
        Status::Tentative => "tentative",
        Status::Cancelled => "cancelled",
    }
}
