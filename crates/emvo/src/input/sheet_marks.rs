//! What the sheets of a spreadsheet say besides their cells: which cells are merged down
//! over several rows, and how many rows are hidden.
//!
//! ```text
//!       A (merged over rows 2 to 4)   B
//! 2     9 September                   Drill
//! 3                                   Watch      the date is that of all three
//! 4                                   Muster
//! ```
//!
//! Most sheets have neither. A look at the packed bytes tells, without taking the sheet
//! apart.

use std::collections::BTreeMap;
use std::io::{BufRead, BufReader, Cursor, Read};

use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};
use zip::ZipArchive;

/// What a sheet says besides its cells.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct SheetMarks {
    /// Cells that are merged down.
    pub(super) merged: Vec<MergedDown>,
    /// How many rows are hidden.
    pub(super) hidden_rows: usize,
}

/// A cell that stands for those below it as well; rows and columns count from 0.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct MergedDown {
    pub(super) top: u32,
    pub(super) bottom: u32,
    pub(super) column: u32,
}

type Book<'b> = ZipArchive<Cursor<&'b [u8]>>;

/// What the sheets of an .xlsx or .ods say, by their names. A book that cannot be taken
/// apart says nothing here; whoever reads its cells says what is wrong.
pub(super) fn of_sheets(bytes: &[u8]) -> BTreeMap<String, SheetMarks> {
    let Ok(mut book) = ZipArchive::new(Cursor::new(bytes)) else { return BTreeMap::new() };
    if book.index_for_name("content.xml").is_some() {
        return of_open_form(&mut book).unwrap_or_default();
    }
    let parts = sheet_parts(&mut book).unwrap_or_default();
    let marks = parts.into_iter().filter_map(|(name, part)| Some((name, of_part(&mut book, &part)?)));
    marks.collect()
}

/// The sheets of an .xlsx: the name of each, and the file that holds it.
fn sheet_parts(book: &mut Book<'_>) -> Option<Vec<(String, String)>> {
    let mut targets = BTreeMap::new();
    for_each_start(book, "xl/_rels/workbook.xml.rels", |tag| {
        if let (Some(id), Some(target)) = (value(tag, "Id"), value(tag, "Target")) {
            let path = target.strip_prefix('/').map_or_else(|| format!("xl/{target}"), str::to_owned);
            targets.insert(id, path);
        }
    })?;
    let mut sheets = Vec::new();
    for_each_start(book, "xl/workbook.xml", |tag| {
        if tag.local_name().as_ref() == "sheet"
            && let (Some(name), Some(id)) = (value(tag, "name"), value(tag, "id"))
            && let Some(path) = targets.get(&id)
        {
            sheets.push((name, path.clone()));
        }
    })?;
    Some(sheets)
}

fn of_part(book: &mut Book<'_>, part: &str) -> Option<SheetMarks> {
    let mut marks = SheetMarks::default();
    if !has_any(book.by_name(part).ok()?, &["mergeCell ", "hidden="])? {
        return Some(marks);
    }
    for_each_start(book, part, |tag| match tag.local_name().as_ref() {
        "row" => marks.hidden_rows += usize::from(value(tag, "hidden").is_some_and(|is| is_true(&is))),
        "mergeCell" => marks.merged.extend(value(tag, "ref").and_then(|range| merged_down(&range))),
        _ => {}
    })?;
    Some(marks)
}

fn is_true(value: &str) -> bool {
    matches!(value, "1" | "true")
}

/// `A2:A4`, or none if it is one row high.
fn merged_down(range: &str) -> Option<MergedDown> {
    let (first, last) = range.split_once(':')?;
    let ((top, column), (bottom, _)) = (place(first)?, place(last)?);
    (bottom > top).then_some(MergedDown { top, bottom, column })
}

/// The row and the column of `AB12`, from 0.
fn place(cell: &str) -> Option<(u32, u32)> {
    let letters = cell.bytes().take_while(u8::is_ascii_alphabetic).count();
    let mut column = 0_u32;
    for letter in cell[..letters].bytes() {
        column = column.checked_mul(26)?.checked_add(u32::from(letter.to_ascii_uppercase() - b'A') + 1)?;
    }
    let row: u32 = cell[letters..].parse().ok()?;
    Some((row.checked_sub(1)?, column.checked_sub(1)?))
}

/// The open form keeps all sheets in one file, and says how often rows and cells repeat.
fn of_open_form(book: &mut Book<'_>) -> Option<BTreeMap<String, SheetMarks>> {
    let words = ["number-rows-spanned=", "visibility=\"collapse\"", "visibility=\"filter\""];
    if !has_any(book.by_name("content.xml").ok()?, &words)? {
        return Some(BTreeMap::new());
    }
    let mut sheets: BTreeMap<String, SheetMarks> = BTreeMap::new();
    let (mut sheet, mut row, mut next_row, mut column) = (String::new(), 0_u32, 0_u32, 0_u32);
    for_each_start(book, "content.xml", |tag| {
        let number = |name: &str| value(tag, name).and_then(|text| text.parse::<u32>().ok()).unwrap_or(1);
        match tag.local_name().as_ref() {
            "table" => {
                sheet = value(tag, "name").unwrap_or_default();
                (row, next_row, column) = (0, 0, 0);
            }
            "table-row" => {
                let repeated = number("number-rows-repeated");
                (row, next_row, column) = (next_row, next_row.saturating_add(repeated), 0);
                if value(tag, "visibility").is_some_and(|how| how != "visible") {
                    sheets.entry(sheet.clone()).or_default().hidden_rows += repeated as usize;
                }
            }
            "table-cell" | "covered-table-cell" => {
                let spanned = number("number-rows-spanned");
                if spanned > 1 {
                    let bottom = row.saturating_add(spanned - 1);
                    let merged = MergedDown { top: row, bottom, column };
                    sheets.entry(sheet.clone()).or_default().merged.push(merged);
                }
                column = column.saturating_add(number("number-columns-repeated"));
            }
            _ => {}
        }
    })?;
    Some(sheets)
}

/// Calls for each tag that opens, or stands alone, in a file of the book.
fn for_each_start(book: &mut Book<'_>, part: &str, mut look: impl FnMut(&BytesStart<'_>)) -> Option<()> {
    let mut reader = Reader::from_reader(BufReader::new(book.by_name(part).ok()?));
    reader.config_mut().check_end_names = false;
    let mut buffer = Vec::new();
    loop {
        buffer.clear();
        match reader.read_event_into(&mut buffer).ok()? {
            Event::Start(tag) | Event::Empty(tag) => look(&tag),
            Event::Eof => return Some(()),
            _ => {}
        }
    }
}

/// The value of an attribute, whatever stands for its namespace.
pub(super) fn value(tag: &BytesStart<'_>, name: &str) -> Option<String> {
    let named = |attribute: &quick_xml::events::attributes::Attribute<'_>| {
        attribute.key.local_name().as_ref() == name
    };
    let attribute = tag.attributes().flatten().find(named)?;
    Some(attribute.normalized_value(quick_xml::XmlVersion::Implicit1_0).ok()?.into_owned())
}

/// Whether one of some words is in a file, read piece by piece.
fn has_any(file: impl Read, words: &[&str]) -> Option<bool> {
    let longest = words.iter().map(|word| word.len()).max()?;
    let mut reader = BufReader::with_capacity(1 << 16, file);
    // The end of the piece before, where a word may begin.
    let mut piece: Vec<u8> = Vec::new();
    loop {
        let more = reader.fill_buf().ok()?;
        if more.is_empty() {
            return Some(false);
        }
        let length = more.len();
        piece.extend_from_slice(more);
        if words.iter().any(|word| memchr::memmem::find(&piece, word.as_bytes()).is_some()) {
            return Some(true);
        }
        reader.consume(length);
        piece.drain(..piece.len().saturating_sub(longest));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn cells_have_places() {
        for (cell, expected) in [
            ("A1", Some((0, 0))),
            ("B12", Some((11, 1))),
            ("AB3", Some((2, 27))),
            ("A0", None),
            ("12", None),
            ("A", None),
            ("ZZZZZZZZZ1", None),
        ] {
            assert_eq!(place(cell), expected, "{cell}");
        }
        let down = merged_down("A2:B4");
        assert_eq!(down, Some(MergedDown { top: 1, bottom: 3, column: 0 }));
        assert_eq!(merged_down("A2:C2"), None, "across alone");
    }

    #[test]
    fn words_are_found_across_pieces() {
        let text = format!("{}hidden={}", "x".repeat((1 << 16) - 3), "x".repeat(99));
        assert_eq!(has_any(text.as_bytes(), &["mergeCell ", "hidden="]), Some(true));
        assert_eq!(has_any(&b"nothing here"[..], &["mergeCell ", "hidden="]), Some(false));
    }
}
