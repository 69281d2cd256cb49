//! Text → components, in one pass that borrows from the text.

mod passed;
mod pieces;

use std::borrow::Cow;

use super::component::{Component, Item};
use super::line_feeds::LineFeeds;
use super::names::Names;
use super::property::Property;
use super::write::LINE_OCTETS;
pub use passed::{Stretch, parse_without};
pub use pieces::pieces_of_events;

/// Deeper nesting than this is no calendar; the standard's own is three deep.
const DEEPEST: usize = 32;

/// What a text holds.
#[derive(Debug, Default)]
#[non_exhaustive]
pub struct Parsed<'a> {
    /// The outermost components in order: calendars, or what stood bare.
    pub roots: Vec<Component<'a>>,
    /// What could not be read, in order of lines.
    pub faults: Vec<Fault<'a>>,
}

/// A part of a text that could not be read and is in no component.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Fault<'a> {
    /// Where it starts, counted from 1.
    pub line: u32,
    /// What is wrong with it.
    pub kind: FaultKind,
    /// Its text, with its line ends; empty if all of it could be kept.
    pub text: &'a str,
}

/// What is wrong with a part of a text.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum FaultKind {
    /// A line without a name or without a colon.
    #[error("not a property: a line needs a name and a colon")]
    UnreadableLine,
    /// A whole component (an event, a task) that is never closed. Its text is
    /// the fault's.
    #[error("{name} is never closed")]
    Unclosed {
        /// The component's name.
        name: String,
    },
    /// An inner component, such as an alarm, that is never closed; the one
    /// around it could be kept.
    #[error("{name} inside another component is never closed")]
    UnclosedInside {
        /// The component's name.
        name: String,
    },
    /// The calendar itself has no `END`; what is in it could be kept.
    #[error("the calendar is never closed: the file may be cut off")]
    UnclosedCalendar,
    /// An `END` that nothing opened.
    #[error("END without a BEGIN")]
    StrayEnd,
    /// A whole component (an event, a task) of which the `BEGIN` is lost. Its
    /// lines are the fault's text.
    #[error("{name} without its BEGIN line")]
    Unopened {
        /// The component's name.
        name: String,
    },
    /// A property outside any component.
    #[error("outside any calendar")]
    OutsideCalendar,
    /// Components inside components without an end in sight.
    #[error("nested more than {DEEPEST} deep")]
    TooDeep,
}

/// Reads a text into components.
///
/// Never fails: what cannot be read becomes a fault, and the rest is read.
/// An event that is never closed is set aside whole, and the next one starts
/// afresh at its `BEGIN`.
///
/// A long text is read in pieces side by side, with the same result.
pub fn parse(text: &str) -> Parsed<'_> {
    pieces::parse(text, &[]).unwrap_or_else(|| {
        let mut parser = Parser::at_the_start(text);
        parser.read(1);
        parser.finish();
        parser.parsed
    })
}

/// The logical lines of a text, with their folds.
pub fn logical_lines(text: &str) -> impl Iterator<Item = SourceLine<'_>> {
    let mut lines = PhysicalLines::of(text, 1);
    std::iter::from_fn(move || lines.next_logical())
}

/// The properties of a text, whatever components it has.
pub fn lines_of(text: &str) -> impl Iterator<Item = Property<'_>> {
    logical_lines(text).filter_map(|line| Property::from_source(line.raw, line.is_folded, line.number))
}

/// A logical line of the source with its folds.
#[derive(Clone, Copy, Debug)]
pub struct SourceLine<'a> {
    raw: &'a str,
    start: usize,
    end: usize,
    number: u32,
    is_folded: bool,
    /// Whether it can be copied: all its line ends are CRLF, and none of its lines
    /// is too long.
    is_clean: bool,
}

impl<'a> SourceLine<'a> {
    /// Its text without the last line end.
    pub fn raw(&self) -> &'a str {
        self.raw
    }

    /// Where it begins, in bytes.
    pub fn start(&self) -> usize {
        self.start
    }

    /// Where the next one begins, in bytes.
    pub fn end(&self) -> usize {
        self.end
    }

    /// The number of its first line, counted from 1.
    pub fn number(&self) -> u32 {
        self.number
    }

    /// Whether it goes over several lines.
    pub fn is_folded(&self) -> bool {
        self.is_folded
    }
}

struct PhysicalLines<'a> {
    text: &'a str,
    feeds: LineFeeds<'a>,
    start: usize,
    number: u32,
}

impl<'a> PhysicalLines<'a> {
    /// `number` is that of the first line.
    fn of(text: &'a str, number: u32) -> Self {
        PhysicalLines { text, feeds: LineFeeds::of(text.as_bytes()), start: 0, number }
    }

    /// Goes on behind what begins here.
    fn pass(&mut self, stretch: Stretch) {
        self.start += stretch.length as usize;
        self.number += stretch.lines;
        self.feeds.go_on_at(self.start);
    }

    #[inline]
    fn next_logical(&mut self) -> Option<SourceLine<'a>> {
        let bytes = self.text.as_bytes();
        let (start, number) = (self.start, self.number);
        if start >= bytes.len() {
            return None;
        }
        let mut is_clean = true;
        let mut line_start = start;
        let (content_end, end, last) = loop {
            let Some(at) = self.feeds.next() else {
                is_clean = false;
                let end = bytes.len();
                break (without_returns(bytes, line_start, end), end, end);
            };
            self.number += 1;
            let content_end = without_returns(bytes, line_start, at);
            // One return stands in front of the feed, and is no part of the line.
            is_clean &= content_end + 1 == at && content_end - line_start <= LINE_OCTETS;
            line_start = at + 1;
            if !matches!(bytes.get(at + 1), Some(b' ' | b'\t')) {
                break (content_end, at + 1, at);
            }
        };
        self.start = end;
        let raw = &self.text[start..content_end];
        let is_folded = self.number > number + 1 || (end == last && self.number > number);
        Some(SourceLine { raw, start, end, number, is_folded, is_clean })
    }
}

/// Where a line ends without the returns behind it.
#[inline]
fn without_returns(bytes: &[u8], start: usize, mut end: usize) -> usize {
    while end > start && bytes[end - 1] == b'\r' {
        end -= 1;
    }
    end
}

/// A line without the byte order mark in front of it.
#[cold]
fn without_mark(line: SourceLine<'_>) -> SourceLine<'_> {
    let raw = line.raw.trim_start_matches('\u{feff}');
    SourceLine { raw, is_clean: line.is_clean && raw.len() == line.raw.len(), ..line }
}

/// A component whose end was not met yet.
struct Open<'a> {
    name: Cow<'a, str>,
    line: u32,
    start: usize,
    can_copy: bool,
    names: Names,
    /// Where its items begin among the parser's.
    first_item: usize,
}

struct Parser<'a> {
    text: &'a str,
    open: Vec<Open<'a>>,
    /// The items of all open components, those of inner ones last: each gets
    /// capacity for exactly its items when it is closed.
    items: Vec<Item<'a>>,
    /// How many components deeper than allowed the current line is.
    too_deep: usize,
    parsed: Parsed<'a>,
}

impl<'a> Parser<'a> {
    fn at_the_start(text: &'a str) -> Self {
        Self { text, open: Vec::new(), items: Vec::new(), too_deep: 0, parsed: Parsed::default() }
    }

    /// Takes all lines of its text; the first has this number.
    fn read(&mut self, first_line: u32) {
        self.read_without(first_line, 0, &[]);
    }

    #[inline]
    fn take(&mut self, line: SourceLine<'a>) {
        // No name begins with the first byte of a byte order mark.
        if line.raw.as_bytes().first() == Some(&0xef) {
            return self.take_unmarked(&without_mark(line));
        }
        self.take_unmarked(&line);
    }

    #[inline]
    fn take_unmarked(&mut self, line: &SourceLine<'a>) {
        let Some(property) = Property::from_source(line.raw, line.is_folded, line.number) else {
            self.take_unreadable(*line);
            return;
        };
        // Nearly all names begin with another letter.
        let first = line.raw.as_bytes().first().map(u8::to_ascii_uppercase);
        if first == Some(b'B') && property.is("BEGIN") {
            self.begin(*line, &property);
        } else if first == Some(b'E') && property.is("END") {
            self.end(*line, property.value().trim());
        } else if self.too_deep > 0 {
            self.fault(*line, FaultKind::TooDeep);
        } else if let Some(open) = self.open.last_mut() {
            open.can_copy &= line.is_clean;
            open.names.insert(property.name());
            self.items.push(Item::Property(property));
        } else {
            self.fault(*line, FaultKind::OutsideCalendar);
        }
    }

    #[cold]
    fn take_unreadable(&mut self, line: SourceLine<'a>) {
        // A blank line says nothing, so leaving it out loses nothing.
        if line.raw.trim().is_empty() {
            self.forbid_copying();
        } else {
            self.fault(line, FaultKind::UnreadableLine);
        }
    }

    fn begin(&mut self, line: SourceLine<'a>, property: &Property<'a>) {
        let name = property.value();
        if name.trim().is_empty() {
            return self.fault(line, FaultKind::UnreadableLine);
        }
        if self.too_deep > 0 || self.open.len() >= DEEPEST {
            self.too_deep += 1;
            return self.fault(line, FaultKind::TooDeep);
        }
        self.close_what_cannot_hold(name.trim(), line.start);
        let name = match line.raw.split_once(':') {
            Some((_, name)) if !line.is_folded => Cow::Borrowed(name.trim()),
            _ => Cow::Owned(name.trim().to_owned()),
        };
        self.open.push(Open {
            name,
            line: line.number,
            start: line.start,
            can_copy: line.is_clean,
            names: Names::default(),
            first_item: self.items.len(),
        });
    }

    fn end(&mut self, line: SourceLine<'a>, name: &str) {
        if self.too_deep > 0 {
            self.too_deep -= 1;
            return self.fault(line, FaultKind::TooDeep);
        }
        let Some(depth) = self.open.iter().rposition(|open| open.name.eq_ignore_ascii_case(name)) else {
            if !self.set_aside_unopened(line, name) {
                self.fault(line, FaultKind::StrayEnd);
            }
            return;
        };
        self.set_aside_down_to(depth + 1, line.start);
        if let Some(mut open) = self.open.pop() {
            open.can_copy &= line.is_clean;
            self.close(open, line.end);
        }
    }

    /// An event stands in a calendar and in nothing else, and a calendar in
    /// nothing: one that starts elsewhere means that what is open there was never
    /// closed.
    fn close_what_cannot_hold(&mut self, name: &str, at: usize) {
        if is_calendar(name) {
            self.set_aside_down_to(1, at);
            self.close_cut_calendar(at);
        } else if is_calendar_part(name)
            && let Some(depth) = self.open.iter().position(|open| !is_calendar(&open.name))
        {
            self.set_aside_down_to(depth, at);
        }
    }

    /// Sets aside what is open at `depth` and deeper, as one text.
    fn set_aside_down_to(&mut self, depth: usize, at: usize) {
        if depth >= self.open.len() {
            return;
        }
        let is_inside = depth > 0 && !is_calendar(&self.open[depth - 1].name);
        let broken = self.open.drain(depth..).next();
        if let Some(broken) = broken {
            self.items.truncate(broken.first_item);
            let name = broken.name.into_owned();
            let kind =
                if is_inside { FaultKind::UnclosedInside { name } } else { FaultKind::Unclosed { name } };
            let text = &self.text[broken.start..at];
            self.parsed.faults.push(Fault { line: broken.line, kind, text });
        }
        self.forbid_copying();
    }

    /// Sets aside the lines that stand in front of the end of a component whose
    /// beginning is lost: they are its own, and no lines of the calendar. Whether
    /// there are any.
    ///
    /// ```text
    /// END:VEVENT
    /// UID:b              ┐ where a calendar has components or lines of its
    /// DTSTART:…          │ head before it, the lines behind those are the
    /// SUMMARY:Handover   ┘ component's
    /// END:VEVENT
    /// ```
    fn set_aside_unopened(&mut self, line: SourceLine<'a>, name: &str) -> bool {
        let is_in_calendar = self.open.first().is_some_and(|open| is_calendar(&open.name));
        if !is_in_calendar || !is_calendar_part(name) {
            return false;
        }
        let kind = FaultKind::Unopened { name: name.to_owned() };
        let calendar = match self.open.as_slice() {
            [calendar] => calendar,
            // It begins under a garbled name.
            [_, garbled] if !is_calendar_part(&garbled.name) => {
                let (number, text) = (garbled.line, &self.text[garbled.start..line.end]);
                self.items.truncate(garbled.first_item);
                self.open.pop();
                self.forbid_copying();
                self.parsed.faults.push(Fault { line: number, kind, text });
                return true;
            }
            _ => return false,
        };
        let is_its_own =
            |item: &&Item<'a>| matches!(item, Item::Property(line) if !is_of_calendar_head(line.name()));
        let own = &self.items[calendar.first_item..];
        let count = own.iter().rev().take_while(is_its_own).count();
        let Some(Item::Property(first)) = own.get(own.len() - count) else { return false };
        let (number, lines) = (first.line(), line.number.saturating_sub(first.line()));
        let start = start_of_line(self.text, line.start, lines as usize);
        self.items.truncate(self.items.len() - count);
        self.forbid_copying();
        self.parsed.faults.push(Fault { line: number, kind, text: &self.text[start..line.end] });
        true
    }

    fn close_cut_calendar(&mut self, at: usize) {
        if let Some(mut open) = self.open.pop() {
            let line = open.line;
            if is_calendar(&open.name) {
                self.parsed.faults.push(Fault { line, kind: FaultKind::UnclosedCalendar, text: "" });
                open.can_copy = false;
                self.close(open, at);
            } else {
                self.open.push(open);
                self.set_aside_down_to(0, at);
            }
        }
    }

    fn close(&mut self, open: Open<'a>, end: usize) {
        let items = self.items.drain(open.first_item..).collect();
        let text = &self.text[open.start..end];
        let component = Component::read(open.name, items, open.names, open.line);
        let component = if open.can_copy { component.copied_from(text) } else { component.read_from(text) };
        match self.open.last_mut() {
            Some(outer) => {
                outer.can_copy &= open.can_copy;
                self.items.push(Item::Component(Box::new(component)));
            }
            None => self.parsed.roots.push(component),
        }
    }

    #[cold]
    fn fault(&mut self, line: SourceLine<'a>, kind: FaultKind) {
        self.forbid_copying();
        let text = &self.text[line.start..line.end];
        self.parsed.faults.push(Fault { line: line.number, kind, text });
    }

    /// What was left out must not come back by copying the source.
    fn forbid_copying(&mut self) {
        if let Some(open) = self.open.last_mut() {
            open.can_copy = false;
        }
    }

    fn finish(&mut self) {
        let at = self.text.len();
        self.set_aside_down_to(1, at);
        self.close_cut_calendar(at);
        self.parsed.faults.sort_by_key(|fault| fault.line);
    }
}

/// Where the line begins that stands some lines before the one that begins at `at`.
fn start_of_line(text: &str, at: usize, lines_before: usize) -> usize {
    text[..at].rmatch_indices('\n').nth(lines_before).map_or(0, |(at, _)| at + 1)
}

/// Whether a line is one of those that a calendar has in front of its components,
/// and that no component has.
fn is_of_calendar_head(name: &str) -> bool {
    const HEAD: [&str; 10] = [
        "VERSION",
        "PRODID",
        "CALSCALE",
        "METHOD",
        "NAME",
        "SOURCE",
        "REFRESH-INTERVAL",
        "X-PUBLISHED-TTL",
        "TIMEZONE-ID",
        "X-WR-CALNAME",
    ];
    let name = name.to_ascii_uppercase();
    HEAD.contains(&name.as_str()) || name.starts_with("X-WR-") || name.ends_with("-CALENDAR-COLOR")
}

fn is_calendar(name: &str) -> bool {
    name.eq_ignore_ascii_case("VCALENDAR")
}

/// The components that stand directly in a calendar (RFC 5545 section 3.6).
fn is_calendar_part(name: &str) -> bool {
    ["VEVENT", "VTODO", "VJOURNAL", "VFREEBUSY", "VTIMEZONE"]
        .iter()
        .any(|part| part.eq_ignore_ascii_case(name))
}

#[cfg(test)]
mod tests;
