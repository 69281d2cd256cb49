//! Times of day as people write them in tables.

use jiff::civil::Time;

/// Words in front of a time, or behind it, that say only that it is one.
const IN_FRONT: [&str; 6] = ["klo", "kl.", "kl", "um", "at", "à"];
const BEHIND: [&str; 4] = ["uhr", "hrs", "h", "u"];
/// Words that say that nobody knows it to the minute, or that only the start is known.
const ABOUT: [&str; 20] = [
    "ab", "from", "från", "fra", "dès", "desde", "vanaf", "dalle", "od", "ca.", "ca", "c.", "circa",
    "approx.", "about", "noin", "n.", "env.", "vers", "ungefär",
];

/// Reads a time of day: `9:30`, `09:30:00`, `9.30`, `0930`, `9:30 PM`, `9h30`,
/// `kl. 9`, `noon`.
pub(super) fn read_time(cell: &str) -> Option<Time> {
    if let Some(time) = read_plain_time(cell) {
        return Some(time);
    }
    let text = cell.trim().to_lowercase();
    if let Some(time) = word(&text) {
        return Some(time);
    }
    let about = ABOUT.iter().find_map(|word| text.strip_prefix(word)?.strip_prefix(' '));
    let text = about.unwrap_or(&text).trim();
    if let Some(time) = word(text) {
        return Some(time);
    }
    let text = IN_FRONT.iter().find_map(|word| text.strip_prefix(word)).unwrap_or(text).trim();
    let (text, half) = half_of_day(text);
    let text = BEHIND.iter().find_map(|word| text.strip_suffix(word)).unwrap_or(text).trim();
    let is_digits = |text: &str| !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
    let parts: Vec<&str> = match text.len() {
        4 if is_digits(text) => vec![&text[..2], &text[2..]],
        6 if is_digits(text) => vec![&text[..2], &text[2..4], &text[4..]],
        _ => text.split([':', '.', 'h']).map(str::trim).collect(),
    };
    if parts.len() > 3 || !parts.iter().all(|part| is_digits(part) && part.len() <= 2) {
        return None;
    }
    let number = |at: usize| parts.get(at).map_or(Some(0), |part| part.parse::<i8>().ok());
    let hour = number(0)?;
    let hour = match half {
        Some(_) if !(1..=12).contains(&hour) => return None,
        Some(half) => hour % 12 + half,
        None => hour,
    };
    // The end of a day is the start of the next; who asks knows which day.
    Time::new(hour, number(1)?, number(2)?, 0).ok()
}

/// `09:30`, `09:30:00`: the form of most tables. Nothing but this; a fast way.
pub(super) fn read_plain_time(cell: &str) -> Option<Time> {
    let two = |tens: &u8, ones: &u8| two_digits(*tens, *ones);
    match cell.as_bytes() {
        [h1, h2, b':', m1, m2] => Time::new(two(h1, h2)?, two(m1, m2)?, 0, 0).ok(),
        [h1, h2, b':', m1, m2, b':', s1, s2] => Time::new(two(h1, h2)?, two(m1, m2)?, two(s1, s2)?, 0).ok(),
        _ => None,
    }
}

/// The number that two digits make.
pub(super) fn two_digits(tens: u8, ones: u8) -> Option<i8> {
    let are_digits = tens.is_ascii_digit() && ones.is_ascii_digit();
    are_digits.then(|| ((tens - b'0') * 10 + (ones - b'0')).cast_signed())
}

fn word(text: &str) -> Option<Time> {
    match text {
        "noon" | "midday" | "12 noon" | "mittag" | "midi" | "mediodía" | "keskipäivä" | "mezzogiorno"
        | "middag" | "meio-dia" | "południe" => Some(Time::constant(12, 0, 0, 0)),
        "midnight" | "midnatt" | "keskiyö" | "mitternacht" | "minuit" | "medianoche" | "mezzanotte"
        | "middernacht" | "midnat" | "meia-noite" | "północ" => Some(Time::midnight()),
        _ => None,
    }
}

/// Which half of a day a time of twelve hours is in, in hours.
fn half_of_day(text: &str) -> (&str, Option<i8>) {
    const HALVES: [(&str, i8); 8] = [
        ("am", 0),
        ("a.m.", 0),
        ("a. m.", 0),
        ("a.m", 0),
        ("pm", 12),
        ("p.m.", 12),
        ("p. m.", 12),
        ("p.m", 12),
    ];
    for (mark, hours) in HALVES {
        if let Some(text) = text.strip_suffix(mark) {
            return (text.trim(), Some(hours));
        }
    }
    (text, None)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_are_read_as_people_write_them() {
        for (cell, expected) in [
            ("9:30", "09:30:00"),
            ("09.30", "09:30:00"),
            ("0930", "09:30:00"),
            ("093015", "09:30:15"),
            ("9:30 PM", "21:30:00"),
            ("9:30:00 a.m.", "09:30:00"),
            ("12 am", "00:00:00"),
            ("12 pm", "12:00:00"),
            ("14", "14:00:00"),
            ("klo 14", "14:00:00"),
            ("kl. 9", "09:00:00"),
            ("9 Uhr", "09:00:00"),
            ("9.15 Uhr", "09:15:00"),
            ("9h30", "09:30:00"),
            ("14h", "14:00:00"),
            ("noon", "12:00:00"),
            ("ab 18:00", "18:00:00"),
            ("from 6 pm", "18:00:00"),
            ("ca. 14h", "14:00:00"),
            ("noin klo 9", "09:00:00"),
            ("mezzogiorno", "12:00:00"),
            ("Midnatt", "00:00:00"),
        ] {
            assert_eq!(read_time(cell).map(|time| time.to_string()).as_deref(), Some(expected), "{cell}");
        }
        for cell in ["", "24:10", "13 pm", "nine", "123", "1:2:3:4", "9:-3", "+9", "9:300"] {
            assert_eq!(read_time(cell), None, "{cell}");
        }
    }
}
