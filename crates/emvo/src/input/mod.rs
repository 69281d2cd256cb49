//! Paths → bytes → calendars, and what became of each path.
//!
//! [`files`] is the one place where the program opens a file to read it, so that
//! nothing that was read can be written over. [`gather`] finds the files of
//! folders and zips, [`source`] finds out what each is and reads it.

mod files;
mod gather;
mod given;
mod group;
mod hints;
mod memory;
mod not_read;
mod open_sheet;
mod packed;
mod quiet;
mod reading;
mod secret;
mod settings;
mod sheet_marks;
mod source;
mod source_file;
mod source_text;
mod spreadsheet;
mod taken_names;
mod told;

pub(crate) use files::{ReadAs, ReadFiles, folder_of, settings_of_folder_are};
pub(crate) use gather::{files_on_disk, gather, is_there};
pub(crate) use given::{Given, given};
pub(crate) use group::{InputGroup, with_sources};
pub(crate) use memory::{MemoryMeter, OverMemory, needed_for_dates};
pub(crate) use packed::{MANIFEST, ORIGINALS, Opening};
pub(crate) use quiet::EventReading;
pub(crate) use reading::{EventTracking, Reading, Undecided};
pub(crate) use secret::Secret;
pub(crate) use settings::settings_file;
pub(crate) use source::{Format, Loaded, Source, read, track_events, views};
pub(crate) use source_file::{NamedBy, SourceFile};
pub(crate) use source_text::{SourceText, decode};
pub(crate) use spreadsheet::{cells_in, sheet_text};
pub(crate) use taken_names::{Letters, TakenNames};
pub(crate) use told::{tell_of_readings, tell_of_tables};
