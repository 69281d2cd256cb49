//! [`Calendar`] → bytes, components in the order they had.

use std::io::{self, Write};

use rayon::prelude::*;

use super::Calendar;
use crate::content::{Component, Property, push_component, push_property};

/// Writes a calendar as iCalendar text behind what is there already. Events
/// that could not be read are not in it: they are set aside.
///
/// Components keep their order by rank; those of equal rank come as zones,
/// events, others.
pub fn write(calendar: &Calendar<'_>, out: &mut Vec<u8>) {
    write_with_head(calendar, &[], out);
}

/// The same, with properties in front of the calendar's own.
pub fn write_with_head(calendar: &Calendar<'_>, head: &[Property<'_>], out: &mut Vec<u8>) {
    write_to(calendar, head, out).unwrap_or_else(|_| unreachable!("memory takes what is written into it"));
}

/// The same, into anything that takes bytes, such as a file; its errors are the
/// only ones.
///
/// A stretch of the calendar is made while the one before it is written, so
/// that the whole text is never in memory.
pub fn write_to(
    calendar: &Calendar<'_>,
    head: &[Property<'_>],
    out: &mut (impl Write + Send),
) -> io::Result<()> {
    let mut first_lines = b"BEGIN:VCALENDAR\r\n".to_vec();
    for property in head.iter().chain(&calendar.properties) {
        push_property(&mut first_lines, property);
    }
    out.write_all(&first_lines)?;
    let ranked = || {
        let zones = calendar.zones.iter().map(|zone| (zone.rank, &zone.it));
        let events = calendar.events().map(|event| (event.rank(), event.component()));
        let others = calendar.others.iter().map(|other| (other.rank, &other.it));
        zones.chain(events).chain(others)
    };
    if ranked().is_sorted_by_key(|(rank, _)| rank) {
        write_components(out, ranked())?;
    } else {
        let mut all: Vec<_> = ranked().collect();
        all.sort_by_key(|(rank, _)| *rank);
        write_components(out, all.into_iter())?;
    }
    out.write_all(b"END:VCALENDAR\r\n")
}

/// Writes components in this order, whatever their ranks.
fn write_components<'c, 'a: 'c>(
    out: &mut (impl Write + Send),
    mut ranked: impl Iterator<Item = (u32, &'c Component<'a>)>,
) -> io::Result<()> {
    let (mut made, mut next) = (Vec::new(), Vec::new());
    loop {
        let stretch: Vec<_> = ranked.by_ref().take(GROUP * GROUPS_AT_ONCE).map(|(_, it)| it).collect();
        let (written, ()) = rayon::join(|| write_groups(out, &made), || make_groups(&stretch, &mut next));
        written?;
        if stretch.is_empty() {
            return Ok(());
        }
        std::mem::swap(&mut made, &mut next);
    }
}

/// The number of components that one thread makes into text.
const GROUP: usize = 512;
/// The number of groups that are made in parallel before they are written.
const GROUPS_AT_ONCE: usize = 16;

fn write_groups(out: &mut impl Write, groups: &[Vec<u8>]) -> io::Result<()> {
    groups.iter().try_for_each(|group| out.write_all(group))
}

/// Makes the text of some components, reusing the memory of an earlier stretch.
fn make_groups(stretch: &[&Component<'_>], groups: &mut Vec<Vec<u8>>) {
    groups.resize_with(stretch.len().div_ceil(GROUP), Vec::new);
    stretch.par_chunks(GROUP).zip(groups).for_each(|(components, text)| {
        text.clear();
        for component in components {
            push_component(text, component);
        }
    });
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
