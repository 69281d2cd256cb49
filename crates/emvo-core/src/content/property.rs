//! One content line: `NAME;PARAM=value:value` (RFC 5545 section 3.1).

use std::borrow::Cow;

use memchr::{memchr, memchr2, memchr2_iter};

use super::text::{escape_text, unescape_text};

/// One property with its original text.
///
/// Reading is lazy: the parser finds the name and where the value starts;
/// parameters and folded values are taken apart when somebody asks.
#[derive(Clone, Debug)]
pub struct Property<'a> {
    text: Text<'a>,
    name_end: u32,
    value_start: u32,
    line: u32,
}

#[derive(Clone, Debug)]
enum Text<'a> {
    /// As in the source, on one physical line.
    Plain(&'a str),
    /// As in the source, folded somewhere in its value.
    Folded(&'a str),
    /// Folded before its value starts: the offsets count in `logical`.
    Joined(Box<Joined<'a>>),
    /// Made or changed here; one logical line.
    Own(Box<str>),
}

#[derive(Clone, Debug)]
struct Joined<'a> {
    raw: &'a str,
    logical: String,
}

/// One parameter of a property, decoded.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Parameter<'p> {
    /// The name as written; compare without regard to case.
    pub name: &'p str,
    /// Its values, without quotes and with RFC 6868 carets decoded.
    pub values: Vec<Cow<'p, str>>,
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
        if !is_folded {
            let (name_end, value_start) = split(raw)?;
            return Some(Self { text: Text::Plain(raw), name_end, value_start, line });
        }
        let first_fold = memchr(b'\n', raw.as_bytes()).unwrap_or(raw.len());
        if let Some((name_end, value_start)) = split(raw)
            && value_start as usize <= first_fold
        {
            return Some(Self { text: Text::Folded(raw), name_end, value_start, line });
        }
        let logical = unfold(raw);
        let (name_end, value_start) = split(&logical)?;
        let text = Text::Joined(Box::new(Joined { raw, logical }));
        Some(Self { text, name_end, value_start, line })
    }

    /// A new property with a value as it stands in a file, that is already
    /// escaped if it is TEXT.
    ///
    /// Line breaks cannot be part of a value and are taken out.
    pub fn new(name: &str, parameters: &[(&str, &str)], value: &str) -> Property<'static> {
        let room: usize = parameters.iter().map(|(name, value)| name.len() + value.len() + 4).sum();
        let mut line = String::with_capacity(name.len() + room + value.len() + 1);
        line.push_str(name);
        for (name, value) in parameters {
            push_parameter(&mut line, name, std::iter::once(*value));
        }
        Property::with_head(line, value)
    }

    /// A new TEXT property; escapes `text`.
    pub fn text_of(name: &str, text: &str) -> Property<'static> {
        Property::new(name, &[], &escape_text(text))
    }

    /// This property with another value and the same name and parameters.
    #[must_use]
    pub fn with_value(&self, value: &str) -> Property<'static> {
        let head = self.logical();
        let head = &head[..self.value_start as usize - 1];
        Property { line: self.line, ..Property::with_head(head.to_owned(), value) }
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
        Property { line: self.line, ..Property::with_head(head, &self.value()) }
    }

    fn with_head(mut head: String, value: &str) -> Property<'static> {
        head.push(':');
        match memchr2(b'\r', b'\n', value.as_bytes()) {
            None => head.push_str(value),
            Some(_) => head.extend(value.chars().filter(|char| !matches!(char, '\r' | '\n'))),
        }
        // The head was built from a name and quoted parameters, so it splits.
        let (name_end, value_start) = split(&head).unwrap_or((0, 0));
        Property { text: Text::Own(head.into_boxed_str()), name_end, value_start, line: 0 }
    }

    /// The property without ties to the source's buffer.
    pub fn into_owned(self) -> Property<'static> {
        let (name_end, value_start, line) = (self.name_end, self.value_start, self.line);
        let text = match self.text {
            Text::Own(text) => text,
            Text::Plain(raw) => raw.into(),
            Text::Folded(raw) => unfold(raw).into_boxed_str(),
            Text::Joined(joined) => joined.logical.into_boxed_str(),
        };
        Property { text: Text::Own(text), name_end, value_start, line }
    }

    /// The name as written, such as `DTSTART`.
    #[inline]
    pub fn name(&self) -> &str {
        &self.head_text()[..self.name_end as usize]
    }

    /// Whether the property has this name, without regard to case.
    #[inline]
    pub fn is(&self, name: &str) -> bool {
        self.name_end as usize == name.len() && self.name().eq_ignore_ascii_case(name)
    }

    /// The value as it stands in the file, unfolded and still escaped.
    #[inline]
    pub fn value(&self) -> Cow<'_, str> {
        let start = self.value_start as usize;
        match &self.text {
            Text::Plain(raw) => Cow::Borrowed(&raw[start..]),
            Text::Folded(raw) => Cow::Owned(unfold(&raw[start..])),
            Text::Joined(joined) => Cow::Borrowed(&joined.logical[start..]),
            Text::Own(text) => Cow::Borrowed(&text[start..]),
        }
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

    /// The parameters in order.
    pub fn parameters(&self) -> impl Iterator<Item = Parameter<'_>> {
        let head = &self.head_text()[..self.value_start.saturating_sub(1) as usize];
        Parameters { rest: &head[(self.name_end as usize).min(head.len())..] }
    }

    /// The first value of a parameter.
    pub fn parameter(&self, name: &str) -> Option<Cow<'_, str>> {
        if self.name_end + 1 == self.value_start {
            return None;
        }
        self.parameters()
            .find(|parameter| parameter.name.eq_ignore_ascii_case(name))
            .and_then(|parameter| parameter.values.into_iter().next())
    }

    /// The line in the source, counted from 1; 0 for a property made here.
    pub fn line(&self) -> u32 {
        self.line
    }

    /// The whole property as one logical line.
    pub fn logical(&self) -> Cow<'_, str> {
        match &self.text {
            Text::Plain(raw) => Cow::Borrowed(raw),
            Text::Folded(raw) => Cow::Owned(unfold(raw)),
            Text::Joined(joined) => Cow::Borrowed(&joined.logical),
            Text::Own(text) => Cow::Borrowed(text),
        }
    }

    pub(super) fn written(&self) -> Written<'_> {
        match &self.text {
            Text::Plain(raw) | Text::Folded(raw) => Written::Source(raw),
            Text::Joined(joined) => Written::Source(joined.raw),
            Text::Own(text) => Written::Logical(text),
        }
    }

    /// The text in which `name_end` and `value_start` count.
    #[inline]
    fn head_text(&self) -> &str {
        match &self.text {
            Text::Plain(raw) | Text::Folded(raw) => raw,
            Text::Joined(joined) => &joined.logical,
            Text::Own(text) => text,
        }
    }
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
fn split(line: &str) -> Option<(u32, u32)> {
    let bytes = line.as_bytes();
    let name_end = bytes.iter().position(|byte| !is_name_byte(*byte))?;
    let value_start = match bytes[name_end] {
        _ if name_end == 0 => return None,
        b':' => name_end + 1,
        b';' => value_start_behind_parameters(bytes, name_end)?,
        _ => return None,
    };
    Some((u32::try_from(name_end).ok()?, u32::try_from(value_start).ok()?))
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

/// RFC 5545 allows letters, digits and `-`; exports add `_`, `.` and `/`.
#[inline]
fn is_name_byte(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || matches!(byte, b'-' | b'_' | b'.' | b'/')
}

struct Parameters<'p> {
    /// What is left, starting at the `;` in front of the next parameter.
    rest: &'p str,
}

impl<'p> Iterator for Parameters<'p> {
    type Item = Parameter<'p>;

    fn next(&mut self) -> Option<Parameter<'p>> {
        let rest = self.rest.strip_prefix(';')?;
        let end = end_outside_quotes(rest, b';');
        let (parameter, rest) = rest.split_at(end);
        self.rest = rest;
        let (name, mut values) = parameter.split_once('=').unwrap_or((parameter, ""));
        let mut decoded = Vec::with_capacity(1);
        loop {
            let end = end_outside_quotes(values, b',');
            decoded.push(decode_caret(values[..end].trim_matches('"')));
            match values.get(end + 1..) {
                Some(more) => values = more,
                None => break,
            }
        }
        Some(Parameter { name: name.trim(), values: decoded })
    }
}

fn end_outside_quotes(text: &str, mark: u8) -> usize {
    let mut is_quoted = false;
    for (at, byte) in text.bytes().enumerate() {
        if byte == b'"' {
            is_quoted = !is_quoted;
        } else if byte == mark && !is_quoted {
            return at;
        }
    }
    text.len()
}

/// RFC 6868: `^n` is a line break, `^^` a caret, `^'` a double quote.
fn decode_caret(value: &str) -> Cow<'_, str> {
    if memchr(b'^', value.as_bytes()).is_none() {
        return Cow::Borrowed(value);
    }
    let mut out = String::with_capacity(value.len());
    let mut rest = value.chars().peekable();
    while let Some(char) = rest.next() {
        let decoded = match (char, rest.peek()) {
            ('^', Some('n')) => '\n',
            ('^', Some('^')) => '^',
            ('^', Some('\'')) => '"',
            _ => {
                out.push(char);
                continue;
            }
        };
        rest.next();
        out.push(decoded);
    }
    Cow::Owned(out)
}

fn push_parameter<'v>(line: &mut String, name: &str, values: impl Iterator<Item = &'v str>) {
    line.push(';');
    line.push_str(name);
    line.push('=');
    for (index, value) in values.enumerate() {
        if index > 0 {
            line.push(',');
        }
        let is_plain = value.bytes().all(|byte| byte.is_ascii_alphanumeric() || b"/-_+. ".contains(&byte));
        if is_plain {
            line.push_str(value);
            continue;
        }
        let needs_quotes = value.contains([':', ';', ',']);
        if needs_quotes {
            line.push('"');
        }
        for char in value.chars() {
            match char {
                '\n' => line.push_str("^n"),
                '^' => line.push_str("^^"),
                '"' => line.push_str("^'"),
                control if control.is_control() && control != '\t' => {}
                other => line.push(other),
            }
        }
        if needs_quotes {
            line.push('"');
        }
    }
}

#[cfg(test)]
mod tests;
