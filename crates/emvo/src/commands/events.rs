//! `events`: one line an event, series in words; of one event, all there is.

use std::borrow::Cow;
use std::cmp::Ordering;
use std::fmt::Write as _;

use anyhow::Context as _;
use emvo_core::rules::CheckOptions;
use emvo_ical::calendar::{Event, Series, Status};
use emvo_ical::recurrence::{Window, occurrences_of, rule_in_words};
use serde::Serialize;

use crate::args::{AnswerArgs, InputArgs, WindowArgs};
use crate::chosen::{Chosen, SelectArgs};
use crate::commands::check::series_with;
use crate::commands::listing::{Line, ListArgs, ListFile, SortArg};
use crate::gather::gather;
use crate::json;
use crate::outcome::Outcome;
use crate::progress;
use crate::settle::{Answer, Reading};
use crate::source::{self, Loaded, Source};
use crate::terminal::{Column, DIM, Grid, STRONG, WARNING, counted, sanitized, styled};

/// One line an event, series in words; with --uid, all there is about it
#[derive(Debug, clap::Args)]
pub(crate) struct EventsArgs {
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
    #[command(flatten)]
    file: ListArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
#[value(rename_all = "snake_case")]
enum FieldArg {
    When,
    Repeat,
    Title,
    Location,
    Category,
    Status,
    Calendar,
    Uid,
}

const USUAL: [FieldArg; 6] = [
    FieldArg::When,
    FieldArg::Repeat,
    FieldArg::Title,
    FieldArg::Location,
    FieldArg::Category,
    FieldArg::Calendar,
];

impl FieldArg {
    fn name(self) -> &'static str {
        match self {
            Self::When => "when",
            Self::Repeat => "repeat",
            Self::Title => "title",
            Self::Location => "location",
            Self::Category => "category",
            Self::Status => "status",
            Self::Calendar => "calendar",
            Self::Uid => "uid",
        }
    }
}

/// One line.
#[derive(Clone, Debug, Serialize)]
struct Row {
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
    order: (i64, String),
}

/// A chosen series, and where it is.
struct Picked<'s, 't> {
    source: &'s Source<'t>,
    loaded: &'s Loaded<'t>,
    series: &'s Series<'t>,
}

pub(crate) fn run(args: EventsArgs) -> anyhow::Result<Outcome> {
    let answer = args.answer.settle();
    let wants_all = args.select.names_ids();
    let chosen = args.select.settle()?;
    let window = args.window.settle()?;
    let reading = args.input.reading.settle()?;
    let file = args.file.settle()?;
    let files = gather(&args.input.inputs, ListFile::path_of(file.as_ref()), reading.secret.as_ref())?;
    let texts = source::decode(&files, &reading)?;
    let sources = source::read(&texts, &reading)?;
    progress::doing("listing events");
    let chosen = chosen.within(&window, &sources);
    let picked = picked(&sources, &chosen, &reading);
    let mut rows: Vec<Row> = picked.iter().map(Row::of).collect();
    args.sort.sort(&mut rows);
    let fields = if args.fields.is_empty() { USUAL.to_vec() } else { args.fields };
    if let Some(file) = &file {
        let headers: Vec<&str> = fields.iter().map(|field| field.name()).collect();
        file.write(&headers, &rows, &fields)?;
    }
    match answer {
        Answer::Json => json::print("events", &EventsJson { events: &rows }).context("could not print")?,
        Answer::Silent => {}
        Answer::Text(_) if rows.is_empty() => {
            say_line!("{} no event is chosen", styled(WARNING, "!"));
        }
        Answer::Text(_) if wants_all => {
            for one in &picked {
                say!("{}", everything(one, window.over(&sources), window.ceiling));
            }
        }
        Answer::Text(_) => say!("{}", text(&rows, &fields, file.as_ref())),
    }
    Ok(Outcome::needs_a_look_if(rows.is_empty()))
}

fn picked<'s, 't>(sources: &'s [Source<'t>], chosen: &Chosen, reading: &Reading) -> Vec<Picked<'s, 't>> {
    let mut picked = Vec::new();
    for source in sources {
        for loaded in &source.loaded {
            let with_findings = (!chosen.findings.is_empty()).then(|| {
                let options = CheckOptions::default();
                let house = reading.zones.house.as_ref();
                let context = emvo_core::rules::Context::of(&loaded.calendar, &loaded.zones, house, &options);
                series_with(&context, &chosen.findings, &chosen.selection)
            });
            for (at, series) in loaded.calendar.series.iter().enumerate() {
                if with_findings.as_ref().is_none_or(|list| list.contains(&at))
                    && chosen.selection.chooses(series, &loaded.zones)
                {
                    picked.push(Picked { source, loaded, series });
                }
            }
        }
    }
    picked
}

impl Row {
    fn of(picked: &Picked<'_, '_>) -> Self {
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
            repeat: repeat_in_words(picked),
            title: text(lead.title()),
            location: text(lead.location()),
            category: lead.categories().join("; "),
            status: status_of(lead).to_owned(),
            calendar: loaded.calendar.name(),
            uid: series.uid_text().into_owned(),
            path: source.path.clone(),
            line: (lead.line() > 0).then(|| lead.line()),
            order: (order, text(lead.title())),
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

impl Line for Row {
    type Column = FieldArg;

    fn title(&self) -> &str {
        &self.title
    }

    fn category(&self) -> &str {
        &self.category
    }

    fn by_start(&self, other: &Self) -> Ordering {
        self.order.cmp(&other.order)
    }

    fn cell(&self, column: FieldArg) -> Cow<'_, str> {
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

/// `every week on Mon until 2026-12-21, 1 exception, 2 overrides`.
fn repeat_in_words(picked: &Picked<'_, '_>) -> String {
    let Some(master) = picked.series.master() else { return "override without its series".to_owned() };
    let rules = master.rules().map(|rule| rule_in_words(&rule, master.start(), &picked.loaded.zones));
    let mut parts: Vec<String> = rules.collect();
    let mut add = |count: usize, one: &str, many: &str| {
        if count > 0 {
            parts.push(counted(count, one, many));
        }
    };
    add(master.dates("RDATE").len(), "further date", "further dates");
    add(master.dates("EXDATE").len(), "exception", "exceptions");
    add(picked.series.overrides().len(), "override", "overrides");
    parts.join(", ")
}

fn text(rows: &[Row], fields: &[FieldArg], output: Option<&ListFile>) -> String {
    let count = styled(STRONG, counted(rows.len(), "event", "events"));
    if let Some(ListFile { path, .. }) = output {
        return format!("{count}\nwrote {}\n", sanitized(&path.display().to_string()));
    }
    let columns: Vec<Column> = fields.iter().map(|field| Column::Text(heading(*field))).collect();
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
    ceiling: emvo_ical::recurrence::Ceiling,
) -> String {
    let row = Row::of(picked);
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

fn lines_of(component: &emvo_ical::content::Component<'_>, indent: usize, out: &mut String) {
    for property in component.properties() {
        let _ = writeln!(out, "{:indent$}{}", "", sanitized(&property.logical()));
    }
    for inner in component.components() {
        let _ = writeln!(out, "{:indent$}{}", "", styled(DIM, sanitized(inner.name())));
        lines_of(inner, indent + 2, out);
    }
}

#[derive(Serialize)]
struct EventsJson<'r> {
    events: &'r [Row],
}
