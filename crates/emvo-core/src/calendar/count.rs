//! How many events a text holds, found without reading them.

use std::borrow::Cow;

use hashbrown::{HashMap, HashSet};
use memchr::memchr;
use rayon::prelude::*;

use crate::content::logical_lines;

/// Counts the events of an iCalendar text as a reader groups them: every
/// event without `RECURRENCE-ID`, and every id that has overrides alone.
///
/// This is the check on what was written. It goes by the text and nothing
/// else, so that an event that was lost between structure and bytes shows.
pub fn count_events(text: &str) -> usize {
    let pieces = cut(text, PIECE);
    let tallies: Vec<Tally<'_>> = pieces.par_iter().map(|piece| Tally::of(piece)).collect();
    let (_, before_last) = tallies.split_last().unwrap_or((&Tally::EMPTY, &[]));
    if before_last.iter().any(|tally| tally.is_open) {
        // A cut went through an event, as one inside another can make it do.
        return sum(&[text], &[Tally::of(text)]);
    }
    sum(&pieces, &tallies)
}

/// How long the pieces are that are counted side by side.
const PIECE: usize = 1 << 20;

/// A text in pieces of about a length, cut in front of events.
fn cut(text: &str, length: usize) -> Vec<&str> {
    const BEGIN: &[u8] = b"\nBEGIN:VEVENT";
    let finder = memchr::memmem::Finder::new(BEGIN);
    let mut pieces = Vec::new();
    let mut rest = text;
    while let Some(far) = rest.as_bytes().get(length..)
        && let Some(at) = finder.find(far)
    {
        // Behind a line break, which no character has inside it.
        let (piece, behind) = rest.split_at(length + at + 1);
        pieces.push(piece);
        rest = behind;
    }
    pieces.push(rest);
    pieces
}

/// What one piece of a text has.
struct Tally<'a> {
    /// How many calendars begin in it.
    calendars: usize,
    masters: usize,
    overrides_without_id: usize,
    /// The overrides by calendar, counted from the piece's start, and id.
    overrides: Vec<(usize, Cow<'a, str>)>,
    /// Whether its last event has no end in it.
    is_open: bool,
}

impl<'a> Tally<'a> {
    const EMPTY: Self =
        Self { calendars: 0, masters: 0, overrides_without_id: 0, overrides: Vec::new(), is_open: false };

    fn of(piece: &'a str) -> Self {
        let mut tally = Self::EMPTY;
        let end = each_event(piece, |event| match (event.is_override, event.uid) {
            (false, _) => tally.masters += 1,
            (true, None) => tally.overrides_without_id += 1,
            (true, Some(uid)) => tally.overrides.push((event.calendar, uid)),
        });
        Self { calendars: end.calendars, is_open: end.is_open, ..tally }
    }
}

/// The events of all pieces: those without `RECURRENCE-ID`, and the ids that
/// have overrides alone.
fn sum(pieces: &[&str], tallies: &[Tally<'_>]) -> usize {
    let mut before = 0;
    let firsts: Vec<usize> = tallies
        .iter()
        .map(|tally| {
            before += tally.calendars;
            before - tally.calendars
        })
        .collect();
    let overrides = tallies.iter().zip(&firsts).flat_map(|(tally, first)| {
        tally.overrides.iter().map(move |(calendar, uid)| (first + calendar, &**uid))
    });
    let mut overridden: HashMap<(usize, &str), usize> = HashMap::new();
    for id in overrides {
        let number = overridden.len();
        overridden.entry(id).or_insert(number);
    }
    let have_masters: HashSet<usize> = if overridden.is_empty() {
        HashSet::new()
    } else {
        let found = pieces.par_iter().zip(&firsts).map(|(piece, first)| {
            let mut found = Vec::new();
            each_event(piece, |event| {
                if let (false, Some(uid)) = (event.is_override, event.uid) {
                    found.extend(overridden.get(&(first + event.calendar, &*uid)).copied());
                }
            });
            found
        });
        found.flatten_iter().collect::<Vec<_>>().into_iter().collect()
    };
    let counted = tallies.iter().map(|tally| tally.masters + tally.overrides_without_id).sum::<usize>();
    counted + overridden.len() - have_masters.len()
}

/// An event as its lines stand.
#[derive(Default)]
struct Seen<'a> {
    /// The number of its calendar.
    calendar: usize,
    is_override: bool,
    uid: Option<Cow<'a, str>>,
}

/// How a text ended.
struct End {
    /// How many calendars began.
    calendars: usize,
    /// Whether an event has not ended.
    is_open: bool,
}

fn each_event<'a>(text: &'a str, mut tell: impl FnMut(Seen<'a>)) -> End {
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
    End { calendars: calendar, is_open: event.is_some() }
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

    #[test]
    fn a_text_in_pieces_has_the_events_of_the_whole() {
        let calendar = |number: usize| {
            let events = (0..20).map(|at| {
                let uid = format!("UID:{}\r\n", at * number % 7);
                let slot = if at % 3 == 0 { "RECURRENCE-ID:20260112T080000Z\r\n" } else { "" };
                format!("BEGIN:VEVENT\r\n{uid}{slot}END:VEVENT\r\n")
            });
            format!("BEGIN:VCALENDAR\r\n{}END:VCALENDAR\r\n", events.collect::<String>())
        };
        let text: String = (1..6).map(calendar).collect();
        let whole = sum(&[&text], &[Tally::of(&text)]);
        let mut lengths = HashSet::new();
        for length in 1..text.len() {
            let pieces = cut(&text, length);
            assert_eq!(pieces.concat(), text);
            lengths.insert(pieces.len());
            let tallies: Vec<_> = pieces.iter().map(|piece| Tally::of(piece)).collect();
            assert!(tallies.iter().all(|tally| !tally.is_open));
            assert_eq!(sum(&pieces, &tallies), whole, "in pieces of {length}");
        }
        assert!(lengths.len() > 5, "{lengths:?}");
    }

    #[test]
    fn an_event_inside_another_is_counted_with_it_however_long_it_is() {
        let inner = "BEGIN:VEVENT\r\nUID:b\r\nEND:VEVENT\r\n".repeat(PIECE / 20);
        let text =
            format!("BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:a\r\n{inner}END:VEVENT\r\nEND:VCALENDAR\r\n");
        assert!(cut(&text, PIECE).len() > 1);
        assert_eq!(count_events(&text), 1);
    }
}
