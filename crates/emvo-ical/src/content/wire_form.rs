//! How the lines of a calendar file are written, where that is not as
//! RFC 5545 section 3.1 asks: at most 75 octets, ended by CRLF, none of them empty.

use std::borrow::Cow;

use memchr::{memchr, memchr_iter};

use super::charset::{Decoded, LineEnds};
use super::line_feeds::LineFeeds;
use super::write::LINE_OCTETS;

/// Lines of a text that are written otherwise than the standard asks.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct WireForm {
    /// Lines of more than 75 octets.
    pub too_long: Lines,
    /// Lines that end with a line feed alone.
    pub feed_alone: Lines,
    /// Lines that end with a carriage return alone.
    pub return_alone: Lines,
    /// Lines with a carriage return in them.
    pub return_inside: Lines,
    /// Lines that end with more than one carriage return.
    pub return_twice: Lines,
    /// Lines without anything in them, between others.
    pub blank: Lines,
}

/// Some lines of a file.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Lines {
    /// How many.
    pub count: u32,
    /// The first of them, counted from 1; 0 if there is none.
    pub first: u32,
}

impl Lines {
    fn note(&mut self, line: u32) {
        if self.count == 0 {
            self.first = line;
        }
        self.count += 1;
    }
}

impl WireForm {
    /// Looks at the lines of a calendar file as they came.
    pub fn of(decoded: &Decoded<'_>) -> Self {
        let mut form = Self::default();
        let text = decoded.text.as_bytes();
        let (mut blank, mut at_ends) = (Lines::default(), 0);
        for (line, number, is_last) in lines_of(text) {
            if blank.count == 0 && decoded.line_ends == LineEnds::WithFeeds && is_as_it_should_be(line) {
                at_ends += 1;
                continue;
            }
            at_ends += returns_behind(line);
            if line.trim_ascii_end().is_empty() {
                blank.note(number);
                continue;
            }
            // Empty lines behind the last one are between nothing.
            if blank.count > 0 {
                let first = if form.blank.count == 0 { blank.first } else { form.blank.first };
                form.blank = Lines { count: form.blank.count + blank.count, first };
                blank = Lines::default();
            }
            form.note_line(line, number, decoded.line_ends, is_last);
        }
        if memchr_iter(b'\r', text).count() > at_ends {
            form.note_returns_inside(text);
        }
        form
    }

    fn note_line(&mut self, line: &[u8], number: u32, ends: LineEnds, is_last: bool) {
        let returns = returns_behind(line);
        if line.len() - returns > LINE_OCTETS {
            self.too_long.note(number);
        }
        match (ends, returns) {
            // A file that is cut behind its last line says so by T06.
            _ if is_last => {}
            (LineEnds::ReturnsAlone, _) => self.return_alone.note(number),
            (LineEnds::WithFeeds, 0) => self.feed_alone.note(number),
            (LineEnds::WithFeeds, 1) => {}
            (LineEnds::WithFeeds, _) => self.return_twice.note(number),
        }
    }

    fn note_returns_inside(&mut self, text: &[u8]) {
        for (line, number, _) in lines_of(text) {
            let content = &line[..line.len() - returns_behind(line)];
            if !content.trim_ascii_end().is_empty() && memchr(b'\r', content).is_some() {
                self.return_inside.note(number);
            }
        }
    }
}

/// The lines of a text without their line feeds, their numbers from 1, and whether there is no
/// feed behind.
fn lines_of(text: &[u8]) -> impl Iterator<Item = (&[u8], u32, bool)> {
    let mut ends = LineFeeds::of(text);
    let (mut start, mut number) = (0, 0);
    std::iter::from_fn(move || {
        let end = ends.next();
        let is_last = end.is_none();
        let line = text.get(start..end.unwrap_or(text.len())).filter(|line| !(is_last && line.is_empty()))?;
        start += line.len() + 1;
        number += 1;
        Some((line, number, is_last))
    })
}

/// Whether a line surely ends with one carriage return, and is neither too long nor blank: most
/// are, and a look at their ends is cheap.
fn is_as_it_should_be(line: &[u8]) -> bool {
    matches!(line, [.., before, b'\r'] if line.len() <= LINE_OCTETS + 1 && !before.is_ascii_whitespace())
}

fn returns_behind(line: &[u8]) -> usize {
    line.iter().rev().take_while(|byte| **byte == b'\r').count()
}

/// Whether there may be a carriage return inside a line: one that no line feed follows. That there
/// is none is certain, and seen many bytes at a time.
pub fn may_have_returns_in_lines(text: &str) -> bool {
    const AT_ONCE: usize = 1 << 12;
    let bytes = text.as_bytes();
    let is_alone = |(byte, next): (&u8, &u8)| (*byte == b'\r') & (*next != b'\n');
    let mut blocks = bytes.chunks(AT_ONCE).zip(bytes.get(1..).unwrap_or_default().chunks(AT_ONCE));
    blocks.any(|(some, behind)| some.iter().zip(behind).fold(false, |any, pair| any | is_alone(pair)))
        || bytes.last() == Some(&b'\r')
}

/// Settles what a carriage return inside a line means, so that none is left for the
/// parser.
///
/// Most readers take it for the end of the line. It is one where a property follows,
/// or a fold; what else follows is the rest of a text, which a line break belonged to:
///
/// ```text
/// SUMMARY:Drill␍LOCATION:Quay 2         two lines
/// DESCRIPTION:Bring␍boots               DESCRIPTION:Bring\nboots
/// DESCRIPTION:Bring␍ boots              a fold: DESCRIPTION:Bringboots
/// ```
pub fn without_returns_in_lines(text: Cow<'_, str>) -> Cow<'_, str> {
    let bytes = text.as_bytes();
    let is_inside = |at: &usize| {
        let rest = &bytes[*at..];
        let behind = rest.iter().position(|byte| *byte != b'\r');
        behind.is_some_and(|behind| rest[behind] != b'\n')
    };
    let mut returns = memchr_iter(b'\r', bytes).filter(is_inside).peekable();
    if returns.peek().is_none() {
        return text;
    }
    let mut out = String::with_capacity(text.len() + 16);
    let mut from = 0;
    for at in returns {
        out.push_str(&text[from..at]);
        out.push_str(if ends_a_line(&text[at + 1..]) { "\r\n" } else { "\\n" });
        from = at + 1;
    }
    out.push_str(&text[from..]);
    Cow::Owned(out)
}

/// Whether what follows a carriage return is a line of its own: a fold, or one that
/// begins as properties do.
fn ends_a_line(rest: &str) -> bool {
    if rest.starts_with([' ', '\t']) {
        return true;
    }
    let name_end =
        rest.find(|char: char| !char.is_ascii_uppercase() && !char.is_ascii_digit() && char != '-');
    let Some((name, mark)) = name_end.map(|end| rest.split_at(end)) else { return false };
    // `AM: sail` and `NB: …` stand in texts; names of properties are longer, but for these.
    let is_name = name.len() > 2 || name == "DUE" || name.starts_with("X-");
    is_name && mark.starts_with([':', ';']) && !mark[1..].starts_with(' ')
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::content::decode;

    #[test]
    fn lines_are_counted_by_what_is_wrong_with_them() {
        let long = "X".repeat(76);
        let rows = [
            ("as it should be", "A:1\r\nB:2\r\n".to_owned(), [0, 0, 0, 0, 0, 0]),
            ("no end behind the last line", "A:1\r\nB:2".to_owned(), [0, 0, 0, 0, 0, 0]),
            ("75 octets", format!("{}\r\n", &long[1..]), [0, 0, 0, 0, 0, 0]),
            ("76 octets", format!("{long}\r\n"), [1, 0, 0, 0, 0, 0]),
            ("38 letters of two octets", format!("{}\r\n", "å".repeat(38)), [1, 0, 0, 0, 0, 0]),
            ("feeds alone", "A:1\nB:2\r\n".to_owned(), [0, 1, 0, 0, 0, 0]),
            ("returns alone", "A:1\rB:2\r".to_owned(), [0, 0, 2, 0, 0, 0]),
            ("a return inside", "A:1\r2\r\n".to_owned(), [0, 0, 0, 1, 0, 0]),
            ("two returns", "A:1\r\r\n".to_owned(), [0, 0, 0, 0, 1, 0]),
            ("empty between", "A:1\r\n\r\n \r\nB:2\r\n".to_owned(), [0, 0, 0, 0, 0, 2]),
            ("empty at the end", "A:1\r\n\r\n\r\n".to_owned(), [0, 0, 0, 0, 0, 0]),
        ];
        for (name, text, counts) in rows {
            let form = WireForm::of(&decode(text.as_bytes()));
            let found = [
                form.too_long,
                form.feed_alone,
                form.return_alone,
                form.return_inside,
                form.return_twice,
                form.blank,
            ];
            assert_eq!(found.map(|lines| lines.count), counts, "{name}");
        }
        let form = WireForm::of(&decode(b"A:1\r\nB:2\nC:3\n"));
        assert_eq!(form.feed_alone, Lines { count: 2, first: 2 });
    }

    #[test]
    fn a_return_inside_is_a_line_end_before_a_property_and_a_break_in_a_text() {
        let rows = [
            ("D:one\rtwo\r\n", "D:one\\ntwo\r\n"),
            ("D:one\r two\r\n", "D:one\r\n two\r\n"),
            ("D:one\rLOCATION:Quay\r\n", "D:one\r\nLOCATION:Quay\r\n"),
            ("D:one\rX-A;B=c:Quay\r\n", "D:one\r\nX-A;B=c:Quay\r\n"),
            ("D:one\rNB: two\r\n", "D:one\\nNB: two\r\n"),
            ("D:one\rNOTE: two\r\n", "D:one\\nNOTE: two\r\n"),
            ("D:one\r\rtwo\r\n", "D:one\\n\\ntwo\r\n"),
            ("D:one\r\r\n", "D:one\r\r\n"),
            ("D:one\r\n", "D:one\r\n"),
        ];
        for (text, expected) in rows {
            assert_eq!(without_returns_in_lines(Cow::Borrowed(text)), expected, "{text:?}");
            let is_changed = text != expected;
            assert!(!is_changed || may_have_returns_in_lines(text), "{text:?}");
            // Wherever the blocks end.
            for padding in [4090, 4094, 4095, 4096, 8190] {
                let long = "X".repeat(padding) + text;
                assert_eq!(may_have_returns_in_lines(&long), may_have_returns_in_lines(text), "{text:?}");
            }
        }
    }
}
