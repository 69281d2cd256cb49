//! [`Calendar`] → bytes, components in the order they had.

use rayon::prelude::*;

use super::Calendar;
use crate::content::{Component, Length, Property, Room, push_component, push_property};

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

    let mut first_lines = b"BEGIN:VCALENDAR\r\n".to_vec();
    for property in head.iter().chain(&calendar.properties) {
        push_property(&mut first_lines, property);
    }
    push_all(out, &first_lines, &components);
    out.extend_from_slice(END);
}

const END: &[u8] = b"END:VCALENDAR\r\n";
/// So many components are written one after the other.
const GROUP: usize = 2048;

/// Writes first lines, then components side by side: each group is measured,
/// and then fills the room that is its own.
fn push_all(out: &mut Vec<u8>, first_lines: &[u8], components: &[(u32, &Component<'_>)]) {
    let groups = components.par_chunks(GROUP);
    let lengths: Vec<usize> = groups.clone().map(length_of).collect();
    let (start, all) = (out.len(), first_lines.len() + lengths.iter().sum::<usize>());
    if out.is_empty() {
        // Room that is zero as it comes, so that nobody goes through all of it
        // beforehand.
        *out = vec![0; all + END.len()];
        out.truncate(all);
    } else {
        out.reserve_exact(all + END.len());
        out.resize(start + all, 0);
    }
    let (head, mut rest) = out[start..].split_at_mut(first_lines.len());
    head.copy_from_slice(first_lines);
    let mut rooms = Vec::with_capacity(lengths.len());
    for length in lengths {
        let (room, behind) = rest.split_at_mut(length);
        rooms.push(room);
        rest = behind;
    }
    groups.zip(rooms).for_each(|(group, room)| {
        let mut room = Room(room);
        for (_, component) in group {
            push_component(&mut room, component);
        }
    });
}

fn length_of(group: &[(u32, &Component<'_>)]) -> usize {
    let mut length = Length::default();
    for (_, component) in group {
        push_component(&mut length, component);
    }
    length.0
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
