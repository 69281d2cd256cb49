//! `run`: a whole move, from a plan file.

use std::path::{Component, Path, PathBuf};

use anyhow::{Context, bail};
use rayon::prelude::*;

use super::{Command, Program};
use crate::answer::{Form, give};
use crate::input::{InputGroup, ReadFiles, Reading, with_sources};
use crate::job::args::{AnswerArgs, RecordArgs, memory_size};
use crate::job::resolve::{consent_of, zone_named};
use crate::outcome::Outcome;
use crate::output::{Existing, Guard, Mode, NamedFile, Role, limits_file};
use crate::plan::{Ended, How, ManyRuns, Plan, Replace, RunAnswer, StarterTerms, perform, starter, steps_of};
use crate::terminal::{counted, progress, sanitized, say};

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
    /// The house zone of the first plan
    #[arg(long, value_name = "ZONE", help_heading = "The plan")]
    zone: Option<String>,
    /// What the destination accepts: the first plan proposes a destination for each calendar
    #[arg(long, value_name = "FILE", help_heading = "The plan")]
    limits: Option<PathBuf>,
    /// Rules whose risky repairs the first plan agrees to, or `all`
    #[arg(long, value_name = "ID", value_delimiter = ',', help_heading = "The plan")]
    consent: Vec<String>,
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
    /// How much memory reading may take for one plan, such as 8GB; half of what is free, if nobody says
    #[arg(long, value_name = "SIZE", value_parser = memory_size, hide_short_help = true)]
    memory: Option<u64>,
    #[command(flatten)]
    record: RecordArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

impl Command for RunArgs {
    const EXAMPLES: &'static [&'static str] = &[
        "emvo run plan.toml --dry-run",
        "emvo run plan.toml",
        "emvo run --new exports --limits limits/quay-terminal.toml -o starter.toml",
    ];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        let form = self.answer.resolve();
        if let (Some(folder), Some(output)) = (&self.new, &self.output) {
            let starter =
                Starter { folder, output, zone: self.zone, limits: self.limits, consent: self.consent };
            return starter.write(Existing::of_flag(self.overwrite));
        }
        if self.zone.is_some() || self.limits.is_some() || !self.consent.is_empty() {
            bail!("--zone, --limits and --consent are for a first plan (--new); a plan says them itself");
        }
        let Some(path) = self.plan else { bail!("name a plan file, or a folder of plans") };
        let how = How {
            mode: if self.dry_run { Mode::DryRun } else { Mode::Write },
            replace: match (self.force, self.overwrite) {
                (true, _) => Replace::Again,
                (false, true) => Replace::All,
                (false, false) => Replace::Own,
            },
            recording: self.record.resolve(),
            memory: self.memory,
        };
        if path.is_dir() { run_many(&plans_in(&path)?, &how, form) } else { run_one(&path, &how, form) }
    }
}

fn plans_in(folder: &Path) -> anyhow::Result<Vec<PathBuf>> {
    let mut plans: Vec<PathBuf> = std::fs::read_dir(folder)
        .with_context(|| format!("could not read the folder `{}`", folder.display()))?
        .filter_map(|entry| entry.ok().map(|entry| entry.path()))
        .filter(|path| path.extension().is_some_and(|extension| extension == "toml"))
        .collect();
    plans.sort();
    if plans.is_empty() {
        bail!("there is no plan (.toml) in `{}`", folder.display());
    }
    Ok(plans)
}

fn run_one(path: &Path, how: &How, form: Form) -> anyhow::Result<Outcome> {
    let plan = Plan::read(path)?;
    progress::expect_steps(steps_of(&plan));
    let (carried, done) = perform(&plan, how)?;
    give(&RunAnswer { plan: &plan, carried: &carried, done: Some(&done) }, form)?;
    Ok(Outcome::needs_a_look_if(carried.needs_a_look()).leaving(carried))
}

/// Many plans at once: a line each, and the worst status of all.
fn run_many(plans: &[PathBuf], how: &How, form: Form) -> anyhow::Result<Outcome> {
    progress::expect_plans(plans.len());
    let one = |path: &PathBuf| {
        let plan = Plan::read(path)?;
        let (carried, done) = perform(&plan, how)?;
        progress::plan_done(&path.display().to_string());
        let (balance, needs_a_look) = (carried.account().events, carried.needs_a_look());
        Ok(Ended { balance, needs_a_look, is_same: done.outputs.is_empty() })
    };
    let all = ManyRuns { plans, results: plans.par_iter().map(one).collect() };
    give(&all, form)?;
    if all.failed() > 0 {
        bail!("{} could not be done", counted(all.failed(), "plan", "plans"));
    }
    Ok(Outcome::needs_a_look_if(all.needs_a_look()))
}

/// A first plan for the exports in a folder.
struct Starter<'s> {
    folder: &'s Path,
    output: &'s Path,
    zone: Option<String>,
    limits: Option<PathBuf>,
    consent: Vec<String>,
}

impl Starter<'_> {
    fn write(self, existing: Existing) -> anyhow::Result<Outcome> {
        let files = ReadFiles::default();
        let zone = self.zone.as_deref().map(|zone| zone_named(zone, "--zone")).transpose()?;
        consent_of(&self.consent)?;
        let limits = self.limits.as_deref().map(|path| anyhow::Ok((path, limits_file(path, &files)?)));
        let limits = limits.transpose()?;
        let mut reading = Reading::plain();
        (reading.zones.house, reading.table.house) = (zone.clone(), zone);
        let file = NamedFile::at(Some(self.output), Role::Starter, existing, &Guard::new(&files))?;
        let inputs = [self.folder.to_owned()];
        let group = InputGroup { paths: &inputs, reading: &reading, except: Some(self.output) };
        with_sources(&[group], &files, |[mut sources]| {
            let base = self.output.parent().unwrap_or(Path::new(""));
            for source in &mut sources {
                source.path = from_folder(Path::new(&source.path), base);
            }
            let limits = limits.as_ref().map(|(path, limits)| (from_folder(path, base), limits));
            let terms = StarterTerms {
                folder: self.folder,
                zone: self.zone.as_deref(),
                limits: limits.as_ref().map(|(path, limits)| (path.as_str(), *limits)),
                consent: &self.consent,
            };
            file.write(|_| Ok(starter(&sources, &terms).into_bytes()))?;
            let shown = sanitized(&self.output.display().to_string());
            let count = counted(sources.len(), "source", "sources");
            say(&format!("wrote {shown}: {count}. Edit it, then: emvo run {shown} --dry-run\n"));
            Ok(Outcome::Clean)
        })
    }
}

/// A path as it is reached from a folder, where paths in a plan start.
fn from_folder(path: &Path, folder: &Path) -> String {
    let is_plain = folder.components().all(|part| matches!(part, Component::Normal(_)));
    match path.strip_prefix(folder) {
        Ok(inner) => inner.display().to_string(),
        Err(_) if path.is_absolute() || !is_plain => path.display().to_string(),
        Err(_) => format!("{}{}", "../".repeat(folder.components().count()), path.display()),
    }
}
