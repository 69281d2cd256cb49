//! A long text in pieces that are read side by side.
//!
//! The text is cut in front of events. Each piece but the first is read as if
//! a calendar had just been opened; where that turns out not to hold (an event
//! that is never closed stands before the cut, or the calendar was closed) the
//! whole text is read in one go instead.
//!
//! Worked example of a cut between two events:
//!
//! ```text
//! BEGIN:VCALENDAR                 first piece: ends with a calendar open, as
//! BEGIN:VEVENT … END:VEVENT       every piece but the last has to
//! ╌╌╌╌╌╌╌╌╌╌╌╌╌╌╌╌╌╌╌╌╌╌╌╌╌╌╌╌╌
//! BEGIN:VEVENT … END:VEVENT       second piece: read as if it came right behind
//! END:VCALENDAR                   BEGIN:VCALENDAR; closes what it did not open
//! ```
//!
//! Were the first event not closed, its piece would end with two components open,
//! and the text would be read in one go: the cut is proved, not assumed.

use std::borrow::Cow;

use memchr::memchr_iter;
use memchr::memmem::Finder;
use rayon::prelude::*;

use super::{Fault, FaultKind, Names, Open, Parsed, Parser, Stretch, is_calendar};
use crate::content::component::{Component, Item};

/// About how long a piece is. The same for any number of threads.
const PIECE: usize = 1 << 20;

/// What a piece holds.
struct Piece<'a> {
    /// What follows in the calendar that was open before it.
    items: Vec<Item<'a>>,
    names: Names,
    /// Whether that calendar is closed in it, and what comes behind that.
    closing: Option<Closing<'a>>,
    faults: Vec<Fault<'a>>,
}

struct Closing<'a> {
    roots: Vec<Component<'a>>,
    open: Option<OpenCalendar<'a>>,
}

/// A calendar that goes on in the next piece.
struct OpenCalendar<'a> {
    name: Cow<'a, str>,
    line: u32,
    names: Names,
    items: Vec<Item<'a>>,
}

/// Reads a text in pieces, without some events that are known. `None` if it is short, or not of a
/// form that can be cut.
pub(super) fn parse<'a>(text: &'a str, known: &[Stretch]) -> Option<Parsed<'a>> {
    parse_by(text, known, PIECE)
}

/// Reads a text in pieces of about `length` bytes.
fn parse_by<'a>(text: &'a str, known: &[Stretch], length: usize) -> Option<Parsed<'a>> {
    // As single events are, which are read again one by one.
    if text.len() <= length {
        return None;
    }
    let texts = cut(text, length);
    if texts.len() < 2 {
        return None;
    }
    let lengths: Vec<usize> =
        texts.par_iter().map(|piece| memchr_iter(b'\n', piece.as_bytes()).count()).collect();
    let (mut line, mut start) = (1, 0);
    let mut places = Vec::with_capacity(texts.len());
    for (piece, lines) in texts.iter().zip(lengths) {
        let end = start + piece.len();
        places.push(Place { line, start, is_first: start == 0, is_last: end == text.len() });
        start = end;
        line += u32::try_from(lines).ok()?;
    }
    let pieces: Option<Vec<Piece<'_>>> = texts
        .into_par_iter()
        .zip(places)
        .map(|(piece, place)| {
            let before = |end: usize| known.partition_point(|stretch| stretch.start < end);
            read(piece, place, &known[before(place.start)..before(place.start + piece.len())])
        })
        .collect();
    pieces.map(joined)
}

/// Where a piece stands in its text.
#[derive(Clone, Copy)]
struct Place {
    /// The number of its first line.
    line: u32,
    start: usize,
    is_first: bool,
    is_last: bool,
}

/// A text cut in front of lines that begin an event, to be looked at side by side: about a
/// megabyte a piece, the same for any number of threads.
pub fn pieces_of_events(text: &str) -> Vec<&str> {
    cut(text, PIECE)
}

fn cut(text: &str, length: usize) -> Vec<&str> {
    let event = Finder::new("\nBEGIN:VEVENT");
    let mut pieces = Vec::with_capacity(text.len() / length + 1);
    let mut start = 0;
    while let Some(at) = text.as_bytes().get(start + length..).and_then(|rest| event.find(rest)) {
        let end = start + length + at + 1;
        pieces.push(&text[start..end]);
        start = end;
    }
    pieces.push(&text[start..]);
    pieces
}

fn read<'a>(text: &'a str, place: Place, known: &[Stretch]) -> Option<Piece<'a>> {
    let mut parser = Parser::at_the_start(text);
    if !place.is_first {
        parser.open.push(Open {
            name: Cow::Borrowed("VCALENDAR"),
            line: 0,
            start: 0,
            // Its text began in another piece.
            can_copy: false,
            names: Names::default(),
            first_item: 0,
        });
    }
    if !parser.read_without(place.line, place.start, known) {
        return None;
    }
    if place.is_last {
        parser.set_aside_down_to(1, text.len());
    }
    let is_as_expected = parser.too_deep == 0
        && match parser.open.as_slice() {
            [] => place.is_last,
            [open] => is_calendar(&open.name),
            _ => false,
        }
        && !parser.parsed.faults.iter().any(|fault| fault.line == 0);
    is_as_expected.then(|| piece_of(parser, place)).flatten()
}

fn piece_of(mut parser: Parser<'_>, place: Place) -> Option<Piece<'_>> {
    let faults = std::mem::take(&mut parser.parsed.faults);
    let mut roots = std::mem::take(&mut parser.parsed.roots);
    let open = parser.open.pop();
    let items = parser.items;
    if place.is_first {
        let open =
            open.map(|open| OpenCalendar { name: open.name, line: open.line, names: open.names, items });
        let closing = Some(Closing { roots, open });
        return Some(Piece { items: Vec::new(), names: Names::default(), closing, faults });
    }
    if roots.is_empty() {
        return Some(Piece { items, names: open?.names, closing: None, faults });
    }
    let first = roots.remove(0);
    let open = open.map(|open| OpenCalendar { name: open.name, line: open.line, names: open.names, items });
    let names = first.names();
    Some(Piece { items: first.into_items(), names, closing: Some(Closing { roots, open }), faults })
}

fn joined(pieces: Vec<Piece<'_>>) -> Parsed<'_> {
    let mut parsed = Parsed::default();
    let mut open: Option<OpenCalendar<'_>> = None;
    let mut left: usize = pieces.iter().map(|piece| piece.items.len()).sum();
    for piece in pieces {
        left -= piece.items.len();
        parsed.faults.extend(piece.faults);
        if let Some(open) = &mut open {
            open.items.extend(piece.items);
            open.names.unite(piece.names);
        }
        if let Some(closing) = piece.closing {
            parsed.roots.extend(open.take().map(OpenCalendar::closed));
            parsed.roots.extend(closing.roots);
            open = closing.open;
            // Growing step by step would take twice the memory for a while.
            if let Some(open) = &mut open {
                open.items.reserve_exact(left);
            }
        }
    }
    if let Some(open) = open {
        let fault = Fault { line: open.line, kind: FaultKind::UnclosedCalendar, text: "" };
        parsed.faults.push(fault);
        parsed.roots.push(open.closed());
    }
    parsed.faults.sort_by_key(|fault| fault.line);
    parsed
}

impl<'a> OpenCalendar<'a> {
    fn closed(self) -> Component<'a> {
        Component::read(self.name, self.items, self.names, self.line)
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::content::push_component;

    /// What a text was read as, lines and faults included.
    fn told(parsed: &Parsed<'_>) -> (String, Vec<(String, u32)>) {
        let mut out = Vec::new();
        let mut lines = Vec::new();
        for root in &parsed.roots {
            push_component(&mut out, root);
            lines.push((root.name().to_owned(), root.line()));
            lines.extend(root.components().map(|inner| (inner.name().to_owned(), inner.line())));
            lines.extend(root.properties().map(|property| (property.name().to_owned(), property.line())));
        }
        lines.extend(
            parsed.faults.iter().map(|fault| (format!("{:?} {}", fault.kind, fault.text), fault.line)),
        );
        (String::from_utf8(out).unwrap(), lines)
    }

    fn in_one(text: &str) -> Parsed<'_> {
        let mut parser = Parser::at_the_start(text);
        parser.read(1);
        parser.finish();
        parser.parsed
    }

    #[test]
    fn whole_calendars_are_read_in_pieces() {
        let event = "BEGIN:VEVENT\r\nUID:1\r\nno property\r\nEND:VEVENT\r\n";
        let calendar = format!("BEGIN:VCALENDAR\r\nX-A:1\r\n{}X-B:2\r\nEND:VCALENDAR\r\n", event.repeat(3));
        let text = calendar.repeat(2);
        let parsed = parse_by(&text, &[], 40).expect("it can be cut");
        assert_eq!(told(&parsed), told(&in_one(&text)));
        assert!(parsed.roots[1].has("x-b"), "what stands behind a cut is known by name");
        let cut_off = parse_by(&text[..text.len() - 40], &[], 40).expect("a cut calendar can be cut");
        assert_eq!(told(&cut_off), told(&in_one(&text[..text.len() - 40])));
    }

    proptest! {
        /// However lines follow each other, pieces give what one pass gives.
        #[test]
        fn pieces_tell_what_one_pass_tells(
            picks in prop::collection::vec(0usize..9, 1..60),
            length in 1usize..120,
        ) {
            const LINES: [&str; 9] = [
                "BEGIN:VCALENDAR\r\n", "END:VCALENDAR\r\n", "BEGIN:VEVENT\r\n", "END:VEVENT\r\n",
                "BEGIN:VALARM\n", "END:VALARM\r\n", "SUMMARY:a\r\n b\r\n", "broken\r\n", "BEGIN:VEVENT\r\nUID:1\r\nEND:VEVENT\r\n",
            ];
            let text: String = std::iter::once("BEGIN:VCALENDAR\r\n").chain(picks.iter().map(|at| LINES[*at])).collect();
            if let Some(parsed) = parse_by(&text, &[], length) {
                prop_assert_eq!(told(&parsed), told(&in_one(&text)));
            }
        }
    }
}
