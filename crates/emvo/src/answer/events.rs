//! The answer of a list of events; of one event, all there is about it.

use std::convert::Infallible;
use std::fmt::Write as _;

use emvo_ical::content::Component;
use emvo_ical::recurrence::{Ceiling, Window, occurrences_of};
use rayon::prelude::*;
use schemars::JsonSchema;
use serde::ser::SerializeSeq as _;
use serde::{Serialize, Serializer};

use super::event_lines::{EventJson, EventLine, EventList, FieldArg, LINES_A_THREAD, Picked};
use super::language::Language;
use super::list::{Line as _, unread_line, wrote_line};
use super::{Answer, Detail, Stream, told_text};
use crate::input::{Given, Source, given};
use crate::terminal::{
    DIM, GridColumn, GridRow, GridShape, HungUp, STRONG, Say, WARNING, counted, sanitized, styled,
};

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
    pub(crate) list: EventList<'e, 't>,
    pub(crate) sources: &'e [Source<'t>],
    pub(crate) fields: &'e [FieldArg],
    pub(crate) language: &'e Language,
    pub(crate) telling: Telling,
    /// The file that the list went to.
    pub(crate) output: Option<String>,
}

impl Answer for Events<'_, '_> {
    const COMMAND: &'static str = "events";

    fn text(&self, detail: Detail) -> String {
        told_text(self, detail)
    }

    fn tell(&self, _: Detail, say: &mut Say<'_>) -> Result<(), HungUp> {
        let count = || styled(STRONG, counted(self.list.len(), "event", "events"));
        match (self.telling, &self.output) {
            _ if self.list.is_empty() => say(&format!("{} no event is chosen\n", styled(WARNING, "!"))),
            (Telling::Whole { window, ceiling }, _) => {
                let mut all = self.list.picked().iter();
                all.try_for_each(|one| say(&everything(one, window, ceiling, self.language)))
            }
            (Telling::Lines, Some(path)) => say(&format!("{}\n{}", count(), wrote_line(path))),
            (Telling::Lines, None) => {
                self.tell_grid(say)?;
                say(&format!("\n{}\n", count()))
            }
        }
    }

    fn json(&self) -> impl Serialize + JsonSchema {
        EventsJson { events: EventRows(&self.list) }
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

impl Events<'_, '_> {
    /// Tells the lines under their headings. A column is as wide as the widest of its cells, so
    /// all of them are made before the first is told: what there are too many of to be kept is
    /// made again.
    fn tell_grid(&self, say: &mut Say<'_>) -> Result<(), HungUp> {
        let columns = self.fields.iter().map(|field| GridColumn::Text(heading(*field)));
        let columns: Vec<GridColumn> = columns.collect();
        let mut shape = GridShape::new(&columns, &[]);
        let (keeps, mut kept) = (self.list.len() <= KEPT, Vec::new());
        let Ok(()) = self.list.walk(|lines| {
            let rows = self.rows(lines);
            let shape_of = |rows: &[GridRow]| {
                let mut shape = GridShape::new(&columns, &[]);
                for row in rows {
                    shape.see(row);
                }
                shape
            };
            let shapes: Vec<GridShape> = rows.par_chunks(LINES_A_THREAD).map(shape_of).collect();
            for some in &shapes {
                shape.join(some);
            }
            kept.extend(rows.into_iter().filter(|_| keeps));
            Ok::<_, Infallible>(())
        });
        let layout = shape.layout();
        say(&layout.header())?;
        let mut tell_rows = |rows: &[GridRow]| {
            let texts: Vec<String> = rows.par_chunks(LINES_A_THREAD).map(|rows| layout.lines(rows)).collect();
            texts.iter().try_for_each(|text| say(text))
        };
        if keeps {
            tell_rows(&kept)?;
        } else {
            self.list.walk(|lines| tell_rows(&self.rows(lines)))?;
        }
        say(&layout.footer())
    }

    fn rows(&self, lines: &[EventLine<'_>]) -> Vec<GridRow> {
        let row_of = |line: &EventLine<'_>| {
            GridRow::of(self.fields.iter().map(|field| line.cell(*field, self.language).into_owned()))
        };
        lines.par_iter().with_min_len(LINES_A_THREAD).map(row_of).collect()
    }
}

/// How many lines of a list are kept until they are told.
const KEPT: usize = 1 << 17;

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
    let row = EventLine::of(picked, language);
    let mut out = format!("{}\n", styled(STRONG, sanitized(row.title())));
    // Writing into a string cannot fail, here and below.
    let _ = writeln!(out, "  {}  {}", sanitized(row.when()), styled(DIM, sanitized(&row.place())));
    if !row.repeat().is_empty() {
        let _ = writeln!(out, "  {}", sanitized(row.repeat()));
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
struct EventRows<'d, 'e, 't>(&'d EventList<'e, 't>);

impl Serialize for EventRows<'_, '_, '_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut rows = serializer.serialize_seq(Some(self.0.len()))?;
        self.0.walk(|lines| {
            // Some are made side by side before they are told one after the other.
            lines.chunks(LINES_A_THREAD).try_for_each(|some| {
                let made: Vec<EventJson<'_>> = some.par_iter().map(EventJson::of).collect();
                made.iter().try_for_each(|row| rows.serialize_element(row))
            })
        })?;
        rows.end()
    }
}
