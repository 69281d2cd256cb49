//! Reminders of VERSION:1.0, each one line, → alarms.
//!
//! ```text
//! DALARM:20260105T074500;PT5M;3;Handover      shown
//! AALARM:20260105T074500;;;file:///bell.wav   heard
//! MALARM:20260105T074500;;;quay@example.org;Handover at eight    mailed
//! ```

use super::text::{fields, raw_value, says_more_by_parameters};
use super::zone::OldZone;
use crate::calendar::{Duration, EventTime, ZoneRef};
use crate::content::{Component, Property};
use crate::day::clock_seconds;

/// An alarm made of a line.
pub(super) struct Made {
    pub(super) alarm: Component<'static>,
    /// Whether the line says more than has a place in it, such as the name of a sound
    /// that is no address.
    pub(super) says_more: bool,
}

/// The alarm that a line says; `None` where it has no moment.
pub(super) fn alarm_of(
    line: &Property<'_>,
    title: &str,
    start: Option<&EventTime>,
    zone: Option<&OldZone>,
) -> Option<Made> {
    let fields = fields(&raw_value(line));
    let field = |at: usize| fields.get(at).map(String::as_str).unwrap_or_default();
    let mut alarm = Component::new("VALARM");
    let mut placed = vec![0];
    alarm.push(trigger(field(0), start, zone)?);
    let text = |text: &str| if text.is_empty() { title.to_owned() } else { text.to_owned() };
    match line.name().to_ascii_uppercase().as_str() {
        "AALARM" => {
            alarm.push(Property::new("ACTION", &[], "AUDIO"));
            if field(3).contains(':') {
                placed.push(3);
                alarm.push(Property::new("ATTACH", &[], field(3)));
            }
        }
        "MALARM" if field(3).contains('@') => {
            placed.extend([3, 4]);
            alarm.push(Property::new("ACTION", &[], "EMAIL"));
            alarm.push(Property::new("ATTENDEE", &[], &format!("mailto:{}", field(3))));
            alarm.push(Property::text_of("SUMMARY", title));
            alarm.push(Property::text_of("DESCRIPTION", &text(field(4))));
        }
        _ => {
            placed.push(3);
            alarm.push(Property::new("ACTION", &[], "DISPLAY"));
            alarm.push(Property::text_of("DESCRIPTION", &text(field(3))));
        }
    }
    let again = Duration::parse(field(1)).zip(field(2).parse::<u32>().ok().filter(|count| *count > 0));
    if let Some((snooze, count)) = again {
        placed.extend([1, 2]);
        alarm.push(Property::new("DURATION", &[], &snooze.to_string()));
        alarm.push(Property::new("REPEAT", &[], &count.to_string()));
    }
    let is_left = |at: &usize| !placed.contains(at) && !field(*at).is_empty();
    let says_more = says_more_by_parameters(line) || (0..fields.len()).any(|at| is_left(&at));
    Some(Made { alarm, says_more })
}

/// Before the start where both are on one clock, so that it moves along; else a moment.
fn trigger(when: &str, start: Option<&EventTime>, zone: Option<&OldZone>) -> Option<Property<'static>> {
    let EventTime::Clock { at, zone: told } = EventTime::parse(when, None).ok()? else { return None };
    let is_local = told == ZoneRef::Floating;
    let on_one_clock = start.filter(|start| is_local == (*start.zone() != ZoneRef::Utc));
    if let Some(start) = on_one_clock {
        let ahead = clock_seconds(at) - clock_seconds(start.clock());
        return Some(Property::new("TRIGGER", &[], &Duration::from_seconds(ahead).to_string()));
    }
    let at = if is_local { zone?.in_utc(at)? } else { at };
    let moment = EventTime::Clock { at, zone: ZoneRef::Utc };
    Some(Property::new("TRIGGER", &[("VALUE", "DATE-TIME")], &moment.value()))
}
