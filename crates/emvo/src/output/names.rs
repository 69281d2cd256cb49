//! What files are called that nobody named: parts of an output, files in a
//! folder, and what is set aside.

use std::ffi::OsString;
use std::path::{Path, PathBuf};

use super::target::Kind;
use crate::input::{Format, Letters, TakenNames};

/// Longer names of parts are cut: with the output's own name around them they
/// would be no file names any more (255 bytes on most systems).
const LONGEST: usize = 100;

/// The stem of an input's output in a folder: its own, numbered where two inputs
/// have the same.
pub(super) fn free_stem(source: &str, taken: &mut TakenNames) -> String {
    match (source, Path::new(source).file_stem()) {
        ("-", _) | (_, None) => numbered("calendar", taken),
        (_, Some(stem)) => numbered(&stem.to_string_lossy(), taken),
    }
}

/// The stem of a file that is called after its calendar: `Crew / deck` is `crew---deck`.
pub(crate) fn free_name(calendar: &str, taken: &mut TakenNames) -> String {
    let safe = |char: char| if char.is_alphanumeric() { char } else { '-' };
    let name: String = calendar.trim().chars().map(safe).collect();
    numbered(if name.is_empty() { "calendar" } else { &name }.to_lowercase().as_str(), taken)
}

/// A stem that no other file of the run has, on a system that takes `Crew` and `crew`
/// for one name either: the second is `crew-2`.
fn numbered(stem: &str, taken: &mut TakenNames) -> String {
    let stem = portable(stem);
    let named = |number: usize| if number == 1 { stem.clone() } else { format!("{stem}-{number}") };
    taken.free(Letters::AnyCase, named)
}

/// A stem that other systems take as well: some reserve the names of their devices,
/// whatever comes behind the first dot, and forget dots and blanks at the end.
fn portable(stem: &str) -> String {
    let kept = stem.trim_end_matches(['.', ' ']);
    let first = kept.split('.').next().unwrap_or_default().trim_end().to_ascii_uppercase();
    let is_numbered = |kind: &str| {
        first.strip_prefix(kind).is_some_and(|number| matches!(number.as_bytes(), [b'1'..=b'9']))
    };
    let is_device = matches!(first.as_str(), "CON" | "PRN" | "AUX" | "NUL");
    match kept {
        "" => "calendar".to_owned(),
        kept if is_device || is_numbered("COM") || is_numbered("LPT") => format!("_{kept}"),
        kept => kept.to_owned(),
    }
}

/// Part `2026` of `out.ics` is `out-2026.ics`.
pub(crate) fn part_beside(output: &Path, part: &str, kind: Kind) -> PathBuf {
    let stem = output.file_stem().map(|stem| stem.to_string_lossy().into_owned()).unwrap_or_default();
    output.with_file_name(format!("{stem}-{part}.{}", kind.extension()))
}

/// The file for what cannot be read: `out.set-aside.ics` beside `out.csv`.
pub(super) fn set_aside_beside(output: &Path, format: Format) -> PathBuf {
    let mut name = output.file_stem().map_or_else(|| OsString::from("output"), OsString::from);
    name.push(format!(".set-aside.{}", format.name()));
    output.with_file_name(name)
}

/// The file for what is in no output: `out.left-behind.csv` beside `out.ics`.
pub(super) fn left_behind_beside(output: &Path) -> PathBuf {
    let mut name = output.file_stem().map_or_else(|| OsString::from("output"), OsString::from);
    name.push(".left-behind.csv");
    output.with_file_name(name)
}

/// The same for an output that is a folder.
pub(super) fn set_aside_in(folder: &Path, format: Format) -> PathBuf {
    folder.join(format!("all.set-aside.{}", format.name()))
}

/// A part's name as every file system takes it: `Crew / deck` is `Crew___deck`.
pub(crate) fn part_name(name: &str) -> String {
    let safe = |char: char| if char.is_alphanumeric() || char == '-' { char } else { '_' };
    let mut short = String::new();
    for char in name.trim().chars().map(safe) {
        if short.len() + char.len_utf8() > LONGEST {
            break;
        }
        short.push(char);
    }
    if short.is_empty() { "none".to_owned() } else { short }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_free_and_fit() {
        let mut taken = TakenNames::default();
        let names = ["a/crew.ics", "b/crew.ics", "-", "crew.csv"].map(|path| free_stem(path, &mut taken));
        assert_eq!(names, ["crew", "crew-2", "calendar", "crew-3"]);
        assert_eq!(free_stem("c/Crew.ics", &mut taken), "Crew-4", "not everywhere another name than crew");
        assert_eq!(part_beside(Path::new("d/out.ics"), "2026", Kind::Csv), Path::new("d/out-2026.csv"));
        assert_eq!(set_aside_beside(Path::new("out.csv"), Format::Ics), Path::new("out.set-aside.ics"));
        assert_eq!(part_name(" Crew / deck "), "Crew___deck");
        assert_eq!(part_name("  "), "none");
        assert_eq!(free_name(" Crew / deck ", &mut taken), "crew---deck");
        for (own, made) in [
            ("con", "_con"),
            ("NUL.copy", "_NUL.copy"),
            ("lpt1", "_lpt1"),
            ("lpt10", "lpt10"),
            ("console", "console"),
            ("quay. .", "quay"),
            ("..", "calendar"),
        ] {
            assert_eq!(portable(own), made, "{own}");
        }
        assert_eq!(part_name(&"ö".repeat(300)).len(), LONGEST);
    }
}
