//! Groups of files, read together.

use std::path::{Path, PathBuf};

use super::files::ReadFiles;
use super::gather::gather;
use super::reading::{Reading, Undecided};
use super::source::{Beside, Source, read};
use super::source_text::decode;
use super::told::{tell_of_others, tell_of_readings, tell_of_tables};
use crate::outcome::Outcome;
use crate::terminal::warn;

/// Files that are read together and alike.
pub(crate) struct InputGroup<'g> {
    pub(crate) paths: &'g [PathBuf],
    pub(crate) reading: &'g Reading,
    /// What folder walks leave out: the output, which may lie among its inputs.
    pub(crate) except: Option<&'g Path>,
}

/// Reads groups of files and hands their sources on, group by group. Sources
/// borrow from texts and texts from bytes, so the work is done in here.
///
/// A file that claims to be an export and was not read is told, and needs a look:
/// whatever is said of the others is not said of it.
pub(crate) fn with_sources<const N: usize>(
    groups: &[InputGroup<'_>; N],
    files: &ReadFiles,
    work: impl for<'t> FnOnce([Vec<Source<'t>>; N]) -> anyhow::Result<Outcome>,
) -> anyhow::Result<Outcome> {
    let mut read_files = Vec::with_capacity(N);
    for group in groups {
        read_files.push(gather(group.paths, group.except, group.reading.opening(), files)?);
    }
    let mut texts = Vec::with_capacity(N);
    for (group, of_group) in groups.iter().zip(&read_files) {
        texts.push(decode(of_group, group.reading)?);
    }
    let (mut unread, mut others) = (0, Vec::new());
    let mut sources: [Vec<Source<'_>>; N] = std::array::from_fn(|_| Vec::new());
    for ((group, texts), sources) in groups.iter().zip(&texts).zip(&mut sources) {
        // A group that was left out on purpose has no source, and needs none.
        if !texts.is_empty() || !group.paths.is_empty() {
            *sources = read(texts, group.reading)?;
            for Beside { not_read, others: more } in sources.iter().map(|source| &source.beside) {
                for file in not_read {
                    warn(&file.to_string());
                }
                unread += not_read.len();
                others.extend(more.iter().cloned());
            }
        }
    }
    for (group, sources) in groups.iter().zip(&sources) {
        tell_of_tables(sources);
        if group.reading.undecided == Undecided::Refuse {
            tell_of_readings(sources);
        }
    }
    tell_of_others(&others);
    let outcome = work(sources)?;
    Ok(if unread > 0 { Outcome::NeedsALook } else { outcome })
}
