//! Words for people: styles, numbers, and titles made harmless.

pub(crate) use emvo_core::words::grouped;

use std::fmt::Display;
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

/// Texts come from strangers: control characters are shown, not obeyed.
pub(crate) fn sanitized(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for char in text.chars() {
        match char {
            '\n' => out.push_str("\\n"),
            '\t' => out.push(' '),
            control if control.is_control() => out.extend(control.escape_unicode()),
            other => out.push(other),
        }
    }
    out
}

/// The width of the terminal that the answer goes to, in columns; `None` where
/// nobody looks at a terminal.
pub(crate) fn terminal_width() -> Option<usize> {
    let size = terminal_size::terminal_size().filter(|_| io::stdout().is_terminal());
    size.map(|(width, _)| usize::from(width.0))
}

/// A line behind `first`, continued behind `next` where the terminal is too narrow
/// for it. Nothing is broken where nobody looks at a terminal.
pub(crate) fn wrapped(first: &str, next: &str, line: &str) -> String {
    let Some(width) = terminal_width().filter(|width| *width >= 40) else {
        return format!("{first}{line}");
    };
    let options = textwrap::Options::new(width - 1)
        .initial_indent(first)
        .subsequent_indent(next)
        .break_words(false)
        .word_splitter(textwrap::WordSplitter::NoHyphenation);
    textwrap::fill(line, options)
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
    }
}
