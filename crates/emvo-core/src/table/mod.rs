//! Tables: rows of a CSV file ⇄ events.
//!
//! Owns delimiters, headers, the ways in which people write dates and yes or
//! no, and the guard against cells that a spreadsheet would run. Quoting is
//! RFC 4180's. Rows that cannot be read are set aside as they stand.

mod cell;
mod column;
mod date;
mod layout;
mod read;
mod row;
mod write;

pub use cell::guarded;
pub use column::Field;
pub use date::{DateOrder, OrderEvidence};
pub use layout::{Delimiter, Layout, sniff};
pub use read::{ReadOptions, SetAsideRow, Table, TableError, read};
pub use write::{CannotCarry, WrittenTable, write};

/// The property that carries a cell whose column nobody claimed, and the
/// parameter that holds the column's header.
pub(crate) const COLUMN_PROPERTY: &str = "X-EMVO-COLUMN";
/// See [`COLUMN_PROPERTY`].
pub(crate) const COLUMN_HEADER: &str = "X-EMVO-HEADER";
