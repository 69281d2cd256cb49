//! What single cells say: yes or no, lengths, privacy.

use std::borrow::Cow;

use crate::calendar::Duration;

/// Signs with which a spreadsheet starts a formula.
const FORMULA_SIGNS: [char; 6] = ['=', '+', '-', '@', '\t', '\r'];

/// What a cell says about something that is or is not.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Answer {
    Yes,
    No,
    NotSaid,
}

pub(super) fn answer(cell: &str) -> Answer {
    match cell.trim().to_lowercase().as_str() {
        "yes" | "y" | "true" | "1" | "x" | "✓" | "✔" | "on" | "ja" | "j" | "kyllä" | "k" | "sant"
        | "tosi" => Answer::Yes,
        "no" | "n" | "false" | "0" | "off" | "nej" | "ei" | "falskt" | "epätosi" => Answer::No,
        _ => Answer::NotSaid,
    }
}

/// `PRIVATE`, `CONFIDENTIAL`, or nothing for what everybody may see.
pub(super) fn classification(cell: &str) -> Option<&'static str> {
    match cell.trim().to_lowercase().as_str() {
        "private" | "privat" | "yksityinen" => Some("PRIVATE"),
        "confidential" | "konfidentiell" | "luottamuksellinen" => Some("CONFIDENTIAL"),
        cell if answer(cell) == Answer::Yes => Some("PRIVATE"),
        _ => None,
    }
}

/// `TRANSPARENT` for free, `OPAQUE` for busy, nothing if it does not say.
pub(super) fn transparency(cell: &str) -> Option<&'static str> {
    match cell.trim().to_lowercase().as_str() {
        "free" | "transparent" | "available" | "ledig" | "vapaa" => Some("TRANSPARENT"),
        "busy" | "opaque" | "upptagen" | "varattu" => Some("OPAQUE"),
        cell => match answer(cell) {
            Answer::Yes => Some("OPAQUE"),
            Answer::No => Some("TRANSPARENT"),
            Answer::NotSaid => None,
        },
    }
}

/// A length: `1:30` (hours and minutes), `90 min`, `1h30`, `2 h`, `PT1H30M`; a
/// bare number means minutes.
pub(super) fn length(cell: &str) -> Option<Duration> {
    let text: String = cell.trim().to_lowercase().chars().filter(|char| !char.is_whitespace()).collect();
    if !text.contains(|char: char| char.is_ascii_digit()) {
        return None;
    }
    if let Some(length) = Duration::parse(&text) {
        return Some(length);
    }
    if let Some((hours, minutes)) = text.split_once(':') {
        let mut parts = minutes.split(':');
        let minutes = parts.next()?;
        let seconds = parts.next().unwrap_or("0");
        return seconds_of(hours, minutes, seconds);
    }
    if let Ok(minutes) = text.parse::<i64>() {
        return Some(Duration::from_seconds(minutes.checked_mul(60)?));
    }
    let days =
        text.strip_suffix("days").or_else(|| text.strip_suffix("day")).or_else(|| text.strip_suffix('d'));
    if let Some(days) = days {
        return Some(Duration { days: days.parse().ok()?, seconds: 0 });
    }
    let (hours, rest) = match text.split_once('h') {
        Some((hours, rest)) => {
            (hours, rest.trim_start_matches("ours").trim_start_matches("our").trim_start_matches('r'))
        }
        None => ("0", text.as_str()),
    };
    let minutes = rest.trim_end_matches(|char: char| char.is_alphabetic() || char == '.');
    let unit = &rest[minutes.len()..];
    let is_unit =
        matches!(unit, "" | "m" | "min" | "min." | "mins" | "minutes" | "minute" | "minuter" | "minuuttia");
    let minutes = if minutes.is_empty() { "0" } else { minutes };
    if is_unit { seconds_of(hours, minutes, "0") } else { None }
}

fn seconds_of(hours: &str, minutes: &str, seconds: &str) -> Option<Duration> {
    let number = |text: &str| text.parse::<u32>().ok().map(i64::from);
    Some(Duration::from_seconds(number(hours)? * 3600 + number(minutes)? * 60 + number(seconds)?))
}

/// The parts of a cell that holds several values: `a; b`.
pub(super) fn several(cell: &str) -> impl Iterator<Item = &str> {
    cell.split(';').map(str::trim).filter(|part| !part.is_empty())
}

/// A cell that no spreadsheet takes for a formula (rule C08).
pub fn guarded(cell: &str) -> Cow<'_, str> {
    if cell.starts_with(FORMULA_SIGNS) { Cow::Owned(format!("'{cell}")) } else { Cow::Borrowed(cell) }
}

/// A cell as it was before it was guarded.
pub(super) fn unguarded(cell: &str) -> &str {
    match cell.strip_prefix('\'') {
        Some(rest) if rest.starts_with(FORMULA_SIGNS) => rest,
        _ => cell,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lengths_are_read_as_people_write_them() {
        for (cell, minutes) in [
            ("1:30", 90),
            ("90 min", 90),
            ("1h30", 90),
            ("1 h 30 min", 90),
            ("2 hours", 120),
            ("45", 45),
            ("PT2H", 120),
            ("0:05:00", 5),
        ] {
            assert_eq!(length(cell).map(|length| length.seconds), Some(minutes * 60), "{cell}");
        }
        assert_eq!(length("3 days"), Some(Duration { days: 3, seconds: 0 }));
        for cell in ["", "long", "1 fortnight", "1:xx", "h"] {
            assert_eq!(length(cell), None, "{cell}");
        }
    }

    #[test]
    fn a_guard_comes_off_again() {
        for cell in ["=1+1", "+358 40", "@home", "-", "'quoted'", "plain", "'=x"] {
            assert_eq!(unguarded(&guarded(cell)), if cell == "'=x" { "=x" } else { cell });
        }
        assert_eq!(guarded("=1+1"), "'=1+1");
    }
}
