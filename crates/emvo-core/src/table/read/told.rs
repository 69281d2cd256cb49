//! What people are told of single rows: how they were understood, and what was odd.

use std::borrow::Cow;

use jiff::civil::{Date, DateTime};

use crate::table::column::ColumnField;
use crate::table::notes::{Note, NoteKind};
use crate::table::row::{ReadRow, Repeats, RowReader, Title, UNTITLED};
use crate::table::serial::read_serial;
use crate::table::shape::Serials;
use emvo_ical::calendar::{Event, Extent, ReadEvent, ZoneRef};
use emvo_ical::recurrence::{Rule, phrase};

/// `Wed 9 Sep 2026, 18:00–20:30 Europe/Helsinki, "Drill", Kaj 2, every week`: a month
/// by its name, since whoever compares it has to see which number is the day.
pub(super) fn in_words(event: &ReadEvent<'_>) -> Option<String> {
    let lead = event.as_ref().ok()?.lead();
    let place = lead.location().map(Cow::into_owned).filter(|place| !place.is_empty());
    let rules = lead.rules().filter_map(|rule| phrase(&Rule::parse(&rule).ok()?));
    let title = format!("\"{}\"", lead.title().unwrap_or_default());
    let parts = [span_in_words(lead), title].into_iter().chain(place).chain(rules);
    Some(parts.collect::<Vec<_>>().join(", "))
}

/// `Wed 9 Sep 2026, 18:00–20:30`, `Wed 9 Sep 2026 – Fri 11 Sep 2026`.
fn span_in_words(event: &Event<'_>) -> String {
    let day = |date: Date| date.strftime("%a %-d %b %Y").to_string();
    let (start, end) = (event.start().clock(), event.end().clock());
    if event.is_all_day() {
        let last = end.date().yesterday().unwrap_or(start.date());
        return if last > start.date() {
            format!("{} – {}", day(start.date()), day(last))
        } else {
            day(start.date())
        };
    }
    let time = |clock: DateTime| {
        let seconds = if clock.second() == 0 { "" } else { ":%S" };
        clock.strftime(&format!("%H:%M{seconds}")).to_string()
    };
    let until = match event.extent() {
        Extent::Unstated => String::new(),
        _ if end.date() == start.date() => format!("–{}", time(end)),
        _ => format!(" – {}, {}", day(end.date()), time(end)),
    };
    let zone = match event.start().zone() {
        ZoneRef::Floating => String::new(),
        ZoneRef::Utc => " UTC".to_owned(),
        ZoneRef::Named(name) => format!(" {name}"),
    };
    format!("{}, {}{until}{zone}", day(start.date()), time(start))
}

pub(super) fn note_columns(rows: &RowReader<'_>, serials: &[(usize, Serials)], notes: &mut Vec<Note>) {
    for (at, serials) in serials {
        let Some((date, _)) = read_serial(&serials.first, rows.epoch) else { continue };
        let header = rows.layout.name_of(*at);
        notes.push(Note {
            kind: NoteKind::SerialDates,
            row: None,
            title: header.to_string(),
            words: format!(
                "{} spreadsheet numbers in the column `{header}` are read as dates: {} is {date}; if that is four \
                 years off, `serial_epoch = 1904` in a columns file says so",
                serials.count, serials.first
            ),
        });
    }
    for (header, _) in rows.layout.unclaimed() {
        notes.push(Note {
            kind: NoteKind::ColumnUnclaimed,
            row: None,
            title: header.to_string(),
            words: format!("the column `{header}` is no field of an event; it is carried along as it is"),
        });
    }
}

/// Spreadsheet numbers that stand among other dates.
pub(super) fn note_numbers(
    number: u64,
    record: &csv::StringRecord,
    rows: &RowReader<'_>,
    notes: &mut Vec<Note>,
) {
    for mixed in &rows.mixed {
        let cell = record.get(mixed.at).unwrap_or_default();
        if let Some((date, _)) = read_serial(cell, rows.epoch) {
            notes.push(Note {
                kind: NoteKind::SerialDates,
                row: Some(number),
                title: rows.layout.name_of(mixed.at).into_owned(),
                words: format!("`{}` is a spreadsheet number among dates: it is read as {date}", cell.trim()),
            });
        }
    }
}

pub(super) fn note_row(number: u64, row: &ReadRow, notes: &mut Vec<Note>) {
    let mut note = |kind, words: &str| {
        let title = row.component.text("SUMMARY").unwrap_or_default().into_owned();
        notes.push(Note { kind, row: Some(number), title, words: words.to_owned() });
    };
    if row.repeats == Repeats::NobodySaysHow {
        note(
            NoteKind::RepeatFlagOnly,
            "is flagged as repeating, but nothing says how: only its first date is there",
        );
    }
    for (field, cell) in &row.unused {
        let taken = if *field == ColumnField::Private { ", so it is taken for private" } else { "" };
        let words =
            format!("`{cell}` says nothing that is known of {}{taken}; it is carried along", field.name());
        note(NoteKind::CellUnused, &words);
    }
    if let Some((word, date)) = &row.weekday {
        let day = date.strftime("%A");
        note(NoteKind::WeekdayContradicts, &format!("`{word}` stands beside {date}, which is a {day}"));
    }
    if let Some(id) = &row.damaged_id {
        let words =
            format!("`{id}` is an id that a spreadsheet has turned into a number; it is carried along");
        note(NoteKind::IdDamaged, &words);
    }
    if row.title == Title::Missing {
        note(NoteKind::TitleMissing, &format!("has no title; it is called `{UNTITLED}`"));
    }
}
