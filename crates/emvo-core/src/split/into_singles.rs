//! Series → single events, one for each date.
//!
//! For destinations that know no series. Exceptions and overrides are honoured;
//! each event gets an id derived from its series and its date, and says which
//! series it came from.

use crate::identity::derived_uid_of_parts;
use crate::table::{COLUMN_HEADER, COLUMN_PROPERTY};
use emvo_ical::calendar::{Event, EventTime, Extent, Series};
use emvo_ical::content::{Component, Property};
use emvo_ical::recurrence::{Ceiling, Occurrence, Part, RuleError, Window, occurrences_of};
use emvo_ical::zone::ZoneResolver;

/// The header of the column, and the carried cell, that names the series.
pub(crate) const SERIES_HEADER: &str = "series";

/// What a series becomes.
#[derive(Debug)]
pub enum Singles<'a> {
    /// A single event for each of its dates in the window.
    Events(Vec<Series<'a>>),
    /// It has no date in the window.
    Outside,
    /// It has more dates than the ceiling allows, and stays a series.
    TooMany,
    /// A rule of it cannot be read, and it stays a series.
    Unreadable(RuleError),
}

/// Takes a series apart into its dates in a window. A single event stays itself
/// if it lies in the window.
pub fn into_singles<'a>(
    series: &Series<'a>,
    zones: &ZoneResolver,
    window: Window,
    ceiling: Ceiling,
) -> Singles<'a> {
    let found = occurrences_of(series, zones, window, ceiling);
    if let Some(error) = found.unreadable.into_iter().next() {
        return Singles::Unreadable(error);
    }
    if found.met_ceiling {
        return Singles::TooMany;
    }
    if !series.repeats() {
        let is_inside = !(found.list.is_empty() && found.cancelled.is_empty());
        return if is_inside { Singles::Events(vec![series.clone()]) } else { Singles::Outside };
    }
    if found.list.is_empty() {
        return Singles::Outside;
    }
    let template = Template::of(series.lead());
    let events = found.list.iter().filter_map(|occurrence| single(series, occurrence, &template));
    Singles::Events(events.collect())
}

/// The id of the series that a single event was taken from, if it says so.
pub(crate) fn series_of(event: &Event<'_>) -> Option<String> {
    let lines = event.component().properties_named(COLUMN_PROPERTY);
    let mut own =
        lines.filter(|line| line.parameter(COLUMN_HEADER).is_some_and(|header| header == SERIES_HEADER));
    own.next().map(|line| line.text().into_owned())
}

/// What all dates of an event have in common: made once, since a series may have ten
/// thousand further dates, and each date would leave out all of them again.
struct Template<'a> {
    component: Component<'a>,
    has_periods: bool,
}

impl<'a> Template<'a> {
    fn of(event: &Event<'a>) -> Self {
        let mut component = event.component().clone();
        for name in ["RRULE", "RDATE", "EXDATE", "EXRULE", "RECURRENCE-ID"] {
            component.remove(name);
        }
        Self { component, has_periods: has_periods(event) }
    }
}

/// One date of a series as an event of its own.
fn single<'a>(series: &Series<'a>, occurrence: &Occurrence, of_lead: &Template<'a>) -> Option<Series<'a>> {
    let event: &Event<'a> = occurrence.part.event(series);
    // What names the date for ever is the date that the series has it on.
    let (kind, slot): (&str, &EventTime) = match (occurrence.part, event.replaces()) {
        (Part::Override(_), Some(replaces)) => ("date", replaces),
        (Part::Master | Part::Override(_), _) => ("date", &occurrence.start),
        (Part::Later(_), _) => ("later", &occurrence.start),
    };
    let own = series.uid_text().into_owned();
    let uid = derived_uid_of_parts(&[kind, &own, &slot.to_string()], 0);
    let own_template = (occurrence.part != Part::Master).then(|| Template::of(event));
    let template = own_template.as_ref().unwrap_or(of_lead);
    let mut component = template.component.clone();
    component.set(Property::text_of("UID", uid.as_str()));
    if !own.is_empty() {
        let value = emvo_ical::content::escape_text(&own).into_owned();
        component.add(Property::new(COLUMN_PROPERTY, &[(COLUMN_HEADER, SERIES_HEADER)], &value));
    }
    let mut single = event.made_anew(component)?;
    single.set_start(occurrence.start.clone());
    // A stated length says the same on every date, where no date brings one of its own.
    if matches!(single.extent(), Extent::End(_)) || template.has_periods {
        single.set_extent(Extent::End(occurrence.end.clone()));
    }
    Some(Series::of(single))
}

/// Whether further dates of an event have lengths of their own (`RDATE;VALUE=PERIOD`).
fn has_periods(event: &Event<'_>) -> bool {
    event.component().properties_named("RDATE").any(|line| line.value().contains('/'))
}

#[cfg(test)]
mod tests {
    use super::*;
    use emvo_ical::calendar::{Calendar, read};
    use emvo_ical::content::parse;
    use emvo_ical::zone::ZoneChoices;
    use proptest::prelude::*;

    fn calendar(lines: &str) -> Calendar<'static> {
        let text = format!("BEGIN:VCALENDAR\n{lines}END:VCALENDAR\n");
        read(parse(&text).roots.remove(0).into_owned(), "test")
    }

    fn window() -> Window {
        Window { from: "2026-01-01".parse().unwrap(), until: "2027-12-31".parse().unwrap() }
    }

    /// Start, end and title of every date.
    fn dates(series: &[Series<'_>], zones: &ZoneResolver) -> Vec<(String, String, String)> {
        let mut dates: Vec<_> = series
            .iter()
            .flat_map(|series| {
                let found = occurrences_of(series, zones, window(), Ceiling::default());
                found.list.into_iter().map(|one| {
                    let event = one.part.event(series);
                    (
                        one.start.to_string(),
                        one.end.to_string(),
                        event.title().unwrap_or_default().into_owned(),
                    )
                })
            })
            .collect();
        dates.sort();
        dates
    }

    const ROSTER: &str = "BEGIN:VEVENT\nUID:r\nSUMMARY:Watch\nDTSTART;TZID=Europe/Helsinki:20260302T080000\n\
        DTEND;TZID=Europe/Helsinki:20260302T160000\nRRULE:FREQ=WEEKLY;COUNT=6\nEXDATE;TZID=Europe/Helsinki:20260309T080000\n\
        BEGIN:VALARM\nACTION:DISPLAY\nTRIGGER:-PT1H\nEND:VALARM\nEND:VEVENT\n\
        BEGIN:VEVENT\nUID:r\nSUMMARY:Watch (swapped)\nRECURRENCE-ID;TZID=Europe/Helsinki:20260316T080000\n\
        DTSTART;TZID=Europe/Helsinki:20260317T120000\nDURATION:PT2H\nEND:VEVENT\n\
        BEGIN:VEVENT\nUID:r\nRECURRENCE-ID;TZID=Europe/Helsinki:20260323T080000\nDTSTART;TZID=Europe/Helsinki:20260323T080000\n\
        STATUS:CANCELLED\nEND:VEVENT\n";

    fn singles(calendar: &Calendar<'static>, zones: &ZoneResolver) -> Vec<Series<'static>> {
        match into_singles(&calendar.series[0], zones, window(), Ceiling::default()) {
            Singles::Events(events) => events,
            other => panic!("{other:?}"),
        }
    }

    #[test]
    fn each_date_becomes_an_event_that_knows_its_series() {
        let calendar = calendar(ROSTER);
        let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
        let events = singles(&calendar, &zones);
        assert_eq!(dates(&events, &zones), dates(&calendar.series, &zones));
        let shown: Vec<_> = events.iter().map(|event| event.lead().span()).collect();
        assert_eq!(
            shown,
            [
                "2026-03-02 08:00–16:00 Europe/Helsinki",
                "2026-03-17 12:00–14:00 Europe/Helsinki",
                "2026-03-30 08:00–16:00 Europe/Helsinki",
                "2026-04-06 08:00–16:00 Europe/Helsinki",
            ]
        );
        let uids: std::collections::BTreeSet<_> = events.iter().map(Series::uid).collect();
        assert_eq!(uids.len(), 4);
        for event in &events {
            assert!(!event.repeats());
            assert_eq!(event.lead().component().text(COLUMN_PROPERTY).as_deref(), Some("r"));
        }
        assert_eq!(events[0].lead().alarms().count(), 1);
        assert_eq!(singles(&calendar, &zones)[0].uid(), events[0].uid(), "the same on every run");
    }

    #[test]
    fn a_further_date_keeps_the_length_that_it_brings() {
        let calendar = calendar(
            "BEGIN:VEVENT\nUID:1\nDTSTART:20260105T090000Z\nDURATION:PT1H\nRRULE:FREQ=WEEKLY;COUNT=3\n\
             RDATE;VALUE=PERIOD:20260108T090000Z/PT3H,20260109T090000Z/20260109T093000Z\nEND:VEVENT\n",
        );
        let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
        let events = singles(&calendar, &zones);
        assert_eq!(dates(&events, &zones), dates(&calendar.series, &zones));
        assert_eq!(events[1].lead().span(), "2026-01-08 09:00–12:00 UTC");
        assert_eq!(events[2].lead().span(), "2026-01-09 09:00–09:30 UTC");
    }

    #[test]
    fn what_cannot_be_unrolled_says_why() {
        let zones = ZoneResolver::default();
        let of = |rule: &str, ceiling| {
            let calendar =
                calendar(&format!("BEGIN:VEVENT\nUID:1\nDTSTART:20260101T080000Z\n{rule}END:VEVENT\n"));
            into_singles(&calendar.series[0], &zones, window(), Ceiling(ceiling))
        };
        assert!(matches!(of("RRULE:FREQ=SECONDLY\n", 100), Singles::TooMany));
        assert!(matches!(of("RRULE:FREQ=NEVER\n", 100), Singles::Unreadable(_)));
        assert!(matches!(
            of("RRULE:FREQ=DAILY;COUNT=2\nEXDATE:20260101T080000Z,20260102T080000Z\n", 100),
            Singles::Outside
        ));
        let outside = calendar("BEGIN:VEVENT\nUID:1\nDTSTART:20250101T080000Z\nEND:VEVENT\n");
        assert!(matches!(into_singles(&outside.series[0], &zones, window(), Ceiling(9)), Singles::Outside));
    }

    proptest! {
        #[test]
        fn singles_is_expanded(
            rule in prop::sample::select(vec![
                "FREQ=DAILY;INTERVAL=9", "FREQ=WEEKLY;BYDAY=MO,FR", "FREQ=MONTHLY;BYDAY=-1FR", "FREQ=MONTHLY;BYMONTHDAY=31",
                "FREQ=YEARLY", "FREQ=WEEKLY;INTERVAL=3;COUNT=20", "FREQ=DAILY;UNTIL=20260601T000000Z",
            ]),
            day in 1..28_u32, hour in 0..24_u32, extent in prop::sample::select(vec!["", "DURATION:PT7H\n", "DURATION:P1D\n"]),
        ) {
            let calendar = calendar(&format!(
                "BEGIN:VEVENT\nUID:1\nDTSTART;TZID=Europe/Helsinki:202602{day:02}T{hour:02}0000\n{extent}RRULE:{rule}\nEND:VEVENT\n"
            ));
            let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
            prop_assert_eq!(dates(&singles(&calendar, &zones), &zones), dates(&calendar.series, &zones));
        }
    }
}
