//! What commands that change each calendar by itself say at their end.

use anyhow::Context;
use emvo_core::edit::Change;
use serde::Serialize;

use crate::commands::per_input::Outputs;
use crate::commands::{convert, written};
use crate::json::{self, ChangeJson, WritingJson};
use crate::outcome::Outcome;
use crate::output::OutputPlan;
use crate::settle::{Answer, Detail};
use crate::terminal::{WARNING, sanitized, styled};

/// What a command did, besides what it wrote.
pub(crate) struct Told {
    pub(crate) command: &'static str,
    /// What it did, in one line; empty if the changes say it.
    pub(crate) headline: String,
    pub(crate) changes: Vec<Change>,
    /// What it could not do, and why.
    pub(crate) refused: Vec<String>,
    /// What came of it: nothing at all is said loudly.
    pub(crate) extent: Extent,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Extent {
    Something,
    Nothing,
}

#[derive(Serialize)]
struct ToldJson<'t> {
    #[serde(flatten)]
    writing: WritingJson,
    refused: &'t [String],
}

pub(crate) fn tell(
    told: &Told,
    outputs: Outputs,
    plan: &OutputPlan,
    answer: Answer,
) -> anyhow::Result<Outcome> {
    let is_incomplete = outputs.balance.set_aside + outputs.fragments > 0;
    match answer {
        Answer::Json => {
            let writing = WritingJson {
                balance: outputs.balance.into(),
                outputs: outputs.paths,
                changes: told.changes.iter().map(ChangeJson::from).collect(),
                run: outputs.run,
            };
            json::print(told.command, &ToldJson { writing, refused: &told.refused })
                .context("could not print")?;
        }
        Answer::Silent => {}
        Answer::Text(detail) => {
            let mut text = written::summary(outputs.balance, outputs.fragments);
            text.push_str(&told.text(detail));
            text.push_str(&written::output_lines(&outputs.paths, plan));
            written::print(&text, plan);
            convert::warn_of_what_is_left_out(&outputs.cannot_carry);
            convert::warn_of_several_calendars(outputs.calendars_in_one_file);
        }
    }
    let needs_a_look = told.extent == Extent::Nothing || !told.refused.is_empty() || is_incomplete;
    Ok(Outcome::needs_a_look_if(needs_a_look))
}

impl Told {
    fn text(&self, detail: Detail) -> String {
        let mut out = String::new();
        if !self.headline.is_empty() {
            let mark = match self.extent {
                Extent::Something => String::new(),
                Extent::Nothing => styled(WARNING, "! "),
            };
            out.extend([mark.as_str(), &sanitized(&self.headline), "\n"]);
        }
        out.push_str(&written::change_lines(&self.changes, detail, written::Examples::Several));
        for refusal in &self.refused {
            out.extend([styled(WARNING, "!").as_str(), " ", &sanitized(refusal), "\n"]);
        }
        out
    }
}
