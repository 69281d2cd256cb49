//! TEXT values: escaping and lists (RFC 5545 section 3.3.11).

use std::borrow::Cow;

use memchr::{memchr, memchr2_iter};

/// A TEXT value as people see it: `\n` becomes a line break, `\,` a comma.
///
/// A backslash in front of anything else stays, since it was probably meant.
pub fn unescape_text(value: &str) -> Cow<'_, str> {
    if memchr(b'\\', value.as_bytes()).is_none() {
        return Cow::Borrowed(value);
    }
    let mut out = String::with_capacity(value.len());
    let mut rest = value;
    while let Some(at) = memchr(b'\\', rest.as_bytes()) {
        let (before, behind) = (&rest[..at], &rest[at + 1..]);
        let (sign, length) = match behind.as_bytes().first() {
            Some(b'n' | b'N') => ('\n', 1),
            Some(b'\\') => ('\\', 1),
            Some(b';') => (';', 1),
            Some(b',') => (',', 1),
            _ => ('\\', 0),
        };
        out.push_str(before);
        out.push(sign);
        rest = &behind[length..];
    }
    out.push_str(rest);
    Cow::Owned(out)
}

/// Text as a TEXT value. Line breaks of any kind become `\n`.
pub fn escape_text(text: &str) -> Cow<'_, str> {
    let Some(first) = next_to_escape(text.as_bytes()) else { return Cow::Borrowed(text) };
    let mut out = String::with_capacity(text.len() + 8);
    let (mut copied, mut next) = (0, Some(first));
    while let Some(at) = next {
        out.push_str(&text[copied..at]);
        let length = match &text.as_bytes()[at..] {
            [b'\r', b'\n', ..] => 2,
            _ => 1,
        };
        match text.as_bytes()[at] {
            b'\r' | b'\n' => out.push_str("\\n"),
            _ => out.extend(["\\", &text[at..=at]]),
        }
        copied = at + length;
        next = next_to_escape(&text.as_bytes()[copied..]).map(|ahead| copied + ahead);
    }
    out.push_str(&text[copied..]);
    Cow::Owned(out)
}

/// Where the first sign stands that does not stand for itself in a TEXT value. Many bytes are
/// looked at together, since most texts have none.
fn next_to_escape(bytes: &[u8]) -> Option<usize> {
    const AT_ONCE: usize = 32;
    let is_special =
        |byte: u8| (byte == b'\\') | (byte == b';') | (byte == b',') | (byte == b'\n') | (byte == b'\r');
    let has_one = |some: &[u8]| some.iter().fold(false, |any, byte| any | is_special(*byte));
    let (block, some) = bytes.chunks(AT_ONCE).enumerate().find(|(_, some)| has_one(some))?;
    Some(block * AT_ONCE + some.iter().position(|byte| is_special(*byte))?)
}

/// The parts of a list value, split at commas that are not escaped. The parts
/// are still escaped.
pub fn split_list(value: &str) -> impl Iterator<Item = &str> {
    let mut from = 0;
    let mut escaped_at = None;
    let mut cuts: Vec<usize> = Vec::new();
    for at in memchr2_iter(b',', b'\\', value.as_bytes()) {
        if escaped_at == Some(at) {
            continue;
        }
        if value.as_bytes()[at] == b'\\' {
            escaped_at = Some(at + 1);
        } else {
            cuts.push(at);
        }
    }
    cuts.push(value.len());
    cuts.into_iter().map(move |cut| {
        let part = &value[from..cut];
        from = cut + 1;
        part
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn text_and_escaped_text_are_two_views_of_one_value() {
        for (text, escaped) in
            [("Kaj 2", "Kaj 2"), ("a,b;c\\d", "a\\,b\\;c\\\\d"), ("rad 1\nrad 2", "rad 1\\nrad 2")]
        {
            assert_eq!(escape_text(text), escaped);
            assert_eq!(unescape_text(escaped), text);
        }
        assert_eq!(escape_text("a\r\nb\rc"), "a\\nb\\nc");
        assert_eq!(unescape_text("C:\\temp\\"), "C:\\temp\\");
        assert_eq!(unescape_text("x\\Ny"), "x\ny");
    }

    #[test]
    fn lists_split_at_bare_commas_only() {
        let parts: Vec<_> = split_list("drill,a\\,b,,c\\\\,d").collect();
        assert_eq!(parts, ["drill", "a\\,b", "", "c\\\\", "d"]);
    }
}
