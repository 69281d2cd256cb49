//! Reading a text without some events that are known already.
//!
//! Whoever has looked at an event, and needs nothing more of it, has it left out: neither memory
//! nor work is spent on its lines. What is read is what is read without it, line numbers apart,
//! which stay those of the whole text.
//!
//! ```text
//! BEGIN:VCALENDAR
//! BEGIN:VEVENT … END:VEVENT     known: a stretch of 4 lines
//! BEGIN:VEVENT … END:VEVENT     read; its first line is the sixth
//! END:VCALENDAR
//! ```
//!
//! A stretch that does not stand directly in a calendar (an event that was never closed stands
//! before it) is nothing that can be left out: then nothing is read.

use super::{Parsed, Parser, PhysicalLines, is_calendar, pieces};

/// A whole event of a text.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Stretch {
    /// Where it begins, in bytes.
    pub start: usize,
    /// How many bytes it has, with the last end of a line.
    pub length: u32,
    /// How many lines it has.
    pub lines: u32,
}

impl Stretch {
    /// Where it ends.
    pub fn end(self) -> usize {
        self.start + self.length as usize
    }
}

/// Reads a text without some events, which are in order; `None` if one of them does not stand
/// directly in a calendar.
pub fn parse_without<'a>(text: &'a str, known: &[Stretch]) -> Option<Parsed<'a>> {
    pieces::parse(text, known).or_else(|| {
        let mut parser = Parser::at_the_start(text);
        let is_read = parser.read_without(1, 0, known);
        parser.finish();
        is_read.then_some(parser.parsed)
    })
}

impl Parser<'_> {
    /// Takes all lines but those of some events. The first line has this number, and the text
    /// begins where it does in the text that the stretches are of. Whether each of them was left
    /// out.
    pub(super) fn read_without(&mut self, first_line: u32, origin: usize, known: &[Stretch]) -> bool {
        let mut lines = PhysicalLines::of(self.text, first_line);
        let mut known = known.iter().peekable();
        loop {
            while let Some(stretch) = known.next_if(|stretch| stretch.start == origin + lines.start) {
                if !self.is_in_a_calendar() || stretch.end() > origin + self.text.len() {
                    return false;
                }
                self.forbid_copying();
                lines.pass(*stretch);
            }
            let Some(line) = lines.next_logical() else { return known.next().is_none() };
            self.take(line);
        }
    }

    fn is_in_a_calendar(&self) -> bool {
        self.too_deep == 0 && matches!(self.open.as_slice(), [open] if is_calendar(&open.name))
    }
}
