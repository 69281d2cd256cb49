//! [`Calendar`] → bytes, components in the order they had.

use super::Calendar;
use crate::content::{Component, Property, push_component, push_property};

/// Writes a calendar as iCalendar text. Events that could not be read are not
/// in it: they are set aside.
///
/// Components keep their order by rank; those of equal rank come as zones,
/// events, others.
pub fn write(calendar: &Calendar<'_>, out: &mut Vec<u8>) {
    write_with_head(calendar, &[], out);
}

/// The same, with properties in front of the calendar's own.
pub fn write_with_head(calendar: &Calendar<'_>, head: &[Property<'_>], out: &mut Vec<u8>) {
    let zones = calendar.zones.iter().map(|zone| (zone.rank, &zone.it));
    let events = calendar.events().map(|event| (event.rank(), event.component()));
    let others = calendar.others.iter().map(|other| (other.rank, &other.it));
    let mut components: Vec<(u32, &Component<'_>)> = zones.chain(events).chain(others).collect();
    components.sort_by_key(|(rank, _)| *rank);

    // Most components are copied: room for those, and for some that are new.
    let copied: usize = components.iter().filter_map(|(_, one)| one.source()).map(str::len).sum();
    out.reserve(copied + copied / 16 + 4096);
    out.extend_from_slice(b"BEGIN:VCALENDAR\r\n");
    for property in head.iter().chain(&calendar.properties) {
        push_property(out, property);
    }
    for (_, component) in components {
        push_component(out, component);
    }
    out.extend_from_slice(b"END:VCALENDAR\r\n");
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::calendar::{EventTime, read};
    use crate::content::parse;

    const CALENDAR: &str = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nX-WR-CALNAME:Kaj\\, norr\r\n\
        BEGIN:VEVENT\r\nUID:b\r\nRECURRENCE-ID:20260112T080000\r\nDTSTART:20260112T090000\r\nEND:VEVENT\r\n\
        BEGIN:VTODO\r\nUID:t\r\nEND:VTODO\r\n\
        BEGIN:VEVENT\r\nUID:a\r\nDTSTART;VALUE=DATE:20260101\r\nEND:VEVENT\r\n\
        BEGIN:VTIMEZONE\r\nTZID:X\r\nEND:VTIMEZONE\r\n\
        BEGIN:VEVENT\r\nUID:b\r\nDTSTART:20260105T080000\r\nRRULE:FREQ=WEEKLY\r\nEND:VEVENT\r\n\
        BEGIN:VEVENT\r\nUID:c\r\nEND:VEVENT\r\n\
        END:VCALENDAR\r\n";

    #[test]
    fn untouched_calendars_come_back_in_their_order() {
        let calendar = read(parse(CALENDAR).roots.remove(0), "file");
        assert_eq!(calendar.name(), "Kaj, norr");
        assert_eq!(calendar.series.len(), 2, "master and override are one");
        assert_eq!(calendar.series[0].overrides().len(), 1);
        assert_eq!(calendar.unsound.len(), 1);
        let mut out = Vec::new();
        write(&calendar, &mut out);
        let expected = CALENDAR.replace("BEGIN:VEVENT\r\nUID:c\r\nEND:VEVENT\r\n", "");
        assert_eq!(String::from_utf8(out).unwrap(), expected);
    }

    #[test]
    fn a_change_shows_in_the_changed_lines_alone() {
        let mut calendar = read(parse(CALENDAR).roots.remove(0), "file");
        let master = calendar.series[0].master_mut().unwrap();
        master.set_start(EventTime::parse("20260105T083000", None).unwrap());
        let mut out = Vec::new();
        write(&calendar, &mut out);
        let text = String::from_utf8(out).unwrap();
        assert!(text.contains("UID:b\r\nDTSTART:20260105T083000\r\nRRULE:FREQ=WEEKLY\r\n"), "{text}");
    }
}
