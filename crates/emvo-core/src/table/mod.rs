//! Tables: rows of a CSV file ⇄ events.
//!
//! Owns delimiters, headers, the ways in which people write dates and yes or
//! no, and the guard against cells that a spreadsheet would run. Quoting is
//! RFC 4180's. Rows that cannot be read are set aside as they stand. The words
//! by which columns and cells are known stand in `data/`.

mod cannot_carry;
mod cell;
mod cells_of;
mod clock;
mod column;
mod columns_file;
mod date;
mod foreign_ids;
mod format;
mod habits;
mod header;
mod layout;
mod lines;
mod mixed;
mod month;
mod notes;
mod order;
mod range;
mod read;
mod roles;
mod row;
mod saved_columns;
mod serial;
mod shape;
mod sniffed;
mod times;
mod weekday;
mod words;
mod write;
mod years;

pub use cannot_carry::CannotCarry;
pub use cell::{guarded, is_yes, length as read_length, unguarded};
pub use column::ColumnField;
pub use columns_file::{Column, Columns, ColumnsError, Content, Guard, LineEnd, RepeatAs};
pub use date::{DateOrder, days_meant};
pub use foreign_ids::WholeIds;
pub use format::{Pattern, PatternError};
pub use habits::{AllDayEnds, ClockDot, LengthUnit};
pub use header::is_table;
pub use layout::{Delimiter, Layout, sniff};
pub use lines::{series_as_json, write_lines};
pub use notes::{Note, NoteKind, RowFault, SetAsideRow};
pub use order::{OrderEvidence, Speaking};
pub use read::{ReadOptions, Table, TableError, read};
pub use roles::Candidate;
pub use saved_columns::saved_columns;
pub use serial::Epoch;
pub use sniffed::Sniffed;
pub(crate) use weekday::weekdays_named;
pub(crate) use words::state_of;
pub use write::{NoPlace, WriteOptions, WrittenTable, write};

/// The property that carries a cell whose column nobody claimed, and the
/// parameter that holds the column's header.
pub(crate) const COLUMN_PROPERTY: &str = "X-EMVO-COLUMN";
/// See [`COLUMN_PROPERTY`].
pub(crate) const COLUMN_HEADER: &str = "X-EMVO-HEADER";
