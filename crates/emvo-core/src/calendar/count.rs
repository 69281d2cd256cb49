//! How many events a text holds, found without reading them.

use std::borrow::Cow;
use std::collections::HashSet;

use memchr::memchr;

use crate::content::logical_lines;

/// Counts the events of an iCalendar text as a reader groups them: every
/// event without `RECURRENCE-ID`, and every id that has overrides alone.
///
/// This is the check on what was written. It goes by the text and nothing
/// else, so that an event that was lost between structure and bytes shows.
pub fn count_events(text: &str) -> usize {
    let (mut masters, mut without_id) = (0, 0);
    let mut overridden: HashSet<(usize, String)> = HashSet::new();
    each_event(text, |event| match (event.is_override, event.uid) {
        (false, _) => masters += 1,
        (true, None) => without_id += 1,
        (true, Some(uid)) => drop(overridden.insert((event.calendar, uid.into_owned()))),
    });
    if !overridden.is_empty() {
        each_event(text, |event| {
            if let (false, Some(uid)) = (event.is_override, event.uid) {
                overridden.remove(&(event.calendar, uid.into_owned()));
            }
        });
    }
    masters + without_id + overridden.len()
}

/// An event as its lines stand.
#[derive(Default)]
struct Seen<'a> {
    /// The number of its calendar.
    calendar: usize,
    is_override: bool,
    uid: Option<Cow<'a, str>>,
}

fn each_event<'a>(text: &'a str, mut tell: impl FnMut(Seen<'a>)) {
    let mut calendar = 0;
    let mut event: Option<Seen<'_>> = None;
    // How many components inside the event are open.
    let mut inside = 0_usize;
    for line in logical_lines(text) {
        let line = line.raw();
        match &mut event {
            None if is(line, "BEGIN", "VEVENT") => event = Some(Seen { calendar, ..Seen::default() }),
            None if is(line, "BEGIN", "VCALENDAR") => calendar += 1,
            Some(_) if inside == 0 && is(line, "END", "VEVENT") => {
                event.take().into_iter().for_each(&mut tell);
            }
            Some(_) if starts_as(line, "BEGIN:") => inside += 1,
            Some(_) if starts_as(line, "END:") => inside = inside.saturating_sub(1),
            Some(event) if inside == 0 => {
                if starts_as(line, "RECURRENCE-ID") {
                    event.is_override = true;
                } else if starts_as(line, "UID") {
                    event.uid = event.uid.take().or_else(|| uid_of(line));
                }
            }
            _ => {}
        }
    }
}

fn starts_as(line: &str, start: &str) -> bool {
    line.as_bytes().get(..start.len()).is_some_and(|head| head.eq_ignore_ascii_case(start.as_bytes()))
}

fn is(line: &str, keyword: &str, name: &str) -> bool {
    starts_as(line, keyword)
        && line[keyword.len()..].strip_prefix(':').is_some_and(|rest| rest.trim().eq_ignore_ascii_case(name))
}

fn uid_of(line: &str) -> Option<Cow<'_, str>> {
    if memchr(b'\n', line.as_bytes()).is_none() {
        let (_, uid) = line.split_once(':')?;
        return Some(Cow::Borrowed(uid.trim())).filter(|uid| !uid.is_empty());
    }
    let unfolded = line.replace("\r\n ", "").replace("\n ", "").replace("\r\n\t", "").replace("\n\t", "");
    let (_, uid) = unfolded.split_once(':')?;
    Some(uid.trim().to_owned()).filter(|uid| !uid.is_empty()).map(Cow::Owned)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::calendar::read;
    use crate::content::parse;

    #[test]
    fn events_are_counted_as_a_reader_groups_them() {
        let event =
            |lines: &str| format!("BEGIN:VEVENT\r\n{lines}DTSTART:20260105T080000Z\r\nEND:VEVENT\r\n");
        let alone = event("UID:lo\r\n ng\r\nRECURRENCE-ID:20260112T080000Z\r\n");
        let table = [
            (event("UID:a\r\n"), 1),
            (event("UID:a\r\n") + &event("UID:a\r\n"), 2),
            (event("UID:a\r\n") + &event("RECURRENCE-ID:20260112T080000Z\r\nUID:a\r\n"), 1),
            (alone.clone() + &alone, 1),
            (alone + &event("UID:long\r\n"), 1),
            (event("BEGIN:VALARM\r\nUID:x\r\nRECURRENCE-ID:y\r\nEND:VALARM\r\n"), 1),
            (event("RECURRENCE-ID:20260112T080000Z\r\n").repeat(2), 2),
        ];
        for (events, expected) in table {
            let text = format!("BEGIN:VCALENDAR\r\n{events}END:VCALENDAR\r\n");
            assert_eq!(count_events(&text), expected, "{text}");
            assert_eq!(read(parse(&text).roots.remove(0), "").series.len(), expected, "{text}");
            assert_eq!(count_events(&text.repeat(2)), 2 * expected, "{text}");
        }
    }
}
