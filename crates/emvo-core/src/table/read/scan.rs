//! The first pass over a table: what its columns say as a whole, and where it
//! can be cut for the second.

use std::collections::BTreeMap;

use hashbrown::{HashMap, HashSet};

use super::records::{Records, Stretch, is_row};
use crate::table::cell::Answer;
use crate::table::column::ColumnField;
use crate::table::date::DateOrder;
use crate::table::habits::EndsSeen;
use crate::table::layout::{Layout, MOST_COLUMNS};
use crate::table::order::OrderEvidence;
use crate::table::row::RowReader;
use crate::table::shape::{ORDERS, Serials, Shape};
use crate::table::weekday::weekday_of;
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

/// What a whole table says.
pub(super) struct Scan<'t> {
    /// The line of the header.
    pub(super) header_row: u64,
    /// The rows below it, in parts that can be read side by side.
    pub(super) stretches: Vec<Stretch<'t>>,
    /// How many rows there are.
    pub(super) rows: usize,
    /// What stands in each column.
    pub(super) shapes: Vec<Shape>,
    zone_cells: HashSet<String>,
    marks: Marks,
}

/// The column of marks for busy, if there is one.
struct Marks {
    at: Option<usize>,
    has_any: bool,
    has_other: bool,
}

impl<'t> Scan<'t> {
    pub(super) fn of(text: &'t str, layout: &Layout) -> Self {
        let mut scan = Self {
            header_row: 1,
            stretches: Vec::new(),
            rows: 0,
            shapes: vec![Shape::default(); layout.headers.len()],
            zone_cells: HashSet::new(),
            marks: Marks { at: layout.column(ColumnField::Busy), has_any: false, has_other: false },
        };
        let zone_at = layout.column(ColumnField::Zone);
        let mut records = Records::of(Stretch::whole(text), layout);
        for at in 1..=layout.to_header {
            match records.next() {
                Some((row, _)) if at == layout.to_header => scan.header_row = row,
                _ => {}
            }
        }
        let (mut from, mut rows_above) = (records.place(), 0);
        while let Some((row, record)) = records.next() {
            if !is_row(record, layout) {
                continue;
            }
            scan.rows += 1;
            scan.look_at(row, record);
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

    fn look_at(&mut self, row: u64, record: &csv::StringRecord) {
        if record.len() > self.shapes.len() && record.len() <= MOST_COLUMNS {
            self.shapes.resize(record.len(), Shape::default());
        }
        for (shape, cell) in self.shapes.iter_mut().zip(record) {
            shape.add(row, cell);
        }
    }

    fn dates<'s>(&'s self, layout: &'s Layout) -> impl Iterator<Item = (usize, &'s Shape)> {
        let places = DATES.into_iter().filter_map(|field| layout.column(field));
        places.filter_map(|at| Some((at, self.shapes.get(at)?)))
    }

    /// Columns of weekdays that are no field of their own.
    pub(super) fn weekday_columns(&self, layout: &Layout) -> Vec<usize> {
        let is_weekday = |shape: &Shape| {
            !shape.samples.is_empty() && shape.samples.iter().all(|cell| weekday_of(cell).is_some())
        };
        let free = (0..layout.fields.len()).filter(|at| layout.fields[*at].is_none());
        free.filter(|at| self.shapes.get(*at).is_some_and(is_weekday)).collect()
    }

    /// What the ends of whole days look like, where some have a time. Needs a second look
    /// at the rows, which most tables are spared.
    pub(super) fn ends_of_whole_days(&self, rows: &RowReader<'_>) -> EndsSeen {
        let mut seen = EndsSeen::default();
        let layout = rows.layout;
        let end = [ColumnField::EndTime, ColumnField::End].into_iter().find_map(|field| layout.column(field));
        if layout.column(ColumnField::AllDay).is_none() || end.is_none() || layout.is_own() {
            return seen;
        }
        for stretch in &self.stretches {
            let mut records = Records::of(*stretch, layout);
            while let Some((_, record)) = records.next() {
                if let Some((first, last)) = rows.midnight_end(record) {
                    seen.add(first, last);
                }
            }
        }
        seen
    }

    /// What all date columns say about the order of day and month.
    pub(super) fn evidence(&self, layout: &Layout) -> OrderEvidence {
        let mut all = OrderEvidence::default();
        self.dates(layout).for_each(|(_, shape)| all.append(&shape.evidence));
        all
    }

    /// The date columns in which all dates are spreadsheet numbers.
    pub(super) fn serial_columns(&self, layout: &Layout, order: DateOrder) -> Vec<(usize, Serials)> {
        let place = ORDERS.iter().position(|known| *known == order);
        let is_serial =
            |shape: &Shape| shape.serials.count > 0 && !place.is_some_and(|place| shape.is_read_in[place]);
        self.dates(layout)
            .filter(|(_, shape)| is_serial(shape))
            .map(|(at, shape)| (at, shape.serials.clone()))
            .collect()
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

impl Marks {
    fn add(&mut self, record: &csv::StringRecord) {
        let Some(at) = self.at else { return };
        let cell = record.get(at).unwrap_or_default().trim();
        self.has_any |= !cell.is_empty();
        self.has_other |= !matches!(cell, "" | "x" | "X" | "1" | "✓" | "✔");
    }
}
