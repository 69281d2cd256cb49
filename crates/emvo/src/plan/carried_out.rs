//! A plan carried out in memory: everything is known before anything is written.

use emvo_core::edit::{Account, Change};
use emvo_core::receipt::Receipt;
use emvo_core::reconcile::Verdict;

use super::backup::backup_of;
use super::destination_run::{DestinationResult, DestinationRun, house_reading};
use super::follow_up::{FollowUp, follow_up};
use super::resolved::{Plan, PlanSource};
use crate::input::{EventTracking, Opening, SourceFile, SourceText, decode, gather};
use crate::output::{Existing, Folder, Guard, Role, Target};
use crate::terminal::progress;

/// A plan, carried out: nothing is written yet.
pub(crate) struct CarriedOut {
    pub(crate) guard: Guard,
    pub(crate) files: Vec<(Target, Vec<u8>)>,
    pub(crate) destinations: Vec<DestinationResult>,
    /// The receipts of all destinations in one, if somebody keeps it.
    pub(crate) receipt: Option<Receipt>,
    pub(crate) follow_up: Vec<String>,
}

impl CarriedOut {
    pub(crate) fn needs_a_look(&self) -> bool {
        self.destinations.iter().any(|one| {
            one.written.is_incomplete()
                || !one.warnings.is_empty()
                || !one.by_hand.list.is_empty()
                || one
                    .proof
                    .as_ref()
                    .is_some_and(|proof| proof.verdict == Verdict::Incomplete || proof.release.needs_a_look())
        })
    }

    /// The sum over all destinations.
    pub(crate) fn account(&self) -> Account {
        let mut account = Account::default();
        self.destinations.iter().for_each(|one| account += one.account());
        account
    }

    /// What was changed for any destination, in order.
    pub(crate) fn changes(&self) -> impl Iterator<Item = &Change> {
        self.destinations.iter().flat_map(|one| &one.written.changes)
    }
}

/// Carries a plan out; `kept` says whether somebody keeps its receipt.
pub(crate) fn carry_out(plan: &Plan, kept: EventTracking) -> anyhow::Result<CarriedOut> {
    let read = |source: &PlanSource| {
        let files = gather(&source.files, None, Opening::default(), &plan.read);
        progress::step_done();
        files
    };
    let files: Vec<Vec<SourceFile>> = plan.sources.iter().map(read).collect::<anyhow::Result<_>>()?;
    let with_files = plan.sources.iter().zip(&files);
    let texts: Vec<Vec<SourceText<'_>>> =
        with_files.map(|(source, files)| decode(files, &source.reading)).collect::<anyhow::Result<_>>()?;
    let house = house_reading(plan);
    let existing = plan
        .destinations
        .iter()
        .map(|one| gather(one.existing.as_slice(), None, Opening::default(), &plan.read));
    let there: Vec<Vec<SourceFile>> = existing.collect::<anyhow::Result<_>>()?;
    let there: Vec<Vec<SourceText<'_>>> =
        there.iter().map(|files| decode(files, &house)).collect::<anyhow::Result<_>>()?;
    let guard = Guard::new(&plan.read);
    let tracking = if plan.reconcile { EventTracking::On } else { kept };
    let mut all = CarriedOut {
        guard: guard.clone(),
        files: Vec::new(),
        destinations: Vec::new(),
        receipt: None,
        follow_up: Vec::new(),
    };
    let mut found = FollowUp::default();
    for (number, destination) in plan.destinations.iter().enumerate() {
        progress::doing(&format!("combining into {}", destination.name));
        let there = &there[number];
        let made = DestinationRun { plan, guard: &guard, number, there, texts: &texts, tracking };
        let made = made.run(&mut found)?;
        all.destinations.push(made.result);
        all.files.extend(made.files);
        all.receipt = joined(all.receipt, made.receipt);
        progress::step_done();
    }
    all.follow_up = follow_up(&found);
    if let Some(path) = &plan.backup {
        progress::doing("packing the exports as they came");
        let claim = guard.claim(path, Role::Backup, Existing::Replace, Folder::Make)?;
        all.files.push((Target::File(claim), backup_of(plan, &texts)?));
    }
    Ok(all)
}

/// The sum of two receipts.
fn joined(all: Option<Receipt>, one: Option<Receipt>) -> Option<Receipt> {
    let (Some(mut all), Some(one)) = (all.clone(), one.clone()) else { return all.or(one) };
    all.balance += one.balance;
    all.tasks += one.tasks;
    all.journals += one.journals;
    all.others += one.others;
    all.inputs.extend(one.inputs);
    all.outputs.extend(one.outputs);
    all.left_behind.extend(one.left_behind);
    all.events.extend(one.events);
    all.changes.extend(one.changes);
    Some(all)
}
