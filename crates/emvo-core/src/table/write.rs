//! Calendars → text: one row an event, overrides as rows of their own.

use std::borrow::Cow;

use rayon::prelude::*;

use super::cannot_carry::{CannotCarry, Places};
use super::cell::guarded;
use super::cells_of::{WrittenRow, is_nominal};
use super::column::ColumnField;
use super::columns_file::{Column, Columns, Content, Guard, LineEnd};
use super::{COLUMN_HEADER, COLUMN_PROPERTY};
use emvo_ical::calendar::{
    Calendar, ComponentCounts, ComponentKind, Event, EventTime, OwnLine, Series, Status, ZoneRef,
};
use emvo_ical::content::Property;
use emvo_ical::zone::{Zone, ZoneResolver};

/// The columns that are always written, in their order.
pub(super) const COLUMNS: [ColumnField; 17] = [
    ColumnField::Title,
    ColumnField::Start,
    ColumnField::End,
    ColumnField::AllDay,
    ColumnField::Zone,
    ColumnField::Repeat,
    ColumnField::Exceptions,
    ColumnField::ExtraDates,
    ColumnField::Location,
    ColumnField::Description,
    ColumnField::Category,
    ColumnField::Busy,
    ColumnField::Private,
    ColumnField::Reminder,
    ColumnField::Url,
    ColumnField::Calendar,
    ColumnField::Uid,
];

/// So many series are put into rows by one thread in one go, and so many side by side.
const SERIES_A_PART: usize = 1 << 9;
const SERIES_AT_ONCE: usize = 1 << 15;

/// A table as text, and what it could not hold.
#[derive(Debug, Default)]
pub struct WrittenTable {
    /// The table in UTF-8.
    pub text: Vec<u8>,
    /// How many series and single events a reader finds in it.
    pub events: usize,
    /// How many cells were to be filled; of JSON lines how many events were to be
    /// written, each changed date one.
    pub cells: usize,
    /// How many of them a reader finds.
    pub cells_found: usize,
    /// What is no event, for which it has no place at all.
    pub left_behind: ComponentCounts,
    /// What was left out.
    pub cannot_carry: CannotCarry,
}

impl WrittenTable {
    /// A row is an event; whatever else a calendar holds has no place, nor has what
    /// it says of itself besides its name.
    pub(super) fn leave_others_behind(&mut self, calendar: &Calendar<'_>) {
        let mut count = |name: &str| {
            *self.cannot_carry.entry(name.to_ascii_uppercase()).or_insert(0) += 1;
        };
        for other in &calendar.others {
            count(other.it.name());
            self.left_behind.add(ComponentKind::of(other.it.name()));
        }
        let floats = |time: &EventTime| !time.is_date() && *time.zone() == ZoneRef::Floating;
        for line in calendar.properties.iter().filter(|line| !line.value().trim().is_empty()) {
            let says_something = match OwnLine::of(line) {
                OwnLine::Head | OwnLine::Copy => false,
                // It stands in the rows.
                OwnLine::Name => calendar.series.is_empty(),
                // It says what times without a zone mean, and nothing where there are none.
                OwnLine::Zone => calendar.events().any(|event| floats(event.start())),
                _ => true,
            };
            if says_something {
                count(line.name());
            }
        }
    }
}

/// How a table is written.
#[derive(Clone, Debug, Default)]
pub struct WriteOptions {
    /// The columns, if not the default ones.
    pub columns: Option<Columns>,
    /// Fields without a column that may be left out.
    pub leave_out: Vec<ColumnField>,
    /// A zone whose times need no zone column, since the reader knows it.
    pub known_zone: Option<Zone>,
}

/// The columns have no place for something that the events have.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("the columns have no place for {}", list(.0))]
pub struct NoPlace(pub Vec<(ColumnField, usize)>);

fn list(missing: &[(ColumnField, usize)]) -> String {
    let parts: Vec<String> = missing
        .iter()
        .map(|(field, count)| {
            let events = if *count == 1 { "event has" } else { "events have" };
            format!("{}, which {count} {events}", field.name())
        })
        .collect();
    parts.join("; ")
}

/// Fields without which an event would be another one, or at another time.
const NEEDED: [ColumnField; 6] = [
    ColumnField::EndDate,
    ColumnField::Zone,
    ColumnField::Repeat,
    ColumnField::Exceptions,
    ColumnField::ExtraDates,
    ColumnField::Replaces,
];

/// Writes calendars as one table. By default a `replaces` column comes where
/// there are overrides, a `duration` column where some series lasts days from a time of
/// day on, a `status` column where some event is cancelled or
/// tentative, and the columns that nobody claimed come back. A columns file
/// says otherwise; if it has no place for what makes an event's time, that is
/// an error.
pub fn write(
    calendars: &[(&Calendar<'_>, &ZoneResolver)],
    options: &WriteOptions,
) -> Result<WrittenTable, NoPlace> {
    let columns = match &options.columns {
        Some(file) if !file.list.is_empty() => file.list.clone(),
        _ => default_columns(calendars),
    };
    ensure_place(calendars, &columns, options)?;
    let rows = Rows { columns: &columns, file: options.columns.as_ref() };
    let mut due = Size::default();
    let headers = columns.iter().map(|column| Cow::Borrowed(column.header.as_str()));
    let mut written =
        WrittenTable { text: rows.text([headers].into_iter(), &mut due), ..WrittenTable::default() };
    let places = Places::of(&columns);
    for (calendar, zones) in calendars {
        let name = calendar.name();
        written.leave_others_behind(calendar);
        written.events += calendar.series.len();
        let part_of = |series: &[Series<'_>]| {
            let mut left_out = CannotCarry::new();
            let of_series =
                series.iter().flat_map(|series| series.events().map(move |event| (series, event)));
            let cells = of_series.map(|(series, event)| {
                let row = WrittenRow { event, series, zones, calendar: &name, file: rows.file };
                places.note(&row, &mut left_out);
                rows.cells(row)
            });
            let mut size = Size::default();
            (rows.text(cells, &mut size), left_out, size)
        };
        // Some at a time: the parts of a whole table take as much memory as the table.
        for some in calendar.series.chunks(SERIES_AT_ONCE) {
            let parts: Vec<(Vec<u8>, CannotCarry, Size)> =
                some.par_chunks(SERIES_A_PART).map(part_of).collect();
            for (part, left_out, size) in parts {
                written.text.extend_from_slice(&part);
                due.rows += size.rows;
                due.cells += size.cells;
                for (name, count) in left_out {
                    *written.cannot_carry.entry(name).or_insert(0) += count;
                }
            }
        }
    }
    let found = rows.size_of(&written.text);
    written.cells = due.cells;
    written.cells_found = found.cells;
    // An event whose row a reader does not find is not written, and the sum is off.
    written.events = (written.events + found.rows).saturating_sub(due.rows);
    Ok(written)
}

/// How large a table is, its headers included.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
struct Size {
    rows: usize,
    /// Those that are not empty.
    cells: usize,
}

fn default_columns(calendars: &[(&Calendar<'_>, &ZoneResolver)]) -> Vec<Column> {
    let mut fields = COLUMNS.to_vec();
    let any =
        |test: &dyn Fn(&Event<'_>) -> bool| calendars.iter().any(|(calendar, _)| calendar.events().any(test));
    let series = || calendars.iter().flat_map(|(calendar, _)| &calendar.series);
    if series().any(|series| series.events().any(|event| is_nominal(event, series))) {
        fields.push(ColumnField::Duration);
    }
    if any(&|event| event.replaces().is_some()) {
        fields.push(ColumnField::Replaces);
    }
    if any(&|event| event.status() != Status::Confirmed) {
        fields.push(ColumnField::Status);
    }
    let own = fields
        .into_iter()
        .map(|field| Column { header: field.name().to_owned(), content: Content::Field(field) });
    let carried =
        carried_headers(calendars).into_iter().map(|header| Column { header, content: Content::Carried });
    own.chain(carried).collect()
}

/// Refuses columns that would make events others than they are.
fn ensure_place(
    calendars: &[(&Calendar<'_>, &ZoneResolver)],
    columns: &[Column],
    options: &WriteOptions,
) -> Result<(), NoPlace> {
    let holds = |field: ColumnField| columns.iter().any(|column| column.content == Content::Field(field));
    let has = |field: ColumnField| match field {
        // A length says the last day as well.
        ColumnField::EndDate => {
            [ColumnField::End, ColumnField::EndDate, ColumnField::Duration].into_iter().any(holds)
        }
        field => holds(field),
    };
    let mut missing = Vec::new();
    for field in NEEDED.into_iter().filter(|field| !has(*field) && !options.leave_out.contains(field)) {
        let series = calendars.iter().flat_map(|(calendar, _)| &calendar.series);
        let count = series.filter(|series| needs(series, field, options.known_zone.as_ref())).count();
        if count > 0 {
            missing.push((field, count));
        }
    }
    if missing.is_empty() { Ok(()) } else { Err(NoPlace(missing)) }
}

fn needs(series: &Series<'_>, field: ColumnField, known_zone: Option<&Zone>) -> bool {
    let lead = series.lead();
    let has = |name: &str| lead.component().property(name).is_some();
    match field {
        ColumnField::Repeat => has("RRULE"),
        ColumnField::Exceptions => has("EXDATE"),
        ColumnField::ExtraDates => has("RDATE"),
        ColumnField::Replaces => !series.overrides().is_empty(),
        ColumnField::EndDate => series.events().any(ends_on_another_day),
        ColumnField::Zone => series.events().any(|event| is_in_unknown_zone(event.start(), known_zone)),
        _ => false,
    }
}

/// Whether an event ends on another day than a time of day alone would say: that of its
/// start, or the next one for a night watch.
fn ends_on_another_day(event: &Event<'_>) -> bool {
    let (start, end) = (event.start().clock(), event.end().clock());
    if event.is_all_day() {
        return end.date().yesterday().is_ok_and(|last| last > start.date());
    }
    let is_next_day = start.date().tomorrow().is_ok_and(|next| next == end.date());
    end.date() > start.date() && !(is_next_day && end.time() < start.time())
}

fn is_in_unknown_zone(start: &EventTime, known_zone: Option<&Zone>) -> bool {
    let is_known = known_zone.is_some_and(|zone| zone.to_ref() == *start.zone());
    !start.is_date() && *start.zone() != ZoneRef::Floating && !is_known
}

/// How rows are put into text.
struct Rows<'o> {
    columns: &'o [Column],
    file: Option<&'o Columns>,
}

impl Rows<'_> {
    fn cells<'r>(&'r self, row: WrittenRow<'r, 'r>) -> impl Iterator<Item = Cow<'r, str>> {
        self.columns.iter().map(move |column| match &column.content {
            Content::Field(field) => row.cell(*field, self.columns),
            Content::Fixed(text) => Cow::Borrowed(text.as_str()),
            Content::Carried => carried_cell(row.event, &column.header),
        })
    }

    /// Some rows as text; `size` grows by what they have to say.
    fn text<'r>(
        &self,
        rows: impl Iterator<Item = impl Iterator<Item = Cow<'r, str>>>,
        size: &mut Size,
    ) -> Vec<u8> {
        let terminator = match self.file.map(|file| file.line_end).unwrap_or_default() {
            LineEnd::CrLf => csv::Terminator::CRLF,
            LineEnd::Lf => csv::Terminator::Any(b'\n'),
        };
        let guard = self.file.map(|file| file.guard).unwrap_or_default();
        let mut writer = csv::WriterBuilder::new()
            .terminator(terminator)
            .delimiter(self.delimiter())
            .from_writer(Vec::new());
        for cells in rows {
            size.rows += 1;
            for cell in cells {
                size.cells += usize::from(!cell.is_empty());
                // Writing to memory cannot fail, here and below.
                let _ = match guard {
                    Guard::On => writer.write_field(guarded(&cell).as_bytes()),
                    Guard::Off => writer.write_field(cell.as_bytes()),
                };
            }
            // All rows have the same length.
            let _ = writer.write_record(None::<&[u8]>);
        }
        writer.into_inner().unwrap_or_default()
    }

    fn delimiter(&self) -> u8 {
        self.file.and_then(|file| file.delimiter).unwrap_or_default().byte()
    }

    /// What a reader finds in a text.
    fn size_of(&self, text: &[u8]) -> Size {
        let mut reader = csv::ReaderBuilder::new()
            .has_headers(false)
            .flexible(true)
            .delimiter(self.delimiter())
            .from_reader(text);
        let (mut size, mut record) = (Size::default(), csv::ByteRecord::new());
        while reader.read_byte_record(&mut record).unwrap_or(false) {
            size.rows += 1;
            size.cells += record.iter().filter(|cell| !cell.is_empty()).count();
        }
        size
    }
}

fn carried_headers(calendars: &[(&Calendar<'_>, &ZoneResolver)]) -> Vec<String> {
    let mut headers: Vec<String> = Vec::new();
    for event in calendars.iter().flat_map(|(calendar, _)| calendar.events()) {
        for property in event.component().properties_named(COLUMN_PROPERTY) {
            if let Some(header) = property.parameter(COLUMN_HEADER)
                && !headers.iter().any(|known| *known == header)
            {
                headers.push(header.into_owned());
            }
        }
    }
    headers
}

fn carried_cell<'e>(event: &'e Event<'_>, header: &str) -> Cow<'e, str> {
    event
        .component()
        .properties_named(COLUMN_PROPERTY)
        .find(|property| property.parameter(COLUMN_HEADER).is_some_and(|known| known == header))
        .map(Property::text)
        .unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::table::{ReadOptions, read};
    use emvo_ical::zone::ZoneChoices;

    const TABLE: &str = "title,start,end,all_day,zone,repeat,exceptions,extra_dates,location,description,category,busy,private,\
        reminder,url,calendar,uid,replaces,status,Vessel\r\n\
        Crew change,2026-03-02T08:00:00,2026-03-02T08:30:00,no,Europe/Helsinki,every week on Mon until 2026-12-31,2026-03-09T08:00:00,2026-03-11T08:00:00,\
        \"Kaj 2, norr\",\"line 1\nline 2\",Crew; Deck,free,private,15; 1440,https://example.org/a,Roster,u-1,,,M/S Ebba\r\n\
        Crew change,2026-03-17T10:00:00,2026-03-17T10:30:00,no,Europe/Helsinki,,,,,,,busy,,,,Roster,u-1,2026-03-16T08:00:00,cancelled,\r\n\
        '=SUM(A1),2026-04-01,2026-04-03,yes,,,,,,,,busy,,,,Roster,u-2,,,\r\n\
        Harbour open,2026-05-01T10:00:00,,no,floating,,,,,,,busy,confidential,,,Roster,u-3,,,\r\n";

    #[test]
    fn a_written_table_reads_back_as_it_was() {
        let table = read(TABLE, "Roster", &ReadOptions::default()).unwrap();
        assert_eq!(table.set_aside, []);
        let calendar = &table.calendars[0];
        assert_eq!(calendar.series.len(), 3);
        assert_eq!(calendar.series[1].lead().title().unwrap(), "=SUM(A1)");
        let zones = ZoneResolver::of(calendar, &ZoneChoices::default());
        let written = write(&[(calendar, &zones)], &WriteOptions::default()).unwrap();
        assert_eq!(String::from_utf8(written.text).unwrap(), TABLE);
        assert_eq!((written.events, written.cannot_carry.len()), (3, 0));
    }

    #[test]
    fn what_a_table_cannot_carry_is_counted_by_name() {
        let text = "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:1\nDTSTART:20260101T100000Z\nATTENDEE:mailto:a@example.org\n\
            ATTENDEE:mailto:b@example.org\nX-ROOM:3\nBEGIN:VALARM\nTRIGGER;RELATED=END:-PT5M\nEND:VALARM\nEND:VEVENT\n\
            BEGIN:VTODO\nUID:2\nEND:VTODO\nEND:VCALENDAR\n";
        let calendar = emvo_ical::calendar::read(emvo_ical::content::parse(text).roots.remove(0), "f");
        let written = write(&[(&calendar, &ZoneResolver::default())], &WriteOptions::default()).unwrap();
        let left: Vec<_> = written.cannot_carry.iter().map(|(name, count)| (name.as_str(), *count)).collect();
        assert_eq!(left, [("ATTENDEE", 2), ("VALARM", 1), ("VTODO", 1), ("X-ROOM", 1)]);
    }
}
