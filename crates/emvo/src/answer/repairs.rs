//! What repairing leaves to a person.

use emvo_core::rules::{Finding, Level, RuleId, Safety};
use emvo_report::Table;
use hashbrown::HashMap;
use schemars::JsonSchema;
use serde::Serialize;

use super::Detail;
use super::advice::told;
use super::page::table;
use super::plain_words::repair_in_words;
use crate::terminal::{WARNING, counted, sanitized, styled};

/// A finding that is left, with the input it is from.
pub(crate) struct Left {
    pub(crate) path: String,
    pub(crate) finding: Finding,
}

impl Left {
    pub(crate) fn of(path: &str, finding: Finding) -> Self {
        Self { path: path.to_owned(), finding: told(finding) }
    }
}

/// What is left, by rule and message, with the consent that would settle it.
pub(crate) fn left_text(left: &[Left], detail: Detail) -> String {
    let mut out = String::new();
    let mut places: HashMap<(RuleId, &str), usize> = HashMap::new();
    let mut counts: Vec<(RuleId, &str, usize)> = Vec::new();
    for one in left.iter().filter(|one| one.finding.level > Level::Note || detail == Detail::All) {
        let message = one.finding.message.as_str();
        let place = *places.entry((one.finding.rule, message)).or_insert(counts.len());
        match counts.get_mut(place) {
            Some((_, _, count)) => *count += 1,
            None => counts.push((one.finding.rule, message, 1)),
        }
    }
    counts.sort_by_key(|(rule, ..)| *rule);
    for (at, (rule, message, count)) in counts.iter().enumerate() {
        let line = format!("{rule}  {} left: {message}", counted(*count, "finding", "findings"));
        out.push_str(&format_line(&styled(WARNING, "!"), &line));
        let is_last_of_rule = counts.get(at + 1).is_none_or(|(next, ..)| next != rule);
        let consents =
            left.iter().any(|one| one.finding.rule == *rule && one.finding.safety == Safety::Consent);
        if consents && is_last_of_rule {
            out.push_str(&format_line(" ", &format!("→ --consent {rule} repairs it")));
        }
    }
    out
}

/// How many repairs were made, and how many findings are left.
pub(crate) fn made_text(changes: usize, left: usize) -> String {
    let made = counted(changes, "repair", "repairs");
    let rest = if left > 0 {
        format!("; {} left", counted(left, "finding is", "findings are"))
    } else {
        String::new()
    };
    format!("{made} made{rest}\n")
}

fn format_line(mark: &str, line: &str) -> String {
    format!("{mark} {}\n", sanitized(line))
}

/// What is left, as a list on the page.
pub(crate) fn left_table(left: &[Left]) -> Table {
    let rows = left.iter().map(|Left { path, finding }| {
        vec![
            finding.rule.to_string(),
            path.clone(),
            finding.title.clone(),
            finding.start.clone(),
            finding.message.clone(),
            repair_in_words(finding.safety).to_owned(),
        ]
    });
    table("What is left", "", &["rule", "file", "title", "start", "what", "repair"], rows)
}

#[derive(Serialize, JsonSchema)]
pub(crate) struct LeftJson {
    rule: &'static str,
    #[schemars(extend("enum" = ["note", "warning", "error"]))]
    level: &'static str,
    path: String,
    uid: String,
    title: String,
    message: String,
    repair: &'static str,
}

impl LeftJson {
    pub(crate) fn of(left: &Left) -> Self {
        let finding = &left.finding;
        Self {
            rule: finding.rule.as_str(),
            level: finding.level.name(),
            path: left.path.clone(),
            uid: finding.uid.clone(),
            title: finding.title.clone(),
            message: finding.message.clone(),
            repair: finding.safety.name(),
        }
    }
}
