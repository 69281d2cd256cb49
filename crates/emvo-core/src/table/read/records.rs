//! The records of a table one at a time: a table may be larger than what its
//! records would take all at once.

use std::ops::Range;

use crate::table::cell::is_lost;
use crate::table::layout::{Layout, MOST_COLUMNS, reader};

/// A part of a table that starts where a record does.
#[derive(Clone, Copy, Debug)]
pub(super) struct Stretch<'t> {
    text: &'t str,
    /// How many lines stand above it.
    lines_above: u64,
    /// How many of them are breaks inside cells.
    breaks_above: u64,
    /// How many rows of events stand above it.
    pub(super) rows_above: usize,
    /// How many rows it has.
    pub(super) rows: usize,
}

/// Where a record starts.
#[derive(Clone, Copy, Debug)]
pub(super) struct Place {
    byte: usize,
    lines_above: u64,
    breaks_above: u64,
}

impl<'t> Stretch<'t> {
    /// The whole text.
    pub(super) fn whole(text: &'t str) -> Self {
        Self { text, lines_above: 0, breaks_above: 0, rows_above: 0, rows: 0 }
    }

    /// The stretch of a text from one place to another.
    pub(super) fn between(text: &'t str, from: Place, until: Place, rows: Range<usize>) -> Self {
        let Place { byte, lines_above, breaks_above } = from;
        let text = text.get(byte..until.byte).unwrap_or_default();
        Self { text, lines_above, breaks_above, rows_above: rows.start, rows: rows.len() }
    }
}

/// Reads a stretch record by record.
pub(super) struct Records<'t> {
    stretch: Stretch<'t>,
    reader: csv::Reader<&'t [u8]>,
    record: csv::StringRecord,
    /// The line breaks inside the cells read so far.
    breaks: u64,
}

impl<'t> Records<'t> {
    pub(super) fn of(stretch: Stretch<'t>, layout: &Layout) -> Self {
        let reader = reader(stretch.text, layout.delimiter);
        Self { stretch, reader, record: csv::StringRecord::new(), breaks: 0 }
    }

    /// Where the next record starts.
    pub(super) fn place(&self) -> Place {
        let position = self.reader.position();
        Place {
            byte: usize::try_from(position.byte()).unwrap_or(usize::MAX),
            lines_above: self.stretch.lines_above + position.line() - 1,
            breaks_above: self.stretch.breaks_above + self.breaks,
        }
    }

    /// The next record and its row, as a spreadsheet shows it: the first is 1.
    pub(super) fn next(&mut self) -> Option<(u64, &csv::StringRecord)> {
        // The text is UTF-8 and rows may have any length, so no row is an error.
        if !self.reader.read_record(&mut self.record).unwrap_or(false) {
            return None;
        }
        let line = self.record.position().map_or(0, |position| line_at(self.stretch.text, position));
        let row = (self.stretch.lines_above + line).saturating_sub(self.stretch.breaks_above + self.breaks);
        self.breaks += line_breaks_in(&self.record);
        Some((row, &self.record))
    }
}

/// Whether a record below the header is a row: no blank line, no line of
/// separators, no comment, and not the header again.
pub(super) fn is_row(record: &csv::StringRecord, layout: &Layout) -> bool {
    let is_blank = record.len() <= MOST_COLUMNS
        && record.iter().all(|cell| cell.trim().bytes().all(|byte| b"-=_*~".contains(&byte)));
    let is_header = || {
        let headers = layout.headers.iter().map(String::as_str);
        layout.to_header > 0 && record.iter().map(str::trim).eq(headers.take(record.len()))
    };
    !is_blank && !is_comment(record) && !is_header()
}

/// The line on which a record starts: its position stands before the empty lines
/// above it.
fn line_at(text: &str, position: &csv::Position) -> u64 {
    let from = usize::try_from(position.byte()).unwrap_or(usize::MAX);
    let above =
        text.as_bytes().get(from..).unwrap_or_default().iter().take_while(|byte| b"\r\n".contains(byte));
    position.line() + above.filter(|byte| **byte == b'\n').count() as u64
}

fn line_breaks_in(record: &csv::StringRecord) -> u64 {
    let bytes = record.as_slice().as_bytes();
    memchr::memchr_iter(b'\n', bytes).count() as u64
}

/// A line that starts with `#` and has nothing else in it.
pub(super) fn is_comment(record: &csv::StringRecord) -> bool {
    let mut cells = record.iter();
    cells.next().is_some_and(|first| first.trim_start().starts_with("# ") && !is_lost(first))
        && cells.all(|cell| cell.trim().is_empty())
}
