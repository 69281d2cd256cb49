//! The page of a check, on which repairs that need consent are decided, and its sheet.

use std::collections::BTreeMap;
use std::path::Path;

use emvo_core::rules::{self, Level, Safety};
use emvo_report::{Choice, MOST_ROWS, Mood, Page, Question, Questions, Verdict};

use super::findings::{Findings, Found, name_of, place_of};
use super::page::{made_by, table};
use super::plain_words::repair_in_words;
use super::review::{answers_name, note, side_rows};
use super::sheet::{guarded_cells, sheet};
use crate::terminal::counted;

/// The page of a check.
pub(super) fn check_page(findings: &Findings<'_>) -> Page {
    let found = &findings.found;
    let mut rules: BTreeMap<&str, usize> = BTreeMap::new();
    for one in found {
        *rules.entry(one.finding.rule.as_str()).or_insert(0) += 1;
    }
    let described =
        |id: &str| rules::rule(id).map_or_else(|| id.to_owned(), |rule| format!("{id}: {}", rule.headline()));
    let of_level = |level| found.iter().filter(|one| one.finding.level == level).count();
    let (errors, warnings, notes) = (of_level(Level::Error), of_level(Level::Warning), of_level(Level::Note));
    Page {
        title: "What is wrong with these calendars?".to_owned(),
        subtitle: match findings.inputs.len() {
            many @ 5.. => counted(many, "file", "files"),
            _ => findings.inputs.join(", "),
        },
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
        counts: rules.iter().map(|(id, count)| (*count, described(id))).collect(),
        tables: vec![table(
            "Findings",
            "Safe repairs are made by emvo repair; those that need consent by emvo repair --consent.",
            &["level", "rule", "where", "title", "start", "what", "repair"],
            found.iter().map(|one| {
                let finding = &one.finding;
                vec![
                    finding.level.name().to_owned(),
                    finding.rule.to_string(),
                    place_of(one),
                    finding.title.clone(),
                    finding.start.clone(),
                    finding.message.clone(),
                    repair_in_words(finding.safety).to_owned(),
                ]
            }),
        )],
        questions: questions(findings),
        made_by: made_by(),
        ..Page::default()
    }
}

const HEADER: [&str; 10] =
    ["answer", "rule", "name", "path", "line", "uid", "title", "start", "message", "repair"];

/// Findings with an empty answer each.
pub(super) fn of_findings(found: &[Found<'_>]) -> anyhow::Result<Vec<u8>> {
    sheet(HEADER, found.iter().map(row_of))
}

/// The row of a finding, with an empty answer.
fn row_of(Found { path, finding, .. }: &Found<'_>) -> [String; 10] {
    [
        String::new(),
        finding.rule.as_str().to_owned(),
        name_of(finding.rule).to_owned(),
        (*path).to_owned(),
        finding.line.to_string(),
        finding.uid.clone(),
        finding.title.clone(),
        finding.start.clone(),
        finding.message.clone(),
        finding.safety.name().to_owned(),
    ]
}

/// The repairs that somebody has to agree to, one by one; none if there are none.
fn questions(findings: &Findings<'_>) -> Option<Questions> {
    let asks = |one: &&Found<'_>| one.finding.safety == Safety::Consent && one.finding.edit.is_some();
    let asked: Vec<&Found<'_>> = findings.found.iter().filter(asks).collect();
    let list: Vec<Question> = asked.iter().take(MOST_ROWS).map(|found| question(found)).collect();
    let page = findings.report.as_deref().map(Path::new)?;
    let file = answers_name(page);
    (!list.is_empty()).then(|| Questions {
        title: "May these be repaired?".to_owned(),
        note: note(
            "Safe repairs are made in any case; these might not be what was meant. Without an answer nothing is done.",
            asked.len(),
            "--report faults.csv",
        ),
        choices: vec![
            Choice { word: "yes", label: "Repair it", key: 'y' },
            Choice { word: "no", label: "Leave it as it is", key: 'n' },
        ],
        columns: HEADER.to_vec(),
        next: format!("emvo repair {} --answers {file} -o repaired/", findings.typed),
        file,
        list,
    })
}

fn question(found: &Found<'_>) -> Question {
    let Found { finding, .. } = found;
    Question {
        question: finding.title.clone(),
        why: finding.message.clone(),
        kind: format!("{} {}", finding.rule, name_of(finding.rule)),
        sides: [format!("as it is, {}", place_of(found)), "repaired".to_owned()],
        rows: side_rows(&found.repaired),
        cells: guarded_cells(&row_of(found)),
    }
}
