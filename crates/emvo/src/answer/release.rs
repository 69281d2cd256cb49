//! The second answer of a proof: whether the old calendars may go.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use emvo_core::reconcile::{Reason, Release};
use serde::Serialize;

use super::advice::to_do;
use crate::terminal::{DIM, ERROR, GOOD, STRONG, grouped, sanitized, styled, wrapped};

/// `yes`, `yes, without 342 reminders, as you accepted`, or `not yet`.
pub(crate) fn release_in_words(release: &Release) -> String {
    match (release.may_go(), accepted_in_words(&release.accepted)) {
        (false, _) => "not yet".to_owned(),
        (true, accepted) if accepted.is_empty() => "yes".to_owned(),
        (true, accepted) => format!("yes, without {accepted}, as you accepted"),
    }
}

/// `342 reminders, 9 X-SHIFT`.
pub(crate) fn accepted_in_words(accepted: &BTreeMap<String, usize>) -> String {
    let parts: Vec<_> =
        accepted.iter().map(|(field, count)| format!("{} {field}", grouped(*count))).collect();
    parts.join(", ")
}

/// The answer with its reasons as a numbered list.
pub(crate) fn release_lines(release: &Release) -> String {
    let question = styled(STRONG, "May the old calendars go?");
    let words = release_in_words(release);
    let mut out = "\n".to_owned();
    // Writing into a string cannot fail, here and below.
    if release.may_go() {
        let _ = writeln!(out, "{question} {}", styled(GOOD, sanitized(&capitalised(&words))));
        return out;
    }
    let _ = writeln!(out, "{question} {}", styled(ERROR, "Not yet, because:"));
    for (number, Reason { summary, todo, .. }) in release.because.iter().enumerate() {
        let first = format!("  {}. ", number + 1);
        let _ = writeln!(out, "{}", wrapped(&first, "     ", &sanitized(summary)));
        if let Some(todo) = todo {
            let todo = wrapped("     → ", "       ", &sanitized(&to_do(todo)));
            let _ = writeln!(out, "{}", styled(DIM, todo));
        }
    }
    let accepted = accepted_in_words(&release.accepted);
    if !accepted.is_empty() {
        let _ = writeln!(out, "  {}", sanitized(&format!("accepted: to go without {accepted}")));
    }
    out
}

fn capitalised(words: &str) -> String {
    let mut chars = words.chars();
    chars.next().map_or_else(String::new, |first| first.to_uppercase().chain(chars).chain(['.']).collect())
}

/// The answer for programs.
#[derive(Serialize)]
pub(crate) struct ReleaseJson<'r> {
    may_go: bool,
    because: Vec<ReasonJson<'r>>,
    accepted: &'r BTreeMap<String, usize>,
}

#[derive(Serialize)]
struct ReasonJson<'r> {
    kind: &'static str,
    field: Option<&'r str>,
    count: usize,
    summary: &'r str,
    todo: Option<String>,
}

impl<'r> ReleaseJson<'r> {
    pub(crate) fn of(release: &'r Release) -> Self {
        let because = release.because.iter().map(|reason| ReasonJson {
            kind: reason.kind.name(),
            field: reason.field.as_deref(),
            count: reason.count,
            summary: &reason.summary,
            todo: reason.todo.as_ref().map(to_do),
        });
        Self { may_go: release.may_go(), because: because.collect(), accepted: &release.accepted }
    }
}
