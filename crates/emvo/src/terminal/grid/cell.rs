//! The cells of a row, each measured once.

use textwrap::core::display_width;

use crate::terminal::words::sanitized;

/// The cells of a row.
#[derive(Clone, Debug)]
pub(crate) struct GridRow(pub(super) Vec<Cell>);

/// A cell as it may be shown.
#[derive(Clone, Debug)]
pub(super) struct Cell {
    pub(super) text: String,
    /// How many places it takes, if each of its signs takes one: [`plain_width`].
    plain_width: Option<usize>,
}

impl GridRow {
    pub(crate) fn of(cells: impl IntoIterator<Item = String>) -> Self {
        Self(cells.into_iter().map(Cell::of).collect())
    }

    /// What the first cell says.
    pub(crate) fn first(&self) -> &str {
        self.0.first().map_or("", |cell| &cell.text)
    }

    /// Leaves the first cell empty, where it says what the one above it says.
    pub(crate) fn leave_first_empty(&mut self) {
        if let Some(first) = self.0.first_mut() {
            *first = Cell::of(String::new());
        }
    }
}

impl Cell {
    pub(super) fn of(text: String) -> Self {
        let plain_width = plain_width(&text);
        let text = if plain_width.is_some() { text } else { sanitized(&text) };
        Self { text, plain_width }
    }

    /// How many places of a line it takes.
    pub(super) fn width(&self) -> usize {
        self.plain_width.unwrap_or_else(|| display_width(&self.text))
    }

    /// How many places the longest of its words takes.
    pub(super) fn longest_word(&self) -> usize {
        if self.plain_width.is_none() {
            return self.text.split(' ').map(display_width).max().unwrap_or(0);
        }
        let (mut longest, mut word) = (0, 0);
        for char in self.text.chars() {
            word = if char == ' ' { 0 } else { word + 1 };
            longest = longest.max(word);
        }
        longest
    }

    /// How many places a column has left beside it, if there is room for it in one line of it.
    /// Signs that are joined into one are for the table to measure.
    pub(super) fn room_beside(&self, width: usize) -> Option<usize> {
        let is_joined = || self.text.contains(['\u{200d}', '\u{fe0f}']);
        match self.plain_width {
            Some(own) => width.checked_sub(own),
            None if is_joined() => None,
            None => width.checked_sub(display_width(&self.text)),
        }
    }
}

/// How many places a text takes if each of its signs takes one, as of the Latin ones nearly all
/// do, and the dash between two times; `None` where that is for Unicode to say.
fn plain_width(text: &str) -> Option<usize> {
    if text.bytes().fold(true, |all, byte| all & (b' '..=b'~').contains(&byte)) {
        return Some(text.len());
    }
    let takes_one = |char| matches!(char, ' '..='~' | '\u{a1}'..='\u{ac}' | '\u{ae}'..='\u{2ff}' | '–' | '…');
    text.chars().try_fold(0, |width, char| takes_one(char).then_some(width + 1))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_sign_that_is_taken_for_one_place_takes_one_and_is_shown_as_it_is() {
        for char in '\0'..=char::MAX {
            let text = char.to_string();
            if let Some(width) = plain_width(&text) {
                assert_eq!((width, width), (1, display_width(&text)), "{char:?}");
                assert_eq!(sanitized(&text), text);
            }
        }
    }
}
