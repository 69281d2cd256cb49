//! Components → bytes: copies what is untouched, folds what is new.

use super::component::{Component, Item};
use super::property::{Property, Written};

/// RFC 5545 section 3.1: lines should not be longer than 75 octets.
pub(super) const LINE_OCTETS: usize = 75;

/// Writes a component with CRLF line ends.
///
/// An untouched one whose lines are as they should be is copied byte for byte.
/// Otherwise properties of the source keep their lines and their folds, and new
/// ones, and those with a line of more than 75 octets, are folded, never inside a
/// character.
pub fn push_component(out: &mut Vec<u8>, component: &Component<'_>) {
    if let Some(source) = component.source() {
        out.extend_from_slice(source.as_bytes());
        return;
    }
    push_boundary(out, b"BEGIN:", component.name());
    for item in component.items() {
        match item {
            Item::Property(property) => push_property(out, property),
            Item::Component(inner) => push_component(out, inner),
        }
    }
    push_boundary(out, b"END:", component.name());
}

/// Writes one property with CRLF line ends.
pub fn push_property(out: &mut Vec<u8>, property: &Property<'_>) {
    match property.written() {
        Written::Source(raw) if raw.len() > LINE_OCTETS && has_long_line(raw) => {
            push_folded(out, &property.logical());
        }
        Written::Source(raw) => push_source_lines(out, raw),
        Written::Logical(line) => push_folded(out, line),
    }
}

fn has_long_line(raw: &str) -> bool {
    raw.split('\n').any(|line| line.trim_end_matches('\r').len() > LINE_OCTETS)
}

fn push_boundary(out: &mut Vec<u8>, keyword: &[u8], name: &str) {
    out.extend_from_slice(keyword);
    out.extend_from_slice(name.as_bytes());
    out.extend_from_slice(b"\r\n");
}

fn push_source_lines(out: &mut Vec<u8>, raw: &str) {
    for line in raw.split('\n') {
        out.extend_from_slice(line.trim_end_matches('\r').as_bytes());
        out.extend_from_slice(b"\r\n");
    }
}

fn push_folded(out: &mut Vec<u8>, line: &str) {
    let mut rest = line;
    let mut room = LINE_OCTETS;
    while rest.len() > room {
        let cut = cut_before(rest, room);
        let (head, tail) = rest.split_at(cut);
        if tail.is_empty() {
            break;
        }
        out.extend_from_slice(head.as_bytes());
        out.extend_from_slice(b"\r\n ");
        rest = tail;
        // The blank that marks the fold counts, too.
        room = LINE_OCTETS - 1;
    }
    out.extend_from_slice(rest.as_bytes());
    out.extend_from_slice(b"\r\n");
}

/// Where a line is folded that has no room: not inside a character, and not behind a CR that
/// it says, which would be read as a part of the line's end.
fn cut_before(line: &str, room: usize) -> usize {
    match line[..line.floor_char_boundary(room)].trim_end_matches('\r').len() {
        0 => {
            let mut behind = line.char_indices().skip_while(|(_, char)| *char == '\r').skip(1);
            behind.next().map_or(line.len(), |(at, _)| at)
        }
        cut => cut,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn new_lines_fold_at_75_octets_outside_characters() {
        let property = Property::text_of("SUMMARY", &"å".repeat(80));
        let mut out = Vec::new();
        push_property(&mut out, &property);
        let text = String::from_utf8(out).unwrap();
        assert!(text.lines().all(|line| line.len() <= LINE_OCTETS), "{text}");
        assert_eq!(text.replace("\r\n ", ""), format!("SUMMARY:{}\r\n", "å".repeat(80)));
        assert_eq!(text.lines().count(), 3);
    }

    #[test]
    fn no_line_is_folded_behind_a_return_that_it_says() {
        for returns in [1, 2, 80] {
            for before in 60..80 {
                let said = format!("X-A:{}{}b", "a".repeat(before), "\r".repeat(returns));
                for line in [said.clone(), said + &"c".repeat(100)] {
                    let mut out = Vec::new();
                    push_folded(&mut out, &line);
                    let text = String::from_utf8(out).unwrap();
                    assert!(!text.contains("\r\r\n"), "{returns} behind {before}: {text:?}");
                    assert_eq!(text.replace("\r\n ", "").trim_end_matches("\r\n"), line);
                }
            }
        }
    }
}
