//! A probe tells what a destination does: what is learned of a destination behaves as the
//! destination itself.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use std::collections::BTreeMap;
use std::fmt::Write as _;

use emvo_core::fit::{ImportCount, ImportFile, Limits, Rehearsed, rehearse, split_files};
use emvo_core::probe::{Answers, Ask, Learned, Value, learn, probe_text, second_text, year_of};
use emvo_core::survey::default_window;
use emvo_ical::calendar::{Calendar, read, write};
use emvo_ical::content::parse;
use emvo_ical::zone::{ZoneChoices, ZoneResolver};
use jiff::civil::Date;

const YEAR: i16 = 2027;

/// Numbers that look like chance and are the same each time (xorshift).
struct Dice(u64);

impl Dice {
    fn below(&mut self, end: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        usize::try_from(self.0 % u64::try_from(end).unwrap()).unwrap()
    }

    fn one_in(&mut self, chance: usize) -> bool {
        self.below(chance) == 0
    }

    fn of<'w>(&mut self, words: &[&'w str]) -> &'w str {
        words[self.below(words.len())]
    }
}

/// A limits file that nobody chose.
fn behaviour(dice: &mut Dice) -> String {
    let mut out = String::new();
    let mut key = |name: &str, value: String| writeln!(out, "{name} = {value}").unwrap();
    match dice.below(4) {
        0 => key("zones", "\"utc\"".to_owned()),
        1 => {}
        _ => {
            let zone = dice.of(&["Europe/Helsinki", "Asia/Tokyo", "Europe/Berlin", "America/New_York"]);
            key("zones", "\"one\"".to_owned());
            key("zone", format!("\"{zone}\""));
        }
    }
    for (name, words) in [
        ("foreign_zone", &["convert", "read-as-own", "refuse"][..]),
        ("series", &["any", "any", "plain", "none"]),
        ("unfit_series", &["unroll", "first-only", "rule-only", "refuse"]),
        ("exceptions", &["honoured", "ignored"]),
        ("same_uid", &["replace", "double", "skip"]),
        ("updates", &["replace", "double", "skip"]),
        ("ids", &["kept", "kept", "fresh"]),
        ("cancelled", &["kept", "dropped"]),
        ("all_day_end", &["exclusive", "inclusive"]),
        ("length", &["any", "needed"]),
    ] {
        if !dice.one_in(3) {
            key(name, format!("\"{}\"", dice.of(words)));
        }
    }
    for name in ["reminders", "attendees", "attachments", "own_properties", "tasks", "endless_series"] {
        if dice.one_in(3) {
            key(name, "false".to_owned());
        }
    }
    for (name, from, to) in [
        ("title_characters", 20, 200),
        ("location_characters", 5, 200),
        ("description_characters", 5, 3000),
        ("reminders_per_event", 1, 8),
        ("horizon_months", 1, 30),
        ("events_per_file", 40, 60),
    ] {
        if dice.one_in(3) {
            key(name, (from + dice.below(to - from)).to_string());
        }
    }
    let fields = [
        "location",
        "description",
        "busy",
        "private",
        "status",
        "category",
        "url",
        "conference",
        "resources",
        "contact",
        "comment",
        "priority",
        "geo",
        "color",
        "image",
        "related",
    ];
    let lost: Vec<String> =
        fields.iter().filter(|_| dice.one_in(5)).map(|name| format!("\"{name}\"")).collect();
    key("fields_lost", format!("[{}]", lost.join(", ")));
    out
}

/// A calendar that nobody wrote.
fn calendar_text(dice: &mut Dice) -> String {
    let mut out = "BEGIN:VCALENDAR\nVERSION:2.0\n".to_owned();
    for number in 0..6 {
        let uid = if dice.one_in(3) { 0 } else { number };
        let (day, hour) = (1 + dice.below(28), 6 + dice.below(14));
        let date = format!("2027{:02}{day:02}", 1 + dice.below(12));
        let zone = dice.of(&["", "", "Z", "Europe/Helsinki", "Europe/Stockholm", "America/New_York"]);
        let is_day = dice.one_in(4);
        let time = |name: &str, date: &str, clock: usize| match (is_day, zone) {
            (true, _) => format!("{name};VALUE=DATE:{date}\n"),
            (false, "" | "Z") => format!("{name}:{date}T{clock:02}0000{zone}\n"),
            (false, _) => format!("{name};TZID={zone}:{date}T{clock:02}0000\n"),
        };
        let mut lines =
            format!("UID:{uid}@example.org\nSUMMARY:Watch {number} on the forward deck of the ship\n");
        lines += &time("DTSTART", &date, hour);
        if !dice.one_in(4) {
            lines += if is_day { "DURATION:P2D\n" } else { "DURATION:PT90M\n" };
        } else if is_day {
            lines += &time("DTEND", &format!("2028{:02}{day:02}", 1 + dice.below(2)), hour);
        }
        if dice.one_in(3) {
            let rule = dice.of(&[
                "WEEKLY;COUNT=6",
                "DAILY;COUNT=9",
                "MONTHLY",
                "WEEKLY;INTERVAL=2",
                "YEARLY;COUNT=3",
            ]);
            writeln!(lines, "RRULE:FREQ={rule}").unwrap();
            if dice.one_in(3) {
                lines += &time("EXDATE", &date, hour);
            }
            if dice.one_in(4) {
                lines += &time("RDATE", "20280229", hour);
            }
        }
        for line in [
            "LOCATION:Quay 4\\, by the ramp behind the warehouse",
            "CATEGORIES:Deck,Engine",
            "STATUS:CANCELLED",
            "STATUS:TENTATIVE",
            "TRANSP:TRANSPARENT",
            "CLASS:PRIVATE",
            "URL:https://example.org/a",
            "SEQUENCE:2",
            "ATTENDEE:mailto:aino@example.org",
            "ATTACH:https://example.org/b",
            "X-BERTH:4",
            "PRIORITY:1",
            "GEO:60.1;19.9",
            "COMMENT:By the ramp",
            "COLOR:teal",
            "CONTACT:Harbour",
        ] {
            if dice.one_in(4) {
                writeln!(lines, "{line}").unwrap();
            }
        }
        if dice.one_in(3) {
            writeln!(lines, "DESCRIPTION:{}", "Muster at the car deck. ".repeat(1 + dice.below(160)))
                .unwrap();
        }
        for minutes in 0..dice.below(4) {
            writeln!(lines, "BEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:x\nTRIGGER:-PT{minutes}M\nEND:VALARM")
                .unwrap();
        }
        write!(out, "BEGIN:VEVENT\n{lines}END:VEVENT\n").unwrap();
    }
    out + "BEGIN:VTODO\nUID:t\nSUMMARY:Grease the ramp\nEND:VTODO\nEND:VCALENDAR\n"
}

/// A calendar with what its zone names mean.
struct Known {
    calendar: Calendar<'static>,
    zones: ZoneResolver,
}

impl Known {
    fn of(calendar: Calendar<'static>) -> Self {
        let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
        Self { calendar, zones }
    }

    fn read(text: &str) -> Self {
        Self::of(read(parse(text).roots.remove(0).into_owned(), "t"))
    }

    fn answers(&self) -> Answers<'_, 'static> {
        Answers::in_calendars(YEAR, &[(&self.calendar, &self.zones)])
    }
}

fn imported(files: &[&Known], limits: &Limits) -> Rehearsed<'static> {
    let horizon =
        default_window(files.iter().map(|file| &file.calendar)).map_or(Date::MAX, |window| window.until);
    let files: Vec<ImportFile<'_, 'static>> = files
        .iter()
        .map(|file| ImportFile { bytes: 1, calendars: vec![(&file.calendar, &file.zones)] })
        .collect();
    rehearse(&files, limits, horizon, ImportCount::Once)
}

/// What the destination holds after an import, as its export would have it.
fn export(files: &[&Known], limits: &Limits) -> Known {
    let held = imported(files, limits);
    let mut bytes = Vec::new();
    write(&held.calendar, &mut bytes);
    Known::read(&String::from_utf8(bytes).unwrap())
}

/// What a probe tells of a destination; in several files where one is too long for it.
fn probed(limits: &Limits) -> Learned {
    let sent = Known::read(&probe_text(YEAR));
    let there = export(&[&sent], limits);
    let first = learn(&sent.answers(), &there.answers());
    if !first.known().any(|(name, _)| name == "events_per_file") {
        return first;
    }
    let earlier: BTreeMap<String, String> =
        first.known().map(|(name, value)| (name.to_owned(), value.to_owned())).collect();
    let known = Limits::parse(&first.to_toml("first")).unwrap();
    let parts = split_files(sent.calendar.clone(), &known, &|_| 1).files;
    assert!(parts.len() > 1);
    let parts: Vec<Known> = parts.into_iter().map(Known::of).collect();
    let there = export(&parts.iter().collect::<Vec<_>>(), limits);
    let mut learned = learn(&sent.answers(), &there.answers());
    learned.fill_from(&earlier);
    learned
}

fn bytes_of(held: &Rehearsed<'_>) -> String {
    let mut bytes = Vec::new();
    write(&held.calendar, &mut bytes);
    String::from_utf8(bytes).unwrap()
}

#[test]
fn what_is_learned_of_200_destinations_behaves_as_they_do() {
    let mut dice = Dice(0x5eed_cafe_f00d);
    let calendars: Vec<Known> = (0..50).map(|_| Known::read(&calendar_text(&mut dice))).collect();
    for number in 0..200 {
        let truth = behaviour(&mut dice);
        let limits = Limits::parse(&truth).unwrap();
        let toml = probed(&limits).to_toml("learned");
        let learned = Limits::parse(&toml).unwrap_or_else(|error| panic!("{error}\n{toml}"));
        for calendar in &calendars {
            let (there, guessed) = (imported(&[calendar], &limits), imported(&[calendar], &learned));
            if let Some(difference) = first_difference(&bytes_of(&there), &bytes_of(&guessed)) {
                panic!("destination {number}: {difference}\n{truth}\nlearned:\n{toml}");
            }
            assert_eq!(there.refused.len(), guessed.refused.len(), "{truth}\n{toml}");
        }
    }
}

/// The first lines of two texts that differ, with those in front of them.
fn first_difference(one: &str, two: &str) -> Option<String> {
    if one == two {
        return None;
    }
    let (one, two): (Vec<&str>, Vec<&str>) = (one.lines().collect(), two.lines().collect());
    let at = one.iter().zip(&two).take_while(|(one, two)| one == two).count();
    let some = |lines: &[&str]| lines[at.saturating_sub(4)..lines.len().min(at + 3)].join("\n");
    Some(format!("the destination has\n{}\nand what was learned has\n{}", some(&one), some(&two)))
}

#[test]
fn a_destination_that_does_as_the_standard_says_has_no_limit() {
    let learned = probed(&Limits::default());
    let unknown: Vec<&str> =
        learned.keys.iter().filter(|key| key.value == Value::Unknown).map(|key| key.name).collect();
    assert_eq!(unknown, [] as [&str; 0]);
    assert_eq!(learned.told, [] as [&str; 0]);
    insta::assert_snapshot!(learned.to_toml("What a destination takes"));
}

/// Exports often hold some weeks alone. What lies outside of them was not refused.
#[test]
fn an_export_of_some_weeks_claims_nothing_from_what_is_missing() {
    let sent = Known::read(&probe_text(YEAR));
    let whole = export(&[&sent], &Limits::default());
    for (from, until) in
        [("2027-01-01", "2027-01-25"), ("2027-01-20", "2027-02-20"), ("2027-02-10", "2028-01-01")]
    {
        let (from, until): (Date, Date) = (from.parse().unwrap(), until.parse().unwrap());
        let mut part = whole.calendar.clone();
        part.series.retain(|series| {
            let start = series.lead().start().date();
            series.repeats() || (from..=until).contains(&start)
        });
        part.others.clear();
        let part = Known::of(part);
        let learned = learn(&sent.answers(), &part.answers());
        assert!(learned.is_of_part, "{from}");
        let limits = Limits::parse(&learned.to_toml("part")).unwrap();
        let free = Limits::default();
        assert_eq!(
            (limits.length, limits.tasks, limits.events_per_file),
            (free.length, free.tasks, None),
            "{from}"
        );
        assert_eq!(limits.zones, free.zones, "{from}");
        assert_eq!((limits.texts, limits.transitions), (free.texts, free.transitions), "{from}");
        assert_eq!(learned.told, [] as [&str; 0], "{from}");
    }
}

#[test]
fn a_second_import_tells_what_becomes_of_what_is_there() {
    let (sent, second) = (Known::read(&probe_text(YEAR)), Known::read(&second_text(YEAR)));
    for (same, updates) in
        [("replace", "skip"), ("skip", "replace"), ("double", "replace"), ("skip", "double")]
    {
        let limits = Limits::parse(&format!("same_uid = \"{same}\"\nupdates = \"{updates}\"\n")).unwrap();
        let there = export(&[&sent, &second], &limits);
        let answers = there.answers();
        assert!(answers.has_second());
        let learned = learn(&sent.answers(), &answers);
        let value = |wanted: &str| learned.known().find(|(name, _)| *name == wanted).unwrap().1.to_owned();
        assert_eq!((value("same_uid"), value("updates")), (format!("\"{same}\""), format!("\"{updates}\"")));
    }
}

#[test]
fn events_are_known_by_title_or_id_and_others_are_counted() {
    let text = probe_text(YEAR).replace("SUMMARY:Emvo 2027/01 a time in UTC", "SUMMARY:Busy");
    let text = text.replace(
        "BEGIN:VTODO",
        "BEGIN:VEVENT\r\nUID:own\r\nSUMMARY:Watch\r\nDTSTART:20270101T080000\r\nEND:VEVENT\r\nBEGIN:VTODO",
    );
    let known = Known::read(&text);
    let answers = known.answers();
    assert_eq!((answers.missing().count(), answers.others()), (0, 1));
    assert_eq!(year_of([&known.calendar].into_iter()), Some(YEAR));
    let none = Known::read(
        "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:own\nSUMMARY:Watch\nDTSTART:20270101T080000\nEND:VEVENT\nEND:VCALENDAR\n",
    );
    assert_eq!(year_of([&none.calendar].into_iter()), None);
    assert_eq!(none.answers().missing().count(), Ask::Last.number());
}
