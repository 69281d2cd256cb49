//! A proof for programs.

use std::collections::BTreeMap;

use emvo_core::reconcile::{CauseKind, Counts, Reconciliation, Verdict};
use emvo_ical::calendar::Duration;
use schemars::JsonSchema;
use serde::Serialize;

use super::advice::{advised_in_words, to_do};
use super::compared::SourceCompared;
use super::proof::{FileJson, Proof};
use super::release::ReleaseJson;

/// The answer to both questions.
#[derive(Serialize, JsonSchema)]
pub(super) struct ProofJson<'r> {
    #[serde(flatten)]
    pub(super) proof: ReconcileJson<'r>,
    pub(super) release: ReleaseJson<'r>,
}

#[derive(Serialize, JsonSchema)]
pub(super) struct ReconcileJson<'r> {
    window: WindowJson,
    balance: CountsJson,
    differences: Vec<DifferenceJson<'r>>,
    causes: Vec<CauseJson<'r>>,
    other_fields: BTreeMap<&'r str, usize>,
    details: Vec<DetailJson<'r>>,
    components: Vec<ComponentJson<'r>>,
    cancelled_gone: Vec<GoneJson<'r>>,
    series_going_on: Vec<GoingOnJson<'r>>,
    calendar_lines: Vec<CalendarLineJson<'r>>,
    notes: NotesJson<'r>,
    not_compared: Vec<String>,
    #[schemars(extend("enum" = ["complete", "incomplete"]))]
    verdict: &'static str,
    files: Vec<FileJson>,
    compared: Vec<SourceCompared<'r>>,
}

#[derive(Serialize, JsonSchema)]
struct WindowJson {
    from: String,
    until: String,
}

#[derive(Serialize, JsonSchema)]
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

#[derive(Serialize, JsonSchema)]
struct DifferenceJson<'r> {
    #[schemars(extend("enum" = ["missing", "retimed", "altered", "doubled", "extra"]))]
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

#[derive(Serialize, JsonSchema)]
struct CauseJson<'r> {
    kind: &'r str,
    occurrences: usize,
    summary: &'r str,
    todo: Option<String>,
}

#[derive(Serialize, JsonSchema)]
struct DetailJson<'r> {
    path: &'r str,
    uid: &'r str,
    title: &'r str,
    start: &'r str,
    field: &'r str,
    before: &'r str,
    after: &'r str,
}

#[derive(Serialize, JsonSchema)]
struct ComponentJson<'r> {
    path: &'r str,
    name: &'r str,
    uid: &'r str,
    title: &'r str,
    missing: bool,
    fields: &'r [String],
}

#[derive(Serialize, JsonSchema)]
struct GoneJson<'r> {
    path: &'r str,
    uid: &'r str,
    title: &'r str,
    start: &'r str,
}

#[derive(Serialize, JsonSchema)]
struct GoingOnJson<'r> {
    path: &'r str,
    uid: &'r str,
    title: &'r str,
    #[schemars(extend("enum" = ["series-ends", "singles-end", "not-compared"]))]
    how: &'static str,
    dates: usize,
}

#[derive(Serialize, JsonSchema)]
struct CalendarLineJson<'r> {
    path: &'r str,
    field: &'r str,
    value: &'r str,
}

#[derive(Serialize, JsonSchema)]
struct NotesJson<'r> {
    markup: usize,
    added: &'r BTreeMap<String, usize>,
}

/// What is no date, for programs.
struct BesidesJson<'r> {
    details: Vec<DetailJson<'r>>,
    components: Vec<ComponentJson<'r>>,
    cancelled_gone: Vec<GoneJson<'r>>,
    series_going_on: Vec<GoingOnJson<'r>>,
    calendar_lines: Vec<CalendarLineJson<'r>>,
}

impl<'r> BesidesJson<'r> {
    fn of(found: &'r Reconciliation) -> Self {
        let details = found.details.iter().map(|one| DetailJson {
            path: &one.path,
            uid: &one.uid,
            title: &one.title,
            start: &one.start,
            field: &one.field,
            before: &one.before,
            after: &one.after,
        });
        let components = found.components.iter().map(|one| ComponentJson {
            path: &one.path,
            name: &one.name,
            uid: &one.uid,
            title: &one.title,
            missing: one.is_missing(),
            fields: &one.fields,
        });
        let gone = found.cancelled_gone.iter().map(|one| GoneJson {
            path: &one.path,
            uid: &one.uid,
            title: &one.title,
            start: &one.start,
        });
        let going_on = found.going_on.iter().map(|one| GoingOnJson {
            path: &one.path,
            uid: &one.uid,
            title: &one.title,
            how: one.how.name(),
            dates: one.dates,
        });
        let lines = found.calendar_lines.iter();
        Self {
            details: details.collect(),
            components: components.collect(),
            cancelled_gone: gone.collect(),
            series_going_on: going_on.collect(),
            calendar_lines: lines
                .map(|one| CalendarLineJson { path: &one.path, field: &one.field, value: &one.value })
                .collect(),
        }
    }
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
    pub(super) fn to_json(&self) -> ReconcileJson<'p> {
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
        let BesidesJson { details, components, cancelled_gone, series_going_on, calendar_lines } =
            BesidesJson::of(found);
        ReconcileJson {
            window: WindowJson { from: found.window.from.to_string(), until: found.window.until.to_string() },
            balance: found.counts.into(),
            differences: differences.collect(),
            causes: causes.collect(),
            other_fields: found.other_fields(),
            details,
            components,
            cancelled_gone,
            series_going_on,
            calendar_lines,
            notes: NotesJson { markup: found.notes.markup, added: &found.notes.added },
            not_compared: found.not_compared.iter().map(advised_in_words).collect(),
            verdict: match found.verdict {
                Verdict::Complete => "complete",
                Verdict::Incomplete => "incomplete",
            },
            files: proof.files(),
            compared: proof.compared(),
        }
    }
}

/// `+PT1H`.
fn signed_duration(seconds: i64) -> String {
    let length = Duration { days: seconds / 86_400, seconds: seconds % 86_400 };
    if seconds < 0 { length.to_string() } else { format!("+{length}") }
}
