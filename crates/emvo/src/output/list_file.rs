//! The file of a list: a table, the file of a spreadsheet, or JSON lines.

use std::path::Path;

use anyhow::Context;
use serde::Serialize;

use super::guard::{Existing, Guard, Role};
use super::named_file::NamedFile;
use super::target::Kind;
use super::workbook::workbook;

/// A file for a list, if one was named, and what is written into it.
pub(crate) struct ListFile {
    file: NamedFile,
    kind: Kind,
}

impl ListFile {
    /// Claims the path, if there is one. What is written is what was asked for, else
    /// what the name says, else a table.
    pub(crate) fn at(
        path: Option<&Path>,
        asked: Option<Kind>,
        existing: Existing,
        guard: &Guard,
    ) -> anyhow::Result<Self> {
        let file = NamedFile::at(path, Role::Output, existing, guard)?;
        let said = file.path().map(|path| {
            let kind = Kind::of_path(path).filter(|kind| *kind != Kind::Ics);
            kind.with_context(|| {
                format!("`{}`: a list is a table; its name ends in .csv, .xlsx or .jsonl", path.display())
            })
        });
        let kind = match (asked, said) {
            (Some(asked), _) => asked,
            (None, Some(said)) => said?,
            (None, None) => Kind::Csv,
        };
        file.path().map_or(Ok(()), |path| kind.ensure_named(path))?;
        Ok(Self { file, kind })
    }

    /// Its path; none for standard output.
    pub(crate) fn path(&self) -> Option<&Path> {
        self.file.path()
    }

    /// What people know it by; `-` for standard output.
    pub(crate) fn shown(&self) -> Option<String> {
        self.file.shown()
    }

    /// Writes the list: from its table, or from its records where programs read it.
    pub(crate) fn write<R: Serialize>(
        &self,
        table: impl FnOnce() -> anyhow::Result<Vec<u8>>,
        records: impl Iterator<Item = R>,
    ) -> anyhow::Result<()> {
        self.file.write(|path| match self.kind {
            Kind::JsonLines => lines(records),
            // A name that says so makes a spreadsheet's file of any table.
            Kind::Xlsx if Kind::of_path(path) != Some(Kind::Xlsx) => workbook(&table()?),
            Kind::Ics | Kind::Csv | Kind::Xlsx => table(),
        })
    }
}

/// One JSON object a line.
fn lines<R: Serialize>(records: impl Iterator<Item = R>) -> anyhow::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    for record in records {
        serde_json::to_writer(&mut bytes, &record)?;
        bytes.push(b'\n');
    }
    Ok(bytes)
}
