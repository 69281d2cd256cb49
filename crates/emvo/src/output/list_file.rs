//! The file of a list: a table, the file of a spreadsheet, or JSON lines.

use std::io::{self, Write};
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

    /// What its lines are written as; `None` if there is no file.
    pub(crate) fn form(&self) -> Option<ListForm> {
        self.file.is_named().then_some(match self.kind {
            Kind::JsonLines => ListForm::Records,
            Kind::Xlsx => ListForm::Sheet,
            Kind::Ics | Kind::Csv => ListForm::Table,
        })
    }

    /// Writes the list, whole or not at all, as `fill` tells it; a list for a spreadsheet's
    /// file is told as a table. Nothing is written where no file was named.
    pub(crate) fn write(&self, fill: impl FnOnce(&mut dyn Write) -> io::Result<()>) -> anyhow::Result<()> {
        if self.kind != Kind::Xlsx {
            return self.file.write_as_told(fill);
        }
        self.file.write(|path| {
            let mut table = Vec::new();
            fill(&mut table)?;
            // A name that says so makes a spreadsheet's file of any table.
            if Kind::of_path(path) == Some(Kind::Xlsx) { Ok(table) } else { workbook(&table) }
        })
    }
}

/// What the lines of a list are written as.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum ListForm {
    /// Cells between commas, under a header.
    Table,
    /// The same in the file of a spreadsheet, which holds no more rows than
    /// [`MOST_ROWS`](super::workbook::MOST_ROWS).
    Sheet,
    /// One JSON object a line.
    Records,
}

/// Writes one record of a list for programs.
pub(crate) fn write_record(out: &mut dyn Write, record: &impl Serialize) -> io::Result<()> {
    serde_json::to_writer(&mut *out, record)?;
    out.write_all(b"\n")
}
