//! What was found out about a table, and what a person has said of it → a columns file,
//! so that nobody is asked again.

use std::fmt::Write as _;

use super::column::ColumnField;
use super::date::DateOrder;
use super::habits::{AllDayEnds, ClockDot, LengthUnit};
use super::read::ReadOptions;
use super::serial::Epoch;
use super::sniffed::Sniffed;

/// The columns file by which a table is read as it was read with these options.
///
/// Each column is named by its header, one without as `column 5`. A column that is no
/// field has no `field` in the file either, and is carried along.
pub fn saved_columns(sniffed: &Sniffed, options: &ReadOptions) -> String {
    let file = options.columns_file.as_ref();
    let mut out = String::new();
    // Writing into a string cannot fail, here and below.
    let mut say = |key: &str, value: Option<&str>| {
        if let Some(value) = value {
            let _ = writeln!(out, "{key} = {}", quoted(value));
        }
    };
    say("delimiter", Some(sniffed.delimiter));
    say("date_order", sniffed.date_order.map(name_of_order));
    let epoch = file.map(|file| file.epoch).unwrap_or_default();
    let unit = options.length_unit.or(file.and_then(|file| file.length_unit));
    say("length_unit", unit.map(LengthUnit::name));
    let dot = options.clock_dot.or(file.and_then(|file| file.clock_dot));
    say("clock_dot", dot.map(ClockDot::name));
    let ends = options.all_day_ends.or(file.and_then(|file| file.all_day_ends));
    say("all_day_end", ends.map(AllDayEnds::name));
    if epoch == Epoch::Year1904 {
        out.push_str("serial_epoch = 1904\n");
    }
    if let Some(year) = options.year.or(file.and_then(|file| file.year)) {
        let _ = writeln!(out, "year = {year}");
    }
    let is_named = |(header, _): &&(String, Option<ColumnField>)| !header.is_empty();
    for (header, field) in sniffed.columns.iter().filter(is_named) {
        let _ = writeln!(out, "\n[[column]]\nheader = {}", quoted(header));
        if let Some(field) = field {
            let _ = writeln!(out, "field = {}", quoted(field.name()));
        }
    }
    out
}

fn name_of_order(order: DateOrder) -> &'static str {
    match order {
        DateOrder::Month => "month",
        DateOrder::Year => "year",
        DateOrder::Auto | DateOrder::Day => "day",
    }
}

/// A text as TOML has it.
fn quoted(text: &str) -> String {
    toml::Value::String(text.to_owned()).to_string()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::table::{Columns, Table, read};

    fn spans(table: &Table) -> Vec<String> {
        table.calendars[0].events().map(|event| format!("{} {:?}", event.span(), event.title())).collect()
    }

    /// Whoever reads by the file is asked nothing, and finds the same.
    #[test]
    fn a_table_is_read_by_its_saved_columns_as_it_was() {
        let named = |list: &[(ColumnField, &str)]| {
            list.iter().map(|(field, header)| (*field, (*header).to_owned())).collect::<Vec<_>>()
        };
        for (text, options) in [
            (
                "Anlass;\"Wer \"\"da\"\"\";Beginn;Dauer\nDrill;Olof;9/3/2026 18:00;1\nWatch;Elsa;9/25/2026 6:00;2\n",
                ReadOptions {
                    columns: named(&[(ColumnField::Title, "Anlass")]),
                    length_unit: Some(LengthUnit::Hours),
                    ..ReadOptions::default()
                },
            ),
            (
                "Drill,3.4. 18:00\nWatch,11.9. 6:00\n",
                ReadOptions {
                    columns: named(&[(ColumnField::Title, "#1"), (ColumnField::Start, "#2")]),
                    year: Some(2027),
                    ..ReadOptions::default()
                },
            ),
            (
                "Title,Date,Time,All day,Created,\nA,1/2/2026,9.3,no,2026-01-01,x\n",
                ReadOptions {
                    order: DateOrder::Month,
                    clock_dot: Some(ClockDot::Tenths),
                    all_day_ends: Some(AllDayEnds::Inclusive),
                    ..ReadOptions::default()
                },
            ),
        ] {
            let first = read(text, "f", &options).unwrap();
            let saved = saved_columns(&first.sniffed, &options);
            let columns_file =
                Some(Columns::parse(&saved).unwrap_or_else(|error| panic!("{error}\n{saved}")));
            let again = read(text, "f", &ReadOptions { columns_file, ..ReadOptions::default() });
            let again = again.unwrap_or_else(|error| panic!("{error}\n{saved}"));
            assert_eq!(spans(&again), spans(&first), "{saved}");
            assert_eq!(again.sniffed.columns, first.sniffed.columns, "{saved}");
        }
    }
}
