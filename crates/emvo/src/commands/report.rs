//! `--report`: the answer as a page, a sheet or JSON.

use std::path::{Path, PathBuf};

use anyhow::bail;
use emvo_core::edit::Fold;
use emvo_core::edit::{Balance, Change};
use emvo_core::reconcile::{Difference, DifferenceKind, Verdict as Proven};
use emvo_core::rules::Level;
use emvo_core::table::guarded;
use emvo_report::{Cause, MOST_ROWS, Month, MonthGrid, Mood, Page, Table, Verdict, render};
use jiff::civil::Date;

use crate::commands::check::Found;
use crate::commands::reconcile::Proof;
use crate::output::{Existing, Pending, Target};
use crate::terminal::{counted, grouped};

/// More months than this say no more.
const MOST_GRIDS: usize = 12;

/// The headers of a list of differences.
pub(crate) const DIFFERENCE_COLUMNS: [&str; 7] =
    ["what", "cause", "when", "in the result", "title", "fields", "file"];

/// A report that was asked for.
#[derive(Clone, Debug)]
pub(crate) struct Report {
    path: PathBuf,
    form: Form,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Form {
    Page,
    Sheet,
    Json,
}

/// What a report can be made of, each made only if it is wanted.
pub(crate) struct Forms<P, S, J> {
    pub(crate) page: P,
    pub(crate) sheet: S,
    pub(crate) json: J,
}

impl Report {
    pub(crate) fn settle(path: PathBuf, existing: Existing) -> anyhow::Result<Self> {
        let form = match path.extension().and_then(|extension| extension.to_str()) {
            Some("html" | "htm") => Form::Page,
            Some("csv") => Form::Sheet,
            Some("json") => Form::Json,
            _ => bail!("--report `{}`: its name has to end in .html, .csv or .json", path.display()),
        };
        if existing == Existing::Refuse && path.exists() {
            bail!("`{}` exists already; --overwrite replaces it", path.display());
        }
        Ok(Self { path, form })
    }

    pub(crate) fn path(&self) -> &Path {
        &self.path
    }

    /// The report as a file to be written.
    pub(crate) fn file<P, S, J>(&self, forms: Forms<P, S, J>) -> anyhow::Result<Pending>
    where
        P: FnOnce() -> Page,
        S: FnOnce() -> anyhow::Result<Vec<u8>>,
        J: FnOnce() -> anyhow::Result<Vec<u8>>,
    {
        let bytes = match self.form {
            Form::Page => render(&(forms.page)()).into_bytes(),
            Form::Sheet => (forms.sheet)()?,
            Form::Json => (forms.json)()?,
        };
        Ok(Pending { target: Target::Path(self.path.clone()), bytes })
    }
}

/// Rows as a sheet that a spreadsheet opens as it is.
pub(crate) fn sheet<const N: usize>(
    header: [&str; N],
    rows: impl Iterator<Item = [String; N]>,
) -> anyhow::Result<Vec<u8>> {
    // A spreadsheet takes UTF-8 for what it is only behind a mark.
    let mut writer = csv::WriterBuilder::new()
        .terminator(csv::Terminator::CRLF)
        .from_writer("\u{feff}".as_bytes().to_vec());
    writer.write_record(header)?;
    for row in rows {
        writer.write_record(row.map(|cell| guarded(&cell).into_owned()))?;
    }
    writer.into_inner().map_err(|error| anyhow::anyhow!("{error}"))
}

/// A list on a page, cut where it would be too long.
pub(crate) fn table(
    title: &str,
    note: &str,
    columns: &[&'static str],
    rows: impl ExactSizeIterator<Item = Vec<String>>,
) -> Table {
    let total = rows.len();
    Table {
        title: title.to_owned(),
        note: note.to_owned(),
        columns: columns.to_vec(),
        rows: rows.take(MOST_ROWS).collect(),
        total,
    }
}

pub(crate) fn made_by() -> String {
    format!("Made by Emvo {}. Nothing on this page comes from anywhere else.", env!("CARGO_PKG_VERSION"))
}

/// The page of a proof.
pub(crate) fn proof_page(proof: &Proof<'_, '_>) -> Page {
    let found = proof.found;
    let counts = found.counts;
    let names =
        |paths: Vec<&str>| if paths.len() > 4 { format!("{} files", paths.len()) } else { paths.join(", ") };
    let sources = names(proof.sources.iter().map(|source| source.path.as_str()).collect());
    let results = names(proof.results.iter().map(|source| source.path.as_str()).collect());
    let occurrences = counted(counts.source_occurrences, "date", "dates");
    let verdict = match found.verdict {
        Proven::Complete => Verdict {
            mood: Mood::Good,
            word: "Complete".to_owned(),
            sentence: format!("Every one of {occurrences} of the sources is accounted for in the result."),
        },
        Proven::Incomplete => Verdict {
            mood: Mood::Bad,
            word: "Incomplete".to_owned(),
            sentence: format!(
                "Of {occurrences}, {} are not in the result as they were.",
                grouped(counts.missing + counts.retimed + counts.altered + counts.doubled)
            ),
        },
    };
    let rows = found.differences.iter().map(difference_row);
    let files = proof.files();
    let mut tables = vec![table("What differs", "One row for each date.", &DIFFERENCE_COLUMNS, rows)];
    tables.push(table(
        "What was compared",
        "",
        &["role", "file", "bytes", "SHA-256"],
        files.iter().map(|file| {
            let record = &file.record;
            vec![file.role.to_owned(), record.path.clone(), grouped(record.bytes), record.sha256.clone()]
        }),
    ));
    Page {
        title: "Is everything there?".to_owned(),
        subtitle: format!(
            "{sources} against {results}, from {} through {}",
            found.window.from, found.window.until
        ),
        verdict,
        counts: [
            (counts.matched, "there as they were"),
            (counts.explained, "explained"),
            (counts.missing, "missing"),
            (counts.retimed, "at another time"),
            (counts.altered, "with other words"),
            (counts.doubled, "more than once"),
            (counts.extra, "in the result alone"),
        ]
        .into_iter()
        .filter(|(count, _)| *count > 0)
        .map(|(count, what)| (count, what.to_owned()))
        .collect(),
        causes: found
            .causes
            .iter()
            .map(|cause| Cause { summary: cause.summary.clone(), todo: cause.todo.clone() })
            .collect(),
        by_hand: proof.by_hand(),
        months: months(&found.days),
        shifts: shifts(&found.differences),
        grids: if found.verdict == Proven::Complete { Vec::new() } else { grids(&found.days) },
        tables,
        made_by: made_by(),
    }
}

pub(crate) fn difference_row(one: &Difference) -> Vec<String> {
    vec![
        one.kind.name().to_owned(),
        one.cause.map(|cause| cause.name().to_owned()).unwrap_or_default(),
        one.start.clone(),
        one.result_start.clone().unwrap_or_default(),
        one.title.clone(),
        one.fields.join(", "),
        one.path.clone(),
    ]
}

/// The differences of a proof as a sheet, all of them.
pub(crate) fn proof_sheet(proof: &Proof<'_, '_>) -> anyhow::Result<Vec<u8>> {
    let rows = proof.found.differences.iter().map(|one| {
        [
            one.kind.name().to_owned(),
            one.cause.map(|cause| cause.name().to_owned()).unwrap_or_default(),
            one.path.clone(),
            one.uid.clone(),
            one.title.clone(),
            one.start.clone(),
            one.result_start.clone().unwrap_or_default(),
            one.by.map(|seconds| (seconds / 60).to_string()).unwrap_or_default(),
            one.fields.join("; "),
        ]
    });
    let header = ["kind", "cause", "path", "uid", "title", "start", "result_start", "by_minutes", "fields"];
    sheet(header, rows)
}

type Days = std::collections::BTreeMap<Date, (usize, usize)>;

/// Every month between the first and the last, empty ones too.
pub(crate) fn months(days: &Days) -> Vec<Month> {
    let mut counts: std::collections::BTreeMap<Date, (usize, usize)> = std::collections::BTreeMap::new();
    for (day, (before, after)) in days {
        let month = counts.entry(day.first_of_month()).or_default();
        month.0 += before;
        month.1 += after;
    }
    let mut months = Vec::new();
    let mut next = counts.keys().next().copied();
    let last = counts.keys().next_back().copied();
    while let Some(first) = next.filter(|first| Some(*first) <= last) {
        let (before, after) = counts.get(&first).copied().unwrap_or_default();
        months.push(Month { name: first.strftime("%Y-%m").to_string(), before, after });
        next = first.checked_add(jiff::Span::new().months(1)).ok();
    }
    months
}

fn grids(days: &Days) -> Vec<MonthGrid> {
    let mut grids: Vec<MonthGrid> = Vec::new();
    for day in days.iter().filter(|(_, (before, after))| before != after).map(|(day, _)| day) {
        let first = day.first_of_month();
        if grids.last().is_some_and(|last| last.first == first) {
            continue;
        }
        if grids.len() == MOST_GRIDS {
            break;
        }
        let of_month = |pick: fn(&(usize, usize)) -> usize| {
            let mut date = Some(first);
            let mut counts = Vec::new();
            while let Some(day) = date.filter(|day| day.first_of_month() == first) {
                counts.push(days.get(&day).map_or(0, pick));
                date = day.tomorrow().ok();
            }
            counts
        };
        grids.push(MonthGrid {
            first,
            before: of_month(|counts| counts.0),
            after: of_month(|counts| counts.1),
        });
    }
    grids
}

/// How many dates moved by how much, the most first.
fn shifts(differences: &[Difference]) -> Vec<(String, usize)> {
    let mut counts = std::collections::BTreeMap::new();
    for by in differences.iter().filter(|one| one.kind == DifferenceKind::Retimed).filter_map(|one| one.by) {
        *counts.entry(by).or_insert(0_usize) += 1;
    }
    let mut all: Vec<(i64, usize)> = counts.into_iter().collect();
    all.sort_by_key(|(by, count)| (usize::MAX - count, *by));
    let shown = |by: i64| {
        let (sign, seconds) = (if by < 0 { '−' } else { '+' }, by.unsigned_abs());
        match (seconds / 86_400, seconds % 86_400 / 3600, seconds % 3600 / 60) {
            (0, hours, 0) => format!("{sign}{hours} h"),
            (0, hours, minutes) => format!("{sign}{hours} h {minutes} min"),
            (days, 0, 0) => format!("{sign}{days} d"),
            (days, hours, minutes) => format!("{sign}{days} d {hours} h {minutes} min"),
        }
    };
    all.into_iter().take(12).map(|(by, count)| (shown(by), count)).collect()
}

/// What a command that writes did.
pub(crate) struct Done<'d> {
    pub(crate) title: &'d str,
    pub(crate) balance: Balance,
    pub(crate) changes: &'d [Change],
    pub(crate) folds: &'d [Fold],
    /// What a person should look at.
    pub(crate) by_hand: Vec<String>,
    pub(crate) tables: Vec<Table>,
}

/// The page of a command that writes.
pub(crate) fn done_page(done: &Done<'_>) -> Page {
    let Balance { read, written, folded, removed, set_aside, added } = done.balance;
    let needs_a_look = set_aside > 0 || !done.by_hand.is_empty();
    let mut tables = vec![
        table(
            "What was changed",
            "",
            &["rule", "title", "before", "after"],
            done.changes.iter().map(|change| {
                let rule = change.rule.unwrap_or_default().to_owned();
                vec![rule, change.title.clone(), change.before.clone(), change.after.clone()]
            }),
        ),
        table(
            "What became part of another event",
            "",
            &["rule", "when", "title", "from", "into"],
            done.folds.iter().map(|fold| {
                let rule = fold.kind.rule().to_owned();
                vec![
                    rule,
                    fold.start.to_string(),
                    fold.title.to_string(),
                    fold.from.to_string(),
                    fold.into.to_string(),
                ]
            }),
        ),
    ];
    tables.extend(done.tables.clone());
    Page {
        title: done.title.to_owned(),
        subtitle: String::new(),
        verdict: Verdict {
            mood: if needs_a_look { Mood::Wait } else { Mood::Good },
            word: "Nothing is lost".to_owned(),
            sentence: format!(
                "{} in and {} new are {} written, {} folded, {} removed and {} set aside.",
                counted(read, "event", "events"),
                grouped(added),
                grouped(written),
                grouped(folded),
                grouped(removed),
                grouped(set_aside)
            ),
        },
        counts: [
            (read, "read"),
            (added, "new"),
            (written, "written"),
            (folded, "folded"),
            (removed, "removed"),
            (set_aside, "set aside"),
        ]
        .into_iter()
        .filter(|(count, what)| *count > 0 || matches!(*what, "read" | "written"))
        .map(|(count, what)| (count, what.to_owned()))
        .collect(),
        by_hand: done.by_hand.clone(),
        tables,
        made_by: made_by(),
        ..Page::default()
    }
}

/// The changes and folds of a command as a sheet.
pub(crate) fn done_sheet(done: &Done<'_>) -> anyhow::Result<Vec<u8>> {
    let changes = done.changes.iter().map(|change| {
        let rule = change.rule.unwrap_or_default().to_owned();
        [
            "changed".to_owned(),
            rule,
            change.uid.clone(),
            change.title.clone(),
            change.before.clone(),
            change.after.clone(),
        ]
    });
    let folds = done.folds.iter().map(|fold| {
        let rule = fold.kind.rule().to_owned();
        let (before, after) =
            (format!("{} {}", fold.start, fold.from), format!("{} {}", fold.into_uid(), fold.into));
        ["folded".to_owned(), rule, fold.uid.to_string(), fold.title.to_string(), before, after]
    });
    sheet(["fate", "rule", "uid", "title", "before", "after"], changes.chain(folds))
}

/// The page of a check.
pub(crate) fn check_page(found: &[Found<'_>], inputs: &str) -> Page {
    let mut rules: std::collections::BTreeMap<&str, usize> = std::collections::BTreeMap::new();
    for one in found {
        *rules.entry(one.finding.rule.as_str()).or_insert(0) += 1;
    }
    let described = |id: &str| emvo_core::rules::rule(id).map_or("", |rule| rule.slug()).to_owned();
    let of_level = |level| found.iter().filter(|one| one.finding.level == level).count();
    let (errors, warnings, notes) = (of_level(Level::Error), of_level(Level::Warning), of_level(Level::Note));
    Page {
        title: "What is wrong with these calendars?".to_owned(),
        subtitle: inputs.to_owned(),
        verdict: Verdict {
            mood: match (errors, warnings) {
                (0, 0) => Mood::Good,
                (0, _) => Mood::Wait,
                _ => Mood::Bad,
            },
            word: if errors + warnings == 0 {
                "Nothing that matters".to_owned()
            } else {
                counted(found.len(), "finding", "findings")
            },
            sentence: format!(
                "{}, {}, {}.",
                counted(errors, "error", "errors"),
                counted(warnings, "warning", "warnings"),
                counted(notes, "note", "notes")
            ),
        },
        counts: rules.iter().map(|(id, count)| (*count, format!("{id} {}", described(id)))).collect(),
        tables: vec![table(
            "Findings",
            "Safe repairs are made by emvo repair; those that need consent by emvo repair --consent.",
            &["level", "rule", "where", "title", "start", "what", "repair"],
            found.iter().map(|Found { path, finding, .. }| {
                let place = match (finding.line, finding.row) {
                    (0, None) => (*path).to_owned(),
                    (0, Some(row)) => format!("{path} row {row}"),
                    (line, _) => format!("{path}:{line}"),
                };
                vec![
                    finding.level.name().to_owned(),
                    finding.rule.to_string(),
                    place,
                    finding.title.clone(),
                    finding.start.clone(),
                    finding.message.clone(),
                    finding.safety.name().to_owned(),
                ]
            }),
        )],
        made_by: made_by(),
        ..Page::default()
    }
}
