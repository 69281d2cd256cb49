//! Commands that change each calendar by itself: one output for all inputs, or
//! a folder with one for each.

use emvo_core::product::PRODUCT_ID;
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use anyhow::{Context, bail};
use emvo_core::edit::Fold;
use emvo_core::edit::{Balance, Change};
use emvo_core::table::{self, CannotCarry, WriteOptions};
use emvo_ical::calendar::{Calendar, Unsound, count_events_in, write_to, write_with_head};
use emvo_ical::content::{Component, Property, encode};
use emvo_ical::zone::ZoneResolver;
use rayon::prelude::*;

use crate::commands::fitting::{Fitting, Spread};
use crate::commands::written;
use crate::output::{
    Due, Kind, Mode, OutputPlan, Pending, Readers, Staged, Target, set_aside_files, write_all,
};
use crate::record::Deeds;
use crate::settle::Reading;
use crate::source::Source;

/// How tables are written.
#[derive(Default)]
pub(crate) struct TableForm {
    pub(crate) options: WriteOptions,
    /// The charset, if not UTF-8.
    pub(crate) encoding: Option<String>,
}

impl TableForm {
    /// As the columns file says, if there is one.
    pub(crate) fn of(reading: &Reading) -> Self {
        let columns = reading.table.columns_file.clone();
        let encoding = columns.as_ref().and_then(|columns| columns.encoding.clone());
        Self { options: WriteOptions { columns, ..WriteOptions::default() }, encoding }
    }
}

/// A calendar that was changed, and how.
#[derive(Default)]
pub(crate) struct Changed<'a> {
    pub(crate) calendar: Calendar<'a>,
    pub(crate) zones: ZoneResolver,
    pub(crate) changes: Vec<Change>,
    /// Series that came into being by splitting.
    pub(crate) added: usize,
    /// Events that became part of another of the same calendar.
    pub(crate) folded: usize,
    /// Events that were left out because they were asked to be.
    pub(crate) removed: usize,
    /// Events of which a text was cut, as they were.
    pub(crate) whole: Vec<Component<'a>>,
    /// Which events became part of which.
    pub(crate) folds: Vec<Fold>,
}

/// What goes into one of several files.
pub(crate) struct Part<'a> {
    /// What is put behind the output's name; nothing if it is the only file.
    pub(crate) name: Option<String>,
    pub(crate) calendars: Vec<Changed<'a>>,
}

/// What was written, and what became of the events.
#[derive(Default)]
pub(crate) struct Outputs {
    pub(crate) balance: Balance,
    pub(crate) paths: Vec<String>,
    pub(crate) calendars_in_one_file: usize,
    pub(crate) fragments: usize,
    /// Events set aside whole, because a text of theirs was cut.
    pub(crate) whole: usize,
    /// The number of the run in the ledger.
    pub(crate) run: Option<i64>,
    /// What tables have no place for.
    pub(crate) cannot_carry: CannotCarry,
}

/// All changes, in order.
pub(crate) fn changes_of(changed: &[Vec<Changed<'_>>]) -> Vec<Change> {
    changed.iter().flatten().flat_map(|one| one.changes.iter().cloned()).collect()
}

/// Writes the changed calendars of all sources, one list a source.
pub(crate) fn write_outputs(
    sources: &[Source<'_>],
    changed: &[Vec<Changed<'_>>],
    plan: &OutputPlan,
    kind: Kind,
    form: &TableForm,
) -> anyhow::Result<Outputs> {
    let mut due = Vec::new();
    let mut balance = Balance {
        read: sources.iter().map(|source| source.events_read).sum(),
        set_aside: sources.iter().map(set_aside_in).sum(),
        added: changed.iter().flatten().map(|one| one.added).sum(),
        removed: changed.iter().flatten().map(|one| one.removed).sum(),
        folded: changed.iter().flatten().map(|one| one.folded).sum(),
        ..Balance::default()
    };
    let mut calendars_in_one_file = 0;
    let mut cannot_carry = CannotCarry::new();
    match plan.folder() {
        None => {
            let all: Vec<&Changed<'_>> = changed.iter().flatten().collect();
            let (file, written) = written_of(&all, plan.target.clone(), plan, kind, form, &mut cannot_carry)?;
            balance.written = written;
            calendars_in_one_file = all.len();
            due.push(file);
        }
        Some(folder) => {
            let mut taken = BTreeSet::new();
            for (source, changed) in sources.iter().zip(changed) {
                let all: Vec<&Changed<'_>> = changed.iter().collect();
                let target = Target::Path(free_path(folder, &source.path, kind, &mut taken));
                let (file, written) = written_of(&all, target, plan, kind, form, &mut cannot_carry)?;
                balance.written += written;
                calendars_in_one_file = calendars_in_one_file.max(all.len());
                due.push(file);
            }
        }
    }
    let calendars_in_one_file = if kind == Kind::Ics { calendars_in_one_file } else { 1 };
    finish(
        sources,
        due,
        &changed.iter().flatten().collect::<Vec<_>>(),
        plan,
        Outputs { balance, calendars_in_one_file, cannot_carry, ..Outputs::default() },
    )
}

/// Writes parts of the changed calendars into files of their own, named after
/// the output: `out.ics` and `2026` make `out-2026.ics`. `accounts` says what
/// became of the events that are in no part.
pub(crate) fn write_parts(
    sources: &[Source<'_>],
    parts: &[Part<'_>],
    beside: Vec<Pending>,
    plan: &OutputPlan,
    kind: Kind,
    form: &TableForm,
    accounts: Balance,
) -> anyhow::Result<Outputs> {
    let mut outputs = Outputs {
        balance: Balance {
            read: sources.iter().map(|source| source.events_read).sum(),
            set_aside: sources.iter().map(set_aside_in).sum(),
            ..accounts
        },
        ..Outputs::default()
    };
    let mut due = Vec::new();
    for Part { name, calendars } in parts {
        let all: Vec<&Changed<'_>> = calendars.iter().collect();
        let target = target_of(plan, name.as_deref(), kind)?;
        let (file, written) = written_of(&all, target, plan, kind, form, &mut outputs.cannot_carry)?;
        outputs.balance.written += written;
        let calendars = if kind == Kind::Ics { all.len() } else { 1 };
        outputs.calendars_in_one_file = outputs.calendars_in_one_file.max(calendars);
        due.push(file);
    }
    due.extend(beside.into_iter().map(Due::from));
    let all: Vec<&Changed<'_>> = parts.iter().flat_map(|part| &part.calendars).collect();
    finish(sources, due, &all, plan, outputs)
}

/// What was written for a destination with limits.
pub(crate) struct SpreadOutputs {
    pub(crate) outputs: Outputs,
    /// Events that are bigger than a whole file may be.
    pub(crate) too_big: Vec<String>,
    /// What was changed, in order.
    pub(crate) changes: Vec<Change>,
    /// Which events became part of which, in order.
    pub(crate) folds: Vec<Fold>,
}

/// Writes changed calendars into as many files as a destination's limits ask
/// for: one where that is enough, else numbered ones. `beside` are files that
/// are written with them.
pub(crate) fn write_spread<'a>(
    fitting: Option<&Fitting>,
    sources: &[Source<'_>],
    changed: Vec<Vec<Changed<'a>>>,
    beside: Vec<Pending>,
    plan: &OutputPlan,
    kind: Kind,
    form: &TableForm,
) -> anyhow::Result<SpreadOutputs> {
    let accounts = Balance {
        added: changed.iter().flatten().map(|one| one.added).sum(),
        removed: changed.iter().flatten().map(|one| one.removed).sum(),
        folded: changed.iter().flatten().map(|one| one.folded).sum(),
        ..Balance::default()
    };
    // What cannot be written at all is told when it is written.
    let size = |all: &[&Changed<'a>]| {
        bytes_of(all, kind, form, &mut CannotCarry::new()).map_or(0, |(bytes, _)| bytes.len())
    };
    let mut parts = Vec::new();
    let mut too_big = Vec::new();
    let spread = |all: Vec<Changed<'a>>| match fitting {
        Some(fitting) => fitting.spread(all, &size),
        None => Spread::of_one(all),
    };
    let mut add = |spread: Spread<'a>, stem: Option<&str>| {
        too_big.extend(spread.warnings());
        parts.extend(spread.parts.into_iter().map(|part| match stem {
            None => part,
            Some(stem) => {
                let number = part.name.map(|name| format!("-{name}")).unwrap_or_default();
                Part { name: Some(format!("{stem}{number}")), ..part }
            }
        }));
    };
    match plan.folder() {
        None => add(spread(changed.into_iter().flatten().collect()), None),
        Some(folder) => {
            let mut taken = BTreeSet::new();
            for (source, changed) in sources.iter().zip(changed) {
                let path = free_path(folder, &source.path, kind, &mut taken);
                let stem = path.file_stem().map(|stem| stem.to_string_lossy().into_owned());
                add(spread(changed), stem.as_deref());
            }
        }
    }
    let outputs = write_parts(sources, &parts, beside, plan, kind, form, accounts)?;
    let (mut steps, mut folds) = (Vec::new(), Vec::new());
    for one in parts.iter_mut().flat_map(|part| &mut part.calendars) {
        steps.append(&mut one.changes);
        folds.append(&mut one.folds);
    }
    std::mem::forget(parts);
    Ok(SpreadOutputs { outputs, too_big, changes: steps, folds })
}

/// Where a part goes: behind the output's name stands the part's; in a folder
/// it is the whole name.
pub(crate) fn target_of(plan: &OutputPlan, name: Option<&str>, kind: Kind) -> anyhow::Result<Target> {
    let Some(name) = name else { return Ok(plan.target.clone()) };
    if let Some(folder) = plan.folder() {
        return Ok(Target::Path(folder.join(format!("{name}.{}", kind.extension()))));
    }
    let Some(path) = plan.path() else { bail!("several files cannot go to standard output; name a file") };
    let stem = path.file_stem().map(|stem| stem.to_string_lossy().into_owned()).unwrap_or_default();
    Ok(Target::Path(path.with_file_name(format!("{stem}-{name}.{}", kind.extension()))))
}

/// Checks the sum, and writes everything or nothing.
fn finish(
    sources: &[Source<'_>],
    mut due: Vec<Due>,
    changed: &[&Changed<'_>],
    plan: &OutputPlan,
    outputs: Outputs,
) -> anyhow::Result<Outputs> {
    let balance = outputs.balance.ensure_sum()?;
    let unsound: Vec<(String, Unsound<'_>)> = sources.iter().flat_map(unsound_of).collect();
    let unsound: Vec<_> = unsound.iter().map(|(path, event)| (path.clone(), event)).collect();
    let whole: Vec<_> = changed.iter().flat_map(|one| &one.whole).collect();
    due.extend(set_aside_files(sources, &unsound, &whole, plan)?.into_iter().map(Due::from));
    let deeds = Deeds {
        written: changed.iter().map(|one| (&one.calendar, &one.zones)).collect(),
        folds: changed.iter().flat_map(|one| &one.folds).collect(),
        changes: changed.iter().flat_map(|one| &one.changes).collect(),
        balance,
    };
    let receipt = plan.recording.receipt(sources, &deeds, || due.par_iter().map(Due::record).collect())?;
    due.extend(plan.recording.file(receipt.as_ref()).map(Due::from));
    let paths = write_all(due, plan)?;
    let run = receipt.filter(|_| plan.mode == Mode::Write).and_then(|receipt| plan.recording.enter(&receipt));
    let fragments = sources.iter().map(|source| source.set_aside.fragments()).sum();
    Ok(Outputs { balance, paths, fragments, whole: whole.len(), run, ..outputs })
}

pub(crate) fn set_aside_in(source: &Source<'_>) -> usize {
    let unsound: usize = source.calendars().map(|calendar| calendar.unsound.len()).sum();
    source.set_aside.events() + unsound
}

pub(crate) fn unsound_of<'t>(source: &Source<'t>) -> Vec<(String, Unsound<'t>)> {
    let events = source.calendars().flat_map(|calendar| calendar.unsound.clone());
    events.map(|event| (source.path.clone(), event)).collect()
}

/// Some calendars as one file that waits to take its place, and how many events
/// a reader finds in it.
fn written_of(
    changed: &[&Changed<'_>],
    target: Target,
    plan: &OutputPlan,
    kind: Kind,
    form: &TableForm,
    cannot_carry: &mut CannotCarry,
) -> anyhow::Result<(Due, usize)> {
    match target {
        Target::Path(path) if kind == Kind::Ics && plan.mode == Mode::Write => {
            plan.prepare_place(&path)?;
            let staged = Staged::make(path, Readers::AsUsual, |out| {
                changed.iter().try_for_each(|one| write_to(&one.calendar, &missing_head(&one.calendar), out))
            })?;
            let written = count_events_in(|| staged.reopen());
            let written = written.with_context(|| format!("could not read back `{}`", staged.shown()))?;
            Ok((Due::Staged(staged), written))
        }
        target => {
            let (bytes, written) = bytes_of(changed, kind, form, cannot_carry)?;
            Ok((Due::Pending(Pending { target, bytes }), written))
        }
    }
}

/// The bytes of some calendars as one file, and how many events a reader finds
/// in them.
pub(crate) fn bytes_of(
    changed: &[&Changed<'_>],
    kind: Kind,
    form: &TableForm,
    cannot_carry: &mut CannotCarry,
) -> anyhow::Result<(Vec<u8>, usize)> {
    let all: Vec<_> = changed.iter().map(|one| (&one.calendar, &one.zones)).collect();
    let encoded = |text: Vec<u8>| match &form.encoding {
        None => Ok(text),
        Some(label) => {
            let text = String::from_utf8(text).context("the table is not UTF-8")?;
            encode(&text, label).context("--encoding")
        }
    };
    match kind {
        Kind::Ics => {
            let mut bytes = Vec::new();
            for one in changed {
                write_with_head(&one.calendar, &missing_head(&one.calendar), &mut bytes);
            }
            let written = written::events_in(&bytes);
            Ok((bytes, written))
        }
        Kind::Csv => {
            let table = table::write(&all, &form.options).context(
                "nothing was written; --unroll, --express-in ZONE or --leave-out FIELD settles it",
            )?;
            for (name, count) in table.cannot_carry {
                *cannot_carry.entry(name).or_insert(0) += count;
            }
            Ok((encoded(table.text)?, table.events))
        }
        Kind::JsonLines => Ok(table::write_lines(&all)),
    }
}

/// What a calendar from a table lacks at its head; every other keeps its own.
fn missing_head(calendar: &Calendar<'_>) -> Vec<Property<'static>> {
    let missing = calendar.missing_head(PRODUCT_ID);
    if missing.len() < 2 { Vec::new() } else { missing }
}

/// A name for an input's output: its own stem, numbered where two inputs of
/// different folders have the same.
fn free_path(folder: &Path, source: &str, kind: Kind, taken: &mut BTreeSet<PathBuf>) -> PathBuf {
    let stem = Path::new(source)
        .file_stem()
        .map_or_else(|| "calendar".to_owned(), |stem| stem.to_string_lossy().into_owned());
    let stem = if source == "-" { "calendar".to_owned() } else { stem };
    let named = |number: u32| {
        let name = if number == 1 { stem.clone() } else { format!("{stem}-{number}") };
        folder.join(format!("{name}.{}", kind.extension()))
    };
    let mut number = 1;
    while taken.contains(&named(number)) {
        number += 1;
    }
    let path = named(number);
    taken.insert(path.clone());
    path
}
