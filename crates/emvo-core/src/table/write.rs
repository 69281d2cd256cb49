//! Calendars → text: one row an event, overrides as rows of their own.

use std::collections::BTreeMap;

use super::cell::guarded;
use super::column::Field;
use super::{COLUMN_HEADER, COLUMN_PROPERTY};
use crate::calendar::{Calendar, Classification, Duration, Event, EventTime, Series, Status, ZoneRef};
use crate::content::Component;
use crate::recurrence::rule_in_words;
use crate::zone::{Zone, ZoneBook};

/// The columns that are always written, in their order.
const COLUMNS: [Field; 17] = [
    Field::Title,
    Field::Start,
    Field::End,
    Field::AllDay,
    Field::Zone,
    Field::Repeat,
    Field::Exceptions,
    Field::ExtraDates,
    Field::Location,
    Field::Description,
    Field::Category,
    Field::Busy,
    Field::Private,
    Field::Reminder,
    Field::Url,
    Field::Calendar,
    Field::Uid,
];

/// What a table has no place for, by name, with how often it was left out.
pub type CannotCarry = BTreeMap<String, usize>;

/// A table as text, and what it could not hold.
#[derive(Debug)]
pub struct WrittenTable {
    /// The table in UTF-8 with CRLF line ends (RFC 4180).
    pub text: Vec<u8>,
    /// How many series and single events are in it.
    pub events: usize,
    /// What was left out.
    pub cannot_carry: CannotCarry,
}

/// Writes calendars as one table with the default columns. A `replaces` column
/// comes where there are overrides, a `status` column where some event is
/// cancelled or tentative, and the columns that nobody claimed come back.
pub fn write(calendars: &[(&Calendar<'_>, &ZoneBook)]) -> WrittenTable {
    let mut columns = COLUMNS.to_vec();
    let any =
        |test: &dyn Fn(&Event<'_>) -> bool| calendars.iter().any(|(calendar, _)| calendar.events().any(test));
    if any(&|event| event.replaces().is_some()) {
        columns.push(Field::Replaces);
    }
    if any(&|event| event.status() != Status::Confirmed) {
        columns.push(Field::Status);
    }
    let carried = carried_headers(calendars);
    let mut writer = csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(Vec::new());
    let mut push = |cells: Vec<String>| {
        // Writing to memory cannot fail, and all rows have the same length.
        let _ = writer.write_record(cells.iter().map(|cell| guarded(cell).into_owned()));
    };
    push(columns.iter().map(|field| field.name().to_owned()).chain(carried.iter().cloned()).collect());
    let mut events = 0;
    let mut cannot_carry = CannotCarry::new();
    for (calendar, zones) in calendars {
        let name = calendar.name();
        for other in &calendar.others {
            *cannot_carry.entry(other.it.name().to_ascii_uppercase()).or_insert(0) += 1;
        }
        for series in &calendar.series {
            events += 1;
            for event in series.events() {
                note_what_stays_behind(event, &mut cannot_carry);
                let row = Row { event, series, zones, calendar: &name };
                let own = columns.iter().map(|field| row.cell(*field));
                let carried = carried.iter().map(|header| carried_cell(event, header));
                push(own.chain(carried).collect());
            }
        }
    }
    WrittenTable { text: writer.into_inner().unwrap_or_default(), events, cannot_carry }
}

struct Row<'r, 'a> {
    event: &'r Event<'a>,
    series: &'r Series<'a>,
    zones: &'r ZoneBook,
    calendar: &'r str,
}

impl Row<'_, '_> {
    fn cell(&self, field: Field) -> String {
        let event = self.event;
        let text = |name| event.text(name).map(std::borrow::Cow::into_owned).unwrap_or_default();
        let yes = |is: bool, yes: &str, no: &str| if is { yes.to_owned() } else { no.to_owned() };
        match field {
            Field::Title => text("SUMMARY"),
            Field::Start => moment(event.start()),
            Field::End => self.end(),
            Field::AllDay => yes(event.is_all_day(), "yes", "no"),
            Field::Zone => self.zone(),
            Field::Repeat => {
                let words = event.rules().map(|rule| rule_in_words(&rule, event.start(), self.zones));
                words.collect::<Vec<_>>().join(" & ")
            }
            Field::Exceptions => self.dates("EXDATE"),
            Field::ExtraDates => self.dates("RDATE"),
            Field::Location => text("LOCATION"),
            Field::Description => text("DESCRIPTION"),
            Field::Category => event.categories().join("; "),
            Field::Busy => yes(event.is_busy(), "busy", "free"),
            Field::Private => match event.classification() {
                Classification::Public => String::new(),
                Classification::Private => "private".to_owned(),
                Classification::Confidential => "confidential".to_owned(),
            },
            Field::Reminder => event.alarms().filter_map(minutes_before).collect::<Vec<_>>().join("; "),
            Field::Url => text("URL"),
            Field::Calendar => self.calendar.to_owned(),
            Field::Uid => self.series.uid().map(ToString::to_string).unwrap_or_default(),
            Field::Replaces => {
                event.replaces().map(|time| moment(&self.on_clock_of_start(time))).unwrap_or_default()
            }
            Field::Status => match event.status() {
                Status::Confirmed => String::new(),
                Status::Tentative => "tentative".to_owned(),
                Status::Cancelled => "cancelled".to_owned(),
            },
            Field::StartDate | Field::StartTime | Field::EndDate | Field::EndTime | Field::Duration => {
                String::new()
            }
        }
    }

    /// The last day of an all-day event; else the end on the start's clock.
    fn end(&self) -> String {
        if *self.event.extent() == crate::calendar::Extent::Unstated && !self.event.is_all_day() {
            return String::new();
        }
        match self.event.end() {
            EventTime::Date(after) => {
                after.yesterday().unwrap_or(after).max(self.event.start().date()).to_string()
            }
            end @ EventTime::Clock { .. } => moment(&self.on_clock_of_start(&end)),
        }
    }

    fn zone(&self) -> String {
        match self.event.start() {
            EventTime::Date(_) => String::new(),
            EventTime::Clock { zone: ZoneRef::Floating, .. } => "floating".to_owned(),
            EventTime::Clock { zone: ZoneRef::Utc, .. } => "UTC".to_owned(),
            EventTime::Clock { zone: ZoneRef::Named(name), .. } => {
                self.zones.zone_named(name).map_or_else(|| name.to_string(), |zone| zone.name().to_owned())
            }
        }
    }

    fn dates(&self, name: &str) -> String {
        let dates = self.event.dates(name);
        dates.iter().map(|date| moment(&self.on_clock_of_start(date))).collect::<Vec<_>>().join("; ")
    }

    /// A time in the zone of the row, which has one zone cell for all.
    fn on_clock_of_start(&self, time: &EventTime) -> EventTime {
        let start = self.event.start();
        if time.zone() == start.zone() || time.is_date() {
            return time.clone();
        }
        let zone = self.zones.zone_of(start.zone());
        let clock = zone.zip(self.zones.instant(time)).and_then(|(zone, instant): (Zone, i64)| {
            crate::recurrence::day::clock_at(zone.behaviour().clock_at(instant))
        });
        clock.map_or_else(|| time.clone(), |clock| start.at_clock(clock))
    }
}

/// `2026-09-01T09:30:00`, or `2026-09-01` for a whole day.
fn moment(time: &EventTime) -> String {
    match time {
        EventTime::Date(date) => date.to_string(),
        EventTime::Clock { at, .. } => at.to_string(),
    }
}

/// A reminder as minutes before the start; others have no place in a cell.
fn minutes_before(alarm: &Component<'_>) -> Option<String> {
    let trigger = alarm.property("TRIGGER")?;
    if trigger.parameter("RELATED").is_some_and(|related| related.eq_ignore_ascii_case("END")) {
        return None;
    }
    let Duration { days, seconds } = Duration::parse(&trigger.value())?;
    let before = -(days * 1440 + seconds / 60);
    (before >= 0 && seconds % 60 == 0).then(|| before.to_string())
}

fn carried_headers(calendars: &[(&Calendar<'_>, &ZoneBook)]) -> Vec<String> {
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

fn carried_cell(event: &Event<'_>, header: &str) -> String {
    event
        .component()
        .properties_named(COLUMN_PROPERTY)
        .find(|property| property.parameter(COLUMN_HEADER).is_some_and(|known| known == header))
        .map(|property| property.text().into_owned())
        .unwrap_or_default()
}

/// Counts what has no column. Stamps are no content and are not counted.
fn note_what_stays_behind(event: &Event<'_>, cannot_carry: &mut CannotCarry) {
    const HAVE_A_PLACE: [&str; 24] = [
        "UID",
        "SUMMARY",
        "DTSTART",
        "DTEND",
        "DURATION",
        "RRULE",
        "EXDATE",
        "RDATE",
        "LOCATION",
        "DESCRIPTION",
        "CATEGORIES",
        "TRANSP",
        "CLASS",
        "URL",
        "RECURRENCE-ID",
        "STATUS",
        "DTSTAMP",
        "CREATED",
        "LAST-MODIFIED",
        "SEQUENCE",
        COLUMN_PROPERTY,
        "X-EMVO-HEADER",
        "VERSION",
        "PRODID",
    ];
    for property in event.component().properties() {
        let name = property.name().to_ascii_uppercase();
        if !HAVE_A_PLACE.contains(&name.as_str()) && !property.value().trim().is_empty() {
            *cannot_carry.entry(name).or_insert(0) += 1;
        }
    }
    for component in event.component().components() {
        if !(component.is("VALARM") && minutes_before(component).is_some()) {
            *cannot_carry.entry(component.name().to_ascii_uppercase()).or_insert(0) += 1;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::table::{ReadOptions, read};
    use crate::zone::ZoneChoices;

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
        let zones = ZoneBook::of(calendar, &ZoneChoices::default());
        let written = write(&[(calendar, &zones)]);
        assert_eq!(String::from_utf8(written.text).unwrap(), TABLE);
        assert_eq!((written.events, written.cannot_carry.len()), (3, 0));
    }

    #[test]
    fn what_a_table_cannot_carry_is_counted_by_name() {
        let text = "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:1\nDTSTART:20260101T100000Z\nATTENDEE:mailto:a@example.org\n\
            ATTENDEE:mailto:b@example.org\nX-ROOM:3\nBEGIN:VALARM\nTRIGGER;RELATED=END:-PT5M\nEND:VALARM\nEND:VEVENT\n\
            BEGIN:VTODO\nUID:2\nEND:VTODO\nEND:VCALENDAR\n";
        let calendar = crate::calendar::read(crate::content::parse(text).roots.remove(0), "f");
        let written = write(&[(&calendar, &ZoneBook::default())]);
        let left: Vec<_> = written.cannot_carry.iter().map(|(name, count)| (name.as_str(), *count)).collect();
        assert_eq!(left, [("ATTENDEE", 2), ("VALARM", 1), ("VTODO", 1), ("X-ROOM", 1)]);
    }
}
