//! What a person decides: look-alikes of a merge, and repairs that need consent, as questions
//! on a page. What the page saves is the sheet that `--answers` reads.

use std::path::Path;

use emvo_core::identity::{Agreement, FieldPair};
use emvo_core::merge::LookAlike;
use emvo_report::{Choice, MOST_ROWS, Mark, Mood, Page, Question, Questions, SideRow, Verdict, render};

use super::ReportForm;
use super::page::{made_by, table};
use super::sheet::{PAIR_COLUMNS, guarded_cells, of_pairs, pair_row};
use crate::terminal::{counted, grouped};

/// Where look-alikes are listed for a person.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Review {
    OnPage,
    OnSheet,
    Nowhere,
}

impl Review {
    /// By the name of the file; any other than that of a page is a sheet.
    pub(crate) fn at(path: Option<&Path>) -> Self {
        match path.map(ReportForm::of_path) {
            None => Self::Nowhere,
            Some(Ok(ReportForm::Page)) => Self::OnPage,
            Some(_) => Self::OnSheet,
        }
    }

    /// The file of some pairs.
    pub(crate) fn bytes(self, pairs: &[LookAlike], path: &Path) -> anyhow::Result<Vec<u8>> {
        match self {
            Self::OnPage => Ok(render(&page_of_pairs(pairs, path)).into_bytes()),
            Self::OnSheet | Self::Nowhere => of_pairs(pairs),
        }
    }
}

/// The name under which a page saves what was answered: `pairs.html` saves
/// `pairs.answers.csv`.
pub(super) fn answers_name(page: &Path) -> String {
    let stem = page.file_stem().map(|stem| stem.to_string_lossy().into_owned());
    format!("{}.answers.csv", stem.unwrap_or_default())
}

/// What is to be known before the first question, with how the page is used; `whole` is what
/// writes all of them where they are too many for a page.
pub(super) fn note(what: &str, total: usize, whole: &str) -> String {
    let note = format!("{what} The arrow keys go back and on; a letter on a button is its key.");
    if total <= MOST_ROWS {
        return note;
    }
    let (asked, total) = (grouped(MOST_ROWS), grouped(total));
    format!("{note} The first {asked} of {total} are asked here; {whole} has them all.")
}

/// What both sides say, for a page.
pub(super) fn side_rows(fields: &[FieldPair]) -> Vec<SideRow> {
    let row = |pair: &FieldPair| SideRow {
        field: pair.field.replace('_', " "),
        said: [pair.first.clone(), pair.second.clone()],
        mark: match pair.agreement {
            Agreement::Alike => Mark::None,
            Agreement::Differs => Mark::Differs,
        },
    };
    fields.iter().map(row).collect()
}

fn page_of_pairs(pairs: &[LookAlike], path: &Path) -> Page {
    let (mood, word) = match pairs.len() {
        0 => (Mood::Good, "Nothing looks alike".to_owned()),
        count => (Mood::Wait, counted(count, "pair to decide", "pairs to decide")),
    };
    Page {
        title: "Which of these are the same event?".to_owned(),
        subtitle: "Two events that look alike stay two until somebody says that they are one.".to_owned(),
        verdict: Verdict { mood, word, sentence: String::new() },
        questions: (!pairs.is_empty()).then(|| questions_of_pairs(pairs, path)),
        tables: vec![table(
            "All pairs",
            "",
            &["title", "start", "from", "start there", "and from", "why it is asked"],
            pairs.iter().map(|LookAlike { reason, a, b, .. }| {
                [&a.title, &a.start, &a.source, &b.start, &b.source, reason].map(String::clone).to_vec()
            }),
        )],
        made_by: made_by(),
        ..Page::default()
    }
}

fn questions_of_pairs(pairs: &[LookAlike], path: &Path) -> Questions {
    let file = answers_name(path);
    let question = |(at, pair): (usize, &LookAlike)| Question {
        question: pair.a.title.clone(),
        why: pair.reason.clone(),
        kind: pair.reason.clone(),
        sides: sides_of(pair),
        rows: side_rows(&pair.fields),
        cells: guarded_cells(&pair_row(at + 1, pair)),
    };
    Questions {
        title: "One event, or two?".to_owned(),
        note: note(
            "What is the same becomes one, with all that either of them says; what differs stays two.",
            pairs.len(),
            "--review pairs.csv",
        ),
        choices: vec![
            Choice { word: "same", label: "The same", key: 's' },
            Choice { word: "different", label: "Different", key: 'd' },
        ],
        columns: PAIR_COLUMNS.to_vec(),
        next: format!("the same emvo merge, with --answers {file} in place of --review"),
        file,
        list: pairs.iter().enumerate().take(MOST_ROWS).map(question).collect(),
    }
}

/// The files of a pair; by which of them is first where it is one.
fn sides_of(LookAlike { a, b, .. }: &LookAlike) -> [String; 2] {
    if a.source == b.source {
        return [format!("{}, the first", a.source), format!("{}, the second", b.source)];
    }
    [a.source.clone(), b.source.clone()]
}
