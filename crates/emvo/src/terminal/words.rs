//! Words for people: styles, numbers, and titles made harmless.

pub(crate) use emvo_core::words::grouped;

use std::borrow::Cow;
use std::fmt::{Display, Write as _};
use std::io::{self, IsTerminal};

use anstyle::{AnsiColor, Style};

pub(crate) const ERROR: Style = AnsiColor::Red.on_default().bold();
pub(crate) const WARNING: Style = AnsiColor::Yellow.on_default();
pub(crate) const GOOD: Style = AnsiColor::Green.on_default().bold();
pub(crate) const STRONG: Style = Style::new().bold();
pub(crate) const DIM: Style = Style::new().dimmed();

/// Text in a style, for a stream that drops styles where nobody sees them.
pub(crate) fn styled(style: Style, text: impl Display) -> String {
    format!("{style}{text}{style:#}")
}

/// Whether a character turns the direction of a text round, or has no width: whoever
/// reads the text would see another one than there is. Joiners stay, which make one
/// letter or one picture of several.
fn is_hidden(char: char) -> bool {
    matches!(char, '\u{200b}' | '\u{200e}' | '\u{200f}' | '\u{061c}' | '\u{feff}'
        | '\u{2028}'..='\u{202e}' | '\u{2060}'..='\u{2069}')
}

/// Texts come from strangers: control characters are shown, not obeyed.
pub(crate) fn sanitized(text: &str) -> String {
    if obeyed_in(text).is_none() && !text.contains(['\n', '\t']) {
        return text.to_owned();
    }
    let mut out = String::with_capacity(text.len());
    for char in text.chars() {
        match char {
            '\n' => out.push_str("\\n"),
            '\t' => out.push(' '),
            char if is_obeyed(char) => out.extend(char.escape_unicode()),
            other => out.push(other),
        }
    }
    out
}

/// What a terminal does something with instead of showing it.
fn is_obeyed(char: char) -> bool {
    (char.is_control() && !matches!(char, '\n' | '\t')) || is_hidden(char)
}

/// Whether a character that a terminal obeys may begin with this byte.
const fn may_be_obeyed(byte: u8) -> bool {
    match byte {
        b'\n' | b'\t' => false,
        // U+0080 to U+009F; U+061C; U+200B to U+2069; U+FEFF.
        0..b' ' | 0x7f | 0xc2 | 0xd8 | 0xe2 | 0xef => true,
        _ => false,
    }
}

/// Where the first character stands that a terminal obeys. Most texts have none that begins as
/// one of them does, which is seen without reading a character, many bytes at a time.
fn obeyed_in(text: &str) -> Option<usize> {
    const AT_ONCE: usize = 32;
    let bytes = text.as_bytes();
    for (block, some) in bytes.chunks(AT_ONCE).enumerate() {
        if !some.iter().fold(false, |any, byte| any | may_be_obeyed(*byte)) {
            continue;
        }
        // A byte with which one of these begins is never one inside a character.
        let may_begin = |(_, byte): &(usize, &u8)| may_be_obeyed(**byte);
        for (at, _) in some.iter().enumerate().filter(may_begin) {
            let at = block * AT_ONCE + at;
            if text[at..].chars().next().is_some_and(is_obeyed) {
                return Some(at);
            }
        }
    }
    None
}

/// A JSON document with what a terminal would obey escaped; such characters stand in its
/// texts alone, and have four digits all of them.
pub(super) fn json_escaped(document: &str) -> String {
    let mut out = String::with_capacity(document.len());
    for char in document.chars() {
        if is_obeyed(char) {
            // Writing into a string cannot fail.
            let _ = write!(out, "\\u{:04x}", u32::from(char));
        } else {
            out.push(char);
        }
    }
    out
}

/// A whole text of ours with the parts of strangers in it, as it goes to a terminal: what
/// is sanitized already stays, and so do our styles and line ends. Whatever else a terminal
/// would obey, wherever it got in, is shown.
pub(super) fn harmless(text: &str) -> Cow<'_, str> {
    if obeyed_in(text).is_none() {
        return Cow::Borrowed(text);
    }
    let mut out = String::with_capacity(text.len() + 16);
    let mut rest = text;
    while let Some(at) = obeyed_in(rest) {
        out.push_str(&rest[..at]);
        rest = &rest[at..];
        let style = style_in(rest);
        if style > 0 {
            out.push_str(&rest[..style]);
            rest = &rest[style..];
        } else {
            let char = rest.chars().next().unwrap_or_default();
            out.extend(char.escape_unicode());
            rest = &rest[char.len_utf8()..];
        }
    }
    out.push_str(rest);
    Cow::Owned(out)
}

/// The length of a style that a text begins with: `ESC [`, numbers, `m`.
fn style_in(text: &str) -> usize {
    let Some(rest) = text.strip_prefix("\u{1b}[") else { return 0 };
    let numbers = rest.bytes().take_while(|byte| byte.is_ascii_digit() || *byte == b';').count();
    if rest.as_bytes().get(numbers) == Some(&b'm') { 2 + numbers + 1 } else { 0 }
}

/// The height of the terminal that the answer goes to, in lines.
pub(super) fn terminal_height() -> Option<usize> {
    let size = terminal_size::terminal_size().filter(|_| io::stdout().is_terminal());
    size.map(|(_, height)| usize::from(height.0))
}

/// The width of the terminal that the answer goes to, in columns; `None` where
/// nobody looks at a terminal.
pub(crate) fn terminal_width() -> Option<usize> {
    let size = terminal_size::terminal_size().filter(|_| io::stdout().is_terminal());
    size.map(|(width, _)| usize::from(width.0))
}

/// Fewer columns than this are no terminal that anybody reads in.
const NARROWEST: usize = 40;

/// A line behind `first`, continued behind `next` where the terminal is too narrow
/// for it. Nothing is broken where nobody looks at a terminal.
pub(crate) fn wrapped(first: &str, next: &str, line: &str) -> String {
    let Some(width) = terminal_width().filter(|width| *width >= NARROWEST) else {
        return format!("{first}{line}");
    };
    textwrap::fill(line, options(width).initial_indent(first).subsequent_indent(next))
}

/// Broken at blanks alone: a date, a zone or a path is one word.
fn options<'w>(width: usize) -> textwrap::Options<'w> {
    textwrap::Options::new(width - 1)
        .break_words(false)
        .word_separator(textwrap::WordSeparator::AsciiSpace)
        .word_splitter(textwrap::WordSplitter::NoHyphenation)
}

/// A text as the terminal has room for it: what is too long goes on in the next line,
/// under the first word behind its mark.
pub(crate) fn fitted(text: &str) -> Cow<'_, str> {
    match terminal_width().filter(|width| *width >= NARROWEST) {
        Some(width) => Cow::Owned(fitted_to(text, width)),
        None => Cow::Borrowed(text),
    }
}

fn fitted_to(text: &str, width: usize) -> String {
    let mut out = String::with_capacity(text.len());
    for line in text.split_inclusive('\n') {
        let (line, end) = line.strip_suffix('\n').map_or((line, ""), |line| (line, "\n"));
        if textwrap::core::display_width(line) <= width {
            out.push_str(line);
        } else {
            let indent = " ".repeat(hang_of(&anstream::adapter::strip_str(line).to_string()));
            out.push_str(&textwrap::fill(line, options(width).subsequent_indent(&indent)));
        }
        out.push_str(end);
    }
    out
}

/// Where a line's words begin: behind the blanks in front of it, and its mark.
fn hang_of(line: &str) -> usize {
    let blanks = line.chars().take_while(|char| *char == ' ').count();
    let (mark, _) = line[blanks..].split_once(' ').unwrap_or_default();
    let is_mark = matches!(mark, "!" | "✗" | "·" | "→" | "-" | "$")
        || mark.strip_suffix('.').is_some_and(|number| number.parse::<u8>().is_ok());
    blanks + if is_mark { mark.chars().count() + 1 } else { 2 }
}

/// `1 event`, `1,204 events`.
pub(crate) fn counted(count: usize, one: &str, many: &str) -> String {
    format!("{} {}", grouped(count), if count == 1 { one } else { many })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_grouped_and_control_characters_shown() {
        assert_eq!(
            (grouped(7), grouped(1204), grouped(1_000_000)),
            ("7".into(), "1,204".into(), "1,000,000".into())
        );
        assert_eq!(counted(1, "event", "events"), "1 event");
        assert_eq!(sanitized("a\u{1b}[31mb\nc"), "a\\u{1b}[31mb\\nc");
        assert_eq!(sanitized("Watch\u{202e}sci.exe\u{200b}"), "Watch\\u{202e}sci.exe\\u{200b}");
        assert_eq!(sanitized("👩\u{200d}✈\u{fe0f}"), "👩\u{200d}✈\u{fe0f}");
    }

    #[test]
    fn a_character_that_is_obeyed_is_found_by_its_first_byte() {
        for char in '\0'..=char::MAX {
            let text = format!("{}å–{char}é", "x".repeat(usize::try_from(u32::from(char) % 40).unwrap()));
            assert_eq!(obeyed_in(&text), text.find(is_obeyed), "{char:?}");
            if is_obeyed(char) {
                assert!(may_be_obeyed(text.as_bytes()[text.find(char).unwrap()]), "{char:?}");
            }
        }
    }

    #[test]
    fn a_terminal_obeys_styles_and_nothing_else() {
        let styled = styled(WARNING, "!") + " a\n\tb\n";
        assert!(matches!(harmless(&styled), Cow::Borrowed(_)) || harmless(&styled) == styled, "{styled:?}");
        for (text, shown) in [
            ("\u{1b}]0;title\u{7}x", "\\u{1b}]0;title\\u{7}x"),
            ("\u{1b}[2Jx", "\\u{1b}[2Jx"),
            ("\u{9b}31mx", "\\u{9b}31mx"),
            ("a\rb\u{202e}c\u{7f}", "a\\u{d}b\\u{202e}c\\u{7f}"),
            ("ends with \u{1b}[", "ends with \\u{1b}["),
        ] {
            assert_eq!(harmless(text), shown);
        }
    }

    #[test]
    fn long_lines_go_on_under_their_first_word() {
        let line =
            styled(WARNING, "!") + " exports/skarvik/calendar.ics is the same file as 2026-10-05\nshort\n";
        let shown = anstream::adapter::strip_str(&fitted_to(&line, 45)).to_string();
        assert_eq!(shown, "! exports/skarvik/calendar.ics is the same\n  file as 2026-10-05\nshort\n");
        let shown = fitted_to("     12  the same event under another id, and more\n", 40);
        assert_eq!(shown, "     12  the same event under another\n       id, and more\n");
        for width in [40, 60, 80, 120] {
            let text = "a ".repeat(200) + "Europe/Helsinki\n";
            assert!(fitted_to(&text, width).lines().all(|line| line.len() < width), "{width}");
        }
    }
}
