//! What single cells say: yes or no, lengths, privacy.

use std::borrow::Cow;

use super::words::{answer_of, state_of, unit_of};
use emvo_ical::calendar::Duration;

/// Signs with which a spreadsheet starts a formula.
const FORMULA_SIGNS: [char; 8] = ['=', '+', '-', '@', '＝', '＋', '－', '＠'];

/// A cell without blanks around it. Most have none, and show so at once.
#[inline]
pub(super) fn trimmed(cell: &str) -> &str {
    match cell.as_bytes() {
        [] => cell,
        [first, .., last] | [first @ last] if first.is_ascii_graphic() && last.is_ascii_graphic() => cell,
        _ => cell.trim(),
    }
}

/// What a cell says about something that is or is not.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Answer {
    Yes,
    No,
    NotSaid,
}

pub(super) fn answer(cell: &str) -> Answer {
    match answer_of(cell) {
        Some("yes") => Answer::Yes,
        Some(_) => Answer::No,
        None => Answer::NotSaid,
    }
}

/// Whether a cell says yes or no, in any language that is known; `None` if it says
/// neither.
pub fn is_yes(cell: &str) -> Option<bool> {
    match answer(cell) {
        Answer::Yes => Some(true),
        Answer::No => Some(false),
        Answer::NotSaid => None,
    }
}

/// `PRIVATE`, `CONFIDENTIAL`, or nothing for what everybody may see.
pub(super) fn classification(cell: &str) -> Option<&'static str> {
    match state_of(cell) {
        Some("private") => Some("PRIVATE"),
        Some("confidential") => Some("CONFIDENTIAL"),
        Some(_) => None,
        None => (answer(cell) == Answer::Yes).then_some("PRIVATE"),
    }
}

/// `TRANSPARENT` for free, `OPAQUE` for busy, nothing if it does not say.
pub(super) fn transparency(cell: &str) -> Option<&'static str> {
    match (state_of(cell), answer(cell)) {
        (Some("free"), _) | (None, Answer::No) => Some("TRANSPARENT"),
        (Some("busy" | "tentative"), _) | (None, Answer::Yes) => Some("OPAQUE"),
        (Some(_), _) | (None, Answer::NotSaid) => None,
    }
}

/// `CONFIRMED`, `TENTATIVE`, `CANCELLED`, nothing if it says something else.
pub(super) fn status(cell: &str) -> Option<&'static str> {
    match state_of(cell)? {
        "confirmed" => Some("CONFIRMED"),
        "tentative" => Some("TENTATIVE"),
        "cancelled" => Some("CANCELLED"),
        _ => None,
    }
}

/// A length: `1:30` (hours and minutes), `90 min`, `1h30`, `1,5 h`, `2 days`,
/// `PT1H30M`; a bare number means minutes. Words behind it, as in `15 minutes
/// before`, are left out.
pub fn length(cell: &str) -> Option<Duration> {
    let text = cell.trim().to_lowercase();
    if let Some(length) = Duration::parse(&text) {
        return Some(length);
    }
    if text.contains(':') {
        return clock_length(&text);
    }
    let (mut rest, mut days, mut seconds, mut last_unit) = (text.as_str(), 0_i64, 0.0_f64, None);
    while let Some((number, unit, after)) = next_part(rest) {
        let unit = match (unit_of(unit), last_unit) {
            // `1h30`, or a bare number.
            (None, Some(3600) | None) if unit.is_empty() => 60,
            (Some(unit), _) => unit,
            (None, _) => return None,
        };
        if unit >= 86_400 && number.fract() == 0.0 {
            #[allow(clippy::cast_possible_truncation, reason = "a whole number below a million")]
            let number = number as i64;
            days += number * (unit / 86_400);
        } else {
            #[allow(clippy::cast_precision_loss, reason = "a handful of small units")]
            let unit = unit as f64;
            seconds += number * unit;
        }
        last_unit = Some(unit);
        rest = after;
    }
    last_unit?;
    #[allow(clippy::cast_possible_truncation, reason = "numbers below a million, times a week")]
    let seconds = seconds.round() as i64;
    Some(Duration { days, seconds })
}

/// The next number with the word behind it, and what follows.
fn next_part(text: &str) -> Option<(f64, &str, &str)> {
    let text = text.trim_start();
    let digits =
        text.find(|char: char| !(char.is_ascii_digit() || matches!(char, '.' | ','))).unwrap_or(text.len());
    let number = text[..digits].trim_end_matches(['.', ',']).replace(',', ".");
    let number: f64 = number.parse().ok().filter(|number| *number < 1_000_000.0)?;
    let rest = text[digits..].trim_start();
    let letters = rest.find(|char: char| !char.is_alphabetic()).unwrap_or(rest.len());
    Some((number, &rest[..letters], rest[letters..].trim_start_matches('.')))
}

fn clock_length(text: &str) -> Option<Duration> {
    let mut parts = text.split(':').map(|part| part.trim().parse::<u32>().ok().map(i64::from));
    let (hours, minutes) = (parts.next()??, parts.next()??);
    let seconds = parts.next().map_or(Some(0), |seconds| seconds)?;
    parts.next().is_none().then(|| Duration::from_seconds(hours * 3600 + minutes * 60 + seconds))
}

/// The parts of a cell that holds several values: `a; b`.
pub(super) fn several(cell: &str) -> impl Iterator<Item = &str> {
    cell.split(';').map(str::trim).filter(|part| !part.is_empty())
}

/// What stands between two lengths in one cell.
const BETWEEN_LENGTHS: [&str; 13] =
    [";", ", ", "\n", " and ", " & ", " + ", " och ", " ja ", " und ", " et ", " y ", " e ", " og "];

/// The parts of a cell that holds several lengths: `15 min, 1 day`. The comma of `1,5 h`
/// has no blank behind it.
pub(super) fn several_lengths(cell: &str) -> Vec<&str> {
    let mut parts = vec![cell];
    for sign in BETWEEN_LENGTHS {
        parts = parts.into_iter().flat_map(|part| part.split(sign)).collect();
    }
    parts.into_iter().map(str::trim).filter(|part| !part.is_empty()).collect()
}

/// A cell that no spreadsheet takes for a formula (rule C08): an apostrophe stands before
/// the sign. Where lists are separated by semicolons, a spreadsheet may split a cell
/// there as well, so the sign behind one gets its own.
pub fn guarded(cell: &str) -> Cow<'_, str> {
    // Most cells begin with a letter or a digit, and have one part.
    let begins_plainly = cell.as_bytes().first().is_none_or(u8::is_ascii_alphanumeric);
    if begins_plainly && memchr::memchr(b';', cell.as_bytes()).is_none() {
        return Cow::Borrowed(cell);
    }
    if !starts_of_parts(cell).any(|at| is_formula(&cell[at..])) {
        return Cow::Borrowed(cell);
    }
    let mut out = String::with_capacity(cell.len() + 2);
    let mut copied = 0;
    for at in starts_of_parts(cell).filter(|at| is_formula(&cell[*at..])) {
        out.push_str(&cell[copied..at]);
        out.push('\'');
        copied = at;
    }
    Cow::Owned(out + &cell[copied..])
}

/// A cell as it was before it was guarded.
pub fn unguarded(cell: &str) -> Cow<'_, str> {
    match with_parts_unguarded(cell) {
        Cow::Borrowed(cell) => Cow::Borrowed(with_start_unguarded(cell)),
        Cow::Owned(cell) => Cow::Owned(with_start_unguarded(&cell).to_owned()),
    }
}

/// A cell without the guard at its start.
pub(super) fn with_start_unguarded(cell: &str) -> &str {
    cell.strip_prefix('\'').filter(|rest| is_formula(rest)).unwrap_or(cell)
}

/// A row without the guards behind semicolons.
pub(super) fn with_row_unguarded(record: &csv::StringRecord) -> Cow<'_, csv::StringRecord> {
    if !record.as_slice().contains(";'") {
        return Cow::Borrowed(record);
    }
    Cow::Owned(record.iter().map(with_parts_unguarded).collect())
}

fn with_parts_unguarded(cell: &str) -> Cow<'_, str> {
    let is_guard = |at: &usize| cell[*at..].strip_prefix('\'').is_some_and(is_formula);
    let guards = || starts_of_parts(cell).skip(1).filter(is_guard);
    if guards().next().is_none() {
        return Cow::Borrowed(cell);
    }
    let mut out = String::with_capacity(cell.len());
    let mut copied = 0;
    for at in guards() {
        out.push_str(&cell[copied..at]);
        copied = at + 1;
    }
    Cow::Owned(out + &cell[copied..])
}

/// Where a cell begins, and where its parts do behind semicolons.
fn starts_of_parts(cell: &str) -> impl Iterator<Item = usize> + '_ {
    std::iter::once(0).chain(cell.match_indices(';').map(|(at, _)| at + 1))
}

/// Also behind apostrophes: what looks guarded already has to keep its own. Blanks and
/// characters without width before the sign are no hindrance to a spreadsheet, and in the
/// east the wide forms of the signs are signs as well.
fn is_formula(cell: &str) -> bool {
    let cell = cell.trim_start_matches('\'');
    let is_passed = |char: char| {
        char.is_whitespace() || matches!(char, '\u{200b}'..='\u{200f}' | '\u{2060}' | '\u{feff}')
    };
    cell.starts_with(['\t', '\r']) || cell.trim_start_matches(is_passed).starts_with(FORMULA_SIGNS)
}

/// Whether a cell is what a spreadsheet shows where a date was lost: `####`,
/// `#VALUE!` and the like, in any language (rule C04).
pub(super) fn is_lost(cell: &str) -> bool {
    let cell = cell.trim();
    let is_hashes = cell.len() >= 2 && cell.bytes().all(|byte| byte == b'#');
    let is_error = cell.starts_with('#') && (cell.ends_with(['!', '?']) || cell == "#N/A");
    is_hashes || is_error
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lengths_are_read_as_people_write_them() {
        for (cell, minutes) in [
            ("1:30", 90),
            ("90 min", 90),
            ("90 min.", 90),
            ("1h30", 90),
            ("1 h 30 min", 90),
            ("1,5 tim", 90),
            ("2 hours", 120),
            ("2 Stunden", 120),
            ("45", 45),
            ("15 minutes before", 15),
            ("PT2H", 120),
            ("0:05:00", 5),
        ] {
            assert_eq!(
                length(cell).map(|length| (length.days, length.seconds)),
                Some((0, minutes * 60)),
                "{cell}"
            );
        }
        assert_eq!(length("3 days"), Some(Duration { days: 3, seconds: 0 }));
        assert_eq!(length("1 vecka"), Some(Duration { days: 7, seconds: 0 }));
        for cell in ["", "long", "1 fortnight", "1:xx", "h", "before 5", "99999999 h", "1:2:3:4"] {
            assert_eq!(length(cell), None, "{cell}");
        }
    }

    #[test]
    fn a_cell_may_hold_several_lengths() {
        for (cell, parts) in [
            ("15min, 1 day", &["15min", "1 day"][..]),
            ("15 min and 1 day", &["15 min", "1 day"]),
            ("1,5 h", &["1,5 h"]),
            ("10 min; 1 Tag und 2 h", &["10 min", "1 Tag", "2 h"]),
            ("", &[]),
        ] {
            assert_eq!(several_lengths(cell), parts, "{cell}");
        }
    }

    #[test]
    fn states_are_known_in_six_languages() {
        assert_eq!(
            (classification("Vertraulich"), classification("ja")),
            (Some("CONFIDENTIAL"), Some("PRIVATE"))
        );
        assert_eq!((classification("Normal"), classification("perhaps")), (None, None));
        assert_eq!((transparency("Ledig"), transparency("no")), (Some("TRANSPARENT"), Some("TRANSPARENT")));
        assert_eq!((transparency("Varattu"), transparency("")), (Some("OPAQUE"), None));
        assert_eq!((status("Inställt"), status("open")), (Some("CANCELLED"), None));
    }

    #[test]
    fn a_guard_comes_off_again() {
        for cell in [
            "=1+1",
            "+358 40",
            "@home",
            "-",
            "'quoted'",
            "plain",
            "'=x",
            "a;=1+1",
            "a; '-b;;c",
            "＝1",
            "\n=1",
            "\u{feff}=1",
            " =1",
            "\tx",
            ";",
            "",
        ] {
            assert_eq!(unguarded(&guarded(cell)), cell);
        }
        for (cell, shown) in [
            ("a;=1+1", "a;'=1+1"),
            ("＝1", "'＝1"),
            ("\n=1", "'\n=1"),
            ("\u{200b}+1", "'\u{200b}+1"),
            (" @x", "' @x"),
        ] {
            assert_eq!(guarded(cell), shown);
        }
        for plain in ["plain", "a; b", "Watch - late", "1;2", "'quoted'"] {
            assert!(matches!(guarded(plain), Cow::Borrowed(_)), "{plain}");
        }
        assert_eq!(guarded("=1+1"), "'=1+1");
    }

    #[test]
    fn lost_cells_are_known_by_their_look() {
        for cell in ["####", "#VALUE!", "#VÄRDEFEL!", "#REF!", "#N/A", "#NIMI?"] {
            assert!(is_lost(cell), "{cell}");
        }
        for cell in ["#1", "#", "", "# 12"] {
            assert!(!is_lost(cell), "{cell}");
        }
    }
}
