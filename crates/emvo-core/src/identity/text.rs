//! Texts, compared as people would.

use std::borrow::Cow;

use unicode_normalization::{UnicodeNormalization, is_nfc};

/// A text with its blanks and line breaks evened out and its characters
/// composed (NFC): two texts that look the same are the same.
pub fn normalised(text: &str) -> Cow<'_, str> {
    let is_even = !text.starts_with(char::is_whitespace)
        && !text.ends_with(char::is_whitespace)
        && !text.contains(['\n', '\r', '\t', '\u{a0}'])
        && !text.contains("  ");
    if is_even && (text.is_ascii() || is_nfc(text)) {
        return Cow::Borrowed(text);
    }
    let mut out = String::with_capacity(text.len());
    for word in text.split_whitespace() {
        if !out.is_empty() {
            out.push(' ');
        }
        out.extend(word.nfc());
    }
    Cow::Owned(out)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_looks_the_same_is_the_same() {
        assert_eq!(normalised("  Torr\u{a0}docka \r\n nr 2 "), "Torr docka nr 2");
        assert_eq!(normalised("Bra\u{308}nnö"), "Brännö");
        assert!(matches!(normalised("Brännö kaj"), Cow::Borrowed(_)));
        assert!(matches!(normalised("A\u{30a}sa"), Cow::Owned(_)), "decomposed text is composed");
    }
}
