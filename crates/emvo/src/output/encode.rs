//! Calendars → the bytes of one file, and how many events a reader finds in them.

use anyhow::Context;
use emvo_core::edit::{Edited, StatementsOff};
use emvo_core::product::PRODUCT_ID;
use emvo_core::table::{self, CannotCarry, ColumnField, Guard, WriteOptions, WrittenTable};
use emvo_ical::calendar::fields::Field;
use emvo_ical::calendar::{Calendar, ComponentCounts, TextCounts, count_components, write, write_with_head};
use emvo_ical::content::{Property, encode};
use emvo_ical::zone::ZoneResolver;

use super::target::Kind;
use super::workbook::workbook_of;
use crate::input::{Reading, cells_in};

/// How tables are written.
#[derive(Clone, Debug, Default)]
pub(crate) struct TableForm {
    pub(crate) options: WriteOptions,
    /// The charset, if not UTF-8.
    pub(crate) encoding: Option<String>,
}

impl TableForm {
    /// As the columns file says, if there is one.
    pub(crate) fn of(reading: &Reading) -> Self {
        let columns = reading.table.columns_file.clone();
        let encoding = columns.as_ref().and_then(|columns| columns.encoding.clone());
        Self { options: WriteOptions { columns, ..WriteOptions::default() }, encoding }
    }
}

impl TableForm {
    /// The same for a workbook, whose cells have no delimiter, pattern or guard.
    fn of_workbook(form: &Self) -> Self {
        let mut form = form.clone();
        if let Some(columns) = &mut form.options.columns {
            (columns.delimiter, columns.encoding) = (None, None);
            (columns.date, columns.time) = (None, None);
            columns.guard = Guard::On;
        }
        form
    }
}

/// Some calendars as one file.
#[derive(Default)]
pub(crate) struct Encoded {
    pub(crate) bytes: Vec<u8>,
    /// What a reader finds in it.
    pub(crate) written: TextCounts,
    /// What is no event, where the form has no place for it.
    pub(crate) left_behind: ComponentCounts,
    /// What the form has no place for, by name.
    pub(crate) cannot_carry: CannotCarry,
    /// How much of that events say.
    pub(crate) unplaced: usize,
}

impl Encoded {
    /// A table of these bytes. What was asked to be left out wants no place.
    fn of_table(bytes: Vec<u8>, table: WrittenTable, asked: &[ColumnField]) -> Result<Self, StatementsOff> {
        StatementsOff::ensure_none(table.cells, table.cells_found)?;
        let is_asked = |name: &str| {
            // As in "texts of VALARM".
            let name = name.rsplit(' ').next().unwrap_or(name);
            Field::of_property(name).is_some_and(|field| asked.iter().any(|one| one.field() == Some(field)))
        };
        let unasked = table.cannot_carry.iter().filter(|(name, _)| !is_asked(name));
        let all: usize = unasked.map(|(_, count)| count).sum();
        let ComponentCounts { tasks, journals, others, .. } = table.left_behind;
        let components = ComponentCounts::of_events(table.events);
        Ok(Self {
            bytes,
            written: TextCounts { components, statements: table.cells_found },
            left_behind: table.left_behind,
            unplaced: all - (tasks + journals + others),
            cannot_carry: table.cannot_carry,
        })
    }
}

/// A calendar that was made here, as a file.
pub(crate) fn calendar_bytes(calendar: &Calendar<'_>) -> Vec<u8> {
    let mut bytes = Vec::new();
    write(calendar, &mut bytes);
    bytes
}

/// The bytes of some calendars as one file, and what a reader finds in them.
pub(crate) fn bytes_of(edited: &[&Edited<'_>], kind: Kind, form: &TableForm) -> anyhow::Result<Encoded> {
    let all: Vec<_> = edited.iter().map(|one| (&one.calendar, &one.zones)).collect();
    let encoded = |text: Vec<u8>| match &form.encoding {
        None => Ok(text),
        Some(label) => {
            let text = String::from_utf8(text).context("the table is not UTF-8")?;
            encode(&text, label).context("--encoding")
        }
    };
    match kind {
        Kind::Ics => {
            let mut bytes = Vec::new();
            for one in edited {
                write_with_head(&one.calendar, &missing_head(&one.calendar), &mut bytes);
            }
            let written = std::str::from_utf8(&bytes).map(count_components).unwrap_or_default();
            Ok(Encoded { bytes, written, ..Encoded::default() })
        }
        Kind::Csv => {
            let mut table = table::write(&all, &form.options).context(NOTHING_WRITTEN)?;
            let bytes = encoded(std::mem::take(&mut table.text))?;
            Ok(Encoded::of_table(bytes, table, &form.options.leave_out)?)
        }
        Kind::Xlsx => {
            let (bytes, table) = workbook_with(&all, &TableForm::of_workbook(form).options)?;
            Ok(Encoded::of_table(bytes, table, &form.options.leave_out)?)
        }
        Kind::JsonLines => {
            let mut lines = table::write_lines(&all);
            let bytes = std::mem::take(&mut lines.text);
            Ok(Encoded::of_table(bytes, lines, &[])?)
        }
    }
}

const NOTHING_WRITTEN: &str =
    "nothing was written; --unroll, --express-in ZONE or --leave-out FIELD settles it";

/// More calendars than this are no sheets that anybody goes through.
const MOST_SHEETS: usize = 50;

/// Calendars as a workbook, each on a sheet of its own; and what its tables could not hold.
fn workbook_with(
    all: &[(&Calendar<'_>, &ZoneResolver)],
    options: &WriteOptions,
) -> anyhow::Result<(Vec<u8>, WrittenTable)> {
    let at_once = if all.len() > MOST_SHEETS { all.len() } else { 1 };
    let mut whole = WrittenTable::default();
    let mut sheets = Vec::new();
    // Without a calendar there is a sheet all the same.
    let none = [all];
    let parts: Vec<_> = if all.is_empty() { none.to_vec() } else { all.chunks(at_once).collect() };
    for part in parts {
        let table = table::write(part, options).context(NOTHING_WRITTEN)?;
        let name =
            part.first().filter(|_| all.len() > 1 && at_once == 1).map(|(calendar, _)| calendar.name());
        whole.events += table.events;
        whole.cells += table.cells;
        whole.left_behind += table.left_behind;
        for (field, count) in table.cannot_carry {
            *whole.cannot_carry.entry(field).or_insert(0) += count;
        }
        sheets.push((name, table.text));
    }
    let sheets: Vec<_> = sheets.iter().map(|(name, text)| (name.as_deref(), text.as_slice())).collect();
    let bytes = workbook_of(&sheets)?;
    // What a reader finds in the file itself, not in what it was made of.
    whole.cells_found = cells_in(&bytes)?;
    Ok((bytes, whole))
}

/// What a calendar from a table lacks at its head; every other keeps its own.
pub(super) fn missing_head(calendar: &Calendar<'_>) -> Vec<Property<'static>> {
    let missing = calendar.missing_head(PRODUCT_ID);
    if missing.len() < 2 { Vec::new() } else { missing }
}
