//! What a destination reads that takes tables of certain columns alone: what has no
//! column is not there, whatever the file held.

use super::{Limits, RefusedEvent, WhyRefused, Zones};
use crate::table::{
    ColumnField, Columns, NoPlace, ReadOptions, TableError, WriteOptions, WrittenTable, read, write,
};
use emvo_ical::calendar::Calendar;
use emvo_ical::zone::{Zone, ZoneChoices, ZoneResolver};

/// Calendars, written as a table of certain columns and read back.
#[derive(Debug)]
pub struct InColumns {
    /// How many bytes the table has.
    pub bytes: usize,
    /// What stands in it, with what its zone names mean.
    pub calendars: Vec<(Calendar<'static>, ZoneResolver)>,
    /// The rows that are no events for who reads them.
    pub refused: Vec<RefusedEvent>,
}

/// Why there is no table.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NoTable {
    /// It cannot be written.
    #[error(transparent)]
    Write(#[from] NoPlace),
    /// It cannot be read back.
    #[error("the destination could not read its own columns: {0}")]
    Read(#[from] TableError),
}

/// Takes calendars through the columns of a destination. Times without a zone are its
/// own there; without a column for it a series is its first date.
pub fn in_columns(
    calendars: &[(&Calendar<'_>, &ZoneResolver)],
    columns: &Columns,
    limits: &Limits,
    choices: &ZoneChoices,
) -> Result<InColumns, NoTable> {
    let written = written_in(calendars, Some(columns), limits)?;
    let text = String::from_utf8_lossy(&written.text);
    let house = own_zone(limits);
    let options = ReadOptions { house, columns_file: Some(columns.clone()), ..ReadOptions::default() };
    let table = read(&text, calendars.first().map_or("", |(calendar, _)| &calendar.fallback_name), &options)?;
    let refused = table.set_aside.into_iter().map(|row| RefusedEvent {
        uid: String::new(),
        title: row.cells.join(" "),
        start: String::new(),
        why: WhyRefused::Row,
    });
    let with_zones = |calendar| {
        let zones = ZoneResolver::of(&calendar, choices);
        (calendar, zones)
    };
    let calendars = table.calendars.into_iter().map(with_zones).collect();
    Ok(InColumns { bytes: written.text.len(), calendars, refused: refused.collect() })
}

/// Calendars as a table of certain columns, or of the usual ones; what has no column is left
/// out.
pub fn written_in(
    calendars: &[(&Calendar<'_>, &ZoneResolver)],
    columns: Option<&Columns>,
    limits: &Limits,
) -> Result<WrittenTable, NoPlace> {
    let options = WriteOptions {
        columns: columns.cloned(),
        leave_out: LEFT_OUT.to_vec(),
        known_zone: own_zone(limits),
    };
    write(calendars, &options)
}

fn own_zone(limits: &Limits) -> Option<Zone> {
    match &limits.zones {
        Zones::One(zone) => Some(zone.clone()),
        Zones::Any => None,
    }
}

/// What is left out where the columns have no place for it, rather than written in
/// other words.
const LEFT_OUT: [ColumnField; 6] = [
    ColumnField::EndDate,
    ColumnField::Zone,
    ColumnField::Repeat,
    ColumnField::Exceptions,
    ColumnField::ExtraDates,
    ColumnField::Replaces,
];
