//! Expanding rules into dates, an item being one occurrence.
//!
//! Windows are taken right at the start of a series and twenty years on: the
//! later one must cost no more.

use divan::Bencher;
use divan::counter::ItemsCount;
use emvo_ical::calendar::{self, Series};
use emvo_ical::content::parse;
use emvo_ical::recurrence::{Ceiling, Window, occurrences_of};
use emvo_ical::zone::{ZoneChoices, ZoneResolver};
use jiff::civil::Date;

fn main() {
    divan::main();
}

fn series(rule: &str) -> (Series<'static>, ZoneResolver) {
    let text = format!(
        "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:1\nDTSTART;TZID=Europe/Helsinki:20000105T080000\nDURATION:PT1H\nRRULE:{rule}\nEND:VEVENT\nEND:VCALENDAR\n"
    );
    let calendar = calendar::read(parse(&text).roots.remove(0).into_owned(), "bench");
    let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
    (calendar.series[0].clone(), zones)
}

const RULES: [(&str, &str); 6] = [
    ("daily", "FREQ=DAILY"),
    ("weekly", "FREQ=WEEKLY;BYDAY=MO,WE,FR"),
    ("monthly by ordinal", "FREQ=MONTHLY;BYDAY=-1FR"),
    ("monthly by position", "FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1"),
    ("yearly by ordinal", "FREQ=YEARLY;BYDAY=20MO"),
    ("yearly by week", "FREQ=YEARLY;BYWEEKNO=20;BYDAY=MO"),
];

/// The dates of a rule over a thousand years, on its own clock.
#[divan::bench(args = RULES.map(|(name, _)| name))]
fn expand(bencher: Bencher<'_, '_>, name: &str) {
    let rule = RULES.iter().find(|(known, _)| *known == name).map_or("", |(_, rule)| rule);
    let (series, zones) = series(rule);
    let window = Window { from: Date::constant(2000, 1, 1), until: Date::constant(2999, 12, 31) };
    let count = occurrences_of(&series, &zones, window, Ceiling(10_000_000)).list.len();
    bencher.counter(ItemsCount::new(count)).bench(|| {
        let found = occurrences_of(&series, &zones, window, Ceiling(10_000_000));
        assert_eq!(found.list.len(), count);
        found
    });
}

/// One year, at the start of the series and twenty years later.
#[divan::bench(args = [2001, 2021])]
fn one_year_of_a_daily_series(bencher: Bencher<'_, '_>, year: i16) {
    let (series, zones) = series("FREQ=DAILY");
    let window = Window { from: Date::constant(year, 1, 1), until: Date::constant(year, 12, 31) };
    bencher.counter(ItemsCount::new(365_usize)).bench(|| {
        let found = occurrences_of(&series, &zones, window, Ceiling::default());
        assert_eq!(found.list.len(), 365);
        found
    });
}
