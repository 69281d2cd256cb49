//! `merge`: several calendars into one.

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::path::{Path, PathBuf};

use anyhow::{Context, bail};
use emvo_core::merge::{
    Busy, Clash, Duplicates, Fold, FoldKind, Ids, Incoming, LookAlike, MergeInput, MergeOptions, Merged,
    Names, Reminders, Stay, merge,
};
use emvo_core::survey::default_window;
use emvo_ical::calendar::{Classification, Duration};
use emvo_ical::recurrence::Ceiling;
use emvo_ical::zone::ZoneResolver;
use serde::Serialize;

use crate::args::{AnswerArgs, InputArgs, OutputArgs};
use crate::commands::fitting::{FitArgs, fit};
use crate::commands::per_input::{Changed, Outputs, TableForm, write_spread};
use crate::commands::pick::{KeepArg, UidsArg};
use crate::commands::report::{Done, Forms, Report, done_page, done_sheet};
use crate::commands::{convert, sheet, written};
use crate::gather::gather;
use crate::json::{self, ChangeJson, WritingJson};
use crate::outcome::Outcome;
use crate::output::{Kind, Mode, Pending, Target, write_file};
use crate::progress;
use crate::settle::{Answer, Detail};
use crate::source::{self, Source};
use crate::terminal::{DIM, WARNING, counted, sanitized, styled, warn};

/// Several calendars into one: versions settled, duplicates folded
#[derive(Debug, clap::Args)]
pub(crate) struct MergeArgs {
    #[command(flatten)]
    input: InputArgs,
    #[command(flatten)]
    output: OutputArgs,
    /// Write what was done as a page (.html), a sheet (.csv) or JSON
    #[arg(long, value_name = "PATH.html|.csv|.json", help_heading = "Output")]
    report: Option<PathBuf>,
    /// What the destination already holds; its events stay as they are
    #[arg(long, value_name = "EXISTING", help_heading = "Destination")]
    into: Option<PathBuf>,
    /// Whose event stays when the destination has one under the same id
    #[arg(long, value_enum, default_value_t, requires = "into", help_heading = "Destination")]
    clash: ClashArg,
    /// What happens to the same event under different ids
    #[arg(long, value_enum, default_value_t, help_heading = "Duplicates and look-alikes")]
    duplicates: DuplicatesArg,
    /// Write a sheet of look-alikes, for people to answer `same` or `different`
    #[arg(long, value_name = "SHEET.csv", help_heading = "Duplicates and look-alikes")]
    review: Option<PathBuf>,
    /// The sheet with its answers: what is the same becomes one
    #[arg(long, value_name = "SHEET.csv", help_heading = "Duplicates and look-alikes")]
    answers: Option<PathBuf>,
    /// What the result is called
    #[arg(long, value_name = "NAME", help_heading = "The result")]
    name: Option<String>,
    /// The result's colour, by its CSS name
    #[arg(long, value_name = "COLOR", help_heading = "The result")]
    color: Option<String>,
    #[command(flatten)]
    incoming: IncomingArgs,
    #[command(flatten)]
    fit: FitArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

/// What incoming events are given or lose; the destination's own stay as they are
#[derive(Debug, clap::Args)]
#[command(next_help_heading = "Incoming events")]
struct IncomingArgs {
    /// A category that they get; may be given several times
    #[arg(long, value_name = "CATEGORY")]
    add_category: Vec<String>,
    /// They take up time
    #[arg(long, conflicts_with = "free")]
    busy: bool,
    /// They take up no time
    #[arg(long)]
    free: bool,
    /// They are private
    #[arg(long)]
    private: bool,
    /// Their attachments
    #[arg(long, value_enum, value_name = "HOW", default_value_t)]
    attachments: KeepArg,
    /// Organizers and attendees, to whom an importer may send mail
    #[arg(long, value_enum, value_name = "HOW", default_value_t)]
    invitations: KeepArg,
    /// Their reminders: keep, drop, or a length such as -P1D or -PT15M for those that have none
    #[arg(long, value_name = "HOW", default_value = "keep", allow_hyphen_values = true)]
    reminders: String,
    /// Their ids: as they are, or derived ones for destinations that know the old ones
    #[arg(long, value_enum, value_name = "HOW", default_value_t)]
    uids: UidsArg,
}

impl IncomingArgs {
    fn settle(self) -> anyhow::Result<Incoming> {
        let stay = |arg: KeepArg| match arg {
            KeepArg::Keep => Stay::Keep,
            KeepArg::Drop => Stay::Drop,
        };
        let reminders = match self.reminders.as_str() {
            "keep" => Reminders::Keep,
            "drop" => Reminders::Drop,
            text => {
                let length = Duration::parse(text.trim_start_matches('-'));
                Reminders::Give(length.with_context(|| {
                    format!("--reminders `{text}`: write keep, drop, or a length such as -P1D or -PT15M")
                })?)
            }
        };
        Ok(Incoming {
            add_categories: self.add_category,
            busy: match (self.busy, self.free) {
                (true, _) => Some(Busy::Busy),
                (_, true) => Some(Busy::Free),
                (false, false) => None,
            },
            privacy: self.private.then_some(Classification::Private),
            attachments: stay(self.attachments),
            invitations: stay(self.invitations),
            reminders,
            uids: match self.uids {
                UidsArg::Keep => Ids::Keep,
                UidsArg::Fresh => Ids::Fresh,
            },
        })
    }
}

#[derive(Clone, Copy, Debug, Default, clap::ValueEnum)]
enum ClashArg {
    /// The destination's
    #[default]
    Existing,
    /// The incoming one
    Incoming,
    /// The one changed last
    Newest,
    /// Both, the incoming one under a derived id
    Both,
}

#[derive(Clone, Copy, Debug, Default, clap::ValueEnum)]
enum DuplicatesArg {
    /// They become one, with all that either of them says
    #[default]
    Fold,
    /// They stay
    Keep,
}

impl ClashArg {
    fn meaning(self) -> Clash {
        match self {
            Self::Existing => Clash::Existing,
            Self::Incoming => Clash::Incoming,
            Self::Newest => Clash::Newest,
            Self::Both => Clash::Both,
        }
    }
}

impl DuplicatesArg {
    fn meaning(self) -> Duplicates {
        match self {
            Self::Fold => Duplicates::Fold,
            Self::Keep => Duplicates::Keep,
        }
    }
}

pub(crate) fn run(args: MergeArgs) -> anyhow::Result<Outcome> {
    let answer = args.answer.settle();
    let same_pairs = args.answers.as_deref().map(sheet::read_pairs).transpose()?.unwrap_or_default();
    let options = MergeOptions {
        clash: args.clash.meaning(),
        duplicates: args.duplicates.meaning(),
        incoming: args.incoming.settle()?,
        same_pairs,
        name: args.name,
        color: args.color,
        ..MergeOptions::default()
    };
    let mut reading = args.input.reading.settle()?;
    let plan = args.output.settle()?;
    reading.noting = plan.recording.noting();
    let report = args.report.map(|path| Report::settle(path, plan.existing)).transpose()?;
    if let Some(folder) = plan.folder() {
        bail!("`{}` is a folder; merge makes one calendar, name its file", folder.display());
    }
    let fitting = args.fit.settle()?;
    let kind = plan.kind(None).unwrap_or(Kind::Ics);
    let mut inputs = args.input.inputs;
    let has_destination = args.into.is_some();
    if let Some(into) = args.into {
        if into.is_dir() {
            bail!("--into `{}` is a folder; give the one file that the destination exported", into.display());
        }
        inputs.insert(0, into);
    }
    let files = gather(&inputs, plan.path(), reading.secret.as_ref())?;
    plan.ensure_spares(&files)?;
    let texts = source::decode(&files, &reading)?;
    let mut sources = source::read(&texts, &reading)?;
    progress::doing("combining");
    let window = default_window(sources.iter().flat_map(Source::calendars));
    let (existing, incoming) = merge_inputs(&mut sources, has_destination)?;
    let mut merged = merge(existing, incoming, options);
    let mut warnings: Vec<String> = merged.warnings.iter().map(ToString::to_string).collect();
    let calendar = std::mem::take(&mut merged.calendar);
    let zones = ZoneResolver::of(&calendar, &reading.zones);
    let mut changed = Changed {
        calendar,
        zones,
        folded: merged.balance.folded,
        changes: std::mem::take(&mut merged.changes),
        folds: std::mem::take(&mut merged.folds),
        ..Changed::default()
    };
    if let (Some(fitting), Some(window)) = (&fitting, window) {
        let options = fitting.options(window, Ceiling::default());
        warnings.extend(fit(&mut changed, &options, &reading.zones));
    }
    let mut form = TableForm::of(&reading);
    form.options.columns =
        fitting.as_ref().and_then(|fitting| fitting.columns.clone()).or(form.options.columns);
    let review = args.review.as_deref().map(|path| review_sheet(path, &merged)).transpose()?;
    let extra: Vec<Pending> = review.into_iter().collect();
    let spread = write_spread(fitting.as_ref(), &sources, vec![vec![changed]], extra, &plan, kind, &form)?;
    warnings.extend(spread.too_big);
    (merged.changes, merged.folds) = (spread.changes, spread.folds);
    let outputs = spread.outputs;
    let needs_a_look =
        outputs.balance.set_aside + outputs.fragments + outputs.whole > 0 || !warnings.is_empty();
    if let Some(report) = report.filter(|_| plan.mode == Mode::Write) {
        let file = report_of(&report, &merged, &warnings, &outputs)?;
        write_file(report.path(), &file.bytes, plan.existing)?;
    }
    match answer {
        Answer::Json => {
            json::print("merge", &merge_json(&merged, warnings, &outputs)).context("could not print")?;
        }
        Answer::Silent => {}
        Answer::Text(detail) => {
            let mut text = written::summary(outputs.balance, outputs.fragments);
            text.push_str(&written::whole_line(outputs.whole));
            text.push_str(&fold_lines(&merged.folds, detail));
            text.push_str(&written::change_lines(&merged.changes, detail, written::Examples::One));
            text.push_str(&look_alike_lines(&merged.look_alikes, args.review.is_some()));
            text.push_str(&written::output_lines(&outputs.paths, &plan));
            written::print(&text, &plan);
            convert::warn_of_what_is_left_out(&outputs.cannot_carry);
            for warning in &warnings {
                warn(warning);
            }
        }
    }
    Ok(Outcome::needs_a_look_if(needs_a_look).leaving((merged, sources)))
}

fn report_of(
    report: &Report,
    merged: &Merged<'_>,
    warnings: &[String],
    outputs: &Outputs,
) -> anyhow::Result<Pending> {
    let mut by_hand = warnings.to_vec();
    if !merged.look_alikes.is_empty() {
        let pairs =
            counted(merged.look_alikes.len(), "pair of events looks alike", "pairs of events look alike");
        by_hand.push(format!("{pairs}: --review sheet.csv lists them for a person"));
    }
    let done = Done {
        title: "Combined",
        balance: outputs.balance,
        changes: &merged.changes,
        folds: &merged.folds,
        by_hand,
        tables: Vec::new(),
    };
    report.file(Forms {
        page: || done_page(&done),
        sheet: || done_sheet(&done),
        json: || json::document("merge", &merge_json(merged, warnings.to_vec(), outputs)),
    })
}

fn review_sheet(path: &Path, merged: &Merged<'_>) -> anyhow::Result<Pending> {
    let bytes = sheet::pairs(&merged.look_alikes)?;
    Ok(Pending { target: Target::Path(path.to_owned()), bytes })
}

type MergeInputs<'t> = (Option<MergeInput<'t>>, Vec<MergeInput<'t>>);

/// Takes the calendars out of the sources. The destination is one calendar: an
/// export of several cannot say which of them is meant.
fn merge_inputs<'t>(sources: &mut [Source<'t>], has_destination: bool) -> anyhow::Result<MergeInputs<'t>> {
    let mut existing = None;
    let mut incoming = Vec::new();
    for (at, source) in sources.iter_mut().enumerate() {
        let is_destination = has_destination && at == 0;
        if is_destination && source.loaded.len() != 1 {
            bail!("--into `{}` holds {} calendars; it has to be one", source.path, source.loaded.len());
        }
        for loaded in &mut source.loaded {
            let input = MergeInput {
                calendar: loaded.take(),
                zones: loaded.zones.clone(),
                label: source.path.clone(),
            };
            if is_destination {
                existing = Some(input);
            } else {
                incoming.push(input);
            }
        }
    }
    Ok((existing, incoming))
}

fn fold_lines(folds: &[Fold], detail: Detail) -> String {
    let mut out = String::new();
    let mut by_kind: BTreeMap<FoldKind, Vec<&Fold>> = BTreeMap::new();
    for fold in folds {
        by_kind.entry(fold.kind).or_default().push(fold);
    }
    for (kind, folds) in by_kind {
        let what = match kind {
            FoldKind::Copy => "the same event under the same id",
            FoldKind::OlderVersion => "an older version under the same id",
            FoldKind::Clash => "under an id that the destination has: the destination's stays (--clash)",
            FoldKind::Duplicate => "the same event under another id",
            FoldKind::InSeries => "a single event at a date of a series, with nothing of its own",
            FoldKind::Answered => "the same, as the sheet says",
        };
        // Writing into a string cannot fail, here and below.
        let _ = writeln!(out, "  {:>6}  {what}", crate::terminal::grouped(folds.len()));
        let shown = if detail == Detail::All { usize::MAX } else { 0 };
        for fold in folds.iter().take(shown) {
            let line = format!("{}  {}  {} → {}", fold.start, fold.title, fold.from, fold.into);
            let _ = writeln!(out, "          {}", styled(DIM, sanitized(&line)));
        }
    }
    let between: Vec<_> = folds.iter().filter(|fold| fold.names == Names::Different).collect();
    if !between.is_empty() && detail == Detail::Usual {
        let events = counted(between.len(), "event was", "events were");
        let _ = writeln!(out, "{events} folded between calendars of different names; -v lists every fold");
    }
    out
}

/// Events that are probably the same, for a person to look at.
fn look_alike_lines(pairs: &[LookAlike], is_on_sheet: bool) -> String {
    if pairs.is_empty() {
        return String::new();
    }
    let count = counted(pairs.len(), "pair of events looks alike", "pairs of events look alike");
    let how = if is_on_sheet {
        "answer `same` or `different` on the sheet, and read it back with --answers"
    } else {
        "--review sheet.csv lists them for a person"
    };
    let mut out = format!("{} {count}; {how}\n", styled(WARNING, "!"));
    for LookAlike { reason, a, .. } in pairs.iter().take(3) {
        let line = format!("{}  {}: {reason}", a.start, a.title);
        out.extend(["          ", &styled(DIM, sanitized(&line)), "\n"]);
    }
    out
}

#[derive(Serialize)]
struct MergeJson<'m> {
    #[serde(flatten)]
    writing: WritingJson,
    folds: Vec<FoldJson<'m>>,
    warnings: Vec<String>,
    look_alikes: Vec<PairJson>,
}

#[derive(Serialize)]
struct PairJson {
    reason: String,
    uids: [String; 2],
    title: String,
    starts: [String; 2],
}

#[derive(Serialize)]
struct FoldJson<'m> {
    rule: &'static str,
    uid: &'m str,
    title: &'m str,
    start: String,
    from: &'m str,
    into: &'m str,
    into_uid: &'m str,
}

fn merge_json<'m>(merged: &'m Merged<'_>, warnings: Vec<String>, outputs: &Outputs) -> MergeJson<'m> {
    let folds = merged.folds.iter().map(|fold| FoldJson {
        rule: fold.kind.rule(),
        uid: &fold.uid,
        title: &fold.title,
        start: fold.start.to_string(),
        from: &fold.from,
        into: &fold.into,
        into_uid: fold.into_uid(),
    });
    MergeJson {
        writing: WritingJson {
            balance: outputs.balance.into(),
            outputs: outputs.paths.clone(),
            changes: merged.changes.iter().map(ChangeJson::from).collect(),
            run: outputs.run,
        },
        folds: folds.collect(),
        warnings,
        look_alikes: merged
            .look_alikes
            .iter()
            .map(|pair| PairJson {
                reason: pair.reason.clone(),
                uids: [pair.a.uid.clone(), pair.b.uid.clone()],
                title: pair.a.title.clone(),
                starts: [pair.a.start.clone(), pair.b.start.clone()],
            })
            .collect(),
    }
}
