//! A file of the inputs, in memory.

use std::collections::BTreeMap;
use std::sync::Arc;

/// A file to read, in memory.
pub(crate) struct SourceFile {
    /// How people know it: its path; inside a zip, the zip's path before it.
    pub(crate) path: String,
    pub(crate) bytes: Vec<u8>,
    pub(crate) named_by: NamedBy,
    /// Why it cannot be read, if that is so; it has no bytes then.
    pub(crate) cannot: Option<String>,
    /// The spreadsheet that it is a sheet of.
    pub(crate) book: Option<Arc<Book>>,
}

/// A spreadsheet as it came.
pub(crate) struct Book {
    pub(crate) path: String,
    pub(crate) bytes: Vec<u8>,
    /// The sheets that are hidden and were not asked for.
    pub(crate) hidden_sheets: Vec<String>,
    /// How many rows of its sheets are hidden and count all the same, by the path of each.
    pub(crate) hidden_rows: BTreeMap<String, usize>,
}

/// Whether a person named a file, or it was found in a folder or a zip: what
/// is found and does not claim to be an export is passed over.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum NamedBy {
    Person,
    Walk,
}

/// Whether a file is one of those that stand beside an output.
pub(super) fn is_own(name: &str) -> bool {
    [".set-aside.", ".left-behind."].iter().any(|mark| name.contains(mark))
}
