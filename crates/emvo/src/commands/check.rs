//! `check`: what is wrong, why it matters, what would repair it.

use hashbrown::HashMap;
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::path::PathBuf;

use anyhow::{Context as _, bail};
use emvo_core::fit::{Limits, Zones};
use emvo_core::rules::{
    self, CheckOptions, Context, Finding, Level, OtherDefinition, RuleChoice, RuleId, Safety, check,
    check_source,
};
use emvo_core::select::Selection;
use serde::Serialize;

use crate::args::{AnswerArgs, InputArgs, WindowArgs};
use crate::chosen::{Chosen, SelectArgs};
use crate::commands::fitting::limits_file;
use crate::commands::report::{Forms, Report, check_page};
use crate::commands::sheet;
use crate::gather::gather;
use crate::json;
use crate::outcome::Outcome;
use crate::output::{Existing, write_file};
use crate::progress;
use crate::settle::{Answer, Detail, Reading, Undecided, rule_named};
use crate::source::{self, Format, Source};
use crate::terminal::{DIM, ERROR, GOOD, STRONG, WARNING, counted, grouped, sanitized, styled};

/// How many events a usual answer names for one message.
const NAMED: usize = 3;

/// What is wrong, why it matters, and what would repair it
#[derive(Debug, clap::Args)]
pub(crate) struct CheckArgs {
    #[command(flatten)]
    input: InputArgs,
    #[command(flatten)]
    select: SelectArgs,
    #[command(flatten)]
    window: WindowArgs,
    #[command(flatten)]
    rules: RuleArgs,
    /// What a destination accepts, as a TOML file: finds what it would refuse or change
    #[arg(long, value_name = "FILE", help_heading = "Rules")]
    limits: Option<PathBuf>,
    /// Write the findings to a file: a sheet with an empty answer column (.csv), or JSON (.json)
    #[arg(long, value_name = "PATH", help_heading = "Output")]
    report: Option<PathBuf>,
    /// Replace an existing report
    #[arg(long, help_heading = "Output")]
    overwrite: bool,
    #[command(flatten)]
    answer: AnswerArgs,
}

/// Which rules
#[derive(Debug, clap::Args)]
#[command(next_help_heading = "Rules")]
pub(crate) struct RuleArgs {
    /// These rules alone
    #[arg(long, value_name = "ID", value_delimiter = ',')]
    pub(crate) only: Vec<String>,
    /// All rules but these
    #[arg(long, value_name = "ID", value_delimiter = ',')]
    pub(crate) skip: Vec<String>,
}

impl RuleArgs {
    pub(crate) fn settle(&self) -> anyhow::Result<RuleChoice> {
        let named = |names: &[String], option| {
            names.iter().map(|name| rule_named(name, option)).collect::<anyhow::Result<_>>()
        };
        Ok(RuleChoice { only: named(&self.only, "--only")?, skip: named(&self.skip, "--skip")? })
    }
}

/// A finding with the input it is from.
pub(crate) struct Found<'s> {
    pub(crate) path: &'s str,
    pub(crate) format: Format,
    pub(crate) finding: Finding,
}

pub(crate) fn run(args: CheckArgs) -> anyhow::Result<Outcome> {
    let answer = args.answer.settle();
    let choice = args.rules.settle()?;
    let chosen = args.select.settle()?;
    let window = args.window.settle()?;
    let mut reading = args.input.reading.settle()?;
    reading.undecided = Undecided::Tell;
    let limits = args.limits.as_deref().map(limits_file).transpose()?;
    let existing = if args.overwrite { Existing::Replace } else { Existing::Refuse };
    let report = args.report.map(|path| Report::settle(path, existing)).transpose()?;
    let files = gather(&args.input.inputs, report.as_ref().map(Report::path), reading.secret.as_ref())?;
    let texts = source::decode(&files, &reading)?;
    let sources = source::read(&texts, &reading)?;
    let chosen = chosen.within(&window, &sources);
    progress::doing("looking for faults");
    let found = findings(&sources, &reading, &choice, &chosen, limits);
    if let Some(report) = &report {
        let inputs: Vec<&str> = sources.iter().map(|source| source.path.as_str()).collect();
        let file = report.file(Forms {
            page: || check_page(&found, &inputs.join(", ")),
            sheet: || sheet::of_findings(&found),
            json: || {
                let findings: Vec<_> = found.iter().map(FindingJson::of).collect();
                Ok(serde_json::to_vec_pretty(&findings)?)
            },
        })?;
        write_file(report.path(), &file.bytes, existing)?;
    }
    match answer {
        Answer::Json => print_json(&found).context("could not print")?,
        Answer::Silent => {}
        Answer::Text(detail) => {
            say!("{}", text(&found, detail));
            if let Some(report) = &report {
                say_line!("wrote {}", sanitized(&report.path().display().to_string()));
            }
        }
    }
    // What cannot be read is a finding of an error, unless its rule is skipped.
    let needs_a_look = found.iter().any(|found| found.finding.level > Level::Note)
        || sources.iter().any(|source| source.set_aside.events() > 0);
    Ok(Outcome::needs_a_look_if(needs_a_look))
}

/// What the rules find in all inputs, in order. Events chosen by `--finding`
/// are those in which one of these rules finds something.
pub(crate) fn findings<'s>(
    sources: &'s [Source<'_>],
    reading: &Reading,
    choice: &RuleChoice,
    chosen: &Chosen,
    limits: Option<Limits>,
) -> Vec<Found<'s>> {
    let mut all = Vec::new();
    let forced_zone = limits.as_ref().and_then(|limits| match &limits.zones {
        Zones::One(zone) => Some(zone.clone()),
        Zones::Any => None,
    });
    let mut options = CheckOptions { limits, forced_zone, ..CheckOptions::default() };
    for source in sources {
        if chosen.takes_files() {
            let in_file = check_source(&source.facts(), choice);
            all.extend(in_file.into_iter().map(|finding| Found {
                path: &source.path,
                format: source.format,
                finding,
            }));
        }
        for loaded in &source.loaded {
            let context =
                Context::of(&loaded.calendar, &loaded.zones, reading.zones.house.as_ref(), &options);
            let mut findings = check(&context, choice, &chosen.selection);
            if !chosen.findings.is_empty() {
                let of_series = series_with(&context, &chosen.findings, &chosen.selection);
                findings.retain(|finding| finding.series.is_some_and(|series| of_series.contains(&series)));
            }
            all.extend(findings.into_iter().map(|finding| Found {
                path: &source.path,
                format: source.format,
                finding,
            }));
            options.others.extend(definitions_of(&context, &source.path));
        }
    }
    all.sort_by_key(|found| found.finding.rule);
    all
}

/// The series in which these rules find something.
pub(crate) fn series_with(context: &Context<'_, '_>, rules: &[RuleId], selection: &Selection) -> Vec<usize> {
    let choice = RuleChoice { only: rules.iter().copied().collect(), ..RuleChoice::default() };
    check(context, &choice, selection).into_iter().filter_map(|finding| finding.series).collect()
}

/// The zone definitions of a calendar, for the inputs behind it to agree with.
pub(crate) fn definitions_of(context: &Context<'_, '_>, path: &str) -> Vec<OtherDefinition> {
    let definitions = context.zone_facts().filter_map(|facts| facts.definition.clone());
    definitions.map(|definition| OtherDefinition { path: path.to_owned(), definition }).collect()
}

fn text(found: &[Found<'_>], detail: Detail) -> String {
    let mut out = String::new();
    let mut by_rule: BTreeMap<RuleId, Vec<&Found<'_>>> = BTreeMap::new();
    for one in found {
        by_rule.entry(one.finding.rule).or_default().push(one);
    }
    for (rule, found) in &by_rule {
        out.push_str(&rule_text(*rule, found, detail));
    }
    out.push_str(&closing(found));
    out
}

fn rule_text(rule: RuleId, found: &[&Found<'_>], detail: Detail) -> String {
    let mut out = String::new();
    let described = rules::RULES.iter().find(|known| known.id() == rule);
    let (slug, headline) = described.map_or(("", ""), |known| (known.slug(), known.headline()));
    let times = counted(found.len(), "finding", "findings");
    let _ = writeln!(out, "{}  {times}: {headline}", styled(STRONG, format!("{rule} {slug}")));
    let mut places: HashMap<(&str, &str), usize> = HashMap::new();
    let mut by_message: Vec<(&str, &str, Vec<&Found<'_>>)> = Vec::new();
    for one in found {
        let message = one.finding.message.as_str();
        let place = *places.entry((one.path, message)).or_insert(by_message.len());
        match by_message.get_mut(place) {
            Some((_, _, list)) => list.push(one),
            None => by_message.push((one.path, message, vec![one])),
        }
    }
    for (path, message, list) in by_message {
        let mark = match list[0].finding.level {
            Level::Error => styled(ERROR, "✗"),
            Level::Warning => styled(WARNING, "!"),
            Level::Note => styled(DIM, "·"),
        };
        let count = if list.len() > 1 { format!(" ({})", grouped(list.len())) } else { String::new() };
        let _ = writeln!(out, "  {mark} {}{count}", sanitized(message));
        let shown = if detail == Detail::All { usize::MAX } else { NAMED };
        for one in list.iter().take(shown) {
            let place = place_of(one);
            let Finding { start, title, repeats, .. } = &one.finding;
            let repeats = if repeats.is_empty() { String::new() } else { format!(" · {repeats}") };
            let line = sanitized(format!("{start}  {title}{repeats}").trim());
            let gap = if line.is_empty() { "" } else { "  " };
            let _ = writeln!(out, "      {line}{gap}{}", styled(DIM, sanitized(&place)));
        }
        if list.len() > shown {
            let more = grouped(list.len() - shown);
            let _ = writeln!(
                out,
                "      {}",
                styled(DIM, format!("and {more} more in {}; -v lists them", sanitized(path)))
            );
        }
    }
    let _ = writeln!(out, "  {}\n", styled(DIM, repair_words(found)));
    out
}

fn place_of(found: &Found<'_>) -> String {
    match (found.finding.row, found.finding.line) {
        (Some(row), _) => format!("{} row {row}", found.path),
        (None, 0) => found.path.to_owned(),
        (None, line) => format!("{}:{line}", found.path),
    }
}

fn repair_words(found: &[&Found<'_>]) -> String {
    let rule = found[0].finding.rule;
    let count = |safety: Safety| found.iter().filter(|one| one.finding.safety == safety).count();
    let of_all = |count: usize| {
        if count == found.len() {
            "it".to_owned()
        } else {
            format!("{} of the {}", grouped(count), grouped(found.len()))
        }
    };
    match (count(Safety::Safe), count(Safety::Consent)) {
        (0, 0) if found.iter().all(|one| one.finding.level == Level::Note) => {
            format!("→ good to know; `emvo rules {rule}` says why")
        }
        (0, 0) => format!("→ needs a person; `emvo rules {rule}` says why"),
        (safe, 0) => format!("→ `emvo repair` does {}", of_all(safe)),
        (safe, consent) => format!("→ `emvo repair --consent {rule}` does {}", of_all(safe + consent)),
    }
}

fn closing(found: &[Found<'_>]) -> String {
    if found.is_empty() {
        return format!("{}\n", styled(GOOD, "Nothing found."));
    }
    let count = |level: Level| found.iter().filter(|found| found.finding.level == level).count();
    let safe = found.iter().filter(|found| found.finding.safety == Safety::Safe).count();
    let consent = found.iter().filter(|found| found.finding.safety == Safety::Consent).count();
    let mut out = styled(
        STRONG,
        format!(
            "{}: {}, {}, {}",
            counted(found.len(), "finding", "findings"),
            counted(count(Level::Error), "error", "errors"),
            counted(count(Level::Warning), "warning", "warnings"),
            counted(count(Level::Note), "note", "notes"),
        ),
    );
    let _ = writeln!(out, "; {} to repair safely, {} with consent", grouped(safe), grouped(consent));
    out
}

#[derive(Serialize)]
struct CheckJson<'f> {
    findings: Vec<FindingJson<'f>>,
    counts: BTreeMap<&'static str, usize>,
}

/// One finding, as scripts and reports read it.
#[derive(Serialize)]
pub(crate) struct FindingJson<'f> {
    rule: &'static str,
    name: &'static str,
    level: &'static str,
    path: &'f str,
    line: Option<u32>,
    row: Option<u64>,
    uid: &'f str,
    title: &'f str,
    start: &'f str,
    repeats: &'f str,
    message: &'f str,
    repair: &'static str,
}

impl<'f> FindingJson<'f> {
    pub(crate) fn of(found: &'f Found<'_>) -> Self {
        let finding = &found.finding;
        let slug = rules::RULES.iter().find(|rule| rule.id() == finding.rule).map_or("", |rule| rule.slug());
        Self {
            rule: finding.rule.as_str(),
            name: slug,
            level: finding.level.name(),
            path: found.path,
            line: (found.format == Format::Ics && finding.line > 0).then_some(finding.line),
            row: finding.row,
            uid: &finding.uid,
            title: &finding.title,
            start: &finding.start,
            repeats: &finding.repeats,
            message: &finding.message,
            repair: finding.safety.name(),
        }
    }
}

fn print_json(found: &[Found<'_>]) -> std::io::Result<()> {
    let mut counts = BTreeMap::new();
    for one in found {
        *counts.entry(one.finding.rule.as_str()).or_insert(0) += 1;
    }
    json::print("check", &CheckJson { findings: found.iter().map(FindingJson::of).collect(), counts })
}

/// The rules to consent to: ids, or `all`.
pub(crate) fn consent_of(names: &[String]) -> anyhow::Result<rules::Consent> {
    if names.iter().any(|name| name == "all") {
        if names.len() > 1 {
            bail!("--consent: `all` stands alone");
        }
        return Ok(rules::Consent::All);
    }
    if names.is_empty() {
        return Ok(rules::Consent::None);
    }
    let rules = names.iter().map(|name| rule_named(name, "--consent")).collect::<anyhow::Result<_>>()?;
    Ok(rules::Consent::Rules(rules))
}
