//! One content line: `NAME;PARAM=value:value` (RFC 5545 section 3.1).

mod parameter;

use std::borrow::Cow;

use memchr::{memchr, memchr2, memchr2_iter};

pub use parameter::Parameter;
use parameter::{BareParameters, first_value, only_plain_parameter, push_parameter, values_of};

use super::text::{escape_text, unescape_text};

/// One property with its original text.
///
/// Reading is lazy: the parser finds the name and where the value starts;
/// parameters and folded values are taken apart when somebody asks.
#[derive(Clone, Debug)]
pub struct Property<'a>(Form<'a>);

/// Three words: there are ten times as many properties as events, so that they
/// are small counts. What does not fit is [`Joined`].
#[derive(Clone, Debug)]
enum Form<'a> {
    /// As in the source, on one physical line.
    Plain { raw: &'a str, line: u32, value_start: u16, name_end: u8 },
    /// As in the source, folded somewhere in its value.
    Folded { raw: &'a str, line: u32, value_start: u16, name_end: u8 },
    /// Made or changed here; one logical line.
    Own { logical: Box<str>, line: u32, value_start: u16, name_end: u8 },
    /// Folded before its value starts, or with an unusually long head.
    Joined(Box<Joined<'a>>),
}

/// The offsets count in `logical`.
#[derive(Clone, Debug)]
struct Joined<'a> {
    /// As in the source, if it comes from there.
    raw: Option<&'a str>,
    logical: Box<str>,
    line: u32,
    name_end: usize,
    value_start: usize,
}

/// Where the name of a line ends and its value starts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Head {
    name_end: usize,
    value_start: usize,
}

impl Head {
    /// The same in few bits, if they are enough.
    #[inline]
    fn small(self) -> Option<(u16, u8)> {
        Some((u16::try_from(self.value_start).ok()?, u8::try_from(self.name_end).ok()?))
    }
}

/// What a property looks like when it is written.
pub(super) enum Written<'p> {
    /// Lines of the source: only their ends need to fit.
    Source(&'p str),
    /// One logical line that is still to be folded.
    Logical(&'p str),
}

impl<'a> Property<'a> {
    /// Reads a line of the source. `raw` has its folds but not its last line
    /// end. `None` if there is no name or no colon.
    #[inline]
    pub(super) fn from_source(raw: &'a str, is_folded: bool, line: u32) -> Option<Self> {
        if !is_folded && let Some((value_start, name_end)) = split(raw)?.small() {
            return Some(Self(Form::Plain { raw, line, value_start, name_end }));
        }
        Self::from_unusual_source(raw, line)
    }

    fn from_unusual_source(raw: &'a str, line: u32) -> Option<Self> {
        let first_fold = memchr(b'\n', raw.as_bytes()).unwrap_or(raw.len());
        if let Some(head) = split(raw)
            && head.value_start <= first_fold
            && let Some((value_start, name_end)) = head.small()
        {
            return Some(Self(Form::Folded { raw, line, value_start, name_end }));
        }
        let logical = unfold(raw).into_boxed_str();
        let head = split(&logical)?;
        Some(Self::joined(Some(raw), logical, line, head))
    }

    #[cold]
    fn joined(raw: Option<&'a str>, logical: Box<str>, line: u32, head: Head) -> Self {
        let Head { name_end, value_start } = head;
        Self(Form::Joined(Box::new(Joined { raw, logical, line, name_end, value_start })))
    }

    /// One logical line that is the property's own.
    fn own(logical: Box<str>, line: u32, head: Head) -> Self {
        match head.small() {
            Some((value_start, name_end)) => Self(Form::Own { logical, line, value_start, name_end }),
            None => Self::joined(None, logical, line, head),
        }
    }

    /// A new property with a value as it stands in a file, that is already
    /// escaped if it is TEXT.
    ///
    /// Line breaks cannot be part of a value and are taken out.
    pub fn new(name: &str, parameters: &[(&str, &str)], value: &str) -> Property<'static> {
        // Exactly what plain values need.
        let room: usize = parameters.iter().map(|(name, value)| name.len() + value.len() + 2).sum();
        let mut line = String::with_capacity(name.len() + room + value.len() + 1);
        line.push_str(name);
        for (name, value) in parameters {
            push_parameter(&mut line, name, std::iter::once(*value));
        }
        // What was put together here need not be taken apart to know where what stands.
        let is_name = !name.is_empty() && name.bytes().all(|byte| IS_IN_NAMES[usize::from(byte)]);
        let head = Head { name_end: name.len(), value_start: line.len() + 1 };
        Property::with_value_behind(line, value, 0, is_name.then_some(head))
    }

    /// A property that is the same in every event: one short line.
    pub fn fixed(line: &'static str) -> Property<'static> {
        Property::from_source(line, false, 0)
            .unwrap_or_else(|| unreachable!("`{line}` has a name and a colon"))
    }

    /// A new TEXT property; escapes `text`.
    pub fn text_of(name: &str, text: &str) -> Property<'static> {
        Property::new(name, &[], &escape_text(text))
    }

    /// This property with another value and the same name and parameters.
    #[must_use]
    pub fn with_value(&self, value: &str) -> Property<'static> {
        let head = self.logical();
        let head = &head[..self.value_start() - 1];
        Property::with_head(head.to_owned(), value, self.line())
    }

    /// This property with one parameter set to a value, or taken out.
    #[must_use]
    pub fn with_parameter(&self, name: &str, value: Option<&str>) -> Property<'static> {
        let mut head = self.name().to_owned();
        for parameter in self.parameters() {
            if !parameter.name.eq_ignore_ascii_case(name) {
                let values = parameter.values.iter().map(AsRef::as_ref);
                push_parameter(&mut head, parameter.name, values);
            }
        }
        if let Some(value) = value {
            push_parameter(&mut head, name, std::iter::once(value));
        }
        Property::with_head(head, &self.value(), self.line())
    }

    /// A property by its logical line, if that has a name and a colon.
    pub(super) fn of_line(text: &str, line: u32) -> Option<Property<'static>> {
        let head = split(text)?;
        Some(Property::own(text.into(), line, head))
    }

    fn with_head(head: String, value: &str, line: u32) -> Property<'static> {
        Property::with_value_behind(head, value, line, None)
    }

    /// `known` says where the name ends and the value will start, if that is known.
    fn with_value_behind(mut head: String, value: &str, line: u32, known: Option<Head>) -> Property<'static> {
        head.push(':');
        match memchr2(b'\r', b'\n', value.as_bytes()) {
            None => head.push_str(value),
            Some(_) => head.extend(value.chars().filter(|char| !matches!(char, '\r' | '\n'))),
        }
        debug_assert!(known.is_none() || known == split(&head), "`{head}` is as it was put together");
        // The head was built from a name and quoted parameters, so it splits.
        let split = known.or_else(|| split(&head)).unwrap_or(Head { name_end: 0, value_start: 0 });
        Property::own(head.into_boxed_str(), line, split)
    }

    /// The property without ties to the source's buffer.
    pub fn into_owned(self) -> Property<'static> {
        let head = Head { name_end: self.name_end(), value_start: self.value_start() };
        let line = self.line();
        let logical = match self.0 {
            Form::Own { logical, .. } => logical,
            Form::Plain { raw, .. } => raw.into(),
            Form::Folded { raw, .. } => unfold(raw).into_boxed_str(),
            Form::Joined(joined) => joined.logical,
        };
        Property::own(logical, line, head)
    }

    /// The name as written, such as `DTSTART`.
    #[inline]
    pub fn name(&self) -> &str {
        &self.head_text()[..self.name_end()]
    }

    /// Whether the property has this name, without regard to case.
    #[inline]
    pub fn is(&self, name: &str) -> bool {
        self.name_end() == name.len() && is_same_name(self.name().as_bytes(), name.as_bytes())
    }

    /// The value as it stands in the file, unfolded and still escaped.
    #[inline]
    pub fn value(&self) -> Cow<'_, str> {
        let start = self.value_start();
        match &self.0 {
            Form::Folded { raw, .. } => Cow::Owned(unfold(&raw[start..])),
            _ => Cow::Borrowed(&self.head_text()[start..]),
        }
    }

    /// The value as it stands in the file, still escaped, with the folds in it.
    pub fn raw_value(&self) -> &str {
        &self.head_text()[self.value_start()..]
    }

    /// The value in pieces, as it is cut by folds: [`Self::value`] without making it.
    pub fn value_pieces(&self) -> impl Iterator<Item = &str> {
        pieces_between_folds(self.raw_value())
    }

    /// The value as text that people read.
    pub fn text(&self) -> Cow<'_, str> {
        match self.value() {
            Cow::Borrowed(value) => unescape_text(value),
            Cow::Owned(value) => match unescape_text(&value) {
                Cow::Owned(text) => Cow::Owned(text),
                Cow::Borrowed(_) => Cow::Owned(value),
            },
        }
    }

    /// The name and the parameters, as they stand.
    pub(super) fn head(&self) -> &str {
        &self.head_text()[..self.value_start().saturating_sub(1)]
    }

    /// The parameters in order.
    pub fn parameters(&self) -> impl Iterator<Item = Parameter<'_>> {
        self.bare_parameters().map(|(name, values)| Parameter { name, values: values_of(values) })
    }

    /// Whether it has parameters.
    #[inline]
    pub fn has_parameters(&self) -> bool {
        self.value_start() > self.name_end() + 1
    }

    /// Whether a line of a time surely stands as RFC 5545 wants it: `20260907T080000`, with a
    /// `Z` or a `TZID` without any sign that means something, or a date with `VALUE=DATE`. That
    /// there is such a day is not said.
    pub fn is_plain_time(&self) -> bool {
        let value = self.raw_value().as_bytes();
        let are_digits = |digits: &[u8]| digits.iter().all(u8::is_ascii_digit);
        let is_clock =
            value.len() >= 15 && value[8] == b'T' && are_digits(&value[..8]) && are_digits(&value[9..15]);
        match self.head().get(self.name_end()..).unwrap_or_default() {
            "" => is_clock && matches!(&value[15..], b"" | b"Z"),
            ";VALUE=DATE" => value.len() == 8 && are_digits(value),
            parameters => {
                let is_plain = |byte: u8| !matches!(byte, b';' | b',' | b'"');
                is_clock
                    && value.len() == 15
                    && parameters.strip_prefix(";TZID=").is_some_and(|zone| zone.bytes().all(is_plain))
            }
        }
    }

    fn bare_parameters(&self) -> BareParameters<'_> {
        let head = self.head();
        BareParameters::of(&head[self.name_end().min(head.len())..])
    }

    /// The first value of a parameter.
    pub fn parameter(&self, name: &str) -> Option<Cow<'_, str>> {
        if !self.has_parameters() {
            return None;
        }
        let written = &self.head_text()[self.name_end()..self.value_start().saturating_sub(1)];
        if let Some(value) = only_plain_parameter(written, name) {
            return Some(Cow::Borrowed(value));
        }
        self.bare_parameters()
            .find(|(other, _)| other.eq_ignore_ascii_case(name))
            .map(|(_, values)| first_value(values))
    }

    /// The line in the source, counted from 1; 0 for a property made here.
    pub fn line(&self) -> u32 {
        match &self.0 {
            Form::Plain { line, .. } | Form::Folded { line, .. } | Form::Own { line, .. } => *line,
            Form::Joined(joined) => joined.line,
        }
    }

    /// The whole property as one logical line.
    pub fn logical(&self) -> Cow<'_, str> {
        match &self.0 {
            Form::Folded { raw, .. } => Cow::Owned(unfold(raw)),
            _ => Cow::Borrowed(self.head_text()),
        }
    }

    pub(super) fn written(&self) -> Written<'_> {
        match &self.0 {
            Form::Plain { raw, .. } | Form::Folded { raw, .. } => Written::Source(raw),
            Form::Own { logical, .. } => Written::Logical(logical),
            Form::Joined(joined) => joined.raw.map_or(Written::Logical(&joined.logical), Written::Source),
        }
    }

    /// The text in which `name_end` and `value_start` count.
    #[inline]
    fn head_text(&self) -> &str {
        match &self.0 {
            Form::Plain { raw, .. } | Form::Folded { raw, .. } => raw,
            Form::Own { logical, .. } => logical,
            Form::Joined(joined) => &joined.logical,
        }
    }

    #[inline]
    fn name_end(&self) -> usize {
        match &self.0 {
            Form::Plain { name_end, .. } | Form::Folded { name_end, .. } | Form::Own { name_end, .. } => {
                usize::from(*name_end)
            }
            Form::Joined(joined) => joined.name_end,
        }
    }

    #[inline]
    fn value_start(&self) -> usize {
        match &self.0 {
            Form::Plain { value_start, .. }
            | Form::Folded { value_start, .. }
            | Form::Own { value_start, .. } => usize::from(*value_start),
            Form::Joined(joined) => joined.value_start,
        }
    }
}

/// The pieces of a value as it stands in the file, as it is cut by folds (RFC 5545 section 3.1).
pub fn pieces_between_folds(raw: &str) -> impl Iterator<Item = &str> {
    let (mut rest, mut is_first) = (Some(raw), true);
    std::iter::from_fn(move || {
        let text = rest?;
        let end = memchr(b'\n', text.as_bytes());
        rest = end.map(|end| &text[end + 1..]);
        let piece = end.map_or(text, |end| text[..end].trim_end_matches('\r'));
        // Behind a fold stands the blank that makes it one.
        Some(if std::mem::take(&mut is_first) { piece } else { piece.get(1..).unwrap_or_default() })
    })
}

/// Takes the folds out of a physical line (RFC 5545 section 3.1).
fn unfold(raw: &str) -> String {
    let mut out = String::with_capacity(raw.len());
    let mut lines = raw.split('\n');
    if let Some(first) = lines.next() {
        out.push_str(first.trim_end_matches('\r'));
    }
    for line in lines {
        // Behind a fold stands one blank or tab, which the parser looked for.
        out.push_str(line.trim_end_matches('\r').get(1..).unwrap_or_default());
    }
    out
}

/// Where the name ends and the value starts.
#[inline]
fn split(line: &str) -> Option<Head> {
    let bytes = line.as_bytes();
    let name_end = bytes.iter().position(|byte| !IS_IN_NAMES[usize::from(*byte)])?;
    let value_start = match bytes[name_end] {
        _ if name_end == 0 => return None,
        b':' => name_end + 1,
        b';' => value_start_behind_parameters(bytes, name_end)?,
        _ => return None,
    };
    Some(Head { name_end, value_start })
}

fn value_start_behind_parameters(bytes: &[u8], from: usize) -> Option<usize> {
    let mut is_quoted = false;
    for at in memchr2_iter(b':', b'"', &bytes[from..]) {
        match bytes[from + at] {
            b'"' => is_quoted = !is_quoted,
            b':' if !is_quoted => return Some(from + at + 1),
            _ => {}
        }
    }
    // A quote that is never closed: the first colon is the best there is.
    memchr(b':', &bytes[from..]).map(|at| from + at + 1)
}

/// RFC 5545 allows letters, digits and `-`; exports add `_`, `.` and `/`. Every name of every
/// line is looked at, so it is a table.
static IS_IN_NAMES: [bool; 256] = {
    let mut is_in_names = [false; 256];
    let mut byte = 0_u8;
    loop {
        is_in_names[byte as usize] =
            byte.is_ascii_alphanumeric() || matches!(byte, b'-' | b'_' | b'.' | b'/');
        if byte == u8::MAX {
            break is_in_names;
        }
        byte += 1;
    }
};

/// Whether two names of one length are the same without regard to case. Almost all of a
/// length begin with another letter, and nearly all others are written alike.
#[inline]
fn is_same_name(one: &[u8], two: &[u8]) -> bool {
    match (one.first(), two.first()) {
        (Some(first), Some(second)) if first | 0x20 == second | 0x20 => {
            one == two || one.eq_ignore_ascii_case(two)
        }
        (None, None) => true,
        _ => false,
    }
}

#[cfg(test)]
mod tests;
