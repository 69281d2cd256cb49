//! The exports of a plan as they came, kept beside what is made of them.

use std::path::PathBuf;

use anyhow::bail;

use super::resolved::Plan;
use crate::input::{SourceText, files_on_disk, read};
use crate::job::packing::Packing;
use crate::output::backup::{Against, checked};

/// A backup of all sources, held against what was packed before anybody relies on it.
pub(super) fn backup_of(plan: &Plan, texts: &[Vec<SourceText<'_>>]) -> anyhow::Result<Vec<u8>> {
    let (mut packing, mut all) = (Packing::default(), Vec::new());
    for (source, texts) in plan.sources.iter().zip(texts) {
        let mut sources = read(texts, &source.reading)?;
        packing.add_calendars(&mut sources, &source.reading)?;
        all.append(&mut sources);
    }
    // An export that several sources take calendars from is kept once.
    let mut files: Vec<PathBuf> = Vec::new();
    for file in plan.sources.iter().flat_map(|source| &source.files) {
        if !files.contains(file) {
            files.push(file.clone());
        }
    }
    let on_disk = files_on_disk(&files, None)?;
    packing.add_originals(&on_disk, &all, &plan.read)?;
    let Packing { manifest, contents, .. } = packing;
    let zip = contents.zipped(&manifest, None)?;
    if let Some(fault) = checked(&zip, None, Against::Contents(&contents))?.faults.first() {
        bail!("the backup does not read back, so nothing was written: {fault}");
    }
    Ok(zip)
}
