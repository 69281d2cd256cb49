//! The page and the sheet of a proof.

use std::collections::BTreeMap;

use emvo_core::reconcile::{Counts, Difference, DifferenceKind, Reconciliation, Release, Verdict as Proven};
use emvo_report::{Cause, Month, MonthGrid, Mood, Page, SecondAnswer, Verdict};
use jiff::civil::Date;

use super::Reported;
use super::advice::to_do;
use super::besides::Besides;
use super::compared;
use super::page::{made_by, table};
use super::plain_words::{cause_in_words, difference_in_words};
use super::proof::Proof;
use super::release::{accepted_in_words, release_in_words};
use super::sheet::sheet;
use crate::terminal::{counted, grouped};

/// More months than this say no more.
const MOST_GRIDS: usize = 12;

/// The headers of a list of differences.
pub(crate) const DIFFERENCE_COLUMNS: [&str; 7] =
    ["what", "cause", "when", "in the result", "title", "fields", "file"];

/// What is signed on the page of a proof.
const SIGNED_FOR: &str = "For the files that are listed at the end, each known by its SHA-256.";

impl Reported for Proof<'_, '_> {
    fn page(&self) -> Page {
        proof_page(self)
    }

    fn sheet(&self) -> anyhow::Result<Vec<u8>> {
        proof_sheet(self)
    }
}

/// The page of a proof.
fn proof_page(proof: &Proof<'_, '_>) -> Page {
    let found = proof.found;
    let names =
        |paths: Vec<&str>| if paths.len() > 4 { format!("{} files", paths.len()) } else { paths.join(", ") };
    let sources = names(proof.sources.iter().map(|source| source.path.as_str()).collect());
    let results = names(proof.results.iter().map(|source| source.path.as_str()).collect());
    let rows = found.differences.iter().map(difference_row);
    let files = proof.files();
    let mut tables = vec![table("What differs", "One row for each date.", &DIFFERENCE_COLUMNS, rows)];
    let besides = Besides::all(found);
    tables.push(table(
        "What else differs",
        "",
        &["what", "when", "title", "field", "was", "is", "file"],
        besides.iter().map(|one| {
            let cells =
                [one.kind, one.start, one.title, &one.field, one.before, one.after_in_words(), one.path];
            cells.map(str::to_owned).to_vec()
        }),
    ));
    tables.push(table(
        "What was compared of each source",
        "",
        &compared::COLUMNS,
        proof.compared().iter().map(|one| one.row().to_vec()),
    ));
    tables.push(table(
        "The files",
        "",
        &["what it is", "file", "bytes", "SHA-256"],
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
        verdict: verdict(found),
        second: Some(second_answer(&found.release, SIGNED_FOR)),
        counts: shown_counts(&found.counts),
        causes: found
            .causes
            .iter()
            .map(|cause| Cause { summary: cause.summary.clone(), todo: cause.todo.as_ref().map(to_do) })
            .collect(),
        by_hand: proof.notes(),
        months: months(&found.days),
        shifts: shifts(&found.differences),
        grids: if found.verdict == Proven::Complete { Vec::new() } else { grids(&found.days) },
        tables,
        made_by: made_by(),
        ..Page::default()
    }
}

/// Whether the old calendars may go, to be signed.
pub(crate) fn second_answer(release: &Release, signed_for: &str) -> SecondAnswer {
    let words = release_in_words(release);
    let (mood, word, sentence) = match words.split_once(", ") {
        _ if !release.may_go() => {
            (Mood::Bad, "Not yet, because:".to_owned(), accepted_in_words(&release.accepted))
        }
        Some((_, without)) => (Mood::Good, "Yes".to_owned(), without.to_owned()),
        None => (Mood::Good, "Yes".to_owned(), "Nothing that the sources say was lost.".to_owned()),
    };
    let reasons = release.because.iter();
    SecondAnswer {
        question: "May the old calendars go?".to_owned(),
        verdict: Verdict { mood, word, sentence },
        reasons: reasons
            .map(|one| Cause { summary: one.summary.clone(), todo: one.todo.as_ref().map(to_do) })
            .collect(),
        signed_for: signed_for.to_owned(),
    }
}

pub(crate) fn difference_row(one: &Difference) -> Vec<String> {
    vec![
        difference_in_words(one.kind).to_owned(),
        one.cause.map(|cause| cause_in_words(cause).to_owned()).unwrap_or_default(),
        one.start.clone(),
        one.result_start.clone().unwrap_or_default(),
        one.title.clone(),
        one.fields.join(", "),
        one.path.clone(),
    ]
}

/// The differences of a proof as a sheet, all of them.
fn proof_sheet(proof: &Proof<'_, '_>) -> anyhow::Result<Vec<u8>> {
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
            String::new(),
            String::new(),
        ]
    });
    let besides = Besides::all(proof.found);
    let more = besides.iter().map(|one| {
        let cells = [
            one.kind, "", one.path, one.uid, one.title, one.start, "", "", &one.field, one.before, one.after,
        ];
        cells.map(str::to_owned)
    });
    let header = [
        "kind",
        "cause",
        "path",
        "uid",
        "title",
        "start",
        "result_start",
        "by_minutes",
        "fields",
        "before",
        "after",
    ];
    sheet(header, rows.chain(more))
}

type Days = BTreeMap<Date, (usize, usize)>;

/// Every month between the first and the last, empty ones too.
pub(crate) fn months(days: &Days) -> Vec<Month> {
    let mut counts: BTreeMap<Date, (usize, usize)> = BTreeMap::new();
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
    let mut counts = BTreeMap::new();
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

fn verdict(found: &Reconciliation) -> Verdict {
    let counts = &found.counts;
    let occurrences = counted(counts.source_occurrences, "date", "dates");
    match found.verdict {
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
    }
}

fn shown_counts(counts: &Counts) -> Vec<(usize, String)> {
    let all = [
        (counts.matched, "there as they were"),
        (counts.explained, "explained"),
        (counts.missing, "missing"),
        (counts.retimed, "at another time"),
        (counts.altered, "with other words"),
        (counts.doubled, "more than once"),
        (counts.extra, "in the result alone"),
    ];
    all.into_iter().filter(|(count, _)| *count > 0).map(|(count, what)| (count, what.to_owned())).collect()
}
