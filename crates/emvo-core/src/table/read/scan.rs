//! The first pass over a table: what its columns say as a whole, and where it
//! can be cut for the second.

use std::collections::BTreeMap;

use hashbrown::{HashMap, HashSet};

use super::records::{Records, Stretch, is_row};
use crate::table::cell::Answer;
use crate::table::column::ColumnField;
use crate::table::date::DateOrder;
use crate::table::date::read_date;
use crate::table::layout::Layout;
use crate::table::order::OrderEvidence;
use crate::table::serial::is_serial;
use emvo_ical::zone::Zone;

/// How many rows a stretch has.
const ROWS_A_STRETCH: usize = 2048;

const DATES: [ColumnField; 5] = [
    ColumnField::Start,
    ColumnField::StartDate,
    ColumnField::End,
    ColumnField::EndDate,
    ColumnField::RepeatUntil,
];
const ORDERS: [DateOrder; 3] = [DateOrder::Day, DateOrder::Month, DateOrder::Year];

/// What a whole table says.
pub(super) struct Scan<'t> {
    /// The line of the header.
    pub(super) header_row: u64,
    /// The rows below it, in parts that can be read side by side.
    pub(super) stretches: Vec<Stretch<'t>>,
    /// How many rows there are.
    pub(super) rows: usize,
    dates: Vec<DateColumn>,
    zone_cells: HashSet<String>,
    marks: Marks,
}

/// A column of dates.
struct DateColumn {
    at: usize,
    evidence: OrderEvidence,
    serials: Serials,
    /// For each of [`ORDERS`], whether a cell that is no spreadsheet number is a
    /// date in it.
    is_read_in: [bool; ORDERS.len()],
}

/// The spreadsheet numbers in a column.
#[derive(Clone, Debug, Default)]
pub(super) struct Serials {
    pub(super) count: usize,
    /// The first of them.
    pub(super) first: String,
}

/// The column of marks for busy, if there is one.
struct Marks {
    at: Option<usize>,
    has_any: bool,
    has_other: bool,
}

impl<'t> Scan<'t> {
    pub(super) fn of(text: &'t str, layout: &Layout) -> Self {
        let dates = DATES.into_iter().filter_map(|field| layout.column(field)).map(DateColumn::at);
        let mut scan = Self {
            header_row: 1,
            stretches: Vec::new(),
            rows: 0,
            dates: dates.collect(),
            zone_cells: HashSet::new(),
            marks: Marks { at: layout.column(ColumnField::Busy), has_any: false, has_other: false },
        };
        let zone_at = layout.column(ColumnField::Zone);
        let mut records = Records::of(Stretch::whole(text), layout);
        for above in 0..=layout.above_header {
            match records.next() {
                Some((row, _)) if above == layout.above_header => scan.header_row = row,
                _ => {}
            }
        }
        let (mut from, mut rows_above) = (records.place(), 0);
        while let Some((row, record)) = records.next() {
            if !is_row(record, layout) {
                continue;
            }
            scan.rows += 1;
            scan.dates.iter_mut().for_each(|column| column.add(row, record));
            scan.marks.add(record);
            if let Some(cell) = zone_at.and_then(|at| record.get(at)).map(str::trim)
                && !scan.zone_cells.contains(cell)
            {
                scan.zone_cells.insert(cell.to_owned());
            }
            if scan.rows - rows_above == ROWS_A_STRETCH {
                let until = records.place();
                scan.stretches.push(Stretch::between(text, from, until, rows_above..scan.rows));
                (from, rows_above) = (until, scan.rows);
            }
        }
        scan.stretches.push(Stretch::between(text, from, records.place(), rows_above..scan.rows));
        scan
    }

    /// What all date columns say about the order of day and month.
    pub(super) fn evidence(&self) -> OrderEvidence {
        let mut all = OrderEvidence::default();
        self.dates.iter().for_each(|column| all.append(&column.evidence));
        all
    }

    /// The date columns in which all dates are spreadsheet numbers.
    pub(super) fn serial_columns(&self, order: DateOrder) -> Vec<(usize, Serials)> {
        let place = ORDERS.iter().position(|known| *known == order);
        let is_serial = |column: &&DateColumn| {
            column.serials.count > 0 && !place.is_some_and(|place| column.is_read_in[place])
        };
        self.dates.iter().filter(is_serial).map(|column| (column.at, column.serials.clone())).collect()
    }

    /// What the cells of the zone column mean, each looked up once.
    pub(super) fn zones(&self, map: &BTreeMap<String, Zone>) -> HashMap<String, Zone> {
        let known = |cell: &String| map.get(cell).cloned().or_else(|| Zone::named(cell));
        let mut cells: Vec<&String> = self.zone_cells.iter().filter(|cell| !cell.is_empty()).collect();
        cells.sort_unstable();
        cells.into_iter().filter_map(|cell| Some((cell.clone(), known(cell)?))).collect()
    }

    /// In a column of marks an empty cell means no.
    pub(super) fn blank_busy(&self) -> Answer {
        if self.marks.has_any && !self.marks.has_other { Answer::No } else { Answer::NotSaid }
    }
}

impl DateColumn {
    fn at(at: usize) -> Self {
        let (evidence, serials) = (OrderEvidence::default(), Serials::default());
        Self { at, evidence, serials, is_read_in: [false; ORDERS.len()] }
    }

    fn add(&mut self, row: u64, record: &csv::StringRecord) {
        let cell = record.get(self.at).unwrap_or_default();
        self.evidence.add(row, cell);
        // Most columns show at once that they are none of numbers.
        if self.is_read_in == [true; ORDERS.len()] {
            return;
        }
        let cell = cell.trim();
        if is_serial(cell) {
            if self.serials.count == 0 {
                cell.clone_into(&mut self.serials.first);
            }
            self.serials.count += 1;
            return;
        }
        for (order, is_read) in ORDERS.into_iter().zip(&mut self.is_read_in) {
            *is_read = *is_read || read_date(cell, order).is_some();
        }
    }
}

impl Marks {
    fn add(&mut self, record: &csv::StringRecord) {
        let Some(at) = self.at else { return };
        let cell = record.get(at).unwrap_or_default().trim();
        self.has_any |= !cell.is_empty();
        self.has_other |= !matches!(cell, "" | "x" | "X" | "1" | "✓" | "✔");
    }
}
