//! How a table was understood → a columns file, so that nobody is asked again.

use std::path::Path;

use anyhow::bail;
use emvo_core::table::saved_columns;

use super::guard::{Existing, Guard, Role};
use super::named_file::NamedFile;
use crate::input::{ReadFiles, Reading, Source};

/// A columns file to write, if one was named.
pub(crate) struct SavedColumns(NamedFile);

impl SavedColumns {
    /// Claims the path.
    pub(crate) fn at(path: Option<&Path>, files: &ReadFiles) -> anyhow::Result<Self> {
        NamedFile::at(path, Role::Columns, Existing::Refuse, &Guard::new(files)).map(Self)
    }

    /// Writes the columns of the one layout that the tables have.
    pub(crate) fn save(&self, sources: &[Source<'_>], reading: &Reading) -> anyhow::Result<()> {
        if self.0.path().is_none() {
            return Ok(());
        }
        let open = sources.iter().find_map(|source| Some((source, source.table.undecided.as_ref()?)));
        if let Some((source, question)) = open {
            bail!("`{}`: {question}; answer that first, then --save-columns keeps the answer", source.path);
        }
        let tables = sources.iter().filter_map(|source| {
            Some((&source.path, saved_columns(source.table.sniffed.as_ref()?, &reading.table)))
        });
        let tables: Vec<(&String, String)> = tables.collect();
        let Some((first, columns)) = tables.first() else {
            bail!("--save-columns: there is no table in the inputs");
        };
        if let Some((other, _)) = tables.iter().find(|(_, other)| other != columns) {
            bail!(
                "--save-columns: `{first}` and `{other}` have other columns; give the tables of one layout"
            );
        }
        self.0.write(|_| Ok(columns.clone().into_bytes()))
    }

    /// The line that tells of it.
    pub(crate) fn line(&self) -> Option<String> {
        let path = self.0.shown()?;
        Some(format!("written: {path}; `--columns {path}` reads such tables from now on"))
    }
}
