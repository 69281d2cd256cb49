//! Calendars → JSON lines: one series a line, for programs. Written only.

use serde_json::{Map, Value};

use super::cannot_carry::{Places, UsualReminder};
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
        let usual = UsualReminder::of(calendar);
        written.leave_others_behind(calendar);
        for series in &calendar.series {
            for event in series.events() {
                let row = WrittenRow { event, series, zones, calendar: &name, file: None };
                places.note(&row, &usual, &mut written.cannot_carry);
            }
            let mut line = object(series.lead(), series, zones, &name);
            let rules: Vec<Value> =
                series.lead().rules().map(|rule| Value::from(rule.into_owned())).collect();
            line.insert("rules".to_owned(), Value::from(rules));
            let others = series.overrides().iter().filter(|_| series.master().is_some());
            let overrides: Vec<Value> = others
                .map(|event| {
                    let mut object = object(event, series, zones, &name);
                    let row = WrittenRow { event, series, zones, calendar: &name, file: None };
                    object.insert("replaces".to_owned(), Value::from(row.cell(ColumnField::Replaces, &[])));
                    Value::from(object)
                })
                .collect();
            line.insert("overrides".to_owned(), Value::from(overrides));
            written.text.extend_from_slice(Value::from(line).to_string().as_bytes());
            written.text.push(b'\n');
        }
    }
    let is_object = |line: &[u8]| serde_json::from_slice::<Map<String, Value>>(line).is_ok();
    let lines = written.text.split(|byte| *byte == b'\n').filter(|line| !line.is_empty());
    written.events = lines.filter(|line| is_object(line)).count();
    written
}

fn object(
    event: &Event<'_>,
    series: &Series<'_>,
    zones: &ZoneResolver,
    calendar: &str,
) -> Map<String, Value> {
    let row = WrittenRow { event, series, zones, calendar, file: None };
    let mut object = Map::new();
    for field in fields() {
        let value = match field {
            ColumnField::AllDay => Value::from(event.is_all_day()),
            ColumnField::Category => Value::from(event.categories()),
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
