//! Zone definitions as they are written, read by an evaluator of this test's own that
//! shares no code with the crate, against the tz database.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use emvo_ical::content::push_component;
use emvo_ical::zone::{Zone, definition_of};
use jiff::Timestamp;
use jiff::civil::{Date, DateTime, date};
use jiff::tz::TimeZone;

/// When the clocks were set, in seconds since 1970 in UTC, from and to which offset.
struct Onset {
    at: i64,
    from: i64,
    to: i64,
}

/// Everything that a definition says until the end of 2101.
struct Evaluator {
    onsets: Vec<Onset>,
}

impl Evaluator {
    fn read(text: &str) -> Self {
        let mut onsets = Vec::new();
        let unfolded = text.replace("\r\n ", "");
        for kind in ["STANDARD", "DAYLIGHT"] {
            let (begin, end) = (format!("BEGIN:{kind}\r\n"), format!("END:{kind}\r\n"));
            for block in unfolded.split(&begin).skip(1) {
                onsets.extend(observance(block.split(&end).next().unwrap()));
            }
        }
        onsets.sort_by_key(|onset| onset.at);
        Self { onsets }
    }

    fn offset_at(&self, instant: i64) -> i64 {
        match self.onsets.partition_point(|onset| onset.at <= instant) {
            0 => self.onsets[0].from,
            behind => self.onsets[behind - 1].to,
        }
    }
}

fn observance(block: &str) -> Vec<Onset> {
    let value = |name: &str| block.lines().find_map(|line| line.strip_prefix(name)?.strip_prefix(':'));
    let (from, to) = (offset(value("TZOFFSETFROM").unwrap()), offset(value("TZOFFSETTO").unwrap()));
    let start = clock(value("DTSTART").unwrap());
    let in_utc = |local: DateTime| seconds(local) - from;
    let mut local = vec![start];
    for line in block.lines().filter_map(|line| line.strip_prefix("RDATE:")) {
        local.extend(line.split(',').map(clock));
    }
    if let Some(rule) = value("RRULE") {
        let part = |name: &str| rule.split(';').find_map(|part| part.strip_prefix(name)?.strip_prefix('='));
        assert_eq!(part("FREQ"), Some("YEARLY"), "{rule}");
        let known = ["FREQ", "UNTIL", "BYMONTH", "BYDAY", "BYMONTHDAY"];
        assert!(rule.split(';').all(|part| known.contains(&part.split('=').next().unwrap())), "{rule}");
        let until = part("UNTIL").map(|until| clock(until.strip_suffix('Z').unwrap()));
        let last_year = until.map_or(2101, |until| until.year() + 1);
        let month = part("BYMONTH").map_or(start.month(), |month| month.parse().unwrap());
        let day = Days::of(&part, start.date());
        for year in start.year()..=last_year {
            let first = date(year, month, 1);
            let picked =
                (1..=first.days_in_month()).map(|at| date(year, month, at)).filter(|at| day.has(*at));
            let later = picked.map(|day| day.to_datetime(start.time())).filter(|at| *at > start);
            local.extend(later.filter(|at| until.is_none_or(|until| in_utc(*at) <= seconds(until))));
        }
    }
    local.into_iter().map(|at| Onset { at: in_utc(at), from, to }).collect()
}

/// Which days of its month a yearly rule picks.
struct Days {
    of_month: Vec<i8>,
    /// Which one of the month, from its start or its end, and the day of the week.
    of_week: Vec<(Option<i8>, i8)>,
}

impl Days {
    fn of<'r>(part: &impl Fn(&str) -> Option<&'r str>, start: Date) -> Self {
        let list =
            |name: &str| part(name).map(|values| values.split(',').collect::<Vec<_>>()).unwrap_or_default();
        let weekday = |text: &str| {
            let (ordinal, name) = text.split_at(text.len() - 2);
            let names = ["MO", "TU", "WE", "TH", "FR", "SA", "SU"];
            let at = names.iter().position(|known| *known == name).unwrap();
            (ordinal.parse().ok(), i8::try_from(at).unwrap())
        };
        let of_week: Vec<_> = list("BYDAY").into_iter().map(weekday).collect();
        let mut of_month: Vec<i8> = list("BYMONTHDAY").iter().map(|day| day.parse().unwrap()).collect();
        if of_week.is_empty() && of_month.is_empty() {
            of_month.push(start.day());
        }
        Self { of_month, of_week }
    }

    fn has(&self, day: Date) -> bool {
        let from_start = (day.day() - 1) / 7 + 1;
        let from_end = -((day.days_in_month() - day.day()) / 7 + 1);
        let fits = |(ordinal, name): &(Option<i8>, i8)| {
            *name == day.weekday().to_monday_zero_offset()
                && ordinal.is_none_or(|ordinal| ordinal == from_start || ordinal == from_end)
        };
        (self.of_month.is_empty() || self.of_month.contains(&day.day()))
            && (self.of_week.is_empty() || self.of_week.iter().any(fits))
    }
}

fn clock(text: &str) -> DateTime {
    DateTime::strptime("%Y%m%dT%H%M%S", text).unwrap()
}

fn seconds(at: DateTime) -> i64 {
    TimeZone::UTC.to_timestamp(at).unwrap().as_second()
}

/// `+0200`, `-033052`.
fn offset(text: &str) -> i64 {
    let part = |from: usize| text.get(from..from + 2).map_or(0, |digits| digits.parse::<i64>().unwrap());
    let all = part(1) * 3600 + part(3) * 60 + part(5);
    if text.starts_with('-') { -all } else { all }
}

#[test]
fn five_hundred_zones_are_written_as_they_behave_from_1900_to_2100() {
    let (first, last) =
        (seconds(date(1900, 1, 1).at(0, 0, 0, 0)), seconds(date(2100, 12, 31).at(0, 0, 0, 0)));
    let (mut zones, mut changes) = (0, 0);
    for name in jiff::tz::db().available() {
        let (Ok(truth), Some(zone)) = (TimeZone::get(name.as_str()), Zone::named(name.as_str())) else {
            continue;
        };
        let mut text = Vec::new();
        push_component(&mut text, &definition_of(zone.name(), zone.transitions(), first, last));
        let evaluator = Evaluator::read(&String::from_utf8(text).unwrap());
        let ensure = |instant: i64| {
            let expected = truth.to_offset(Timestamp::from_second(instant).unwrap()).seconds();
            assert_eq!(evaluator.offset_at(instant), i64::from(expected), "{} at {instant}", name.as_str());
        };
        ensure(first);
        for change in truth.following(Timestamp::from_second(first).unwrap()) {
            let at = change.timestamp().as_second();
            if at > last {
                break;
            }
            [at - 1, at, at + 86_400 * 30].into_iter().for_each(ensure);
            changes += 1;
        }
        zones += 1;
    }
    assert!(zones >= 500 && changes > 50_000, "{zones} zones, {changes} changes");
}
