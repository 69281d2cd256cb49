//! The settings of a folder: what `emvo.toml` says stands for what would be typed.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

use crate::harness::{Case, calendar};

const EVENT: &str = "BEGIN:VEVENT\nUID:1\nSUMMARY:Watch\nDTSTART:20260907T080000\nDTEND:20260907T090000\n\
    DESCRIPTION:Long enough to be cut\nEND:VEVENT\n";

const SETTINGS: &str = "zone = \"Europe/Helsinki\"\nlimits = \"quay.toml\"\nlanguage = \"fi\"\n\
    consent = [\"R04\"]\n\n[zone_map]\n\"Ship time\" = \"Europe/Stockholm\"\n";

fn case() -> Case {
    Case::new()
        .file("emvo.toml", SETTINGS)
        .file("quay.toml", "description_characters = 10\n")
        .file("a.ics", calendar(EVENT))
}

#[test]
fn settings_count_for_every_command_that_takes_them_and_are_told() {
    let case = case();
    for (command, told) in [
        ("survey a.ics", "--zone Europe/Helsinki --zone-map Ship time=Europe/Stockholm"),
        ("check a.ics", "--zone Europe/Helsinki --zone-map Ship time=Europe/Stockholm --limits quay.toml"),
        ("dates a.ics", "--zone Europe/Helsinki --zone-map Ship time=Europe/Stockholm --language fi"),
        (
            "repair a.ics -o r.ics",
            "--zone Europe/Helsinki --zone-map Ship time=Europe/Stockholm --consent R04",
        ),
        ("rehearse a.ics", "--zone Europe/Helsinki --zone-map Ship time=Europe/Stockholm --limits quay.toml"),
        (
            "merge a.ics -o m.ics",
            "--zone Europe/Helsinki --zone-map Ship time=Europe/Stockholm --limits quay.toml",
        ),
    ] {
        let words: Vec<&str> = command.split(' ').collect();
        let run = case.emvo(&words);
        assert!(run.status < 2, "{command}: {run:#?}");
        let line = format!("as emvo.toml says: {told} (--no-settings does without)\n");
        assert!(run.stderr.contains(&line), "{command}: {}", run.stderr);
    }
    assert!(case.read("m.ics").contains("DESCRIPTION:Long enou…\r\n"), "{}", case.read("m.ics"));
    let found = case.json(&["check", "a.ics", "--json"]);
    assert_eq!(found["counts"]["F10"], 1, "{found:#}");
    let list = case.ends(0, &["dates", "a.ics"]);
    assert!(list.stdout.contains("ma") || list.stdout.contains("maanantai"), "{}", list.stdout);
}

#[test]
fn what_is_typed_goes_first_and_settings_can_be_done_without() {
    let case = case();
    let run = case.ends(
        1,
        &["check", "a.ics", "--limits", "none.toml", "--zone", "UTC"]
            .map(|word| if word == "none.toml" { "quay.toml" } else { word }),
    );
    assert!(run.stderr.contains("says: --zone-map Ship time=Europe/Stockholm (--no"), "{}", run.stderr);
    for words in
        [&["check", "a.ics", "--no-settings", "--json"][..], &["--no-settings", "check", "a.ics", "--json"]]
    {
        let found = case.json(words);
        assert_eq!(found["counts"]["F10"], serde_json::Value::Null, "{found:#}");
        assert!(!case.emvo(words).stderr.contains("emvo.toml"));
    }
    let quiet = case.emvo(&["check", "a.ics", "--quiet"]);
    assert_eq!(quiet.stderr, "", "it is good to know, and no error");
    // Nothing is looked at where nothing of it counts.
    for words in [&["rules", "R04"][..], &["--help"], &["check", "--help"]] {
        case.put("emvo.toml", "zone = 1\n");
        let run = case.ends(0, words);
        assert!(!run.stderr.contains("emvo.toml"), "{words:?}: {}", run.stderr);
    }
}

#[test]
fn a_mistake_in_settings_is_told_with_its_place() {
    for (text, message) in [
        ("zone = 1\n", "emvo.toml:1:8: invalid type: integer `1`, expected a string"),
        ("zone = \"UTC\"\ncolour = \"red\"\n", "emvo.toml:2:1: unknown field `colour`"),
        ("zone = \"Europe/Helsinky\"\n", "--zone: `Europe/Helsinky` is not a time zone"),
        ("limits = \"none.toml\"\n", "could not read `none.toml`"),
    ] {
        let case = case().file("emvo.toml", text);
        let run = case.ends(2, &["check", "a.ics"]);
        assert!(run.stderr.contains(message), "{text}: {}", run.stderr);
    }
}

#[test]
fn the_settings_are_read_and_so_never_written_over() {
    let case = case();
    let run = case.ends(
        2,
        &["merge", "a.ics", "--no-ledger", "-o", "out.ics", "--receipt", "emvo.toml", "--overwrite"],
    );
    assert!(run.stderr.contains("`emvo.toml` is the settings of the folder"), "{}", run.stderr);
    assert_eq!(case.read("emvo.toml"), SETTINGS);
}

/// A folder of exports may come from a stranger, with such a file in it.
#[test]
fn settings_beside_inputs_elsewhere_say_nothing() {
    let case = Case::new().file("in/emvo.toml", SETTINGS).file("in/a.ics", calendar(EVENT));
    let run = case.ends(1, &["check", "in"]);
    assert!(!run.stderr.contains("emvo.toml says"), "{}", run.stderr);
}

#[test]
fn a_plan_says_all_of_it_itself_and_a_new_one_is_told() {
    let case = case()
        .file("plan.toml", "[[source]]\npath = \"a.ics\"\n[[destination]]\nname = \"x\"\npath = \"x.ics\"\n");
    let run = case.emvo(&["run", "plan.toml"]);
    assert!(!run.stderr.contains("emvo.toml"), "{}", run.stderr);
    assert!(case.read("x.ics").contains("Long enough to be cut"));
    case.put("plans/other.toml", "");
    case.ends(0, &["run", "--new", "a.ics", "-o", "plans/new.toml"]);
    let plan = case.read("plans/new.toml");
    for line in [
        "zone = \"Europe/Helsinki\"",
        "limits = \"../quay.toml\"",
        "consent = [\"R04\"]",
        "path = \"../a.ics\"",
    ] {
        assert!(plan.contains(line), "{line}: {plan}");
    }
}
