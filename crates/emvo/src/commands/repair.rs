//! `repair`: makes the safe repairs, and the risky ones that a person agreed to.

use hashbrown::HashMap;
use std::path::PathBuf;

use anyhow::Context as _;
use emvo_core::edit::Change;
use emvo_core::rules::{self, CheckOptions, Context, Level, RepairPlan, StartAs, check_source, repair};
use emvo_core::table::read_length;
use emvo_ical::calendar::Duration;
use emvo_ical::zone::ZoneResolver;
use jiff::civil::Date;
use serde::Serialize;

use crate::args::{AnswerArgs, InputArgs, OutputArgs, WindowArgs};
use crate::chosen::SelectArgs;
use crate::commands::check::{RuleArgs, consent_of, definitions_of, series_with};
use crate::commands::per_input::{Changed, Outputs, TableForm, changes_of, write_outputs};
use crate::commands::report::{self, Done, Forms, Report, done_page, done_sheet};
use crate::commands::{convert, sheet, written};
use crate::gather::gather;
use crate::json::{self, ChangeJson, WritingJson};
use crate::outcome::Outcome;
use crate::output::{Mode, write_file};
use crate::progress;
use crate::settle::{Answer, Detail, Reading};
use crate::source::{self, Loaded, Source};
use crate::terminal::{WARNING, counted, sanitized, styled};

/// Make the safe repairs, and the risky ones you agree to
#[derive(Debug, clap::Args)]
pub(crate) struct RepairArgs {
    #[command(flatten)]
    input: InputArgs,
    #[command(flatten)]
    output: OutputArgs,
    /// Write what was done as a page (.html), a sheet (.csv) or JSON
    #[arg(long, value_name = "PATH.html|.csv|.json", help_heading = "Output")]
    report: Option<PathBuf>,
    /// What to write, where the output's extension does not say
    #[arg(long, value_enum, value_name = "FORMAT", help_heading = "Output")]
    to: Option<convert::FormatArg>,
    #[command(flatten)]
    select: SelectArgs,
    #[command(flatten)]
    window: WindowArgs,
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
    #[arg(long, value_name = "DATE", help_heading = "Rules")]
    horizon: Option<Date>,
    #[command(flatten)]
    answer: AnswerArgs,
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

pub(crate) fn run(args: RepairArgs) -> anyhow::Result<Outcome> {
    let answer = args.answer.settle();
    let mut repair_plan = RepairPlan {
        rules: args.rules.settle()?,
        consent: consent_of(&args.consent)?,
        answers: args.answers.as_deref().map(sheet::read_answers).transpose()?.unwrap_or_default(),
        ..RepairPlan::default()
    };
    let options = CheckOptions {
        start_as: args.start_as.meaning(),
        horizon: args.horizon,
        length: args.length.as_deref().map(length_named).transpose()?,
        ..CheckOptions::default()
    };
    let chosen = args.select.settle()?;
    let window = args.window.settle()?;
    let mut reading = args.input.reading.settle()?;
    let plan = args.output.settle()?;
    reading.noting = plan.recording.noting();
    let report = args.report.map(|path| Report::settle(path, plan.existing)).transpose()?;
    let kind = plan.kind(args.to.map(convert::FormatArg::kind))?;
    let files = gather(&args.input.inputs, plan.path(), reading.secret.as_ref())?;
    plan.ensure_spares(&files)?;
    let texts = source::decode(&files, &reading)?;
    let mut sources = source::read(&texts, &reading)?;
    progress::doing("looking for faults");
    let chosen = chosen.within(&window, &sources);
    repair_plan.selection = chosen.selection.clone();
    let mut all = Repairs { options, ..Repairs::default() };
    let mut changed = Vec::new();
    for source in &mut sources {
        let mut of_source = Vec::new();
        if chosen.takes_files() {
            all.place_unsound(source, &repair_plan.rules, &reading);
            all.repair_file(source, &repair_plan.rules);
        }
        for loaded in &mut source.loaded {
            of_source.push(all.repair(&source.path, loaded, &reading, &mut repair_plan, &chosen.findings));
        }
        changed.push(of_source);
    }
    if let Some(first) = changed.iter_mut().flatten().next() {
        first.folded += all.joined;
        first.changes.splice(0..0, std::mem::take(&mut all.of_files));
    }
    let outputs = write_outputs(&sources, &changed, &plan, kind, &TableForm::of(&reading))?;
    let all_changes = changes_of(&changed);
    let left = all.left(Level::Warning);
    let body = || RepairJson {
        writing: WritingJson {
            balance: outputs.balance.into(),
            outputs: outputs.paths.clone(),
            changes: all_changes.iter().map(ChangeJson::from).collect(),
            run: outputs.run,
        },
        left: all.left.iter().map(LeftJson::of).collect(),
        refused: all.refused.clone(),
    };
    if let Some(report) = report.filter(|_| plan.mode == Mode::Write) {
        let done = all.done(&outputs, &all_changes);
        let file = report.file(Forms {
            page: || done_page(&done),
            sheet: || done_sheet(&done),
            json: || json::document("repair", &body()),
        })?;
        write_file(report.path(), &file.bytes, plan.existing)?;
    }
    match answer {
        Answer::Json => json::print("repair", &body()).context("could not print")?,
        Answer::Silent => {}
        Answer::Text(detail) => {
            let mut text = written::summary(outputs.balance, outputs.fragments);
            text.push_str(&made_text(all_changes.len(), left));
            text.push_str(&written::change_lines(&all_changes, detail, written::Examples::Several));
            text.push_str(&all.left_text(detail));
            text.push_str(&written::output_lines(&outputs.paths, &plan));
            written::print(&text, &plan);
            convert::warn_of_several_calendars(outputs.calendars_in_one_file);
        }
    }
    Ok(Outcome::needs_a_look_if(
        left > 0 || !all.refused.is_empty() || outputs.balance.set_aside + outputs.fragments > 0,
    ))
}

fn length_named(text: &str) -> anyhow::Result<Duration> {
    read_length(text).with_context(|| format!("--length `{text}`: write a length such as 1h, 45min or 1:30"))
}

/// What is left over from all inputs.
#[derive(Default)]
struct Repairs {
    left: Vec<Left>,
    refused: Vec<String>,
    options: CheckOptions,
    /// What writing settles by itself, such as a charset.
    of_files: Vec<Change>,
    /// Overrides that could not be read and are part of their series now.
    joined: usize,
}

struct Left {
    path: String,
    finding: rules::Finding,
}

impl Repairs {
    /// Events whose times are in no form of the standard, but can mean one thing
    /// only, join their calendars.
    fn place_unsound(&mut self, source: &mut Source<'_>, rules: &rules::RuleChoice, reading: &Reading) {
        for loaded in &mut source.loaded {
            let placed = rules::place_unsound(&mut loaded.calendar, rules);
            if !placed.changes.is_empty() {
                loaded.zones = ZoneResolver::of(&loaded.calendar, &reading.zones);
            }
            self.of_files.extend(placed.changes);
            self.joined += placed.folded;
        }
    }

    /// What is wrong with a file as a whole: the safe part of it is settled by
    /// writing, the rest is told.
    fn repair_file(&mut self, source: &Source<'_>, rules: &rules::RuleChoice) {
        for finding in check_source(&source.facts(), rules) {
            if finding.safety == rules::Safety::Safe {
                self.of_files.push(Change {
                    rule: Some(finding.rule.as_str()),
                    uid: String::new(),
                    title: format!("{} {}", source.path, finding.title).trim_end().to_owned(),
                    before: finding.message,
                    after: "settled".to_owned(),
                });
            } else {
                self.left.push(Left { path: source.path.clone(), finding });
            }
        }
    }

    fn repair<'t>(
        &mut self,
        path: &str,
        loaded: &mut Loaded<'t>,
        reading: &Reading,
        plan: &mut RepairPlan,
        findings: &[rules::RuleId],
    ) -> Changed<'t> {
        let house = reading.zones.house.as_ref();
        plan.options = self.options.clone();
        let of_series = {
            let context = Context::of(&loaded.calendar, &loaded.zones, house, &plan.options);
            let own = definitions_of(&context, path);
            let chosen = (!findings.is_empty()).then(|| series_with(&context, findings, &plan.selection));
            drop(context);
            self.options.others.extend(own);
            chosen
        };
        let mut calendar = loaded.take();
        let spared = of_series.map(|chosen| take_out(&mut calendar, &chosen));
        let mut repaired = repair(calendar, &reading.zones, plan);
        if let Some(spared) = spared {
            repaired.calendar.series.extend(spared);
            repaired.calendar.series.sort_by_key(|series| series.lead().rank());
        }
        self.left.extend(repaired.left.into_iter().map(|finding| Left { path: path.to_owned(), finding }));
        self.refused.extend(repaired.refused.iter().map(|refusal| format!("{path}: {refusal}")));
        let zones = ZoneResolver::of(&repaired.calendar, &reading.zones);
        Changed {
            calendar: repaired.calendar,
            zones,
            changes: repaired.changes,
            added: repaired.added,
            folded: repaired.folded,
            ..Changed::default()
        }
    }

    /// What was done, for a report.
    fn done<'d>(&self, outputs: &Outputs, changes: &'d [Change]) -> Done<'d> {
        let rows = self.left.iter().map(|one| {
            let finding = &one.finding;
            let (rule, safety) = (finding.rule.to_string(), finding.safety.name().to_owned());
            vec![
                rule,
                one.path.clone(),
                finding.title.clone(),
                finding.start.clone(),
                finding.message.clone(),
                safety,
            ]
        });
        let columns = ["rule", "file", "title", "start", "what", "repair"];
        Done {
            title: "Repaired",
            balance: outputs.balance,
            changes,
            folds: &[],
            by_hand: self.refused.clone(),
            tables: vec![report::table("What is left", "", &columns, rows)],
        }
    }

    fn left(&self, level: Level) -> usize {
        self.left.iter().filter(|one| one.finding.level >= level).count()
    }

    fn left_text(&self, detail: Detail) -> String {
        let mut out = String::new();
        for refusal in &self.refused {
            out.push_str(&format_line(&styled(WARNING, "!"), refusal));
        }
        let mut places: HashMap<(rules::RuleId, &str), usize> = HashMap::new();
        let mut counts: Vec<(rules::RuleId, &str, usize)> = Vec::new();
        for one in self.left.iter().filter(|one| one.finding.level > Level::Note || detail == Detail::All) {
            let message = one.finding.message.as_str();
            let place = *places.entry((one.finding.rule, message)).or_insert(counts.len());
            match counts.get_mut(place) {
                Some((_, _, count)) => *count += 1,
                None => counts.push((one.finding.rule, message, 1)),
            }
        }
        counts.sort_by_key(|(rule, ..)| *rule);
        for (at, (rule, message, count)) in counts.iter().enumerate() {
            let line = format!("{rule}  {} left: {message}", counted(*count, "finding", "findings"));
            out.push_str(&format_line(&styled(WARNING, "!"), &line));
            let is_last_of_rule = counts.get(at + 1).is_none_or(|(next, ..)| next != rule);
            let consents = self
                .left
                .iter()
                .any(|one| one.finding.rule == *rule && one.finding.safety == rules::Safety::Consent);
            if consents && is_last_of_rule {
                out.push_str(&format_line(" ", &format!("→ --consent {rule} repairs it")));
            }
        }
        out
    }
}

fn made_text(changes: usize, left: usize) -> String {
    let made = counted(changes, "repair", "repairs");
    let rest = if left > 0 {
        format!("; {} left", counted(left, "finding is", "findings are"))
    } else {
        String::new()
    };
    format!("{made} made{rest}\n")
}

fn format_line(mark: &str, line: &str) -> String {
    format!("{mark} {}\n", sanitized(line))
}

/// Takes the series out that are not chosen.
fn take_out<'t>(
    calendar: &mut emvo_ical::calendar::Calendar<'t>,
    chosen: &[usize],
) -> Vec<emvo_ical::calendar::Series<'t>> {
    let series = std::mem::take(&mut calendar.series);
    let (kept, spared): (Vec<_>, Vec<_>) =
        series.into_iter().enumerate().partition(|(at, _)| chosen.contains(at));
    calendar.series = kept.into_iter().map(|(_, series)| series).collect();
    spared.into_iter().map(|(_, series)| series).collect()
}

#[derive(Serialize)]
struct RepairJson {
    #[serde(flatten)]
    writing: WritingJson,
    left: Vec<LeftJson>,
    refused: Vec<String>,
}

#[derive(Serialize)]
struct LeftJson {
    rule: &'static str,
    level: &'static str,
    path: String,
    uid: String,
    title: String,
    message: String,
    repair: &'static str,
}

impl LeftJson {
    fn of(left: &Left) -> Self {
        let finding = &left.finding;
        Self {
            rule: finding.rule.as_str(),
            level: finding.level.name(),
            path: left.path.clone(),
            uid: finding.uid.clone(),
            title: finding.title.clone(),
            message: finding.message.clone(),
            repair: finding.safety.name(),
        }
    }
}
