//! `dates`: the occurrences in a window as a list one would hand out.

use std::cmp::Ordering;
use std::fmt::Write as _;

use anyhow::{Context as _, bail};
use emvo_core::calendar::{Event, EventTime, Series, ZoneRef};
use emvo_core::recurrence::{Ceiling, Occurrence, Window, occurrences_of, rule_in_words};
use emvo_core::zone::{Zone, ZoneBook};
use serde::Serialize;

use crate::args::{AnswerArgs, InputArgs, WindowArgs};
use crate::chosen::{Chosen, SelectArgs};
use crate::commands::listing::{Line, ListArgs, ListFile, SortArg};
use crate::gather::gather;
use crate::json;
use crate::outcome::Outcome;
use crate::settle::{Answer, WindowChoice, zone_named};
use crate::source::{self, Source};
use crate::terminal::{Column, DIM, Grid, STRONG, WARNING, counted, grouped, sanitized, styled};

/// How many dates of one series, and of all, are listed at most.
const MOST_OF_ALL: usize = 10_000_000;

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
    #[arg(long, value_name = "FIELD", value_enum, value_delimiter = ',')]
    fields: Vec<FieldArg>,
    /// In which order
    #[arg(long, value_enum, value_name = "FIELD", default_value_t)]
    sort: SortArg,
    /// Show all times in this zone; floating ones stay as they are
    #[arg(long, value_name = "ZONE")]
    express_in: Option<String>,
    /// List cancelled dates, too
    #[arg(long)]
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

/// One date of the list.
#[derive(Clone, Debug, Serialize)]
struct Row {
    start: String,
    end: String,
    all_day: bool,
    zone: String,
    title: String,
    location: String,
    category: String,
    calendar: String,
    uid: String,
    cancelled: bool,
    /// How the series repeats, in words; empty for a single event.
    repeat: String,
    #[serde(skip)]
    order: i64,
}

/// The list, and what could not be listed.
struct List {
    rows: Vec<Row>,
    cancelled: usize,
    not_expanded: Vec<String>,
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
        Answer::Text(_) if is_empty => anstream::print!("{}", nothing(&sources, &chosen, window, &choice)),
        Answer::Text(_) => match &file {
            Some(ListFile { path, .. }) => anstream::println!(
                "{}, from {} through {}\nwrote {}",
                styled(STRONG, counted(list.rows.len(), "date", "dates")),
                window.from,
                window.until,
                sanitized(&path.display().to_string())
            ),
            None => anstream::print!("{}", text(&list, &fields, args.sort, window)),
        },
    }
    for line in &list.not_expanded {
        anstream::eprintln!("{} {}", styled(WARNING, "!"), sanitized(line));
    }
    Ok(Outcome::needs_a_look_if(is_empty || !list.not_expanded.is_empty()))
}

fn list(
    sources: &[Source<'_>],
    chosen: &Chosen,
    window: Window,
    ceiling: Ceiling,
    zone: Option<&Zone>,
) -> List {
    let mut list = List { rows: Vec::new(), cancelled: 0, not_expanded: Vec::new() };
    for source in sources {
        for loaded in &source.loaded {
            let calendar = loaded.calendar.name();
            for series in
                loaded.calendar.series.iter().filter(|series| chosen.selection.chooses(series, &loaded.zones))
            {
                let found = occurrences_of(series, &loaded.zones, window, ceiling);
                let title = || series.lead().title().unwrap_or_default().into_owned();
                if let Some(error) = found.unreadable.first() {
                    list.not_expanded.push(format!(
                        "{}: `{}`: {error}; its first date alone is listed",
                        source.path,
                        title()
                    ));
                }
                if found.met_ceiling || list.rows.len() > MOST_OF_ALL {
                    list.not_expanded.push(format!(
                        "{}: `{}` has more than {} dates here; the list stops there, --ceiling raises it",
                        source.path,
                        title(),
                        grouped(ceiling.0)
                    ));
                }
                list.cancelled += found.cancelled.len();
                let repeat = in_words(series, &loaded.zones);
                let told = |occurrence: &Occurrence, is_cancelled: bool| {
                    let event = occurrence.part.event(series);
                    let uid = series.uid().map(ToString::to_string).unwrap_or_default();
                    Row::of(
                        occurrence,
                        event,
                        &loaded.zones,
                        zone,
                        Texts { calendar: calendar.clone(), uid, repeat: repeat.clone(), is_cancelled },
                    )
                };
                list.rows.extend(found.list.iter().map(|one| told(one, false)));
                list.rows.extend(found.cancelled.iter().map(|one| told(one, true)));
            }
        }
    }
    list
}

/// How a series repeats, in words; empty for a single event.
fn in_words(series: &Series<'_>, zones: &ZoneBook) -> String {
    let lead = series.lead();
    lead.rules().map(|rule| rule_in_words(&rule, lead.start(), zones)).collect::<Vec<_>>().join(" & ")
}

/// What a row knows besides its event.
struct Texts {
    calendar: String,
    uid: String,
    repeat: String,
    is_cancelled: bool,
}

impl Row {
    fn of(
        occurrence: &Occurrence,
        event: &Event<'_>,
        zones: &ZoneBook,
        zone: Option<&Zone>,
        texts: Texts,
    ) -> Self {
        let start = shown_in(&occurrence.start, zone, zones);
        let end = shown_in(&occurrence.end, zone, zones);
        // One zone cell is for both: an end in another zone is told in the
        // start's.
        let end = if end.zone() == start.zone() { end } else { in_zone_of(&start, &end, zones) };
        let order =
            zones.instant(&occurrence.start).unwrap_or_else(|| on_house_clock(&occurrence.start, zones));
        Self {
            all_day: start.is_date(),
            zone: match start.zone() {
                ZoneRef::Floating => String::new(),
                ZoneRef::Utc => "UTC".to_owned(),
                ZoneRef::Named(name) => {
                    zones.zone_named(name).map_or_else(|| name.to_string(), |zone| zone.name().to_owned())
                }
            },
            end: match &end {
                EventTime::Date(after) => after.yesterday().unwrap_or(*after).max(start.date()).to_string(),
                EventTime::Clock { at, .. } => at.to_string(),
            },
            start: match &start {
                EventTime::Date(date) => date.to_string(),
                EventTime::Clock { at, .. } => at.to_string(),
            },
            title: event.title().unwrap_or_default().into_owned(),
            location: event.location().unwrap_or_default().into_owned(),
            category: event.categories().join("; "),
            calendar: texts.calendar,
            uid: texts.uid,
            repeat: texts.repeat,
            cancelled: texts.is_cancelled,
            order,
        }
    }

    fn cell(&self, field: FieldArg) -> String {
        match field {
            FieldArg::Start => self.start.clone(),
            FieldArg::End => self.end.clone(),
            FieldArg::AllDay => if self.all_day { "yes" } else { "no" }.to_owned(),
            FieldArg::Zone => self.zone.clone(),
            FieldArg::Title => self.title.clone(),
            FieldArg::Location => self.location.clone(),
            FieldArg::Category => self.category.clone(),
            FieldArg::Calendar => self.calendar.clone(),
            FieldArg::Uid => self.uid.clone(),
            FieldArg::Repeat => self.repeat.clone(),
        }
    }
}

impl Line for Row {
    type Column = FieldArg;

    fn title(&self) -> &str {
        &self.title
    }

    fn category(&self) -> &str {
        &self.category
    }

    fn by_start(&self, other: &Self) -> Ordering {
        let by_title = || self.title.cmp(&other.title);
        self.order.cmp(&other.order).then_with(by_title).then_with(|| self.uid.cmp(&other.uid))
    }

    fn cells(&self, columns: &[FieldArg]) -> Vec<String> {
        columns.iter().map(|column| self.cell(*column)).collect()
    }
}

fn shown_in(time: &EventTime, zone: Option<&Zone>, zones: &ZoneBook) -> EventTime {
    match zone {
        Some(zone) if *time.zone() != ZoneRef::Floating => {
            zones.time_in(time, zone).unwrap_or_else(|| time.clone())
        }
        _ => time.clone(),
    }
}

fn in_zone_of(start: &EventTime, end: &EventTime, zones: &ZoneBook) -> EventTime {
    let told = zones.zone_of(start.zone()).and_then(|zone| zones.time_in(end, &zone));
    told.map_or_else(|| end.clone(), |end| start.at_clock(end.clock()))
}

/// Dates and floating times are ordered by the house's clock, so that a day
/// comes before its hours.
fn on_house_clock(time: &EventTime, zones: &ZoneBook) -> i64 {
    let seconds = time
        .clock()
        .to_zoned(jiff::tz::TimeZone::UTC)
        .map_or(i64::MAX, |zoned| zoned.timestamp().as_second());
    zones.floating_zone().map_or(seconds, |zone| zone.behaviour().instant_of(seconds))
}

/// The list for people: one line a date, the day named once.
fn text(list: &List, fields: &[FieldArg], sort: SortArg, window: Window) -> String {
    let mut out = String::new();
    let is_default = fields == FieldArg::ALL;
    let mut grids: Vec<(String, Vec<&Row>)> = Vec::new();
    for row in &list.rows {
        let heading = match sort {
            SortArg::Start => String::new(),
            SortArg::Title => row.title.clone(),
            SortArg::Category if row.category.is_empty() => "(no category)".to_owned(),
            SortArg::Category => row.category.clone(),
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
        let title = if row.cancelled { format!("{} (cancelled)", row.title) } else { row.title.clone() };
        grid.row([shown, time, title, row.location.clone(), row.category.clone(), row.zone.clone()]);
    }
    grid
}

fn day_and_time(row: &Row) -> (String, String) {
    let date = |text: &str| text.get(..10).unwrap_or(text).to_owned();
    let named = |day: String| match day.parse::<jiff::civil::Date>() {
        Ok(date) => format!("{} {day}", weekday_name(date.weekday())),
        Err(_) => day,
    };
    let (first, last) = (date(&row.start), date(&row.end));
    let clock = |text: &str| text.get(11..16).unwrap_or_default().to_owned();
    let time = match (row.all_day, first == last) {
        (true, true) => "all day".to_owned(),
        (true, false) => format!("through {}", named(last)),
        (false, _) if row.start == row.end => clock(&row.start),
        (false, true) => format!("{}–{}", clock(&row.start), clock(&row.end)),
        (false, false) => format!("{} – {} {}", clock(&row.start), last, clock(&row.end)),
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
        grid.row(fields.iter().map(|field| row.cell(*field)));
    }
    grid
}

/// An empty list is said loudly, with the nearest dates that there are.
fn nothing(sources: &[Source<'_>], chosen: &Chosen, window: Window, choice: &WindowChoice) -> String {
    let wide = Window { from: jiff::civil::Date::MIN, until: jiff::civil::Date::constant(2200, 12, 31) };
    let mut rows = list(sources, chosen, wide, Ceiling(choice.ceiling.0.min(10_000)), None).rows;
    SortArg::Start.sort(&mut rows);
    let from = window.from.to_string();
    let before = rows.iter().rev().find(|row| row.start < from);
    let after = rows.iter().find(|row| row.start > from);
    let mut out = format!("{} no date from {} through {}\n", styled(WARNING, "!"), window.from, window.until);
    for (row, what) in [(before, "the last one before"), (after, "the next one after")] {
        if let Some(row) = row {
            let (day, time) = day_and_time(row);
            let _ = writeln!(out, "  {what}: {day} {time}  {}", sanitized(&row.title));
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
    occurrences: &'l [Row],
    cancelled: usize,
    not_expanded: &'l [String],
}

#[derive(Serialize)]
struct WindowJson {
    from: String,
    until: String,
}

fn json_of(list: &List, window: Window) -> DatesJson<'_> {
    DatesJson {
        window: WindowJson { from: window.from.to_string(), until: window.until.to_string() },
        occurrences: &list.rows,
        cancelled: list.cancelled,
        not_expanded: &list.not_expanded,
    }
}
