//! What goes into one of several files.

use emvo_core::edit::Edited;

/// What goes into one of several files.
pub(crate) struct Part<'a> {
    /// What is put behind the output's name, or the whole name in a folder;
    /// nothing if it is the only file.
    pub(crate) name: Option<String>,
    pub(crate) calendars: Vec<Edited<'a>>,
}
