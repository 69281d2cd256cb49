//! A single file that was named for what a command finds, such as a list or a
//! report.

use std::fs::File;
use std::io::{self, BufWriter, Write};
use std::path::Path;

use anyhow::Context;

use super::batch::Batch;
use super::guard::{Existing, Folder, Guard, Role};
use super::staged::Readers;
use super::target::{Kind, Mode, Target};
use super::workbook::workbook;
use crate::terminal::progress;

/// How much is written at a time of what is told line by line, in bytes.
const BUFFER: usize = 1 << 18;

/// A file that a command writes besides its answer, if one was named.
pub(crate) struct NamedFile {
    target: Option<Target>,
    guard: Guard,
}

impl NamedFile {
    /// Claims the path, if there is one; a result may go to standard output (`-`).
    pub(crate) fn at(
        path: Option<&Path>,
        role: Role,
        existing: Existing,
        guard: &Guard,
    ) -> anyhow::Result<Self> {
        let target = match path {
            None => None,
            Some(path) if role == Role::Output && path.as_os_str() == "-" => Some(Target::Stdout),
            Some(path) => Some(Target::File(guard.claim(path, role, existing, Folder::Refuse)?)),
        };
        Ok(Self { target, guard: guard.clone() })
    }

    /// Its path; none for standard output.
    pub(crate) fn path(&self) -> Option<&Path> {
        match self.target.as_ref()? {
            Target::File(claim) => Some(claim.path()),
            Target::Stdout => None,
        }
    }

    /// Whether something is written at all.
    pub(crate) fn is_named(&self) -> bool {
        self.target.is_some()
    }

    /// What people know it by; `-` for standard output.
    pub(crate) fn shown(&self) -> Option<String> {
        self.target.as_ref().map(|target| target.shown().to_owned())
    }

    /// The file, to be written as part of a result.
    pub(crate) fn ready(
        &self,
        bytes: impl FnOnce() -> anyhow::Result<Vec<u8>>,
    ) -> anyhow::Result<Option<(Target, Vec<u8>)>> {
        let made = |target: Target| {
            let bytes = in_form_of(path_of(&target), bytes()?)?;
            Ok((target, bytes))
        };
        self.target.clone().map(made).transpose()
    }

    /// Adds the file to others that are written with it.
    pub(crate) fn add_to(
        &self,
        batch: &mut Batch,
        bytes: impl FnOnce(&Path) -> anyhow::Result<Vec<u8>>,
    ) -> anyhow::Result<()> {
        if let Some(target) = &self.target {
            let path = path_of(target);
            batch.add(target.clone(), in_form_of(path, bytes(path)?)?);
        }
        Ok(())
    }

    /// Makes the file next to its place, and has it read again; `None` where there is no
    /// file to read.
    pub(crate) fn make_in<T>(
        &self,
        batch: &mut Batch,
        bytes: &[u8],
        read: impl FnOnce(File) -> anyhow::Result<T>,
    ) -> anyhow::Result<Option<T>> {
        let Some(Target::File(claim)) = &self.target else { return Ok(None) };
        batch.make(claim.clone(), |out| out.write_all(bytes), |reopen| read(reopen()?)).map(Some)
    }

    /// Writes the file, whole or not at all; makes its bytes only where it is
    /// wanted.
    pub(crate) fn write(&self, bytes: impl FnOnce(&Path) -> anyhow::Result<Vec<u8>>) -> anyhow::Result<()> {
        let mut batch = Batch::new(Mode::Write, &self.guard, Readers::AsUsual);
        self.add_to(&mut batch, bytes)?;
        batch.place()
    }

    /// Writes what `fill` tells, which is never in memory as a whole: a file whole or not at
    /// all, what goes to standard output as it is told.
    pub(super) fn write_as_told(
        &self,
        fill: impl FnOnce(&mut dyn Write) -> io::Result<()>,
    ) -> anyhow::Result<()> {
        fn buffered(out: impl Write, fill: impl FnOnce(&mut dyn Write) -> io::Result<()>) -> io::Result<()> {
            let mut out = BufWriter::with_capacity(BUFFER, out);
            fill(&mut out)?;
            out.flush()
        }
        match &self.target {
            None => Ok(()),
            Some(Target::Stdout) => {
                self.guard.ensure_unread_still()?;
                progress::doing("writing -");
                buffered(io::stdout().lock(), fill).context("could not write to standard output")
            }
            Some(Target::File(claim)) => {
                let mut batch = Batch::new(Mode::Write, &self.guard, Readers::AsUsual);
                batch.make(claim.clone(), |file| buffered(file, fill), |_| Ok(()))?;
                batch.place()
            }
        }
    }
}

/// The path of a target, by whose name its form is known; what goes to standard output has
/// the usual form.
fn path_of(target: &Target) -> &Path {
    match target {
        Target::File(claim) => claim.path(),
        Target::Stdout => Path::new("-"),
    }
}

/// A sheet in the form that its name says: rows as text, or a spreadsheet's own file.
pub(crate) fn in_form_of(path: &Path, bytes: Vec<u8>) -> anyhow::Result<Vec<u8>> {
    if Kind::of_path(path) == Some(Kind::Xlsx) { workbook(&bytes) } else { Ok(bytes) }
}

/// Whether a name is that of a sheet, as text or as a spreadsheet's own file.
pub(crate) fn is_sheet(path: &Path) -> bool {
    matches!(Kind::of_path(path), Some(Kind::Csv | Kind::Xlsx))
}
