//! Rules and zones.

use emvo_ical::calendar::read;
use emvo_ical::content::parse;
use emvo_ical::recurrence::{Ceiling, Rule, Window, occurrences_of, rule_in_words};
use emvo_ical::zone::{Definition, ZoneChoices, ZoneResolver};
use jiff::civil::date;

/// The number of dates that shows whether a series is in order.
const ENOUGH: Ceiling = Ceiling(2000);
/// No zone is farther from UTC than this, in seconds.
const FARTHEST: i32 = 26 * 3600;

/// The first line is a rule, further ones are lines of its event. Its dates
/// ascend and lie in the window, and the rule as it is written is the same rule.
pub fn rule(data: &[u8]) {
    let text = String::from_utf8_lossy(data);
    let (first, lines) = text.split_once('\n').unwrap_or((&text, ""));
    if let Ok(rule) = Rule::parse(first) {
        let again = Rule::parse(&rule.to_string());
        assert_eq!(again.as_ref(), Ok(&rule), "{first} is written as {rule}");
    }
    let text = format!(
        "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTART;TZID=Europe/Helsinki:20260105T080000\r\n\
         RRULE:{}\r\n{lines}\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n",
        first.trim_end_matches('\r')
    );
    let Some(root) = parse(&text).roots.into_iter().next() else { return };
    let calendar = read(root, "trial");
    let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
    let window = Window { from: date(2026, 1, 1), until: date(2029, 12, 31) };
    for series in &calendar.series {
        let found = occurrences_of(series, &zones, window, ENOUGH);
        assert!(found.list.len() <= ENOUGH.0, "the ceiling holds");
        let starts: Vec<_> = found.list.iter().map(|one| one.start.clock()).collect();
        let is_plain = series.overrides().is_empty() && series.lead().dates("RDATE").is_empty();
        assert!(!is_plain || starts.is_sorted(), "{starts:?}");
        for lead in series.lead().rules() {
            rule_in_words(&lead, series.lead().start(), &zones);
        }
    }
}

/// The lines of a zone definition: whatever they say, its offsets are some that
/// a clock can have.
pub fn zone(data: &[u8]) {
    let lines = String::from_utf8_lossy(data);
    let text = format!("BEGIN:VTIMEZONE\r\n{lines}\r\nEND:VTIMEZONE\r\n");
    for root in parse(&text).roots {
        let Ok(definition) = Definition::read(&root) else { continue };
        for year in -10..80 {
            let instant = year * 31_556_952;
            let offset = definition.transitions.offset_at(instant);
            assert!(offset.abs() <= FARTHEST, "{offset} seconds from UTC");
            let clock = definition.transitions.clock_at(instant);
            let back = definition.transitions.instant_of(clock);
            assert!((back - instant).abs() <= 2 * i64::from(FARTHEST), "{instant} comes back as {back}");
        }
    }
}
