//! What the shell and packagers get: completions, manual pages, permissions.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

use crate::harness::{Case, calendar};

#[test]
fn completions_and_pages_know_every_command() {
    let case = Case::new();
    let help = case.ends(0, &["--help"]).stdout;
    let listed = help.split("Usage:").nth(1).unwrap().split("Options:").next().unwrap();
    let commands: Vec<&str> = listed
        .lines()
        .filter_map(|line| line.strip_prefix("  ")?.split(' ').next())
        .filter(|word| !word.is_empty())
        .collect();
    assert!(commands.len() > 20 && commands.contains(&"reconcile"), "{commands:?}");
    for shell in ["bash", "zsh", "fish", "powershell"] {
        let script = case.ends(0, &["completions", shell]).stdout;
        assert!(script.contains("EMVO_COMPLETE"), "{shell}: {script}");
    }
    case.ends(0, &["man", "-o", "pages"]);
    for command in &commands {
        let page = case.read(&format!("pages/emvo-{command}.1"));
        for section in ["NAME", "SYNOPSIS", "EXIT STATUS", "FILES", "ENVIRONMENT", "EXAMPLES", "SEE ALSO"] {
            assert!(
                page.contains(&format!(".SH \"{section}\"")) || page.contains(&format!(".SH {section}")),
                "{command}: {section}"
            );
        }
        assert!(page.contains(&format!("emvo {command}")), "{command} has no example");
    }
    let page = case.ends(0, &["man"]).stdout;
    assert!(page.contains(".TH EMVO 1"), "{page}");
    assert!(commands.iter().all(|command| page.contains(&format!("emvo\\-{command}(1)"))), "{page}");
}

/// What bash offers behind these words, as its script asks for it; `shell-test.sh` asks
/// the shells themselves.
fn offered(case: &Case, words: &str) -> Vec<String> {
    let words: Vec<&str> = words.split(' ').collect();
    let asked = (words.len() - 1).to_string();
    let run = assert_cmd::Command::cargo_bin("emvo")
        .unwrap()
        .arg("--")
        .args(&words)
        .env_clear()
        .env("EMVO_COMPLETE", "bash")
        .env("EMVO_COMPLETE_INDEX", asked)
        .current_dir(case.path(""))
        .output()
        .unwrap();
    String::from_utf8(run.stdout).unwrap().lines().map(str::to_owned).collect()
}

#[test]
fn the_shell_offers_what_could_come_next() {
    let case = Case::with_demo_exports();
    for (words, all) in [
        ("emvo recon", &["reconcile"][..]),
        ("emvo check . --zone Europe/Hels", &["Europe/Helsinki"]),
        ("emvo convert t.csv --zone-map Old = Europe/Stock", &["Europe/Stockholm"]),
        ("emvo repair . --consent R18", &["R18"]),
        ("emvo repair . --consent al", &["all"]),
        ("emvo rules Z01", &["Z01"]),
        (
            "emvo check . --only Z01,F0",
            &[
                "Z01,F01", "Z01,F02", "Z01,F03", "Z01,F04", "Z01,F05", "Z01,F06", "Z01,F07", "Z01,F08",
                "Z01,F09",
            ],
        ),
        ("emvo dates . --fields wee", &["weekday"]),
        ("emvo convert t.csv --column loc", &["location="]),
        ("emvo amend . --set loc", &["location="]),
        ("emvo amend . --replace loc", &["location:"]),
        ("emvo pick . --show wh", &["when"]),
        ("emvo convert . --leave-out repl", &["replaces"]),
        ("emvo convert exports/skarvik/huolto.csv --column title = Ot", &["Otsikko"]),
        ("emvo events exports/norrsund/crew.ics --calendar N", &["Norrsund besättning"]),
        ("emvo survey exports/skarvik/huo", &["exports/skarvik/huolto.csv"]),
        ("emvo check . --zone Nowhere/", &[]),
    ] {
        assert_eq!(offered(&case, words), all, "{words}");
    }
    assert!(offered(&case, "emvo check . --zone ").len() > 400);
}

#[test]
fn results_are_as_readable_as_the_umask_says() {
    use std::os::unix::fs::PermissionsExt;
    let event = "BEGIN:VEVENT\nUID:1\nSUMMARY:Watch\nDTSTART:20260302T080000Z\nEND:VEVENT\n";
    let case = Case::new().file("a.ics", calendar(event));
    let program = assert_cmd::cargo::cargo_bin("emvo");
    for (mask, mode) in [("022", 0o644), ("077", 0o600), ("002", 0o664)] {
        let line = format!("umask {mask}; '{}' merge a.ics -o {mask}.ics", program.display());
        let run = std::process::Command::new("sh")
            .args(["-c", &line])
            .current_dir(case.path(""))
            .env_clear()
            .env("EMVO_LEDGER", "")
            .output();
        assert!(run.unwrap().status.success());
        let permissions = std::fs::metadata(case.path(&format!("{mask}.ics"))).unwrap().permissions();
        assert_eq!(permissions.mode() & 0o777, mode, "umask {mask}");
    }
}

/// A result that takes standard output has it for itself: what is told goes beside it.
#[test]
fn results_and_answers_are_never_mixed() {
    let event = |title: &str, hour: u32| {
        format!("BEGIN:VEVENT\nUID:{title}\nSUMMARY:{title}\nDTSTART:20260907T{hour:02}0000Z\nEND:VEVENT\n")
    };
    let case = Case::new()
        .file("a.ics", calendar(&event("Drill", 8)))
        .file("b.ics", calendar(&(event("Drill", 9) + &event("Watch", 8))));
    let ledger = ["--ledger", "ledger.sqlite"];
    case.ends(0, &[&["convert", "a.ics", "-o", "a.csv"], &ledger[..]].concat());
    for (typed, starts, told) in [
        (&["dates", "a.ics", "-o", "-"][..], "\u{feff}start,end", "1 date"),
        (&["events", "a.ics", "-o", "-"], "\u{feff}when,repeat", "1 event"),
        (&["changes", "a.ics", "b.ics", "-o", "-"], "BEGIN:VCALENDAR", "1 added"),
        (&["convert", "a.ics", "-o", "-", "--to", "ics", "--no-ledger"], "BEGIN:VCALENDAR", "1 event in"),
        (&["history", "show", "1", "--ledger", "ledger.sqlite", "-o", "-"], "\u{feff}", "emvo convert"),
    ] {
        let run = case.emvo(typed);
        assert!(run.stdout.starts_with(starts), "{typed:?}: {}", run.shown());
        assert!(run.stderr.contains(told) && !run.stdout.contains(told), "{typed:?}: {}", run.shown());
        let run = case.emvo(&[typed, &["--json"]].concat());
        assert!(run.stdout.starts_with(starts), "{typed:?}: {}", run.shown());
        assert!(serde_json::from_str::<serde_json::Value>(&run.stderr).is_ok(), "{typed:?}: {}", run.shown());
    }
    assert!(!case.path("-").exists());
    let run = case.ends(2, &["bundle", "a.ics", "-o", "-"]);
    assert!(run.stderr.contains("a backup is read again"), "{}", run.stderr);
}

/// A script reads why nothing was done as it reads everything else.
#[test]
fn failures_are_json_where_answers_are() {
    let case = Case::new().file("a.ics", "no calendar");
    for typed in [&["survey", "a.ics", "--json"][..], &["survey", "nowhere.ics", "--json"]] {
        let run = case.ends(2, typed);
        let failure: serde_json::Value = serde_json::from_str(&run.stderr).unwrap();
        assert_eq!((run.stdout.as_str(), &failure["status"]), ("", &serde_json::json!(2)), "{failure:#}");
        assert!(failure["error"].as_str().unwrap().contains(typed[1]), "{failure:#}");
    }
}

#[test]
fn a_script_says_what_it_stops_at() {
    let event = "BEGIN:VEVENT\nUID:a\nSUMMARY:Drill\nDTSTART:20260907T080000Z\nDTEND:20260907T080000Z\n";
    let wrong =
        "BEGIN:VEVENT\nUID:b\nSUMMARY:Watch\nDTSTART:20260907T080000Z\nDTEND:20260907T070000Z\nEND:VEVENT\n";
    let notes = format!("{event}ATTENDEE:mailto:a@example.org\nEND:VEVENT\n");
    let case = Case::new()
        .file("notes.ics", calendar(&notes))
        .file("errors.ics", calendar(wrong))
        .file("unread.csv", "Title,Start\nA,2026-09-07\nB,soon\n");
    for (file, default, on_error, never) in
        [("notes.ics", 0, 0, 0), ("errors.ics", 1, 1, 0), ("unread.csv", 1, 1, 0)]
    {
        case.ends(default, &["check", file]);
        case.ends(on_error, &["check", file, "--fail-on", "error"]);
        case.ends(never, &["check", file, "--fail-on", "never"]);
    }
}
