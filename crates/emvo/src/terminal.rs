//! Text for people: colours, tables, numbers, and titles made harmless.

use std::fmt::{self, Display};
use std::io::{self, IsTerminal, Write};
use std::sync::OnceLock;

use anyhow::Context;

use anstyle::{AnsiColor, Style};
use comfy_table::presets;
use comfy_table::{Cell, CellAlignment, ContentArrangement, Table};

use crate::progress;

pub(crate) const ERROR: Style = AnsiColor::Red.on_default().bold();
pub(crate) const WARNING: Style = AnsiColor::Yellow.on_default();
pub(crate) const GOOD: Style = AnsiColor::Green.on_default().bold();
pub(crate) const STRONG: Style = Style::new().bold();
pub(crate) const DIM: Style = Style::new().dimmed();

/// Why something could not be printed.
static UNSAID: OnceLock<io::Error> = OnceLock::new();

/// Prints an answer to standard output.
macro_rules! say {
    ($($words:tt)*) => { $crate::terminal::say(format_args!($($words)*)) };
}

/// Prints a line of an answer to standard output.
macro_rules! say_line {
    ($($words:tt)*) => { say!("{}\n", format_args!($($words)*)) };
}

/// Prints; a failure is told at the end, by [`ensure_said`]. Somebody who stops
/// listening, as `head` does, is no failure.
pub(crate) fn say(words: fmt::Arguments<'_>) {
    progress::end();
    if let Err(error) = anstream::stdout().write_fmt(words)
        && error.kind() != io::ErrorKind::BrokenPipe
    {
        // The first failure tells enough.
        let _ = UNSAID.set(error);
    }
}

/// Prints a warning to standard error. What it quotes may come from strangers.
pub(crate) fn warn(line: &str) {
    progress::end();
    anstream::eprintln!("{} {}", styled(WARNING, "!"), sanitized(line));
}

/// Whether all answers could be printed.
pub(crate) fn ensure_said() -> anyhow::Result<()> {
    let flushed = io::stdout().flush().map_err(|error| error.kind());
    let unsaid = UNSAID.get().map(ToString::to_string);
    let late = flushed.err().filter(|kind| *kind != io::ErrorKind::BrokenPipe).map(|kind| kind.to_string());
    match unsaid.or(late) {
        None => Ok(()),
        Some(why) => Err(anyhow::anyhow!(why))
            .context("the answer could not be printed; files that were named are written"),
    }
}

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

/// A line behind `first`, continued behind `next` where the terminal is too narrow
/// for it. Nothing is broken where nobody looks at a terminal.
pub(crate) fn wrapped(first: &str, next: &str, line: &str) -> String {
    let width = terminal_size::terminal_size().map(|(width, _)| usize::from(width.0));
    let Some(width) = width.filter(|width| *width >= 40 && io::stdout().is_terminal()) else {
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

/// `1,204`.
pub(crate) fn grouped(number: usize) -> String {
    let digits = number.to_string();
    let mut out = String::with_capacity(digits.len() + digits.len() / 3);
    for (at, digit) in digits.chars().enumerate() {
        if at > 0 && (digits.len() - at).is_multiple_of(3) {
            out.push(',');
        }
        out.push(digit);
    }
    out
}

/// A column of a table: its header, and which way its cells lean.
#[derive(Clone, Copy)]
pub(crate) enum Column {
    Text(&'static str),
    Number(&'static str),
}

/// Rows under headers, without lines around them.
pub(crate) struct Grid {
    table: Table,
}

impl Grid {
    pub(crate) fn new(columns: &[Column]) -> Self {
        let mut table = Table::new();
        table.load_style(presets::NOTHING).set_content_arrangement(ContentArrangement::Dynamic);
        if !table.is_tty() {
            table.set_width(160);
        }
        table.set_header(columns.iter().map(|column| match column {
            Column::Text(header) => Cell::new(header),
            Column::Number(header) => Cell::new(header).set_alignment(CellAlignment::Right),
        }));
        for (at, column) in columns.iter().enumerate() {
            let Some(cells) = table.column_mut(at) else { continue };
            cells.set_padding((0, 2));
            if let Column::Number(_) = column {
                cells.set_cell_alignment(CellAlignment::Right);
            }
        }
        Self { table }
    }

    pub(crate) fn row(&mut self, cells: impl IntoIterator<Item = String>) {
        self.table.add_row(cells.into_iter().map(|cell| sanitized(&cell)));
    }

    /// The rows, the header dimmed.
    pub(crate) fn show(&self) -> String {
        let text = self.table.trim_fmt();
        match text.split_once('\n') {
            Some((header, rows)) => format!("{}\n{rows}", styled(DIM, header)),
            None => styled(DIM, text),
        }
    }
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
