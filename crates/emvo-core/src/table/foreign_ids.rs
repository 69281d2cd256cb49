//! Ids of a table that a spreadsheet has taken for numbers, found by those of another
//! source (rule C12).
//!
//! ```text
//! crew.ics    0042                 20260909123456789
//! plan.csv    42                   20260909123456700
//!             its zeros are gone   a spreadsheet keeps 15 digits
//! ```

use std::borrow::Cow;

use hashbrown::HashMap;

use super::notes::{Note, NoteKind};
use crate::identity::normalised;
use emvo_ical::calendar::{Calendar, Series};

/// So many digits of a number a spreadsheet keeps.
const KEPT: usize = 15;

/// Ids that a spreadsheet would damage, by what it keeps of them.
pub struct WholeIds<'c>(HashMap<(usize, String), Vec<Whole<'c>>>);

struct Whole<'c> {
    path: &'c str,
    uid: Cow<'c, str>,
    title: String,
}

impl<'c> WholeIds<'c> {
    /// Those of some calendars, each with the path of its source.
    pub fn of<'a: 'c>(calendars: impl Iterator<Item = (&'c str, &'c Calendar<'a>)>) -> Self {
        let mut whole: HashMap<(usize, String), Vec<Whole<'c>>> = HashMap::new();
        for (path, calendar) in calendars {
            for (uid, series) in numbers(calendar).filter(|(uid, _)| would_be_damaged(uid)) {
                let title = title_of(series);
                whole.entry(kept_of(&uid)).or_default().push(Whole { path, uid, title });
            }
        }
        Self(whole)
    }

    /// The ids of a table, read from `path`, that another source has whole, of an event
    /// with the same title.
    pub fn damaged_in(&self, path: &str, table: &Calendar<'_>) -> Vec<Note> {
        if self.0.is_empty() {
            return Vec::new();
        }
        let damaged = |(uid, series): (Cow<'_, str>, &Series<'_>)| {
            let title = title_of(series);
            let is_it = |whole: &&Whole<'_>| {
                whole.path != path && whole.uid != uid && normalised(&whole.title) == normalised(&title)
            };
            let whole = self.0.get(&kept_of(&uid))?.iter().find(is_it)?;
            let words = format!(
                "the id `{uid}` is `{}` in {}: a spreadsheet has most likely taken it for a number",
                whole.uid, whole.path
            );
            Some(Note { kind: NoteKind::IdDamaged, row: None, title, words })
        };
        numbers(table).filter_map(damaged).collect()
    }
}

/// The series whose ids are digits alone.
fn numbers<'c, 'a: 'c>(calendar: &'c Calendar<'a>) -> impl Iterator<Item = (Cow<'c, str>, &'c Series<'a>)> {
    let all = calendar.series.iter().map(|series| (series.uid_text(), series));
    all.filter(|(uid, _)| is_number(uid))
}

fn title_of(series: &Series<'_>) -> String {
    series.lead().title().unwrap_or_default().into_owned()
}

fn is_number(uid: &str) -> bool {
    !uid.is_empty() && uid.bytes().all(|byte| byte.is_ascii_digit())
}

fn would_be_damaged(uid: &str) -> bool {
    uid.starts_with('0') || uid.len() > KEPT
}

/// What a spreadsheet keeps of a number: how long it is, and its first digits.
fn kept_of(uid: &str) -> (usize, String) {
    let digits = uid.trim_start_matches('0');
    (digits.len(), digits.chars().take(KEPT).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_spreadsheet_keeps_the_length_and_fifteen_digits() {
        for (whole, damaged, is_one) in [
            ("0042", "42", true),
            ("20260909123456789", "20260909123456700", true),
            ("20260909123456789", "20260909123456", false),
            ("0042", "43", false),
        ] {
            assert_eq!(kept_of(whole) == kept_of(damaged), is_one, "{whole} {damaged}");
        }
        assert!(would_be_damaged("007") && !would_be_damaged("7"));
        assert!(is_number("007") && !is_number("7a") && !is_number(""));
    }
}
