//! A plan carried out in memory: everything is known before anything is written.

use anyhow::Context;
use emvo_core::merge::{Duplicates, LookAlikes, MergeInput, MergeOptions, merge, outfit};
use emvo_core::receipt::{Balance, Change, Receipt};
use emvo_core::reconcile::{Explanations, Reconciliation, Verdict, reconcile};
use emvo_core::redact::{Attachments, Private, Show, Showing, Uids, shown};
use emvo_core::rules::{self, CheckOptions, RepairPlan, repair};
use emvo_core::survey::default_window;
use emvo_core::table::CannotCarry;
use emvo_ical::calendar::Calendar;
use emvo_ical::recurrence::{Ceiling, Window, has_date_in};
use emvo_ical::zone::ZoneResolver;
use rayon::prelude::*;

use super::follow_up::{FollowUp, follow_up};
use super::{joined, tell};
use crate::commands::fitting::{Spread, fit};
use crate::commands::per_input::{Changed, TableForm, bytes_of, set_aside_in, unsound_of};
use crate::commands::reconcile::sides;
use crate::gather::{NamedBy, SourceFile, gather};
use crate::output::{Kind, Mode, OutputPlan, Pending, Target, set_aside_files};
use crate::plan::{Destination, Plan, PlanSource, Repairs};
use crate::progress;
use crate::record::{Deeds, Noting, receipt_of};
use crate::settle::Reading;
use crate::source::{self, Loaded, Source, SourceText};

/// A plan, carried out: nothing is written yet.
pub(crate) struct Carried {
    pub(crate) files: Vec<Pending>,
    report: Option<Target>,
    pub(crate) destinations: Vec<Arrived>,
    pub(crate) receipt: Receipt,
    pub(crate) changes: Vec<Change>,
    pub(crate) follow_up: Vec<String>,
}

/// What came of one destination.
pub(crate) struct Arrived {
    pub(crate) name: String,
    pub(crate) path: String,
    pub(crate) balance: Balance,
    pub(crate) proof: Option<Reconciliation>,
    pub(crate) warnings: Vec<String>,
    /// Events that lie wholly outside the plan's window (D11).
    pub(crate) outside: usize,
}

impl Carried {
    pub(crate) fn needs_a_look(&self) -> bool {
        self.destinations.iter().any(|one| {
            one.balance.set_aside > 0
                || !one.warnings.is_empty()
                || one.proof.as_ref().is_some_and(|proof| proof.verdict == Verdict::Incomplete)
        })
    }

    pub(crate) fn is_report(&self, target: &Target) -> bool {
        self.report.as_ref() == Some(target)
    }
}

/// A destination and its texts.
struct Road<'p, 't> {
    plan: &'p Plan,
    number: usize,
    /// What the destination holds already.
    there: &'t [SourceText<'t>],
    /// The texts of all sources of the plan.
    texts: &'t [Vec<SourceText<'t>>],
    /// Whether it is noted how events are read: for whoever keeps the receipt,
    /// and for the proof.
    noting: Noting,
}

/// How many steps [`carry_out`] tells.
pub(crate) fn steps_of(plan: &Plan) -> usize {
    plan.sources.len() + plan.destinations.len() + usize::from(plan.report.is_some())
}

pub(crate) fn carry_out(plan: &Plan, kept: Noting) -> anyhow::Result<Carried> {
    let read = |source: &PlanSource| {
        let files = gather(&source.files, None, None);
        progress::step_done();
        files
    };
    let files: Vec<Vec<SourceFile>> = plan.sources.iter().map(read).collect::<anyhow::Result<_>>()?;
    let texts: Vec<Vec<SourceText<'_>>> = plan
        .sources
        .iter()
        .zip(&files)
        .map(|(source, files)| source::decode(files, &source.reading))
        .collect::<anyhow::Result<_>>()?;
    let house = there_reading(plan);
    let there_files: Vec<Vec<SourceFile>> = plan
        .destinations
        .iter()
        .map(|one| gather(one.existing.as_slice(), None, None))
        .collect::<anyhow::Result<_>>()?;
    let there: Vec<Vec<SourceText<'_>>> =
        there_files.iter().map(|files| source::decode(files, &house)).collect::<anyhow::Result<_>>()?;
    ensure_inputs_stay(plan, files.iter().chain(&there_files).flatten())?;
    let mut all = Carried {
        files: Vec::new(),
        report: None,
        destinations: Vec::new(),
        receipt: Receipt::default(),
        changes: Vec::new(),
        follow_up: Vec::new(),
    };
    let (mut receipts, mut found) = (Vec::new(), FollowUp::default());
    for (number, destination) in plan.destinations.iter().enumerate() {
        progress::doing(&format!("combining into {}", destination.name));
        let noting = if plan.reconcile { Noting::Events } else { kept };
        let way = Road { plan, number, there: &there[number], texts: &texts, noting };
        let arrival = way.travel(&mut found)?;
        all.destinations.push(arrival.arrived);
        all.files.extend(arrival.files);
        all.changes.extend(arrival.changes);
        receipts.push(arrival.receipt);
        progress::step_done();
    }
    all.receipt = joined(receipts);
    all.follow_up = follow_up(&found);
    if let Some(path) = &plan.report {
        progress::doing("making the report");
        let file = tell::report(plan, &all, path)?;
        all.report = Some(file.target.clone());
        all.files.push(file);
        progress::step_done();
    }
    Ok(all)
}

fn there_reading(plan: &Plan) -> Reading {
    let zones = emvo_ical::zone::ZoneChoices { house: plan.zone.clone(), ..Default::default() };
    Reading { zones, ..Reading::plain() }
}

/// No destination is a file that is read: inputs are never changed.
fn ensure_inputs_stay<'f>(
    plan: &Plan,
    mut files: impl Iterator<Item = &'f SourceFile>,
) -> anyhow::Result<()> {
    let is_output = |file: &&SourceFile| {
        let on_disk = file.on_disk.as_deref();
        on_disk.is_some_and(|input| {
            plan.destinations.iter().any(|one| same_file::is_same_file(&one.path, input).unwrap_or(false))
        })
    };
    match files.find(is_output) {
        Some(file) => anyhow::bail!(
            "the destination `{}` is an input; inputs are never changed, name another file",
            file.path
        ),
        None => Ok(()),
    }
}

/// What came of a road.
struct Arrival {
    arrived: Arrived,
    files: Vec<Pending>,
    receipt: Receipt,
    changes: Vec<Change>,
}

/// What the sources of a destination come to, before they are combined.
#[derive(Default)]
struct Prepared<'t> {
    inputs: Vec<MergeInput<'t>>,
    changes: Vec<Change>,
    added: usize,
    folded: usize,
    removed: usize,
    outside: usize,
}

impl<'t> Road<'_, 't> {
    fn destination(&self) -> &Destination {
        &self.plan.destinations[self.number]
    }

    /// The sources of this destination, each with its part of the plan.
    fn sources(&self) -> anyhow::Result<Vec<(&PlanSource, Source<'t>)>> {
        let mut all = Vec::new();
        for (of_plan, texts) in self.plan.sources.iter().zip(self.texts) {
            if of_plan.into == self.number {
                let read = source::read(texts, &of_plan.reading)
                    .with_context(|| format!("source `{}`", of_plan.pattern))?;
                all.extend(read.into_iter().map(|source| (of_plan, source)));
            }
        }
        Ok(all)
    }

    fn travel(&self, found: &mut FollowUp) -> anyhow::Result<Arrival> {
        let house = there_reading(self.plan);
        let mut there = if self.there.is_empty() { Vec::new() } else { source::read(self.there, &house)? };
        let mut sources = self.sources()?;
        if let Some(one) = there.first().filter(|one| one.loaded.len() != 1) {
            anyhow::bail!("`existing` {} holds {} calendars; it has to be one", one.path, one.loaded.len());
        }
        if self.noting == Noting::Events {
            source::note_events(there.iter_mut().chain(sources.iter_mut().map(|(_, source)| source)));
        }
        let read = there.iter().chain(sources.iter().map(|(_, source)| source));
        let window = default_window(read.flat_map(Source::calendars));
        let mut prepared = Prepared::default();
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
                prepared.folded += placed.folded;
                prepared.changes.append(&mut placed.changes);
            }
            found.look_at(&loaded.calendar);
            hide_private(&mut loaded.calendar, of_plan.private, prepared, found);
            let mut calendar = self.repaired(loaded, of_plan, prepared);
            let zones = ZoneResolver::of(&calendar, &of_plan.reading.zones);
            let all = std::mem::take(&mut calendar.series);
            for mut series in all {
                if self.plan.window.is_some_and(|window| !has_date_in(&series, &zones, window)) {
                    prepared.outside += 1;
                    prepared.removed += 1;
                    continue;
                }
                let steps = outfit(&mut series, &of_plan.incoming);
                if !steps.is_empty() {
                    prepared.changes.push(Change {
                        rule: None,
                        uid: series.uid_text().into_owned(),
                        title: series.lead().title().unwrap_or_default().into_owned(),
                        before: "as it came".to_owned(),
                        after: steps.join(", "),
                    });
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
        let repaired = repair(calendar, &of_plan.reading.zones, &how);
        prepared.changes.extend(repaired.changes);
        prepared.added += repaired.added;
        prepared.folded += repaired.folded;
        repaired.calendar
    }

    fn combine(
        &self,
        existing: Option<MergeInput<'t>>,
        prepared: Prepared<'t>,
        sources: &[Source<'t>],
        window: Option<Window>,
        found: &mut FollowUp,
    ) -> anyhow::Result<Arrival> {
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
        let mut warnings: Vec<String> = merged.warnings.iter().map(ToString::to_string).collect();
        let zones = ZoneResolver::of(&merged.calendar, &there_reading(self.plan).zones);
        let mut steps = prepared.changes;
        steps.extend(merged.changes);
        let mut changed = Changed {
            calendar: merged.calendar,
            zones,
            changes: steps,
            added: prepared.added,
            folded: prepared.folded + merged.balance.folded,
            removed: prepared.removed,
            folds: merged.folds,
            ..Changed::default()
        };
        if let (Some(fitting), Some(window)) = (&destination.fitting, window) {
            let options = fitting.options(window, Ceiling::default());
            warnings.extend(fit(&mut changed, &options, &there_reading(self.plan).zones));
            found.look_at_changes(&changed.changes);
        }
        let kind = OutputPlan::kind_of(&destination.path);
        let form = TableForm {
            options: emvo_core::table::WriteOptions {
                columns: destination.fitting.as_ref().and_then(|fitting| fitting.columns.clone()),
                ..Default::default()
            },
            ..TableForm::default()
        };
        self.written(changed, prepared.outside, warnings, sources, kind, &form)
    }

    fn written(
        &self,
        changed: Changed<'t>,
        outside: usize,
        mut warnings: Vec<String>,
        sources: &[Source<'t>],
        kind: Kind,
        form: &TableForm,
    ) -> anyhow::Result<Arrival> {
        let destination = self.destination();
        let mut balance = Balance {
            read: sources.iter().map(|source| source.events_read).sum(),
            set_aside: sources.iter().map(set_aside_in).sum(),
            added: changed.added,
            folded: changed.folded,
            removed: changed.removed,
            ..Balance::default()
        };
        let steps = changed.changes.clone();
        let size = |all: &[&Changed<'t>]| {
            bytes_of(all, kind, form, &mut CannotCarry::new()).map_or(0, |(bytes, _)| bytes.len())
        };
        let spread = match &destination.fitting {
            Some(fitting) => fitting.spread(vec![changed], &size),
            None => Spread::of_one(vec![changed]),
        };
        warnings.extend(spread.warnings());
        let out = OutputPlan::replacing_at(&destination.path, Mode::Write);
        let mut files = Vec::new();
        for part in &spread.parts {
            let all: Vec<&Changed<'_>> = part.calendars.iter().collect();
            let (bytes, written) = bytes_of(&all, kind, form, &mut CannotCarry::new())?;
            balance.written += written;
            files.push(Pending {
                target: crate::commands::per_input::target_of(&out, part.name.as_deref(), kind)?,
                bytes,
            });
        }
        let balance = balance.ensure_sum()?;
        let results = files.len();
        let all: Vec<&Changed<'_>> = spread.parts.iter().flat_map(|part| &part.calendars).collect();
        let unsound: Vec<_> = sources.iter().flat_map(unsound_of).collect();
        let unsound: Vec<_> = unsound.iter().map(|(path, event)| (path.clone(), event)).collect();
        let whole: Vec<_> = all.iter().flat_map(|one| &one.whole).collect();
        files.extend(set_aside_files(sources, &unsound, &whole, &out)?);
        let deeds = Deeds {
            written: all.iter().map(|one| (&one.calendar, &one.zones)).collect(),
            folds: all.iter().flat_map(|one| &one.folds).collect(),
            changes: all.iter().flat_map(|one| &one.changes).collect(),
            balance,
        };
        let receipt =
            receipt_of(sources, &deeds, files.par_iter().map(Pending::record).collect(), self.noting);
        if self.plan.reconcile {
            progress::doing(&format!("proving {}", destination.name));
        }
        let proof =
            self.plan.reconcile.then(|| self.proof(&files[..results], &receipt)).transpose()?.flatten();
        let arrived = Arrived {
            name: destination.name.clone(),
            path: destination.path.display().to_string(),
            balance,
            proof,
            warnings,
            outside,
        };
        std::mem::forget(spread);
        Ok(Arrival { arrived, files, receipt, changes: steps })
    }

    /// The sources, read again, against the bytes that will be written.
    fn proof(&self, files: &[Pending], receipt: &Receipt) -> anyhow::Result<Option<Reconciliation>> {
        let results: Vec<SourceFile> = files
            .iter()
            .map(|file| SourceFile {
                path: match &file.target {
                    Target::Path(path) => path.display().to_string(),
                    Target::Stdout => "-".to_owned(),
                },
                on_disk: None,
                bytes: file.bytes.clone(),
                named_by: NamedBy::Person,
            })
            .collect();
        let house = there_reading(self.plan);
        let texts = source::decode(&results, &house)?;
        let results = source::read(&texts, &house)?;
        let sources: Vec<Source<'_>> = self.sources()?.into_iter().map(|(_, source)| source).collect();
        let (source_sides, result_sides) = (sides(&sources), sides(&results));
        let window = default_window(sources.iter().flat_map(Source::calendars));
        Ok(reconcile(
            &source_sides,
            &result_sides,
            window,
            Ceiling::default(),
            &Explanations::of(std::slice::from_ref(receipt)),
        ))
    }
}

/// Leaves private events out or takes their words, before anything else is done
/// to them: what is changed later is told in reports.
fn hide_private(
    calendar: &mut Calendar<'_>,
    private: Private,
    prepared: &mut Prepared<'_>,
    found: &mut FollowUp,
) {
    if private == Private::Include {
        return;
    }
    let showing = Showing { show: Show::All, private, uids: Uids::Keep, attachments: Attachments::Keep };
    let before = calendar.series.len();
    let all = std::mem::take(&mut calendar.series);
    calendar.series = all.iter().filter_map(|series| shown(series, &showing)).collect();
    let left_out = before - calendar.series.len();
    found.private_omitted += left_out;
    prepared.removed += left_out;
}
