//! Whole moves from plan files, as the built program does them.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

use std::fs;

use crate::harness::{Case, calendar, demo_exports};

fn event(uid: &str, title: &str, day: &str) -> String {
    format!(
        "BEGIN:VEVENT\nUID:{uid}\nSUMMARY:{title}\nDTSTART;TZID=Europe/Helsinki:{day}T080000\nDTEND;TZID=Europe/Helsinki:{day}T090000\nEND:VEVENT\n"
    )
}

const PLAN: &str = "[move]\nname = \"Takeover\"\nzone = \"Europe/Helsinki\"\nfrom = 2026-09-01\n\n\
    [[source]]\npath = \"in/crew*.ics\"\nadd_category = \"Crew\"\nbusy = \"free\"\nprivate = \"omit\"\ninto = \"all\"\n\n\
    [[source]]\npath = \"in/quay.csv\"\ninto = \"quay\"\n\n\
    [[destination]]\nname = \"all\"\npath = \"out/all.ics\"\nexisting = \"in/there.ics\"\ncalendar_name = \"All\"\n\n\
    [[destination]]\nname = \"quay\"\npath = \"out/quay.csv\"\n\n\
    [check]\nreconcile = true\nreport = \"out/move.html\"\n";

fn case() -> Case {
    // It needs a repair (T04) as well: what is changed in it is no business of a report.
    let private = event("p", "Secret, really", "20260912")
        .replace("SUMMARY", "CLASS:PRIVATE\nLOCATION:Secret place\nSUMMARY");
    Case::new()
        .file("plan.toml", PLAN)
        .file(
            "in/crew-a.ics",
            calendar(&(event("a", "Watch", "20260907") + &event("old", "Past", "20260301"))),
        )
        .file(
            "in/crew-b.ics",
            calendar(&(event("b", "Drill", "20260908") + &event("a", "Watch", "20260907") + &private)),
        )
        .file("in/there.ics", calendar(&event("t", "There before", "20260910")))
        .file("in/quay.csv", "title,start,end\nQuay 1,2026-10-05,2026-10-09\n")
}

#[test]
fn a_plan_is_carried_out_again_and_again() {
    let case = case();
    let run = case.json_ends(0, &["run", "plan.toml", "--json"]);
    let balance = |name: &str| run["balance"][name].as_u64().unwrap();
    assert_eq!(
        ["read", "written", "folded", "removed", "set_aside"].map(balance),
        [7, 4, 1, 2, 0],
        "one lies before the window, one is private: {run:#}"
    );
    assert_eq!(run["destinations"][0]["verdict"], "complete");
    assert_eq!(run["destinations"][0]["outside"], 1);
    assert!(!run.to_string().contains("Secret"), "{run:#}");
    let all = case.read("out/all.ics");
    assert!(
        all.contains("X-WR-CALNAME:All") && all.contains("CATEGORIES:Crew\r\nTRANSP:TRANSPARENT"),
        "{all}"
    );
    assert!(!all.contains("Secret") && !all.contains("Past"), "{all}");
    let there = all.split("BEGIN:VEVENT").find(|event| event.contains("There before")).unwrap();
    assert!(!there.contains("Crew"), "the destination's own stays as it is");
    assert!(case.read("out/quay.csv").contains("Quay 1,2026-10-05,2026-10-09,yes"));
    assert!(case.read("out/move.html").contains("Complete"));
    assert!(
        !case.read("out/move.html").contains("Secret"),
        "a private event that stays behind is in no report"
    );
    let again = case.ends(0, &["run", "plan.toml"]);
    assert!(again.stdout.ends_with("nothing to do: all of it stands there already\n"), "{}", again.stdout);
    // What changes is what is written again.
    let quay = fs::metadata(case.path("out/quay.csv")).unwrap().modified().unwrap();
    case.put("in/crew-b.ics", calendar(&event("b", "Drill, moved", "20260909")));
    let changed = case.json_ends(0, &["run", "plan.toml", "--json"]);
    assert_eq!(changed["outputs"], serde_json::json!(["out/all.ics", "out/move.html", "out/move-all.html"]));
    assert_eq!(fs::metadata(case.path("out/quay.csv")).unwrap().modified().unwrap(), quay);
    // Somebody else's file is not replaced.
    case.put("out/all.ics", "mine");
    let refused = case.ends(2, &["run", "plan.toml"]);
    assert!(
        refused.stderr.contains("`out/all.ics` is not as a run of this plan has left it"),
        "{}",
        refused.stderr
    );
    assert_eq!(case.read("out/all.ics"), "mine");
    case.ends(0, &["run", "plan.toml", "--overwrite"]);
    let forced = case.json_ends(0, &["run", "plan.toml", "--force", "--json"]);
    assert_eq!(forced["outputs"].as_array().unwrap().len(), 5, "{forced:#}");
}

#[test]
fn a_dry_run_says_what_would_happen_and_writes_nothing() {
    let case = case();
    let run = case.ends(0, &["run", "plan.toml", "--dry-run"]);
    insta::assert_snapshot!(run.shown());
    assert!(!case.path("out").exists());
}

#[test]
fn mistakes_in_a_plan_are_told_with_their_place() {
    let table = [
        ("into = \"all\"", "into = \"nobody\"", "plan.toml:11:8: there is no destination `nobody`"),
        (
            "private = \"omit\"\n",
            "private = \"hide\"\n",
            "plan.toml:10:11: `hide`: write \"include\", \"omit\", \"mask\"",
        ),
        (
            "path = \"in/quay.csv\"\n",
            "path = \"in/none.csv\"\n",
            "plan.toml:14:8: there is no file `in/none.csv`",
        ),
        (
            "path = \"in/quay.csv\"\n",
            "path = \"in/crew-a.ics\"\n",
            "plan.toml:14:8: `in/crew-a.ics` is taken by the source `in/crew*.ics` already",
        ),
        (
            "zone = \"Europe/Helsinki\"",
            "zone = \"Europe/Helsinky\"",
            "plan.toml:3:8: `Europe/Helsinky` is not a time zone; did you mean Europe/Helsinki",
        ),
        ("into = \"quay\"\n", "", "plan.toml:13:1: the source has no destination: into = one of all, quay"),
        ("reconcile = true", "reconcil = true", "plan.toml:28:1: unknown field `reconcil`"),
        (
            "path = \"out/quay.csv\"",
            "path = \"out/all.ics\"",
            "plan.toml:25:8: the destination `all` goes there already",
        ),
        (
            "path = \"out/quay.csv\"",
            "path = \"in/quay.csv\"",
            "the output `in/quay.csv` is an input; inputs are never changed",
        ),
    ];
    for (from, to, message) in table {
        let case = case().file("plan.toml", PLAN.replacen(from, to, 1));
        let run = case.ends(2, &["run", "plan.toml"]);
        assert!(run.stderr.contains(message), "{from} → {to}: {}", run.stderr);
        assert!(!case.path("out").exists(), "nothing is written: {to}");
    }
}

#[test]
fn all_or_nothing_is_written() {
    let case = case().file("out/quay.csv", "not ours");
    case.ends(2, &["run", "plan.toml"]);
    assert!(!case.path("out/all.ics").exists() && !case.path("out/move.html").exists());
}

#[test]
fn a_first_plan_comes_from_the_exports() {
    let case = Case::with_demo_exports();
    case.ends(0, &["run", "--new", "exports", "-o", "plan.toml"]);
    let plan = case.read("plan.toml");
    assert!(plan.contains("path = \"exports/skarvik/laituri.csv\""), "{plan}");
    let run = case.json_ends(1, &["run", "plan.toml", "--json"]);
    // Every date that can be read is there; some rows cannot.
    let release = &run["destinations"][0]["release"];
    assert_eq!(run["destinations"][0]["causes"], serde_json::json!([]), "{:#}", run["destinations"]);
    assert_eq!(release["because"][0]["kind"], "unread", "{release:#}");
    assert_eq!(release["because"].as_array().unwrap().len(), 1, "{release:#}");
}

/// The demo's plan, from an empty folder to a complete verdict.
#[test]
fn the_demo_plan_arrives() {
    let case = Case::with_demo_exports();
    let demo = demo_exports().parent().unwrap().to_owned();
    case.put("plan.toml", fs::read(demo.join("plan.toml")).unwrap());
    case.put("limits/shore-office.toml", fs::read(demo.join("limits/shore-office.toml")).unwrap());
    let run = case.json_ends(1, &["run", "plan.toml", "--json"]);
    let verdicts: Vec<_> =
        run["destinations"].as_array().unwrap().iter().map(|one| one["verdict"].as_str().unwrap()).collect();
    // The rows of the quays that cannot be read are set aside.
    assert_eq!(verdicts, ["complete", "complete", "incomplete"]);
    assert_eq!(run["destinations"][2]["release"]["because"][0]["kind"], "unread");
    assert_eq!(run["balance"]["read"], 303);
}

#[test]
fn a_folder_of_plans_is_one_summary() {
    let case = Case::new();
    for number in 1..=3 {
        let name = format!("{number}.ics");
        case.put(&format!("plans/{name}"), calendar(&event(&name, "Watch", "20260907")));
        case.put(
            &format!("plans/{number}.toml"),
            format!(
                "[[source]]\npath = \"{name}\"\n[[destination]]\nname = \"x\"\npath = \"moved-{name}\"\n"
            ),
        );
    }
    let run = case.ends(0, &["run", "plans", "--progress", "lines"]);
    insta::assert_snapshot!(run.stdout);
    assert_eq!(run.stderr.lines().count(), 3, "a line for each plan: {}", run.stderr);
    case.put(
        "plans/2.toml",
        "[[source]]\npath = \"none.ics\"\n[[destination]]\nname = \"x\"\npath = \"y.ics\"\n",
    );
    let run = case.ends(2, &["run", "plans"]);
    assert!(
        run.stdout.contains("not done  plans/2.toml:2:8: there is no file `plans/none.ics`"),
        "{}",
        run.stdout
    );
    assert!(run.stdout.contains("plans/1.toml  nothing to do  1 in, 1 written"), "{}", run.stdout);
}

/// Killed at any moment, a run leaves old files or new ones, whole, and a ledger
/// that can be read; the next run gives the same bytes as an undisturbed one.
#[test]
fn killing_a_run_leaves_everything_whole() {
    let many: String =
        (0..400).map(|at| event(&format!("e{at}"), "Watch", &format!("202609{:02}", at % 28 + 1))).collect();
    let plan = "[[source]]\npath = \"in.ics\"\n[[destination]]\nname = \"x\"\npath = \"out/x.ics\"\n[check]\nreconcile = true\nreport = \"out/x.html\"\n";
    let undisturbed = Case::new().file("in.ics", calendar(&many)).file("plan.toml", plan);
    undisturbed.ends(0, &["run", "plan.toml", "--no-ledger"]);
    let case = Case::new().file("in.ics", calendar(&many)).file("plan.toml", plan);
    let whole = [undisturbed.read("out/x.ics"), undisturbed.read("out/x.html")];
    for delay in (0..120).step_by(6) {
        let mut child = std::process::Command::new(assert_cmd::cargo::cargo_bin("emvo"))
            .args(["run", "plan.toml", "--force", "--ledger", "ledger.sqlite", "--quiet"])
            .current_dir(case.path(""))
            .env_clear()
            .env("EMVO_LEDGER", "")
            .spawn()
            .unwrap();
        std::thread::sleep(std::time::Duration::from_millis(delay));
        child.kill().unwrap();
        child.wait().unwrap();
        for (name, whole) in ["out/x.ics", "out/x.html"].into_iter().zip(&whole) {
            if let Ok(found) = fs::read_to_string(case.path(name)) {
                assert_eq!(&found, whole, "{name} after {delay} ms is half written");
            }
        }
    }
    case.ends(0, &["run", "plan.toml", "--force", "--ledger", "ledger.sqlite"]);
    let history = case.ends(0, &["history", "--ledger", "ledger.sqlite", "--json"]);
    assert!(history.stdout.contains("run plan.toml"), "{}", history.stdout);
    assert_eq!([case.read("out/x.ics"), case.read("out/x.html")], whole);
}
