//! Names of weekdays, and what contradicts a date (rule C11).

use std::sync::LazyLock;

use hashbrown::HashMap;
use jiff::civil::{Date, Weekday};

static NAMES: LazyLock<HashMap<&'static str, Weekday>> = LazyLock::new(|| {
    let lines = include_str!("data/weekdays.tsv").lines().filter(|line| !line.starts_with('#'));
    let rows = lines.filter_map(|line| line.split_once('\t'));
    let days = rows.filter_map(|(number, names)| {
        Some((Weekday::from_monday_one_offset(number.parse().ok()?).ok()?, names))
    });
    days.flat_map(|(day, names)| names.split('|').map(move |name| (name, day))).collect()
});

/// Longer than the longest name.
const LONGEST: usize = 20;

/// The weekday that a word names.
pub(super) fn weekday_of(word: &str) -> Option<Weekday> {
    if word.len() > LONGEST {
        return None;
    }
    NAMES.get(word.trim().trim_end_matches(['.', ',']).to_lowercase().as_str()).copied()
}

/// The weekday that a cell has in front of a date, if it is another one than the date's.
pub(super) fn contradicted(cell: &str, date: Date) -> Option<&str> {
    // The way most dates go: no word in front.
    if cell.as_bytes().first()?.is_ascii_digit() {
        return None;
    }
    let word = cell.trim().split([' ', ',']).next()?;
    weekday_of(word).filter(|day| *day != date.weekday()).map(|_| word)
}

/// The weekdays that a text names in full, with the words. Short forms are also other
/// words: the sun deck, a mar.
pub(crate) fn weekdays_named(text: &str) -> Vec<(&str, Weekday)> {
    if text.is_ascii() {
        let words = text.as_bytes().split(|byte| !byte.is_ascii_alphabetic() && *byte != b'-');
        let may_be = words.filter(|word| word.len() >= SHORTEST_IN_FULL && BEGINNINGS.may_be_of(word));
        let full = may_be.filter_map(|word| str::from_utf8(word).ok());
        return full.filter_map(|word| Some((word, weekday_of(word)?))).collect();
    }
    let words = text.split(|char: char| !char.is_alphabetic() && char != '-');
    let full = words.filter(|word| word.chars().count() >= SHORTEST_IN_FULL);
    full.filter_map(|word| Some((word, weekday_of(word)?))).collect()
}

/// The first three letters of the names that are written in ASCII, as one bit each, in any
/// case: most words of a title begin otherwise.
struct Beginnings([u64; 512]);

static BEGINNINGS: LazyLock<Beginnings> = LazyLock::new(|| {
    let mut bits = [0; 512];
    for name in NAMES.keys().filter(|name| name.is_ascii()) {
        if let Some((word, bit)) = Beginnings::place(name.as_bytes()) {
            bits[word] |= bit;
        }
    }
    Beginnings(bits)
});

impl Beginnings {
    /// The lowest five bits of a letter are the same in either case.
    fn place(word: &[u8]) -> Option<(usize, u64)> {
        let [one, two, three, ..] = *word else { return None };
        let letters = [one, two, three].map(|letter| usize::from(letter & 0x1f));
        Some((letters[0] << 4 | letters[1] >> 1, 1 << ((letters[1] & 1) << 5 | letters[2])))
    }

    fn may_be_of(&self, word: &[u8]) -> bool {
        Self::place(word).is_some_and(|(word, bit)| self.0[word] & bit != 0)
    }
}

/// `lundi`, `mardi` and `lunes` are the shortest names in full.
const SHORTEST_IN_FULL: usize = 5;

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn weekdays_are_known_in_many_languages() {
        for (word, day) in [
            ("Mon", Weekday::Monday),
            ("Di.", Weekday::Tuesday),
            ("keskiviikko", Weekday::Wednesday),
            ("TORSDAG", Weekday::Thursday),
            ("sexta-feira", Weekday::Friday),
            ("sobota", Weekday::Saturday),
            ("søn", Weekday::Sunday),
        ] {
            assert_eq!(weekday_of(word), Some(day), "{word}");
        }
        assert_eq!(weekday_of("Sept."), None);
        let monday = Date::constant(2026, 9, 7);
        assert_eq!(contradicted("Mon 7.9.2026", monday), None);
        assert_eq!(contradicted("Tis 7.9.2026", monday), Some("Tis"));
        assert_eq!(contradicted("7.9.2026", monday), None);
    }
}
