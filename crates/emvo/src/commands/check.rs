//! `check`: what is wrong, why it matters, what would repair it.

use std::path::PathBuf;

use emvo_core::fit::{Limits, Zones};
use emvo_core::identity::FieldPair;
use emvo_core::rules::{
    Across, CheckOptions, Context, Finding, Level, RuleChoice, SourceFacts, check, check_source,
    day_of_stamps, repair_preview, say_the_same,
};
use hashbrown::HashSet;
use jiff::civil::DateTime;

use super::{Command, Program};
use crate::answer::advice::told;
use crate::answer::findings::{FindingOrder, Findings, Found};
use crate::answer::{RepairPreview, Report};
use crate::clock;
use crate::input::{EventReading, InputGroup, Loaded, ReadFiles, Source, given, with_sources};
use crate::job::Scope;
use crate::job::args::{AnswerArgs, InputArgs, RuleArgs, WindowArgs};
use crate::job::select::{Chosen, SelectArgs, series_with};
use crate::outcome::Outcome;
use crate::output::{Existing, Guard, limits_file, shell_word};
use crate::terminal::progress;

/// What is wrong, why it matters, and what would repair it
#[derive(Debug, clap::Args)]
pub(crate) struct CheckArgs {
    #[command(flatten)]
    select: SelectArgs,
    #[command(flatten)]
    window: WindowArgs,
    #[command(flatten)]
    rules: RuleArgs,
    /// What a destination accepts, as a TOML file: finds what it would refuse or change
    #[arg(long, value_name = "FILE", help_heading = "Rules")]
    limits: Option<PathBuf>,
    /// The least that is shown: errors alone, or warnings too
    #[arg(long, value_enum, value_name = "LEVEL", default_value_t, help_heading = "Rules")]
    level: LevelArg,
    /// First what makes importers refuse a file, then what makes them refuse an event
    #[arg(long, help_heading = "Answers")]
    why_refused: bool,
    /// What makes the status 1: an error, a warning too, or nothing that is found
    #[arg(long, value_enum, value_name = "LEVEL", default_value_t, help_heading = "Answers")]
    fail_on: FailOnArg,
    /// Write the findings as a page (.html), a sheet with an empty answer column (.csv) or JSON
    #[arg(long, short = 'o', value_name = "PATH.html|.csv|.xlsx|.json", help_heading = "Output")]
    report: Option<PathBuf>,
    /// Replace an existing report
    #[arg(long, help_heading = "Output")]
    overwrite: bool,
    #[command(flatten)]
    input: InputArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

/// How bad a finding is
#[derive(Clone, Copy, Debug, Default, clap::ValueEnum)]
enum LevelArg {
    /// Whatever is found
    #[default]
    Note,
    /// What may go wrong
    Warning,
    /// What is wrong
    Error,
}

/// What a script stops at
#[derive(Clone, Copy, Debug, Default, clap::ValueEnum)]
enum FailOnArg {
    /// What is wrong
    Error,
    /// What may go wrong
    #[default]
    Warning,
    /// Nothing
    Never,
}

impl FailOnArg {
    /// Whether what was found is reason enough; what cannot be read is an error.
    fn stops_at(self, found: &[Found<'_>], unread: usize) -> bool {
        let least = match self {
            Self::Error => Level::Error,
            Self::Warning => Level::Warning,
            Self::Never => return false,
        };
        unread > 0 || found.iter().any(|found| found.finding.level >= least)
    }
}

impl LevelArg {
    fn meaning(self) -> Level {
        match self {
            Self::Note => Level::Note,
            Self::Warning => Level::Warning,
            Self::Error => Level::Error,
        }
    }
}

impl Command for CheckArgs {
    const EXAMPLES: &'static [&'static str] = &[
        "emvo check exports",
        "emvo check exports --only Z01,U03 -v",
        "emvo check exports --why-refused",
        "emvo check exports --report faults.html --overwrite",
    ];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        let form = self.answer.resolve();
        let files = ReadFiles::default();
        let (choice, chosen, window) =
            (self.rules.resolve()?, self.select.resolve(&files)?, self.window.resolve()?);
        let typed = typed_inputs(&self.input);
        let level = self.level.meaning();
        let order = if self.why_refused { FindingOrder::ByRefusal } else { FindingOrder::ByLevel };
        let now = clock::now();
        let reading = self.input.reading.resolve(&files)?.reporting_undecided();
        let limits = self.limits.as_deref().map(|path| limits_file(path, &files)).transpose()?;
        let reading = reading.with_events(event_reading(now, limits.as_ref()));
        let report =
            Report::at(self.report.as_deref(), Existing::of_flag(self.overwrite), &Guard::new(&files))?;
        let except = report.path();
        with_sources(
            &[InputGroup { paths: &self.input.inputs, reading: &reading, except }],
            &files,
            |[sources]| {
                progress::doing("looking for faults");
                let scope = Scope::over(&sources, chosen, &window, &reading);
                let mut found = findings(&sources, &scope, &choice, (limits, now), report.preview());
                found.retain(|found| found.finding.level >= level);
                order.sort(&mut found);
                let inputs = sources.iter().map(|source| source.path.as_str()).collect();
                let not_read = sources.iter().map(|source| source.beside.not_read.len()).sum();
                let given = given(&sources);
                let tables = sources
                    .iter()
                    .filter_map(|source| Some((source.path.as_str(), source.table.sniffed.as_ref()?)))
                    .collect();
                let findings =
                    Findings { found, order, inputs, given, report: report.shown(), not_read, typed, tables };
                report.publish(&findings, form)?;
                // What cannot be read is a finding of an error, unless its rule is skipped.
                let unread = sources.iter().map(|source| source.set_aside.counts().events).sum();
                let needs_a_look = self.fail_on.stops_at(&findings.found, unread);
                Ok(Outcome::needs_a_look_if(needs_a_look))
            },
        )
    }
}

/// What a destination accepts is asked of every event; rules have nothing to say about most.
fn event_reading(now: DateTime, limits: Option<&Limits>) -> EventReading {
    match limits {
        Some(_) => EventReading::All,
        None => EventReading::Asked { today: Some(day_of_stamps(now)), across: Across::Compared },
    }
}

/// The inputs as a shell takes them, with the house zone.
fn typed_inputs(input: &InputArgs) -> String {
    let paths = input.inputs.iter().map(|path| path.display().to_string());
    let zone = input.reading.zone.iter().flat_map(|zone| ["--zone".to_owned(), zone.clone()]);
    paths.chain(zone).map(|word| shell_word(&word)).collect::<Vec<_>>().join(" ")
}

/// What the rules find in all inputs, in order. Events chosen by `--finding`
/// are those in which one of these rules finds something.
fn findings<'s>(
    sources: &'s [Source<'_>],
    scope: &Scope<'_>,
    choice: &RuleChoice,
    (limits, now): (Option<Limits>, DateTime),
    preview: RepairPreview,
) -> Vec<Found<'s>> {
    let forced_zone = limits.as_ref().and_then(|limits| match &limits.zones {
        Zones::One(zone) => Some(zone.clone()),
        Zones::Any => None,
    });
    let mut options = CheckOptions { limits, forced_zone, now: Some(now), ..CheckOptions::default() };
    let mut all = Vec::new();
    for source in sources {
        let found = |finding: Finding, repaired: Vec<FieldPair>| Found {
            path: &source.path,
            format: source.format,
            finding: told(finding),
            repaired,
        };
        if scope.chosen.takes_files() {
            let facts = SourceFacts { limits: options.limits.as_ref(), ..source.facts() };
            let of_file = check_source(&facts, choice).into_iter();
            all.extend(of_file.map(|finding| found(finding, Vec::new())));
        }
        for loaded in &source.loaded {
            let of_calendar = of_calendar(loaded, scope, choice, &mut options, &source.path).into_iter();
            all.extend(of_calendar.map(|finding| {
                let repaired = match preview {
                    RepairPreview::Told => repair_preview(&finding, &loaded.calendar, &loaded.zones),
                    RepairPreview::NotAsked => Vec::new(),
                };
                found(finding, repaired)
            }));
        }
    }
    all
}

fn of_calendar(
    loaded: &Loaded<'_>,
    scope: &Scope<'_>,
    choice: &RuleChoice,
    options: &mut CheckOptions,
    path: &str,
) -> Vec<Finding> {
    let Chosen { selection, findings } = &scope.chosen;
    let house = scope.reading.zones.house.as_ref();
    let context = Context::beside(&loaded.quiet, &loaded.calendar, &loaded.zones, house, options);
    let mut found = check(&context, choice, selection);
    debug_assert!(loaded.with_all_events(scope.reading).is_none_or(|all| {
        let context = Context::of(&all.calendar, &all.zones, house, options);
        say_the_same(&found, &check(&context, choice, selection))
    }));
    if !findings.is_empty() {
        let of_series = HashSet::<usize>::from_iter(series_with(&context, findings, selection));
        found.retain(|finding| finding.series.is_some_and(|series| of_series.contains(&series)));
    }
    let definitions = context.definitions(path);
    drop(context);
    options.others.extend(definitions);
    found
}
