//! `run`: a whole move, from a plan file.

mod carry;
mod follow_up;
mod tell;

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

use anyhow::{Context, bail};
use emvo_core::receipt::{Balance, Receipt};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use crate::args::AnswerArgs;
use crate::gather::gather;
use crate::outcome::Outcome;
use crate::output::{Due, Existing, Mode, OutputPlan, Pending, Target, write_all, write_file};
use crate::plan::{Plan, starter};
use crate::progress;
use crate::record::{RecordArgs, Recording, digest};
use crate::settle::{Answer, Reading};
use crate::source;
use crate::terminal::{GOOD, STRONG, WARNING, counted, sanitized, styled};

use carry::{Carried, carry_out, steps_of};

/// The whole move from a plan file, as often as it takes
#[derive(Debug, clap::Args)]
pub(crate) struct RunArgs {
    /// The plan, or a folder of plans
    #[arg(value_name = "PLAN.toml", required_unless_present = "new")]
    plan: Option<PathBuf>,
    /// Write a first plan for the exports in a folder, to be edited
    #[arg(
        long,
        value_name = "FOLDER",
        conflicts_with = "plan",
        requires = "output",
        help_heading = "The plan"
    )]
    new: Option<PathBuf>,
    /// Where to write the first plan
    #[arg(long, short, value_name = "PLAN.toml", requires = "new", help_heading = "Output")]
    output: Option<PathBuf>,
    /// Say what would happen, and write nothing
    #[arg(long, help_heading = "The plan")]
    dry_run: bool,
    /// Replace files that no earlier run of this plan has written
    #[arg(long, help_heading = "Output")]
    overwrite: bool,
    /// Do all of it again, even if nothing has changed
    #[arg(long, help_heading = "The plan")]
    force: bool,
    #[command(flatten)]
    record: RecordArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

/// What may be replaced.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Replace {
    /// What an earlier run of the plan has written.
    Own,
    /// Anything.
    All,
    /// Anything, and what would come out the same is written again.
    Again,
}

pub(crate) fn run(args: RunArgs) -> anyhow::Result<Outcome> {
    if let (Some(folder), Some(output)) = (&args.new, &args.output) {
        return write_starter(folder, output, args.overwrite);
    }
    let Some(path) = args.plan else { bail!("name a plan file, or a folder of plans") };
    let how = How {
        mode: if args.dry_run { Mode::DryRun } else { Mode::Write },
        replace: match (args.force, args.overwrite) {
            (true, _) => Replace::Again,
            (false, true) => Replace::All,
            (false, false) => Replace::Own,
        },
        recording: args.record.settle(),
        answer: args.answer.settle(),
    };
    if !path.is_dir() {
        return run_one(&path, &how);
    }
    let mut plans: Vec<PathBuf> = fs::read_dir(&path)
        .with_context(|| format!("could not read the folder `{}`", path.display()))?
        .filter_map(|entry| entry.ok().map(|entry| entry.path()))
        .filter(|path| path.extension().is_some_and(|extension| extension == "toml"))
        .collect();
    plans.sort();
    if plans.is_empty() {
        bail!("there is no plan (.toml) in `{}`", path.display());
    }
    run_many(&plans, &how)
}

struct How {
    mode: Mode,
    replace: Replace,
    recording: Recording,
    answer: Answer,
}

fn run_one(path: &Path, how: &How) -> anyhow::Result<Outcome> {
    let plan = Plan::read(path)?;
    if how.mode == Mode::DryRun && how.answer != Answer::Json {
        say!("{}", tell::intentions(&plan));
    }
    progress::expect_steps(steps_of(&plan));
    let carried = carry_out(&plan, how.recording.noting())?;
    let done = finish(&plan, &carried, how)?;
    match how.answer {
        Answer::Json => tell::print_json(&carried, &done).context("could not print")?,
        Answer::Silent => {}
        Answer::Text(detail) => say!("{}", tell::text(&carried, &done, detail)),
    }
    Ok(Outcome::needs_a_look_if(carried.needs_a_look()).leaving(carried))
}

/// Many plans at once: a line each, and the worst status of all.
fn run_many(plans: &[PathBuf], how: &How) -> anyhow::Result<Outcome> {
    progress::expect_plans(plans.len());
    let results: Vec<tell::Ended> = plans
        .par_iter()
        .map(|path| {
            let plan = Plan::read(path)?;
            let carried = carry_out(&plan, how.recording.noting())?;
            let done = finish(&plan, &carried, how)?;
            progress::plan_done(&path.display().to_string());
            Ok((carried.receipt.balance, carried.needs_a_look(), done.outputs.is_empty()))
        })
        .collect();
    let (mut worst, mut failed) = (Outcome::Clean, 0);
    let mut total = Balance::default();
    let is_told = matches!(how.answer, Answer::Text(_));
    for (path, result) in plans.iter().zip(&results) {
        let line = match result {
            Ok((balance, needs_a_look, is_same)) => {
                total += *balance;
                if *needs_a_look {
                    worst = Outcome::NeedsALook;
                }
                let state = match (needs_a_look, is_same) {
                    (true, _) => styled(WARNING, "needs a look"),
                    (false, true) => "nothing to do".to_owned(),
                    (false, false) => styled(GOOD, "done"),
                };
                format!("{state}  {} in, {} written", balance.read, balance.written)
            }
            Err(error) => {
                failed += 1;
                format!(
                    "{}  {}",
                    styled(crate::terminal::ERROR, "not done"),
                    sanitized(&format!("{error:#}"))
                )
            }
        };
        if is_told {
            say_line!("{}  {line}", sanitized(&path.display().to_string()));
        }
    }
    if how.answer == Answer::Json {
        tell::print_many(plans, &results, total).context("could not print")?;
    } else if is_told {
        let plans = counted(results.len(), "plan", "plans");
        let sum = format!(
            "{plans}: {} read + {} new = {} written + {} folded + {} removed + {} set aside",
            total.read, total.added, total.written, total.folded, total.removed, total.set_aside
        );
        say_line!("{}", styled(STRONG, sum));
    }
    if failed > 0 {
        bail!("{} could not be done", counted(failed, "plan", "plans"));
    }
    Ok(worst)
}

/// What was written in the end.
pub(crate) struct Done {
    /// Empty if everything stood there already.
    pub(crate) outputs: Vec<String>,
    pub(crate) run: Option<i64>,
    /// Files of an earlier run that this one does not write.
    pub(crate) stale: Vec<String>,
    pub(crate) mode: Mode,
}

/// What a run of this plan has written, to tell its own files from others'.
#[derive(Default, Serialize, Deserialize)]
struct Written {
    outputs: BTreeMap<String, String>,
}

fn finish(plan: &Plan, carried: &Carried, how: &How) -> anyhow::Result<Done> {
    let ours = plan.path.with_extension("outputs.json");
    let earlier: Written =
        fs::read(&ours).ok().and_then(|bytes| serde_json::from_slice(&bytes).ok()).unwrap_or_default();
    let mut now = Written::default();
    let mut due = Vec::new();
    for file in &carried.files {
        let Target::Path(path) = &file.target else { continue };
        let shown = path.display().to_string();
        let known = carried.receipt.outputs.iter().find(|output| output.path == shown);
        let own = known.map_or_else(|| digest(&file.bytes), |output| output.sha256.clone());
        now.outputs.insert(shown.clone(), own);
        let there = fs::read(path).ok();
        if there.as_deref() == Some(file.bytes.as_slice()) && how.replace != Replace::Again {
            continue;
        }
        let is_own =
            || there.as_ref().is_some_and(|bytes| earlier.outputs.get(&shown) == Some(&digest(bytes)));
        if there.is_some() && how.replace == Replace::Own && !is_own() {
            bail!("`{shown}` is not as a run of this plan has left it; --overwrite replaces it");
        }
        due.push(Pending { target: file.target.clone(), bytes: file.bytes.clone() });
    }
    let stale =
        earlier.outputs.keys().filter(|path| !now.outputs.contains_key(*path) && Path::new(path).exists());
    let stale: Vec<String> = stale.cloned().collect();
    // The page tells of this run; it is no reason to do the rest again.
    let has_news = due.iter().any(|file| !carried.is_report(&file.target));
    if !has_news && how.replace != Replace::Again {
        due.retain(|file| matches!(&file.target, Target::Path(path) if !path.exists()));
    }
    if due.is_empty() || how.mode == Mode::DryRun {
        let outputs = due.iter().filter_map(|file| match &file.target {
            Target::Path(path) => Some(path.display().to_string()),
            Target::Stdout => None,
        });
        return Ok(Done { outputs: outputs.collect(), run: None, stale, mode: how.mode });
    }
    let mut record = serde_json::to_vec_pretty(&now)?;
    record.push(b'\n');
    due.push(Pending { target: Target::Path(ours), bytes: record });
    for file in &due {
        if let Target::Path(path) = &file.target
            && let Some(folder) = path.parent().filter(|folder| !folder.as_os_str().is_empty())
        {
            fs::create_dir_all(folder)
                .with_context(|| format!("could not make the folder `{}`", folder.display()))?;
        }
    }
    let out = OutputPlan::replacing(how.mode);
    let mut outputs = write_all(due.into_iter().map(Due::from).collect(), &out)?;
    outputs.pop();
    let run = how.recording.enter(&carried.receipt);
    Ok(Done { outputs, run, stale, mode: how.mode })
}

fn write_starter(folder: &Path, output: &Path, overwrite: bool) -> anyhow::Result<Outcome> {
    let existing = if overwrite { Existing::Replace } else { Existing::Refuse };
    if existing == Existing::Refuse && output.exists() {
        bail!("`{}` exists already; --overwrite replaces it", output.display());
    }
    let reading = Reading::plain();
    let files = gather(&[folder.to_owned()], None, None)?;
    let texts = source::decode(&files, &reading)?;
    let mut sources = source::read(&texts, &reading)?;
    // Paths in a plan start where the plan is.
    let base = output.parent().map(Path::to_owned).unwrap_or_default();
    for source in &mut sources {
        if let Ok(inner) = Path::new(&source.path).strip_prefix(&base) {
            source.path = inner.display().to_string();
        }
    }
    write_file(output, starter(&sources, folder).as_bytes(), existing)?;
    say_line!(
        "wrote {}: {}. Edit it, then: emvo run {} --dry-run",
        sanitized(&output.display().to_string()),
        counted(sources.len(), "source", "sources"),
        sanitized(&output.display().to_string())
    );
    Ok(Outcome::Clean)
}

/// The sum of the receipts of all destinations.
pub(crate) fn joined(receipts: Vec<Receipt>) -> Receipt {
    let mut all = Receipt::default();
    for one in receipts {
        all.balance += one.balance;
        all.emvo = one.emvo;
        all.receipt = one.receipt;
        all.command = one.command;
        all.inputs.extend(one.inputs);
        all.outputs.extend(one.outputs);
        all.events.extend(one.events);
        all.changes.extend(one.changes);
    }
    all
}
