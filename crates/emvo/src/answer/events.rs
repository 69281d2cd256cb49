//! The answer of a list of events; of one event, all there is about it.

use std::borrow::Cow;
use std::cmp::Ordering;
use std::fmt::Write as _;

use emvo_core::table::series_as_json;
use emvo_ical::calendar::fields::Field;
use emvo_ical::calendar::{Event, Series, Status};
use emvo_ical::content::Component;
use emvo_ical::recurrence::{Ceiling, Window, occurrences_of};
use schemars::JsonSchema;
use serde::{Serialize, Serializer};
use serde_json::{Map, Value};

use super::language::Language;
use super::list::{Line, unread_line, wrote_line};
use super::{Answer, Detail, Stream};
use crate::input::{Given, Loaded, Source, given};
use crate::terminal::{DIM, Grid, GridColumn, STRONG, WARNING, counted, sanitized, styled};

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

/// One line.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub(crate) struct EventLine {
    when: String,
    repeat: String,
    title: String,
    location: String,
    category: String,
    status: String,
    calendar: String,
    uid: String,
    path: String,
    line: Option<u32>,
    #[serde(skip)]
    order: i64,
    /// Its place among those that were picked.
    #[serde(skip)]
    number: usize,
}

/// An event for programs: what its line says, and all that tables carry of it.
#[derive(Serialize, JsonSchema)]
pub(crate) struct EventJson<'e> {
    #[serde(flatten)]
    line: &'e EventLine,
    /// The fields of the event, each in a form of its own; those of its changed dates
    /// under `overrides`.
    event: Map<String, Value>,
}

impl<'e> EventJson<'e> {
    pub(crate) fn of(line: &'e EventLine, picked: &[Picked<'_, '_>]) -> Self {
        let Picked { loaded, series, .. } = &picked[line.number];
        Self { line, event: series_as_json(series, &loaded.calendar, &loaded.zones) }
    }
}

/// A chosen series, and where it is.
pub(crate) struct Picked<'s, 't> {
    pub(crate) source: &'s Source<'t>,
    pub(crate) loaded: &'s Loaded<'t>,
    pub(crate) series: &'s Series<'t>,
}

/// How events are told.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Telling {
    /// A line each.
    Lines,
    /// All there is about each, with its dates in the window.
    Whole { window: Option<Window>, ceiling: Ceiling },
}

/// A list of events, and how it is told.
pub(crate) struct Events<'e, 't> {
    pub(crate) lines: Vec<EventLine>,
    pub(crate) picked: Vec<Picked<'e, 't>>,
    pub(crate) sources: &'e [Source<'t>],
    pub(crate) fields: &'e [FieldArg],
    pub(crate) language: &'e Language,
    pub(crate) telling: Telling,
    /// The file that the list went to.
    pub(crate) output: Option<String>,
}

impl Answer for Events<'_, '_> {
    const COMMAND: &'static str = "events";

    fn text(&self, _: Detail) -> String {
        match self.telling {
            _ if self.lines.is_empty() => format!("{} no event is chosen\n", styled(WARNING, "!")),
            Telling::Whole { window, ceiling } => {
                self.picked.iter().map(|one| everything(one, window, ceiling, self.language)).collect()
            }
            Telling::Lines => text(&self.lines, self.fields, self.output.as_deref()),
        }
    }

    fn json(&self) -> impl Serialize + JsonSchema {
        EventsJson { events: EventRows(self) }
    }

    fn inputs(&self) -> Vec<Given> {
        given(self.sources)
    }

    fn stream(&self) -> Stream {
        Stream::beside(self.output.as_deref().into_iter())
    }

    fn warnings(&self) -> Vec<String> {
        unread_line(self.sources).into_iter().collect()
    }
}

impl EventLine {
    pub(crate) fn of((number, picked): (usize, &Picked<'_, '_>), language: &Language) -> Self {
        let Picked { source, loaded, series } = picked;
        let lead = series.lead();
        let text = |text: Option<Cow<'_, str>>| text.unwrap_or_default().into_owned();
        let seconds = lead.start().clock().to_zoned(jiff::tz::TimeZone::UTC);
        let order = loaded
            .zones
            .instant(lead.start())
            .or_else(|| Some(seconds.ok()?.timestamp().as_second()))
            .unwrap_or(i64::MAX);
        Self {
            when: lead.span(),
            repeat: language
                .repeat(series, &loaded.zones)
                .unwrap_or_else(|| "override without its series".to_owned()),
            title: text(lead.title()),
            location: text(lead.location()),
            category: lead.categories().join("; "),
            status: status_of(lead).to_owned(),
            calendar: loaded.calendar.name(),
            uid: series.uid_text().into_owned(),
            path: source.path.clone(),
            line: (lead.line() > 0).then(|| lead.line()),
            order,
            number,
        }
    }

    fn text_of(&self, field: FieldArg) -> String {
        match field {
            FieldArg::When => &self.when,
            FieldArg::Repeat => &self.repeat,
            FieldArg::Title => &self.title,
            FieldArg::Location => &self.location,
            FieldArg::Category => &self.category,
            FieldArg::Status => &self.status,
            FieldArg::Calendar => &self.calendar,
            FieldArg::Uid => &self.uid,
        }
        .clone()
    }
}

impl Line for EventLine {
    type Column = FieldArg;

    fn title(&self) -> &str {
        &self.title
    }

    fn category(&self) -> &str {
        &self.category
    }

    fn by_start(&self, other: &Self, language: &Language) -> Ordering {
        self.order.cmp(&other.order).then_with(|| language.order(&self.title, &other.title))
    }

    fn cell(&self, column: FieldArg, _: &Language) -> Cow<'_, str> {
        Cow::Owned(self.text_of(column))
    }
}

fn status_of(event: &Event<'_>) -> &'static str {
    match event.status() {
        Status::Confirmed => "",
        Status::Tentative => "tentative",
        Status::Cancelled => "cancelled",
    }
}

fn text(rows: &[EventLine], fields: &[FieldArg], output: Option<&str>) -> String {
    let count = styled(STRONG, counted(rows.len(), "event", "events"));
    if let Some(path) = output {
        return format!("{count}\n{}", wrote_line(path));
    }
    let columns: Vec<GridColumn> = fields.iter().map(|field| GridColumn::Text(heading(*field))).collect();
    let mut grid = Grid::new(&columns);
    for row in rows {
        grid.row(fields.iter().map(|field| row.text_of(*field)));
    }
    format!("{}\n\n{count}\n", grid.show())
}

fn heading(field: FieldArg) -> &'static str {
    match field {
        FieldArg::When => "When",
        FieldArg::Repeat => "Repeats",
        FieldArg::Title => "Title",
        FieldArg::Location => "Place",
        FieldArg::Category => "Category",
        FieldArg::Status => "Status",
        FieldArg::Calendar => "Calendar",
        FieldArg::Uid => "Id",
    }
}

/// All there is about one event: its dates in words and numbers, and every line
/// of it as it stands.
fn everything(
    picked: &Picked<'_, '_>,
    window: Option<Window>,
    ceiling: Ceiling,
    language: &Language,
) -> String {
    let row = EventLine::of((0, picked), language);
    let mut out = format!("{}\n", styled(STRONG, sanitized(&row.title)));
    let place = row.line.map_or_else(|| row.path.clone(), |line| format!("{}:{line}", row.path));
    // Writing into a string cannot fail, here and below.
    let _ = writeln!(out, "  {}  {}", sanitized(&row.when), styled(DIM, sanitized(&place)));
    if !row.repeat.is_empty() {
        let _ = writeln!(out, "  {}", sanitized(&row.repeat));
    }
    if let Some(window) = window {
        let found = occurrences_of(picked.series, &picked.loaded.zones, window, ceiling);
        let dates = counted(found.list.len(), "date", "dates");
        let _ = writeln!(out, "  {dates} from {} through {}", window.from, window.until);
    }
    for event in picked.series.events() {
        let what = match event.replaces() {
            Some(replaces) => format!("override of {replaces}"),
            None => "the event".to_owned(),
        };
        let _ = writeln!(out, "\n  {}", styled(DIM, sanitized(&format!("{what}, line {}", event.line()))));
        lines_of(event.component(), 2, &mut out);
    }
    out.push('\n');
    out
}

fn lines_of(component: &Component<'_>, indent: usize, out: &mut String) {
    for property in component.properties() {
        let _ = writeln!(out, "{:indent$}{}", "", sanitized(&property.logical()));
    }
    for inner in component.components() {
        let _ = writeln!(out, "{:indent$}{}", "", styled(DIM, sanitized(inner.name())));
        lines_of(inner, indent + 2, out);
    }
}

#[derive(Serialize, JsonSchema)]
struct EventsJson<'d, 'e, 't> {
    #[schemars(with = "Vec<EventJson<'static>>")]
    events: EventRows<'d, 'e, 't>,
}

/// The events, each made as it is told: all that is in them takes many times what the
/// inputs take.
struct EventRows<'d, 'e, 't>(&'d Events<'e, 't>);

impl Serialize for EventRows<'_, '_, '_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let Events { lines, picked, .. } = self.0;
        serializer.collect_seq(lines.iter().map(|line| EventJson::of(line, picked)))
    }
}
