//! Components → bytes: copies what is untouched, folds what is new.

use super::component::{Component, Item};
use super::property::{Property, Written};

/// RFC 5545 section 3.1: lines should not be longer than 75 octets.
const LINE_OCTETS: usize = 75;

/// Where bytes go.
pub trait Sink {
    /// Takes some more.
    fn put(&mut self, bytes: &[u8]);
}

impl Sink for Vec<u8> {
    #[inline]
    fn put(&mut self, bytes: &[u8]) {
        self.extend_from_slice(bytes);
    }
}

/// Counts bytes and forgets them.
#[derive(Clone, Copy, Debug, Default)]
pub struct Length(pub usize);

impl Sink for Length {
    #[inline]
    fn put(&mut self, bytes: &[u8]) {
        self.0 += bytes.len();
    }
}

/// Room of a known size that is filled from its start.
#[derive(Debug)]
pub struct Room<'r>(pub &'r mut [u8]);

impl Sink for Room<'_> {
    /// # Panics
    /// If there is less room left, which a [`Length`] before would have told.
    #[inline]
    fn put(&mut self, bytes: &[u8]) {
        let (head, rest) = std::mem::take(&mut self.0).split_at_mut(bytes.len());
        head.copy_from_slice(bytes);
        self.0 = rest;
    }
}

/// Writes a component with CRLF line ends.
///
/// An untouched one whose line ends fit is copied byte for byte. Otherwise
/// properties of the source keep their lines and their folds, and new ones are
/// folded at 75 octets, never inside a character.
pub fn push_component(out: &mut impl Sink, component: &Component<'_>) {
    if let Some(source) = component.source() {
        out.put(source.as_bytes());
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
pub fn push_property(out: &mut impl Sink, property: &Property<'_>) {
    match property.written() {
        Written::Source(raw) => push_source_lines(out, raw),
        Written::Logical(line) => push_folded(out, line),
    }
}

fn push_boundary(out: &mut impl Sink, keyword: &[u8], name: &str) {
    out.put(keyword);
    out.put(name.as_bytes());
    out.put(b"\r\n");
}

fn push_source_lines(out: &mut impl Sink, raw: &str) {
    for line in raw.split('\n') {
        out.put(line.trim_end_matches('\r').as_bytes());
        out.put(b"\r\n");
    }
}

fn push_folded(out: &mut impl Sink, line: &str) {
    let mut rest = line;
    let mut room = LINE_OCTETS;
    while rest.len() > room {
        let cut = rest.floor_char_boundary(room);
        let (head, tail) = rest.split_at(cut);
        out.put(head.as_bytes());
        out.put(b"\r\n ");
        rest = tail;
        // The blank that marks the fold counts, too.
        room = LINE_OCTETS - 1;
    }
    out.put(rest.as_bytes());
    out.put(b"\r\n");
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
}
