//! Merge from the built program: what its options do, on small files.

#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use crate::harness::{Case, calendar};

fn event(uid: &str, title: &str, start: &str, more: &str) -> String {
    format!("BEGIN:VEVENT\nUID:{uid}\nSUMMARY:{title}\nDTSTART:{start}\n{more}END:VEVENT\n")
}

/// A destination and an export that shares an id, a duplicate and one event of
/// its own with it.
fn case() -> Case {
    let there = event("a", "Drill", "20260601T080000Z", "SEQUENCE:1\nLOCATION:Kaj 1\n")
        + &event("b", "Pilot", "20260602T080000Z", "");
    let coming = event("a", "Drill", "20260601T090000Z", "SEQUENCE:2\n")
        + &event("x", "Pilot", "20260602T080000Z", "CATEGORIES:Harbour\n")
        + &event("c", "Bunkering", "20260603T080000Z", "");
    Case::new().file("there.ics", calendar(&there)).file("coming.ics", calendar(&coming))
}

fn starts(case: &Case, path: &str) -> Vec<String> {
    let answer = case.json(&["dates", path, "--json"]);
    let list = answer["occurrences"].as_array().unwrap().iter();
    list.map(|one| format!("{} {}", one["title"].as_str().unwrap(), one["start"].as_str().unwrap())).collect()
}

#[test]
fn the_clash_policy_decides_about_ids_that_are_there() {
    let rows: [(&str, &[&str]); 4] = [
        ("existing", &["Drill 2026-06-01T08:00:00"]),
        ("incoming", &["Drill 2026-06-01T09:00:00"]),
        ("newest", &["Drill 2026-06-01T09:00:00"]),
        ("both", &["Drill 2026-06-01T08:00:00", "Drill 2026-06-01T09:00:00"]),
    ];
    for (clash, drills) in rows {
        let case = case();
        let merge = ["merge", "coming.ics", "--into", "there.ics", "--clash", clash, "-o", "out.ics"];
        let run = case.emvo(&merge);
        // The destination has `Bunkering` without a category, and stays as it is.
        assert_eq!(run.status, 1, "{clash}: {}", run.shown());
        assert!(run.stdout.contains("1 category"), "{clash}: {}", run.shown());
        let is_told = run.stdout.contains("gave way, as asked: 1 end, 1 location, 1 start");
        assert_eq!(is_told, ["incoming", "newest"].contains(&clash), "{clash}: {}", run.shown());
        let rest = ["Pilot 2026-06-02T08:00:00", "Bunkering 2026-06-03T08:00:00"];
        assert_eq!(starts(&case, "out.ics"), [drills, &rest].concat(), "{clash}");
        // Pressed twice it changes nothing.
        let again = ["merge", "coming.ics", "--into", "out.ics", "--clash", clash, "-o", "again.ics"];
        case.emvo(&again);
        assert_eq!(case.read("again.ics"), case.read("out.ics"), "{clash}");
    }
}

#[test]
fn options_are_for_the_incoming_events_alone() {
    let case = case();
    let options = ["--add-category", "From Skarvik, 2026", "--name", "Norrsund; all", "--duplicates", "keep"];
    let run =
        case.emvo(&[&["merge", "coming.ics", "--into", "there.ics", "-o", "out.ics"], &options[..]].concat());
    assert_eq!(run.status, 1, "{}", run.shown());
    let text = case.read("out.ics");
    assert!(text.contains("NAME:Norrsund\\; all\r\nX-WR-CALNAME:Norrsund\\; all\r\n"), "{text}");
    assert_eq!(text.matches("CATEGORIES:From Skarvik\\, 2026\r\n").count(), 2, "the two that came: {text}");
    assert_eq!(starts(&case, "out.ics").len(), 4, "a duplicate is kept when asked");
    assert!(
        text.contains(
            "UID:a\r\nSUMMARY:Drill\r\nDTSTART:20260601T080000Z\r\nSEQUENCE:1\r\nLOCATION:Kaj 1\r\n"
        ),
        "{text}"
    );
}

#[test]
fn every_fold_is_in_the_answer() {
    let case = case();
    let answer = case.json(&["merge", "there.ics", "coming.ics", "-o", "out.ics", "--json"]);
    let folds = answer["folds"].as_array().unwrap();
    let of = |rule: &str| folds.iter().find(|fold| fold["rule"] == rule).unwrap();
    assert_eq!(
        (of("U02")["uid"].as_str(), of("U02")["from"].as_str()),
        (Some("a"), Some("there.ics")),
        "the newer one stays"
    );
    assert_eq!(
        (of("U03")["uid"].as_str(), of("U03")["into_uid"].as_str()),
        (Some("b"), Some("x")),
        "the richer one stays"
    );
    assert_eq!(answer["balance"]["folded"], 2);
    assert_eq!(answer["outputs"][0], "out.ics");
    let verbose = case.emvo(&["merge", "there.ics", "coming.ics", "-o", "out2.ics", "-v"]);
    assert!(verbose.stdout.contains("Pilot  there.ics → coming.ics"), "{}", verbose.stdout);
    let quiet = case.emvo(&["merge", "there.ics", "coming.ics", "-o", "out3.ics", "-q"]);
    assert_eq!((quiet.stdout.as_str(), quiet.stderr.as_str(), quiet.status), ("", "", 0));
}

#[test]
fn unknown_things_are_carried() {
    let odd = "BEGIN:VTODO\nUID:t\nSUMMARY:Renew papers\nEND:VTODO\nBEGIN:X-LOG\nX-ENTRY;X-P=\"a;b\":1\nEND:X-LOG\n";
    let lines = format!(
        "X-SHIP;X-FLAG=FI:Ebba\n{odd}{}",
        event("a", "Drill", "20260601T080000Z", "X-BERTH;X-SIDE=port:3\n")
    );
    let case = Case::new().file("a.ics", calendar(&lines)).file("b.ics", calendar(odd));
    case.emvo(&["merge", "a.ics", "b.ics", "-o", "out.ics"]);
    let text = case.read("out.ics");
    for line in
        ["X-SHIP;X-FLAG=FI:Ebba", "X-ENTRY;X-P=\"a;b\":1", "X-BERTH;X-SIDE=port:3", "SUMMARY:Renew papers"]
    {
        assert_eq!(text.matches(line).count(), 1, "{line}: {text}");
    }
}

#[test]
fn other_charsets_are_read_and_utf_8_is_written() {
    let text = calendar(&event("a", "Öljyharjoitus på däck", "20260601T080000Z", ""));
    let single: Vec<u8> = text.chars().map(|char| u8::try_from(u32::from(char)).unwrap()).collect();
    let wide: Vec<u8> =
        [0xFF, 0xFE].into_iter().chain(text.encode_utf16().flat_map(u16::to_le_bytes)).collect();
    let marked = format!("\u{feff}{text}").into_bytes();
    let mut split = text.clone().into_bytes();
    let at = text.find('Ö').unwrap() + 1;
    split.splice(at..at, *b"\r\n ");
    for (name, bytes) in
        [("single byte", single), ("utf-16", wide), ("mark", marked), ("split by a fold", split)]
    {
        let case = Case::new().file("in.ics", bytes);
        let run = case.emvo(&["merge", "in.ics", "-o", "out.ics"]);
        assert_eq!(run.status, 0, "{name}: {}", run.shown());
        let unfolded = case.read("out.ics").replace("\r\n ", "");
        assert!(unfolded.contains("SUMMARY:Öljyharjoitus på däck\r\n"), "{name}: {unfolded}");
    }
}

#[test]
fn several_calendars_in_one_file_are_several_calendars() {
    let one = |name: &str, uid: &str| {
        calendar(&format!(
            "X-WR-CALNAME:{name}\n{}",
            event(uid, "Drill", "20260601T080000Z", &format!("LOCATION:{name}\n"))
        ))
    };
    let case = Case::new().file("all.ics", one("Deck", "d") + &one("Engine", "e"));
    let names: Vec<_> = case.json(&["survey", "all.ics", "--json"])["calendars"]
        .as_array()
        .unwrap()
        .iter()
        .map(|calendar| calendar["name"].as_str().unwrap().to_owned())
        .collect();
    assert_eq!(names, ["Deck", "Engine"]);
    let chosen = case.json(&["survey", "all.ics", "--calendar", "Engine", "--json"]);
    assert_eq!(chosen["totals"]["events"], 1);
    let run = case.emvo(&["repair", "all.ics", "-o", "out.ics"]);
    assert!(run.stderr.contains("the file holds 2 calendars") && run.status == 1, "{}", run.shown());
    let into = case.emvo(&["merge", "all.ics", "--into", "all.ics", "-o", "x.ics"]);
    assert!(
        into.status == 2 && into.stderr.contains("holds 2 calendars; it has to be one"),
        "{}",
        into.shown()
    );
}
