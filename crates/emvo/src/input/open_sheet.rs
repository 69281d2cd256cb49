//! How large an .ods is once what repeats in it is written out, as whoever reads its cells
//! does: all rows down to the last that says something, as wide as the widest.
//!
//! ```text
//! <table-row number-rows-repeated="1000000">
//!   <table-cell number-columns-repeated="3">500 letters      1,000,000 × 3 × (32 + 500) bytes
//! ```
//!
//! A file of 2 kB can so take gigabytes, also where most of it is empty: between a wide row
//! and one far below it, every cell is there.

use std::io::{BufReader, Cursor};

use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};
use zip::ZipArchive;

use super::sheet_marks::value;

/// What a cell takes besides its text, in bytes.
const OF_CELL: u64 = 32;

/// How many bytes the cells of an .ods take; none of any other book.
pub(super) fn bytes_written_out(book: &[u8]) -> u64 {
    let size_of_cells = || {
        let mut book = ZipArchive::new(Cursor::new(book)).ok()?;
        let mut reader = Reader::from_reader(BufReader::new(book.by_name("content.xml").ok()?));
        reader.config_mut().check_end_names = false;
        let (mut buffer, mut sheets) = (Vec::new(), WrittenOut::default());
        loop {
            buffer.clear();
            match reader.read_event_into(&mut buffer).ok()? {
                Event::Start(tag) => sheets.open(&tag),
                Event::Empty(tag) => {
                    sheets.open(&tag);
                    sheets.close(tag.local_name().as_ref());
                }
                Event::End(tag) => sheets.close(tag.local_name().as_ref()),
                Event::Text(text) => sheets.say(text.len()),
                Event::CData(text) => sheets.say(text.len()),
                Event::GeneralRef(_) => sheets.say(1),
                Event::Eof => return Some(sheets.bytes),
                _ => {}
            }
        }
    };
    size_of_cells().unwrap_or_default()
}

/// What sheets come to.
#[derive(Default)]
struct WrittenOut {
    /// Of those that have ended.
    bytes: u64,
    sheet: SheetSize,
    row: RowSize,
    /// How often the cell that is read repeats, and how much it says.
    cells: u64,
    says: u64,
}

#[derive(Default)]
struct SheetSize {
    rows: u64,
    /// The rows down to the last that says something.
    filled: u64,
    /// As far as the widest says something, in cells.
    width: u64,
    texts: u64,
}

#[derive(Default)]
struct RowSize {
    repeats: u64,
    cells: u64,
    /// The cells up to the last that says something.
    width: u64,
    texts: u64,
}

impl WrittenOut {
    fn open(&mut self, tag: &BytesStart<'_>) {
        let number = |name: &str| value(tag, name).and_then(|text| text.parse::<u64>().ok()).unwrap_or(1);
        match tag.local_name().as_ref() {
            "table-row" => {
                self.row = RowSize { repeats: number("number-rows-repeated"), ..RowSize::default() }
            }
            "table-cell" | "covered-table-cell" => {
                self.cells = number("number-columns-repeated");
                // A value may stand in the tag alone.
                self.says = if value(tag, "value-type").is_some() { tag.len() as u64 } else { 0 };
            }
            // So many blanks.
            "s" => self.says = self.says.saturating_add(number("c")),
            _ => {}
        }
    }

    fn say(&mut self, bytes: usize) {
        self.says = self.says.saturating_add(bytes as u64);
    }

    fn close(&mut self, name: &str) {
        let (sheet, row) = (&mut self.sheet, &mut self.row);
        match name {
            "table-cell" | "covered-table-cell" => {
                row.cells = row.cells.saturating_add(self.cells);
                if self.says > 0 {
                    row.width = row.cells;
                    row.texts = row.texts.saturating_add(self.cells.saturating_mul(self.says));
                }
            }
            "table-row" => {
                sheet.rows = sheet.rows.saturating_add(row.repeats);
                if row.width > 0 {
                    (sheet.filled, sheet.width) = (sheet.rows, sheet.width.max(row.width));
                    sheet.texts = sheet.texts.saturating_add(row.repeats.saturating_mul(row.texts));
                }
            }
            "table" => {
                let cells = sheet.filled.saturating_mul(sheet.width);
                let of_sheet = cells.saturating_mul(OF_CELL).saturating_add(sheet.texts);
                self.bytes = self.bytes.saturating_add(of_sheet);
                self.sheet = SheetSize::default();
            }
            _ => {}
        }
    }
}
