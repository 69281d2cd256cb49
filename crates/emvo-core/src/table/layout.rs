//! How a table is laid out: its delimiter, its header, its columns.

use csv::{ByteRecord, ReaderBuilder};

use super::column::Field;

/// What stands between the cells of a row.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Delimiter {
    /// `,` as in RFC 4180.
    Comma,
    /// `;`, where the comma is for decimals.
    Semicolon,
    /// A tab.
    Tab,
}

impl Delimiter {
    const ALL: [Self; 3] = [Self::Comma, Self::Semicolon, Self::Tab];

    pub(super) fn byte(self) -> u8 {
        match self {
            Self::Comma => b',',
            Self::Semicolon => b';',
            Self::Tab => b'\t',
        }
    }
}

/// How many rows may stand above the header: titles, blanks, export notes.
const ROWS_ABOVE_HEADER: usize = 20;

/// A table's layout.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Layout {
    /// What stands between cells.
    pub delimiter: Delimiter,
    /// How many records stand above the header.
    pub(super) above_header: usize,
    /// The header cells as they stand.
    pub headers: Vec<String>,
    /// What each column is, by its place; `None` for one that nobody claims.
    pub fields: Vec<Option<Field>>,
}

impl Layout {
    /// The place of the column for a field.
    pub(super) fn column(&self, field: Field) -> Option<usize> {
        self.fields.iter().position(|known| *known == Some(field))
    }

    /// Whether the columns say when something starts.
    pub(super) fn has_start(&self) -> bool {
        self.column(Field::Start).is_some() || self.column(Field::StartDate).is_some()
    }
}

/// Finds the layout of a text, if it is a table of events: some row has headers
/// for a start and at least one thing more.
pub fn sniff(text: &str) -> Option<Layout> {
    let layouts = Delimiter::ALL.into_iter().filter_map(|delimiter| layout_with(text, delimiter));
    layouts.max_by_key(|layout| layout.fields.iter().flatten().count())
}

fn layout_with(text: &str, delimiter: Delimiter) -> Option<Layout> {
    let mut best: Option<Layout> = None;
    for (above_header, record) in reader(text, delimiter).byte_records().take(ROWS_ABOVE_HEADER).enumerate() {
        let Ok(record) = record else { continue };
        let layout = layout_of(&record, delimiter, above_header);
        let claimed = layout.fields.iter().flatten().count();
        let is_header = layout.has_start() && claimed >= 2;
        if is_header && best.as_ref().is_none_or(|best| claimed > best.fields.iter().flatten().count()) {
            best = Some(layout);
        }
    }
    best
}

fn layout_of(record: &ByteRecord, delimiter: Delimiter, above_header: usize) -> Layout {
    let headers: Vec<String> =
        record.iter().map(|cell| String::from_utf8_lossy(cell).trim().to_owned()).collect();
    let mut fields: Vec<Option<Field>> = Vec::with_capacity(headers.len());
    for header in &headers {
        // The first column of a kind is it; a second one is carried.
        let field = Field::of_header(header).filter(|field| !fields.contains(&Some(*field)));
        fields.push(field);
    }
    Layout { delimiter, above_header, headers, fields }
}

pub(super) fn reader(text: &str, delimiter: Delimiter) -> csv::Reader<&[u8]> {
    ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(delimiter.byte())
        .from_reader(text.as_bytes())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_header_is_found_below_titles_and_with_any_delimiter() {
        let rows = [
            ("Subject,Start Date,Start Time\n", Delimiter::Comma, 0),
            ("Crew plan;;\n;;\nTitel;Datum;Tid\n", Delimiter::Semicolon, 2),
            ("title\tstart\tend\n", Delimiter::Tab, 0),
        ];
        for (text, delimiter, above) in rows {
            let layout = sniff(text).unwrap();
            assert_eq!((layout.delimiter, layout.above_header), (delimiter, above), "{text}");
        }
        for text in ["", "just,some,words\n1,2,3\n", "title,location\na,b\n"] {
            assert_eq!(sniff(text), None, "{text}");
        }
    }
}
