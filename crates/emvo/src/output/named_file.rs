//! A single file that was named for what a command finds, such as a list or a
//! report.

use std::path::Path;

use super::batch::Batch;
use super::guard::{Claim, Existing, Folder, Guard, Role};
use super::staged::Readers;
use super::target::{Kind, Mode, Target};
use super::workbook::workbook;

/// A file that a command writes besides its answer, if one was named.
pub(crate) struct NamedFile {
    claim: Option<Claim>,
    guard: Guard,
}

impl NamedFile {
    /// Claims the path, if there is one.
    pub(crate) fn at(
        path: Option<&Path>,
        role: Role,
        existing: Existing,
        guard: &Guard,
    ) -> anyhow::Result<Self> {
        let claim = path.map(|path| guard.claim(path, role, existing, Folder::Refuse)).transpose()?;
        Ok(Self { claim, guard: guard.clone() })
    }

    /// Its path.
    pub(crate) fn path(&self) -> Option<&Path> {
        self.claim.as_ref().map(Claim::path)
    }

    /// The same, as people know it.
    pub(crate) fn shown(&self) -> Option<String> {
        self.claim.as_ref().map(|claim| claim.shown().to_owned())
    }

    /// The file, to be written as part of a result.
    pub(crate) fn ready(
        &self,
        bytes: impl FnOnce() -> anyhow::Result<Vec<u8>>,
    ) -> anyhow::Result<Option<(Target, Vec<u8>)>> {
        let made = |claim: Claim| {
            let bytes = in_form_of(claim.path(), bytes()?)?;
            Ok((Target::File(claim), bytes))
        };
        self.claim.clone().map(made).transpose()
    }

    /// Adds the file to others that are written with it.
    pub(crate) fn add_to(
        &self,
        batch: &mut Batch,
        bytes: impl FnOnce(&Path) -> anyhow::Result<Vec<u8>>,
    ) -> anyhow::Result<()> {
        if let Some(claim) = &self.claim {
            batch.add(Target::File(claim.clone()), in_form_of(claim.path(), bytes(claim.path())?)?);
        }
        Ok(())
    }

    /// Writes the file, whole or not at all; makes its bytes only where it is
    /// wanted.
    pub(crate) fn write(&self, bytes: impl FnOnce(&Path) -> anyhow::Result<Vec<u8>>) -> anyhow::Result<()> {
        self.write_for(Readers::AsUsual, bytes)
    }

    /// The same, with who may read it.
    pub(crate) fn write_for(
        &self,
        readers: Readers,
        bytes: impl FnOnce(&Path) -> anyhow::Result<Vec<u8>>,
    ) -> anyhow::Result<()> {
        let mut batch = Batch::new(Mode::Write, &self.guard, readers);
        self.add_to(&mut batch, bytes)?;
        batch.place()
    }
}

/// A sheet in the form that its name says: rows as text, or a spreadsheet's own file.
fn in_form_of(path: &Path, bytes: Vec<u8>) -> anyhow::Result<Vec<u8>> {
    if Kind::of_path(path) == Some(Kind::Xlsx) { workbook(&bytes) } else { Ok(bytes) }
}

/// Whether a name is that of a sheet, as text or as a spreadsheet's own file.
pub(crate) fn is_sheet(path: &Path) -> bool {
    matches!(Kind::of_path(path), Some(Kind::Csv | Kind::Xlsx))
}
