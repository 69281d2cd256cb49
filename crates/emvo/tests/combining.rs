//! Combining in full, and taking back, as the built program does it.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

use crate::harness::{Case, calendar};

fn event(uid: &str, title: &str, start: &str, more: &str) -> String {
    format!("BEGIN:VEVENT\nUID:{uid}\nSUMMARY:{title}\nDTSTART:{start}Z\nDURATION:PT1H\n{more}END:VEVENT\n")
}

#[test]
fn incoming_events_are_outfitted_and_the_destinations_stay() {
    let alarm = "BEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:x\nTRIGGER:-PT5M\nEND:VALARM\n";
    let own = event("own", "Own", "20260901T080000", &format!("ATTACH:https://example.org/a\n{alarm}"));
    let incoming = event(
        "in",
        "Incoming",
        "20260902T080000",
        &format!(
            "ATTACH:https://example.org/b\nATTENDEE:mailto:a@example.org\nORGANIZER:mailto:b@example.org\n{alarm}"
        ),
    ) + &event("bare", "Bare", "20260903T080000", "");
    let case = Case::new().file("own.ics", calendar(&own)).file("in.ics", calendar(&incoming));
    let merge = ["merge", "in.ics", "--into", "own.ics", "-o", "out.ics", "--overwrite"];
    case.ends(
        0,
        &[
            &merge[..],
            &[
                "--free",
                "--private",
                "--attachments",
                "drop",
                "--invitations",
                "drop",
                "--reminders",
                "drop",
                "--add-category",
                "Moved",
                "--color",
                "teal",
            ],
        ]
        .concat(),
    );
    let text = case.read("out.ics");
    assert!(text.contains("https://example.org/a") && !text.contains("https://example.org/b"), "{text}");
    assert_eq!(text.matches("BEGIN:VALARM").count(), 1, "{text}");
    for (line, count) in [
        ("TRANSP:TRANSPARENT", 2),
        ("CLASS:PRIVATE", 2),
        ("CATEGORIES:Moved", 2),
        ("ATTENDEE", 0),
        ("ORGANIZER", 0),
        ("COLOR:teal", 1),
    ] {
        assert_eq!(text.matches(line).count(), count, "{line} {text}");
    }
    case.ends(0, &[&merge[..], &["--reminders", "-P1D"]].concat());
    let text = case.read("out.ics");
    assert_eq!(
        (text.matches("TRIGGER:-P1D").count(), text.matches("TRIGGER:-PT5M").count()),
        (1, 2),
        "{text}"
    );
    case.ends(0, &[&merge[..], &["--uids", "fresh"]].concat());
    let text = case.read("out.ics");
    assert!(text.contains("UID:own\r\n") && !text.contains("UID:in\r\n"), "{text}");
    // Pressed again on top of its own result, nothing is doubled.
    case.ends(0, &["merge", "in.ics", "--into", "out.ics", "--uids", "fresh", "-o", "again.ics"]);
    assert_eq!(case.read("again.ics"), text);
    let run = case.ends(2, &[&merge[..], &["--reminders", "soon"]].concat());
    assert!(run.stderr.contains("write keep, drop, or a length such as -P1D"), "{}", run.stderr);
}

#[test]
fn what_a_clash_replaces_is_told_field_by_field() {
    let case = Case::new()
        .file("own.ics", calendar(&event("1", "Drill", "20260901T080000", "LOCATION:Quay 1\n")))
        .file("in.ics", calendar(&event("1", "Drill", "20260901T090000", "LOCATION:Quay 2\n")));
    let merge = |clash: &str, status: i32| {
        case.json_ends(
            status,
            &[
                "merge",
                "in.ics",
                "--into",
                "own.ics",
                "--clash",
                clash,
                "-o",
                "out.ics",
                "--overwrite",
                "--json",
            ],
        )
    };
    let answer = merge("incoming", 0);
    assert_eq!(
        answer["changes"][0]["before"],
        "start 2026-09-01 08:00 UTC, end 2026-09-01 09:00 UTC, location Quay 1"
    );
    assert_eq!(
        answer["changes"][0]["after"],
        "start 2026-09-01 09:00 UTC, end 2026-09-01 10:00 UTC, location Quay 2"
    );
    let fields = |answer: &serde_json::Value| -> Vec<String> {
        let all = answer["statements"]["left_behind"].as_array().unwrap().iter();
        all.map(|one| format!("{} {}", one["field"].as_str().unwrap(), one["value"].as_str().unwrap()))
            .collect()
    };
    assert_eq!(
        fields(&answer),
        ["start 2026-09-01 08:00 UTC", "end 2026-09-01 09:00 UTC", "location Quay 1"],
        "what gave way is kept beside the output"
    );
    assert!(
        case.read("out.left-behind.csv").contains("location,Quay 1,\"it gave way to another, as asked\"")
    );
    let answer = merge("existing", 1);
    assert_eq!(answer["changes"].as_array().unwrap().len(), 0);
    assert_eq!(
        fields(&answer),
        ["start 2026-09-01 09:00 UTC", "end 2026-09-01 10:00 UTC", "location Quay 2"]
    );
    assert!(case.read("out.ics").contains("LOCATION:Quay 1"));
}

#[test]
fn a_single_event_at_a_date_of_a_series_folds_if_it_says_nothing_of_its_own() {
    let series = event(
        "s",
        "Watch",
        "20260901T080000",
        "LOCATION:Quay 1\nRRULE:FREQ=WEEKLY;COUNT=5\nEXDATE:20260915T080000Z\n",
    );
    let singles = event("a", "Watch", "20260908T080000", "LOCATION:Quay 1\n")
        + &event("b", "Watch", "20260922T080000", "CATEGORIES:Deck\n")
        + &event("c", "Watch", "20260915T080000", "")
        + &event("d", "Watch", "20260929T080000", "LOCATION:Quay 9\n");
    let case = Case::new().file("a.ics", calendar(&series)).file("b.ics", calendar(&singles));
    let answer = case.json_ends(0, &["merge", "a.ics", "b.ics", "-o", "out.ics", "--json"]);
    let folds: Vec<_> = answer["folds"]
        .as_array()
        .unwrap()
        .iter()
        .map(|fold| (fold["rule"].as_str().unwrap(), fold["uid"].as_str().unwrap()))
        .collect();
    assert_eq!(folds, [("U05", "a")], "{answer}");
    assert_eq!(answer["look_alikes"][0]["reason"], "at a date of a series, and says more than it");
    assert_eq!(answer["look_alikes"][0]["uids"], serde_json::json!(["s", "b"]));
    let kept =
        case.json_ends(0, &["merge", "a.ics", "b.ics", "--duplicates", "keep", "-o", "keep.ics", "--json"]);
    assert_eq!(kept["balance"]["folded"], 0);
}

#[test]
fn look_alikes_go_on_a_sheet_and_come_back_answered() {
    let one = event("1", "Fire drill", "20260901T080000", "")
        + &event("2", "Inspection", "20260902T080000", "")
        + &event("3", "Shift", "20260903T060000", "")
        + &event("4", "Shift", "20260903T140000", "");
    let two = event("5", "Fire drill", "20260901T090000", "CATEGORIES:Safety\n")
        + &event("6", "Copy of Inspection", "20260902T080000", "")
        + &event("7", "Fire drill", "20260908T080000", "");
    let case = Case::new().file("a.ics", calendar(&one)).file("b.ics", calendar(&two));
    let run = case.ends(0, &["merge", "a.ics", "b.ics", "--review", "sheet.csv", "-o", "out.ics"]);
    insta::assert_snapshot!(run.shown());
    let sheet = case.read("sheet.csv");
    insta::assert_snapshot!(sheet.trim_start_matches('\u{feff}').replace('\r', ""));
    // As a spreadsheet of another country saves it again.
    let answered = sheet.replace(',', ";").replacen("1;;", "1;same;", 1).replacen("2;;", "2;different;", 1);
    case.put("answered.csv", answered);
    let answer = case
        .json_ends(0, &["merge", "a.ics", "b.ics", "--answers", "answered.csv", "-o", "all.ics", "--json"]);
    assert_eq!(
        (&answer["folds"][0]["rule"], &answer["balance"]["written"]),
        (&"U04".into(), &6.into()),
        "{answer}"
    );
    assert!(case.read("all.ics").contains("CATEGORIES:Safety"), "nothing that either says is lost");
    case.put("wrong.csv", sheet.replacen("1,,", "1,perhaps,", 1));
    let run = case.ends(2, &["merge", "a.ics", "b.ics", "--answers", "wrong.csv", "-o", "x.ics"]);
    assert!(
        run.stderr.contains("row 2: the answer `perhaps` is neither same nor different"),
        "{}",
        run.stderr
    );
}

#[test]
fn merging_in_another_order_gives_the_same_events() {
    let case = Case::with_demo_exports();
    let merge = |inputs: &[&str], out: &str| {
        case.emvo(&[&["merge", "--zone", "Europe/Helsinki", "-o", out], inputs].concat());
        let list = case.json(&["dates", out, "--json"]);
        let mut dates: Vec<String> = list["occurrences"]
            .as_array()
            .unwrap()
            .iter()
            .map(|one| format!("{} {} {}", one["start"], one["title"], one["location"]))
            .collect();
        dates.sort();
        dates
    };
    let one = merge(&["exports/norrsund", "exports/skarvik"], "one.ics");
    assert_eq!(one, merge(&["exports/skarvik", "exports/norrsund"], "two.ics"));
    assert_eq!(one, merge(&["one.ics", "exports/norrsund"], "three.ics"));
}

#[test]
fn a_wrong_import_is_taken_out_and_nothing_else() {
    let own = event("own", "Own", "20260901T080000", "") + &event("both", "Both", "20260905T080000", "");
    let wrong = event("w1", "Wrong", "20260902T080000", "")
        + &event("w2", "Edited", "20260903T080000", "LOCATION:Quay 1\n")
        + &event("both", "Both", "20260905T080000", "");
    let case = Case::new().file("before.ics", calendar(&own)).file("wrong.ics", calendar(&wrong));
    case.ends(0, &["merge", "wrong.ics", "--into", "before.ics", "-o", "merged.ics"]);
    case.put(
        "now.ics",
        case.read("merged.ics").replace("Quay 1", "Quay 7").replace("UID:w1", "UID:given-by-the-system"),
    );
    let retract = ["retract", "wrong.ics", "--out-of", "now.ics", "-o", "out.ics", "--overwrite"];
    let run = case.ends(1, &retract);
    insta::assert_snapshot!(run.shown());
    let run = case.ends(1, &[&retract[..], &["--before", "before.ics", "--edited", "remove"]].concat());
    assert!(run.stdout.contains("1 event kept, there before the import"), "{}", run.stdout);
    let left: Vec<_> =
        case.read("out.ics").lines().filter(|line| line.starts_with("SUMMARY")).map(str::to_owned).collect();
    assert_eq!(left, ["SUMMARY:Own", "SUMMARY:Both"]);
    let run = case
        .ends(1, &["retract", "wrong.ics", "--out-of", "out.ics", "--before", "before.ics", "-o", "x.ics"]);
    assert!(
        run.stdout.contains("! 1 event kept, there before the import"),
        "nothing was taken out, said loudly: {}",
        run.stdout
    );
}

#[test]
fn repair_settles_twins_within_a_file() {
    let event = |uid: &str, title: &str, day: u32| {
        format!("BEGIN:VEVENT\nUID:{uid}\nSUMMARY:{title}\nDTSTART:202603{day:02}T080000Z\nEND:VEVENT\n")
    };
    let text =
        event("a", "Drill", 2) + &event("s", "Watch", 3) + &event("s", "Watch", 4) + &event("b", "Drill", 2);
    let case = Case::new().file("crew.ics", calendar(&text));
    let safe = case.json_ends(1, &["repair", "crew.ics", "-o", "safe.ics", "--json"]);
    assert_eq!((&safe["balance"]["folded"], &safe["balance"]["written"]), (&0.into(), &4.into()), "{safe:#}");
    let both = case.json_ends(0, &["repair", "crew.ics", "--consent", "U03", "-o", "both.ics", "--json"]);
    assert_eq!((&both["balance"]["folded"], &both["balance"]["written"]), (&1.into(), &3.into()), "{both:#}");
    let uids: Vec<_> =
        case.read("safe.ics").lines().filter(|line| line.starts_with("UID:")).map(str::to_owned).collect();
    assert_eq!(
        (uids[0].as_str(), uids[1].as_str(), uids[3].as_str()),
        ("UID:a", "UID:s", "UID:b"),
        "order stays: {uids:?}"
    );
    assert!(uids[2].ends_with("-derived"), "the second date of one id gets its own: {uids:?}");
}
