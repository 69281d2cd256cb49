//! Events that are probably the same, and are not: a person has to say (rule
//! U04).

use super::text::normalised;
use emvo_ical::calendar::Event;
use emvo_ical::day::clock_seconds;
use emvo_ical::zone::ZoneResolver;

/// Marks that systems put in front of a copied title.
const IN_FRONT: [&str; 9] =
    ["copy of ", "kopia av ", "kopio: ", "kopie von ", "copie de ", "copia de ", "fwd: ", "fw: ", "re: "];

/// A title in lower case without the marks of a copy; whether there were any.
pub fn without_copy_marks(title: &str) -> (String, bool) {
    even_without_copy_marks(&normalised(title))
}

/// The same for a title whose blanks are evened out.
pub(crate) fn even_without_copy_marks(title: &str) -> (String, bool) {
    let mut text = title.to_lowercase();
    // What all marks begin or end with.
    if !matches!(text.as_bytes(), [b'c' | b'f' | b'k' | b'r', ..] | [.., b')']) {
        return (text, false);
    }
    let mut had_mark = false;
    while let Some(rest) = IN_FRONT.iter().find_map(|mark| text.strip_prefix(mark)) {
        text = rest.trim().to_owned();
        had_mark = true;
    }
    for mark in ["(copy)", "(kopia)", "(kopio)", "(kopie)", "(2)"] {
        if let Some(rest) = text.strip_suffix(mark) {
            text = rest.trim().to_owned();
            had_mark = true;
        }
    }
    (text, had_mark)
}

/// Where two events come from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Sides {
    /// One calendar: two shifts of one title on a day are usual there.
    Same,
    /// Two calendars.
    Different,
}

/// Why two events that share a title, but for marks of a copy, and a day may be
/// the same; `None` if nothing speaks for it.
pub fn likeness(
    (one, one_zones): (&Event<'_>, &ZoneResolver),
    (two, two_zones): (&Event<'_>, &ZoneResolver),
    sides: Sides,
) -> Option<String> {
    let has_mark = |event: &Event<'_>| without_copy_marks(&event.title().unwrap_or_default()).1;
    if one.is_all_day() != two.is_all_day() {
        return Some("one is all-day, the other has a time".to_owned());
    }
    let is_copy = has_mark(one) != has_mark(two);
    let instants = one_zones.instant(one.start()).zip(two_zones.instant(two.start()));
    let seconds = instants.map_or_else(
        || clock_seconds(two.start().clock()) - clock_seconds(one.start().clock()),
        |(one, two)| two - one,
    );
    if seconds == 0 {
        let title = |event: &Event<'_>| normalised(&event.title().unwrap_or_default()).into_owned();
        return if is_copy {
            Some("one title is marked as a copy of the other".to_owned())
        } else if title(one) != title(two) {
            Some("the titles differ in capital letters alone".to_owned())
        } else {
            None
        };
    }
    if is_copy {
        return Some("one title is marked as a copy, at another time that day".to_owned());
    }
    if sides == Sides::Same {
        return None;
    }
    let hours = seconds.abs() / 3600;
    if seconds % 3600 == 0 && hours <= 3 {
        return Some(format!("the same, {hours} h apart"));
    }
    Some("the same title that day, at another time".to_owned())
}
