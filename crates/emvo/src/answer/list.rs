//! What lists have in common: in which order they may be, and their form as a table.

use std::borrow::Cow;
use std::io;

use emvo_core::table::guarded;
use rayon::prelude::*;

use super::language::Language;
use crate::input::Source;
use crate::terminal::{counted, sanitized};

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

/// A line of a list, cell by cell.
pub(crate) trait Line {
    /// The cell of a column.
    fn cell(&self, column: Self::Column, language: &Language) -> Cow<'_, str>;
    type Column: Copy + Sync;
}

/// The language of a list
#[derive(Debug, clap::Args)]
#[command(next_help_heading = "The list")]
pub(crate) struct LanguageArgs {
    /// The language, as sv or fi: of the order of its words, and of the names of days and months
    #[arg(long, value_name = "LANG")]
    language: Option<String>,
}

impl LanguageArgs {
    pub(crate) fn resolve(&self) -> anyhow::Result<Language> {
        Language::of(self.language.as_deref())
    }
}

/// The first line of a table. A spreadsheet takes UTF-8 for what it is only behind a mark.
pub(crate) fn table_header(headers: &[&str]) -> io::Result<Vec<u8>> {
    let mut bytes = "\u{feff}".as_bytes().to_vec();
    bytes.extend(table(|writer| writer.write_record(headers))?);
    Ok(bytes)
}

/// Lines of a list as lines of a table, several made at a time and taken in their order.
pub(crate) fn table_lines<L: Line + Sync>(
    lines: &[L],
    columns: &[L::Column],
    language: &Language,
    mut take: impl FnMut(&[u8]) -> io::Result<()>,
) -> io::Result<()> {
    let part_of = |lines: &[L]| {
        table(|writer| {
            for line in lines {
                for column in columns {
                    writer.write_field(guarded(&line.cell(*column, language)).as_bytes())?;
                }
                writer.write_record(None::<&[u8]>)?;
            }
            Ok(())
        })
    };
    for lines in lines.chunks(LINES_AT_ONCE * PARTS_AT_ONCE) {
        let parts: Vec<Vec<u8>> = lines.par_chunks(LINES_AT_ONCE).map(part_of).collect::<io::Result<_>>()?;
        parts.iter().try_for_each(|part| take(part))?;
    }
    Ok(())
}

/// How many lines one thread writes at a time, and how many of such parts there are at once.
const LINES_AT_ONCE: usize = 4096;
const PARTS_AT_ONCE: usize = 16;

fn table(fill: impl FnOnce(&mut csv::Writer<Vec<u8>>) -> csv::Result<()>) -> io::Result<Vec<u8>> {
    let mut writer = csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(Vec::new());
    fill(&mut writer)?;
    writer.into_inner().map_err(io::Error::other)
}

/// Where a list went, if that needs saying.
pub(crate) fn wrote_line(path: &str) -> String {
    if path == "-" { String::new() } else { format!("wrote {}\n", sanitized(path)) }
}

/// What of the inputs is in no list, since it cannot be read.
pub(crate) fn unread_line(sources: &[Source<'_>]) -> Option<String> {
    let unread: usize = sources.iter().map(Source::events_set_aside).sum();
    let (one, many) = ("event cannot be read and is", "events cannot be read and are");
    (unread > 0).then(|| format!("{} not in it; `emvo check` says why", counted(unread, one, many)))
}
