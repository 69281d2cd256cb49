//! The first pass over a table: what its columns say as a whole, and where it
//! can be cut for the second.

use std::collections::BTreeMap;

use hashbrown::{HashMap, HashSet};

use super::records::{Records, Stretch, is_comment, is_row};
use crate::table::cell::Answer;
use crate::table::column::ColumnField;
use crate::table::date::{DateOrder, read_date};
use crate::table::habits::EndsSeen;
use crate::table::layout::{Layout, MOST_COLUMNS};
use crate::table::mixed::Mixed;
use crate::table::order::OrderEvidence;
use crate::table::row::RowReader;
use crate::table::serial::read_serial;
use crate::table::shape::{ORDERS, Serials, Shape};
use crate::table::years::{Years, with_year};
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
pub(in crate::table) struct Scan<'t> {
    /// The line of the header.
    pub(in crate::table) header_row: u64,
    /// The rows below it, in parts that can be read side by side.
    pub(super) stretches: Vec<Stretch<'t>>,
    /// How many rows there are.
    pub(in crate::table) rows: usize,
    /// What stands in each column.
    pub(super) shapes: Vec<Shape>,
    /// What is no row: lines above the header, and remarks among the rows.
    pub(in crate::table) remarks: Vec<(u64, String)>,
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
            remarks: Vec::new(),
            shapes: vec![Shape::default(); layout.headers.len()],
            zone_cells: HashSet::new(),
            marks: Marks { at: layout.column(ColumnField::Busy), has_any: false, has_other: false },
        };
        let zone_at = layout.column(ColumnField::Zone);
        let mut records = Records::of(Stretch::whole(text), layout);
        for at in 1..=layout.to_header {
            match records.next() {
                Some((row, _)) if at == layout.to_header => scan.header_row = row,
                Some((row, record)) => scan.remark(row, record),
                None => {}
            }
        }
        let (mut from, mut rows_above) = (records.place(), 0);
        while let Some((row, record)) = records.next() {
            if !is_row(record, layout) {
                if is_comment(record) {
                    scan.remark(row, record);
                }
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

    fn remark(&mut self, row: u64, record: &csv::StringRecord) {
        let cells: Vec<&str> = record.iter().map(str::trim).filter(|cell| !cell.is_empty()).collect();
        if !cells.is_empty() {
            self.remarks.push((row, cells.join(" ")));
        }
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
        let free = (0..layout.fields.len()).filter(|at| layout.fields[*at].is_none());
        free.filter(|at| self.shapes.get(*at).is_some_and(Shape::holds_weekdays)).collect()
    }

    /// What the ends of whole days look like, where a column says which they are. Needs a second look
    /// at the rows, which most tables are spared.
    pub(super) fn ends_of_whole_days(&self, rows: &RowReader<'_>) -> EndsSeen {
        let mut seen = EndsSeen::default();
        let layout = rows.layout;
        let ends = [ColumnField::EndTime, ColumnField::End, ColumnField::EndDate];
        let end = ends.into_iter().find_map(|field| layout.column(field));
        if layout.column(ColumnField::AllDay).is_none() || end.is_none() || layout.is_own() {
            return seen;
        }
        self.for_each_row(layout, |row, record| {
            if let Some(end) = rows.whole_days_end(row, record) {
                seen.add(end);
            }
        });
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

    /// The date columns that have spreadsheet numbers among other dates. Needs a second
    /// look at the rows, which most tables are spared.
    pub(super) fn mixed_columns(&self, rows: &RowReader<'_>) -> Vec<Mixed> {
        let RowReader { layout, order, epoch, years, .. } = rows;
        let (order, epoch) = (*order, *epoch);
        let place = ORDERS.iter().position(|known| *known == order);
        let is_mixed =
            |shape: &Shape| shape.serials.count > 0 && place.is_some_and(|place| shape.is_read_in[place]);
        let places = self.dates(layout).filter(|(_, shape)| is_mixed(shape)).map(|(at, _)| at);
        let mut mixed: Vec<Mixed> = places.map(Mixed::of_column).collect();
        if mixed.is_empty() {
            return mixed;
        }
        self.for_each_row(layout, |row, record| {
            for column in &mut mixed {
                let cell = record.get(column.at).unwrap_or_default();
                let without_year = || read_date(&with_year(cell, years.as_ref()?.of_row(row))?, order)?.date;
                if let Some((date, _)) = read_serial(cell, epoch) {
                    column.add_number(date);
                } else if let Some(date) =
                    read_date(cell, order).and_then(|stated| stated.date).or_else(without_year)
                {
                    column.add_date(date);
                }
            }
        });
        mixed
    }

    /// How many dates of the start have no year, and in which column.
    pub(super) fn without_year(&self, layout: &Layout) -> Option<(usize, usize)> {
        let starts = [ColumnField::StartDate, ColumnField::Start];
        let mut places = starts.into_iter().filter_map(|field| layout.column(field));
        let at = places.find(|at| self.shapes.get(*at).is_some_and(|shape| shape.without_year > 0))?;
        Some((at, self.shapes[at].without_year))
    }

    /// Lets years roll on over the cells of a column that have none.
    pub(super) fn roll(&self, years: &mut Years, at: usize, layout: &Layout, order: DateOrder) {
        let mut cells = Vec::new();
        self.for_each_row(layout, |row, record| {
            let cell = record.get(at).unwrap_or_default().trim();
            if read_date(cell, order).is_none() {
                cells.push((row, cell.to_owned()));
            }
        });
        years.roll(cells.into_iter(), order);
    }

    fn for_each_row(&self, layout: &Layout, mut look: impl FnMut(u64, &csv::StringRecord)) {
        for stretch in &self.stretches {
            let mut records = Records::of(*stretch, layout);
            while let Some((row, record)) = records.next() {
                if is_row(record, layout) {
                    look(row, record);
                }
            }
        }
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
