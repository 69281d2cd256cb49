//! `retract`: takes a wrong import out of a calendar again.

use std::collections::BTreeSet;
use std::path::PathBuf;

use emvo_core::edit::Change;
use emvo_core::retract::{Fate, Side, fates};
use emvo_core::edit::{names_in_use, sync_definitions};

use crate::args::{AnswerArgs, OutputArgs, ReadingArgs};
use crate::commands::convert::FormatArg;
use crate::commands::per_input::{Changed, TableForm, changes_of, write_outputs};
use crate::commands::telling::{Extent, Told, tell};
use crate::gather::gather;
use crate::outcome::Outcome;
use crate::progress;
use crate::source::{self, Loaded, Source};
use crate::terminal::counted;

/// Take a wrong import out of a calendar again, and nothing else
#[derive(Debug, clap::Args)]
pub(crate) struct RetractArgs {
    /// What was imported by mistake
    #[arg(required = true, value_name = "WRONG")]
    wrong: Vec<PathBuf>,
    /// What the calendar holds now: its export
    #[arg(long, value_name = "TARGET", help_heading = "Destination")]
    out_of: PathBuf,
    /// What it held before the import: events that were there stay
    #[arg(long, value_name = "SNAPSHOT", help_heading = "Destination")]
    before: Option<PathBuf>,
    /// Imported events that somebody edited since
    #[arg(long, value_enum, value_name = "HOW", default_value_t, help_heading = "Destination")]
    edited: EditedArg,
    #[command(flatten)]
    reading: ReadingArgs,
    #[command(flatten)]
    output: OutputArgs,
    /// What to write, where the output's extension does not say
    #[arg(long, value_enum, value_name = "FORMAT", help_heading = "Output")]
    to: Option<FormatArg>,
    #[command(flatten)]
    answer: AnswerArgs,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, clap::ValueEnum)]
enum EditedArg {
    /// They stay, and are listed
    #[default]
    Keep,
    /// They go, too
    Remove,
}

pub(crate) fn run(args: RetractArgs) -> anyhow::Result<Outcome> {
    let answer = args.answer.settle();
    let mut reading = args.reading.settle()?;
    let plan = args.output.settle()?;
    reading.noting = plan.recording.noting();
    let kind = plan.kind(args.to.map(FormatArg::kind))?;
    let wrong_files = gather(&args.wrong, plan.path(), reading.secret.as_ref())?;
    let target_files = gather(&[args.out_of], plan.path(), reading.secret.as_ref())?;
    let before_files = args
        .before
        .map(|path| gather(&[path], plan.path(), reading.secret.as_ref()))
        .transpose()?
        .unwrap_or_default();
    for files in [&wrong_files, &target_files, &before_files] {
        plan.ensure_spares(files)?;
    }
    let wrong_texts = source::decode(&wrong_files, &reading)?;
    let wrong = source::read(&wrong_texts, &reading)?;
    let before_texts = source::decode(&before_files, &reading)?;
    let before = if before_files.is_empty() { Vec::new() } else { source::read(&before_texts, &reading)? };
    let target_texts = source::decode(&target_files, &reading)?;
    let mut target = source::read(&target_texts, &reading)?;
    progress::doing("looking for what was imported");

    let (wrong_sides, before_sides) = (sides(&wrong), sides(&before));
    let mut retracting = Retracting { edited: args.edited, listed: Vec::new(), counts: Counts::default() };
    let mut changed = Vec::new();
    for source in &mut target {
        let of_source = source.loaded.iter_mut().map(|loaded| {
            let fates = fates(&wrong_sides, (&loaded.calendar, &loaded.zones), &before_sides);
            retracting.take_out(loaded, fates)
        });
        changed.push(of_source.collect::<Vec<_>>());
    }
    let outputs = write_outputs(&target, &changed, &plan, kind, &TableForm::of(&reading))?;
    let all_changes = changes_of(&changed);
    let extent = if all_changes.is_empty() { Extent::Nothing } else { Extent::Something };
    let headline = retracting.counts.headline();
    let told =
        Told { command: "retract", headline, changes: all_changes, refused: retracting.listed, extent };
    tell(&told, outputs, &plan, answer)
}

fn sides<'s, 't>(sources: &'s [Source<'t>]) -> Vec<Side<'s, 't>> {
    sources.iter().flat_map(|source| &source.loaded).map(|loaded| (&loaded.calendar, &loaded.zones)).collect()
}

#[derive(Default)]
struct Counts {
    untouched: usize,
    uncertain: usize,
    edited_gone: usize,
    edited_kept: usize,
    was_there: usize,
}

impl Counts {
    fn headline(&self) -> String {
        let mut parts = Vec::new();
        let mut add = |count: usize, what: &str| {
            if count > 0 {
                parts.push(format!("{} {what}", counted(count, "event", "events")));
            }
        };
        add(self.untouched, "taken out, unchanged since the import");
        add(self.uncertain, "taken out by title and time alone");
        add(self.edited_gone, "taken out, though edited since");
        add(self.edited_kept, "kept, edited since the import (--edited remove takes such out)");
        add(self.was_there, "kept, there before the import");
        if parts.is_empty() {
            return "nothing of the wrong import is in the calendar".to_owned();
        }
        parts.join("; ")
    }
}

struct Retracting {
    edited: EditedArg,
    /// What a person should look at.
    listed: Vec<String>,
    counts: Counts,
}

impl Retracting {
    fn take_out<'t>(&mut self, loaded: &mut Loaded<'t>, fates: Vec<Fate>) -> Changed<'t> {
        let mut calendar = loaded.take();
        let before = names_in_use(&calendar);
        let (mut changes, mut removed) = (Vec::new(), 0);
        for (series, fate) in std::mem::take(&mut calendar.series).into_iter().zip(fates) {
            let title = series.lead().title().unwrap_or_default().into_owned();
            let span = series.lead().span();
            let goes = match fate {
                Fate::Other => false,
                Fate::WasThere => {
                    self.counts.was_there += 1;
                    false
                }
                Fate::Untouched => {
                    self.counts.untouched += 1;
                    true
                }
                Fate::Uncertain => {
                    self.counts.uncertain += 1;
                    self.listed.push(format!(
                        "`{title}` {span} was found by its title and time alone; --before SNAPSHOT tells whether it was there"
                    ));
                    true
                }
                Fate::Edited(fields) => {
                    let goes = self.edited == EditedArg::Remove;
                    *(if goes { &mut self.counts.edited_gone } else { &mut self.counts.edited_kept }) += 1;
                    self.listed.push(format!("`{title}` {span} was edited since: {}", fields.join(", ")));
                    goes
                }
            };
            if !goes {
                calendar.series.push(series);
                continue;
            }
            removed += 1;
            changes.push(Change {
                rule: None,
                uid: series.uid_text().into_owned(),
                title,
                before: span,
                after: "taken out".to_owned(),
            });
        }
        sync_definitions(&mut calendar, &loaded.zones, &before, &BTreeSet::new());
        Changed { calendar, zones: loaded.zones.clone(), changes, removed, ..Changed::default() }
    }
}
