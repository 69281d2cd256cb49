//! `repair`: makes the safe repairs, and the risky ones that a person agreed to.

use std::path::PathBuf;

use emvo_core::edit::{Change, Edited};
use emvo_core::rules::{
    self, CheckOptions, Context, Level, OtherDefinition, RepairPlan, StartAs, check_source, repair,
};
use emvo_ical::calendar::{Calendar, Series};
use emvo_ical::zone::ZoneResolver;
use jiff::civil::Date;
use schemars::JsonSchema;
use serde::Serialize;

use super::{Command, Program};
use crate::answer::done::Remarks;
use crate::answer::repairs::{Left, LeftJson, left_table, left_text, made_text};
use crate::answer::written::{Examples, change_lines, marked_lines};
use crate::answer::{Detail, sheet};
use crate::clock;
use crate::input::{Loaded, ReadFiles, Source};
use crate::job::args::{RuleArgs, day};
use crate::job::resolve::{consent_of, length_named, rule_named};
use crate::job::select::{Chosen, series_with};
use crate::job::{Edit, EditArgs, Scope};
use crate::outcome::Outcome;
use crate::output::Written;

/// Make the safe repairs, and the risky ones you agree to
#[derive(Debug, clap::Args)]
pub(crate) struct RepairArgs {
    #[command(flatten)]
    job: EditArgs,
    /// Write what was done as a page (.html), a sheet (.csv) or JSON
    #[arg(long, value_name = "PATH.html|.csv|.xlsx|.json", help_heading = "Output")]
    report: Option<PathBuf>,
    #[command(flatten)]
    rules: RuleArgs,
    /// Rules whose risky repairs may be made, too, or `all`
    #[arg(long, value_name = "ID", value_delimiter = ',', help_heading = "Rules")]
    consent: Vec<String>,
    /// A sheet with answers, as `check --report sheet.csv` writes it
    #[arg(long, value_name = "SHEET", help_heading = "Rules")]
    answers: Option<PathBuf>,
    /// What a start that its rule does not pick becomes (R04)
    #[arg(long, value_enum, value_name = "WHAT", default_value_t = StartAsArg::Extra, help_heading = "Rules")]
    start_as: StartAsArg,
    /// The length of timed events that have none, such as 1h or 45min (D05)
    #[arg(long, value_name = "LENGTH", help_heading = "Rules")]
    length: Option<String>,
    /// How far a rule of exceptions without end is written out (R10)
    #[arg(long, value_name = "DATE", value_parser = day, help_heading = "Rules")]
    horizon: Option<Date>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
enum StartAsArg {
    /// A further date beside the rule
    Extra,
    /// It moves to the first date of the rule
    Move,
}

impl StartAsArg {
    fn meaning(self) -> StartAs {
        match self {
            Self::Extra => StartAs::Extra,
            Self::Move => StartAs::Move,
        }
    }
}

impl RepairArgs {
    /// What may be repaired, and what else is told.
    fn plan(&self, files: &ReadFiles) -> anyhow::Result<RepairPlan> {
        let read = |path: &PathBuf| sheet::read_answers(path, files, rule_named);
        Ok(RepairPlan {
            rules: self.rules.resolve()?,
            consent: consent_of(&self.consent)?,
            answers: self.answers.as_ref().map(read).transpose()?.unwrap_or_default(),
            options: CheckOptions {
                start_as: self.start_as.meaning(),
                horizon: self.horizon,
                now: Some(clock::now()),
                length: self.length.as_deref().map(length_named).transpose()?,
                ..CheckOptions::default()
            },
            ..RepairPlan::default()
        })
    }
}

impl Command for RepairArgs {
    const EXAMPLES: &'static [&'static str] = &[
        "emvo repair exports -o repaired/ --dry-run",
        "emvo repair exports/norrsund -o repaired/ --consent R04,U03",
    ];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        let files = ReadFiles::default();
        let plan = self.plan(&files)?;
        let RepairArgs { job, report, .. } = self;
        job.resolve_with(files)?.with_report(report.as_deref())?.run(Repairing::by(plan))
    }
}

pub(crate) struct Repairing {
    plan: RepairPlan,
    left: Vec<Left>,
    refused: Vec<String>,
    /// What writing settles by itself, such as a charset.
    of_files: Vec<Change>,
    /// Overrides that could not be read and are part of their series now.
    joined: usize,
}

impl Repairing {
    fn by(plan: RepairPlan) -> Self {
        Self { plan, left: Vec::new(), refused: Vec::new(), of_files: Vec::new(), joined: 0 }
    }
}

impl Edit for Repairing {
    const COMMAND: &'static str = "repair";
    const DOING: &'static str = "looking for faults";

    fn begin(&mut self, source: &mut Source<'_>, scope: &Scope<'_>) {
        self.plan.selection = scope.chosen.selection.clone();
        if scope.chosen.takes_files() {
            self.place_unsound(source, scope);
            self.repair_file(source);
        }
    }

    fn edit<'t>(&mut self, path: &str, loaded: &mut Loaded<'t>, scope: &Scope<'_>) -> Edited<'t> {
        let (definitions, chosen) = self.looked_at(path, loaded, scope);
        let mut calendar = loaded.take();
        let spared = chosen.map(|chosen| take_out(&mut calendar, &chosen));
        let mut repaired = repair(calendar, &scope.reading.zones, &self.plan);
        self.plan.options.others.extend(definitions);
        if let Some(spared) = spared {
            let series = &mut repaired.edited.calendar.series;
            series.extend(spared);
            series.sort_by_key(|series| series.lead().rank());
        }
        self.left.extend(repaired.left.into_iter().map(|finding| Left::of(path, finding)));
        self.refused.extend(repaired.refused.iter().map(|refusal| format!("{path}: {refusal}")));
        repaired.edited
    }

    fn end(&mut self, edited: &mut [Vec<Edited<'_>>], _: &Scope<'_>) {
        if let Some(first) = edited.iter_mut().flatten().next() {
            first.account.events.folded += self.joined;
            first.changes.splice(0..0, std::mem::take(&mut self.of_files));
        }
    }

    fn text(&self, written: &Written, detail: Detail) -> String {
        let mut out = made_text(written.changes.len(), self.left(Level::Warning));
        out.push_str(&change_lines(&written.changes, detail, Examples::Several));
        out.push_str(&marked_lines(&self.refused));
        out.push_str(&left_text(&self.left, detail));
        out
    }

    fn details(&self, _: &Written) -> impl Serialize + JsonSchema {
        RepairJson { left: self.left.iter().map(LeftJson::of).collect(), refused: self.refused.clone() }
    }

    fn remarks(&self) -> Remarks {
        let tables = vec![left_table(&self.left)];
        Remarks { title: "Repaired".to_owned(), by_hand: self.refused.clone(), tables }
    }

    fn needs_a_look(&self, _: &Written) -> bool {
        self.left(Level::Warning) > 0 || !self.refused.is_empty()
    }
}

#[derive(Serialize, JsonSchema)]
struct RepairJson {
    left: Vec<LeftJson>,
    refused: Vec<String>,
}

impl Repairing {
    /// Events whose times are in no form of the standard, but can mean one thing
    /// only, join their calendars.
    fn place_unsound(&mut self, source: &mut Source<'_>, scope: &Scope<'_>) {
        for loaded in &mut source.loaded {
            let placed = rules::place_unsound(&mut loaded.calendar, &self.plan.rules);
            if !placed.changes.is_empty() {
                loaded.zones = ZoneResolver::of(&loaded.calendar, &scope.reading.zones);
            }
            self.of_files.extend(placed.changes);
            self.joined += placed.folded;
        }
    }

    /// What is wrong with a file as a whole: the safe part of it is settled by
    /// writing, the rest is told.
    fn repair_file(&mut self, source: &Source<'_>) {
        for finding in check_source(&source.facts(), &self.plan.rules) {
            if finding.safety == rules::Safety::Safe {
                let title = format!("{} {}", source.path, finding.title).trim_end().to_owned();
                let settled = "settled".to_owned();
                self.of_files.push(Change::to_other(finding.rule.as_str(), title, finding.message, settled));
            } else {
                self.left.push(Left::of(&source.path, finding));
            }
        }
    }

    /// The zone definitions of a calendar, for those behind it to agree with, and
    /// the series that are chosen by findings, if some are.
    fn looked_at(
        &self,
        path: &str,
        loaded: &Loaded<'_>,
        scope: &Scope<'_>,
    ) -> (Vec<OtherDefinition>, Option<Vec<usize>>) {
        let house = scope.reading.zones.house.as_ref();
        let context = Context::of(&loaded.calendar, &loaded.zones, house, &self.plan.options);
        let Chosen { selection, findings } = &scope.chosen;
        let chosen = (!findings.is_empty()).then(|| series_with(&context, findings, selection));
        (context.definitions(path), chosen)
    }

    fn left(&self, level: Level) -> usize {
        self.left.iter().filter(|one| one.finding.level >= level).count()
    }
}

/// Takes the series out that are not chosen.
fn take_out<'t>(calendar: &mut Calendar<'t>, chosen: &[usize]) -> Vec<Series<'t>> {
    let series = std::mem::take(&mut calendar.series);
    let (kept, spared): (Vec<_>, Vec<_>) =
        series.into_iter().enumerate().partition(|(at, _)| chosen.contains(at));
    calendar.series = kept.into_iter().map(|(_, series)| series).collect();
    spared.into_iter().map(|(_, series)| series).collect()
}
