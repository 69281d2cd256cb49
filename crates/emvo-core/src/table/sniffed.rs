//! What was found out about a table by looking at it, to be told to people.

use super::column::ColumnField;
use super::date::DateOrder;
use super::layout::Layout;
use super::order::OrderEvidence;
use super::read::Scan;

/// The layout of a table as it was found.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Sniffed {
    /// What stands between cells, in words.
    pub delimiter: &'static str,
    /// The line of the header.
    pub header_row: u64,
    /// The header cells, each with the field it is for.
    pub columns: Vec<(String, Option<ColumnField>)>,
    /// The order of day and month that dates were read in, if any of them needs
    /// one.
    pub date_order: Option<DateOrder>,
    /// The rows that decided it.
    pub order_evidence: String,
    /// How many rows there are below the header.
    pub rows: usize,
    /// What is no row: lines above the header, and remarks among the rows, with their
    /// numbers.
    pub remarks: Vec<(u64, String)>,
    /// The first rows, and the first of those that have something odd, as they were
    /// understood, each with its number.
    pub understood: Vec<(u64, String)>,
}

/// So many rows are shown as they were understood.
pub(super) const MOST_SHOWN: usize = 12;

/// The columns by what people call them; one without header and cells is called nothing.
fn columns_of(layout: &Layout) -> Vec<(String, Option<ColumnField>)> {
    let unclaimed: Vec<usize> = layout.unclaimed().map(|(_, at)| at).collect();
    let column = |at: usize| {
        let is_named = layout.fields[at].is_some() || unclaimed.contains(&at);
        let name = if is_named { layout.name_of(at).into_owned() } else { String::new() };
        (name, layout.fields[at])
    };
    (0..layout.fields.len()).map(column).collect()
}

impl Sniffed {
    pub(super) fn of(layout: &Layout, scan: &Scan<'_>, evidence: &OrderEvidence, order: DateOrder) -> Self {
        let order_evidence = evidence.words();
        Self {
            delimiter: layout.delimiter.name(),
            header_row: scan.header_row,
            columns: columns_of(layout),
            date_order: Some(order).filter(|_| !order_evidence.is_empty()),
            order_evidence,
            rows: scan.rows,
            remarks: scan.remarks.clone(),
            understood: Vec::new(),
        }
    }

    /// Takes in rows as they were understood, as many as are shown.
    pub(super) fn understand(&mut self, rows: Vec<(u64, String)>) {
        let room = MOST_SHOWN.saturating_sub(self.understood.len());
        self.understood.extend(rows.into_iter().take(room));
    }

    /// The header cells as they stand.
    pub fn headers(&self) -> impl Iterator<Item = &str> {
        self.columns.iter().map(|(header, _)| header.as_str())
    }

    /// The headers of columns that nobody claims.
    pub fn unclaimed(&self) -> impl Iterator<Item = &str> {
        let unclaimed = self.columns.iter().filter(|(header, field)| field.is_none() && !header.is_empty());
        unclaimed.map(|(header, _)| header.as_str())
    }
}
