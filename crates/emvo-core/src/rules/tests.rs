//! Every rule: what it finds, what it leaves alone, and that a repaired
//! calendar is clean.

use super::*;
use crate::calendar::{Calendar, read, write};
use crate::content::parse;
use crate::recurrence::{Ceiling, Window, occurrences_of};
use crate::zone::{Definition, Zone, ZoneBook, ZoneChoices};

const HELSINKI: &str = "BEGIN:STANDARD\nDTSTART:16010101T040000\nTZOFFSETFROM:+0300\nTZOFFSETTO:+0200\n\
    RRULE:FREQ=YEARLY;BYDAY=-1SU;BYMONTH=10\nEND:STANDARD\n\
    BEGIN:DAYLIGHT\nDTSTART:16010101T030000\nTZOFFSETFROM:+0200\nTZOFFSETTO:+0300\n\
    RRULE:FREQ=YEARLY;BYDAY=-1SU;BYMONTH=3\nEND:DAYLIGHT\n";

fn zone(name: &str, body: &str) -> String {
    format!("BEGIN:VTIMEZONE\nTZID:{name}\n{body}END:VTIMEZONE\n")
}

fn event(lines: &str) -> String {
    format!("BEGIN:VEVENT\nUID:1\nSUMMARY:Drill\n{lines}END:VEVENT\n")
}

/// What a calendar has to hold for a rule, and what it is told besides.
#[derive(Clone, Default)]
struct Fixture {
    lines: String,
    house: Option<&'static str>,
    map: Option<(&'static str, &'static str)>,
    forced: Option<&'static str>,
    other: Option<String>,
}

impl Fixture {
    fn of(lines: impl Into<String>) -> Self {
        Self { lines: lines.into(), ..Self::default() }
    }

    fn calendar(&self) -> Calendar<'static> {
        let text = format!("BEGIN:VCALENDAR\n{}END:VCALENDAR\n", self.lines);
        read(parse(&text).roots.remove(0).into_owned(), "fixture")
    }

    fn choices(&self) -> ZoneChoices {
        let named = |name: &str| Zone::named(name).unwrap();
        let map = self.map.map(|(name, zone)| (name.to_owned(), named(zone))).into_iter().collect();
        ZoneChoices { house: self.house.map(named), map }
    }

    fn options(&self) -> CheckOptions {
        let others = self.other.iter().map(|text| OtherDefinition {
            path: "other.ics".to_owned(),
            definition: Definition::read(&parse(text).roots[0]).unwrap(),
        });
        CheckOptions { forced_zone: self.forced.and_then(Zone::named), others: others.collect() }
    }

    fn findings(&self, calendar: &Calendar<'_>) -> Vec<Finding> {
        let choices = self.choices();
        let zones = ZoneBook::of(calendar, &choices);
        let options = self.options();
        let context = Context::of(calendar, &zones, choices.house.as_ref(), &options);
        check(&context, &RuleChoice::default(), &Selection::default())
    }

    fn of_rule(&self, id: &str) -> Vec<Finding> {
        let found = self.findings(&self.calendar());
        found.into_iter().filter(|finding| finding.rule.as_str() == id).collect()
    }

    fn repaired(&self, id: &str) -> Repaired<'static> {
        let only = [rule(id).unwrap().id()].into();
        let plan = RepairPlan {
            rules: RuleChoice { only, ..RuleChoice::default() },
            consent: Consent::All,
            options: self.options(),
            ..RepairPlan::default()
        };
        repair(self.calendar(), &self.choices(), &plan)
    }
}

/// For each rule: a calendar with the fault and what is said of it, and a
/// calendar that looks like it and has none.
#[allow(clippy::too_many_lines, reason = "one table")]
fn fixtures() -> Vec<(&'static str, Fixture, &'static str, Fixture)> {
    let outdated = HELSINKI.replace("BYMONTH=10", "BYMONTH=9");
    let weekly_utc = "DTSTART:20260907T053000Z\nRRULE:FREQ=WEEKLY;COUNT=30\nEXDATE:20261102T053000Z\n";
    let stated = "X-WR-TIMEZONE:Europe/Helsinki\n";
    let ship = |offset: &str| {
        zone(
            "Ship",
            &format!(
                "BEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:{offset}\nTZOFFSETTO:{offset}\nEND:STANDARD\n"
            ),
        )
    };
    let at_ship = event("DTSTART;TZID=Ship:20260907T080000\n");
    vec![
        (
            "Z01",
            Fixture::of(
                zone("FLE Standard Time", HELSINKI)
                    + &event("DTSTART;TZID=FLE Standard Time:20260907T080000\n"),
            ),
            "`FLE Standard Time` means Europe/Kyiv",
            Fixture::of(
                zone("Europe/Helsinki", HELSINKI) + &event("DTSTART;TZID=Europe/Helsinki:20260907T080000\n"),
            ),
        ),
        (
            "Z02",
            Fixture::of(event("DTSTART;TZID=Europe/Helsinki:20260907T080000\n")),
            "`Europe/Helsinki` is not defined in the file; it means Europe/Helsinki",
            Fixture::of(event("DTSTART:20260907T080000Z\n")),
        ),
        (
            "Z03",
            Fixture::of(
                stated.to_owned()
                    + &zone("Skarvik ship time", HELSINKI)
                    + &event("DTSTART;TZID=Skarvik ship time:20260907T080000\n"),
            ),
            "`Skarvik ship time` keeps the time of Europe/Helsinki over all dates in use (the calendar states it)",
            Fixture::of(stated.to_owned() + &ship("+0217") + &at_ship),
        ),
        (
            "Z04",
            Fixture::of(
                zone("Europe/Helsinki", &outdated)
                    + &event("DTSTART;TZID=Europe/Helsinki:20260907T080000\nRRULE:FREQ=WEEKLY;COUNT=10\n"),
            ),
            "the file's definition of `Europe/Helsinki` is not what the zone does: 4 dates would be off by +1:00 h",
            Fixture::of(
                zone("Europe/Helsinki", &outdated)
                    + &event("DTSTART;TZID=Europe/Helsinki:20260707T080000\nRRULE:FREQ=WEEKLY;COUNT=10\n"),
            ),
        ),
        (
            "Z05",
            Fixture::of(stated.to_owned() + &event("DTSTART:20260907T080000\n")),
            "no zone given; Europe/Helsinki is meant (the calendar states it)",
            Fixture::of(stated.to_owned() + &event("DTSTART;VALUE=DATE:20260907\n")),
        ),
        (
            "Z06",
            Fixture::of(stated.to_owned() + &event(weekly_utc)),
            "repeats in UTC while the calendar lives in Europe/Helsinki (the calendar states it): from the next changeover on its clock time is another",
            Fixture::of(stated.to_owned() + &event(&weekly_utc.replace("COUNT=30", "COUNT=5"))),
        ),
        (
            "Z07",
            Fixture::of(event("DTSTART;TZID=Europe/Helsinki:20260322T033000\nRRULE:FREQ=WEEKLY;COUNT=5\n")),
            "2026-03-29 03:30 Europe/Helsinki does not exist, clocks skip it; read as 04:30:00",
            Fixture::of(event("DTSTART;TZID=Europe/Helsinki:20260322T040000\nRRULE:FREQ=WEEKLY;COUNT=5\n")),
        ),
        (
            "Z08",
            Fixture { other: Some(ship("+0317")), ..Fixture::of(ship("+0217") + &at_ship) },
            "`Ship` is defined otherwise in other.ics",
            Fixture { other: Some(ship("+0217")), ..Fixture::of(ship("+0217") + &at_ship) },
        ),
        (
            "Z09",
            Fixture::of(event(
                "DTSTART;TZID=Europe/Helsinki:20260907T080000\nRRULE:FREQ=WEEKLY;COUNT=9\nEXDATE:20261102T060000Z\n",
            )),
            "starts in Europe/Helsinki, but has dates in UTC",
            Fixture::of(event(
                "DTSTART;TZID=Europe/Stockholm:20260907T080000\nDTEND;TZID=Europe/Helsinki:20260907T120000\n",
            )),
        ),
        (
            "Z10",
            Fixture {
                forced: Some("America/New_York"),
                ..Fixture::of(event(
                    "DTSTART;TZID=Europe/Helsinki:20260907T160000\nRRULE:FREQ=WEEKLY;COUNT=12\n",
                ))
            },
            "in America/New_York its dates are at two clock times: 3 series are needed",
            Fixture {
                forced: Some("Europe/Stockholm"),
                ..Fixture::of(event(
                    "DTSTART;TZID=Europe/Helsinki:20260907T160000\nRRULE:FREQ=WEEKLY;COUNT=12\n",
                ))
            },
        ),
    ]
}

#[test]
fn each_rule_finds_its_fault_and_leaves_the_near_miss_alone() {
    for (id, fault, message, near_miss) in fixtures() {
        let found = fault.of_rule(id);
        let messages: Vec<_> = found.iter().map(|finding| finding.message.as_str()).collect();
        assert_eq!(messages, [message], "{id}");
        let spared: Vec<_> = near_miss.of_rule(id).into_iter().map(|finding| finding.message).collect();
        assert_eq!(spared, Vec::<String>::new(), "{id}");
    }
}

#[test]
fn every_rule_has_a_fixture_and_four_headings() {
    let with_fixture: Vec<_> = fixtures().into_iter().map(|(id, ..)| id).collect();
    let mut seen = BTreeSet::new();
    for rule in RULES {
        assert!(with_fixture.contains(&rule.id().as_str()), "{} has no fixture", rule.id());
        assert!(seen.insert(rule.id()) && rule.id().as_str().len() == 3, "{}", rule.id());
        let text = rule.explanation();
        for heading in ["## What it finds\n", "## Why it matters\n", "## Example\n", "## Repair\n"] {
            assert!(text.contains(heading), "{} lacks {heading}", rule.id());
        }
        assert!(super::rule(rule.slug()).is_some_and(|found| found.id() == rule.id()));
    }
}

#[test]
fn a_repaired_calendar_is_clean_and_reads_back() {
    for (id, fault, ..) in fixtures() {
        let is_repairable = fault.of_rule(id).iter().any(|finding| finding.edit.is_some());
        let repaired = fault.repaired(id);
        if !is_repairable {
            assert_eq!(id, "Z07", "only a person can tell which time was meant");
            continue;
        }
        assert!(!repaired.changes.is_empty() && repaired.refused.is_empty(), "{id}: {:?}", repaired.refused);
        assert_eq!(repaired.left.len(), 0, "{id}: {:?}", repaired.left);
        let mut bytes = Vec::new();
        write(&repaired.calendar, &mut bytes);
        let text = String::from_utf8(bytes).unwrap();
        let back = read(parse(&text).roots.remove(0), "fixture");
        let found: Vec<_> =
            fault.findings(&back).into_iter().filter(|finding| finding.rule.as_str() == id).collect();
        assert_eq!(found.len(), 0, "{id}: {found:?}\n{text}");
        assert_eq!(back.series.len(), 1 + repaired.added, "{id}");
        // Repairing again changes nothing.
        let again = Fixture {
            lines: text.replace("BEGIN:VCALENDAR\r\n", "").replace("END:VCALENDAR\r\n", ""),
            ..fault
        }
        .repaired(id);
        assert_eq!(again.changes, [], "{id}");
    }
}

fn starts(calendar: &Calendar<'_>, choices: &ZoneChoices) -> Vec<String> {
    let zones = ZoneBook::of(calendar, choices);
    let window = Window { from: "2026-01-01".parse().unwrap(), until: "2027-12-31".parse().unwrap() };
    let all = calendar
        .series
        .iter()
        .flat_map(|series| occurrences_of(series, &zones, window, Ceiling::default()).list);
    let mut starts: Vec<i64> = all.filter_map(|one| zones.instant(&one.start)).collect();
    starts.sort_unstable();
    starts.into_iter().map(|start| start.to_string()).collect()
}

#[test]
fn safe_repairs_keep_every_instant() {
    for (id, fault, ..) in fixtures() {
        if id == "Z06" || id == "Z07" {
            continue;
        }
        let before = starts(&fault.calendar(), &fault.choices());
        let after = starts(&fault.repaired(id).calendar, &fault.choices());
        assert_eq!(before, after, "{id}");
    }
}

#[test]
fn evidence_decides_and_is_told() {
    let siblings: String = (0..4)
        .map(|number| {
            let event = event(&format!("DTSTART;TZID=Europe/Helsinki:2026090{}T080000\n", number + 1));
            event.replace("UID:1", &format!("UID:s{number}"))
        })
        .collect();
    let floating =
        Fixture::of(zone("Europe/Helsinki", HELSINKI) + &siblings + &event("DTSTART:20260907T080000\n"));
    let found = floating.of_rule("Z05");
    assert_eq!(
        found[0].message,
        "no zone given; Europe/Helsinki may be meant (4 of 5 timed events are in it): --zone Europe/Helsinki"
    );
    assert_eq!(found[0].safety, Safety::ShowOnly, "habits of others are no reason to move an event");

    let private = zone("Our time", HELSINKI) + &event("DTSTART;TZID=Our time:20260907T080000\n");
    let found = Fixture::of(private.clone()).of_rule("Z03");
    assert!(found[0].edit.is_none() && found[0].message.contains("and"), "{}", found[0].message);
    let mapped = Fixture { map: Some(("Our time", "Europe/Mariehamn")), ..Fixture::of(private) };
    assert_eq!(mapped.of_rule("Z01")[0].message, "`Our time` means Europe/Mariehamn, as --zone-map says");
    assert_eq!(
        mapped.repaired("Z01").calendar.series[0].lead().start().to_string(),
        "2026-09-07 08:00 Europe/Mariehamn"
    );

    let own = "X-WR-TIMEZONE:Europe/Helsinki\n".to_owned()
        + &event("DTSTART;TZID=FLE Standard Time:20260907T080000\n");
    assert_eq!(
        Fixture::of(own).of_rule("Z01")[0].message,
        "`FLE Standard Time` means Europe/Helsinki",
        "one id, several zones: the calendar's own"
    );
}

#[test]
fn an_alias_with_another_definition_waits_for_consent() {
    let outdated = HELSINKI.replace("BYMONTH=10", "BYMONTH=9");
    let fixture = Fixture::of(
        zone("FLE Standard Time", &outdated)
            + &event("DTSTART;TZID=FLE Standard Time:20260907T080000\nRRULE:FREQ=WEEKLY;COUNT=10\n"),
    );
    let found = fixture.of_rule("Z01");
    assert!(found[0].edit.is_none() && found[0].message.ends_with("see Z04"), "{}", found[0].message);
    let plan = RepairPlan { consent: Consent::All, ..RepairPlan::default() };
    let repaired = repair(fixture.calendar(), &fixture.choices(), &plan);
    assert_eq!(repaired.calendar.series[0].lead().start().to_string(), "2026-09-07 08:00 Europe/Kyiv");
    assert_eq!(repaired.left.len(), 0, "{:?}", repaired.left);
    let rules: Vec<_> = repaired.changes.iter().filter_map(|change| change.rule).collect();
    assert_eq!(rules, ["Z04", "Z01"]);
}

#[test]
fn answers_go_before_consent() {
    let (_, fault, ..) = fixtures().remove(5);
    let id = rule("Z06").unwrap().id();
    for (answer, changes) in [(true, 1), (false, 0)] {
        let consent = if answer { Consent::None } else { Consent::All };
        let answers = Answers::from([((id, "1".to_owned(), "Drill".to_owned()), answer)]);
        let only = [id].into();
        let rules = RuleChoice { only, ..RuleChoice::default() };
        let plan = RepairPlan { rules, consent, answers, ..RepairPlan::default() };
        assert_eq!(repair(fault.calendar(), &fault.choices(), &plan).changes.len(), changes, "{answer}");
    }
}

#[test]
fn unknown_zones_are_errors_with_proposals() {
    let found = Fixture::of(event("DTSTART;TZID=Europe/Stokholm:20260907T080000\n")).of_rule("Z02");
    assert_eq!(found[0].level, Level::Error);
    assert!(
        found[0].message.contains("(perhaps Europe/Stockholm") && found[0].edit.is_none(),
        "{}",
        found[0].message
    );
}
