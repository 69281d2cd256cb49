//! The selectors mean the same events in every command that takes them.
#![allow(clippy::unwrap_used, reason = "a test that cannot set up its files fails")]

use std::collections::BTreeSet;

use crate::harness::{Case, calendar};

fn event(uid: &str, lines: &str) -> String {
    format!("BEGIN:VEVENT\nUID:{uid}\n{lines}\nEND:VEVENT\n")
}

fn case() -> Case {
    let events = [
        event(
            "drill",
            "SUMMARY:Fire drill\nCATEGORIES:Drill,Deck\nLOCATION:M/S Kajsa\nDTSTART:20260907T080000Z\nDTEND:20260907T090000Z",
        ),
        event(
            "watch",
            "SUMMARY:Night watch\nLOCATION:M/S Aallotar\nDTSTART:20260908T200000Z\nDTEND:20260908T230000Z\nRRULE:FREQ=WEEKLY;COUNT=6",
        ),
        event(
            "dock",
            "SUMMARY:Dry dock\nCATEGORIES:Yard\nDTSTART;VALUE=DATE:20261005\nDTEND;VALUE=DATE:20261019",
        ),
        event("muster", "SUMMARY:Muster drill\nDTSTART:20261207T080000Z\nDTEND:20261207T090000Z"),
        event("holiday", "SUMMARY:Quay closed\nDTSTART;VALUE=DATE:20261206\nRRULE:FREQ=YEARLY;COUNT=2"),
    ];
    Case::new().file("all.ics", calendar(&events.concat()))
}

/// Selectors, and the ids of the events that they mean.
const ROWS: [(&str, &str); 21] = [
    ("--title drill", "drill muster"),
    ("--title DRILL", "drill muster"),
    ("--title /drill$/", "drill muster"),
    ("--title /^fire/", "drill"),
    ("--title fire --title dock", "dock drill"),
    ("--category drill", "drill"),
    ("--category deck --category yard", "dock drill"),
    ("--location kajsa", "drill"),
    ("--location m/s", "drill watch"),
    ("--location /aal+otar/", "watch"),
    ("--uid dock", "dock"),
    ("--uid dock --uid watch", "dock watch"),
    ("--uid doc", ""),
    ("--series", "holiday watch"),
    ("--single", "dock drill muster"),
    ("--all-day", "dock holiday"),
    ("--timed", "drill muster watch"),
    ("--series --timed", "watch"),
    ("--title drill --category drill", "drill"),
    ("--title drill --location aallotar", ""),
    ("--single --all-day --category yard", "dock"),
];

fn uids(text: &str) -> String {
    let lines = text.lines().filter_map(|line| line.trim_end().strip_prefix("UID:"));
    lines.collect::<BTreeSet<_>>().into_iter().collect::<Vec<_>>().join(" ")
}

fn run(case: &Case, command: &str, selectors: &str) -> crate::harness::Run {
    let words: Vec<&str> = command.split(' ').chain(selectors.split(' ')).collect();
    case.emvo(&words)
}

#[test]
fn pick_keeps_what_drop_takes_out() {
    let all: BTreeSet<&str> = ["dock", "drill", "holiday", "muster", "watch"].into();
    for (selectors, expected) in ROWS {
        let case = case();
        let kept = run(&case, "pick all.ics -o picked.ics --no-ledger", selectors);
        assert_eq!(kept.status, i32::from(expected.is_empty()), "{selectors}: {}", kept.shown());
        assert_eq!(uids(&case.read("picked.ics")), expected, "{selectors}");
        run(&case, "drop all.ics -o left.ics --no-ledger", selectors);
        let chosen: BTreeSet<&str> = expected.split_whitespace().collect();
        let left = all.difference(&chosen).copied().collect::<Vec<_>>().join(" ");
        if chosen.is_empty() {
            assert!(
                !case.path("left.ics").exists(),
                "{selectors}: nothing is chosen, and nothing is written"
            );
        } else {
            assert_eq!(uids(&case.read("left.ics")), left, "{selectors}");
        }
    }
}

#[test]
fn amend_and_retime_change_what_is_chosen_and_nothing_else() {
    let before = case().read("all.ics");
    for (selectors, expected) in ROWS {
        for command in [
            "amend all.ics --add-category Chosen -o out.ics --no-ledger",
            "retime all.ics --shift 1d -o out.ics --no-ledger",
        ] {
            let case = case();
            run(&case, command, selectors);
            if expected.is_empty() && command.starts_with("amend") {
                assert!(
                    !case.path("out.ics").exists(),
                    "{selectors}: nothing is chosen, and nothing is written"
                );
                continue;
            }
            let after = case.read("out.ics");
            let changed: BTreeSet<&str> = ["dock", "drill", "holiday", "muster", "watch"]
                .into_iter()
                .filter(|uid| {
                    let part = |text: &str| {
                        let at = text.find(&format!("UID:{uid}\r\n")).unwrap();
                        text[at..].split("END:VEVENT").next().unwrap().to_owned()
                    };
                    part(&before) != part(&after)
                })
                .collect();
            assert_eq!(changed.into_iter().collect::<Vec<_>>().join(" "), expected, "{command} {selectors}");
        }
    }
}

#[test]
fn lists_and_findings_are_of_what_is_chosen() {
    for (selectors, expected) in ROWS {
        let case = case();
        let words: Vec<&str> =
            ["events", "all.ics", "--json"].into_iter().chain(selectors.split(' ')).collect();
        let answer = case.json(&words);
        // With ids it has all there is about one, else one line each.
        let listed: BTreeSet<String> = answer["events"]
            .as_array()
            .unwrap_or(&Vec::new())
            .iter()
            .map(|one| one["uid"].as_str().unwrap().to_owned())
            .collect();
        let listed = listed.into_iter().collect::<Vec<_>>().join(" ");
        assert_eq!(listed, expected, "events {selectors}: {answer}");
        let words: Vec<&str> =
            ["check", "all.ics", "--only", "T05", "--json"].into_iter().chain(selectors.split(' ')).collect();
        let found = case.json(&words);
        assert!(found["findings"].as_array().unwrap().is_empty(), "check {selectors}: {found}");
    }
}

#[test]
fn a_window_means_the_dates_that_touch_it() {
    for (window, expected, dates) in [
        ("--from 2026-09-01 --until 2026-09-30", "drill watch", 5),
        ("--from 2026-10-18 --until 2026-10-18", "dock", 1),
        ("--from 2026-10-19 --until 2026-10-19", "", 0),
        ("--from 2026-12-01 --until 2026-12-31", "holiday muster", 2),
        ("--from 2027-01-01 --until 2027-12-31", "holiday", 1),
        ("--from 2020-01-01 --until 2030-12-31", "dock drill holiday muster watch", 11),
    ] {
        let case = case();
        let words: Vec<&str> = ["dates", "all.ics", "--json"].into_iter().chain(window.split(' ')).collect();
        let answer = case.json(&words);
        let list = answer["occurrences"].as_array().unwrap();
        let uids: BTreeSet<&str> = list.iter().map(|one| one["uid"].as_str().unwrap()).collect();
        assert_eq!(uids.into_iter().collect::<Vec<_>>().join(" "), expected, "{window}");
        assert_eq!(list.len(), dates, "{window}");
        if !expected.is_empty() {
            run(&case, "pick all.ics -o part.ics --no-ledger", window);
            let again: Vec<&str> = ["dates", "part.ics", "--json"]
                .into_iter()
                .chain(["--from", "1990-01-01", "--until", "2050-12-31"])
                .collect();
            assert_eq!(
                case.json(&again)["occurrences"].as_array().unwrap().len(),
                dates,
                "{window}: trimmed"
            );
        }
    }
}

#[test]
fn whole_titles_choose_no_longer_ones_and_the_preview_names_each() {
    let titles = ["Tour", "tour ", "Tour (sold out)", "Evening tour"];
    let event = |(at, title): (usize, &&str)| {
        let day = at + 1;
        format!("BEGIN:VEVENT\nUID:{at}\nSUMMARY:{title}\nDTSTART:2026090{day}T080000Z\nEND:VEVENT\n")
    };
    let events = titles.iter().enumerate().map(event).collect::<Vec<_>>().concat();
    let case = Case::new().file("t.ics", calendar(&events)).file("list.txt", "Tour\n\n evening TOUR\n");
    let gone = |options: &str| {
        let words = format!("drop t.ics {options} -o out.ics --overwrite --no-ledger --json");
        case.json(&words.split(' ').collect::<Vec<_>>())["balance"]["removed"].as_u64().unwrap()
    };
    assert_eq!(gone("--title Tour"), 4);
    assert_eq!(gone("--title Tour --exact"), 2);
    assert_eq!(gone("--titles list.txt"), 3);
    let run =
        case.ends(0, &["drop", "t.ics", "--title", "Tour", "-o", "dry.ics", "--dry-run", "--no-ledger"]);
    for line in ["1  Tour (sold out)", "1  Evening tour", "by calendar: t 4", "by month: 2026-09 4"] {
        assert!(run.stdout.contains(line), "{line}\n{}", run.stdout);
    }
    case.put("empty.txt", "\n");
    let run = case.ends(2, &["drop", "t.ics", "--titles", "empty.txt", "-o", "out.ics"]);
    assert!(run.stderr.contains("--titles `empty.txt`: there is no title in it"), "{}", run.stderr);
}
