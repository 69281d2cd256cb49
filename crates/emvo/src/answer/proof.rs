//! The answer of a proof: the verdict, what differs, and why.

use std::fmt::Write as _;

use emvo_core::receipt::FileRecord;
use emvo_core::reconcile::{
    Beyond, Counts, Difference, DifferenceKind, Ownership, Reconciliation, Unread, Verdict,
};
use emvo_ical::calendar::ComponentCounts;
use rayon::prelude::*;
use schemars::JsonSchema;
use serde::Serialize;

use super::advice::{advised_in_words, to_do};
use super::besides::Besides;
use super::compared::compared_lines;
use super::proof_json::ProofJson;
use super::release::{ReleaseJson, WayToAccept, release_lines};
use super::{Answer, Detail};
use crate::input::{Given, Source, given};
use crate::output::file_record;
use crate::terminal::{DIM, ERROR, GOOD, STRONG, WARNING, counted, grouped, sanitized, styled, wrapped};

/// How many differences a usual answer lists.
const FEW: usize = 20;

/// A reconciliation and what was compared.
pub(crate) struct Proof<'p, 't> {
    pub(crate) found: &'p Reconciliation,
    pub(crate) sources: &'p [Source<'t>],
    pub(crate) results: &'p [Source<'t>],
    pub(crate) receipts: usize,
    /// The path of the report, if there is one.
    pub(crate) report: Option<String>,
}

impl Proof<'_, '_> {
    pub(super) fn given(&self) -> Vec<Given> {
        given(self.sources.iter().chain(self.results))
    }
}

impl Answer for Proof<'_, '_> {
    const COMMAND: &'static str = "reconcile";

    fn text(&self, detail: Detail) -> String {
        let report = self.report.as_ref().map(|path| format!("wrote {}\n", sanitized(path)));
        text_of(self, detail)
            + &release_lines(&self.found.release, WayToAccept::Option)
            + &record_lines(self)
            + &report.unwrap_or_default()
    }

    fn inputs(&self) -> Vec<Given> {
        self.given()
    }

    fn json(&self) -> impl Serialize + JsonSchema {
        ProofJson { proof: self.to_json(), release: ReleaseJson::of(&self.found.release) }
    }
}

pub(super) fn text_of(proof: &Proof<'_, '_>, detail: Detail) -> String {
    let found = proof.found;
    let mut out = String::new();
    let counts = found.counts;
    let verdict = match found.verdict {
        Verdict::Complete => styled(GOOD, "Complete"),
        Verdict::Incomplete => styled(ERROR, "Incomplete"),
    };
    let occurrences = counted(counts.source_occurrences, "occurrence", "occurrences");
    let events = counted(counts.source_events, "source event", "source events");
    // Writing into a string cannot fail, here and below.
    let _ = writeln!(
        out,
        "{verdict}: {occurrences} of {events}, from {} through {}",
        found.window.from, found.window.until
    );
    out.push_str(&count_lines(counts, proof.receipts));
    out.push_str(&rows(&[
        (
            found.components.iter().filter(|one| one.is_missing()).count(),
            "of tasks, journals and others missing",
        ),
        (
            found.going_on.iter().filter(|one| one.how == Beyond::SeriesEnds).count(),
            "of series that go on behind that otherwise",
        ),
        (found.unread.components, "events or tasks of the sources that cannot be read"),
    ]));
    for line in found.not_compared.iter().map(advised_in_words) {
        let _ = writeln!(out, "{} not compared date by date: {}", styled(WARNING, "!"), sanitized(&line));
    }
    if !found.causes.is_empty() {
        let _ = writeln!(out, "\n{}", styled(STRONG, "What they have in common"));
        for cause in &found.causes {
            let _ = writeln!(out, "{}", wrapped("  ", "    ", &sanitized(&cause.summary)));
            if let Some(todo) = &cause.todo {
                let _ =
                    writeln!(out, "{}", styled(DIM, wrapped("    → ", "      ", &sanitized(&to_do(todo)))));
            }
        }
    }
    out.push_str(&difference_lines(&found.differences, detail));
    if detail == Detail::All {
        out.push_str(&besides_lines(found));
        out.push_str(&compared_lines(&proof.compared()));
    }
    let notes = proof.notes();
    if !notes.is_empty() {
        out.push('\n');
    }
    for line in notes {
        let _ = writeln!(out, "{} {}", styled(WARNING, "!"), sanitized(&line));
    }
    out
}

/// What is no date, one line each.
fn besides_lines(found: &Reconciliation) -> String {
    let mut out = String::new();
    for one in Besides::all(found) {
        let place = format!("{}  {}", one.start, one.title);
        let what = format!("{} {} → {}", one.field, one.before, one.after_in_words());
        let (what, path) = (styled(WARNING, sanitized(&what)), styled(DIM, sanitized(one.path)));
        let _ = writeln!(out, "  {}  {what}  {path}", sanitized(place.trim()));
    }
    if out.is_empty() { out } else { format!("\n{}\n{out}", styled(STRONG, "What else differs")) }
}

fn count_lines(counts: Counts, receipts: usize) -> String {
    let explained = match receipts {
        0 => "duplicates and older versions among the sources, there once",
        _ => "explained: folded, changed or left out as asked",
    };
    let counts = [
        (counts.matched, "there as they were"),
        (counts.explained, explained),
        (counts.missing, "missing"),
        (counts.retimed, "at another time"),
        (counts.altered, "with other words, busy/free or privacy"),
        (counts.doubled, "there more than once"),
        (counts.extra, "in the result alone"),
    ];
    rows(&counts)
}

fn rows(counts: &[(usize, &str)]) -> String {
    let mut out = String::new();
    for (count, what) in counts.iter().filter(|(count, _)| *count > 0) {
        let _ = writeln!(out, "  {:>9}  {what}", grouped(*count));
    }
    out
}

fn difference_lines(differences: &[Difference], detail: Detail) -> String {
    let mut out = String::new();
    if differences.is_empty() {
        return out;
    }
    let _ = writeln!(out, "\n{}", styled(STRONG, "What differs"));
    let shown = if detail == Detail::All { usize::MAX } else { FEW };
    for one in differences.iter().take(shown) {
        let what = match one.kind {
            DifferenceKind::Missing => "missing".to_owned(),
            DifferenceKind::Retimed => match &one.result_start {
                Some(start) if *start != one.start => format!("now {start}"),
                // One side has no zone for what looks like the same time.
                Some(_) if one.by.is_none() => "the same on the clock, in another zone or none".to_owned(),
                _ => "ends at another time".to_owned(),
            },
            DifferenceKind::Altered => format!("other {}", one.fields.join(", ")),
            DifferenceKind::Doubled => "more than once".to_owned(),
            DifferenceKind::Extra if one.ownership == Ownership::OfSource => "came back".to_owned(),
            DifferenceKind::Extra => "in the result alone".to_owned(),
        };
        let line = format!("{}  {}", one.start, one.title);
        let _ = writeln!(
            out,
            "  {}  {}  {}",
            sanitized(&line),
            styled(WARNING, what),
            styled(DIM, sanitized(&one.path))
        );
    }
    if differences.len() > shown {
        let more = counted(differences.len() - shown, "more", "more");
        let _ = writeln!(out, "  {}", styled(DIM, format!("and {more}; -v lists them")));
    }
    out
}

impl Proof<'_, '_> {
    /// What differs and is no loss, and what was not read.
    pub(crate) fn notes(&self) -> Vec<String> {
        let mut lines = Vec::new();
        let notes = &self.found.notes;
        if notes.markup > 0 {
            let dates = counted(notes.markup, "date has", "dates have");
            lines.push(format!("{dates} the same description with other markup around it"));
        }
        for (field, count) in &notes.added {
            let dates = counted(*count, "date says", "dates say");
            lines.push(format!("{dates} more in the result than in the sources: {field}"));
        }
        let all = self.sources.iter().chain(self.results);
        lines.extend(all.flat_map(|source| &source.beside.not_read).map(ToString::to_string));
        lines
    }

    /// What was compared, with its digests.
    pub(crate) fn files(&self) -> Vec<FileJson> {
        let all = self.sources.iter().map(|file| ("source", file));
        let all: Vec<_> = all.chain(self.results.iter().map(|file| ("result", file))).collect();
        all.par_iter()
            .map(|(role, file)| FileJson { role, record: file_record(&file.path, file.as_it_came()) })
            .collect()
    }
}

#[derive(Serialize, JsonSchema)]
pub(crate) struct FileJson {
    pub(crate) role: &'static str,
    #[serde(flatten)]
    pub(crate) record: FileRecord,
}

/// Which files were compared, with their digests, where the verdict is good.
fn record_lines(proof: &Proof<'_, '_>) -> String {
    let mut out = String::new();
    if proof.found.verdict == Verdict::Complete {
        let _ = writeln!(out, "\n{}", styled(STRONG, "For the record"));
        for file in proof.files() {
            let _ = writeln!(
                out,
                "  {:<6}  {}  {}",
                file.role,
                sanitized(&file.record.path),
                styled(DIM, format!("sha256 {}", file.record.sha256))
            );
        }
    }
    out
}

/// What of both sides could not be read and so cannot be accounted for.
pub(crate) fn unread(sources: &[Source<'_>], results: &[Source<'_>]) -> Unread {
    let components = |source: &Source<'_>| {
        let ComponentCounts { events, tasks, journals, others } = source.counts_set_aside();
        events + tasks + journals + others
    };
    Unread {
        components: sources.iter().map(components).sum(),
        parts: sources.iter().map(|source| source.set_aside.fragments()).sum(),
        files: sources.iter().chain(results).map(|source| source.beside.not_read.len()).sum(),
    }
}
