//! Results → files: whole or not at all, and never in place of a file that was
//! read.
//!
//! [`guard`] decides where anything may be written, [`encode`] makes the bytes,
//! [`draft`] holds the sum against them, and [`batch`] puts all files of a run
//! into their places.

pub(crate) mod backup;
mod batch;
pub(crate) mod contents;
mod draft;
mod encode;
mod guard;
mod left_behind;
mod limits;
mod list_file;
mod named_file;
mod names;
mod part;
mod record;
mod resolved;
mod saved_columns;
mod set_aside;
mod staged;
mod target;
mod workbook;

pub(crate) use batch::{Batch, there_now};
pub(crate) use draft::{Draft, Shape, Written};
pub(crate) use encode::{TableForm, calendar_bytes};
pub(crate) use guard::{Claim, Existing, Folder, Guard, Role};
pub(crate) use limits::{FitTerms, Fitting, LeftUnfit, fit, limits_file};
pub(crate) use list_file::{ListFile, ListForm, write_record};
pub(crate) use named_file::{NamedFile, in_form_of, is_sheet};
pub(crate) use names::{free_name, part_beside};
pub(crate) use record::{Recording, digest, file_record, shell_word};
pub(crate) use resolved::{Output, OutputWish, SET_ASIDE_KEEPS_IT};
pub(crate) use saved_columns::SavedColumns;
pub(crate) use staged::{Readers, clean_up_when_interrupted};
pub(crate) use target::{Kind, Mode, Place, Target};
pub(crate) use workbook::MOST_ROWS;
