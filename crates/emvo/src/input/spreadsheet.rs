//! Spreadsheet files → one table for each sheet, as text.
//!
//! Cells are written the way people write them and the table reader reads them: real
//! dates as `2026-09-09 18:00`, times of day as `18:00`, and what a cell shows as an
//! error as the word that it shows. Behind that nothing knows that it was no CSV.

use std::collections::BTreeMap;
use std::io::Cursor;
use std::panic::{AssertUnwindSafe, catch_unwind};

use anyhow::{Context, anyhow, bail};
use calamine::{Data, DataRef, ExcelDateTime, Ods, Reader, Sheet, SheetType, SheetVisible, Xls, Xlsx};
use zip::ZipArchive;

use super::open_sheet;
use super::packed::plausible;
use super::sheet_marks::{self, MergedDown, SheetMarks};
use crate::terminal::panics;

/// How a spreadsheet starts; then one of the older form, or one that is locked with a
/// password.
const ZIP: &[u8] = b"PK\x03\x04";
const COMPOUND: &[u8] = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1";
/// What a spreadsheet may hold once it is unpacked.
const MOST_BYTES: u64 = 1 << 31;
/// More cells than this are no table of events.
const MOST_CELLS: usize = 40_000_000;
/// More columns than this are none either.
const MOST_COLUMNS: u32 = 4_096;
/// The older form, and the open one, are unpacked whole.
const MOST_ROWS: u32 = 1 << 20;

/// What sheets say besides their cells, by their names.
type Marks = BTreeMap<String, SheetMarks>;

/// A sheet of a spreadsheet.
pub(super) struct SheetText {
    pub(super) name: String,
    /// Its rows as CSV in UTF-8.
    pub(super) text: String,
    /// How many cells are filled.
    cells: usize,
    pub(super) visibility: Visibility,
    /// How many of its rows are hidden; they count all the same.
    pub(super) hidden_rows: usize,
}

/// Whether a sheet is shown.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Visibility {
    Shown,
    Hidden,
}

/// How spreadsheets are called.
const NAMES: [&str; 4] = [".xlsx", ".xlsm", ".xls", ".ods"];

/// Whether a name is that of a spreadsheet.
pub(super) fn is_name(path: &str) -> bool {
    let path = path.to_ascii_lowercase();
    NAMES.iter().any(|name| path.ends_with(name))
}

/// What spreadsheets call the first sheet of a new book.
const USUAL_NAMES: [&str; 11] =
    ["sheet", "tabelle", "blad", "taul", "taulukko", "feuil", "feuille", "hoja", "foglio", "ark", "arkusz"];

/// Whether a sheet has the name that it was born with.
pub(super) fn is_usual_name(sheet: &str) -> bool {
    let name = sheet.trim().to_lowercase();
    let word = name.strip_suffix('1').map(str::trim_end);
    word.is_some_and(|word| USUAL_NAMES.contains(&word))
}

/// Whether bytes are a spreadsheet of the older form, or a locked one.
pub(super) fn is_compound(bytes: &[u8]) -> bool {
    bytes.starts_with(COMPOUND)
}

/// The sheets of a spreadsheet that have cells.
pub(super) fn sheets(bytes: &[u8]) -> anyhow::Result<Vec<SheetText>> {
    if is_compound(bytes) && has_utf16(bytes, "EncryptedPackage") {
        bail!("it is locked with a password: open it there and save it without one");
    }
    ensure_bounds(bytes)?;
    // Some broken files are read beyond their end by whoever reads them.
    let read = panics::silenced(|| catch_unwind(AssertUnwindSafe(|| read_sheets(bytes))));
    read.unwrap_or_else(|_| bail!("it is a broken spreadsheet: open it there and save it again"))
}

/// The text of the first sheet of a spreadsheet that is shown; `None` of any other file.
pub(crate) fn sheet_text(bytes: &[u8]) -> anyhow::Result<Option<String>> {
    if !bytes.starts_with(ZIP) && !is_compound(bytes) {
        return Ok(None);
    }
    let shown = sheets(bytes)?.into_iter().find(|sheet| sheet.visibility == Visibility::Shown);
    Ok(Some(shown.context("no sheet of it has anything in it")?.text))
}

/// How many cells of a spreadsheet are filled.
pub(crate) fn cells_in(bytes: &[u8]) -> anyhow::Result<usize> {
    Ok(sheets(bytes)?.iter().map(|sheet| sheet.cells).sum())
}

fn has_utf16(bytes: &[u8], word: &str) -> bool {
    let wide: Vec<u8> = word.encode_utf16().flat_map(u16::to_le_bytes).collect();
    bytes.windows(wide.len()).any(|window| window == wide)
}

/// One text can be said in many cells, be merged down, and repeat.
const TOO_MUCH: &str = "its cells come to more than 200 times its size, as no table's do: \
    delete what stands far from the table, or save it as CSV";

/// A small file can unpack to a huge one.
fn ensure_bounds(bytes: &[u8]) -> anyhow::Result<()> {
    if is_compound(bytes) {
        return Ok(());
    }
    let mut zip = ZipArchive::new(Cursor::new(bytes)).context("it is a broken spreadsheet")?;
    let mut size = 0_u64;
    for at in 0..zip.len() {
        let part = zip.by_index_raw(at).context("it is a broken spreadsheet")?;
        if part.size() > plausible(part.compressed_size()) {
            bail!("it unpacks to more than 200 times its size, as no table does");
        }
        size = size.saturating_add(part.size());
    }
    if size > MOST_BYTES {
        bail!("it unpacks to more than 2 GiB, as no table does");
    }
    if open_sheet::bytes_written_out(bytes) > plausible(bytes.len() as u64) {
        bail!(TOO_MUCH);
    }
    Ok(())
}

fn read_sheets(bytes: &[u8]) -> anyhow::Result<Vec<SheetText>> {
    let most = usize::try_from(plausible(bytes.len() as u64)).unwrap_or(usize::MAX);
    if is_compound(bytes) {
        let book = Xls::new(Cursor::new(bytes)).map_err(told)?;
        let marks = marks_of_older_form(&book);
        return whole_sheets(book, &marks, most);
    }
    let marks = sheet_marks::of_sheets(bytes);
    match Xlsx::new(Cursor::new(bytes)) {
        Ok(book) => streamed_sheets(book, &marks, most),
        Err(error) => match Ods::new(Cursor::new(bytes)) {
            Ok(book) => whole_sheets(book, &marks, most),
            Err(_) => Err(told(error)),
        },
    }
}

/// The older form says nothing of hidden rows to whoever reads it here.
fn marks_of_older_form(book: &Xls<Cursor<&[u8]>>) -> Marks {
    let merged_in = |name: &str| {
        let regions = book.merge_cells_by_sheet_name(name).unwrap_or_default();
        let down = regions.into_iter().filter(|region| region.end.0 > region.start.0);
        down.map(|region| MergedDown { top: region.start.0, bottom: region.end.0, column: region.start.1 })
            .collect()
    };
    let sheets = book.sheets_metadata().iter();
    let marks = |name: &String| SheetMarks { merged: merged_in(name), hidden_rows: 0 };
    sheets.map(|sheet| (sheet.name.clone(), marks(&sheet.name))).collect()
}

fn told(error: impl std::error::Error) -> anyhow::Error {
    let words = error.to_string();
    if words.contains("password") {
        return anyhow!("it is locked with a password: open it there and save it without one");
    }
    anyhow!("it is a broken spreadsheet ({words}): open it there and save it again")
}

/// A chart on a sheet of its own has no cells, and neither has a sheet of macros.
fn has_cells(sheet: &Sheet) -> bool {
    sheet.typ == SheetType::WorkSheet
}

/// A sheet that cannot be read is never passed over: nobody would miss what was on it.
fn broken(sheet: &Sheet) -> anyhow::Error {
    anyhow!("its sheet `{}` is broken: open it there and save it again", sheet.name)
}

fn visibility(sheet: &Sheet) -> Visibility {
    if sheet.visible == SheetVisible::Visible { Visibility::Shown } else { Visibility::Hidden }
}

/// Row by row: one cell at the far end of a sheet takes no memory for those before it.
fn streamed_sheets(
    mut book: Xlsx<Cursor<&[u8]>>,
    marks: &Marks,
    most_bytes: usize,
) -> anyhow::Result<Vec<SheetText>> {
    let mut found = Vec::new();
    for sheet in book.sheets_metadata().to_vec() {
        if !has_cells(&sheet) {
            continue;
        }
        let mut cells = book.worksheet_cells_reader(&sheet.name).map_err(|_| broken(&sheet))?;
        let mut rows = RowsAsText::of(marks.get(&sheet.name), left_of(most_bytes, &found));
        while let Some(cell) = cells.next_cell().map_err(|_| broken(&sheet))? {
            rows.put(cell.get_position(), shown_ref(cell.get_value()))?;
        }
        found.extend(rows.finish(sheet.name.clone(), visibility(&sheet))?);
    }
    Ok(found)
}

fn whole_sheets<'b, R: Reader<Cursor<&'b [u8]>>>(
    mut book: R,
    marks: &Marks,
    most_bytes: usize,
) -> anyhow::Result<Vec<SheetText>> {
    let mut found = Vec::new();
    for sheet in book.sheets_metadata().to_vec() {
        if !has_cells(&sheet) {
            continue;
        }
        let range = book.worksheet_range(&sheet.name).map_err(|_| broken(&sheet))?;
        let (top, left) = range.start().unwrap_or_default();
        let mut rows = RowsAsText::of(marks.get(&sheet.name), left_of(most_bytes, &found));
        for (row, column, value) in range.used_cells() {
            let at =
                |offset: u32, place: usize| offset.saturating_add(u32::try_from(place).unwrap_or(u32::MAX));
            rows.put((at(top, row), at(left, column)), shown(value))?;
        }
        found.extend(rows.finish(sheet.name.clone(), visibility(&sheet))?);
    }
    Ok(found)
}

/// How many bytes the sheets that are not read yet may have.
fn left_of(most: usize, found: &[SheetText]) -> usize {
    most.saturating_sub(found.iter().map(|sheet| sheet.text.len()).sum())
}

/// Rows of cells → CSV; a blank row is a blank line, so that numbers stay what a
/// spreadsheet shows.
#[derive(Default)]
struct RowsAsText {
    text: Vec<u8>,
    /// How long the text may get.
    most_bytes: usize,
    row: u32,
    cells: BTreeMap<u32, String>,
    /// How long those of this row are.
    waiting: usize,
    /// How many cells are filled.
    count: usize,
    marks: SheetMarks,
    /// What merged cells say in the rows that follow, by their columns, and down to where.
    going_down: BTreeMap<u32, (u32, String)>,
}

impl RowsAsText {
    fn of(marks: Option<&SheetMarks>, most_bytes: usize) -> Self {
        let mut marks = marks.cloned().unwrap_or_default();
        marks.merged.sort_unstable_by_key(|merged| (merged.top, merged.column));
        Self { most_bytes, marks, ..Self::default() }
    }

    /// The cells of this row that stand for those below them go down, and those from above
    /// are filled in.
    fn fill_merged(&mut self) {
        if self.marks.merged.is_empty() {
            return;
        }
        let row = self.row;
        self.going_down.retain(|_, (bottom, _)| *bottom >= row);
        for (column, (_, cell)) in &self.going_down {
            self.cells.entry(*column).or_insert_with(|| cell.clone());
        }
        let begins = self.marks.merged.partition_point(|merged| merged.top < row);
        for merged in self.marks.merged[begins..].iter().take_while(|merged| merged.top == row) {
            if let Some(cell) = self.cells.get(&merged.column) {
                self.going_down.insert(merged.column, (merged.bottom, cell.clone()));
            }
        }
    }

    fn put(&mut self, (row, column): (u32, u32), cell: String) -> anyhow::Result<()> {
        if cell.is_empty() {
            return Ok(());
        }
        if column >= MOST_COLUMNS || row >= MOST_ROWS {
            bail!("it has a cell in row {} and column {}, as no table has", row + 1, column + 1);
        }
        self.count += 1;
        if self.count > MOST_CELLS {
            bail!("it has more than {MOST_CELLS} cells");
        }
        if row < self.row {
            bail!("its rows stand out of order");
        }
        while self.row < row {
            self.end_row()?;
        }
        self.waiting += cell.len();
        self.cells.insert(column, cell);
        self.ensure_bounds()
    }

    fn ensure_bounds(&self) -> anyhow::Result<()> {
        if self.text.len() + self.waiting > self.most_bytes {
            bail!(TOO_MUCH);
        }
        Ok(())
    }

    fn end_row(&mut self) -> anyhow::Result<()> {
        self.fill_merged();
        let last = self.cells.keys().next_back().copied();
        for column in 0..last.map_or(0, |last| last + 1) {
            if column > 0 {
                self.text.push(b',');
            }
            if let Some(cell) = self.cells.get(&column) {
                self.text.push(b'"');
                self.text.extend_from_slice(cell.replace('"', "\"\"").as_bytes());
                self.text.push(b'"');
            }
        }
        self.text.extend_from_slice(b"\r\n");
        self.cells.clear();
        self.waiting = 0;
        self.row += 1;
        self.ensure_bounds()
    }

    /// The sheet; none if nothing is in it.
    fn finish(mut self, name: String, visibility: Visibility) -> anyhow::Result<Option<SheetText>> {
        if self.count == 0 {
            return Ok(None);
        }
        self.end_row()?;
        let Ok(text) = String::from_utf8(self.text) else { return Ok(None) };
        let hidden_rows = self.marks.hidden_rows;
        Ok(Some(SheetText { name, text, cells: self.count, visibility, hidden_rows }))
    }
}

fn shown_ref(value: &DataRef<'_>) -> String {
    match value {
        DataRef::SharedString(text) => (*text).to_owned(),
        DataRef::Int(number) => number.to_string(),
        DataRef::Float(number) => number_in_words(*number),
        DataRef::String(text) => text.clone(),
        DataRef::Bool(is) => is.to_string(),
        DataRef::DateTime(moment) => moment_in_words(*moment),
        DataRef::DateTimeIso(text) => text.replace('T', " "),
        DataRef::DurationIso(text) => length_in_words(text),
        DataRef::Error(error) => error.to_string(),
        DataRef::Empty => String::new(),
    }
}

fn shown(value: &Data) -> String {
    match value {
        Data::Int(number) => number.to_string(),
        Data::Float(number) => number_in_words(*number),
        Data::String(text) => text.clone(),
        Data::Bool(is) => is.to_string(),
        Data::DateTime(moment) => moment_in_words(*moment),
        Data::DateTimeIso(text) => text.replace('T', " "),
        Data::DurationIso(text) => length_in_words(text),
        Data::Error(error) => error.to_string(),
        Data::Empty => String::new(),
    }
}

/// As short as it can be said, and never with an exponent.
fn number_in_words(number: f64) -> String {
    format!("{number}")
}

/// A day, a time of day, or both: whatever the number holds. A length is hours and
/// minutes, more than a day's as well.
fn moment_in_words(moment: ExcelDateTime) -> String {
    let value = moment.as_f64();
    #[allow(clippy::cast_possible_truncation, reason = "below a million days, in seconds")]
    let seconds = (value * 86_400.0).round() as i64;
    if moment.is_duration() {
        return clock(seconds / 3600, seconds);
    }
    if (0.0..1.0).contains(&value) {
        return clock(seconds / 3600, seconds);
    }
    let (year, month, day, hour, minute, second, milli) = moment.to_ymd_hms_milli();
    let day = format!("{year:04}-{month:02}-{day:02}");
    match (hour, minute, second, milli) {
        (0, 0, 0, 0) => day,
        (hour, minute, 0, _) => format!("{day} {hour:02}:{minute:02}"),
        (hour, minute, second, _) => format!("{day} {hour:02}:{minute:02}:{second:02}"),
    }
}

fn clock(hours: i64, seconds: i64) -> String {
    let (minute, second) = (seconds / 60 % 60, seconds % 60);
    if second == 0 {
        format!("{hours:02}:{minute:02}")
    } else {
        format!("{hours:02}:{minute:02}:{second:02}")
    }
}

/// `PT18H30M00S`, as the open form keeps a time of day and a length.
fn length_in_words(text: &str) -> String {
    match emvo_ical::calendar::Duration::parse(text) {
        Some(length) => {
            let seconds = length.days * 86_400 + length.seconds;
            clock(seconds / 3600, seconds)
        }
        None => text.to_owned(),
    }
}
