//! `merge`: several calendars into one.

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::path::PathBuf;

use anyhow::{Context, bail};
use emvo_core::calendar::{Unsound, write};
use emvo_core::merge::{Clash, Duplicates, Fold, FoldKind, MergeInput, MergeOptions, Merged, merge};
use emvo_core::receipt::Balance;
use serde::Serialize;

use crate::args::{AnswerArgs, InputArgs, OutputArgs};
use crate::commands::written;
use crate::gather::gather;
use crate::json::{self, ChangeJson, WritingJson};
use crate::outcome::Outcome;
use crate::output::{Pending, set_aside_files, write_all};
use crate::settle::{Answer, Detail};
use crate::source::{self, Source};
use crate::terminal::{DIM, WARNING, counted, sanitized, styled};

/// Several calendars into one: versions settled, duplicates folded
#[derive(Debug, clap::Args)]
pub(crate) struct MergeArgs {
    #[command(flatten)]
    input: InputArgs,
    #[command(flatten)]
    output: OutputArgs,
    /// What the destination already holds; its events stay as they are
    #[arg(long, value_name = "EXISTING")]
    into: Option<PathBuf>,
    /// Whose event stays when the destination has one under the same id
    #[arg(long, value_enum, default_value_t, requires = "into")]
    clash: ClashArg,
    /// What happens to the same event under different ids
    #[arg(long, value_enum, default_value_t)]
    duplicates: DuplicatesArg,
    /// A category that every incoming event gets; may be given several times
    #[arg(long, value_name = "CATEGORY")]
    add_category: Vec<String>,
    /// What the result is called
    #[arg(long, value_name = "NAME")]
    name: Option<String>,
    #[command(flatten)]
    answer: AnswerArgs,
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

impl MergeArgs {
    fn options(&self) -> MergeOptions {
        MergeOptions {
            clash: match self.clash {
                ClashArg::Existing => Clash::Existing,
                ClashArg::Incoming => Clash::Incoming,
                ClashArg::Newest => Clash::Newest,
                ClashArg::Both => Clash::Both,
            },
            duplicates: match self.duplicates {
                DuplicatesArg::Fold => Duplicates::Fold,
                DuplicatesArg::Keep => Duplicates::Keep,
            },
            add_categories: self.add_category.clone(),
            name: self.name.clone(),
            ..MergeOptions::default()
        }
    }
}

pub(crate) fn run(args: MergeArgs) -> anyhow::Result<Outcome> {
    let options = args.options();
    let answer = args.answer.settle();
    let reading = args.input.reading.settle()?;
    let plan = args.output.settle()?;
    if let Some(folder) = plan.folder() {
        bail!("`{}` is a folder; merge makes one calendar, name its file", folder.display());
    }
    let mut inputs = args.input.inputs;
    let has_destination = args.into.is_some();
    if let Some(into) = args.into {
        if into.is_dir() {
            bail!("--into `{}` is a folder; give the one file that the destination exported", into.display());
        }
        inputs.insert(0, into);
    }
    let files = gather(&inputs, plan.path())?;
    plan.ensure_spares(&files)?;
    let texts = source::decode(&files, &reading)?;
    let mut sources = source::read(&texts, &reading)?;
    let set_aside_events: usize = sources.iter().map(|source| source.set_aside.events()).sum();
    let fragments: usize = sources.iter().map(|source| source.set_aside.fragments()).sum();
    let unsound = unsound_of(&sources);
    let (existing, incoming) = merge_inputs(&mut sources, has_destination)?;
    let merged = merge(existing, incoming, options);

    let mut bytes = Vec::new();
    write(&merged.calendar, &mut bytes);
    let mut balance = merged.balance;
    balance.read += set_aside_events;
    balance.set_aside += set_aside_events;
    balance.written = written::events_in(&bytes);
    let balance = balance.ensure_sum()?;

    let unsound: Vec<_> = unsound.iter().map(|(path, event)| (path.clone(), event)).collect();
    let mut pending = vec![Pending { target: plan.target.clone(), bytes }];
    pending.extend(set_aside_files(&sources, &unsound, &plan)?);
    let outputs = write_all(pending, &plan)?;
    match answer {
        Answer::Json => print_json(&merged, balance, outputs).context("could not print")?,
        Answer::Silent => {}
        Answer::Text(detail) => {
            let mut text = written::summary(balance, fragments);
            text.push_str(&fold_lines(&merged.folds, detail));
            text.push_str(&written::change_lines(&merged.changes, detail, written::Examples::One));
            text.push_str(&written::output_lines(&outputs, &plan));
            written::print(&text, &plan);
            for warning in &merged.warnings {
                anstream::eprintln!("{} {}", styled(WARNING, "!"), sanitized(&warning.to_string()));
            }
        }
    }
    Ok(Outcome::needs_a_look_if(balance.set_aside + fragments > 0 || !merged.warnings.is_empty()))
}

/// Events that cannot be read, with their files: kept before the calendars are
/// taken apart.
fn unsound_of<'t>(sources: &[Source<'t>]) -> Vec<(String, Unsound<'t>)> {
    let mut unsound = Vec::new();
    for source in sources {
        for event in source.calendars().flat_map(|calendar| &calendar.unsound) {
            unsound.push((source.path.clone(), event.clone()));
        }
    }
    unsound
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
        for loaded in source.loaded.drain(..) {
            let input =
                MergeInput { calendar: loaded.calendar, zones: loaded.zones, label: source.path.clone() };
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
        };
        // Writing into a string cannot fail, here and below.
        let _ = writeln!(out, "  {:>6}  {what}", crate::terminal::grouped(folds.len()));
        let shown = if detail == Detail::All { usize::MAX } else { 0 };
        for fold in folds.iter().take(shown) {
            let line = format!("{}  {}  {} → {}", fold.start, fold.title, fold.from, fold.into);
            let _ = writeln!(out, "          {}", styled(DIM, sanitized(&line)));
        }
    }
    let between: Vec<_> = folds.iter().filter(|fold| fold.between.is_some()).collect();
    if !between.is_empty() && detail == Detail::Usual {
        let events = counted(between.len(), "event was", "events were");
        let _ = writeln!(out, "{events} folded between calendars of different names; -v lists every fold");
    }
    out
}

#[derive(Serialize)]
struct MergeJson {
    #[serde(flatten)]
    writing: WritingJson,
    folds: Vec<FoldJson>,
    warnings: Vec<String>,
}

#[derive(Serialize)]
struct FoldJson {
    rule: &'static str,
    uid: String,
    title: String,
    start: String,
    from: String,
    into: String,
    into_uid: String,
}

fn print_json(merged: &Merged<'_>, balance: Balance, outputs: Vec<String>) -> std::io::Result<()> {
    let folds = merged.folds.iter().map(|fold| FoldJson {
        rule: fold.kind.rule(),
        uid: fold.uid.clone(),
        title: fold.title.clone(),
        start: fold.start.clone(),
        from: fold.from.clone(),
        into: fold.into.clone(),
        into_uid: fold.into_uid.clone(),
    });
    let body = MergeJson {
        writing: WritingJson {
            balance: balance.into(),
            outputs,
            changes: merged.changes.iter().map(ChangeJson::from).collect(),
            run: None,
        },
        folds: folds.collect(),
        warnings: merged.warnings.iter().map(ToString::to_string).collect(),
    };
    json::print("merge", &body)
}
