//! Tables, and the files that say how to read and write them.

use emvo_core::fit::Limits;
use emvo_core::table::{Columns, DateOrder, ReadOptions, Table, TableError, WriteOptions, read, write};
use emvo_ical::content::decode;
use emvo_ical::zone::{ZoneChoices, ZoneResolver};

/// A table that can be read is written again with as many events, and those
/// read back.
pub fn table(data: &[u8]) {
    let decoded = decode(data);
    let options = ReadOptions::default();
    let table = match read(&decoded.text, "trial", &options) {
        Err(TableError::Order { .. }) => {
            let options = ReadOptions { order: DateOrder::Day, ..options };
            read(&decoded.text, "trial", &options)
        }
        read => read,
    };
    let Ok(table) = table else { return };
    let zones: Vec<ZoneResolver> =
        table.calendars.iter().map(|calendar| ZoneResolver::of(calendar, &ZoneChoices::default())).collect();
    let all: Vec<_> = table.calendars.iter().zip(&zones).collect();
    let events = events_of(&table);
    let Ok(written) = write(&all, &WriteOptions::default()) else { return };
    assert_eq!(written.events, events, "every event is written");
    if events == 0 {
        return;
    }
    let text = String::from_utf8(written.text).expect("what comes from text is text");
    let again = read(&text, "trial", &ReadOptions::default()).expect("Emvo reads its own tables");
    assert!(again.set_aside.is_empty(), "{:?} of\n{text}", again.set_aside);
    assert_eq!(events_of(&again), events, "\n{text}");
}

fn events_of(table: &Table) -> usize {
    table.calendars.iter().map(|calendar| calendar.series.len()).sum()
}

/// Limits and columns files, whatever stands in them.
pub fn settings(data: &[u8]) {
    let text = String::from_utf8_lossy(data);
    let _ = Limits::parse(&text);
    let _ = Columns::parse(&text);
}
