//! What a plan does for one of its destinations: its sources repaired, windowed,
//! combined, fitted, and proved, all in memory.

use anyhow::Context;
use emvo_core::edit::{Account, Change, Count, Edited};
use emvo_core::merge::{Duplicates, LookAlikes, MergeInput, MergeOptions, apply_incoming, merge};
use emvo_core::receipt::Receipt;
use emvo_core::reconcile::{Explanations, ProofOptions, Reconciliation, Stayed, reconcile};
use emvo_core::redact::{Attachments, Private, Show, Showing, Uids, shown, shows};
use emvo_core::rules::{self, CheckOptions, RepairPlan, repair};
use emvo_core::survey::default_window;
use emvo_core::table::WriteOptions;
use emvo_ical::calendar::{Calendar, Classification, ComponentCounts, ComponentKind, Event};
use emvo_ical::recurrence::{Ceiling, Window, has_date_in};
use emvo_ical::zone::{ZoneChoices, ZoneResolver};

use super::follow_up::FollowUp;
use super::resolved::{Destination, Plan, PlanSource, Repairs};
use crate::answer::advice::{unfit_in_words, warning_in_words};
use crate::answer::proof::unread;
use crate::input::{
    EventTracking, Loaded, NamedBy, Reading, Source, SourceFile, SourceText, decode, read, tell_of_readings,
    tell_of_tables, track_events, views,
};
use crate::output::{Guard, Output, Recording, Shape, TableForm, Target, Written, fit};
use crate::terminal::progress;

/// One destination of a plan, and the texts that go into it.
pub(super) struct DestinationRun<'p, 't> {
    pub(super) plan: &'p Plan,
    pub(super) guard: &'p Guard,
    pub(super) number: usize,
    /// What the destination holds already.
    pub(super) there: &'t [SourceText<'t>],
    /// The texts of all sources of the plan.
    pub(super) texts: &'t [Vec<SourceText<'t>>],
    /// Whether events are followed: for whoever keeps the receipt, and for the
    /// proof.
    pub(super) tracking: EventTracking,
}

/// What came of one destination.
pub(crate) struct DestinationResult {
    pub(crate) name: String,
    pub(crate) path: String,
    pub(crate) written: Written,
    pub(crate) proof: Option<Reconciliation>,
    pub(crate) warnings: Vec<String>,
    /// Events that lie wholly outside the plan's window (D11).
    pub(crate) outside: usize,
}

impl DestinationResult {
    pub(crate) fn account(&self) -> Account {
        self.written.account
    }
}

/// A destination's result with its files.
pub(super) struct Made {
    pub(super) result: DestinationResult,
    pub(super) files: Vec<(Target, Vec<u8>)>,
    pub(super) receipt: Option<Receipt>,
}

/// How `existing` files, and the results of a plan, are read.
pub(super) fn house_reading(plan: &Plan) -> Reading {
    let zones = ZoneChoices { house: plan.zone.clone(), ..ZoneChoices::default() };
    Reading { zones, ..Reading::plain() }
}

/// What the sources of a destination come to, before they are combined.
#[derive(Default)]
struct Prepared<'t> {
    inputs: Vec<MergeInput<'t>>,
    changes: Vec<Change>,
    account: Account,
    outside: usize,
    /// What a person should know.
    warnings: Vec<String>,
}

impl<'t> DestinationRun<'_, 't> {
    fn destination(&self) -> &Destination {
        &self.plan.destinations[self.number]
    }

    /// The sources of this destination, each with its part of the plan; what was not
    /// read is told.
    fn sources(&self, not_read: &mut Vec<String>) -> anyhow::Result<Vec<(&PlanSource, Source<'t>)>> {
        let mut all = Vec::new();
        for (of_plan, texts) in self.plan.sources.iter().zip(self.texts) {
            if of_plan.into == self.number {
                let read =
                    read(texts, &of_plan.reading).with_context(|| format!("source `{}`", of_plan.pattern))?;
                not_read
                    .extend(read.iter().flat_map(|source| &source.beside.not_read).map(ToString::to_string));
                all.extend(read.into_iter().map(|source| (of_plan, source)));
            }
        }
        Ok(all)
    }

    pub(super) fn run(&self, found: &mut FollowUp) -> anyhow::Result<Made> {
        let house = house_reading(self.plan);
        let mut there = if self.there.is_empty() { Vec::new() } else { read(self.there, &house)? };
        let mut prepared = Prepared::default();
        let mut sources = self.sources(&mut prepared.warnings)?;
        tell_of_tables(sources.iter().map(|(_, source)| source));
        tell_of_readings(sources.iter().map(|(_, source)| source));
        if let Some(one) = there.first().filter(|one| one.loaded.len() != 1) {
            anyhow::bail!("`existing` {} holds {} calendars; it has to be one", one.path, one.loaded.len());
        }
        if self.tracking == EventTracking::On {
            track_events(there.iter_mut().chain(sources.iter_mut().map(|(_, source)| source)));
        }
        let all = there.iter().chain(sources.iter().map(|(_, source)| source));
        let window = default_window(all.flat_map(Source::calendars));
        for (of_plan, source) in &mut sources {
            self.prepare(of_plan, source, &mut prepared, found);
        }
        let existing = there.first_mut().and_then(|source| {
            let loaded = source.loaded.first_mut()?;
            Some(MergeInput {
                calendar: loaded.take(),
                zones: loaded.zones.clone(),
                label: source.path.clone(),
            })
        });
        let all: Vec<Source<'t>> = there.into_iter().chain(sources.into_iter().map(|(_, one)| one)).collect();
        self.combine(existing, prepared, &all, window, found)
    }

    /// Repairs, the window, privacy, categories: what a plan asks of a source.
    fn prepare(
        &self,
        of_plan: &PlanSource,
        source: &mut Source<'t>,
        prepared: &mut Prepared<'t>,
        found: &mut FollowUp,
    ) {
        let label = source.path.clone();
        for loaded in &mut source.loaded {
            if self.plan.repairs == Repairs::Made {
                let mut placed = rules::place_unsound(&mut loaded.calendar, &self.plan.rules);
                if of_plan.private != Private::Include {
                    // Which of them are private is only known from here on.
                    placed.changes.iter_mut().for_each(|change| change.title.clear());
                }
                prepared.account.events.folded += placed.folded;
                prepared.changes.append(&mut placed.changes);
            }
            found.look_at(&loaded.calendar);
            let hidden = hide_private(&mut loaded.calendar, of_plan.private);
            prepared.account.add(Count::Removed, hidden.others);
            prepared.account.events.removed += hidden.events;
            found.private_omitted += hidden.count();
            let mut calendar = self.repaired(loaded, of_plan, prepared);
            let zones = ZoneResolver::of(&calendar, &of_plan.reading.zones);
            let all = std::mem::take(&mut calendar.series);
            for mut series in all {
                if self.plan.window.is_some_and(|window| !has_date_in(&series, &zones, window)) {
                    prepared.outside += 1;
                    prepared.account.events.removed += 1;
                    continue;
                }
                let steps = apply_incoming(&mut series, &of_plan.incoming);
                if !steps.is_empty() {
                    let before = "as it came".to_owned();
                    prepared.changes.push(Change::to_series(None, &series, before, steps.join(", ")));
                }
                calendar.series.push(series);
            }
            prepared.inputs.push(MergeInput { calendar, zones, label: label.clone() });
        }
    }

    fn repaired(
        &self,
        loaded: &mut Loaded<'t>,
        of_plan: &PlanSource,
        prepared: &mut Prepared<'t>,
    ) -> Calendar<'t> {
        let calendar = loaded.take();
        if self.plan.repairs == Repairs::Skipped {
            return calendar;
        }
        let mut rules = self.plan.rules.clone();
        if self.destination().duplicates == Duplicates::Fold {
            // Combining settles these next, among all sources at once.
            let of_merge = ["U02", "U03"].into_iter().filter_map(rules::rule).map(rules::Described::id);
            rules.skip.extend(of_merge);
        }
        let how = RepairPlan {
            rules,
            consent: self.plan.consent.clone(),
            options: CheckOptions::default(),
            ..RepairPlan::default()
        };
        let repaired = repair(calendar, &of_plan.reading.zones, &how).edited;
        prepared.changes.extend(repaired.changes);
        prepared.account += repaired.account;
        repaired.calendar
    }

    fn combine(
        &self,
        existing: Option<MergeInput<'t>>,
        prepared: Prepared<'t>,
        sources: &[Source<'t>],
        window: Option<Window>,
        found: &mut FollowUp,
    ) -> anyhow::Result<Made> {
        let destination = self.destination();
        let options = MergeOptions {
            clash: destination.clash,
            duplicates: destination.duplicates,
            name: destination.calendar_name.clone(),
            // Nobody is asked about pairs here; `merge --review` is for that.
            look_alikes: LookAlikes::Leave,
            ..MergeOptions::default()
        };
        let merged = merge(existing, prepared.inputs, options);
        let mut warnings = prepared.warnings;
        warnings.extend(merged.warnings.iter().map(warning_in_words));
        let choices = house_reading(self.plan).zones;
        let mut edited = merged.into_edited(&choices);
        edited.changes.splice(..0, prepared.changes);
        edited.account += prepared.account;
        if let (Some(fitting), Some(window)) = (&destination.fitting, window) {
            let options = fitting.options(window, Ceiling::default());
            warnings.extend(fit(&mut edited, &options, &choices).iter().map(unfit_in_words));
            found.look_at_changes(&edited.changes);
        }
        self.made(edited, prepared.outside, warnings, sources)
    }

    /// The files of the destination, and the proof of them.
    fn made(
        &self,
        edited: Edited<'t>,
        outside: usize,
        mut warnings: Vec<String>,
        sources: &[Source<'t>],
    ) -> anyhow::Result<Made> {
        let destination = self.destination();
        let columns = destination.fitting.as_ref().and_then(|fitting| fitting.columns.clone());
        let form = TableForm { options: WriteOptions { columns, ..WriteOptions::default() }, encoding: None };
        let recording = Recording { for_proof: self.tracking, ..Recording::default() };
        let output = Output::of_plan(&destination.path, self.guard, recording, form)?;
        let shape = destination.fitting.as_ref().map_or(Shape::AsInputs, Shape::Fitted);
        let (draft, written) = output.draft_one(sources, edited, &shape, Vec::new())?;
        warnings.extend(written.too_big.iter().cloned());
        let (files, receipt) = draft.into_files();
        let proof = if self.plan.reconcile {
            progress::doing(&format!("proving {}", destination.name));
            self.proof(&files, receipt.as_ref(), outside)?
        } else {
            None
        };
        let (name, path) = (destination.name.clone(), destination.path.display().to_string());
        let result = DestinationResult { name, path, written, proof, warnings, outside };
        Ok(Made { result, files, receipt })
    }

    /// The sources, read again, against the bytes that will be written.
    fn proof(
        &self,
        files: &[(Target, Vec<u8>)],
        receipt: Option<&Receipt>,
        outside: usize,
    ) -> anyhow::Result<Option<Reconciliation>> {
        let results = files.iter().filter(|(target, _)| target.is_result());
        let results: Vec<SourceFile> = results
            .map(|(target, bytes)| SourceFile {
                path: target.shown().to_owned(),
                bytes: bytes.clone(),
                named_by: NamedBy::Person,
                cannot: None,
                book: None,
            })
            .collect();
        let house = house_reading(self.plan);
        let texts = decode(&results, &house)?;
        let results = read(&texts, &house)?;
        let (mut sources, mut private, mut masked) = (Vec::new(), 0, 0);
        for (of_plan, mut source) in self.sources(&mut Vec::new())? {
            // What the plan hides is in no report of it, and stays where it was.
            for loaded in &mut source.loaded {
                let hidden = hide_private(&mut loaded.calendar, of_plan.private);
                private += hidden.count();
                masked += hidden.masked;
            }
            sources.push(source);
        }
        let stayed = [
            Stayed { field: "outside-window", count: outside, what: "outside the plan's window" },
            Stayed { field: "private-events", count: private, what: "private" },
            Stayed { field: "private-words", count: masked, what: "private, whose times alone are moved" },
        ];
        let unread = unread(&sources, &[]);
        let options =
            ProofOptions { accepted: &self.plan.accept, unread, stayed: &stayed, ..ProofOptions::default() };
        let explanations = Explanations::of(receipt.map_or(&[], std::slice::from_ref));
        Ok(reconcile(&views(&sources), &views(&results), &options, &explanations))
    }
}

/// What was left out of a calendar as private.
#[derive(Default)]
struct Hidden {
    events: usize,
    /// Changed dates of series that are shown.
    dates: usize,
    /// Tasks, journals and others.
    others: ComponentCounts,
    /// Events that are shown without their words, whole or at some dates.
    masked: usize,
}

impl Hidden {
    fn count(&self) -> usize {
        let ComponentCounts { tasks, journals, others, .. } = self.others;
        self.events + self.dates + tasks + journals + others
    }
}

/// Leaves private events out or takes their words, before anything else is done
/// to them: what is changed later is told in reports.
fn hide_private(calendar: &mut Calendar<'_>, private: Private) -> Hidden {
    if private == Private::Include {
        return Hidden::default();
    }
    let showing = Showing { show: Show::All, private, uids: Uids::Keep, attachments: Attachments::Keep };
    let mut hidden = Hidden::default();
    let all = std::mem::take(&mut calendar.series);
    calendar.series.reserve(all.len());
    for series in &all {
        match shown(series, series, &showing) {
            None => hidden.events += 1,
            Some(kept) => {
                let is_private = |event: &Event<'_>| event.classification() > Classification::Public;
                hidden.masked += usize::from(private == Private::Mask && series.events().any(is_private));
                hidden.dates += series.overrides().len() - kept.overrides().len();
                calendar.series.push(kept);
            }
        }
    }
    let others = calendar.others.extract_if(.., |other| !shows(&other.it, &showing));
    hidden.others = others.map(|other| ComponentKind::of(other.it.name())).collect();
    hidden
}
