//! TEXT values: escaping and lists (RFC 5545 section 3.3.11).

use std::borrow::Cow;

use memchr::{memchr, memchr2, memchr2_iter, memchr3};

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
    let bytes = text.as_bytes();
    if memchr3(b'\\', b';', b',', bytes).is_none() && memchr2(b'\n', b'\r', bytes).is_none() {
        return Cow::Borrowed(text);
    }
    let mut out = String::with_capacity(text.len() + 8);
    let mut rest = text.chars().peekable();
    while let Some(char) = rest.next() {
        match char {
            '\\' | ';' | ',' => out.extend(['\\', char]),
            '\r' => {
                rest.next_if_eq(&'\n');
                out.push_str("\\n");
            }
            '\n' => out.push_str("\\n"),
            other => out.push(other),
        }
    }
    Cow::Owned(out)
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
