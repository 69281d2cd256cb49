//! `dates`: the occurrences in a window as a list one would hand out.

mod row;

use std::fmt::Write as _;

use anyhow::{Context as _, bail};
use emvo_ical::recurrence::{Ceiling, Window};
use jiff::civil::Date;
use serde::Serialize;

use self::row::{List, Row, Shown, Told, list};
use crate::args::{AnswerArgs, InputArgs, WindowArgs};
use crate::chosen::{Chosen, SelectArgs};
use crate::commands::listing::{Line, ListArgs, ListFile, SortArg};
use crate::gather::gather;
use crate::json;
use crate::outcome::Outcome;
use crate::progress;
use crate::settle::{Answer, WindowChoice, zone_named};
use crate::source::{self, Source};
use crate::terminal::{Column, DIM, Grid, STRONG, WARNING, counted, grouped, sanitized, styled, warn};

/// The dates in a window, as a list to hand out
#[derive(Debug, clap::Args)]
pub(crate) struct DatesArgs {
    #[command(flatten)]
    input: InputArgs,
    #[command(flatten)]
    select: SelectArgs,
    #[command(flatten)]
    window: WindowArgs,
    /// Which columns, in this order
    #[arg(long, value_name = "FIELD", value_enum, value_delimiter = ',', help_heading = "The list")]
    fields: Vec<FieldArg>,
    /// In which order
    #[arg(long, value_enum, value_name = "FIELD", default_value_t, help_heading = "The list")]
    sort: SortArg,
    /// Show all times in this zone; floating ones stay as they are
    #[arg(long, value_name = "ZONE", help_heading = "The list")]
    express_in: Option<String>,
    /// List cancelled dates, too
    #[arg(long, help_heading = "The list")]
    cancelled: bool,
    #[command(flatten)]
    file: ListArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
#[value(rename_all = "snake_case")]
enum FieldArg {
    Start,
    End,
    AllDay,
    Zone,
    Title,
    Location,
    Category,
    Calendar,
    Uid,
    /// How the series repeats, in words
    Repeat,
}

impl FieldArg {
    /// Those that are there unless others are asked for.
    const ALL: [Self; 9] = [
        Self::Start,
        Self::End,
        Self::AllDay,
        Self::Zone,
        Self::Title,
        Self::Location,
        Self::Category,
        Self::Calendar,
        Self::Uid,
    ];

    fn name(self) -> &'static str {
        match self {
            Self::Start => "start",
            Self::End => "end",
            Self::AllDay => "all_day",
            Self::Zone => "zone",
            Self::Title => "title",
            Self::Location => "location",
            Self::Category => "category",
            Self::Calendar => "calendar",
            Self::Uid => "uid",
            Self::Repeat => "repeat",
        }
    }
}

pub(crate) fn run(args: DatesArgs) -> anyhow::Result<Outcome> {
    let answer = args.answer.settle();
    let chosen = args.select.settle()?;
    if !chosen.findings.is_empty() {
        bail!(
            "--finding chooses events to repair; a list of dates is chosen by title, category, place or id"
        );
    }
    let choice = args.window.settle()?;
    let zone = args.express_in.as_deref().map(|name| zone_named(name, "--express-in")).transpose()?;
    let reading = args.input.reading.settle()?;
    let file = args.file.settle()?;
    let files = gather(&args.input.inputs, ListFile::path_of(file.as_ref()), reading.secret.as_ref())?;
    let texts = source::decode(&files, &reading)?;
    let sources = source::read(&texts, &reading)?;
    progress::doing("listing dates");
    let Some(window) = choice.over(&sources) else { bail!("there is no event in the inputs") };
    let mut list = list(&sources, &chosen, window, choice.ceiling, zone.as_ref());
    if !args.cancelled {
        list.rows.retain(|row| !row.cancelled);
    }
    args.sort.sort(&mut list.rows);
    let fields = if args.fields.is_empty() { FieldArg::ALL.to_vec() } else { args.fields };
    if let Some(file) = &file {
        let headers: Vec<&str> = fields.iter().map(|field| field.name()).collect();
        file.write(&headers, &list.rows, &fields)?;
    }
    let is_empty = list.rows.is_empty();
    match answer {
        Answer::Json => json::print("dates", &json_of(&list, window)).context("could not print")?,
        Answer::Silent => {}
        Answer::Text(_) if is_empty => say!("{}", nothing(&sources, &chosen, window, &choice)),
        Answer::Text(_) => match &file {
            Some(ListFile { path, .. }) => say_line!(
                "{}, from {} through {}\nwrote {}",
                styled(STRONG, counted(list.rows.len(), "date", "dates")),
                window.from,
                window.until,
                sanitized(&path.display().to_string())
            ),
            None => say!("{}", text(&list, &fields, args.sort, window)),
        },
    }
    for line in &list.not_expanded {
        warn(line);
    }
    Ok(Outcome::needs_a_look_if(is_empty || !list.not_expanded.is_empty()))
}

/// The list for people: one line a date, the day named once.
fn text(list: &List, fields: &[FieldArg], sort: SortArg, window: Window) -> String {
    let mut out = String::new();
    let is_default = fields == FieldArg::ALL;
    let mut grids: Vec<(String, Vec<&Row>)> = Vec::new();
    for row in &list.rows {
        let heading = match sort {
            SortArg::Start => String::new(),
            SortArg::Title => row.told.title.clone(),
            SortArg::Category if row.told.category.is_empty() => "(no category)".to_owned(),
            SortArg::Category => row.told.category.clone(),
        };
        match grids.last_mut() {
            Some((known, rows)) if *known == heading => rows.push(row),
            _ => grids.push((heading, vec![row])),
        }
    }
    for (heading, rows) in grids {
        if !heading.is_empty() {
            // Writing into a string cannot fail, here and below.
            let _ = writeln!(
                out,
                "{}  {}",
                styled(STRONG, sanitized(&heading)),
                styled(DIM, counted(rows.len(), "date", "dates"))
            );
        }
        let grid = if is_default { hand_out(&rows) } else { plain(&rows, fields) };
        let _ = writeln!(out, "{}\n", grid.show());
    }
    let cancelled = if list.cancelled > 0 {
        format!("; {} cancelled, --cancelled lists them", grouped(list.cancelled))
    } else {
        String::new()
    };
    let dates = styled(STRONG, counted(list.rows.len(), "date", "dates"));
    let _ = writeln!(out, "{dates}, from {} through {}{cancelled}", window.from, window.until);
    out
}

fn hand_out(rows: &[&Row]) -> Grid {
    let mut grid = Grid::new(&[
        Column::Text("Day"),
        Column::Text("Time"),
        Column::Text("Title"),
        Column::Text("Place"),
        Column::Text("Category"),
        Column::Text("Zone"),
    ]);
    let mut last = String::new();
    for row in rows {
        let (day, time) = day_and_time(row);
        let shown = if day == last { String::new() } else { day.clone() };
        last = day;
        let title =
            if row.cancelled { format!("{} (cancelled)", row.told.title) } else { row.told.title.clone() };
        grid.row([
            shown,
            time,
            title,
            row.told.location.clone(),
            row.told.category.clone(),
            row.zone.to_string(),
        ]);
    }
    grid
}

fn day_and_time(row: &Row) -> (String, String) {
    let named = |day: Date| format!("{} {day}", weekday_name(day.weekday()));
    let (first, last) = (row.start.date(), row.end.date());
    let clock = |shown: Shown| shown.text().get(11..16).unwrap_or_default().to_owned();
    let time = match (row.is_all_day(), first == last) {
        (true, true) => "all day".to_owned(),
        (true, false) => format!("through {}", named(last)),
        (false, _) if row.start == row.end => clock(row.start),
        (false, true) => format!("{}–{}", clock(row.start), clock(row.end)),
        (false, false) => format!("{} – {last} {}", clock(row.start), clock(row.end)),
    };
    (named(first), time)
}

fn weekday_name(day: jiff::civil::Weekday) -> &'static str {
    ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"]
        .get(usize::try_from(day.to_monday_zero_offset()).unwrap_or(0))
        .copied()
        .unwrap_or_default()
}

fn plain(rows: &[&Row], fields: &[FieldArg]) -> Grid {
    let columns: Vec<Column> = fields.iter().map(|field| Column::Text(field.name())).collect();
    let mut grid = Grid::new(&columns);
    for row in rows {
        grid.row(fields.iter().map(|field| row.cell(*field).into_owned()));
    }
    grid
}

/// An empty list is said loudly, with the nearest dates that there are.
fn nothing(sources: &[Source<'_>], chosen: &Chosen, window: Window, choice: &WindowChoice) -> String {
    let wide = Window { from: Date::MIN, until: Date::constant(2200, 12, 31) };
    let mut rows = list(sources, chosen, wide, Ceiling(choice.ceiling.0.min(10_000)), None).rows;
    SortArg::Start.sort(&mut rows);
    let before = rows.iter().rev().find(|row| row.start.date() < window.from);
    let after = rows.iter().find(|row| row.start.date() > window.from);
    let mut out = format!("{} no date from {} through {}\n", styled(WARNING, "!"), window.from, window.until);
    for (row, what) in [(before, "the last one before"), (after, "the next one after")] {
        if let Some(row) = row {
            let (day, time) = day_and_time(row);
            let _ = writeln!(out, "  {what}: {day} {time}  {}", sanitized(&row.told.title));
        }
    }
    if before.is_none() && after.is_none() {
        out.push_str("  nothing is chosen at all: the selectors match no event\n");
    }
    out
}

#[derive(Serialize)]
struct DatesJson<'l> {
    window: WindowJson,
    occurrences: Vec<RowJson<'l>>,
    cancelled: usize,
    not_expanded: &'l [String],
}

#[derive(Serialize)]
struct RowJson<'l> {
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
    fn of(row: &'l Row) -> Self {
        let Told { title, location, category, calendar, uid, repeat } = &*row.told;
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

#[derive(Serialize)]
struct WindowJson {
    from: String,
    until: String,
}

fn json_of(list: &List, window: Window) -> DatesJson<'_> {
    DatesJson {
        window: WindowJson { from: window.from.to_string(), until: window.until.to_string() },
        occurrences: list.rows.iter().map(RowJson::of).collect(),
        cancelled: list.cancelled,
        not_expanded: &list.not_expanded,
    }
}
