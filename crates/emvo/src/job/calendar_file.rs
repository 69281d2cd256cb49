//! Calendars as files of their own: what came from a table gets what it needs for that.

use emvo_core::edit::Edited;
use emvo_core::merge::{Duplicates, LookAlikes, MergeInput, MergeOptions, merge};
use emvo_ical::calendar::Calendar;
use emvo_ical::content::Property;

use crate::input::{Loaded, Reading};
use crate::output::Kind;

/// A calendar as a file of its own: one from a table gets what it needs for
/// that, any other stays as it is.
pub(crate) fn as_calendar_file<'t>(path: &str, loaded: &mut Loaded<'t>, reading: &Reading) -> Calendar<'t> {
    let is_from_table = loaded.calendar.events().next().is_some_and(|event| event.line() == 0);
    if is_from_table { converted(path, loaded, Kind::Ics, reading).calendar } else { loaded.take() }
}

/// A calendar as it will be written. What becomes a calendar file goes through
/// a merge of its own, which gives it the zone definitions and ids it needs.
pub(crate) fn converted<'t>(
    path: &str,
    loaded: &mut Loaded<'t>,
    kind: Kind,
    reading: &Reading,
) -> Edited<'t> {
    let mut calendar = loaded.take();
    if kind != Kind::Ics {
        return Edited::unchanged(calendar, loaded.zones.clone());
    }
    if !calendar.states_name() {
        calendar.properties.push(Property::text_of("X-WR-CALNAME", &calendar.name()));
    }
    let input = MergeInput { calendar, zones: loaded.zones.clone(), label: path.to_owned() };
    let options = MergeOptions {
        duplicates: Duplicates::Keep,
        look_alikes: LookAlikes::Leave,
        ..MergeOptions::default()
    };
    merge(None, vec![input], options).into_edited(&reading.zones)
}
