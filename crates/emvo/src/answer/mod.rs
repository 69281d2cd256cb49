//! What commands say: one value for each answer, in every form that can be asked
//! for.
//!
//! An [`Answer`] knows its text, its JSON and its warnings; one that can be a
//! report has a page and a sheet as well. [`give`] is the only place that asks
//! which form is wanted, so that no command can forget one.

pub(crate) mod advice;
pub(crate) mod backup;
pub(crate) mod besides;
pub(crate) mod by_hand;
pub(crate) mod changes;
mod changes_page;
pub(crate) mod combined;
mod compared;
pub(crate) mod date_fields;
mod date_grids;
pub(crate) mod date_lines;
pub(crate) mod date_list;
mod date_merge;
pub(crate) mod dates;
pub(crate) mod done;
pub(crate) mod event_lines;
pub(crate) mod events;
pub(crate) mod findings;
mod findings_page;
pub(crate) mod history;
pub(crate) mod json;
pub(crate) mod language;
pub(crate) mod list;
pub(crate) mod narrowed;
pub(crate) mod page;
mod plain_words;
pub(crate) mod preview;
pub(crate) mod probed;
pub(crate) mod proof;
mod proof_json;
pub(crate) mod proof_page;
pub(crate) mod rehearsal;
pub(crate) mod release;
pub(crate) mod repairs;
pub(crate) mod review;
pub(crate) mod rules;
pub(crate) mod sheet;
mod survey;
pub(crate) mod survey_detail;
mod survey_json;
pub(crate) mod surveyed;
pub(crate) mod written;

use std::path::Path;

use anyhow::{Context, bail};
use emvo_report::{Page, render};
use schemars::JsonSchema;
use serde::Serialize;

pub(crate) use json::{AccountJson, ChangeJson};

use crate::input::Given;
use crate::output::{Batch, Existing, Guard, NamedFile, Role};
use crate::terminal::{self, HungUp, Say, fitted, say_beside, say_json_beside, warn};

/// The form of an answer, and how much it says.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Form {
    Json,
    Silent,
    Text(Detail),
}

/// How much a text says.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Detail {
    Usual,
    All,
}

/// Where a text goes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Stream {
    Stdout,
    /// A result has taken standard output.
    Stderr,
}

impl Stream {
    /// Where the text about a result goes, by where the result went.
    pub(crate) fn beside<'o>(mut outputs: impl Iterator<Item = &'o str>) -> Self {
        if outputs.any(|output| output == "-") { Self::Stderr } else { Self::Stdout }
    }
}

/// What a command found or did.
pub(crate) trait Answer {
    const COMMAND: &'static str;

    fn text(&self, detail: Detail) -> String;

    /// Tells the text part by part, which a long list is; it may be asked for again.
    fn tell(&self, detail: Detail, say: &mut Say<'_>) -> Result<(), HungUp> {
        say(&self.text(detail))
    }

    fn json(&self) -> impl Serialize + JsonSchema;

    /// What was given, path by path, for programs; people are warned of what was not
    /// read.
    fn inputs(&self) -> Vec<Given> {
        Vec::new()
    }

    /// What a person has to know besides the text.
    fn warnings(&self) -> Vec<String> {
        Vec::new()
    }

    fn stream(&self) -> Stream {
        Stream::Stdout
    }
}

/// An answer that can be a report.
pub(crate) trait Reported: Answer {
    fn page(&self) -> Page;

    fn sheet(&self) -> anyhow::Result<Vec<u8>>;

    /// As a document of its own; the command's JSON unless it says otherwise.
    fn json_report(&self) -> anyhow::Result<Vec<u8>> {
        document(self)
    }
}

/// The text of an answer that tells it part by part.
fn told_text(answer: &impl Answer, detail: Detail) -> String {
    let mut text = String::new();
    // A text takes whatever it is told.
    let _ = answer.tell(detail, &mut |part| {
        text.push_str(part);
        Ok(())
    });
    text
}

/// Gives an answer in the form that was asked for.
pub(crate) fn give<A: Answer>(answer: &A, form: Form) -> anyhow::Result<()> {
    match form {
        Form::Json => json::print(A::COMMAND, answer.inputs(), &answer.json(), answer.stream())
            .context("could not print")?,
        Form::Silent => {}
        Form::Text(detail) => {
            match answer.stream() {
                Stream::Stdout => terminal::answer(&|say| answer.tell(detail, say)),
                Stream::Stderr => say_beside(&fitted(&answer.text(detail))),
            }
            answer.warnings().iter().for_each(|line| warn(line));
        }
    }
    Ok(())
}

/// Says for scripts why nothing was done, on standard error.
pub(crate) fn give_failure(message: &str, status: u8) {
    // Text and a number are always JSON.
    let document = serde_json::to_string_pretty(&json::Failure::of(message, status)).unwrap_or_default();
    say_json_beside(&(document + "\n"));
}

/// An answer as a JSON document.
fn document<A: Answer + ?Sized>(answer: &A) -> anyhow::Result<Vec<u8>> {
    json::document(A::COMMAND, answer.inputs(), &answer.json())
}

/// The form of a report, by the name of its file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum ReportForm {
    Page,
    Sheet,
    Json,
}

impl ReportForm {
    fn of_path(path: &Path) -> anyhow::Result<Self> {
        match path.extension().and_then(|extension| extension.to_str()) {
            Some("html" | "htm") => Ok(Self::Page),
            Some("csv" | "xlsx") => Ok(Self::Sheet),
            Some("json") => Ok(Self::Json),
            _ => bail!("--report `{}`: its name has to end in .html, .csv, .xlsx or .json", path.display()),
        }
    }

    fn render(self, answer: &impl Reported) -> anyhow::Result<Vec<u8>> {
        match self {
            Self::Page => Ok(render(&answer.page()).into_bytes()),
            Self::Sheet => answer.sheet(),
            Self::Json => answer.json_report(),
        }
    }
}

/// Whether findings are told with what their repairs would make of an event.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum RepairPreview {
    Told,
    NotAsked,
}

/// The report of an answer, if one was asked for.
pub(crate) struct Report {
    file: NamedFile,
    form: Option<ReportForm>,
}

impl Report {
    /// Claims the path of the report, if there is one.
    pub(crate) fn at(path: Option<&Path>, existing: Existing, guard: &Guard) -> anyhow::Result<Self> {
        let form = path.map(ReportForm::of_path).transpose()?;
        Ok(Self { file: NamedFile::at(path, Role::Report, existing, guard)?, form })
    }

    pub(crate) fn path(&self) -> Option<&Path> {
        self.file.path()
    }

    /// Whether people decide on it what is repaired.
    pub(crate) fn preview(&self) -> RepairPreview {
        match self.form {
            Some(ReportForm::Page) => RepairPreview::Told,
            Some(ReportForm::Sheet | ReportForm::Json) | None => RepairPreview::NotAsked,
        }
    }

    /// Its path, as people know it.
    pub(crate) fn shown(&self) -> Option<String> {
        self.file.shown()
    }

    /// Adds the report to files that are written with it.
    pub(crate) fn add_to(&self, batch: &mut Batch, answer: &impl Reported) -> anyhow::Result<()> {
        self.file.add_to(batch, |_| self.render(answer))
    }

    /// Writes the report, and gives the answer.
    pub(crate) fn publish(&self, answer: &impl Reported, form: Form) -> anyhow::Result<()> {
        self.file.write(|_| self.render(answer))?;
        give(answer, form)
    }

    fn render(&self, answer: &impl Reported) -> anyhow::Result<Vec<u8>> {
        // Nobody asks for the bytes of a report that goes nowhere.
        self.form.unwrap_or(ReportForm::Json).render(answer)
    }
}

/// The bytes of a report, by the name of its file.
pub(crate) fn report_bytes(path: &Path, answer: &impl Reported) -> anyhow::Result<Vec<u8>> {
    ReportForm::of_path(path)?.render(answer)
}
