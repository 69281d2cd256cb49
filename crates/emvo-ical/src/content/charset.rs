//! Bytes → text: finds the charset of an export and decodes it.
//!
//! UTF-8 is borrowed as it is. Anything else is decoded into a buffer of its
//! own, so that the parser sees UTF-8 only.

use std::borrow::Cow;

use chardetng::{EncodingDetector, Iso2022JpDetection, Utf8Detection};
use encoding_rs::{Encoding, UTF_8, UTF_16BE, UTF_16LE};
use memchr::{memchr, memmem};

/// How the bytes of a source were read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Charset {
    /// UTF-8 as RFC 5545 section 3.1.4 asks for, without a byte order mark.
    Utf8,
    /// UTF-8 behind a byte order mark; the mark is left out of the text.
    Utf8WithMark,
    /// UTF-8 whose lines were folded inside a character; the folds were moved
    /// in front of it.
    Utf8SplitByFolds,
    /// Another charset, named by a byte order mark or by the caller.
    Declared(&'static str),
    /// Not UTF-8 and nothing says what: read as this single-byte charset, in
    /// which every byte means something.
    Assumed(&'static str),
}

impl Charset {
    /// Its name.
    pub fn name(self) -> &'static str {
        match self {
            Self::Utf8 | Self::Utf8WithMark | Self::Utf8SplitByFolds => "UTF-8",
            Self::Declared(name) | Self::Assumed(name) => name,
        }
    }
}

/// Why a text cannot be written in a charset.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum EncodeError {
    /// Nobody knows the charset.
    #[error("`{label}` is not a charset; write one such as utf-8, utf-8-bom or windows-1252")]
    Unknown {
        /// The label as given.
        label: String,
    },
    /// The charset has no sign for something in the text.
    #[error("{charset} has no sign for `{sign}`, which stands in line {line} of the output; utf-8 has")]
    NoSign {
        /// The charset.
        charset: &'static str,
        /// The first sign that it has not.
        sign: char,
        /// The line of the output.
        line: usize,
    },
}

/// More bytes than this tell no more about a charset.
const ENOUGH_TO_DETECT: usize = 1 << 20;

/// A source as text, and how it was read.
#[derive(Debug)]
#[non_exhaustive]
pub struct Decoded<'a> {
    /// The text, borrowed where the bytes were UTF-8.
    pub text: Cow<'a, str>,
    /// How the bytes were read.
    pub charset: Charset,
    /// How the lines ended before they were decoded.
    pub line_ends: LineEnds,
}

/// How the lines of a source end.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum LineEnds {
    /// With line feeds, with or without carriage returns.
    #[default]
    WithFeeds,
    /// With carriage returns and no line feed anywhere.
    ReturnsAlone,
}

/// Decodes a source, finding its charset by looking at the bytes.
///
/// Line ends of old systems, a lone CR, become LF where a source has no other
/// line ends: so every line keeps its number, and readers meet two kinds only.
pub fn decode(bytes: &[u8]) -> Decoded<'_> {
    with_line_feeds(decode_lines(bytes))
}

fn with_line_feeds(decoded: Decoded<'_>) -> Decoded<'_> {
    let text = decoded.text.as_bytes();
    if memchr(b'\n', text).is_some() || memchr(b'\r', text).is_none() {
        return decoded;
    }
    let text = Cow::Owned(decoded.text.replace('\r', "\n"));
    Decoded { text, line_ends: LineEnds::ReturnsAlone, ..decoded }
}

fn decode_lines(bytes: &[u8]) -> Decoded<'_> {
    if let Some((encoding, mark)) = Encoding::for_bom(bytes) {
        if encoding != UTF_8 {
            return decode_with(bytes, encoding, Charset::Declared(encoding.name()));
        }
        let marked = decode_unmarked(&bytes[mark..]);
        let charset = match marked.charset {
            Charset::Utf8 => Charset::Utf8WithMark,
            other => other,
        };
        return Decoded { charset, ..marked };
    }
    decode_unmarked(bytes)
}

/// Decodes a source in a charset that the caller names, such as
/// `windows-1252`, by the labels of the WHATWG Encoding Standard. `None` when
/// the label is not one of those.
pub fn decode_as<'a>(bytes: &'a [u8], label: &str) -> Option<Decoded<'a>> {
    let encoding = Encoding::for_label(label.as_bytes())?;
    Some(if encoding == UTF_8 {
        decode(bytes)
    } else {
        with_line_feeds(decode_with(bytes, encoding, Charset::Declared(encoding.name())))
    })
}

fn decode_unmarked(bytes: &[u8]) -> Decoded<'_> {
    // As the standard library would tell, in a third of the time.
    if let Some(text) = UTF_8.decode_without_bom_handling_and_without_replacement(bytes) {
        return Decoded { text, charset: Charset::Utf8, line_ends: LineEnds::default() };
    }
    if let Some(encoding) = utf16_without_mark(bytes) {
        return decode_with(bytes, encoding, Charset::Declared(encoding.name()));
    }
    if let Ok(text) = String::from_utf8(move_folds_out_of_characters(bytes)) {
        let text = Cow::Owned(text);
        return Decoded { text, charset: Charset::Utf8SplitByFolds, line_ends: LineEnds::default() };
    }
    let mut detector = EncodingDetector::new(Iso2022JpDetection::Deny);
    detector.feed(&bytes[..bytes.len().min(ENOUGH_TO_DETECT)], true);
    let guess = detector.guess(None, Utf8Detection::Deny);
    decode_with(bytes, guess, Charset::Assumed(guess.name()))
}

/// Text in a charset that a reader asks for, such as `windows-1252` or
/// `utf-16le`, by the labels of the WHATWG Encoding Standard; `utf-8-bom` is
/// UTF-8 behind a byte order mark, by which spreadsheets know it.
pub fn encode(text: &str, label: &str) -> Result<Vec<u8>, EncodeError> {
    if label.eq_ignore_ascii_case("utf-8-bom") {
        return Ok([b"\xEF\xBB\xBF", text.as_bytes()].concat());
    }
    let encoding = Encoding::for_label(label.as_bytes())
        .ok_or_else(|| EncodeError::Unknown { label: label.to_owned() })?;
    let marked = std::iter::once('\u{feff}').chain(text.chars());
    let mut unit = [0; 2];
    if encoding == UTF_16LE {
        let units = marked.flat_map(|char| char.encode_utf16(&mut unit).to_vec());
        return Ok(units.flat_map(u16::to_le_bytes).collect());
    }
    if encoding == UTF_16BE {
        let units = marked.flat_map(|char| char.encode_utf16(&mut unit).to_vec());
        return Ok(units.flat_map(u16::to_be_bytes).collect());
    }
    let (bytes, _, has_unmappable) = encoding.encode(text);
    if !has_unmappable {
        return Ok(bytes.into_owned());
    }
    let has_no_sign = |char: &char| encoding.encode(char.encode_utf8(&mut [0; 4])).2;
    let sign = text.chars().find(has_no_sign).unwrap_or(char::REPLACEMENT_CHARACTER);
    let line = text.split('\n').position(|line| line.contains(sign)).unwrap_or(0) + 1;
    Err(EncodeError::NoSign { charset: encoding.name(), sign, line })
}

fn decode_with<'a>(bytes: &'a [u8], encoding: &'static Encoding, charset: Charset) -> Decoded<'a> {
    let (text, _, _) = encoding.decode(bytes);
    Decoded { text, charset, line_ends: LineEnds::default() }
}

/// An export in UTF-16 without its mark still starts with an ASCII letter,
/// that is with one zero byte in two.
fn utf16_without_mark(bytes: &[u8]) -> Option<&'static Encoding> {
    match bytes {
        [0, 1..=127, 0, 1..=127, ..] => Some(UTF_16BE),
        [1..=127, 0, 1..=127, 0, ..] => Some(UTF_16LE),
        _ => None,
    }
}

/// Some systems fold at 75 octets without looking, and so split a character
/// in two. Moving the fold in front of the character keeps every line number.
fn move_folds_out_of_characters(bytes: &[u8]) -> Vec<u8> {
    let mut out: Vec<u8> = Vec::with_capacity(bytes.len());
    let mut from = 0;
    for at in memmem::find_iter(bytes, b"\n ") {
        let after = at + 2;
        let fold = if at > from && bytes[at - 1] == b'\r' { at - 1 } else { at };
        let splits = bytes.get(after).is_some_and(|byte| byte & 0xC0 == 0x80);
        if !splits || fold < from {
            continue;
        }
        out.extend_from_slice(&bytes[from..fold]);
        let lead = out.iter().rposition(|byte| byte & 0xC0 != 0x80).unwrap_or(out.len());
        let started = out.split_off(lead);
        out.extend_from_slice(&bytes[fold..after]);
        out.extend_from_slice(&started);
        from = after;
    }
    out.extend_from_slice(&bytes[from..]);
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn finds_the_charset_by_the_bytes() {
        let rows: [(&str, &[u8], &str, Charset); 8] = [
            ("old line ends", b"a\rb\r", "a\nb\n", Charset::Utf8),
            ("plain", "Hållö".as_bytes(), "Hållö", Charset::Utf8),
            ("mark", b"\xEF\xBB\xBFabc", "abc", Charset::Utf8WithMark),
            ("utf-16 le", b"\xFF\xFEB\0\xE5\0", "Bå", Charset::Declared("UTF-16LE")),
            ("utf-16 be", b"\xFE\xFF\0B\0\xE5", "Bå", Charset::Declared("UTF-16BE")),
            ("utf-16, no mark", b"B\0E\0\xE5\0\xE9\xD8", "BEå\u{fffd}", Charset::Declared("UTF-16LE")),
            ("single byte", b"H\xE5ll\xF6", "Hållö", Charset::Assumed("windows-1252")),
            ("split", b"a\xC3\r\n \xA5b", "a\r\n åb", Charset::Utf8SplitByFolds),
        ];
        for (name, bytes, text, charset) in rows {
            let decoded = decode(bytes);
            assert_eq!((&*decoded.text, decoded.charset), (text, charset), "{name}");
        }
    }

    #[test]
    fn text_is_written_in_the_charset_asked_for() {
        for label in ["windows-1252", "utf-16le", "utf-16be", "utf-8-bom", "utf-8"] {
            assert_eq!(
                decode(&encode("Hållö kaj 2 öppen", label).unwrap()).text,
                "Hållö kaj 2 öppen",
                "{label}"
            );
        }
        let error = |text, label| encode(text, label).unwrap_err().to_string();
        insta::assert_snapshot!(error("a\nb ✓", "windows-1252"), @"windows-1252 has no sign for `✓`, which stands in line 2 of the output; utf-8 has");
        insta::assert_snapshot!(error("", "latin-99"), @"`latin-99` is not a charset; write one such as utf-8, utf-8-bom or windows-1252");
    }

    #[test]
    fn a_named_charset_wins_over_the_look_of_the_bytes() {
        let decoded = decode_as(b"H\xE5ll\xF6", "iso-8859-1").unwrap();
        assert_eq!(decoded.text, "Hållö");
        assert!(decode_as(b"", "no-such-charset").is_none());
    }
}
