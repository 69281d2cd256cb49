//! The row of headers: the one whose words are known, the one that a person names, or
//! none.

use super::column::ColumnField;
use super::columns_file::Content;
use super::layout::{Delimiter, Layout, MOST_COLUMNS, ROWS_ABOVE_HEADER, reader, same_header, sniff};
use super::read::{ReadOptions, TableError};
use super::shape::{Holds, Shape};

/// A table without a header has rows of one length, nearly all of them.
const ROWS_WITHOUT_HEADER: usize = 50;

/// Whether a text is a table of events: its headers say so, or the options name its
/// columns.
pub fn is_table(text: &str, options: &ReadOptions) -> bool {
    find(text, options).is_some()
}

/// The layout of a table, with what a person has settled, and the places of that.
pub(super) fn settled_layout(text: &str, options: &ReadOptions) -> Result<(Layout, Vec<usize>), TableError> {
    let mut layout = find(text, options).ok_or(TableError::NoHeader)?;
    let mut settled = Vec::new();
    for column in options.columns_file.iter().flat_map(|file| &file.list) {
        let Some(at) = layout.position(&column.header) else {
            // A file that is used both ways may name columns that this table lacks.
            continue;
        };
        settled.push(at);
        match column.content {
            Content::Field(field) => layout.settle(field, at),
            Content::Fixed(_) | Content::Carried => layout.carried.push(at),
        }
    }
    let place = |layout: &Layout, header: &String| {
        layout.position(header).ok_or_else(|| TableError::NoColumn {
            header: header.clone(),
            found: (0..layout.headers.len()).map(|at| layout.name_of(at)).collect::<Vec<_>>().join(", "),
        })
    };
    for (field, header) in &options.columns {
        let at = place(&layout, header)?;
        layout.settle(*field, at);
        settled.push(at);
    }
    for header in &options.carried {
        let at = place(&layout, header)?;
        layout.fields[at] = None;
        layout.carried.push(at);
        settled.push(at);
    }
    Ok((layout, settled))
}

/// What a person names goes before what is known: so a table in any language is read.
fn find(text: &str, options: &ReadOptions) -> Option<Layout> {
    let typed = options.columns.iter().map(|(_, header)| header.as_str());
    let (numbers, names): (Vec<&str>, Vec<&str>) = typed.partition(|header| header.starts_with('#'));
    if !names.is_empty()
        && let Some(layout) = with_names(text, &names)
    {
        return Some(layout);
    }
    let from_file = options.columns_file.iter().flat_map(|file| &file.list);
    let in_file: Vec<&str> = from_file.map(|column| column.header.as_str()).collect();
    let named_in_file = || (!in_file.is_empty()).then(|| with_names(text, &in_file)).flatten();
    let has_numbers = !numbers.is_empty() || in_file.iter().any(|header| number_of(header).is_some());
    let by_number = || (names.is_empty() && has_numbers).then(|| without_header(text, options)).flatten();
    sniff(text).or_else(named_in_file).or_else(by_number)
}

/// The place of a column that is named by its number: `#3`, `column 3`.
pub(super) fn number_of(header: &str) -> Option<usize> {
    let number = header.strip_prefix('#').or_else(|| header.strip_prefix("column "))?;
    number.parse::<usize>().ok()?.checked_sub(1)
}

/// The row that has all these headers.
fn with_names(text: &str, names: &[&str]) -> Option<Layout> {
    Delimiter::ALL.into_iter().find_map(|delimiter| {
        let records = reader(text, delimiter).into_byte_records().take(ROWS_ABOVE_HEADER).flatten();
        records.enumerate().find_map(|(above, record)| {
            if record.len() > MOST_COLUMNS {
                return None;
            }
            let layout = Layout::of_header(&record, delimiter, above + 1);
            let has = |name: &&str| layout.headers.iter().any(|header| same_header(header, name.trim()));
            names.iter().all(has).then_some(layout)
        })
    })
}

/// A table of rows alone, whose start is in the column that a person names.
fn without_header(text: &str, options: &ReadOptions) -> Option<Layout> {
    let is_start = |field: ColumnField| matches!(field, ColumnField::Start | ColumnField::StartDate);
    let typed = options.columns.iter().map(|(field, header)| (Content::Field(*field), header));
    let in_file = options.columns_file.iter().flat_map(|file| &file.list);
    let all = typed.chain(in_file.map(|column| (column.content.clone(), &column.header)));
    let mut starts = all.filter_map(|(content, header)| match content {
        Content::Field(field) if is_start(field) => number_of(header),
        _ => None,
    });
    let start = starts.next()?;
    Delimiter::ALL.into_iter().find_map(|delimiter| {
        let mut rows = reader(text, delimiter);
        let rows: Vec<csv::StringRecord> = rows.records().take(ROWS_WITHOUT_HEADER).flatten().collect();
        let width = rows.iter().map(csv::StringRecord::len).max().filter(|width| *width <= MOST_COLUMNS)?;
        let mut shape = Shape::default();
        rows.iter().filter_map(|row| row.get(start)).for_each(|cell| shape.add(0, cell));
        let is_start = matches!(shape.holds(), Holds::Dates | Holds::Moments);
        (width > start && width > 1 && is_start).then(|| Layout::without_header(delimiter, width))
    })
}
