//! A single file that was named for what a command finds, such as a list or a
//! report.

use std::path::Path;

use super::batch::Batch;
use super::guard::{Claim, Existing, Folder, Guard, Role};
use super::staged::Readers;
use super::target::{Mode, Target};

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
        self.claim.clone().map(|claim| Ok((Target::File(claim), bytes()?))).transpose()
    }

    /// Adds the file to others that are written with it.
    pub(crate) fn add_to(
        &self,
        batch: &mut Batch,
        bytes: impl FnOnce(&Path) -> anyhow::Result<Vec<u8>>,
    ) -> anyhow::Result<()> {
        if let Some(claim) = &self.claim {
            batch.add(Target::File(claim.clone()), bytes(claim.path())?);
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
