//! Texts, compared as people would.

use std::borrow::Cow;

use unicode_normalization::{UnicodeNormalization, is_nfc};

/// A text with its blanks and line breaks evened out and its characters
/// composed (NFC): two texts that look the same are the same.
pub fn normalised(text: &str) -> Cow<'_, str> {
    if is_even_ascii(text) || is_even(text) && is_composed(text) {
        return Cow::Borrowed(text);
    }
    let mut out = String::with_capacity(text.len());
    for word in text.split_whitespace() {
        if !out.is_empty() {
            out.push(' ');
        }
        if is_composed(word) {
            out.push_str(word);
        } else {
            out.extend(word.nfc());
        }
    }
    Cow::Owned(out)
}

/// Whether nothing in a text is to be composed. In front of U+0300, where the combining marks
/// begin, nothing is (UAX 15), and that tells each byte.
fn is_composed(text: &str) -> bool {
    text.bytes().all(|byte| byte < 0xcc) || is_nfc(text)
}

/// Most texts by far: each byte is looked at once.
fn is_even_ascii(text: &str) -> bool {
    let mut before = b' ';
    for byte in text.bytes() {
        if !(b' '..0x7f).contains(&byte) || byte == b' ' && before == b' ' {
            return false;
        }
        before = byte;
    }
    before != b' ' || text.is_empty()
}

fn is_even(text: &str) -> bool {
    !text.starts_with(char::is_whitespace)
        && !text.ends_with(char::is_whitespace)
        && !text.contains(['\n', '\r', '\t', '\u{a0}'])
        && !text.contains("  ")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_looks_the_same_is_the_same() {
        assert_eq!(normalised("  Torr\u{a0}docka \r\n nr 2 "), "Torr docka nr 2");
        assert_eq!(normalised("Bra\u{308}nnö"), "Brännö");
        assert!(matches!(normalised("Brännö kaj"), Cow::Borrowed(_)));
        for even in ["", "a", "Torr docka", "a b c"] {
            assert!(matches!(normalised(even), Cow::Borrowed(text) if text == even));
        }
        for (uneven, even) in [(" ", ""), (" a", "a"), ("a ", "a"), ("a  b", "a b"), ("a\nb", "a b")] {
            assert_eq!(normalised(uneven), even);
        }
        assert!(matches!(normalised("A\u{30a}sa"), Cow::Owned(_)), "decomposed text is composed");
        for (uneven, even) in
            [("Å  A\u{30a}", "Å Å"), ("\u{2126}\n\u{17f}", "\u{3a9} \u{17f}"), ("ö\n\u{340}", "ö \u{300}")]
        {
            assert_eq!(normalised(uneven), even);
        }
    }
}
