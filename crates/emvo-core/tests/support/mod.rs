//! Calendars made from a few lines, and what they say, for tests of the core.
#![allow(dead_code, reason = "each test file uses its own part of this")]
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use emvo_core::view::CalendarView;
use emvo_ical::calendar::{self, Calendar, EventTime, Series};
use emvo_ical::content::parse;
use emvo_ical::recurrence::{Ceiling, Window, occurrences_of};
use emvo_ical::zone::{ZoneChoices, ZoneResolver};
use jiff::civil::Date;

/// A calendar with what its zone names mean.
pub(crate) struct Read {
    pub calendar: Calendar<'static>,
    pub zones: ZoneResolver,
}

impl Read {
    /// The calendar of these components.
    pub(crate) fn of(lines: &str) -> Self {
        let text = format!("BEGIN:VCALENDAR\nVERSION:2.0\n{lines}END:VCALENDAR\n");
        let calendar = calendar::read(parse(&text).roots.remove(0).into_owned(), "test");
        let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
        Self { calendar, zones }
    }

    pub(crate) fn view(&self) -> CalendarView<'_, 'static> {
        CalendarView { calendar: &self.calendar, zones: &self.zones, path: "test.ics" }
    }

    pub(crate) fn first(&self) -> &Series<'static> {
        &self.calendar.series[0]
    }
}

/// An event of these lines; each says its own times.
pub(crate) fn event(uid: &str, lines: &str) -> String {
    format!("BEGIN:VEVENT\nUID:{uid}\n{lines}\nEND:VEVENT\n")
}

/// From the first year that anybody writes to far in the future.
pub(crate) fn always() -> Window {
    Window { from: Date::constant(1990, 1, 1), until: Date::constant(2060, 12, 31) }
}

/// Every date of some series: instants where there are any, else as they stand,
/// with the title.
pub(crate) fn dates(series: &[Series<'_>], zones: &ZoneResolver, window: Window) -> Vec<String> {
    let shown = |time: &EventTime| {
        zones.instant(time).map_or_else(|| time.to_string(), |instant| instant.to_string())
    };
    let mut all = Vec::new();
    for series in series {
        let found = occurrences_of(series, zones, window, Ceiling::default());
        assert!(found.unreadable.is_empty(), "{:?}", found.unreadable);
        all.extend(found.list.iter().map(|one| {
            let title = one.part.event(series).title().unwrap_or_default().into_owned();
            format!("{} {} {title}", shown(&one.start), shown(&one.end))
        }));
    }
    all.sort();
    all
}
