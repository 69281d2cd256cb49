//! Calendars → the bytes of one file, and how many events a reader finds in them.

use anyhow::Context;
use emvo_core::edit::Edited;
use emvo_core::product::PRODUCT_ID;
use emvo_core::table::{self, CannotCarry, WriteOptions};
use emvo_ical::calendar::{Calendar, count_events, write_with_head};
use emvo_ical::content::{Property, encode};

use super::target::Kind;
use crate::input::Reading;

/// How tables are written.
#[derive(Debug, Default)]
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

/// The bytes of some calendars as one file, and how many events a reader finds
/// in them.
pub(crate) fn bytes_of(
    edited: &[&Edited<'_>],
    kind: Kind,
    form: &TableForm,
    cannot_carry: &mut CannotCarry,
) -> anyhow::Result<(Vec<u8>, usize)> {
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
            let written = std::str::from_utf8(&bytes).map_or(0, count_events);
            Ok((bytes, written))
        }
        Kind::Csv => {
            let table = table::write(&all, &form.options).context(
                "nothing was written; --unroll, --express-in ZONE or --leave-out FIELD settles it",
            )?;
            for (name, count) in table.cannot_carry {
                *cannot_carry.entry(name).or_insert(0) += count;
            }
            Ok((encoded(table.text)?, table.events))
        }
        Kind::JsonLines => Ok(table::write_lines(&all)),
    }
}

/// What a calendar from a table lacks at its head; every other keeps its own.
pub(super) fn missing_head(calendar: &Calendar<'_>) -> Vec<Property<'static>> {
    let missing = calendar.missing_head(PRODUCT_ID);
    if missing.len() < 2 { Vec::new() } else { missing }
}
