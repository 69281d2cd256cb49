//! A result before it is written: all of its files are ready, and its sum is
//! checked.

use std::collections::BTreeMap;

use emvo_core::edit::{
    Account, Change, Count, Edited, Fates, Fold, LeftBehind, Refused, StatementsOff, Undefined, Wholeness,
    WhyLeft, define_missing,
};
use emvo_core::receipt::Receipt;
use emvo_core::table::CannotCarry;
use emvo_ical::calendar::{Calendar, Series, count_components_in, write_to};
use emvo_ical::content::Component;

use super::batch::Batch;
use super::encode::bytes_of;
use super::encode::missing_head;
use super::left_behind::left_behind_file;
use super::limits::Fitting;
use super::limits::Spread;
use super::part::Part;
use super::record::RunRecord;
use super::resolved::Output;
use super::staged::Readers;
use super::target::{Kind, Mode, Place, Target};
use super::{names, set_aside};
use crate::input::{Given, Source, TakenNames, given};
use crate::terminal::warn;

/// How changed calendars are spread over files.
pub(crate) enum Shape<'s> {
    /// One file for all, or one for each input in a folder.
    AsInputs,
    /// Into numbered files where the destination's limits ask for that.
    Fitted(&'s Fitting),
    /// Each event into the file of this name; it is given the number of events
    /// before it.
    Split(&'s dyn Fn(&Series<'_>, &Calendar<'_>, usize) -> String),
}

/// What was written, and what became of the events.
#[derive(Default)]
pub(crate) struct Written {
    pub(crate) account: Account,
    /// What was given, path by path.
    pub(crate) inputs: Vec<Given>,
    pub(crate) paths: Vec<String>,
    /// How many calendars the fullest file holds.
    pub(crate) calendars_in_one_file: usize,
    /// What became of what the events in the outputs said.
    pub(crate) fates: Fates,
    /// What is in no output, one statement each.
    pub(crate) left_behind: Vec<LeftBehind>,
    /// The file that lists it.
    pub(crate) left_behind_path: Option<String>,
    /// The files for what cannot be read.
    pub(crate) set_aside_paths: Vec<String>,
    /// What was changed, in order.
    pub(crate) changes: Vec<Change>,
    /// Which events became part of which, in order.
    pub(crate) folds: Vec<Fold>,
    /// What stays as it is although it was asked to change, with its input.
    pub(crate) refused: Vec<(String, Refused)>,
    /// Events that are bigger than a whole file may be.
    pub(crate) too_big: Vec<String>,
    /// What tables have no place for.
    pub(crate) cannot_carry: CannotCarry,
    /// Zone names that the inputs use and do not define.
    pub(crate) undefined: Undefined,
    /// Whether anything was really written.
    pub(crate) is_dry_run: bool,
    /// Whether the result itself went to standard output.
    pub(crate) took_stdout: bool,
    /// The number of the run in the ledger.
    pub(crate) run: Option<i64>,
}

impl Written {
    /// Nothing was done, and nothing is written.
    pub(crate) fn write_nothing(&mut self) {
        let (inputs, refused) = (std::mem::take(&mut self.inputs), std::mem::take(&mut self.refused));
        *self = Self { inputs, refused, ..Self::default() };
    }

    /// Gives the zone names in use the definitions that the inputs lack.
    fn define_zones<'e, 'a: 'e>(&mut self, edited: impl Iterator<Item = &'e mut Edited<'a>>) {
        for one in edited {
            let Undefined { defined, unknown } = define_missing(&mut one.calendar, &one.zones);
            self.undefined.defined.extend(defined);
            self.undefined.unknown.extend(unknown);
        }
    }

    /// Whether something is not where people will look for it.
    pub(crate) fn is_incomplete(&self) -> bool {
        self.account.wholeness() == Wholeness::Partial
    }
}

/// The files of a result, all ready to take their places.
pub(crate) struct Draft<'o> {
    output: &'o Output,
    batch: Batch,
    receipt: Option<Receipt>,
}

impl Output {
    /// Makes the files of changed calendars, one list for each source, and
    /// checks that every event that was read is in one of them or accounted for.
    /// `beside` are files about the result that belong to it.
    pub(crate) fn draft(
        &self,
        sources: &[Source<'_>],
        edited: Vec<Vec<Edited<'_>>>,
        shape: &Shape<'_>,
        beside: Vec<(Target, Vec<u8>)>,
    ) -> anyhow::Result<(Draft<'_>, Written)> {
        let (mut written, whole, mut edited) = account_of(sources, edited);
        if self.kind == Kind::Ics {
            written.define_zones(edited.iter_mut().flatten());
        }
        let (parts, too_big) = self.parts_of(sources, edited, shape);
        written.too_big = too_big;
        let mut batch = Batch::new(self.mode, &self.guard, Readers::AsUsual);
        for part in &parts {
            let target = self.target(part.name.as_deref())?;
            self.add_file(&mut batch, target, &part.calendars, &mut written)?;
        }
        written.account = written.account.ensure_sum()?;
        for (target, bytes) in beside {
            batch.add(target, bytes);
        }
        for (format, bytes) in set_aside::set_aside_files(sources, &whole)? {
            match self.set_aside_claim(format)? {
                Some(claim) => {
                    written.set_aside_paths.push(claim.shown().to_owned());
                    batch.add(Target::File(claim), bytes);
                }
                None => warn(&self.nowhere_kept()),
            }
        }
        if !written.left_behind.is_empty() {
            match self.left_behind_claim()? {
                Some(claim) => {
                    written.left_behind_path = Some(claim.shown().to_owned());
                    batch.add(Target::File(claim), left_behind_file(&written.left_behind)?);
                }
                None => warn("what is left behind is nowhere kept: name an output, or --set-aside PATH"),
            }
        }
        let record = RunRecord {
            left_behind: &written.left_behind,
            written: parts
                .iter()
                .flat_map(|part| &part.calendars)
                .map(|one| (&one.calendar, &one.zones))
                .collect(),
            folds: written.folds.iter().collect(),
            changes: written.changes.iter().collect(),
            account: written.account,
        };
        let receipt = self.recording.receipt(sources, &record, || batch.records())?;
        written.paths = batch.paths();
        if let (Some(claim), Some(receipt)) = (&self.named.receipt, &receipt) {
            batch.add(Target::File(claim.clone()), receipt.to_json());
            written.paths.push(claim.shown().to_owned());
        }
        written.is_dry_run = self.mode == Mode::DryRun;
        written.took_stdout = matches!(self.place, Place::Stdout);
        // Giving back a million events one by one takes seconds, and the program
        // ends soon.
        std::mem::forget(parts);
        Ok((Draft { output: self, batch, receipt }, written))
    }

    /// The same for one calendar that was made of all sources.
    pub(crate) fn draft_one(
        &self,
        sources: &[Source<'_>],
        edited: Edited<'_>,
        shape: &Shape<'_>,
        beside: Vec<(Target, Vec<u8>)>,
    ) -> anyhow::Result<(Draft<'_>, Written)> {
        let mut all = vec![vec![edited]];
        all.resize_with(sources.len().max(1), Vec::new);
        self.draft(sources, all, shape, beside)
    }

    fn parts_of<'a>(
        &self,
        sources: &[Source<'_>],
        edited: Vec<Vec<Edited<'a>>>,
        shape: &Shape<'_>,
    ) -> (Vec<Part<'a>>, Vec<String>) {
        if let Shape::Split(name_of) = shape {
            return (split(edited.into_iter().flatten().collect(), *name_of), Vec::new());
        }
        let spread = |all: Vec<Edited<'a>>| match shape {
            Shape::Fitted(fitting) => fitting.spread(all, &|all| self.size_of(all)),
            Shape::AsInputs | Shape::Split(_) => Spread::of_one(all),
        };
        if !matches!(self.place, Place::Folder(_)) {
            let spread = spread(edited.into_iter().flatten().collect());
            let too_big = spread.warnings().collect();
            return (spread.parts, too_big);
        }
        let (mut parts, mut too_big, mut taken) = (Vec::new(), Vec::new(), TakenNames::default());
        for (source, edited) in sources.iter().zip(edited) {
            let stem = names::free_stem(&source.path, &mut taken);
            let spread = spread(edited);
            too_big.extend(spread.warnings());
            parts.extend(spread.parts.into_iter().map(|part| {
                let number = part.name.map(|name| format!("-{name}")).unwrap_or_default();
                Part { name: Some(format!("{stem}{number}")), ..part }
            }));
        }
        (parts, too_big)
    }

    /// How many bytes some calendars take as one file. What cannot be written at
    /// all is reported when it is written.
    fn size_of(&self, all: &[&Edited<'_>]) -> usize {
        bytes_of(all, self.kind, &self.form).map_or(0, |encoded| encoded.bytes.len())
    }

    /// Adds some calendars as one file; how many events a reader finds in it.
    fn add_file(
        &self,
        batch: &mut Batch,
        target: Target,
        calendars: &[Edited<'_>],
        written: &mut Written,
    ) -> anyhow::Result<()> {
        let in_one_file = if self.kind == Kind::Ics { calendars.len() } else { 1 };
        written.calendars_in_one_file = written.calendars_in_one_file.max(in_one_file);
        match target {
            Target::File(claim) if self.kind == Kind::Ics && self.mode == Mode::Write => {
                let write = |out: &mut std::fs::File| {
                    calendars
                        .iter()
                        .try_for_each(|one| write_to(&one.calendar, &missing_head(&one.calendar), out))
                };
                let found = batch.make(claim, write, |reopen| Ok(count_components_in(reopen)?))?;
                StatementsOff::ensure_none(statements_of(calendars), found.statements)?;
                written.account.add(Count::Written, found.components);
            }
            target => {
                let all: Vec<&Edited<'_>> = calendars.iter().collect();
                let encoded = bytes_of(&all, self.kind, &self.form)?;
                for (name, count) in encoded.cannot_carry {
                    *written.cannot_carry.entry(name).or_insert(0) += count;
                }
                if self.kind == Kind::Ics {
                    StatementsOff::ensure_none(statements_of(calendars), encoded.written.statements)?;
                }
                written.account.add(Count::Written, encoded.written.components);
                written.account.add(Count::LeftBehind, encoded.left_behind);
                let counts = &mut written.account.statements;
                counts.unplaced += encoded.unplaced;
                counts.kept = counts.kept.saturating_sub(encoded.unplaced);
                batch.add(target, encoded.bytes);
            }
        }
        Ok(())
    }
}

/// How many things calendars have to say.
fn statements_of(calendars: &[Edited<'_>]) -> usize {
    calendars.iter().map(|one| one.calendar.statements()).sum()
}

/// What became of the events before they are written, and the calendars without
/// what was told of them.
fn account_of<'a>(
    sources: &[Source<'_>],
    mut edited: Vec<Vec<Edited<'a>>>,
) -> (Written, Vec<Component<'a>>, Vec<Vec<Edited<'a>>>) {
    let mut written = Written { inputs: given(sources), ..Written::default() };
    let fragments = sources.iter().map(|source| source.set_aside.fragments());
    written.account.statements.fragments = fragments.sum();
    written.account.statements.skipped = sources.iter().map(|source| source.beside.not_read.len()).sum();
    for source in sources {
        written.account.add(Count::Read, source.read);
        written.account.add(Count::SetAside, source.counts_set_aside());
    }
    let mut whole = Vec::new();
    for (source, of_source) in sources.iter().zip(&mut edited) {
        for one in of_source {
            written.account += one.account;
            written.changes.append(&mut one.changes);
            written.folds.append(&mut one.folds);
            whole.append(&mut one.whole);
            written.left_behind.append(&mut one.left);
            let refused = std::mem::take(&mut one.refused).into_iter();
            written.refused.extend(refused.map(|refused| (source.path.clone(), refused)));
        }
    }
    written.left_behind.splice(..0, written.folds.iter().flat_map(Fold::left_behind));
    let calendars = edited.iter().flatten().map(|one| &one.calendar);
    written.fates = Fates::of(calendars, &written.folds, &written.changes, &written.left_behind);
    written.left_behind.append(&mut written.fates.untold);
    let counts = &mut written.account.statements;
    counts.kept = written.fates.kept;
    counts.changed = written.fates.changed.values().sum();
    counts.moved = written.fates.moved;
    counts.cut = whole.len();
    for one in &written.left_behind {
        *match one.why {
            WhyLeft::GaveWay => &mut counts.gave_way,
            WhyLeft::Superseded => &mut counts.superseded,
            WhyLeft::NotTaken => &mut counts.unplaced,
            WhyLeft::DestinationStays
            | WhyLeft::OtherStays
            | WhyLeft::OneCalendar
            | WhyLeft::DestinationCalendar
            | WhyLeft::Untold => &mut counts.left_behind,
        } += 1;
    }
    (written, whole, edited)
}

/// Each event into the part of its name; parts by name.
fn split<'a>(
    all: Vec<Edited<'a>>,
    name_of: &dyn Fn(&Series<'_>, &Calendar<'_>, usize) -> String,
) -> Vec<Part<'a>> {
    let mut files: BTreeMap<String, Vec<Edited<'a>>> = BTreeMap::new();
    let mut count = 0;
    for mut one in all {
        let series = std::mem::take(&mut one.calendar.series);
        let others = std::mem::take(&mut one.calendar.others);
        let mut of_calendar: BTreeMap<String, Calendar<'a>> = BTreeMap::new();
        for series in series {
            let name = names::part_name(&name_of(&series, &one.calendar, count));
            count += 1;
            of_calendar.entry(name).or_insert_with(|| one.calendar.clone()).series.push(series);
        }
        if !others.is_empty() {
            // What is no event has no title or month to go by: it stays with the
            // first part of its calendar.
            let own = || one.calendar.clone();
            let name = of_calendar.keys().next().cloned();
            let name = name.unwrap_or_else(|| names::part_name(&one.calendar.name()));
            of_calendar.entry(name).or_insert_with(own).others = others;
        }
        for (name, calendar) in of_calendar {
            files.entry(name).or_default().push(Edited::unchanged(calendar, one.zones.clone()));
        }
    }
    files.into_iter().map(|(name, calendars)| Part { name: Some(name), calendars }).collect()
}

impl Draft<'_> {
    /// The files, to add further ones such as a report. Those are in no receipt.
    pub(crate) fn batch(&mut self) -> &mut Batch {
        &mut self.batch
    }

    /// The files and the receipt, to be written by somebody else.
    pub(crate) fn into_files(self) -> (Vec<(Target, Vec<u8>)>, Option<Receipt>) {
        (self.batch.into_pending(), self.receipt)
    }

    /// Puts all files into their places and enters the run into the ledger; its
    /// number there.
    pub(crate) fn place(self) -> anyhow::Result<Option<i64>> {
        let Self { output, batch, receipt } = self;
        let receipt = receipt.filter(|_| output.mode == Mode::Write);
        output.recording.enter_beside(receipt.as_ref(), || batch.place())
    }
}
