//! Text that was decoded wrongly: UTF-8 that somebody read as Windows-1252.

use encoding_rs::WINDOWS_1252;

/// Decoding went wrong this often at most in any text we know.
const MOST_TIMES: usize = 3;

/// The text as it was, if every sign of it is a byte of Windows-1252, the bytes
/// are UTF-8 with more than ASCII in them, and going wrong again gives exactly
/// this text. Undone as often as it goes.
pub fn undone_mojibake(text: &str) -> Option<String> {
    let mut undone: Option<String> = None;
    for _ in 0..MOST_TIMES {
        match undone_once(undone.as_deref().unwrap_or(text)) {
            Some(better) => undone = Some(better),
            None => break,
        }
    }
    undone
}

fn undone_once(text: &str) -> Option<String> {
    // The way almost all texts go.
    if text.is_ascii() || !text.chars().any(|char| matches!(char, '\u{c2}'..='\u{f4}')) {
        return None;
    }
    let bytes: Vec<u8> = text.chars().map(byte_of).collect::<Option<_>>()?;
    let better = String::from_utf8(bytes).ok()?;
    let has_new_controls = better.chars().any(|char| char.is_control() && !text.contains(char));
    (better.len() < text.len() && !has_new_controls).then_some(better)
}

/// The byte that Windows-1252 has for a sign.
fn byte_of(char: char) -> Option<u8> {
    // Some readers take the bytes that mean nothing there, or all of them, for
    // Latin-1, whose C1 controls no text has.
    if char.is_ascii() || ('\u{80}'..='\u{9f}').contains(&char) {
        return u8::try_from(char).ok();
    }
    let mut buffer = [0; 4];
    let (bytes, _, has_unmappable) = WINDOWS_1252.encode(char.encode_utf8(&mut buffer));
    match (bytes.as_ref(), has_unmappable) {
        ([byte], false) => Some(*byte),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_decoded_wrongly_once_or_twice_comes_back() {
        for (text, meant) in [
            ("MÃ¶te", Some("Möte")),
            ("MÃƒÂ¶te", Some("Möte")),
            ("HÃ¤lsingÃ¶", Some("Hälsingö")),
            ("caf\u{e2}\u{20ac}\u{2122}s", Some("caf’s")),
            ("Möte", None),
            ("Ã", None),
            ("Ã– är en ö", None),
            ("plain", None),
        ] {
            assert_eq!(undone_mojibake(text).as_deref(), meant, "{text}");
        }
    }
}
