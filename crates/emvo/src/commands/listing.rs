//! What lists have in common: their order, and their form as a table.

use std::borrow::Cow;
use std::cmp::Ordering;
use std::path::{Path, PathBuf};

use anyhow::bail;
use emvo_core::table::guarded;
use rayon::prelude::*;

use crate::output::{Existing, write_file};

/// In which order a list is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum SortArg {
    /// By start, then title
    #[default]
    Start,
    /// By title, then start
    Title,
    /// By category, then start
    Category,
}

/// What a line of a list is ordered by.
pub(crate) trait Line {
    fn title(&self) -> &str;
    fn category(&self) -> &str;
    /// By start, then by whatever tells lines of one start apart.
    fn by_start(&self, other: &Self) -> Ordering;
    /// The cell of a column.
    fn cell(&self, column: Self::Column) -> Cow<'_, str>;
    type Column: Copy + Sync;
}

impl SortArg {
    pub(crate) fn sort<L: Line + Send>(self, lines: &mut [L]) {
        lines.par_sort_by(|one, two| match self {
            Self::Start => one.by_start(two),
            Self::Title => one.title().cmp(two.title()).then_with(|| one.by_start(two)),
            Self::Category => one.category().cmp(two.category()).then_with(|| one.by_start(two)),
        });
    }
}

/// Where a list goes, if it goes to a file.
#[derive(Debug, clap::Args)]
#[command(next_help_heading = "Output")]
pub(crate) struct ListArgs {
    /// Write a table
    #[arg(long, short, value_name = "LIST.csv")]
    output: Option<PathBuf>,
    /// Replace an existing file
    #[arg(long)]
    overwrite: bool,
}

/// A file for a list.
pub(crate) struct ListFile {
    pub(crate) path: PathBuf,
    existing: Existing,
}

impl ListArgs {
    pub(crate) fn settle(self) -> anyhow::Result<Option<ListFile>> {
        let Some(path) = self.output else { return Ok(None) };
        let existing = if self.overwrite { Existing::Replace } else { Existing::Refuse };
        if existing == Existing::Refuse && path.exists() {
            bail!("`{}` exists already; --overwrite replaces it", path.display());
        }
        Ok(Some(ListFile { path, existing }))
    }
}

impl ListFile {
    pub(crate) fn path_of(file: Option<&Self>) -> Option<&Path> {
        file.map(|file| file.path.as_path())
    }

    /// Writes the lines under their headers.
    pub(crate) fn write<L: Line + Sync>(
        &self,
        headers: &[&str],
        lines: &[L],
        columns: &[L::Column],
    ) -> anyhow::Result<()> {
        let mut bytes = table(|writer| writer.write_record(headers))?;
        let parts: Vec<Vec<u8>> = lines
            .par_chunks(LINES_AT_ONCE)
            .map(|lines| {
                table(|writer| {
                    for line in lines {
                        for column in columns {
                            writer.write_field(guarded(&line.cell(*column)).as_bytes())?;
                        }
                        writer.write_record(None::<&[u8]>)?;
                    }
                    Ok(())
                })
            })
            .collect::<anyhow::Result<_>>()?;
        for part in &parts {
            bytes.extend_from_slice(part);
        }
        write_file(&self.path, &bytes, self.existing)
    }
}

/// So many lines are written by one thread at once.
const LINES_AT_ONCE: usize = 8192;

fn table(fill: impl FnOnce(&mut csv::Writer<Vec<u8>>) -> csv::Result<()>) -> anyhow::Result<Vec<u8>> {
    let mut writer = csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(Vec::new());
    fill(&mut writer)?;
    writer.into_inner().map_err(|error| anyhow::anyhow!("{error}"))
}
