//! Texts of VERSION:1.0: quoted-printable, charsets of their own, soft line breaks.

use std::borrow::Cow;

use encoding_rs::WINDOWS_1252;

use crate::content::{Property, decode_as, escape_text};

/// How a value is written.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Encoding {
    Plain,
    QuotedPrintable,
    Base64,
}

/// The text of a file of this form as the parser reads lines.
///
/// A soft break (`=` at the end of a quoted-printable line) becomes a fold, and a fold
/// keeps its blank, which is part of the text here (RFC 822). Every line keeps its
/// number.
pub fn prepared(text: Cow<'_, str>) -> Cow<'_, str> {
    if !says_version_one(&text) {
        return text;
    }
    let mut out = String::with_capacity(text.len() + 64);
    let mut is_soft = false;
    let mut is_quoted = false;
    for line in text.split_inclusive('\n') {
        let content = line.trim_end_matches(['\r', '\n']);
        let end = &line[content.len()..];
        if is_soft || content.starts_with([' ', '\t']) {
            out.push(' ');
        } else {
            let head = content.split(':').next().unwrap_or_default().to_ascii_uppercase();
            is_quoted = head.contains("QUOTED-PRINTABLE");
        }
        is_soft = is_quoted && content.ends_with('=');
        out.push_str(if is_soft { &content[..content.len() - 1] } else { content });
        out.push_str(end);
    }
    Cow::Owned(out)
}

/// Whether a text says in its first lines that it is of this form.
pub fn says_version_one(text: &str) -> bool {
    text.lines().take(20).any(|line| line.trim().eq_ignore_ascii_case("VERSION:1.0"))
}

pub(super) fn encoding_of(line: &Property<'_>) -> Encoding {
    // A parameter may stand there without its name.
    let is_named = |word: &str| {
        line.parameters().any(|parameter| {
            parameter.name.eq_ignore_ascii_case(word)
                || parameter.name.eq_ignore_ascii_case("ENCODING")
                    && parameter.values.iter().any(|value| value.eq_ignore_ascii_case(word))
        })
    };
    if is_named("QUOTED-PRINTABLE") {
        Encoding::QuotedPrintable
    } else if is_named("BASE64") || is_named("B") {
        Encoding::Base64
    } else {
        Encoding::Plain
    }
}

/// A value as it was before it was encoded, its escapes still in it.
pub(super) fn raw_value(line: &Property<'_>) -> String {
    let value = line.value();
    if encoding_of(line) != Encoding::QuotedPrintable {
        return value.into_owned();
    }
    let bytes = unquoted(value.as_bytes());
    let named =
        line.parameter("CHARSET").and_then(|label| decode_as(&bytes, &label).map(|it| it.text.into_owned()));
    named.unwrap_or_else(|| match String::from_utf8(bytes) {
        Ok(text) => text,
        Err(other) => WINDOWS_1252.decode(other.as_bytes()).0.into_owned(),
    })
}

/// The bytes of quoted-printable text (RFC 2045 section 6.7).
fn unquoted(value: &[u8]) -> Vec<u8> {
    let mut bytes = Vec::with_capacity(value.len());
    let mut at = 0;
    while let Some(byte) = value.get(at) {
        let code = value.get(at + 1..at + 3).and_then(|digits| std::str::from_utf8(digits).ok());
        let coded = code.and_then(|digits| u8::from_str_radix(digits, 16).ok()).filter(|_| *byte == b'=');
        bytes.push(coded.unwrap_or(*byte));
        at += if coded.is_some() { 3 } else { 1 };
    }
    bytes
}

/// A value as people read it.
pub(super) fn text_of(line: &Property<'_>) -> String {
    unescaped(&raw_value(line))
}

pub(super) fn unescaped(value: &str) -> String {
    let mut out = String::with_capacity(value.len());
    let mut rest = value.chars();
    while let Some(char) = rest.next() {
        match char {
            '\r' => {}
            '\\' => match rest.next() {
                Some('n' | 'N') => out.push('\n'),
                Some(escaped @ (';' | ',' | '\\' | ':')) => out.push(escaped),
                Some(other) => out.extend(['\\', other]),
                None => out.push('\\'),
            },
            other => out.push(other),
        }
    }
    out
}

/// A property of this name with the text of a line, and what else the line says.
pub(super) fn as_text(name: &str, line: &Property<'_>) -> Property<'static> {
    with_parameters_of(line, Property::text_of(name, &text_of(line)))
}

/// Parameters that say how a value is written: the standard has it otherwise.
const OF_FORM: [&str; 8] =
    ["ENCODING", "CHARSET", "QUOTED-PRINTABLE", "BASE64", "B", "8BIT", "7BIT", "VALUE"];

pub(super) fn is_of_form(parameter: &str) -> bool {
    OF_FORM.iter().any(|known| known.eq_ignore_ascii_case(parameter))
}

/// A property with the parameters of the line that it was made of, but for those that
/// say how the value is written.
pub(super) fn with_parameters_of(line: &Property<'_>, made: Property<'static>) -> Property<'static> {
    let left = line.parameters().filter(|parameter| !is_of_form(parameter.name));
    left.fold(made, |made, parameter| made.with_parameter(parameter.name, Some(&parameter.values.join(","))))
}

/// Whether a line has parameters that say more than how its value is written.
pub(super) fn says_more_by_parameters(line: &Property<'_>) -> bool {
    line.parameters().any(|parameter| !is_of_form(parameter.name))
}

/// The parts of a value between semicolons, escaped ones left in place.
pub(super) fn fields(value: &str) -> Vec<String> {
    let mut fields = vec![String::new()];
    let mut is_escaped = false;
    for char in value.chars() {
        if char == ';' && !is_escaped {
            fields.push(String::new());
        } else if let Some(field) = fields.last_mut() {
            field.push(char);
        }
        is_escaped = char == '\\' && !is_escaped;
    }
    fields.iter().map(|field| unescaped(field.trim())).collect()
}

/// A list of words as the standard has it.
pub(super) fn list(name: &str, line: &Property<'_>) -> Property<'static> {
    let value = raw_value(line);
    let mut words: Vec<String> = fields(&value);
    // Semicolons divide here; some systems divide by commas as the standard does.
    if let [all] = words.as_slice() {
        words = all.split(',').map(|word| word.trim().to_owned()).collect();
    }
    let words = words.iter().filter(|word| !word.is_empty());
    let escaped: Vec<String> = words.map(|word| escape_text(word).into_owned()).collect();
    with_parameters_of(line, Property::new(name, &[], &escaped.join(",")))
}
