//! The files of a plan → their places: what would come out the same is left, and
//! only what an earlier run of the plan has written is replaced.

use std::collections::BTreeMap;
use std::path::Path;

use anyhow::bail;
use serde::{Deserialize, Serialize};

use super::carried_out::CarriedOut;
use super::resolved::Plan;
use crate::output::{
    Batch, Claim, Existing, Folder, Mode, Readers, Recording, Role, Target, digest, there_now,
};

/// What may be replaced.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Replace {
    /// What an earlier run of the plan has written.
    Own,
    /// Anything.
    All,
    /// Anything, and what would come out the same is written again.
    Again,
}

/// How a plan is written.
pub(crate) struct How {
    pub(crate) mode: Mode,
    pub(crate) replace: Replace,
    pub(crate) recording: Recording,
    /// How many bytes of memory reading may take, if a person says so.
    pub(crate) memory: Option<u64>,
}

/// What was written in the end.
pub(crate) struct Done {
    /// Empty if everything stood there already.
    pub(crate) outputs: Vec<String>,
    pub(crate) run: Option<i64>,
    /// Files of an earlier run that this one does not write.
    pub(crate) stale: Vec<String>,
    pub(crate) is_dry_run: bool,
}

/// What a run of this plan has written, to tell its own files from others'.
#[derive(Default, Serialize, Deserialize)]
struct PlanRecord {
    outputs: BTreeMap<String, String>,
}

/// Writes the files of a plan, and records them.
pub(crate) fn finish(plan: &Plan, carried: &CarriedOut, how: &How) -> anyhow::Result<Done> {
    let guard = &carried.guard;
    let claim = |path: &Path, role| guard.claim(path, role, Existing::Replace, Folder::Refuse);
    let own = claim(&plan.path.with_extension("outputs.json"), Role::PlanRecord)?;
    let receipt = how.recording.receipt_path().map(|path| claim(path, Role::Receipt)).transpose()?;
    how.recording.ensure_ledger_apart(guard)?;
    let earlier: PlanRecord =
        there_now(&own).and_then(|bytes| serde_json::from_slice(&bytes).ok()).unwrap_or_default();
    let mut now = PlanRecord::default();
    let due = due(carried, &earlier, &mut now, how)?;
    let is_stale = |path: &&String| !now.outputs.contains_key(*path) && Path::new(path).exists();
    let stale: Vec<String> = earlier.outputs.keys().filter(is_stale).cloned().collect();
    let mut outputs: Vec<String> = due.iter().map(|(claim, _)| claim.shown().to_owned()).collect();
    let is_dry_run = how.mode == Mode::DryRun;
    if due.is_empty() || is_dry_run {
        return Ok(Done { outputs, run: None, stale, is_dry_run });
    }
    let mut batch = Batch::new(how.mode, guard, Readers::AsUsual);
    for (claim, bytes) in due {
        batch.add(Target::File(claim), bytes.to_vec());
    }
    let mut record = serde_json::to_vec_pretty(&now)?;
    record.push(b'\n');
    batch.add(Target::File(own), record);
    if let (Some(claim), Some(receipt)) = (receipt, &carried.receipt) {
        outputs.push(claim.shown().to_owned());
        batch.add(Target::File(claim), receipt.to_json());
    }
    let run = how.recording.enter_beside(carried.receipt.as_ref(), || batch.place())?;
    Ok(Done { outputs, run, stale, is_dry_run })
}

/// The files that do not stand there as they would come out. A file that is
/// nobody's of this plan is refused.
fn due<'c>(
    carried: &'c CarriedOut,
    earlier: &PlanRecord,
    now: &mut PlanRecord,
    how: &How,
) -> anyhow::Result<Vec<(Claim, &'c [u8])>> {
    let mut due = Vec::new();
    for (target, bytes) in &carried.files {
        let Target::File(claim) = target else { continue };
        let shown = claim.shown();
        let known = carried.receipt.iter().flat_map(|receipt| &receipt.outputs);
        let known = known.into_iter().find(|output| output.path == shown);
        let own = known.map_or_else(|| digest(bytes), |output| output.sha256.clone());
        now.outputs.insert(shown.to_owned(), own);
        let there = there_now(claim);
        if there.as_deref() == Some(bytes.as_slice()) && how.replace != Replace::Again {
            continue;
        }
        let is_own =
            || there.as_ref().is_some_and(|there| earlier.outputs.get(shown) == Some(&digest(there)));
        if there.is_some() && how.replace == Replace::Own && !is_own() {
            bail!("`{shown}` is not as a run of this plan has left it; --overwrite replaces it");
        }
        due.push((claim.clone(), bytes.as_slice()));
    }
    // The page tells of this run; it is no reason to do the rest again.
    let has_news = due.iter().any(|(claim, _)| !claim.is_report());
    if !has_news && how.replace != Replace::Again {
        due.retain(|(claim, _)| !claim.path().exists());
    }
    Ok(due)
}
