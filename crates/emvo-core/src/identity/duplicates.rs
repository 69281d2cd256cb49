//! Whether two events under different ids are the same (rule U03).

use std::collections::BTreeSet;

use jiff::civil::Date;

use super::shared::number_of;
use super::text::normalised;
use emvo_ical::calendar::{Event, EventTime, Series};
use emvo_ical::content::Property;
use emvo_ical::recurrence::{Ceiling, Occurrences, Window, occurrences_of, own_end};
use emvo_ical::zone::ZoneResolver;

/// What two events must share before they are worth comparing: title, start
/// and end. Starts and ends count as instants where their zones are known.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Fingerprint {
    title: String,
    start: Moment,
    end: Moment,
}

/// A time, comparable across the zones it may be written in.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(crate) enum Moment {
    /// Seconds since 1970 in UTC.
    Instant(i64),
    /// A date, or a clock time that nothing ties to the world.
    Unbound(Box<EventTime>),
}

impl Moment {
    /// When an event ends; a length in hours is exact, across a changeover too.
    pub(crate) fn of_end(event: &Event<'_>, zones: &ZoneResolver) -> Self {
        Self::of(&own_end(event, zones), zones)
    }

    pub(crate) fn of(time: &EventTime, zones: &ZoneResolver) -> Self {
        zones.instant(time).map_or_else(|| Self::Unbound(Box::new(time.clone())), Self::Instant)
    }
}

/// Whether two events end at the same moment. A length in days is nominal, one in
/// hours exact, and servers write one as the other: either reading will do.
pub(crate) fn same_end(
    (one, one_zones): (&Event<'_>, &ZoneResolver),
    (two, two_zones): (&Event<'_>, &ZoneResolver),
) -> bool {
    Moment::of_end(one, one_zones) == Moment::of_end(two, two_zones)
        || Moment::of(&one.end(), one_zones) == Moment::of(&two.end(), two_zones)
}

impl Fingerprint {
    /// The fingerprint of an event as a number, made without keeping it. `None`
    /// without a title, which leaves too little to go by.
    pub(crate) fn number(event: &Event<'_>, zones: &ZoneResolver) -> Option<u64> {
        Some(Self::number_under(&normalised(&event.title()?), event, zones))
    }

    /// The same with a title that is known, blanks evened out.
    pub(crate) fn number_under(title: &str, event: &Event<'_>, zones: &ZoneResolver) -> u64 {
        let moments = (Moment::of(event.start(), zones), Moment::of_end(event, zones));
        number_of(&(title, moments))
    }

    /// The fingerprint of an event.
    pub fn of(event: &Event<'_>, zones: &ZoneResolver) -> Self {
        Self {
            title: normalised(&event.title().unwrap_or_default()).into_owned(),
            start: Moment::of(event.start(), zones),
            end: Moment::of_end(event, zones),
        }
    }
}

/// Whether two series stand for the same dates with the same titles, however
/// their rules are put.
///
/// Rules that read alike need no expansion; others are compared date by date,
/// up to `ceiling` and ten years on, endless against endless only.
pub fn same_dates(
    first: (&Series<'_>, &ZoneResolver),
    second: (&Series<'_>, &ZoneResolver),
    ceiling: Ceiling,
) -> bool {
    let [(one, one_zones), (two, two_zones)] = [first, second];
    if !one.repeats() && !two.repeats() {
        return true;
    }
    if one.overrides().is_empty()
        && two.overrides().is_empty()
        && recurrence_lines(one.lead()) == recurrence_lines(two.lead())
    {
        return one.lead().start().zone() == two.lead().start().zone();
    }
    if is_endless(one) != is_endless(two) {
        return false;
    }
    let from = one.lead().start().date().min(two.lead().start().date());
    let until = from.checked_add(jiff::Span::new().years(10)).unwrap_or(Date::MAX);
    let window = Window { from, until };
    let dates = |series: &Series<'_>, zones: &ZoneResolver| {
        let Occurrences { list, cancelled, .. } = occurrences_of(series, zones, window, ceiling);
        let moments = |list: Vec<emvo_ical::recurrence::Occurrence>| {
            list.into_iter()
                .map(|occurrence| {
                    let title = occurrence.part.event(series).title().unwrap_or_default().into_owned();
                    (Moment::of(&occurrence.start, zones), Moment::of(&occurrence.end, zones), title)
                })
                .collect::<Vec<_>>()
        };
        (moments(list), moments(cancelled))
    };
    dates(one, one_zones) == dates(two, two_zones)
}

fn recurrence_lines(event: &Event<'_>) -> BTreeSet<String> {
    recurrence_properties(event).map(|property| property.logical().to_uppercase()).collect()
}

/// What an event says about the dates of its series.
pub(crate) fn recurrence_properties<'e, 'a>(event: &'e Event<'a>) -> impl Iterator<Item = &'e Property<'a>> {
    let names = ["RRULE", "RDATE", "EXDATE", "EXRULE"];
    names.into_iter().flat_map(|name| event.component().properties_named(name))
}

fn is_endless(series: &Series<'_>) -> bool {
    series.lead().rules().any(|rule| {
        let rule = rule.to_ascii_uppercase();
        !rule.contains("UNTIL=") && !rule.contains("COUNT=")
    })
}
