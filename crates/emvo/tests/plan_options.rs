//! What a plan can ask of its sources and destinations, each carried out and proved.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

use serde_json::json;

use crate::harness::{Case, calendar};

fn event(uid: &str, title: &str, day: u8, lines: &str) -> String {
    format!(
        "BEGIN:VEVENT\nUID:{uid}\nSUMMARY:{title}\nDTSTART;TZID=Europe/Helsinki:202609{day:02}T080000\n\
         DTEND;TZID=Europe/Helsinki:202609{day:02}T090000\n{lines}END:VEVENT\n"
    )
}

const RICH: &str = "DESCRIPTION:Bring the keys\nLOCATION:Quay 2\nATTENDEE:mailto:elsa@example.org\n\
    ATTACH:https://example.org/plan.pdf\nBEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:x\nTRIGGER:-PT1H\nEND:VALARM\n";

fn plan(source: &str, destination: &str, more: &str) -> String {
    format!(
        "[move]\nzone = \"Europe/Helsinki\"\n[[source]]\npath = \"a.ics\"\n{source}\n\
         [[destination]]\nname = \"crew\"\npath = \"out/crew.ics\"\n{destination}\n{more}"
    )
}

#[test]
fn what_events_bring_along_can_stay_behind() {
    let drop = "reminders = \"drop\"\ninvitations = \"drop\"\nattachments = \"drop\"";
    let case = Case::new()
        .file("a.ics", calendar(&event("1", "Watch", 7, RICH)))
        .file("plan.toml", plan(drop, "", "[check]\nreconcile = true\n"));
    let run = case.json_ends(0, &["run", "plan.toml", "--json"]);
    let written = case.read("out/crew.ics");
    for gone in ["VALARM", "ATTENDEE", "ATTACH"] {
        assert!(!written.contains(gone), "{gone}: {written}");
    }
    assert!(written.contains("Bring the keys"), "{written}");
    // Every date is there, and what was left out as asked is counted by its field.
    let destination = &run["destinations"][0];
    assert_eq!(destination["verdict"], "complete", "{destination:#}");
    assert_eq!(
        destination["statements"]["changed"],
        json!({ "attachments": 1, "attendees": 1, "reminders": 1 }),
        "{destination:#}"
    );

    case.put("plan.toml", plan("reminders = \"-PT15M\"", "", ""));
    case.put("a.ics", calendar(&event("1", "Watch", 7, "")));
    case.emvo(&["run", "plan.toml", "--overwrite"]);
    assert!(case.read("out/crew.ics").contains("TRIGGER:-PT15M"), "{}", case.read("out/crew.ics"));
}

#[test]
fn a_source_can_be_shown_in_part_and_the_proof_says_what_stayed() {
    let private = event("2", "Dismissal", 8, "CLASS:PRIVATE\n");
    let case = Case::new()
        .file("a.ics", calendar(&(event("1", "Watch", 7, RICH) + &private)))
        .file("plan.toml", plan("show = [\"when\", \"location\"]", "", "[check]\nreconcile = true\n"));
    let run = case.json_ends(0, &["run", "plan.toml", "--json"]);
    let written = case.read("out/crew.ics");
    assert!(written.contains("SUMMARY:Busy") && written.contains("LOCATION:Quay 2"), "{written}");
    for hidden in ["Watch", "Dismissal", "keys", "elsa"] {
        assert!(
            !written.contains(hidden) && !run.to_string().contains(hidden),
            "{hidden}: {written} {run:#}"
        );
    }
    assert_eq!(run["balance"]["removed"], 1, "the private one is left out: {run:#}");
    let because: Vec<_> = run["destinations"][0]["release"]["because"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| (one["field"].as_str().unwrap(), one["count"].as_u64().unwrap()))
        .collect();
    assert_eq!(because, [("private-events", 1), ("not-shown", 1)], "{run:#}");
    let dry = case.ends(0, &["run", "plan.toml", "--dry-run", "--force"]);
    assert!(dry.stdout.contains("only when, location of each event"), "{}", dry.stdout);
}

#[test]
fn a_layout_can_stand_in_the_plan_itself() {
    let columns = "[[source.columns.column]]\nheader = \"Vad\"\nfield = \"title\"\n\
        [[source.columns.column]]\nheader = \"Dag\"\nfield = \"start\"\n";
    let written = "[[destination.columns.column]]\nheader = \"Mitä\"\nfield = \"title\"\n\
        [[destination.columns.column]]\nheader = \"Milloin\"\nfield = \"start\"\n";
    let text = format!(
        "[[source]]\npath = \"a.csv\"\n{columns}\n[[destination]]\nname = \"crew\"\npath = \"crew.csv\"\n{written}"
    );
    let case = Case::new().file("a.csv", "Vad,Dag\nVakt,2026-09-07\n").file("plan.toml", text.clone());
    case.ends(0, &["run", "plan.toml"]);
    let table = case.read("crew.csv");
    assert!(table.contains("Mitä,Milloin\r\nVakt,2026-09-07\r\n"), "{table}");
    case.put("plan.toml", text.replace("field = \"title\"\n[[source", "feld = \"title\"\n[[source"));
    let wrong = case.ends(2, &["run", "plan.toml"]);
    assert!(
        wrong.stderr.contains("plan.toml:3:") && wrong.stderr.contains("unknown field `feld`"),
        "{}",
        wrong.stderr
    );
}

#[test]
fn a_destination_without_updates_gets_what_is_new_and_a_person_the_rest() {
    let there =
        event("given-1", "Watch", 7, "") + &event("2", "Drill", 9, "") + &event("own", "Their own", 12, "");
    let moved = event("2", "Drill", 10, "") + &event("1", "Watch", 7, "") + &event("3", "Muster", 11, "");
    let catch_up = "existing = \"there.ics\"\nonly_new = true\nby_hand = \"out/by-hand.csv\"";
    let case = Case::new()
        .file("a.ics", calendar(&moved))
        .file("there.ics", calendar(&there))
        .file("plan.toml", plan("add_category = \"Crew\"", catch_up, "[check]\nreconcile = true\n"));
    let run = case.json_ends(1, &["run", "plan.toml", "--json"]);
    let written = case.read("out/crew.ics");
    assert!(written.contains("Muster") && !written.contains("Watch"), "{written}");
    let chores = run["destinations"][0]["by_hand"].as_array().unwrap();
    assert!(chores.iter().any(|one| one["what"] == "move" && one["title"] == "Drill"), "{run:#}");
    assert!(case.read("out/by-hand.csv").contains("Drill"));
    let calendars = &run["destinations"][0]["calendars"][0];
    assert_eq!(
        (&calendars["then"], &calendars["now"]),
        (&json!(3), &json!(3)),
        "what was there counts: {run:#}"
    );
    for (destination, message) in [
        (
            "only_new = true",
            "plan.toml:9:12: what is new is told from what is there: existing = a fresh export of it",
        ),
        (
            "by_hand = \"x.csv\"",
            "plan.toml:9:11: a list of what is left to a person goes with only_new = true",
        ),
    ] {
        case.put("plan.toml", plan("", destination, ""));
        let wrong = case.ends(2, &["run", "plan.toml"]);
        assert!(wrong.stderr.contains(message), "{destination}: {}", wrong.stderr);
    }
}

/// What the destination holds would stand there twice, if the whole result were imported.
#[test]
fn a_destination_that_doubles_is_not_given_what_it_has_without_a_word() {
    let case = Case::new()
        .file("a.ics", calendar(&event("2", "Drill", 9, "")))
        .file("there.ics", calendar(&event("1", "Watch", 7, "")))
        .file("there.toml", "ids = \"fresh\"\n");
    let destination = "existing = \"there.ics\"\nlimits = \"there.toml\"";
    let merge = ["merge", "a.ics", "--into", "there.ics", "--limits", "there.toml", "-o", "out.ics"];
    for (only_new, status) in [(false, 1), (true, 0)] {
        let more = if only_new { "\nonly_new = true" } else { "" };
        case.put("plan.toml", plan("", &format!("{destination}{more}"), ""));
        let option = if only_new { &["--only-new", "--overwrite"][..] } else { &[] };
        let merged = case.ends(status, &[&merge[..], option].concat());
        let run = case.ends(status, &["run", "plan.toml", "--overwrite"]);
        assert_eq!(merged.stderr.contains("--only-new writes the rest alone"), !only_new, "{merged:#?}");
        assert_eq!(run.stdout.contains("only_new = true writes the rest alone"), !only_new, "{run:#?}");
    }
}

/// What a spreadsheet is to open by its name is a spreadsheet's file, and what could not be read
/// of what is there already is told.
#[test]
fn sheets_of_a_plan_are_what_their_names_say() {
    let there =
        event("1", "Watch", 7, "") + "BEGIN:VEVENT\nUID:x\nSUMMARY:Broken\nDTSTART:2026-99-99\nEND:VEVENT\n";
    let catch_up = "existing = \"there.ics\"\nonly_new = true\nby_hand = \"out/by-hand.xlsx\"";
    let case = Case::new()
        .file("a.ics", calendar(&event("1", "Watch", 8, "")))
        .file("there.ics", calendar(&there))
        .file("plan.toml", plan("", catch_up, "[check]\nreport = \"out/move.xlsx\"\n"));
    let run = case.ends(1, &["run", "plan.toml"]);
    for name in ["out/by-hand.xlsx", "out/move.xlsx"] {
        assert!(std::fs::read(case.path(name)).unwrap().starts_with(b"PK"), "{name}");
    }
    assert!(run.stdout.contains("! of what the destination holds, 1 event cannot be read"), "{}", run.stdout);
    case.put("plan.toml", plan("", "existing = \"there.ics\"\nonly_new = true", ""));
    let run = case.ends(1, &["run", "plan.toml", "--overwrite"]);
    assert!(run.stdout.contains("; by_hand = \"list.csv\" says which and how"), "{}", run.stdout);
}

#[test]
fn the_exports_are_kept_as_they_came() {
    let export = calendar(&event("1", "Watch", 7, "X-ODD:kept\n"));
    let case = Case::new()
        .file("a.ics", &export)
        .file("plan.toml", plan("reminders = \"-PT1H\"", "", "[backup]\npath = \"out/before.zip\"\n"));
    let run = case.json_ends(0, &["run", "plan.toml", "--json"]);
    assert_eq!(run["outputs"], json!(["out/crew.ics", "out/before.zip"]));
    case.ends(0, &["bundle", "--verify", "out/before.zip"]);
    case.ends(0, &["bundle", "out/before.zip", "--restore", "all", "-o", "back"]);
    assert_eq!(case.read("back/originals/a.ics"), export);
    let again = case.json_ends(0, &["run", "plan.toml", "--json"]);
    assert_eq!(again["outputs"], json!([]), "nothing has changed");
    case.put("plan.toml", plan("", "", "[backup]\npath = \"before\"\n"));
    let wrong = case.ends(2, &["run", "plan.toml"]);
    assert!(wrong.stderr.contains("plan.toml:11:8: a backup ends in .zip"), "{}", wrong.stderr);
}

#[test]
fn a_move_to_several_destinations_has_a_page_for_each() {
    let case = Case::new()
        .file("a.ics", calendar(&(event("1", "Watch", 7, "") + &event("2", "Drill", 8, ""))))
        .file("b.ics", calendar(&event("3", "Sailing", 9, "")))
        .file(
            "plan.toml",
            "[[source]]\npath = \"a.ics\"\ninto = \"Crew #1\"\n[[source]]\npath = \"b.ics\"\ninto = \"sailings\"\n\
             [[destination]]\nname = \"Crew #1\"\npath = \"out/crew.ics\"\n\
             [[destination]]\nname = \"sailings\"\npath = \"out/sailings.ics\"\n\
             [check]\nreconcile = true\nreport = \"out/move.html\"\n",
        );
    let run = case.json_ends(0, &["run", "plan.toml", "--json"]);
    let pages: Vec<_> =
        run["outputs"].as_array().unwrap()[2..].iter().map(|one| one.as_str().unwrap()).collect();
    assert_eq!(pages.len(), 3, "{run:#}");
    let whole = case.read("out/move.html");
    assert!(whole.contains("Calendars, then and now") && whole.contains("sailings"), "{whole}");
    for (page, title) in pages[1..].iter().zip(["Crew #1", "sailings"]) {
        let name = page.strip_prefix("out/").unwrap();
        let reference = name.replace('#', "%23").replace(' ', "%20");
        assert!(whole.contains(&format!("href=\"./{reference}\"")), "{reference}: {whole}");
        let own = case.read(page);
        assert!(own.contains(&format!("<h1>{title}</h1>")) && own.contains("Complete"), "{own}");
        assert!(own.contains("href=\"./move.html\""), "{own}");
    }
    assert!(!case.read(pages[2]).contains("Watch"), "a page is about its destination alone");
}

#[test]
fn a_first_plan_proposes_a_destination_for_each_calendar() {
    let named = |name: &str, events: &str| {
        calendar(events).replace("VERSION:2.0\r\n", &format!("VERSION:2.0\r\nX-WR-CALNAME:{name}\r\n"))
    };
    let crew: String = (1..=5).map(|day| event(&format!("c{day}"), "Watch", day, "")).collect();
    let case = Case::new()
        .file("exports/a.ics", named("Crew", &crew))
        .file("exports/b.ics", named("crew", &event("x", "Muster", 9, "")))
        .file(
            "exports/c.ics",
            named("Sailings", &event("y", "Out", 9, "")) + &named("Crew", &event("z", "In", 9, "")),
        )
        .file("there.toml", "events_per_file = 3\nids = \"fresh\"\n");
    case.ends(
        0,
        &[
            "run",
            "--new",
            "exports",
            "--limits",
            "there.toml",
            "--zone",
            "Europe/Helsinki",
            "-o",
            "plan.toml",
        ],
    );
    let plan = case.read("plan.toml");
    for part in [
        "[[destination]]\nname = \"Crew\"\npath = \"moved/crew.ics\"\ncalendar_name = \"Crew\"\n",
        "limits = \"there.toml\"\n# 7 events: at least 3 files of at most 3\n# What is imported again stands there twice",
        "path = \"exports/c.ics\"\ncalendars = [\"Sailings\"]\ninto = \"Sailings\"",
        "path = \"exports/b.ics\"\ninto = \"Crew\"",
        "zone = \"Europe/Helsinki\"",
    ] {
        assert!(plan.contains(part), "{part}: {plan}");
    }
    let run = case.json_ends(0, &["run", "plan.toml", "--json"]);
    assert_eq!((&run["balance"]["read"], &run["balance"]["written"]), (&json!(8), &json!(8)), "{run:#}");
    assert_eq!(case.names().iter().filter(|name| *name == "moved").count(), 1);
    let refused = case.ends(2, &["run", "plan.toml", "--zone", "UTC"]);
    assert!(
        refused.stderr.contains("--zone, --limits and --consent are for a first plan"),
        "{}",
        refused.stderr
    );
}
