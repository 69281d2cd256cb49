//! How many components a text holds, found without reading them.

use std::borrow::Cow;
use std::io::{self, Read};

use hashbrown::{HashMap, HashSet};
use memchr::{memchr, memmem};
use rayon::prelude::*;

use super::{ComponentCounts, ComponentKind};
use crate::content::logical_lines;

/// Counts the components of an iCalendar text as a reader groups them. Its
/// events are those without `RECURRENCE-ID`, and every id that has overrides
/// alone.
///
/// This is the check on what was written. It goes by the text and nothing
/// else, so that an event that was lost between structure and bytes shows.
pub fn count_components(text: &str) -> TextCounts {
    count_components_in(|| Ok(text.as_bytes()))
        .unwrap_or_else(|_| unreachable!("a text in memory can be read, and is UTF-8"))
}

/// What a text holds.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct TextCounts {
    /// Its components.
    pub components: ComponentCounts,
    /// What they say, as [`Component::statements`](crate::content::Component::statements)
    /// counts it: their lines, but for those that begin and end them. The
    /// definitions of zones say nothing of their own.
    pub statements: usize,
}

/// The same for a text that stands elsewhere, such as in a file: it is opened
/// up to three times, and is never in memory as a whole, unless a component holds
/// an event.
///
/// # Errors
/// Those of reading, and `InvalidData` for what is not UTF-8.
pub fn count_components_in<R: Read + Send>(open: impl Fn() -> io::Result<R>) -> io::Result<TextCounts> {
    let in_blocks = |tell: Tell<'_>| each_block(open()?, &LENGTHS, tell);
    let counted = count_pieces(in_blocks)?;
    if counted.cuts == Cuts::BetweenComponents {
        return Ok(counted.found);
    }
    let text = io::read_to_string(open()?)?;
    let in_one = |tell: Tell<'_>| {
        tell(&[&text]);
        Ok(())
    };
    Ok(count_pieces(in_one)?.found)
}

/// How a text is taken apart.
struct Lengths {
    /// Upper bound on bytes in memory at once, unless one event has more.
    block: usize,
    /// Pieces of this length are counted side by side.
    piece: usize,
}

const LENGTHS: Lengths = Lengths { block: 4 << 20, piece: 1 << 18 };
const BEGIN: &[u8] = b"\nBEGIN:VEVENT";

/// Takes some pieces of a text that follow each other.
type Tell<'t> = &'t mut (dyn FnMut(&[&str]) + Send);

/// Tells a text block by block, each in pieces, cut in front of events.
fn each_block(mut text: impl Read + Send, lengths: &Lengths, tell: Tell<'_>) -> io::Result<()> {
    let mut read = |block: &mut Vec<u8>| text.by_ref().take(lengths.block as u64).read_to_end(block);
    let (mut block, mut next) = (Vec::new(), Vec::new());
    let mut length = read(&mut block)?;
    loop {
        let is_last = length < lengths.block;
        let end = if is_last { Some(block.len()) } else { memmem::rfind(&block, BEGIN).map(|at| at + 1) };
        let Some(end) = end else {
            length = read(&mut block)?;
            continue;
        };
        // The end is behind a line break, which no character has inside it.
        let whole = str::from_utf8(&block[..end]);
        let whole = whole.map_err(|error| io::Error::new(io::ErrorKind::InvalidData, error))?;
        let mut tell_whole = || tell(&cut(whole, lengths.piece));
        if is_last {
            tell_whole();
            return Ok(());
        }
        next.clear();
        next.extend_from_slice(&block[end..]);
        length = rayon::join(|| read(&mut next), tell_whole).0?;
        std::mem::swap(&mut block, &mut next);
    }
}

/// A text in pieces of about a length, cut in front of events.
fn cut(text: &str, length: usize) -> Vec<&str> {
    let finder = memmem::Finder::new(BEGIN);
    let mut pieces = Vec::new();
    let mut rest = text;
    while let Some(far) = rest.as_bytes().get(length..)
        && let Some(at) = finder.find(far)
    {
        let (piece, behind) = rest.split_at(length + at + 1);
        pieces.push(piece);
        rest = behind;
    }
    pieces.push(rest);
    pieces
}

/// What was found in pieces of a text.
struct Counted {
    found: TextCounts,
    cuts: Cuts,
}

/// Whether the pieces can be counted by themselves.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Cuts {
    BetweenComponents,
    /// As an event inside another component can make it happen.
    ThroughAComponent,
}

/// Counts the components of a text that can be told twice in the same pieces: the
/// ids that have overrides are looked for among the masters.
fn count_pieces(each: impl Fn(Tell<'_>) -> io::Result<()>) -> io::Result<Counted> {
    let mut tallies: Vec<Tally> = Vec::new();
    each(&mut |pieces| tallies.par_extend(pieces.par_iter().map(|piece| Tally::of(piece))))?;
    let mut overridden = Overridden::default();
    let mut calendars = 0;
    let mut firsts = Vec::with_capacity(tallies.len());
    let TextCounts { mut components, mut statements } = TextCounts::default();
    for tally in &mut tallies {
        for (calendar, uid) in tally.overrides.drain(..) {
            overridden.entry(calendars + calendar).or_default().insert(uid);
        }
        firsts.push(calendars);
        calendars += tally.calendars;
        components += tally.counted;
        statements += tally.statements;
    }
    if !overridden.is_empty() {
        let mut firsts = firsts.into_iter();
        let mut masters: HashSet<(usize, &str)> = HashSet::new();
        each(&mut |pieces| {
            let pieces: Vec<_> = pieces.iter().zip(&mut firsts).collect();
            let found =
                pieces.par_iter().flat_map_iter(|(piece, first)| masters_among(&overridden, piece, *first));
            masters.extend(found.collect::<Vec<_>>());
        })?;
        components.events += overridden.values().map(HashSet::len).sum::<usize>() - masters.len();
    }
    let is_cut = tallies.iter().rev().skip(1).any(|tally| tally.is_open);
    let cuts = if is_cut { Cuts::ThroughAComponent } else { Cuts::BetweenComponents };
    Ok(Counted { found: TextCounts { components, statements }, cuts })
}

/// The ids that have overrides, by the number of their calendar.
type Overridden = HashMap<usize, HashSet<String>>;

/// Those of the ids that have an event without `RECURRENCE-ID` in a piece.
fn masters_among<'o>(overridden: &'o Overridden, piece: &str, first: usize) -> Vec<(usize, &'o str)> {
    let mut found = Vec::new();
    each_component(piece, |component| {
        if let Seen::Event(SeenEvent { is_override: false, uid: Some(uid), calendar }) = component {
            let calendar = first + calendar;
            let id = overridden.get(&calendar).and_then(|ids| ids.get(&*uid));
            found.extend(id.map(|id| (calendar, id.as_str())));
        }
    });
    found
}

/// What one piece of a text has.
#[derive(Default)]
struct Tally {
    /// How many calendars begin in it.
    calendars: usize,
    /// Of events the masters, and overrides without an id.
    counted: ComponentCounts,
    /// What all components say.
    statements: usize,
    /// The overrides by calendar, counted from the piece's start, and id.
    overrides: Vec<(usize, String)>,
    /// Whether its last component has no end in it.
    is_open: bool,
}

impl Tally {
    fn of(piece: &str) -> Self {
        let mut tally = Self::default();
        let end = each_component(piece, |component| match component {
            Seen::Event(SeenEvent { is_override: true, uid: Some(uid), calendar }) => {
                tally.overrides.push((calendar, uid.into_owned()));
            }
            Seen::Event(_) => tally.counted.add(ComponentKind::Event),
            Seen::Other(kind) => tally.counted.add(kind),
            Seen::Definition => {}
        });
        Self { calendars: end.calendars, is_open: end.is_open, statements: end.statements, ..tally }
    }
}

/// A component as its lines stand.
enum Seen<'a> {
    Event(SeenEvent<'a>),
    Other(ComponentKind),
    /// That of a zone, which says what times mean and nothing of its own.
    Definition,
}

#[derive(Default)]
struct SeenEvent<'a> {
    /// The number of its calendar.
    calendar: usize,
    is_override: bool,
    uid: Option<Cow<'a, str>>,
}

impl Seen<'_> {
    fn beginning(name: &str, calendar: usize) -> Self {
        match ComponentKind::of(name) {
            ComponentKind::Event => Self::Event(SeenEvent { calendar, ..SeenEvent::default() }),
            _ if name.eq_ignore_ascii_case("VTIMEZONE") => Self::Definition,
            kind => Self::Other(kind),
        }
    }
}

/// How a text ended.
struct End {
    /// How many calendars began.
    calendars: usize,
    /// Whether a component has not ended.
    is_open: bool,
    /// How many lines stand in components that are no definitions.
    statements: usize,
}

fn each_component<'a>(text: &'a str, mut tell: impl FnMut(Seen<'a>)) -> End {
    let mut calendar = 0;
    let mut open: Option<Seen<'_>> = None;
    // How many components inside the open one are open.
    let mut inside = 0_usize;
    let mut statements = 0;
    for line in logical_lines(text) {
        let line = line.raw();
        match &mut open {
            None => match name_behind(line, "BEGIN:") {
                Some(name) if name.eq_ignore_ascii_case("VCALENDAR") => calendar += 1,
                Some(name) => open = Some(Seen::beginning(name, calendar)),
                None => {}
            },
            Some(_) if inside == 0 && starts_as(line, "END:") => open.take().into_iter().for_each(&mut tell),
            Some(seen) if starts_as(line, "BEGIN:") => {
                inside += 1;
                statements += usize::from(!matches!(seen, Seen::Definition));
            }
            Some(_) if starts_as(line, "END:") => inside -= 1,
            Some(Seen::Definition) => {}
            Some(Seen::Event(event)) if inside == 0 => {
                statements += 1;
                if starts_as(line, "RECURRENCE-ID") {
                    event.is_override = true;
                } else if starts_as(line, "UID") {
                    event.uid = event.uid.take().or_else(|| uid_of(line));
                }
            }
            Some(_) => statements += 1,
        }
    }
    End { calendars: calendar, is_open: open.is_some(), statements }
}

/// The name of the component that a line begins.
fn name_behind<'l>(line: &'l str, keyword: &str) -> Option<&'l str> {
    starts_as(line, keyword).then(|| line[keyword.len()..].trim())
}

fn starts_as(line: &str, start: &str) -> bool {
    let start = start.as_bytes();
    // Almost all lines begin with another letter.
    line.as_bytes()
        .get(..start.len())
        .is_some_and(|head| head[0] | 0x20 == start[0] | 0x20 && head.eq_ignore_ascii_case(start))
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
            assert_eq!(count_components(&text).components.events, expected, "{text}");
            assert_eq!(read(parse(&text).roots.remove(0), "").series.len(), expected, "{text}");
            let calendar = read(parse(&text).roots.remove(0), "");
            assert_eq!(count_components(&text).statements, calendar.statements(), "{text}");
            assert_eq!(count_components(&text.repeat(2)).components.events, 2 * expected, "{text}");
        }
    }

    #[test]
    fn a_text_in_pieces_has_the_events_of_the_whole() {
        let calendar = |number: usize| {
            let events = (0..20).map(|at| {
                let uid = format!("UID:{}å\r\n", at * number % 7);
                let slot = if at % 3 == 0 { "RECURRENCE-ID:20260112T080000Z\r\n" } else { "" };
                format!("BEGIN:VEVENT\r\n{uid}{slot}DTSTART:20260105T080000Z\r\nEND:VEVENT\r\n")
            });
            format!("BEGIN:VCALENDAR\r\n{}END:VCALENDAR\r\n", events.collect::<String>())
        };
        let text: String = (1..6).map(calendar).collect();
        let whole = read_events(&text);
        let mut numbers = HashSet::new();
        for length in (1..text.len()).step_by(11) {
            let lengths = Lengths { block: 3 * length, piece: length };
            let mut told = Vec::new();
            each_block(text.as_bytes(), &lengths, &mut |pieces| {
                told.extend(pieces.iter().map(ToString::to_string));
            })
            .unwrap();
            assert_eq!(told.concat(), text);
            numbers.insert(told.len());
            let counted = count_pieces(|tell| each_block(text.as_bytes(), &lengths, tell)).unwrap();
            assert_eq!(counted.cuts, Cuts::BetweenComponents);
            assert_eq!(counted.found.components.events, whole, "in pieces of {length}");
        }
        assert!(numbers.len() > 5, "{numbers:?}");
    }

    fn read_events(text: &str) -> usize {
        parse(text).roots.into_iter().map(|root| read(root, "").series.len()).sum()
    }

    #[test]
    fn what_cannot_be_read_is_an_error() {
        let broken = || Ok(b"BEGIN:VCALENDAR\r\n\xff\r\n".as_slice());
        assert_eq!(count_components_in(broken).unwrap_err().kind(), io::ErrorKind::InvalidData);
    }

    #[test]
    fn an_event_inside_another_is_counted_with_it_however_long_it_is() {
        let inner = "BEGIN:VEVENT\r\nUID:b\r\nEND:VEVENT\r\n".repeat(LENGTHS.piece / 20);
        let text =
            format!("BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:a\r\n{inner}END:VEVENT\r\nEND:VCALENDAR\r\n");
        assert!(cut(&text, LENGTHS.piece).len() > 1);
        assert_eq!(count_components(&text).components.events, 1);
    }
}
