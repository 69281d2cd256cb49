//! Numbers by which events are compared that may share something: coarser than what rules
//! compare, so that no two are left apart.

use crate::identity::{even_without_copy_marks, normalised, number_of};
use emvo_ical::calendar::{Series, ZoneRef};
use emvo_ical::day::{SECONDS_A_DAY, clock_seconds};

/// The number of an id.
pub(super) fn uid_number(uid: &str) -> u64 {
    number_of(&uid)
}

/// The number of a title in lower case, without the marks of a copy.
pub(super) fn title_number(title: &str) -> u64 {
    number_of(&even_without_copy_marks(&normalised(title)).0)
}

/// The number of what the dates of a series have in common that was taken apart: zone, time of
/// day, length on the clock, and the title as it stands.
pub(super) fn shape_number(zone: &str, start: i64, length: i64, title: &str) -> u64 {
    number_of(&(zone, start.rem_euclid(SECONDS_A_DAY), length, title))
}

/// The same of a single event among others; `None` if it can share none.
pub(super) fn shape_of(series: &Series<'_>) -> Option<u64> {
    let lead = series.lead();
    if series.repeats() || lead.is_all_day() {
        return None;
    }
    let zone = match lead.start().zone() {
        ZoneRef::Named(name) => name.as_str(),
        ZoneRef::Utc => "",
        ZoneRef::Floating => return None,
    };
    let start = clock_seconds(lead.start().clock());
    let length = clock_seconds(lead.end().clock()) - start;
    let title = lead.component().property("SUMMARY")?.value();
    Some(shape_number(zone, start, length, &title))
}
