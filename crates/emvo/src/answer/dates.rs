//! The answer of a list of dates.

use std::fmt::Write as _;

use emvo_core::select::Selection;
use emvo_ical::recurrence::{Ceiling, Window};
use jiff::civil::Date;
use schemars::JsonSchema;
use serde::Serialize;

use super::date_lines::{DateLine, DateList, EventCells, FieldArg, Listing, MOST_OF_ALL, Shown, list_dates};
use super::language::Language;
use super::list::{Line, SortArg, unread_line, wrote_line};
use super::{Answer, Detail, Stream};
use crate::input::{Given, Source, given};
use crate::terminal::{DIM, Grid, GridColumn, STRONG, WARNING, counted, grouped, sanitized, styled};

/// A list of dates, and what was asked for.
pub(crate) struct Dates<'d, 't> {
    pub(crate) list: DateList,
    pub(crate) sources: &'d [Source<'t>],
    pub(crate) selection: &'d Selection,
    pub(crate) window: Window,
    pub(crate) ceiling: Ceiling,
    pub(crate) fields: &'d [FieldArg],
    pub(crate) sort: SortArg,
    pub(crate) language: &'d Language,
    /// The file that the list went to.
    pub(crate) output: Option<String>,
}

impl Answer for Dates<'_, '_> {
    const COMMAND: &'static str = "dates";

    fn text(&self, _: Detail) -> String {
        if self.list.lines.is_empty() {
            return nothing(self);
        }
        match &self.output {
            None => text(self),
            Some(path) => format!(
                "{}, from {} through {}\n{}",
                styled(STRONG, counted(self.list.lines.len(), "date", "dates")),
                self.window.from,
                self.window.until,
                wrote_line(path)
            ),
        }
    }

    fn json(&self) -> impl Serialize + JsonSchema {
        json_of(&self.list, self.window)
    }

    fn inputs(&self) -> Vec<Given> {
        given(self.sources)
    }

    fn stream(&self) -> Stream {
        Stream::beside(self.output.as_deref().into_iter())
    }

    fn warnings(&self) -> Vec<String> {
        self.list.not_expanded.iter().cloned().chain(unread_line(self.sources)).collect()
    }
}

/// The list for people: one line a date, the day named once.
fn text(dates: &Dates<'_, '_>) -> String {
    let Dates { list, fields, sort, window, language, .. } = dates;
    let mut out = String::new();
    let is_default = *fields == FieldArg::ALL;
    let mut grids: Vec<(String, Vec<&DateLine>)> = Vec::new();
    for row in &list.lines {
        let heading = match sort {
            SortArg::Start => String::new(),
            SortArg::Title => row.cells.title.clone(),
            SortArg::Category if row.cells.category.is_empty() => "(no category)".to_owned(),
            SortArg::Category => row.cells.category.clone(),
        };
        match grids.last_mut() {
            Some((known, lines)) if *known == heading => lines.push(row),
            _ => grids.push((heading, vec![row])),
        }
    }
    for (heading, lines) in grids {
        if !heading.is_empty() {
            // Writing into a string cannot fail, here and below.
            let _ = writeln!(
                out,
                "{}  {}",
                styled(STRONG, sanitized(&heading)),
                styled(DIM, counted(lines.len(), "date", "dates"))
            );
        }
        let grid = if is_default { hand_out(&lines, language) } else { plain(&lines, fields, language) };
        let _ = writeln!(out, "{}\n", grid.show());
    }
    let cancelled = if list.cancelled > 0 {
        format!("; {} cancelled, --cancelled lists them", grouped(list.cancelled))
    } else {
        String::new()
    };
    let dates = styled(STRONG, counted(list.lines.len(), "date", "dates"));
    let _ = writeln!(out, "{dates}, from {} through {}{cancelled}", window.from, window.until);
    out
}

fn hand_out(lines: &[&DateLine], language: &Language) -> Grid {
    let mut grid = Grid::new(&[
        GridColumn::Text("Day"),
        GridColumn::Text("Time"),
        GridColumn::Text("Title"),
        GridColumn::Text("Place"),
        GridColumn::Text("Category"),
        GridColumn::Text("Zone"),
    ])
    .giving_way(&["Category", "Place"]);
    let mut last = String::new();
    for row in lines {
        let (day, time) = day_and_time(row, language);
        let shown = if day == last { String::new() } else { day.clone() };
        last = day;
        let title =
            if row.cancelled { format!("{} (cancelled)", row.cells.title) } else { row.cells.title.clone() };
        grid.row([
            shown,
            time,
            title,
            row.cells.location.clone(),
            row.cells.category.clone(),
            row.zone.to_string(),
        ]);
    }
    grid
}

fn day_and_time(row: &DateLine, language: &Language) -> (String, String) {
    let named = |day: Date| format!("{} {day}", language.weekday_short(day));
    let (first, last) = (row.start.date(), row.end.date());
    let clock = Shown::clock;
    let time = match (row.is_all_day(), first == last) {
        (true, true) => "all day".to_owned(),
        (true, false) => format!("through {}", named(last)),
        (false, _) if row.start == row.end => clock(row.start),
        (false, true) => format!("{}–{}", clock(row.start), clock(row.end)),
        (false, false) => format!("{} – {last} {}", clock(row.start), clock(row.end)),
    };
    (named(first), time)
}

fn plain(lines: &[&DateLine], fields: &[FieldArg], language: &Language) -> Grid {
    let columns: Vec<GridColumn> = fields.iter().map(|field| GridColumn::Text(field.name())).collect();
    let mut grid = Grid::new(&columns);
    for row in lines {
        grid.row(fields.iter().map(|field| row.cell(*field, language).into_owned()));
    }
    grid
}

/// An empty list is said loudly, with the nearest dates that there are.
fn nothing(dates: &Dates<'_, '_>) -> String {
    let Dates { sources, selection, window, ceiling, language, .. } = dates;
    let wide = Window { from: Date::MIN, until: Date::constant(2200, 12, 31) };
    let listing = Listing {
        selection,
        window: wide,
        ceiling: Ceiling(ceiling.0.min(10_000)),
        zone: None,
        fields: &[],
        language,
        most: MOST_OF_ALL,
    };
    // Where there are too many to look at, none is named.
    let mut lines = list_dates(sources, &listing).map(|list| list.lines).unwrap_or_default();
    SortArg::Start.sort(&mut lines, language);
    let before = lines.iter().rev().find(|row| row.start.date() < window.from);
    let after = lines.iter().find(|row| row.start.date() > window.from);
    let mut out = format!("{} no date from {} through {}\n", styled(WARNING, "!"), window.from, window.until);
    for (row, what) in [(before, "the last one before"), (after, "the next one after")] {
        if let Some(row) = row {
            let (day, time) = day_and_time(row, language);
            let _ = writeln!(out, "  {what}: {day} {time}  {}", sanitized(&row.cells.title));
        }
    }
    if before.is_none() && after.is_none() {
        out.push_str("  nothing is chosen at all: the selectors match no event\n");
    }
    out
}

#[derive(Serialize, JsonSchema)]
struct DatesJson<'l> {
    window: WindowJson,
    occurrences: Vec<RowJson<'l>>,
    cancelled: usize,
    not_expanded: &'l [String],
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

fn json_of(list: &DateList, window: Window) -> DatesJson<'_> {
    DatesJson {
        window: WindowJson { from: window.from.to_string(), until: window.until.to_string() },
        occurrences: list.lines.iter().map(RowJson::of).collect(),
        cancelled: list.cancelled,
        not_expanded: &list.not_expanded,
    }
}
