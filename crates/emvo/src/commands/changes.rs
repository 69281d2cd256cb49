//! `changes`: what happened between two snapshots.

use emvo_core::product::PRODUCT_ID;
use std::collections::BTreeSet;
use std::fmt::Write as _;
use std::path::{Path, PathBuf};

use anyhow::{Context, bail};
use emvo_core::edit::sync_definitions;
use emvo_core::snapshot::{Changes, Entry, Pair, Side, cancellation, changes};
use emvo_ical::calendar::{Calendar, write_with_head};
use emvo_ical::content::Property;
use serde::Serialize;

use crate::args::{AnswerArgs, ReadingArgs};
use crate::commands::report::sheet;
use crate::gather::gather;
use crate::json;
use crate::outcome::Outcome;
use crate::output::{Existing, write_file};
use crate::progress;
use crate::settle::{Answer, Detail};
use crate::source::{self, Source};
use crate::terminal::{DIM, STRONG, WARNING, counted, grouped, sanitized, styled};

/// How many events of a kind a usual answer lists.
const FEW: usize = 12;

/// What was added, changed, moved and removed between two exports of the same calendars
#[derive(Debug, clap::Args)]
pub(crate) struct ChangesArgs {
    /// The earlier export, or a folder or zip of them
    #[arg(value_name = "OLD")]
    old: PathBuf,
    /// The later one
    #[arg(value_name = "NEW")]
    new: PathBuf,
    /// Write what is new, changed or moved as a calendar file to import
    #[arg(long, short, value_name = "DELTA.ics", help_heading = "Output")]
    output: Option<PathBuf>,
    /// Write what was removed: as cancellations (.ics), or as a list for a person (.csv)
    #[arg(long, value_name = "PATH.ics|.csv", help_heading = "Output")]
    cancellations: Option<PathBuf>,
    /// Replace existing files
    #[arg(long, help_heading = "Output")]
    overwrite: bool,
    #[command(flatten)]
    reading: ReadingArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

pub(crate) fn run(args: ChangesArgs) -> anyhow::Result<Outcome> {
    let answer = args.answer.settle();
    let reading = args.reading.settle()?;
    let existing = if args.overwrite { Existing::Replace } else { Existing::Refuse };
    for path in args.output.iter().chain(&args.cancellations) {
        if existing == Existing::Refuse && path.exists() {
            bail!("`{}` exists already; --overwrite replaces it", path.display());
        }
    }
    let (old_files, new_files) = (
        gather(&[args.old], None, reading.secret.as_ref())?,
        gather(&[args.new], None, reading.secret.as_ref())?,
    );
    for file in old_files.iter().chain(&new_files).filter_map(|file| file.on_disk.as_deref()) {
        let is_output = |path: &PathBuf| same_file::is_same_file(path, file).unwrap_or(false);
        if args.output.iter().chain(&args.cancellations).any(is_output) {
            bail!("the output is an input; inputs are never changed, name another file");
        }
    }
    let (old_texts, new_texts) =
        (source::decode(&old_files, &reading)?, source::decode(&new_files, &reading)?);
    let (old, new) = (source::read(&old_texts, &reading)?, source::read(&new_texts, &reading)?);
    let (old_sides, new_sides) = (sides(&old), sides(&new));
    progress::doing("comparing");
    let found = changes(&old_sides, &new_sides);
    let mut outputs = Vec::new();
    if let Some(path) = &args.output {
        write_file(path, &delta(&found, &new_sides), existing)?;
        outputs.push(path.display().to_string());
    }
    if let Some(path) = &args.cancellations {
        write_file(path, &cancellations(&found, &old_sides, path)?, existing)?;
        outputs.push(path.display().to_string());
    }
    match answer {
        Answer::Json => print_json(&found, outputs).context("could not print")?,
        Answer::Silent => {}
        Answer::Text(detail) => {
            let mut text = text(&found, detail);
            for output in &outputs {
                let _ = writeln!(text, "wrote {}", sanitized(output));
            }
            if args.output.is_some() && !found.removed.is_empty() && args.cancellations.is_none() {
                let removed = counted(found.removed.len(), "removed event is", "removed events are");
                let _ = writeln!(
                    text,
                    "{} {removed} in no file: --cancellations list.csv says what to delete by hand",
                    styled(WARNING, "!")
                );
            }
            say!("{text}");
        }
    }
    let differs = found.added.len()
        + found.changed.len()
        + found.moved.len()
        + found.removed.len()
        + found.outside.len();
    Ok(Outcome::needs_a_look_if(differs > 0))
}

fn sides<'s, 't>(sources: &'s [Source<'t>]) -> Vec<Side<'s, 't>> {
    sources.iter().flat_map(|source| &source.loaded).map(|loaded| (&loaded.calendar, &loaded.zones)).collect()
}

/// What is new, changed or moved, one calendar for each of the new snapshot.
fn delta(found: &Changes<'_, '_>, new: &[Side<'_, '_>]) -> Vec<u8> {
    let pairs = found.changed.iter().chain(&found.moved).map(|pair| &pair.new);
    let all: Vec<&Entry<'_, '_>> = found.added.iter().chain(pairs).collect();
    let mut bytes = Vec::new();
    for (side, (calendar, zones)) in new.iter().enumerate() {
        let own = all.iter().filter(|entry| entry.side == side).map(|entry| entry.series.clone());
        let mut part = Calendar {
            series: own.collect(),
            others: Vec::new(),
            unsound: Vec::new(),
            ..(*calendar).clone()
        };
        if part.series.is_empty() && new.len() > 1 {
            continue;
        }
        part.series.sort_by_key(|series| series.lead().rank());
        let before: BTreeSet<_> = zones.names().into_iter().cloned().collect();
        sync_definitions(&mut part, zones, &before, &BTreeSet::new());
        write_with_head(&part, &part.missing_head(PRODUCT_ID), &mut bytes);
    }
    bytes
}

fn cancellations(found: &Changes<'_, '_>, old: &[Side<'_, '_>], path: &Path) -> anyhow::Result<Vec<u8>> {
    let is_table = path.extension().is_some_and(|extension| extension.eq_ignore_ascii_case("csv"));
    if is_table { cancellation_table(found, old) } else { Ok(cancellation_calendar(found, old)) }
}

fn cancellation_calendar(found: &Changes<'_, '_>, old: &[Side<'_, '_>]) -> Vec<u8> {
    let mut bytes = Vec::new();
    for (side, (calendar, zones)) in old.iter().enumerate() {
        let own = found.removed.iter().filter(|entry| entry.side == side);
        let mut part = Calendar {
            series: own.map(|entry| cancellation(entry.series)).collect(),
            others: Vec::new(),
            unsound: Vec::new(),
            ..(*calendar).clone()
        };
        if part.series.is_empty() {
            continue;
        }
        part.properties.retain(|line| !line.is("METHOD"));
        part.properties.push(Property::new("METHOD", &[], "CANCEL"));
        let before: BTreeSet<_> = zones.names().into_iter().cloned().collect();
        sync_definitions(&mut part, zones, &before, &BTreeSet::new());
        write_with_head(&part, &part.missing_head(PRODUCT_ID), &mut bytes);
    }
    bytes
}

fn cancellation_table(found: &Changes<'_, '_>, old: &[Side<'_, '_>]) -> anyhow::Result<Vec<u8>> {
    let rows = found.removed.iter().map(|entry| {
        let lead = entry.series.lead();
        [
            String::new(),
            lead.title().unwrap_or_default().into_owned(),
            lead.span(),
            lead.location().unwrap_or_default().into_owned(),
            old.get(entry.side).map(|(calendar, _)| calendar.name()).unwrap_or_default(),
            entry.series.uid_text().into_owned(),
        ]
    });
    sheet(["done", "title", "when", "location", "calendar", "uid"], rows)
}

fn text(found: &Changes<'_, '_>, detail: Detail) -> String {
    let mut out = String::new();
    let single = |entry: &Entry<'_, '_>| (shown(entry), String::new());
    let pair = |pair: &Pair<'_, '_>| {
        let now = pair.new.series.lead().span();
        let is_moved = pair.fields.iter().any(|field| field == "start" || field == "end");
        let what = if is_moved { format!("→ {now}") } else { pair.fields.join(", ") };
        (shown(&pair.old), what)
    };
    let lists: [(&str, Vec<(String, String)>); 5] = [
        ("added", found.added.iter().map(single).collect()),
        ("changed", found.changed.iter().map(pair).collect()),
        ("moved", found.moved.iter().map(pair).collect()),
        ("removed", found.removed.iter().map(single).collect()),
        ("outside the dates that the later export covers", found.outside.iter().map(single).collect()),
    ];
    // Writing into a string cannot fail, here and below.
    for (name, list) in lists.iter().filter(|(_, list)| !list.is_empty()) {
        let _ = writeln!(out, "{}", styled(STRONG, format!("{} {name}", grouped(list.len()))));
        let few = if detail == Detail::All { usize::MAX } else { FEW };
        for (event, what) in list.iter().take(few) {
            let what =
                if what.is_empty() { String::new() } else { format!("  {}", styled(DIM, sanitized(what))) };
            let _ = writeln!(out, "  {}{what}", sanitized(event));
        }
        if list.len() > few {
            let more = counted(list.len() - few, "more", "more");
            let _ = writeln!(out, "  {}", styled(DIM, format!("and {more}; -v lists them")));
        }
    }
    let same = counted(found.unchanged, "event is as it was", "events are as they were");
    let _ = writeln!(out, "{same}");
    out
}

fn shown(entry: &Entry<'_, '_>) -> String {
    let lead = entry.series.lead();
    format!("{}  {}", lead.span(), lead.title().unwrap_or_default())
}

#[derive(Serialize)]
struct ChangesJson {
    added: Vec<EventJson>,
    changed: Vec<EventJson>,
    moved: Vec<EventJson>,
    removed: Vec<EventJson>,
    outside: Vec<EventJson>,
    counts: CountsJson,
    outputs: Vec<String>,
}

#[derive(Serialize)]
struct CountsJson {
    added: usize,
    changed: usize,
    moved: usize,
    removed: usize,
    outside: usize,
    unchanged: usize,
}

#[derive(Serialize)]
struct EventJson {
    uid: String,
    title: String,
    start: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    new_start: Option<String>,
    fields: Vec<String>,
}

impl EventJson {
    fn of(entry: &Entry<'_, '_>) -> Self {
        let lead = entry.series.lead();
        Self {
            uid: entry.series.uid_text().into_owned(),
            title: lead.title().unwrap_or_default().into_owned(),
            start: lead.start().to_string(),
            new_start: None,
            fields: Vec::new(),
        }
    }

    fn of_pair(pair: &Pair<'_, '_>) -> Self {
        let new_start = Some(pair.new.series.lead().start().to_string());
        Self { new_start, fields: pair.fields.clone(), ..Self::of(&pair.old) }
    }
}

fn print_json(found: &Changes<'_, '_>, outputs: Vec<String>) -> std::io::Result<()> {
    let all = |list: &[Entry<'_, '_>]| list.iter().map(EventJson::of).collect::<Vec<_>>();
    let pairs = |list: &[Pair<'_, '_>]| list.iter().map(EventJson::of_pair).collect::<Vec<_>>();
    let counts = CountsJson {
        added: found.added.len(),
        changed: found.changed.len(),
        moved: found.moved.len(),
        removed: found.removed.len(),
        outside: found.outside.len(),
        unchanged: found.unchanged,
    };
    let body = ChangesJson {
        added: all(&found.added),
        changed: pairs(&found.changed),
        moved: pairs(&found.moved),
        removed: all(&found.removed),
        outside: all(&found.outside),
        counts,
        outputs,
    };
    json::print("changes", &body)
}
