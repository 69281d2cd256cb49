//! Pages on which a person decides: what is asked there, and what the saved answers do. The
//! browser itself is tested by `decide-test.py`.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

use serde_json::{Value, json};

use crate::harness::{Case, calendar};

/// The questions of a page.
fn asked(page: &str) -> Value {
    let (_, rest) = page.split_once("<script id=\"asked\" type=\"application/json\">").unwrap();
    serde_json::from_str(rest.split_once("</script>").unwrap().0).unwrap()
}

/// The sheet that the page saves, with these answers in order.
fn saved(asked: &Value, answers: &[&str]) -> String {
    let cell = |text: &str| format!("\"{}\"", text.replace('"', "\"\""));
    let columns: Vec<&str> =
        asked["columns"].as_array().unwrap().iter().map(|one| one.as_str().unwrap()).collect();
    let mut sheet = format!("\u{feff}{}\r\n", columns.join(","));
    for (one, answer) in asked["list"].as_array().unwrap().iter().zip(answers) {
        let cells = columns.iter().zip(one["cells"].as_array().unwrap()).map(|(column, text)| {
            if *column == "answer" { cell(answer) } else { cell(text.as_str().unwrap()) }
        });
        sheet += &(cells.collect::<Vec<_>>().join(",") + "\r\n");
    }
    sheet
}

fn event(uid: &str, title: &str, lines: &str) -> String {
    format!("BEGIN:VEVENT\nUID:{uid}\nSUMMARY:{title}\nDTSTART:20260901T080000Z\n{lines}END:VEVENT\n")
}

#[test]
fn look_alikes_are_asked_about_on_a_page_and_come_back_answered() {
    // The title would end the element that the questions stand in.
    let title = "Fire drill </script><b>";
    let case = Case::new()
        .file(
            "a.ics",
            calendar(
                &(event("1", title, "DTEND:20260901T090000Z\nLOCATION:Quay 2\n")
                    + &event("2", "=Watch", "DTEND:20260901T100000Z\nCATEGORIES:Crew\n")),
            ),
        )
        .file(
            "b.ics",
            calendar(
                &(event("3", title, "DTEND:20260901T093000Z\nLOCATION:Quay 2\n")
                    + &event("4", "=Watch", "DTEND:20260901T110000Z\n")),
            ),
        );
    let merge = ["merge", "a.ics", "b.ics", "-o", "out.ics", "--overwrite"];
    let run = case.ends(0, &[&merge[..], &["--review", "pairs.html"]].concat());
    assert!(
        run.stdout.contains("2 pairs of events look alike; decide on the page, save the answers there, and read them back with --answers"),
        "{}",
        run.stdout
    );
    let page = case.read("pairs.html");
    assert!(!page.contains("</script><b>") && page.contains("2 pairs to decide"), "{page}");
    let asked = asked(&page);
    assert_eq!(asked["file"], "pairs.answers.csv");
    let drill = asked["list"].as_array().unwrap().iter().find(|one| one["question"] == title).unwrap();
    assert_eq!(drill["sides"], json!(["a.ics", "b.ics"]));
    assert_eq!(drill["kind"], "the same title and start, another end");
    assert_eq!(
        drill["rows"],
        json!([
            ["start", "2026-09-01 08:00 UTC", "2026-09-01 08:00 UTC", false],
            ["end", "2026-09-01 09:00 UTC", "2026-09-01 09:30 UTC", true],
            ["title", title, title, false],
            ["location", "Quay 2", "Quay 2", false],
        ])
    );
    let watch = asked["list"].as_array().unwrap().iter().find(|one| one["question"] == "=Watch").unwrap();
    assert!(watch["rows"].as_array().unwrap().contains(&json!(["category", "Crew", "", true])), "{watch:#}");
    // Cells are as a spreadsheet may take them, since people open the sheet with one as well.
    assert!(watch["cells"].as_array().unwrap().contains(&json!("'=Watch")), "{watch:#}");

    case.put("pairs.answers.csv", saved(&asked, &["same", "different"]));
    let answer = case.json_ends(0, &[&merge[..], &["--answers", "pairs.answers.csv", "--json"]].concat());
    assert_eq!((&answer["balance"]["folded"], &answer["balance"]["written"]), (&json!(1), &json!(3)));
}

#[test]
fn a_page_of_nothing_to_decide_says_so() {
    let case = Case::new().file("a.ics", calendar(&event("1", "Watch", "")));
    case.ends(0, &["merge", "a.ics", "-o", "out.ics", "--review", "pairs.html"]);
    let page = case.read("pairs.html");
    assert!(page.contains("Nothing looks alike") && !page.contains("<script"), "{page}");
}

#[test]
fn repairs_that_need_consent_are_asked_about_with_what_they_would_make() {
    let watch = |uid: &str, title: &str| {
        event(uid, title, "DTEND:20260901T090000Z\nRRULE:FREQ=WEEKLY;BYDAY=MO;COUNT=4\n")
    };
    let case = Case::new().file("a.ics", calendar(&(watch("1", "Watch") + &watch("2", "Muster"))));
    case.ends(1, &["check", "a.ics", "--report", "faults.html"]);
    let page = case.read("faults.html");
    let asked = asked(&page);
    let list = asked["list"].as_array().unwrap();
    assert_eq!(list.len(), 2, "{asked:#}");
    assert_eq!(list[0]["kind"], "R04 start-off-rule");
    assert_eq!(list[0]["sides"], json!(["as it is, a.ics:4", "repaired"]));
    let rows = list[0]["rows"].as_array().unwrap();
    assert!(rows.iter().any(|row| row[3] == true), "what the repair changes is marked: {rows:#?}");
    assert!(page.contains("emvo repair a.ics --answers faults.answers.csv -o repaired/"), "{page}");

    case.put("faults.answers.csv", saved(&asked, &["yes", "no"]));
    let run =
        case.json_ends(1, &["repair", "a.ics", "--answers", "faults.answers.csv", "-o", "out.ics", "--json"]);
    let changed: Vec<_> = run["changes"].as_array().unwrap().iter().map(|one| &one["title"]).collect();
    assert_eq!(changed, ["Watch"], "{run:#}");
}

/// The same event in two files is one event to the repair, so two answers about it are a mistake.
#[test]
fn answers_that_contradict_each_other_are_refused() {
    let watch =
        calendar(&event("1", "Watch", "DTEND:20260901T090000Z\nRRULE:FREQ=WEEKLY;BYDAY=MO;COUNT=4\n"));
    let case = Case::new().file("a.ics", &watch).file("b.ics", &watch);
    case.ends(1, &["check", "a.ics", "b.ics", "--only", "R04", "--report", "faults.html"]);
    let asked = asked(&case.read("faults.html"));
    for (answers, status) in [(["yes", "no"], 2), (["yes", "yes"], 0), (["", "no"], 1)] {
        case.put("answers.csv", saved(&asked, &answers));
        let words = [
            "repair",
            "a.ics",
            "b.ics",
            "--only",
            "R04",
            "--answers",
            "answers.csv",
            "-o",
            "out/",
            "--overwrite",
        ];
        let run = case.ends(status, &words);
        assert_eq!(
            run.stderr
                .contains("`answers.csv` row 3: `no` is not what row 2 says of the same rule, id and title"),
            status == 2,
            "{run:#?}"
        );
    }
}
