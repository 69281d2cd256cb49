//! The words of data files: header words, yes and no, plain words for rules.

use hashbrown::{HashMap, HashSet};
use std::sync::LazyLock;

use super::column::ColumnField;

/// How sure a header word is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Sureness {
    /// It may mean the field.
    Likely,
    /// It means the field.
    Sure,
}

static HEADERS: LazyLock<HashMap<String, (ColumnField, Sureness)>> = LazyLock::new(|| {
    let mut words = HashMap::new();
    for [field, sureness, list] in rows(include_str!("data/words.tsv")) {
        let sureness = if sureness == "sure" { Sureness::Sure } else { Sureness::Likely };
        let Some(field) = ColumnField::of_name(field) else { continue };
        for word in list.split('|') {
            words.insert(folded(word), (field, sureness));
        }
    }
    for name in ColumnField::names() {
        words.extend(ColumnField::of_name(name).map(|field| (folded(name), (field, Sureness::Sure))));
    }
    words
});

static REPEATS: LazyLock<HashMap<String, &'static str>> =
    LazyLock::new(|| pairs(include_str!("data/repeats.tsv")));

static ANSWERS: LazyLock<HashMap<String, &'static str>> =
    LazyLock::new(|| pairs(include_str!("data/answers.tsv")));

static STATES: LazyLock<HashMap<String, &'static str>> =
    LazyLock::new(|| pairs(include_str!("data/states.tsv")));

static UNITS: LazyLock<HashMap<String, &'static str>> =
    LazyLock::new(|| pairs(include_str!("data/units.tsv")));

/// The field that a header means, and how sure that is.
pub(super) fn field_of(header: &str) -> Option<(ColumnField, Sureness)> {
    HEADERS.get(&folded(header)).copied()
}

static STAMPS: LazyLock<HashSet<String>> = LazyLock::new(|| {
    let lines = include_str!("data/stamps.tsv").lines().filter(|line| !line.starts_with('#'));
    lines.flat_map(|line| line.split('|')).map(folded).collect()
});

/// Whether a header says that a column tells when somebody wrote the row.
pub(super) fn is_stamp(header: &str) -> bool {
    STAMPS.contains(&folded(header))
}

/// The rule that a plain word means, `Some("")` for never.
pub(super) fn rule_of(cell: &str) -> Option<&'static str> {
    REPEATS.get(&cell.trim().to_lowercase()).copied()
}

/// `yes` or `no`, if a cell says either.
pub(super) fn answer_of(cell: &str) -> Option<&'static str> {
    // The way most cells go: longer than any of the words.
    if cell.len() > 12 {
        return None;
    }
    ANSWERS.get(&cell.trim().to_lowercase()).copied()
}

/// What a cell says about privacy, time taken up or taking place, such as
/// `private`, `free` or `cancelled`.
pub(crate) fn state_of(cell: &str) -> Option<&'static str> {
    if cell.len() > 24 {
        return None;
    }
    STATES.get(&cell.trim().to_lowercase()).copied()
}

/// The seconds that a unit of lengths has, by its word in lower case.
pub(super) fn unit_of(word: &str) -> Option<i64> {
    UNITS.get(word).and_then(|seconds| seconds.parse().ok())
}

/// Words with which a totals line starts.
const TOTALS: [&str; 14] = [
    "total",
    "totals",
    "sum",
    "count",
    "grand total",
    "summa",
    "totalt",
    "antal",
    "yhteensä",
    "summe",
    "gesamt",
    "insgesamt",
    "somme",
    "suma",
];

/// Whether a row that is no event is the totals of those above it.
pub(super) fn is_total<'c>(mut cells: impl Iterator<Item = &'c str>) -> bool {
    let Some(cell) = cells.find(|cell| !cell.trim().is_empty()) else { return false };
    let words = cell.trim().to_lowercase();
    let word = words.trim_end_matches(|char: char| !char.is_alphabetic());
    let first = words.split([':', ' ', '=']).next().unwrap_or_default();
    TOTALS.contains(&word) || TOTALS.contains(&first)
}

fn folded(word: &str) -> String {
    word.chars().filter(|char| char.is_alphanumeric()).flat_map(char::to_lowercase).collect()
}

/// The rows of a data file with `N` columns, without comments.
fn rows<const N: usize>(text: &'static str) -> impl Iterator<Item = [&'static str; N]> {
    let lines = text.lines().filter(|line| !line.starts_with('#'));
    lines.filter_map(|line| line.split('\t').collect::<Vec<_>>().try_into().ok())
}

fn pairs(text: &'static str) -> HashMap<String, &'static str> {
    let of_row =
        |[meaning, list]: [&'static str; 2]| list.split('|').map(move |word| (word.to_owned(), meaning));
    rows(text).flat_map(of_row).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_word_of_the_data_files_stands_there_for_two_things() {
        let mut seen: HashMap<String, &str> = HashMap::new();
        for [field, _, list] in rows(include_str!("data/words.tsv")) {
            assert!(ColumnField::of_name(field).is_some(), "{field}");
            for word in list.split('|') {
                let other = seen.insert(folded(word), field);
                assert!(other.is_none(), "`{word}` means {field} and {other:?}");
            }
        }
        for data in [
            include_str!("data/repeats.tsv"),
            include_str!("data/answers.tsv"),
            include_str!("data/states.tsv"),
            include_str!("data/units.tsv"),
        ] {
            let mut seen: HashMap<&str, &str> = HashMap::new();
            for [meaning, list] in rows(data) {
                for word in list.split('|') {
                    assert_eq!(seen.insert(word, meaning), None, "{word}");
                }
            }
        }
    }

    #[test]
    fn words_are_found_in_any_case_and_language() {
        for (header, field, sureness) in [
            ("Start Date", ColumnField::StartDate, Sureness::Sure),
            ("start_date", ColumnField::StartDate, Sureness::Sure),
            ("SUBJECT", ColumnField::Title, Sureness::Sure),
            (" All-day event ", ColumnField::AllDay, Sureness::Sure),
            ("Alkamispäivä", ColumnField::StartDate, Sureness::Sure),
            ("Ganztägig", ColumnField::AllDay, Sureness::Sure),
            ("Heure de début", ColumnField::StartTime, Sureness::Sure),
            ("Lugar", ColumnField::Location, Sureness::Sure),
            ("Repeat until", ColumnField::RepeatUntil, Sureness::Sure),
            ("Notes", ColumnField::Description, Sureness::Likely),
        ] {
            assert_eq!(field_of(header), Some((field, sureness)), "{header}");
        }
        assert_eq!(field_of("Vessel").or(field_of("")), None);
        assert_eq!((rule_of("Varannan vecka"), rule_of("never")), (Some("FREQ=WEEKLY;INTERVAL=2"), Some("")));
        assert_eq!(
            (answer_of(" Kyllä"), answer_of("0"), answer_of("perhaps")),
            (Some("yes"), Some("no"), None)
        );
    }
}
