//! The whole way of a plan: carried out, reported, written.

use super::carried_out::{CarriedOut, carry_out};
use super::pages::reports_of;
use super::resolved::Plan;
use super::written::{Done, How, finish};
use crate::output::{Existing, Folder, Role, Target};
use crate::terminal::progress;

/// Carries a plan out, and writes what came of it. Nothing is written before all
/// of it is known.
pub(crate) fn perform(plan: &Plan, how: &How) -> anyhow::Result<(CarriedOut, Done)> {
    if let Some(bytes) = how.memory {
        plan.read.memory.allow(bytes);
    }
    let mut carried = carry_out(plan, how.recording.tracking())?;
    if let Some(path) = &plan.report {
        progress::doing("making the report");
        for (path, bytes) in reports_of(plan, &carried, path)? {
            let claim = carried.guard.claim(&path, Role::Report, Existing::Replace, Folder::Make)?;
            carried.files.push((Target::File(claim), bytes));
        }
        progress::step_done();
    }
    let done = finish(plan, &carried, how)?;
    Ok((carried, done))
}

/// How many steps [`perform`] reports.
pub(crate) fn steps_of(plan: &Plan) -> usize {
    plan.sources.len() + plan.destinations.len() + usize::from(plan.report.is_some())
}
