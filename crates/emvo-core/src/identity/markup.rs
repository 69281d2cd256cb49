//! Texts with markup around their words.

use super::text::normalised;

/// The words of a text without HTML tags and with its character references
/// resolved, blanks evened out: `<p>Bring the <b>charts</b> &amp; keys</p>` is
/// `Bring the charts & keys`. A `<` that opens no tag stays.
pub fn words_without_markup(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = rest.find(['<', '&']) {
        out.push_str(&rest[..at]);
        rest = &rest[at..];
        let (words, length) = if rest.starts_with('<') { tag(rest) } else { reference(rest) };
        out.push_str(&words);
        rest = &rest[length..];
    }
    out.push_str(rest);
    normalised(&out).into_owned()
}

/// What the tag at the start stands for, and its length in bytes.
fn tag(text: &str) -> (String, usize) {
    let is_tag = text[1..].starts_with(|char: char| char.is_ascii_alphabetic() || matches!(char, '/' | '!'));
    match text.find('>').filter(|_| is_tag) {
        Some(end) => {
            let name: String = text[1..end]
                .trim_start_matches('/')
                .chars()
                .take_while(char::is_ascii_alphanumeric)
                .collect();
            // Tags inside a line part no words.
            let is_inline = ["a", "b", "i", "u", "em", "strong", "span", "font", "small", "sub", "sup"]
                .iter()
                .any(|inline| name.eq_ignore_ascii_case(inline));
            (if is_inline { String::new() } else { " ".to_owned() }, end + 1)
        }
        None => ("<".to_owned(), 1),
    }
}

/// What the character reference at the start stands for, and its length in bytes.
fn reference(text: &str) -> (String, usize) {
    let end = text.find(';').filter(|end| *end <= 10);
    let char = end.and_then(|end| match &text[1..end] {
        "amp" => Some('&'),
        "lt" => Some('<'),
        "gt" => Some('>'),
        "quot" => Some('"'),
        "apos" => Some('\''),
        "nbsp" => Some(' '),
        number => {
            let digits = number.strip_prefix('#')?;
            let code = match digits.strip_prefix(['x', 'X']) {
                Some(hex) => u32::from_str_radix(hex, 16).ok()?,
                None => digits.parse().ok()?,
            };
            char::from_u32(code)
        }
    });
    match (char, end) {
        (Some(char), Some(end)) => (char.to_string(), end + 1),
        _ => ("&".to_owned(), 1),
    }
}

#[cfg(test)]
mod tests {
    use super::words_without_markup;

    #[test]
    fn words_stay_and_markup_goes() {
        for (text, words) in [
            ("<p>Bring the <b>chart</b>s &amp; keys</p>", "Bring the charts & keys"),
            ("One<br>two<BR/>three", "One two three"),
            ("a < b &c &unknown; &#228;&#xE4;", "a < b &c &unknown; ää"),
            ("<html-blob>Two</html-blob>", "Two"),
            ("&nbsp;x&nbsp;", "x"),
            ("plain", "plain"),
            ("ends in <b", "ends in <b"),
        ] {
            assert_eq!(words_without_markup(text), words);
        }
    }
}
