//! What a plan does for one of its destinations: its sources repaired, windowed,
//! combined, fitted, and proved, all in memory.

use anyhow::Context;
use emvo_core::edit::{Account, Change, Count, Edited};
use emvo_core::merge::{Duplicates, LookAlikes, MergeInput, MergeOptions, TakenOut, apply_incoming, merge};
use emvo_core::receipt::Receipt;
use emvo_core::reconcile::{Reconciliation, ThenNow};
use emvo_core::redact::Show;
use emvo_core::rules::{self, CheckOptions, RepairPlan, repair};
use emvo_core::survey::default_window;
use emvo_core::table::WriteOptions;
use emvo_core::view::CalendarView;
use emvo_ical::calendar::Calendar;
use emvo_ical::recurrence::{Ceiling, Window, has_date_in};
use emvo_ical::zone::{ZoneChoices, ZoneResolver};

use super::follow_up::FollowUp;
use super::hidden::{hide, is_hiding};
use super::resolved::{Destination, Plan, PlanSource, Repairs, Writes};
use crate::answer::advice::{doubling_in_words, unfit_in_words, warning_in_words};
use crate::answer::by_hand::ByHand;
use crate::answer::combined::ByHandTold;
use crate::input::{
    EventTracking, Loaded, Reading, Source, SourceText, read, tell_of_readings, tell_of_tables, track_events,
};
use crate::job::only_new::{Held, unread_there};
use crate::output::{
    Existing, Folder, Guard, Output, Recording, Role, Shape, TableForm, Target, Written, fit, in_form_of,
};
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
    /// What a destination without updates leaves to a person.
    pub(crate) by_hand: ByHandTold,
}

impl DestinationResult {
    pub(crate) fn account(&self) -> Account {
        self.written.account
    }

    /// What is left to a person, and where that is listed.
    pub(crate) fn by_hand_line(&self) -> Option<String> {
        self.by_hand.line("by_hand = \"list.csv\"")
    }

    /// The calendars of its sources, then and now; none where nothing was compared.
    pub(crate) fn then_and_now(&self) -> impl Iterator<Item = &ThenNow> {
        self.proof.iter().flat_map(|proof| &proof.then_and_now)
    }
}

/// A destination's result with its files.
pub(super) struct Made {
    pub(super) result: DestinationResult,
    pub(super) files: Vec<(Target, Vec<u8>)>,
    pub(super) receipt: Option<Receipt>,
}

/// What a destination holds, compared with what is to come, which loses what is there already.
fn caught_up<'t>(existing: &MergeInput<'t>, incoming: &mut [MergeInput<'t>]) -> (Held, TakenOut) {
    let views: Vec<_> = incoming.iter().map(view_of).collect();
    let mut held = Held::between(&[view_of(existing)], &views, &[]);
    let known = held.take_out(incoming);
    (held, known)
}

fn view_of<'i, 'a>(input: &'i MergeInput<'a>) -> CalendarView<'i, 'a> {
    CalendarView { calendar: &input.calendar, zones: &input.zones, path: &input.label }
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
    pub(super) fn destination(&self) -> &Destination {
        &self.plan.destinations[self.number]
    }

    /// The sources of this destination, each with its part of the plan; what was not
    /// read is told.
    pub(super) fn sources(
        &self,
        not_read: &mut Vec<String>,
    ) -> anyhow::Result<Vec<(&PlanSource, Source<'t>)>> {
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
        let there = match self.destination().writes {
            Writes::All => there,
            // What is compared only is no part of what is written.
            Writes::OnlyNew { .. } => {
                prepared.warnings.extend(unread_there(&there));
                Vec::new()
            }
        };
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
                if is_hiding(&of_plan.showing) {
                    // Which of them are private is only known from here on.
                    placed.changes.iter_mut().for_each(|change| change.title.clear());
                }
                prepared.account.events.folded += placed.folded;
                prepared.changes.append(&mut placed.changes);
            }
            // Of what is shown in part no more is told than is shown.
            let is_shown_whole = of_plan.showing.show == Show::All;
            if is_shown_whole {
                found.look_at(&loaded.calendar);
            }
            let hidden = hide(&mut loaded.calendar, &loaded.zones, &of_plan.showing);
            if !is_shown_whole {
                found.look_at(&loaded.calendar);
            }
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
        mut prepared: Prepared<'t>,
        sources: &[Source<'t>],
        window: Option<Window>,
        found: &mut FollowUp,
    ) -> anyhow::Result<Made> {
        let destination = self.destination();
        let (existing, caught_up) = match (&destination.writes, existing) {
            (Writes::OnlyNew { .. }, Some(existing)) => {
                (None, Some(caught_up(&existing, &mut prepared.inputs)))
            }
            (_, existing) => (existing, None),
        };
        let options = MergeOptions {
            clash: destination.clash,
            duplicates: destination.duplicates,
            name: destination.calendar_name.clone(),
            // Nobody is asked about pairs here; `merge --review` is for that.
            look_alikes: LookAlikes::Leave,
            ..MergeOptions::default()
        };
        let mut merged = merge(existing, prepared.inputs, options);
        let mut warnings = prepared.warnings;
        if destination.existing.is_some() && destination.writes == Writes::All {
            warnings.extend(doubling_in_words(destination.fitting.as_ref(), "only_new = true"));
        }
        let by_hand = caught_up.map(|(held, known)| {
            merged.folds.splice(..0, known.folds);
            merged.changes.splice(..0, known.changes);
            merged.account += known.account;
            warnings.extend(held.warnings);
            held.by_hand
        });
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
        self.made(edited, prepared.outside, (warnings, by_hand.unwrap_or_default()), sources)
    }

    /// The files of the destination, and the proof of them.
    fn made(
        &self,
        edited: Edited<'t>,
        outside: usize,
        (mut warnings, by_hand): (Vec<String>, ByHand),
        sources: &[Source<'t>],
    ) -> anyhow::Result<Made> {
        let destination = self.destination();
        let columns = destination.columns.clone();
        let form = TableForm { options: WriteOptions { columns, ..WriteOptions::default() }, encoding: None };
        let recording = Recording { for_proof: self.tracking, ..Recording::default() };
        let mut output = Output::of_plan(&destination.path, self.guard, recording, form)?;
        if self.plan.sources.iter().any(|source| source.into == self.number && is_hiding(&source.showing)) {
            // What cannot be read says what is hidden.
            output.keep_nothing_beside("it stays in the inputs");
        }
        let shape = destination.fitting.as_ref().map_or(Shape::AsInputs, Shape::Fitted);
        let (draft, written) = output.draft_one(sources, edited, &shape, Vec::new())?;
        warnings.extend(written.too_big.iter().cloned());
        let (mut files, receipt) = draft.into_files();
        let by_hand = self.by_hand(by_hand, &mut files)?;
        let proof = if self.plan.reconcile {
            progress::doing(&format!("proving {}", destination.name));
            self.proof(&files, receipt.as_ref(), outside)?
        } else {
            None
        };
        let (name, path) = (destination.name.clone(), destination.path.display().to_string());
        let result = DestinationResult { name, path, written, proof, warnings, outside, by_hand };
        Ok(Made { result, files, receipt })
    }

    /// The list of what is left to a person, if there is anything and a place for it.
    fn by_hand(&self, list: ByHand, files: &mut Vec<(Target, Vec<u8>)>) -> anyhow::Result<ByHandTold> {
        let path = match &self.destination().writes {
            Writes::OnlyNew { by_hand: Some(path) } => path,
            Writes::OnlyNew { by_hand: None } | Writes::All => return Ok(ByHandTold { list, path: None }),
        };
        let claim = self.guard.claim(path, Role::ByHand, Existing::Replace, Folder::Make)?;
        files.push((Target::File(claim), in_form_of(path, list.bytes(path)?)?));
        Ok(ByHandTold { list, path: Some(path.display().to_string()) })
    }
}
