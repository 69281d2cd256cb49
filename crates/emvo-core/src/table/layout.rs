//! How a table is laid out: its delimiter, its header, its columns.

use std::borrow::Cow;

use csv::{ByteRecord, ReaderBuilder};

use super::column::ColumnField;
use super::habits::LengthUnit;
use super::header::number_of;
use super::words::{Sureness, field_of, is_stamp, unit_of};

/// What stands between the cells of a row.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Delimiter {
    /// `,` as in RFC 4180.
    #[default]
    Comma,
    /// `;`, where the comma is for decimals.
    Semicolon,
    /// A tab.
    Tab,
    /// `|`.
    Bar,
}

impl Delimiter {
    pub(super) const ALL: [Self; 4] = [Self::Comma, Self::Semicolon, Self::Tab, Self::Bar];

    pub(super) fn byte(self) -> u8 {
        match self {
            Self::Comma => b',',
            Self::Semicolon => b';',
            Self::Tab => b'\t',
            Self::Bar => b'|',
        }
    }

    /// In words, for people.
    pub fn name(self) -> &'static str {
        match self {
            Self::Comma => "comma",
            Self::Semicolon => "semicolon",
            Self::Tab => "tab",
            Self::Bar => "vertical bar",
        }
    }

    /// The delimiter that a sign or a word means.
    pub fn of_name(name: &str) -> Option<Self> {
        match name {
            "\t" => Some(Self::Tab),
            "," => Some(Self::Comma),
            ";" => Some(Self::Semicolon),
            "|" => Some(Self::Bar),
            name => Self::ALL.into_iter().find(|delimiter| delimiter.name() == name),
        }
    }
}

/// How many rows may stand above the header: titles, blanks, export notes.
pub(super) const ROWS_ABOVE_HEADER: usize = 20;
/// A row with more cells than this is no row of a table that people made.
pub(super) const MOST_COLUMNS: usize = 4_096;

/// A table's layout.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Layout {
    /// What stands between cells.
    pub delimiter: Delimiter,
    /// How many records there are down to the header, itself included; none where the
    /// table has no header.
    pub(super) to_header: usize,
    /// The header cells as they stand; empty ones where the table has none, or rows have
    /// more cells than it.
    pub headers: Vec<String>,
    /// What each column is, by its place; `None` for one that nobody claims.
    pub fields: Vec<Option<ColumnField>>,
    /// Columns that claim the same field with equal right, by their places.
    pub(super) rivals: Vec<(ColumnField, usize, usize)>,
    /// Columns that are no field of an event and that nobody has to decide about.
    pub(super) carried: Vec<usize>,
    /// Columns without a header that have cells, by their places.
    nameless: Vec<usize>,
}

impl Layout {
    /// The place of the column for a field.
    pub(super) fn column(&self, field: ColumnField) -> Option<usize> {
        self.fields.iter().position(|known| *known == Some(field))
    }

    /// Whether the columns say when something starts.
    fn has_start(&self) -> bool {
        self.column(ColumnField::Start).is_some() || self.column(ColumnField::StartDate).is_some()
    }

    fn claimed(&self) -> usize {
        self.fields.iter().flatten().count()
    }

    /// Makes a column the one for a field, whoever claimed it before.
    pub(super) fn settle(&mut self, field: ColumnField, at: usize) {
        self.fields.iter_mut().filter(|known| **known == Some(field)).for_each(|known| *known = None);
        self.rivals.retain(|(contested, one, two)| *contested != field && *one != at && *two != at);
        self.fields[at] = Some(field);
    }

    /// What people call a column: its header, or `column 3`.
    pub(super) fn name_of(&self, at: usize) -> Cow<'_, str> {
        match self.headers.get(at).map(String::as_str) {
            None | Some("") => Cow::Owned(format!("column {}", at + 1)),
            Some(header) => Cow::Borrowed(header),
        }
    }

    /// The place of a column by its header, by what people call it, or by its number as
    /// `#3`.
    pub(super) fn position(&self, header: &str) -> Option<usize> {
        let header = header.trim();
        let by_name = self.headers.iter().position(|known| !known.is_empty() && same_header(known, header));
        by_name.or_else(|| number_of(header)).filter(|at| *at < self.headers.len())
    }

    /// Takes in what the rows have: columns without a header, and more of them than it
    /// has. `filled` says whether a column has a cell.
    pub(super) fn widen(&mut self, filled: impl ExactSizeIterator<Item = bool>) {
        let width = self.headers.len().max(filled.len());
        self.headers.resize(width, String::new());
        self.fields.resize(width, None);
        let is_nameless = |(at, filled): (usize, bool)| (filled && self.headers[at].is_empty()).then_some(at);
        self.nameless = filled.enumerate().filter_map(is_nameless).collect();
    }

    /// The columns that nobody claims: their names and places.
    pub(super) fn unclaimed(&self) -> impl Iterator<Item = (Cow<'_, str>, usize)> {
        let is_free = |at: &usize| {
            self.fields[*at].is_none() && (!self.headers[*at].is_empty() || self.nameless.contains(at))
        };
        (0..self.fields.len()).filter(is_free).map(|at| (self.name_of(at), at))
    }

    /// The unit that a header of lengths has in brackets: `Dauer (Std.)`.
    pub(super) fn unit_of(&self, at: usize) -> Option<LengthUnit> {
        let (_, unit) = in_brackets(self.headers.get(at)?)?;
        match unit_of(unit.trim().trim_end_matches('.').to_lowercase().as_str())? {
            3600 => Some(LengthUnit::Hours),
            60 => Some(LengthUnit::Minutes),
            86_400 => Some(LengthUnit::Days),
            _ => None,
        }
    }

    /// Whether it is that of a table that Emvo wrote, whose other columns were carried
    /// along before.
    pub(super) fn is_own(&self) -> bool {
        is_own_table(&self.headers)
    }

    /// Whether a header is that of a stamp: when somebody wrote the row, not when the
    /// event is.
    pub(super) fn is_stamp(&self, at: usize) -> bool {
        self.headers.get(at).is_some_and(|header| is_stamp(header))
    }
}

/// The field that a header means, whatever unit it has in brackets.
fn claim_of(header: &str) -> Option<(ColumnField, Sureness)> {
    field_of(header).or_else(|| field_of(in_brackets(header)?.0))
}

/// A header, and what it has in brackets behind it.
fn in_brackets(header: &str) -> Option<(&str, &str)> {
    let (word, rest) = header.split_once(['(', '['])?;
    Some((word.trim(), rest.trim_end_matches([')', ']'])))
}

/// Whether two headers are one, without regard to case in any script.
pub(super) fn same_header(one: &str, two: &str) -> bool {
    one == two || one.to_lowercase() == two.to_lowercase()
}

/// Finds the layout of a text, if it is a table of events: some row has headers
/// for a start and at least one thing more.
pub fn sniff(text: &str) -> Option<Layout> {
    let layouts = Delimiter::ALL.into_iter().filter_map(|delimiter| layout_with(text, delimiter));
    // Of equals the first: the comma before the semicolon.
    layouts.rev().max_by_key(Layout::claimed)
}

fn layout_with(text: &str, delimiter: Delimiter) -> Option<Layout> {
    let mut best: Option<Layout> = None;
    for (above_header, record) in reader(text, delimiter).byte_records().take(ROWS_ABOVE_HEADER).enumerate() {
        let Ok(record) = record else { continue };
        if record.len() < 2 || record.len() > MOST_COLUMNS {
            continue;
        }
        let layout = Layout::of_header(&record, delimiter, above_header + 1);
        let is_header = layout.has_start() && layout.claimed() >= 2;
        if is_header && best.as_ref().is_none_or(|best| layout.claimed() > best.claimed()) {
            best = Some(layout);
        }
    }
    best
}

impl Layout {
    /// The layout that a row of headers proposes.
    pub(super) fn of_header(record: &ByteRecord, delimiter: Delimiter, to_header: usize) -> Self {
        let headers: Vec<String> =
            record.iter().map(|cell| String::from_utf8_lossy(cell).trim().to_owned()).collect();
        let mut layout = Self { headers, ..Self::without_header(delimiter, 0) };
        (layout.to_header, layout.fields) = (to_header, vec![None; layout.headers.len()]);
        let is_own = is_own_table(&layout.headers);
        let claims: Vec<Option<(ColumnField, Sureness)>> = layout
            .headers
            .iter()
            .map(|header| claim_of(header).filter(|(field, _)| !is_own || header == field.name()))
            .collect();
        for (at, (field, sureness)) in
            claims.iter().enumerate().filter_map(|(at, claim)| Some((at, (*claim)?)))
        {
            match layout.column(field) {
                None => layout.fields[at] = Some(field),
                Some(first) => match claims[first].map(|(_, known)| known.cmp(&sureness)) {
                    Some(std::cmp::Ordering::Less) => {
                        layout.fields[first] = None;
                        layout.fields[at] = Some(field);
                        layout.rivals.retain(|(contested, ..)| *contested != field);
                    }
                    Some(std::cmp::Ordering::Equal) => layout.rivals.push((field, first, at)),
                    // A likely word beside a sure one: the column is carried.
                    Some(std::cmp::Ordering::Greater) | None => {}
                },
            }
        }
        layout
    }

    /// The layout of a table without a header.
    pub(super) fn without_header(delimiter: Delimiter, columns: usize) -> Self {
        Self {
            delimiter,
            to_header: 0,
            headers: vec![String::new(); columns],
            fields: vec![None; columns],
            rivals: Vec::new(),
            carried: Vec::new(),
            nameless: Vec::new(),
        }
    }
}

/// Whether the headers are those of a table that Emvo wrote. In it every field
/// has its own name, and what other columns are called was the source's affair:
/// they were carried along, and are again.
fn is_own_table(headers: &[String]) -> bool {
    let telling = [ColumnField::AllDay, ColumnField::ExtraDates, ColumnField::Uid];
    telling.iter().all(|field| headers.iter().any(|header| header == field.name()))
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
            ("# written by the crew office\ntitle\tstart\tend\n", Delimiter::Tab, 1),
            ("Betreff|Beginn|Ende\n", Delimiter::Bar, 0),
        ];
        for (text, delimiter, above) in rows {
            let layout = sniff(text).unwrap();
            assert_eq!((layout.delimiter, layout.to_header), (delimiter, above + 1), "{text}");
        }
        for text in ["", "just,some,words\n1,2,3\n", "title,location\na,b\n"] {
            assert_eq!(sniff(text), None, "{text}");
        }
    }

    #[test]
    fn a_sure_word_wins_and_equals_are_rivals() {
        let layout = sniff("Date,Start date,Title,Room,Location,Where\n").unwrap();
        let claimed = |layout: &Layout, field| layout.headers[layout.column(field).unwrap()].clone();
        assert_eq!(
            (claimed(&layout, ColumnField::StartDate), claimed(&layout, ColumnField::Location)),
            ("Start date".into(), "Location".into())
        );
        assert_eq!(layout.rivals, []);
        assert_eq!(
            layout.unclaimed().map(|(header, _)| header).collect::<Vec<_>>(),
            ["Date", "Room", "Where"]
        );
        let own = sniff("title,start,end,all_day,repeat,extra_dates,uid,Toistuu\n").unwrap();
        assert_eq!((own.rivals.len(), own.unclaimed().count()), (0, 1), "carried, as it was before");
        let mut layout = sniff("Title,Start,Room,Where\n").unwrap();
        assert_eq!(layout.rivals, [(ColumnField::Location, 2, 3)]);
        layout.settle(ColumnField::Location, 3);
        assert_eq!((layout.rivals.len(), claimed(&layout, ColumnField::Location)), (0, "Where".into()));
    }
}
