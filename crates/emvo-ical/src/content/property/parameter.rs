//! The parameters of a line: `;NAME=value,"other value"` (RFC 5545 section 3.2, RFC 6868).

use std::borrow::Cow;

use memchr::memchr;

/// One parameter of a property, decoded.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Parameter<'p> {
    /// The name as written; compare without regard to case.
    pub name: &'p str,
    /// Its values, without quotes and with RFC 6868 carets decoded.
    pub values: Vec<Cow<'p, str>>,
}

/// The value of a parameter where it is the only one, under just this name and without any
/// sign that would mean something: `;TZID=Europe/Helsinki`.
pub(super) fn only_plain_parameter<'p>(written: &'p str, name: &str) -> Option<&'p str> {
    let value = written.strip_prefix(';')?.strip_prefix(name)?.strip_prefix('=')?;
    // Without leaving the loop, so that many bytes are looked at together.
    let is_plain = |byte: u8| (byte != b';') & (byte != b',') & (byte != b'"') & (byte != b'^');
    value.bytes().fold(true, |are_plain, byte| are_plain & is_plain(byte)).then_some(value)
}

/// The parameters of a line, each as its name and the text of its values.
pub(super) struct BareParameters<'p> {
    /// What is left, starting at the `;` in front of the next parameter.
    rest: &'p str,
}

impl<'p> BareParameters<'p> {
    /// Those of a head behind its name.
    pub(super) fn of(written: &'p str) -> Self {
        Self { rest: written }
    }
}

impl<'p> Iterator for BareParameters<'p> {
    type Item = (&'p str, &'p str);

    fn next(&mut self) -> Option<(&'p str, &'p str)> {
        let rest = self.rest.strip_prefix(';')?;
        let end = end_outside_quotes(rest, b';');
        let (parameter, rest) = rest.split_at(end);
        self.rest = rest;
        let (name, values) = parameter.split_once('=').unwrap_or((parameter, ""));
        Some((name.trim(), values))
    }
}

pub(super) fn first_value(values: &str) -> Cow<'_, str> {
    decode_caret(values[..end_outside_quotes(values, b',')].trim_matches('"'))
}

pub(super) fn values_of(mut values: &str) -> Vec<Cow<'_, str>> {
    let mut decoded = Vec::with_capacity(1);
    loop {
        decoded.push(first_value(values));
        match values.get(end_outside_quotes(values, b',') + 1..) {
            Some(more) => values = more,
            None => return decoded,
        }
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

pub(super) fn push_parameter<'v>(line: &mut String, name: &str, values: impl Iterator<Item = &'v str>) {
    line.push(';');
    line.push_str(name);
    line.push('=');
    for (index, value) in values.enumerate() {
        if index > 0 {
            line.push(',');
        }
        let is_plain = |byte: u8| {
            byte.is_ascii_alphanumeric() || matches!(byte, b'/' | b'-' | b'_' | b'+' | b'.' | b' ')
        };
        if value.bytes().all(is_plain) {
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
