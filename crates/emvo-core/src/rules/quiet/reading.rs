//! A text → a calendar without its quiet events, as far as that is possible.

use super::{Ask, Quiet};
use emvo_ical::calendar::{self, Calendar};
use emvo_ical::content::{Component, Parsed, parse_without, pieces_of_events};
use emvo_ical::version_one;
use emvo_ical::zone::ZoneResolver;

/// A calendar of which some events were read, and some were not.
#[derive(Debug)]
pub struct ReadQuietly<'a> {
    /// Those that were read, and everything else in it.
    pub calendar: Calendar<'a>,
    /// What its zone names mean, by all of its events.
    pub zones: ZoneResolver,
    /// Those that were not.
    pub quiet: Quiet<'a>,
}

/// Events that wake are read with all others in the next round; none wakes in it but by an
/// oversight, and then all are read.
const ROUNDS: usize = 3;

/// Reads the one calendar of a text without its quiet events; `None` if all have to be read.
/// `fallback_name` is what it is called if it does not say.
pub fn read_quietly<'a>(text: &'a str, fallback_name: &str, ask: &Ask<'_>) -> Option<ReadQuietly<'a>> {
    if !is_worth_a_look(text, ask) {
        return None;
    }
    let mut quiet = Quiet::of(text, ask);
    for _ in 0..ROUNDS {
        if quiet.is_empty() {
            return None;
        }
        let root = only_calendar(parse_without(text, &quiet.stretches())?)?;
        let calendar = calendar::read(root, fallback_name);
        let zones = ZoneResolver::beside(&quiet.names_in_times(), &calendar, ask.zones);
        if !quiet.wake_beside(&calendar, &zones, ask) {
            return Some(ReadQuietly { calendar, zones, quiet });
        }
    }
    None
}

/// Whether most events in the first piece of a long text are quiet. Where they are not, since
/// each of them has some fault, to look at all of them beforehand takes longer than it saves.
fn is_worth_a_look(text: &str, ask: &Ask<'_>) -> bool {
    let pieces = pieces_of_events(text);
    let [first, _, ..] = pieces.as_slice() else { return true };
    let mut quiet = Quiet::of(first, ask);
    let Some(parsed) = parse_without(first, &quiet.stretches()) else { return false };
    let Some(root) = parsed.roots.into_iter().next() else { return false };
    let calendar = calendar::read(root, "");
    let zones = ZoneResolver::beside(&quiet.names_in_times(), &calendar, ask.zones);
    let all = quiet.len() + calendar.series.len();
    quiet.wake_beside(&calendar, &zones, ask);
    2 * quiet.len() >= all
}

/// What a text holds that is one whole calendar and nothing else.
fn only_calendar(parsed: Parsed<'_>) -> Option<Component<'_>> {
    if !parsed.faults.is_empty() || parsed.roots.len() != 1 {
        return None;
    }
    let root = parsed.roots.into_iter().next()?;
    (root.is("VCALENDAR") && !version_one::is_version_one(&root)).then_some(root)
}
