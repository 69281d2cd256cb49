//! Calendars made to fit what a destination accepts.
//!
//! Owns the limits file, and what is done to series and files so that they
//! fit: written in the one zone, ended, taken apart, relieved of what is not
//! taken, cut in length, and spread over several files. What does not fit is
//! found by the rules F01 to F12; each change here names the one it answers.

mod held;
mod in_columns;
mod limits;
mod limits_file;
mod rehearse;
mod series;
mod split;
mod tasks;

pub use in_columns::{InColumns, NoTable, in_columns, written_in};
pub use limits::{
    Acceptance, AllDayEnd, Cancelled, Exceptions, ForeignZone, Ids, LengthLimit, Limits, NotTaken, SameUid,
    SeriesLimit, TextLimits, Transitions, UnfitSeries, Zones,
};
pub use limits_file::LimitsError;
pub use rehearse::{ImportCount, ImportFile, RefusedEvent, Rehearsed, WhyRefused, rehearse};
pub use series::{FitOptions, FittedSeries, NotFitted, fit_series};
pub use split::{SplitFiles, split_files};
pub(crate) use tasks::is_task_not_taken;
pub use tasks::leave_out_tasks;
