//! `reconcile`: every occurrence of the sources accounted for in the result.

use std::path::PathBuf;

use anyhow::{Context, bail};
use emvo_core::receipt::Receipt;
use emvo_core::reconcile::{Explanations, ProofOptions, Verdict, reconcile};

use super::{Command, Program};
use crate::answer::Report;
use crate::answer::proof::{Proof, unread};
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
    /// Only the calendars of the result with this name; --calendar chooses among the sources
    #[arg(long, value_name = "NAME", help_heading = "What is compared")]
    result_calendar: Vec<String>,
    /// What you have decided to do without, by field, such as reminders or X-SHIFT: it is counted, and no longer a reason to keep the old calendars
    #[arg(long, value_name = "FIELD,…", value_delimiter = ',', help_heading = "What is compared")]
    accept: Vec<String>,
    /// Write the answer as a page (.html), a sheet of all differences (.csv) or JSON
    #[arg(long, short = 'o', value_name = "PATH.html|.csv|.xlsx|.json", help_heading = "Output")]
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
        let of_result = ReadingArgs { calendar: self.result_calendar, ..self.reading.clone() };
        let (reading, of_result) = (self.reading.resolve(&files)?, of_result.resolve(&files)?);
        let choice = self.window.resolve()?;
        let report =
            Report::at(self.report.as_deref(), Existing::of_flag(self.overwrite), &Guard::new(&files))?;
        let receipts = receipts(&self.explained_by, &files)?;
        let groups = [
            InputGroup { paths: &self.sources, reading: &reading, except: None },
            InputGroup { paths: &self.result, reading: &of_result, except: None },
        ];
        with_sources(&groups, &files, |[sources, results]| {
            progress::doing("comparing date by date");
            let options = ProofOptions {
                window: choice.over(&sources).filter(|_| choice.is_asked_for()),
                ceiling: choice.ceiling,
                unread: unread(&sources, &results),
                accepted: &self.accept,
                stayed: &[],
            };
            let explanations = Explanations::of(&receipts);
            let found = reconcile(&views(&sources), &views(&results), &options, &explanations);
            let Some(found) = found else {
                bail!("the sources hold no event that can be read, so there is nothing to account for");
            };
            let proof = Proof {
                found: &found,
                sources: &sources,
                results: &results,
                receipts: receipts.len(),
                report: report.shown(),
            };
            report.publish(&proof, form)?;
            let is_good = found.verdict == Verdict::Complete && found.release.may_go();
            let outcome = Outcome::needs_a_look_if(!is_good);
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
