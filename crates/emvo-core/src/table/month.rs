//! Names of months.

use std::sync::LazyLock;

static NAMES: LazyLock<Vec<(i16, &'static str)>> = LazyLock::new(|| {
    let lines = include_str!("data/months.tsv").lines().filter(|line| !line.starts_with('#'));
    let rows = lines.filter_map(|line| line.split_once('\t'));
    rows.filter_map(|(number, names)| Some((number.parse().ok()?, names)))
        .flat_map(|(number, names): (i16, &str)| names.split('|').map(move |name| (number, name)))
        .collect()
});

/// Fewer letters name no month.
const SHORTEST: usize = 3;

/// The month that a word names, whole or shortened.
pub(super) fn month_of(word: &str) -> Option<i16> {
    let word = word.trim_end_matches('.').to_lowercase();
    if word.chars().count() < SHORTEST {
        return None;
    }
    let whole = NAMES.iter().find(|(_, name)| *name == word);
    let named = whole.or_else(|| NAMES.iter().find(|(_, name)| name.starts_with(&word)));
    named.map(|(number, _)| *number)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn months_are_known_in_six_languages_and_short_forms() {
        for (word, month) in [
            ("Sept.", 9),
            ("sept", 9),
            ("MAJ", 5),
            ("marraskuuta", 11),
            ("mar", 3),
            ("marras", 11),
            ("märz", 3),
            ("août", 8),
            ("juin", 6),
            ("juil.", 7),
            ("déc", 12),
            ("dez", 12),
            ("ene", 1),
            ("abr", 4),
            ("joulukuu", 12),
        ] {
            assert_eq!(month_of(word), Some(month), "{word}");
        }
        for word in ["", "ma", "martes", "mardi", "maanantai", "sunday", "of"] {
            assert_eq!(month_of(word), None, "{word}");
        }
    }
}
