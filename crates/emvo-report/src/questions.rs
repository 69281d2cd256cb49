//! Questions that a person decides on the page. They are shown by a script, since they are
//! many and one is looked at; without it the lists of the page have them all.

use maud::{Markup, PreEscaped, html};
use serde_json::json;

use super::lists::harmless;

/// Questions that a person decides, one after the other.
#[derive(Clone, Debug, Default)]
pub struct Questions {
    /// The heading.
    pub title: String,
    /// What is to be known before the first.
    pub note: String,
    /// What can be answered.
    pub choices: Vec<Choice>,
    /// The columns of the sheet that is saved; one of them is `answer`.
    pub columns: Vec<&'static str>,
    /// The name under which it is saved.
    pub file: String,
    /// What is typed to have it read.
    pub next: String,
    /// The questions.
    pub list: Vec<Question>,
}

/// What can be answered.
#[derive(Clone, Copy, Debug)]
pub struct Choice {
    /// As the sheet has it.
    pub word: &'static str,
    /// As the button has it.
    pub label: &'static str,
    /// The key that is pressed for it.
    pub key: char,
}

/// One question: what there is on one side, and what on the other.
#[derive(Clone, Debug, Default)]
pub struct Question {
    /// What is asked about.
    pub question: String,
    /// Why it is asked.
    pub why: String,
    /// Questions of one kind can be answered at once.
    pub kind: String,
    /// What the two sides are.
    pub sides: [String; 2],
    /// What they say.
    pub rows: Vec<SideRow>,
    /// Its row on the sheet, with an empty answer.
    pub cells: Vec<String>,
}

/// What both sides say of one thing.
#[derive(Clone, Debug)]
pub struct SideRow {
    /// Of what.
    pub field: String,
    /// What each of them says.
    pub said: [String; 2],
    /// Whether it is marked as a difference.
    pub mark: Mark,
}

/// Whether a row is marked.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Mark {
    /// Both sides mean the same.
    None,
    /// They do not.
    Differs,
}

pub(super) fn questions(questions: &Questions) -> Markup {
    html! {
        section #questions hidden aria-label=(questions.title) {
            h2 { (questions.title) }
            p.note { (questions.note) }
            div.bar {
                progress data-part="done" value="0" max="1" aria-label="Decided" {}
                span data-part="progress" role="status" {}
                button type="button" data-part="save" disabled { "Save the answers" }
                span.note data-part="said" role="status" {}
            }
            details {
                summary { "Search, choose a kind, go on from a saved file" }
                div.filters {
                    input type="search" data-part="search" placeholder="Search" aria-label="Search the questions";
                    select data-part="kind" aria-label="Of which kind" { option value="" { "All kinds" } }
                    label { input type="checkbox" data-part="open"; " only open ones" }
                }
                div.filters {
                    label.file { "Answers that were saved before " input type="file" data-part="file" accept=".csv"; }
                }
            }
            (one())
            p data-part="none" hidden { "No question is chosen by this." }
            p.note { "What reads the saved answers: " code { (questions.next) } }
        }
        script #asked type="application/json" { (PreEscaped(as_json(questions))) }
    }
}

/// The question that is looked at.
fn one() -> Markup {
    html! {
        article data-part="one" {
            div.place {
                button type="button" data-part="back" aria-label="The one before" { "←" }
                span data-part="place" {}
                button type="button" data-part="on" aria-label="The next one" { "→" }
                h3 data-part="question" {}
            }
            p.note data-part="why" {}
            div.answers data-part="answers" {}
            label.alike {
                input type="checkbox" data-part="alike";
                " and all open ones like this (" span data-part="alike-count" {} ") " kbd { "a" }
            }
            table.sides {
                thead { tr { td {} th scope="col" data-part="first" {} th scope="col" data-part="second" {} } }
                tbody data-part="rows" {}
            }
        }
    }
}

fn as_json(questions: &Questions) -> String {
    let choices = questions
        .choices
        .iter()
        .map(|Choice { word, label, key }| json!({ "word": word, "label": label, "key": key }));
    let list = questions.list.iter().map(|one| {
        let row = |SideRow { field, said: [first, second], mark }: &SideRow| {
            json!([field, first, second, *mark == Mark::Differs])
        };
        json!({
            "question": one.question,
            "why": one.why,
            "kind": one.kind,
            "sides": one.sides,
            "rows": one.rows.iter().map(row).collect::<Vec<_>>(),
            "cells": one.cells,
        })
    });
    let document = json!({
        "answers": choices.collect::<Vec<_>>(),
        "columns": questions.columns,
        "file": questions.file,
        "list": list.collect::<Vec<_>>(),
    });
    harmless(&document.to_string())
}
