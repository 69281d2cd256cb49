//! The answer of a proof: the verdict, what differs, and why.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use emvo_core::receipt::FileRecord;
use emvo_core::reconcile::{
    CauseKind, Counts, Difference, DifferenceKind, Ownership, Reconciliation, Verdict,
};
use emvo_ical::calendar::Duration;
use rayon::prelude::*;
use serde::Serialize;

use super::advice::{advised_in_words, to_do};
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
    fn given(&self) -> Vec<Given> {
        given(self.sources.iter().chain(self.results))
    }
}

impl Answer for Proof<'_, '_> {
    const COMMAND: &'static str = "reconcile";

    fn text(&self, detail: Detail) -> String {
        let report = self.report.as_ref().map(|path| format!("wrote {}\n", sanitized(path)));
        text_of(self, detail) + &report.unwrap_or_default()
    }

    fn inputs(&self) -> Vec<Given> {
        self.given()
    }

    fn json(&self) -> impl Serialize {
        self.to_json()
    }
}

/// A proof against a destination that is only described.
pub(crate) struct Rehearsal<'p, 't> {
    pub(crate) proof: Proof<'p, 't>,
    /// How it was imported, and into what.
    pub(crate) headline: String,
    /// Events that the destination would refuse.
    pub(crate) refused: usize,
    pub(crate) output: Option<String>,
}

impl Answer for Rehearsal<'_, '_> {
    const COMMAND: &'static str = "rehearse";

    fn text(&self, detail: Detail) -> String {
        let mut out = format!("{}\n", styled(STRONG, sanitized(&self.headline)));
        out.push_str(&text_of(&self.proof, detail));
        if self.refused > 0 {
            let refused = counted(self.refused, "event would be refused", "events would be refused");
            out.extend([&styled(WARNING, "!"), " ", &refused, "\n"]);
        }
        if let Some(path) = &self.output {
            out.extend(["wrote ", &sanitized(path), "\n"]);
        }
        out
    }

    fn inputs(&self) -> Vec<Given> {
        self.proof.given()
    }

    fn json(&self) -> impl Serialize {
        self.proof.to_json()
    }
}

fn text_of(proof: &Proof<'_, '_>, detail: Detail) -> String {
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
    out.push_str(&advice(proof));
    out
}

fn count_lines(counts: Counts, receipts: usize) -> String {
    let mut out = String::new();
    let explained = match receipts {
        0 => "duplicates and older versions among the sources, there once",
        _ => "explained: folded, changed or left out as asked",
    };
    let rows = [
        (counts.matched, "there as they were"),
        (counts.explained, explained),
        (counts.missing, "missing"),
        (counts.retimed, "at another time"),
        (counts.altered, "with other words, busy/free or privacy"),
        (counts.doubled, "there more than once"),
        (counts.extra, "in the result alone"),
    ];
    for (count, what) in rows.into_iter().filter(|(count, _)| *count > 0) {
        let _ = writeln!(out, "  {:>9}  {what}", grouped(count));
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
    /// What is no loss by the verdict, and wants a look before the old calendars
    /// go.
    pub(crate) fn by_hand(&self) -> Vec<String> {
        let mut lines = Vec::new();
        for (field, count) in &self.found.other_fields {
            let occurrences = counted(*count, "occurrence differs", "occurrences differ");
            lines.push(format!("{occurrences} in {field}, which does not change the verdict"));
        }
        let unread: usize = self.sources.iter().map(Source::events_set_aside).sum();
        if unread > 0 {
            let (one, many) = (
                "event of the sources cannot be read and is",
                "events of the sources cannot be read and are",
            );
            lines.push(format!("{} in no count here", counted(unread, one, many)));
        }
        lines.extend(self.sources.iter().flat_map(|source| &source.beside.not_read).map(ToString::to_string));
        lines
    }

    /// What was compared, with its digests.
    pub(crate) fn files(&self) -> Vec<FileJson> {
        let all = self.sources.iter().map(|file| ("source", file));
        let all: Vec<_> = all.chain(self.results.iter().map(|file| ("result", file))).collect();
        all.par_iter()
            .map(|(role, file)| FileJson { role, record: file_record(&file.path, file.bytes) })
            .collect()
    }
}

#[derive(Serialize)]
pub(crate) struct FileJson {
    pub(crate) role: &'static str,
    #[serde(flatten)]
    pub(crate) record: FileRecord,
}

/// What to do next. That the old calendar may go is said only where nothing at
/// all differs.
fn advice(proof: &Proof<'_, '_>) -> String {
    let found = proof.found;
    let mut out = String::new();
    let by_hand = proof.by_hand();
    for line in &by_hand {
        let _ = writeln!(out, "{} {}", styled(WARNING, "!"), sanitized(line));
    }
    if found.verdict == Verdict::Complete && by_hand.is_empty() {
        let _ = writeln!(out, "Nothing was lost. The old calendars may go.");
    }
    if found.verdict == Verdict::Complete {
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

#[derive(Serialize)]
struct ReconcileJson<'r> {
    window: WindowJson,
    balance: CountsJson,
    differences: Vec<DifferenceJson<'r>>,
    causes: Vec<CauseJson<'r>>,
    other_fields: &'r BTreeMap<&'static str, usize>,
    not_compared: Vec<String>,
    verdict: &'static str,
    files: Vec<FileJson>,
}

#[derive(Serialize)]
struct WindowJson {
    from: String,
    until: String,
}

#[derive(Serialize)]
struct CountsJson {
    source_events: usize,
    source_occurrences: usize,
    matched: usize,
    retimed: usize,
    altered: usize,
    missing: usize,
    doubled: usize,
    extra: usize,
    explained: usize,
}

#[derive(Serialize)]
struct DifferenceJson<'r> {
    kind: &'static str,
    path: &'r str,
    uid: &'r str,
    title: &'r str,
    start: &'r str,
    result_start: Option<&'r str>,
    by: Option<String>,
    fields: &'r [&'static str],
    cause: Option<&'static str>,
}

#[derive(Serialize)]
struct CauseJson<'r> {
    kind: &'r str,
    occurrences: usize,
    summary: &'r str,
    todo: Option<String>,
}

impl From<Counts> for CountsJson {
    fn from(counts: Counts) -> Self {
        Self {
            source_events: counts.source_events,
            source_occurrences: counts.source_occurrences,
            matched: counts.matched,
            retimed: counts.retimed,
            altered: counts.altered,
            missing: counts.missing,
            doubled: counts.doubled,
            extra: counts.extra,
            explained: counts.explained,
        }
    }
}

impl<'p> Proof<'p, '_> {
    fn to_json(&self) -> ReconcileJson<'p> {
        let proof = self;
        let found = self.found;
        let differences = found.differences.iter().map(|one| DifferenceJson {
            kind: one.kind.name(),
            path: &one.path,
            uid: &one.uid,
            title: &one.title,
            start: &one.start,
            result_start: one.result_start.as_deref(),
            by: one.by.map(signed_duration),
            fields: &one.fields,
            cause: one.cause.map(CauseKind::name),
        });
        let causes = found.causes.iter().map(|cause| CauseJson {
            kind: cause.kind.name(),
            occurrences: cause.occurrences,
            summary: &cause.summary,
            todo: cause.todo.as_ref().map(to_do),
        });
        ReconcileJson {
            window: WindowJson { from: found.window.from.to_string(), until: found.window.until.to_string() },
            balance: found.counts.into(),
            differences: differences.collect(),
            causes: causes.collect(),
            other_fields: &found.other_fields,
            not_compared: found.not_compared.iter().map(advised_in_words).collect(),
            verdict: match found.verdict {
                Verdict::Complete => "complete",
                Verdict::Incomplete => "incomplete",
            },
            files: proof.files(),
        }
    }
}

/// `+PT1H`.
fn signed_duration(seconds: i64) -> String {
    let length = Duration { days: seconds / 86_400, seconds: seconds % 86_400 };
    if seconds < 0 { length.to_string() } else { format!("+{length}") }
}
