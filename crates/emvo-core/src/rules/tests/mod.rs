//! Every rule: what it finds, what it leaves alone, and that a repaired
//! calendar is clean.

mod events;
mod files;
mod fit;
mod recurrence;
mod zones;

use super::*;
use crate::advice::Advice;
use crate::identity::Moment;
use emvo_ical::calendar::{Calendar, read, write};
use emvo_ical::content::parse;
use emvo_ical::recurrence::{Ceiling, Window, occurrences_of};
use emvo_ical::zone::{Definition, Zone, ZoneChoices, ZoneResolver};

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

type Row = (&'static str, Fixture, &'static str, Fixture);

/// For each rule: a calendar with the fault and what is said of it, and a
/// calendar that looks like it and has none.
fn fixtures() -> Vec<Row> {
    zones::fixtures()
        .into_iter()
        .chain(recurrence::fixtures())
        .chain(files::of_series())
        .chain(events::fixtures())
        .chain(fit::fixtures())
        .collect()
}

/// What a calendar has to hold for a rule, and what it is told besides.
#[derive(Clone, Default)]
struct Fixture {
    lines: String,
    house: Option<&'static str>,
    map: Option<(&'static str, &'static str)>,
    forced: Option<&'static str>,
    other: Option<String>,
    horizon: Option<&'static str>,
    limits: Option<&'static str>,
    plan_window: Option<[&'static str; 2]>,
    now: Option<&'static str>,
}

impl Fixture {
    fn of(lines: impl Into<String>) -> Self {
        Self { lines: lines.into(), ..Self::default() }
    }

    fn calendar(&self) -> Calendar<'static> {
        let text = format!("BEGIN:VCALENDAR\n{}VERSION:2.0\nPRODID:-//x//x//EN\nEND:VCALENDAR\n", self.lines);
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
        CheckOptions {
            forced_zone: self.forced.and_then(Zone::named),
            others: others.collect(),
            limits: self.limits.map(|text| crate::fit::Limits::parse(text).unwrap()),
            plan_window: self
                .plan_window
                .map(|[from, until]| Window { from: from.parse().unwrap(), until: until.parse().unwrap() }),
            horizon: self.horizon.map(|date| date.parse().unwrap()),
            now: self.now.map(|now| now.parse().unwrap()),
            ..CheckOptions::default()
        }
    }

    fn findings(&self, calendar: &Calendar<'_>) -> Vec<Finding> {
        let choices = self.choices();
        let zones = ZoneResolver::of(calendar, &choices);
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
    let with_fixture: Vec<_> = fixtures().into_iter().map(|(id, ..)| id).chain(files::ids()).collect();
    let mut seen = BTreeSet::new();
    // Combining finds these between its inputs, and has tests of its own.
    let of_merge = ["U05", "U08"];
    for rule in RULES {
        let is_fixed = with_fixture.contains(&rule.id().as_str()) != of_merge.contains(&rule.id().as_str());
        assert!(is_fixed, "{} has no fixture", rule.id());
        assert!(seen.insert(rule.id()) && rule.id().as_str().len() == 3, "{}", rule.id());
        let text = rule.explanation();
        for heading in ["## What it finds\n", "## Why it matters\n", "## Example\n", "## Repair\n"] {
            assert!(text.contains(heading), "{} lacks {heading}", rule.id());
        }
        assert!(super::rule(rule.slug()).is_some_and(|found| found.id() == rule.id()));
    }
}

/// Rules whose findings only a person can decide: nothing is offered, so nothing
/// may change.
const SHOWN_ONLY: [&str; 37] = [
    "D16", "D17", "T19", "Z07", "R06", "R11", "R12", "R14", "R15", "R18", "C08", "D05", "D07", "D08", "D11",
    "T07", "T08", "T09", "T10", "T11", "T12", "T14", "U04", "U06", "U07", "F01", "F02", "F03", "F04", "F05",
    "F06", "F07", "F08", "F09", "F10", "F11", "F12",
];

/// Rules whose repair moves, adds or takes away dates: that is their point.
const MOVING: [&str; 12] =
    ["Z06", "R03", "R05", "R07", "R16", "D01", "D02", "D03", "D04", "D09", "D12", "U03"];

fn rows_with_repair() -> impl Iterator<Item = (&'static str, Fixture)> {
    let rows = fixtures().into_iter().map(|(id, fault, ..)| (id, fault));
    rows.filter(|(id, _)| !SHOWN_ONLY.contains(id))
}

fn bytes_of(calendar: &Calendar<'_>) -> Vec<u8> {
    let mut bytes = Vec::new();
    write(calendar, &mut bytes);
    bytes
}

#[test]
fn what_only_a_person_can_decide_stays_as_it_is() {
    for (id, fault, ..) in fixtures().into_iter().filter(|(id, ..)| SHOWN_ONLY.contains(id)) {
        assert!(fault.of_rule(id).iter().all(|finding| finding.edit.is_none()), "{id}");
        let repaired = fault.repaired(id);
        assert_eq!(repaired.edited.changes, [], "{id}");
        assert!(!repaired.left.is_empty(), "{id}: what is left has to be told");
        assert_eq!(bytes_of(&repaired.edited.calendar), bytes_of(&fault.calendar()), "{id}");
    }
}

#[test]
fn a_repaired_calendar_is_clean_and_reads_back() {
    for (id, fault) in rows_with_repair() {
        let repaired = fault.repaired(id);
        assert!(
            !repaired.edited.changes.is_empty() && repaired.refused.is_empty(),
            "{id}: {:?}",
            repaired.refused
        );
        assert_eq!(repaired.left.len(), 0, "{id}: {:?}", repaired.left);
        let bytes = bytes_of(&repaired.edited.calendar);
        assert_ne!(bytes, bytes_of(&fault.calendar()), "{id}: told, but not done");
        let text = String::from_utf8(bytes).unwrap();
        let back = read(parse(&text).roots.remove(0), "fixture");
        let found: Vec<_> =
            fault.findings(&back).into_iter().filter(|finding| finding.rule.as_str() == id).collect();
        assert_eq!(found.len(), 0, "{id}: {found:?}\n{text}");
        let before = fault.calendar().series.len();
        assert_eq!(
            back.series.len(),
            before + repaired.edited.account.events.added - repaired.edited.account.events.folded,
            "{id}"
        );
        // Repairing again changes nothing.
        let again = Fixture {
            lines: text.replace("BEGIN:VCALENDAR\r\n", "").replace("END:VCALENDAR\r\n", ""),
            ..fault
        }
        .repaired(id);
        assert_eq!(again.edited.changes, [], "{id}");
    }
}

/// Every date of a calendar over its years: where it starts and where it ends.
fn dates(calendar: &Calendar<'_>, choices: &ZoneChoices) -> Vec<[Moment; 2]> {
    let zones = ZoneResolver::of(calendar, choices);
    let window = Window { from: "1990-01-01".parse().unwrap(), until: "2040-12-31".parse().unwrap() };
    let all = calendar
        .series
        .iter()
        .flat_map(|series| occurrences_of(series, &zones, window, Ceiling::default()).list);
    let mut dates: Vec<_> =
        all.map(|one| [&one.start, &one.end].map(|time| Moment::of(time, &zones))).collect();
    dates.sort();
    dates
}

#[test]
fn repairs_keep_every_date_unless_that_is_their_point() {
    for (id, fault) in rows_with_repair() {
        let before = dates(&fault.calendar(), &fault.choices());
        let after = dates(&fault.repaired(id).edited.calendar, &fault.choices());
        assert!(!before.is_empty(), "{id}: no date to compare");
        if MOVING.contains(&id) {
            assert_ne!(before, after, "{id} is not among those that move dates");
        } else {
            assert_eq!(before, after, "{id}");
        }
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
        "no zone given; Europe/Helsinki may be meant (4 of 5 timed events are in it)"
    );
    let candidate = Some("Europe/Helsinki".to_owned());
    assert_eq!(found[0].advice, Some(Advice::SayHouseZone { candidate }));
    assert_eq!(found[0].safety, Safety::ShowOnly, "habits of others are no reason to move an event");

    let private = zone("Our time", HELSINKI) + &event("DTSTART;TZID=Our time:20260907T080000\n");
    let found = Fixture::of(private.clone()).of_rule("Z03");
    assert!(found[0].edit.is_none() && found[0].message.contains("and"), "{}", found[0].message);
    let mapped = Fixture { map: Some(("Our time", "Europe/Mariehamn")), ..Fixture::of(private) };
    assert_eq!(mapped.of_rule("Z01")[0].message, "`Our time` means Europe/Mariehamn, as was said");
    assert_eq!(
        mapped.repaired("Z01").edited.calendar.series[0].lead().start().to_string(),
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
    let rules =
        RuleChoice { only: ["Z01", "Z04"].map(|id| rule(id).unwrap().id()).into(), ..RuleChoice::default() };
    let plan = RepairPlan { rules, consent: Consent::All, ..RepairPlan::default() };
    let repaired = repair(fixture.calendar(), &fixture.choices(), &plan);
    assert_eq!(repaired.edited.calendar.series[0].lead().start().to_string(), "2026-09-07 08:00 Europe/Kyiv");
    assert_eq!(repaired.left.len(), 0, "{:?}", repaired.left);
    let rules: Vec<_> = repaired.edited.changes.iter().filter_map(|change| change.rule).collect();
    assert_eq!(rules, ["Z04", "Z01"]);
}

#[test]
fn answers_go_before_consent() {
    let (_, fault, ..) = zones::fixtures().remove(5);
    let id = rule("Z06").unwrap().id();
    for (answer, changes) in [(true, 1), (false, 0)] {
        let consent = if answer { Consent::None } else { Consent::All };
        let answers = Answers::from([((id, "1".to_owned(), "Drill".to_owned()), answer)]);
        let only = [id].into();
        let rules = RuleChoice { only, ..RuleChoice::default() };
        let plan = RepairPlan { rules, consent, answers, ..RepairPlan::default() };
        assert_eq!(
            repair(fault.calendar(), &fault.choices(), &plan).edited.changes.len(),
            changes,
            "{answer}"
        );
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
