//! Calendars → JSON lines: one series a line, for programs. Written only.

use serde_json::{Map, Value};

use super::cells_of::WrittenRow;
use super::column::ColumnField;
use super::write::COLUMNS;
use emvo_ical::calendar::{Calendar, Event, Series};
use emvo_ical::zone::ZoneResolver;

/// Writes each series as one JSON object on a line; how many there are.
pub fn write_lines(calendars: &[(&Calendar<'_>, &ZoneResolver)]) -> (Vec<u8>, usize) {
    let (mut out, mut events) = (Vec::new(), 0);
    for (calendar, zones) in calendars {
        let name = calendar.name();
        for series in &calendar.series {
            events += 1;
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
            out.extend_from_slice(Value::from(line).to_string().as_bytes());
            out.push(b'\n');
        }
    }
    (out, events)
}

fn object(
    event: &Event<'_>,
    series: &Series<'_>,
    zones: &ZoneResolver,
    calendar: &str,
) -> Map<String, Value> {
    let row = WrittenRow { event, series, zones, calendar, file: None };
    let mut object = Map::new();
    for field in COLUMNS.into_iter().chain([ColumnField::Status]) {
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
