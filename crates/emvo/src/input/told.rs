//! What tables have that is no event, told once they are read: titles above the header,
//! remarks, hidden rows and sheets.

use std::collections::BTreeMap;

use emvo_core::rules::old_form_in_words;
use emvo_core::table::{Note, NoteKind};

use super::source::Source;
use super::source_file::Book;
use super::source_text::LineForm;
use super::spreadsheet;
use crate::terminal::{counted, grouped, tell};

/// More remarks than this are no remarks, and are counted.
const MOST_QUOTED: usize = 20;
/// So many readings of one table are told one by one.
const MOST_JUDGED: usize = 5;

/// Tells what is in tables and is no row of them.
pub(crate) fn tell_of_tables<'s, 't: 's>(sources: impl IntoIterator<Item = &'s Source<'t>>) {
    let mut books: BTreeMap<&str, &Book> = BTreeMap::new();
    for source in sources {
        if let Some(line) = remarks_line(source) {
            tell(&line);
        }
        if let Some(book) = source.book {
            books.insert(&book.path, book);
        }
    }
    for line in books.into_values().flat_map(hidden_lines) {
        tell(&line);
    }
}

/// Tells how a file was read where it does not say by itself: a calendar from before the
/// standard, returns inside lines; of a table which year, which day is
/// the last one, which of two that contradict each other. Who writes on that reading has
/// to know it; a command that lists findings has it among them.
pub(crate) fn tell_of_readings<'s, 't: 's>(sources: impl IntoIterator<Item = &'s Source<'t>>) {
    for source in sources {
        for unplaced in &source.old_forms {
            tell(&format!("{} {}", source.path, old_form_in_words(unplaced)));
        }
        let returns = source.form.map_or(0, LineForm::returns_inside);
        if returns > 0 {
            let lines = counted(returns, "line has", "lines have");
            tell(&format!(
                "{}: {lines} a carriage return inside: a line ends there if a property follows, else the text has a break",
                source.path
            ));
        }
        let judged: Vec<&Note> = source.table.notes.iter().filter(|note| is_judged(note)).collect();
        for note in judged.iter().take(MOST_JUDGED) {
            let row = note.row.map_or_else(String::new, |row| format!(" row {row}"));
            tell(&format!("{}{row}: {}", source.path, note.words));
        }
        if judged.len() > MOST_JUDGED {
            let more = grouped(judged.len() - MOST_JUDGED);
            tell(&format!("{}: and {more} more such readings; `emvo check` lists them", source.path));
        }
    }
}

fn is_judged(note: &Note) -> bool {
    match note.kind {
        NoteKind::AllDayEnds
        | NoteKind::YearTaken
        | NoteKind::WeekdayContradicts
        | NoteKind::CellUnused
        | NoteKind::IdDamaged => true,
        // A whole column of numbers has one meaning; one among dates may have another.
        NoteKind::SerialDates => note.row.is_some(),
        NoteKind::ColumnUnclaimed | NoteKind::RepeatFlagOnly | NoteKind::TitleMissing => false,
    }
}

/// Tells what was found beside calendars and tables and was not looked at: sheets by their
/// names, other files by their number.
pub(super) fn tell_of_others(paths: &[String]) {
    let (sheets, files): (Vec<&String>, Vec<&String>) = paths
        .iter()
        .partition(|path| path.rsplit_once('#').is_some_and(|(book, _)| spreadsheet::is_name(book)));
    for (book, sheet) in sheets.into_iter().filter_map(|path| path.rsplit_once('#')) {
        tell(&format!("{book}: the sheet `{sheet}` is no table of events"));
    }
    if !files.is_empty() {
        let files = counted(files.len(), "other file", "other files");
        tell(&format!("{files} in the inputs not looked at: no export by name or content"));
    }
}

/// `crew.csv: passed over as no event: row 1 "Crew plan 2026", row 14 "# from here on provisional"`.
fn remarks_line(source: &Source<'_>) -> Option<String> {
    let remarks = &source.table.sniffed.as_ref()?.remarks;
    let quoted: Vec<String> =
        remarks.iter().take(MOST_QUOTED).map(|(row, words)| format!("row {row} \"{words}\"")).collect();
    let more = remarks.len().saturating_sub(MOST_QUOTED);
    let more = if more > 0 { format!(", and {} more", grouped(more)) } else { String::new() };
    (!quoted.is_empty())
        .then(|| format!("{}: passed over as no event: {}{more}", source.path, quoted.join(", ")))
}

fn hidden_lines(book: &Book) -> Vec<String> {
    let rows = book.hidden_rows.iter().map(|(sheet, count)| {
        format!(
            "{sheet}: {} there, and read like the others",
            counted(*count, "hidden row is", "hidden rows are")
        )
    });
    let sheets = book.hidden_sheets.iter().map(|sheet| {
        format!("{}: the sheet `{sheet}` is hidden and was not read; --sheet \"{sheet}\" reads it", book.path)
    });
    rows.chain(sheets).collect()
}
