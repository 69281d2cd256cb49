//! Calendars → JSON lines: one series a line, for programs. Written only.

use serde_json::{Map, Value};

use super::cannot_carry::Places;
use super::cells_of::WrittenRow;
use super::column::ColumnField;
use super::write::{COLUMNS, WrittenTable};
use emvo_ical::calendar::{Calendar, Event, Series};
use emvo_ical::zone::ZoneResolver;

/// What each line says of an event, besides what it replaces.
fn fields() -> impl Iterator<Item = ColumnField> {
    COLUMNS.into_iter().chain([ColumnField::Status])
}

/// Writes each series as one JSON object on a line.
pub fn write_lines(calendars: &[(&Calendar<'_>, &ZoneResolver)]) -> WrittenTable {
    let mut written = WrittenTable::default();
    let places = Places::of_fields(fields().chain([ColumnField::Replaces]));
    for (calendar, zones) in calendars {
        let name = calendar.name();
        written.leave_others_behind(calendar);
        for series in &calendar.series {
            for event in series.events() {
                let row = WrittenRow { event, series, zones, calendar: &name, file: None };
                places.note(&row, &mut written.cannot_carry);
            }
            let line = series_as_json(series, calendar, zones);
            written.text.extend_from_slice(Value::from(line).to_string().as_bytes());
            written.text.push(b'\n');
        }
    }
    written.cells = calendars.iter().map(|(calendar, _)| calendar.events().count()).sum();
    (written.events, written.cells_found) = found_in(&written.text);
    written
}

/// All that tables carry of a series, each field in a form of its own: words as text,
/// days and clock times as in tables, lists as lists, whole days as true or false.
pub fn series_as_json(
    series: &Series<'_>,
    calendar: &Calendar<'_>,
    zones: &ZoneResolver,
) -> Map<String, Value> {
    let name = calendar.name();
    // Changed dates that came without their series stand by the first of them.
    let lead = series.lead();
    let replacing = |event: &Event<'_>| {
        let row = WrittenRow { event, series, zones, calendar: &name, file: None };
        let mut object = object(&row);
        if event.replaces().is_some() {
            object.insert("replaces".to_owned(), Value::from(row.cell(ColumnField::Replaces, &[])));
        }
        object
    };
    let mut line = replacing(lead);
    let rules: Vec<Value> = lead.rules().map(|rule| Value::from(rule.into_owned())).collect();
    line.insert("rules".to_owned(), Value::from(rules));
    let others = series.events().skip(1);
    let overrides: Vec<Value> = others.map(|event| Value::from(replacing(event))).collect();
    line.insert("overrides".to_owned(), Value::from(overrides));
    line
}

/// How many series a reader finds, and how many events with their changed dates.
fn found_in(text: &[u8]) -> (usize, usize) {
    let lines = text.split(|byte| *byte == b'\n').filter(|line| !line.is_empty());
    let objects = lines.filter_map(|line| serde_json::from_slice::<Map<String, Value>>(line).ok());
    let sizes =
        objects.map(|object| 1 + object.get("overrides").and_then(Value::as_array).map_or(0, Vec::len));
    sizes.fold((0, 0), |(series, events), size| (series + 1, events + size))
}

/// The values of a cell that holds several.
fn parts(cell: &str) -> Vec<Value> {
    cell.split("; ").filter(|part| !part.is_empty()).map(Value::from).collect()
}

fn object(row: &WrittenRow<'_, '_>) -> Map<String, Value> {
    let event = row.event;
    let mut object = Map::new();
    for field in fields() {
        let value = match field {
            ColumnField::AllDay => Value::from(event.is_all_day()),
            ColumnField::Category => Value::from(event.categories()),
            ColumnField::Exceptions | ColumnField::ExtraDates | ColumnField::Reminder => {
                Value::from(parts(&row.cell(field, &[])))
            }
            _ => Value::from(row.cell(field, &[])),
        };
        object.insert(field.name().to_owned(), value);
    }
    let carried = event.component().properties_named(super::COLUMN_PROPERTY);
    let columns: Map<String, Value> = carried
        .filter_map(|line| {
            Some((line.parameter(super::COLUMN_HEADER)?.into_owned(), Value::from(line.text())))
        })
        .collect();
    object.insert("columns".to_owned(), Value::from(columns));
    object
}
