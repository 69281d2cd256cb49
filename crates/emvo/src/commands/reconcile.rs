//! `reconcile`: every occurrence of the sources accounted for in the result.

use std::path::PathBuf;

use anyhow::{Context, bail};
use emvo_core::receipt::Receipt;
use emvo_core::reconcile::{Explanations, Verdict, reconcile};

use super::{Command, Program};
use crate::answer::Report;
use crate::answer::proof::Proof;
use crate::input::{InputGroup, ReadAs, ReadFiles, views, with_sources};
use crate::job::args::{AnswerArgs, ReadingArgs, WindowArgs};
use crate::outcome::Outcome;
use crate::output::{Existing, Guard};
use crate::terminal::progress;

/// Prove that a result has every occurrence of its sources
#[derive(Debug, clap::Args)]
pub(crate) struct ReconcileArgs {
    /// What there was: exports, folders, zips
    #[arg(required = true, value_name = "SOURCE")]
    sources: Vec<PathBuf>,
    /// What there is now: the result, or what the destination exports after the import
    #[arg(long, required = true, num_args = 1.., value_name = "RESULT", help_heading = "What is compared")]
    result: Vec<PathBuf>,
    /// The receipt of a run in between: what it was asked to change counts as explained; may be given several times, in order
    #[arg(long, value_name = "RECEIPT.json", help_heading = "What is compared")]
    explained_by: Vec<PathBuf>,
    /// Write the answer as a page (.html), a sheet of all differences (.csv) or JSON
    #[arg(long, value_name = "PATH.html|.csv|.json", help_heading = "Output")]
    report: Option<PathBuf>,
    /// Replace an existing report
    #[arg(long, requires = "report", help_heading = "Output")]
    overwrite: bool,
    #[command(flatten)]
    reading: ReadingArgs,
    #[command(flatten)]
    window: WindowArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

impl Command for ReconcileArgs {
    const EXAMPLES: &'static [&'static str] = &[
        "emvo reconcile exports --zone Europe/Helsinki --result after-import",
        "emvo reconcile exports --zone Europe/Helsinki --result after-import --report proof.html --overwrite",
    ];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        let form = self.answer.resolve();
        let files = ReadFiles::default();
        let reading = self.reading.resolve(&files)?;
        let choice = self.window.resolve()?;
        let report =
            Report::at(self.report.as_deref(), Existing::of_flag(self.overwrite), &Guard::new(&files))?;
        let receipts = receipts(&self.explained_by, &files)?;
        let groups =
            [&self.sources, &self.result].map(|paths| InputGroup { paths, reading: &reading, except: None });
        with_sources(&groups, &files, |[sources, results]| {
            progress::doing("comparing date by date");
            let window = choice.over(&sources);
            let explanations = Explanations::of(&receipts);
            let found = reconcile(&views(&sources), &views(&results), window, choice.ceiling, &explanations);
            let Some(mut found) = found else {
                bail!("the sources hold no event that can be read, so there is nothing to account for");
            };
            if sources.iter().chain(&results).any(|source| !source.beside.not_read.is_empty()) {
                // What was not read cannot be accounted for.
                found.verdict = Verdict::Incomplete;
            }
            let proof = Proof {
                found: &found,
                sources: &sources,
                results: &results,
                receipts: receipts.len(),
                report: report.shown(),
            };
            report.publish(&proof, form)?;
            let outcome = Outcome::needs_a_look_if(found.verdict == Verdict::Incomplete);
            Ok(outcome.leaving((sources, results)))
        })
    }
}

fn receipts(paths: &[PathBuf], files: &ReadFiles) -> anyhow::Result<Vec<Receipt>> {
    let receipts = paths.iter().map(|path| {
        let bytes = files
            .read(path, ReadAs::Receipt)
            .with_context(|| format!("could not read `{}`", path.display()))?;
        Receipt::parse(&bytes).with_context(|| format!("--explained-by `{}`", path.display()))
    });
    receipts.collect()
}
