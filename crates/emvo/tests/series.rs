//! Series, as the built program repairs, unrolls and rolls them.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

use crate::harness::{Case, calendar};
use insta::assert_snapshot;

const ROSTER: &str = "BEGIN:VEVENT\nUID:r1@example.org\nSUMMARY:Deck watch\nDTSTART;TZID=Europe/Helsinki:20260302T080000\n\
    DTEND;TZID=Europe/Helsinki:20260302T160000\nRRULE:FREQ=WEEKLY;INTERVAL=3;BYDAY=MO,TU,WE;COUNT=18\n\
    EXDATE;TZID=Europe/Helsinki:20260324T080000\nEND:VEVENT\n";

/// One fault a series: R01, R04, R05, R17 in this order.
const FAULTY: &str = "BEGIN:VEVENT\nUID:1\nSUMMARY:Safety round\nDTSTART;TZID=Europe/Helsinki:20260105T080000\nRRULE:FREQ=WEEKLY;UNTIL=20260130\nEND:VEVENT\n\
    BEGIN:VEVENT\nUID:2\nSUMMARY:Bunkering\nDTSTART;TZID=Europe/Helsinki:20260105T090000\nRRULE:FREQ=WEEKLY;BYDAY=TU;COUNT=4\nEND:VEVENT\n\
    BEGIN:VEVENT\nUID:3\nSUMMARY:Quay closed\nDTSTART;TZID=Europe/Helsinki:20260105T100000\nRRULE:FREQ=WEEKLY;COUNT=4\nEXDATE;VALUE=DATE:20260119\nEND:VEVENT\n\
    BEGIN:VEVENT\nUID:4\nSUMMARY:Lifeboat drill\nDTSTART;TZID=Europe/Helsinki:20260105T110000\nRRULE:FREQ=WEEKLY;COUNT=4\nEND:VEVENT\n\
    BEGIN:VEVENT\nUID:4\nRECURRENCE-ID;TZID=Europe/Helsinki:20260112T110000\nSTATUS:CANCELLED\nDTSTART;TZID=Europe/Helsinki:20260112T110000\nEND:VEVENT\n";

#[test]
fn what_was_unrolled_rolls_up_into_the_same_series() {
    let case = Case::new().file("crew.ics", calendar(ROSTER));
    let apart = case.json_ends(0, &["convert", "crew.ics", "--unroll", "-o", "dates.csv", "--json"]);
    assert_eq!(apart["balance"]["written"], 17);
    let together = case.json_ends(0, &["convert", "dates.csv", "--roll", "-o", "again.ics", "--json"]);
    assert_eq!(together["balance"]["folded"], 16, "{together}");
    let rules: Vec<_> =
        together["changes"].as_array().unwrap().iter().map(|change| &change["rule"]).collect();
    assert_eq!(rules.last().unwrap().as_str(), Some("R13"));
    let text = case.read("again.ics");
    assert!(
        text.contains("UID:r1@example.org") && text.contains("EXDATE;TZID=Europe/Helsinki:20260324T080000"),
        "{text}"
    );
    let proof = case.json_ends(0, &["reconcile", "crew.ics", "--result", "again.ics", "--json"]);
    assert_eq!((&proof["verdict"], &proof["balance"]["matched"]), (&"complete".into(), &17.into()));
}

#[test]
fn faults_of_series_are_listed_with_their_rule_in_words() {
    let case = Case::new().file("crew.ics", calendar(FAULTY));
    assert_snapshot!(case.ends(1, &["check", "crew.ics", "--skip", "Z02"]).shown());
}

#[test]
fn consent_says_which_series_change() {
    let case = Case::new().file("crew.ics", calendar(FAULTY));
    let dates = |case: &Case, file: &str| {
        let list = case.json_ends(0, &["dates", file, "--json"]);
        let starts = list["occurrences"].as_array().unwrap().iter();
        starts.map(|one| one["start"].as_str().unwrap().to_owned()).collect::<Vec<_>>()
    };
    let repaired =
        case.json_ends(1, &["repair", "crew.ics", "--only", "R01,R04,R05,R17", "-o", "safe.ics", "--json"]);
    let rules: Vec<_> = repaired["changes"]
        .as_array()
        .unwrap()
        .iter()
        .map(|change| change["rule"].as_str().unwrap())
        .collect();
    assert_eq!(rules, ["R01", "R05"], "the safe ones alone");
    let before = dates(&case, "crew.ics");
    let after = dates(&case, "safe.ics");
    let gone: Vec<_> = before.iter().filter(|date| !after.contains(date)).collect();
    assert_eq!(gone, ["2026-01-19T10:00:00"], "an exception that hits takes its date out");
    case.ends(1, &["repair", "crew.ics", "--consent", "R04", "--start-as", "move", "-o", "moved.ics"]);
    assert!(!dates(&case, "moved.ics").contains(&"2026-01-05T09:00:00".to_owned()));
    case.ends(1, &["repair", "crew.ics", "--consent", "R04", "-o", "extra.ics"]);
    assert!(dates(&case, "extra.ics").contains(&"2026-01-05T09:00:00".to_owned()));
}

#[test]
fn a_table_that_only_flags_repeats_is_told_how() {
    const TABLE: &str = "Title,Start,Repeats\nHull inspection,2026-02-28,yes\nDry dock,2026-03-01,no\n";
    let case = Case::new().file("plan.csv", TABLE);
    let output = case.ends(1, &["convert", "plan.csv", "-o", "plan.ics"]);
    assert!(output.stderr.contains("C06: plan.csv: 1 row is flagged as repeating"), "{}", output.stderr);
    assert!(
        case.read("plan.ics").contains("X-EMVO-COLUMN;X-EMVO-HEADER=Repeats:yes"),
        "the flag is carried along"
    );
    case.ends(
        0,
        &[
            "convert",
            "plan.csv",
            "--repeat-rule",
            "every year until 2031-12-31",
            "-o",
            "plan.ics",
            "--overwrite",
        ],
    );
    let list =
        case.json_ends(0, &["dates", "plan.ics", "--title", "Hull", "--until", "2035-12-31", "--json"]);
    assert_eq!(list["occurrences"].as_array().unwrap().len(), 6);
    let output = case.ends(2, &["convert", "plan.csv", "--repeat-rule", "now and then", "-o", "x.ics"]);
    assert!(output.stderr.contains("--repeat-rule `now and then`"), "{}", output.stderr);
}

#[test]
fn a_series_that_nobody_can_expand_is_carried_and_named() {
    let event = "BEGIN:VEVENT\nUID:1\nSUMMARY:Feast\nDTSTART;VALUE=DATE:20260217\nRRULE:RSCALE=CHINESE;FREQ=YEARLY\nEND:VEVENT\n";
    let case = Case::new().file("a.ics", calendar(event));
    let found = case.json_ends(1, &["check", "a.ics", "--json"]);
    assert_eq!((&found["counts"]["R15"], &found["findings"][0]["level"]), (&1.into(), &"error".into()));
    let output = case.ends(1, &["survey", "a.ics"]);
    assert!(output.stdout.contains("1 series has a rule"), "{}", output.stdout);
    case.ends(1, &["convert", "a.ics", "--unroll", "-o", "b.ics"]);
    assert!(case.read("b.ics").contains("RRULE:RSCALE=CHINESE;FREQ=YEARLY"));
}

#[test]
fn a_rule_without_end_or_measure_stops_at_the_ceiling() {
    let event =
        "BEGIN:VEVENT\nUID:1\nSUMMARY:Log\nDTSTART:20260101T000000Z\nRRULE:FREQ=SECONDLY\nEND:VEVENT\n";
    let case = Case::new().file("a.ics", calendar(event));
    let output = case.ends(1, &["dates", "a.ics", "--until", "2036-01-01", "-o", "list.csv"]);
    assert!(output.stderr.contains("more than 100,000 dates"), "{}", output.stderr);
    assert_eq!(case.read("list.csv").lines().count(), 100_001);
}

#[test]
fn a_series_that_was_cut_is_named_as_such() {
    let case = Case::new().file("crew.ics", calendar(ROSTER));
    let causes = |result: &str| {
        case.put("result.ics", calendar(result));
        let proof = case.json_ends(1, &["reconcile", "crew.ics", "--result", "result.ics", "--json"]);
        let causes = proof["causes"].as_array().unwrap().iter();
        causes
            .map(|cause| {
                format!(
                    "{} {}: {}",
                    cause["kind"].as_str().unwrap(),
                    cause["occurrences"],
                    cause["summary"].as_str().unwrap()
                )
            })
            .collect::<Vec<_>>()
    };
    assert_eq!(
        causes(&ROSTER.replace("COUNT=18", "COUNT=12")),
        [
            "series-cut 6: 1 series stops early in the result: 6 occurrences are missing, from 2026-05-25 08:00 Europe/Helsinki on"
        ]
    );
    assert_eq!(
        causes(&ROSTER.replace("COUNT=18", "COUNT=17")),
        ["last-occurrence 1: the last date of 1 series is missing: its end was read as before that day"]
    );
    assert_eq!(
        causes(&ROSTER.replace("EXDATE;TZID=Europe/Helsinki:20260324T080000\n", "")),
        ["exceptions-lost 1: 1 date that was left out is back: exceptions of series were lost"]
    );
    let hole = ROSTER.replace("20260324T080000\n", "20260324T080000,20260414T080000\n");
    assert_eq!(causes(&hole), ["other 1: 1 occurrence is not in the result: `Deck watch`"]);
}

/// Cut in two, or put into a table, such a series would show its old times from
/// the override on.
#[test]
fn an_override_for_all_later_dates_is_not_lost_on_the_way() {
    let ranged = "BEGIN:VEVENT\nUID:1\nSUMMARY:Watch\nDTSTART:20260105T080000Z\nDURATION:PT1H\nRRULE:FREQ=WEEKLY;COUNT=6\nEND:VEVENT\n\
        BEGIN:VEVENT\nUID:1\nSUMMARY:Watch\nRECURRENCE-ID;RANGE=THISANDFUTURE:20260112T080000Z\nDTSTART:20260112T100000Z\nDURATION:PT1H\nEND:VEVENT\n";
    let case = Case::new().file("a.ics", calendar(ranged));
    let amend =
        ["amend", "a.ics", "--set", "location=Quay 2", "--from", "2026-01-26", "--until", "2026-02-02"];
    let run = case.ends(1, &[&amend[..], &["-o", "b.ics"]].concat());
    assert!(
        run.stdout.contains("`emvo repair --consent R08` makes two series of it first"),
        "{}",
        run.stdout
    );
    assert!(!case.path("b.ics").exists(), "nothing was changed, and nothing is written");
    let proof = |result: &str| case.json_ends(0, &["reconcile", "a.ics", "--result", result, "--json"]);
    case.ends(0, &["repair", "a.ics", "--consent", "R08", "-o", "two.ics"]);
    assert_eq!(proof("two.ics")["balance"]["matched"], 6);
    // A row replaces one date: in a table it is two series as well.
    let run = case.ends(0, &["convert", "a.ics", "-o", "a.csv"]);
    assert!(run.stdout.contains("1 event in; 2 written, 1 of them new"), "{}", run.stdout);
    assert_eq!(proof("a.csv")["balance"]["matched"], 6);
    case.ends(0, &["convert", "a.ics", "--unroll", "-o", "dates.csv"]);
    assert_eq!(proof("dates.csv")["verdict"], "complete");
}
