//! A sheet as the file of a spreadsheet: what is a date there is one, and the rest is
//! text that nothing runs.
//!
//! The bytes are the same in every run: no clock goes into them.

use std::collections::BTreeSet;

use anyhow::Context;
use emvo_core::table::unguarded;
use jiff::civil::{Date, DateTime, Time};
use rust_xlsxwriter::{
    DataValidation, DocProperties, ExcelDateTime, Format, FormatAlign, Workbook, Worksheet,
};

/// The longest name that a sheet may have.
const LONGEST_NAME: usize = 31;
/// How wide a column is at least and at most, in letters.
const WIDTHS: std::ops::RangeInclusive<usize> = 8..=50;
/// The years that a spreadsheet counts.
const YEARS: std::ops::RangeInclusive<i16> = 1900..=9999;

/// How many rows a sheet has at most, its header included.
pub(crate) const MOST_ROWS: usize = 1 << 20;

/// The columns that a person fills in.
const ANSWERED: [&str; 2] = ["answer", "done"];

/// What one cell is.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Value<'c> {
    Text(&'c str),
    Day(Date),
    Moment(DateTime),
    Clock(Time),
}

/// A sheet that stands there as CSV, with a header, as a workbook.
pub(crate) fn workbook(csv: &[u8]) -> anyhow::Result<Vec<u8>> {
    workbook_of(&[(None, csv)])
}

/// Several sheets as one workbook, each with the name that it is wanted under.
pub(crate) fn workbook_of(sheets: &[(Option<&str>, &[u8])]) -> anyhow::Result<Vec<u8>> {
    let mut book = Workbook::new();
    let made = ExcelDateTime::from_ymd(2000, 1, 1).context("the workbook has no date")?;
    book.set_properties(&DocProperties::new().set_creation_datetime(&made));
    let mut taken = BTreeSet::new();
    for (name, csv) in sheets {
        let sheet = book.add_worksheet();
        if let Some(name) = name {
            sheet.set_name(sheet_name(name, &mut taken))?;
        }
        fill(sheet, csv)?;
    }
    Ok(book.save_to_buffer()?)
}

/// A name as a spreadsheet takes it: short, without the signs of paths, and no other
/// sheet's.
fn sheet_name(name: &str, taken: &mut BTreeSet<String>) -> String {
    let plain: String =
        name.chars().map(|char| if "[]:*?/\\'".contains(char) { ' ' } else { char }).collect();
    let plain = plain.trim();
    let cut = |end: &str| {
        let room = LONGEST_NAME - end.chars().count();
        format!("{}{end}", plain.chars().take(room).collect::<String>().trim_end())
    };
    let numbered = |number: usize| match (number, plain) {
        (number, "") => format!("Calendar {number}"),
        (1, _) => cut(""),
        (number, _) => cut(&format!(" ({number})")),
    };
    // Spreadsheets take names that differ in case alone for one.
    let is_free = |name: &String| !taken.contains(&name.to_lowercase());
    // One more name than there are taken ones is free.
    let name = (1..=taken.len() + 1).map(numbered).find(is_free).unwrap_or_default();
    taken.insert(name.to_lowercase());
    name
}

fn fill(sheet: &mut Worksheet, csv: &[u8]) -> anyhow::Result<()> {
    let rows = rows_of(csv)?;
    let width = rows.iter().map(Vec::len).max().unwrap_or(0);
    for at in 0..width {
        write_column(sheet, &rows, at)?;
    }
    if rows.len() > 1 && width > 0 {
        let (last_row, last_column) = (row_number(rows.len() - 1)?, column_number(width - 1)?);
        sheet.autofilter(0, 0, last_row, last_column)?;
        add_answers(sheet, &rows, last_row)?;
    }
    sheet.set_freeze_panes(1, 0)?;
    Ok(())
}

fn rows_of(csv: &[u8]) -> anyhow::Result<Vec<Vec<String>>> {
    let text = csv.strip_prefix("\u{feff}".as_bytes()).unwrap_or(csv);
    let mut reader = csv::ReaderBuilder::new().has_headers(false).flexible(true).from_reader(text);
    let row = |record: Result<csv::StringRecord, csv::Error>| {
        let cells = record?.iter().map(|cell| unguarded(cell).into_owned()).collect::<Vec<_>>();
        anyhow::Ok(cells)
    };
    reader.records().map(row).collect()
}

fn row_number(at: usize) -> anyhow::Result<u32> {
    u32::try_from(at).ok().filter(|_| at < MOST_ROWS).context("a spreadsheet has no more than 1,048,576 rows")
}

fn column_number(at: usize) -> anyhow::Result<u16> {
    u16::try_from(at)
        .ok()
        .filter(|column| *column < 1 << 14)
        .context("a spreadsheet has no more than 16,384 columns")
}

/// A column in which every filled cell is a time holds times; in any other all is text.
fn write_column(sheet: &mut Worksheet, rows: &[Vec<String>], at: usize) -> anyhow::Result<()> {
    let column = column_number(at)?;
    let cell = |row: &'_ Vec<String>| row.get(at).cloned().unwrap_or_default();
    let below: Vec<String> = rows.iter().skip(1).map(cell).collect();
    let is_of_times = below.iter().all(|cell| cell.is_empty() || time_of(cell).is_some());
    let bold = Format::new().set_bold();
    let header = rows.first().map(cell).unwrap_or_default();
    sheet.write_string_with_format(0, column, &header, &bold)?;
    let mut width = header.chars().count();
    for (number, cell) in below.iter().enumerate().filter(|(_, cell)| !cell.is_empty()) {
        let row = row_number(number + 1)?;
        width = width.max(cell.lines().map(|line| line.chars().count()).max().unwrap_or(0));
        let value = time_of(cell).filter(|_| is_of_times).unwrap_or(Value::Text(cell));
        write_cell(sheet, (row, column), value)?;
    }
    let width = u32::try_from(width.clamp(*WIDTHS.start(), *WIDTHS.end()) + 2)?;
    sheet.set_column_width(column, width)?;
    Ok(())
}

fn write_cell(sheet: &mut Worksheet, (row, column): (u32, u16), value: Value<'_>) -> anyhow::Result<()> {
    let format = |form: &str| Format::new().set_num_format(form).set_align(FormatAlign::Left);
    let day = |date: Date| {
        let part = |number: i8| u8::try_from(number).unwrap_or(1);
        let year = u16::try_from(date.year()).unwrap_or(1900);
        ExcelDateTime::from_ymd(year, part(date.month()), part(date.day()))
    };
    let hms = |time: Time| {
        let part = |number: i8| u16::try_from(number).unwrap_or(0);
        (
            part(time.hour()),
            u8::try_from(time.minute()).unwrap_or(0),
            u8::try_from(time.second()).unwrap_or(0),
        )
    };
    match value {
        Value::Text(text) => sheet.write_string(row, column, text)?,
        Value::Day(date) => {
            sheet.write_datetime_with_format(row, column, &day(date)?, &format("yyyy-mm-dd"))?
        }
        Value::Moment(at) => {
            let (hour, minute, second) = hms(at.time());
            let moment = day(at.date())?.and_hms(hour, minute, f64::from(second))?;
            let form = if second == 0 { "yyyy-mm-dd hh:mm" } else { "yyyy-mm-dd hh:mm:ss" };
            sheet.write_datetime_with_format(row, column, &moment, &format(form))?
        }
        Value::Clock(time) => {
            let (hour, minute, second) = hms(time);
            let clock = ExcelDateTime::from_hms(hour, minute, f64::from(second))?;
            let form = if second == 0 { "hh:mm" } else { "hh:mm:ss" };
            sheet.write_datetime_with_format(row, column, &clock, &format(form))?
        }
    };
    Ok(())
}

/// A time as the tables of this program write it.
fn time_of(cell: &str) -> Option<Value<'_>> {
    let is_counted = |date: &Date| YEARS.contains(&date.year());
    match cell.len() {
        5 | 8 if cell.as_bytes()[2] == b':' => cell.parse::<Time>().ok().map(Value::Clock),
        10 => cell.parse::<Date>().ok().filter(is_counted).map(Value::Day),
        16 | 19 => {
            let moment: DateTime = cell.replace(' ', "T").parse().ok()?;
            Some(Value::Moment(moment)).filter(|_| is_counted(&moment.date()))
        }
        _ => None,
    }
}

/// What a person can answer stands ready in the column for it.
fn add_answers(sheet: &mut Worksheet, rows: &[Vec<String>], last_row: u32) -> anyhow::Result<()> {
    let header = rows.first().map(Vec::as_slice).unwrap_or_default();
    let is_for_answers = |name: &String| ANSWERED.contains(&name.as_str());
    let Some(at) = header.iter().position(is_for_answers) else { return Ok(()) };
    let words = if header.iter().any(|name| name == "pair") { ["same", "different"] } else { ["yes", "no"] };
    let column = column_number(at)?;
    let list = DataValidation::new().allow_list_strings(&words)?;
    sheet.add_data_validation(1, column, last_row, column, &list)?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn cells_are_dates_where_the_whole_column_is() {
        for (cell, expected) in [
            ("2026-09-01", Some(Value::Day(Date::constant(2026, 9, 1)))),
            ("2026-09-01T09:30:00", Some(Value::Moment(Date::constant(2026, 9, 1).at(9, 30, 0, 0)))),
            ("2026-09-01 09:30", Some(Value::Moment(Date::constant(2026, 9, 1).at(9, 30, 0, 0)))),
            ("09:30", Some(Value::Clock(Time::constant(9, 30, 0, 0)))),
            ("0930", None),
            ("1800-01-01", None),
            ("2026-13-01", None),
            ("=SUM(A1)", None),
        ] {
            assert_eq!(time_of(cell), expected, "{cell}");
        }
    }

    #[test]
    fn sheets_have_names_that_a_spreadsheet_takes() {
        let mut taken = BTreeSet::new();
        let names = ["Crew", "crew", "Deck/2026", "", "A long name of a calendar that goes on", "[?]"];
        let names = names.map(|name| sheet_name(name, &mut taken));
        assert_eq!(
            names,
            ["Crew", "crew (2)", "Deck 2026", "Calendar 1", "A long name of a calendar that", "Calendar 2"]
        );
    }

    #[test]
    fn the_same_sheet_is_the_same_bytes() {
        let csv = "\u{feff}answer,pair,start\r\n,1,2026-09-01\r\n".as_bytes();
        let one = workbook(csv).unwrap();
        std::thread::sleep(std::time::Duration::from_millis(1100));
        assert_eq!(one, workbook(csv).unwrap());
    }
}
