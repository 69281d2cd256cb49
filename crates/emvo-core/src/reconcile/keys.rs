//! What occurrences are paired by: ids, titles as they are and as a charset left
//! them, times.

use std::borrow::Cow;

use hashbrown::HashMap;

use super::event_fields::{looks_misread, replaced};
use super::habits::Habits;
use super::record::Record;
use super::records::{Records, Role};
use crate::identity::Moment;

/// Fewer letters than this say nothing about a title.
const LEAST_LETTERS: usize = 3;
/// Most cuts leave at least this number of letters of a title, and so many are
/// enough to know it by at another time.
const FIRST_LETTERS: usize = 10;

/// An id, a title, a start and an end, as far as they are asked for.
pub(super) type Key<'r> = (&'r str, Cow<'r, str>, Option<&'r Moment>, Option<&'r Moment>);

pub(super) fn same_id_words_and_times<'r>(records: &'r Records<'_, '_>, at: usize) -> Option<Key<'r>> {
    let uid = records.uid(at);
    let Record { start, end, .. } = &records.list[at];
    (!uid.is_empty()).then(|| (uid, title(records, at), Some(start), Some(end)))
}

pub(super) fn same_words_and_times<'r>(records: &'r Records<'_, '_>, at: usize) -> Key<'r> {
    let Record { start, end, .. } = &records.list[at];
    ("", title(records, at), Some(start), Some(end))
}

pub(super) fn same_times<'r>(records: &'r Records<'_, '_>, at: usize) -> Key<'r> {
    let Record { start, end, .. } = &records.list[at];
    ("", Cow::default(), Some(start), Some(end))
}

pub(super) fn title<'r>(records: &'r Records<'_, '_>, at: usize) -> Cow<'r, str> {
    Cow::Borrowed(&*records.fields(at).title)
}

/// The first letters of a title, which one that was cut still has.
pub(super) fn first_letters<'r>(records: &'r Records<'_, '_>, at: usize) -> Option<Cow<'r, str>> {
    let letters = records.fields(at).letters();
    let (end, _) = letters.char_indices().nth(FIRST_LETTERS - 1)?;
    let end = letters[end..].chars().next().map_or(end, |char| end + char.len_utf8());
    Some(Cow::Borrowed(&letters[..end]))
}

pub(super) fn first_letters_and_times<'r>(records: &'r Records<'_, '_>, at: usize) -> Option<Key<'r>> {
    let Record { start, end, .. } = &records.list[at];
    Some(("", first_letters(records, at)?, Some(start), Some(end)))
}

/// What is left of a title that a charset broke.
#[derive(Clone, Copy)]
pub(super) enum TitleForm {
    /// UTF-8 that was read as another charset, undone.
    Undone,
    /// Letters outside ASCII became question marks.
    Replaced,
    /// Letters outside ASCII are gone.
    Dropped,
}

pub(super) const TITLE_FORMS: [TitleForm; 3] = [TitleForm::Undone, TitleForm::Replaced, TitleForm::Dropped];

impl TitleForm {
    /// The title in this form; `None` if there is none, or too little of it.
    pub(super) fn of<'r>(self, records: &'r Records<'_, '_>, at: usize) -> Option<Cow<'r, str>> {
        let title = &*records.fields(at).title;
        match self {
            Self::Undone => Some(records.fields(at).title_undone()).filter(|title| !title.is_empty()),
            // Titles that merely have as many words in another script are others.
            Self::Replaced => {
                let may_be = match records.role {
                    Role::Source => !title.is_ascii(),
                    Role::Result => title.contains(['?', '\u{fffd}']) || looks_misread(title),
                };
                may_be.then(|| Cow::Owned(replaced(title)))
            }
            Self::Dropped => {
                let may_be = title.is_ascii() == (records.role == Role::Result);
                let letters: String = title.chars().filter(char::is_ascii_alphanumeric).collect();
                (may_be && letters.len() >= LEAST_LETTERS).then_some(Cow::Owned(letters))
            }
        }
    }

    pub(super) fn with_times<'r>(self, records: &'r Records<'_, '_>, at: usize) -> Option<Key<'r>> {
        let Record { start, end, .. } = &records.list[at];
        Some(("", self.of(records, at)?, Some(start), Some(end)))
    }
}

/// The sources by their words and times, to find those that a result unites.
pub(super) struct United<'r> {
    pub(super) by_words: HashMap<Key<'r>, Vec<usize>>,
    pub(super) habits: Habits<'r>,
}

impl<'r> United<'r> {
    pub(super) fn of(records: &'r Records<'_, '_>) -> Self {
        let mut by_words: HashMap<Key<'r>, Vec<usize>> = HashMap::new();
        for at in 0..records.list.len() {
            by_words.entry(same_words_and_times(records, at)).or_default().push(at);
        }
        Self { by_words, habits: Habits::of(records.sides) }
    }
}
