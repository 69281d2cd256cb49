//! What pages have in common.

use emvo_report::{MOST_ROWS, Table};

/// A list on a page, cut where it would be too long.
pub(crate) fn table(
    title: &str,
    note: &str,
    columns: &[&'static str],
    rows: impl ExactSizeIterator<Item = Vec<String>>,
) -> Table {
    let total = rows.len();
    Table {
        title: title.to_owned(),
        note: note.to_owned(),
        columns: columns.to_vec(),
        rows: rows.take(MOST_ROWS).collect(),
        total,
    }
}

pub(crate) fn made_by() -> String {
    format!("Made by Emvo {}. Nothing on this page comes from anywhere else.", env!("CARGO_PKG_VERSION"))
}
