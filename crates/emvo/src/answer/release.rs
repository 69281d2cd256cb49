//! The second answer of a proof: whether the old calendars may go.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use emvo_core::reconcile::{Reason, Release};
use schemars::JsonSchema;
use serde::Serialize;

use super::advice::to_do;
use crate::terminal::{DIM, ERROR, GOOD, STRONG, counted, grouped, sanitized, styled, wrapped};

/// `yes`, `yes, without 342 reminders, as you accepted`, or `not yet`; what runs took
/// out as asked is said as well, since it will stand nowhere.
pub(crate) fn release_in_words(release: &Release) -> String {
    if !release.may_go() {
        return "not yet".to_owned();
    }
    let mut words = "yes".to_owned();
    let accepted = accepted_in_words(&release.accepted);
    if !accepted.is_empty() {
        words = format!("{words}, without {accepted}, as you accepted");
    }
    if release.taken_out > 0 {
        let dates = counted(release.taken_out, "date that was", "dates that were");
        words = format!("{words}, without {dates} taken out as asked");
    }
    words
}

/// `342 reminders, 9 X-SHIFT`.
pub(crate) fn accepted_in_words(accepted: &BTreeMap<String, usize>) -> String {
    let parts: Vec<_> =
        accepted.iter().map(|(field, count)| format!("{} {field}", grouped(*count))).collect();
    parts.join(", ")
}

/// The answer with its reasons as a numbered list.
pub(crate) fn release_lines(release: &Release, way: WayToAccept) -> String {
    let question = styled(STRONG, "May the old calendars go?");
    let words = release_in_words(release);
    let mut out = "\n".to_owned();
    // Writing into a string cannot fail, here and below.
    if release.may_go() {
        let _ = writeln!(out, "{question} {}", styled(GOOD, sanitized(&capitalised(&words))));
        return out;
    }
    let _ = writeln!(out, "{question} {}", styled(ERROR, "Not yet, because:"));
    for (number, Reason { summary, todo, field, .. }) in release.because.iter().enumerate() {
        let first = format!("  {}. ", number + 1);
        let _ = writeln!(out, "{}", wrapped(&first, "     ", &sanitized(summary)));
        for line in [todo.as_ref().map(to_do), field.as_deref().map(|field| way.in_words(field))]
            .into_iter()
            .flatten()
        {
            let line = wrapped("     → ", "       ", &sanitized(&line));
            let _ = writeln!(out, "{}", styled(DIM, line));
        }
    }
    let accepted = accepted_in_words(&release.accepted);
    if !accepted.is_empty() {
        let _ = writeln!(out, "  {}", sanitized(&format!("accepted: to go without {accepted}")));
    }
    out
}

/// Where a person says what they do without.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum WayToAccept {
    /// By an option of the command.
    Option,
    /// In the plan.
    Plan,
}

impl WayToAccept {
    fn in_words(self, field: &str) -> String {
        match self {
            Self::Option if field.contains(' ') => format!("to do without it: --accept \"{field}\""),
            Self::Option => format!("to do without it: --accept {field}"),
            Self::Plan => format!("to do without it, under [check]: accept = [\"{field}\"]"),
        }
    }
}

fn capitalised(words: &str) -> String {
    let mut chars = words.chars();
    chars.next().map_or_else(String::new, |first| first.to_uppercase().chain(chars).chain(['.']).collect())
}

/// The answer for programs.
#[derive(Serialize, JsonSchema)]
pub(crate) struct ReleaseJson<'r> {
    may_go: bool,
    because: Vec<ReasonJson<'r>>,
    accepted: &'r BTreeMap<String, usize>,
    taken_out: usize,
}

#[derive(Serialize, JsonSchema)]
struct ReasonJson<'r> {
    #[schemars(extend("enum" = ["dates", "unread", "components", "goes-on", "not-compared", "period", "stayed", "details", "left-behind", "cancelled", "calendar-lines"]))]
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
        Self {
            may_go: release.may_go(),
            because: because.collect(),
            accepted: &release.accepted,
            taken_out: release.taken_out,
        }
    }
}
