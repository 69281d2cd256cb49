//! A destination that tells nothing: asked with a probe, and searched for what it refuses.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

use crate::harness::{Case, calendar};

const THERE: &str = "zones = \"one\"\nzone = \"Europe/Helsinki\"\nseries = \"plain\"\nreminders_per_event = 1\n\
    description_characters = 900\nfields_lost = [\"category\", \"private\"]\nids = \"fresh\"\nall_day_end = \"inclusive\"\n";

#[test]
fn a_probe_makes_the_limits_file_of_a_destination() {
    let case = Case::new().file("truth.toml", THERE);
    case.ends(0, &["probe", "-o", "probe.ics"]);
    case.ends(1, &["rehearse", "probe.ics", "--limits", "truth.toml", "-o", "there.ics"]);
    let run = case.ends(0, &["probe", "--returned", "there.ics", "-o", "there.toml"]);
    for words in [
        "keeps all times in Europe/Helsinki; what is in another zone is converted",
        "makes single events of series with changed dates, further dates or several rules",
        "takes the end of whole days for the last day",
        "forgets all reminders of an event but the first",
        "cuts descriptions behind 900 characters",
        "forgets private, category",
        "gives new ids: importing twice doubles everything",
        "same_uid is not known: ids are new, so nothing is known again",
    ] {
        assert!(run.stdout.contains(words), "{words}:\n{}", run.stdout);
    }
    let learned = case.read("there.toml");
    for line in THERE.lines() {
        assert!(learned.contains(line) || line.starts_with("fields_lost"), "{line}\n{learned}");
    }
    assert!(learned.contains("fields_lost = [\"private\", \"category\"]"), "{learned}");
    // The file works without a hand on it, and both destinations do the same.
    case.put("crew.ics", calendar("BEGIN:VEVENT\nUID:1\nSUMMARY:Drill\nDTSTART:20270901T080000Z\nDTEND:20270901T090000Z\nCATEGORIES:Deck\nEND:VEVENT\n"));
    case.ends(1, &["check", "crew.ics", "--limits", "there.toml"]);
    for limits in ["truth.toml", "there.toml"] {
        case.ends(0, &["rehearse", "crew.ics", "--limits", limits, "-o", &format!("{limits}.ics")]);
    }
    assert_eq!(case.read("truth.toml.ics"), case.read("there.toml.ics"));
}

/// Found with an export made up by hand: the series came back, and nothing of what was changed in them.
#[test]
fn a_destination_that_forgets_changed_dates_is_told_as_one() {
    let case = Case::new().file("truth.toml", "series = \"plain\"\nunfit_series = \"rule-only\"\n");
    case.ends(0, &["probe", "-o", "probe.ics"]);
    case.ends(1, &["rehearse", "probe.ics", "--limits", "truth.toml", "-o", "there.ics"]);
    let run = case.ends(0, &["probe", "--returned", "there.ics", "-o", "there.toml"]);
    assert!(run.stdout.contains("forgets changed dates of series, and further ones"), "{}", run.stdout);
    assert!(!run.stdout.contains("leaves out"), "{}", run.stdout);
    assert!(case.read("there.toml").contains("unfit_series = \"rule-only\""));
}

#[test]
fn a_probe_is_split_for_a_destination_that_reads_no_more() {
    let case = Case::new().file("truth.toml", "events_per_file = 45\nlength = \"needed\"\n");
    case.ends(0, &["probe", "-o", "probe.ics"]);
    case.ends(1, &["rehearse", "probe.ics", "--limits", "truth.toml", "-o", "there.ics"]);
    let run = case.ends(1, &["probe", "--returned", "there.ics", "-o", "first.toml"]);
    assert!(run.stdout.contains("reads the first 45 events of a file"), "{}", run.stdout);
    assert!(run.stdout.contains("nothing came back of \"a moment, without an end\""), "{}", run.stdout);
    case.ends(0, &["probe", "--limits", "first.toml", "-o", "part.ics"]);
    case.ends(1, &["rehearse", "part-001.ics", "part-002.ics", "--limits", "truth.toml", "-o", "all.ics"]);
    case.ends(1, &["probe", "--returned", "all.ics", "--limits", "first.toml", "-o", "there.toml"]);
    let learned = case.read("there.toml");
    assert!(learned.contains("events_per_file = 45") && learned.contains("length = \"needed\""), "{learned}");
    assert!(learned.contains("tasks = true"), "{learned}");
}

#[test]
fn what_came_back_of_no_probe_is_refused_and_part_of_one_is_told() {
    let case =
        Case::new().file("crew.ics", calendar("BEGIN:VEVENT\nUID:1\nDTSTART:20270901T080000Z\nEND:VEVENT\n"));
    let run = case.ends(2, &["probe", "--returned", "crew.ics", "-o", "there.toml"]);
    assert!(run.stderr.contains("there is no event of a probe in what came back"), "{}", run.stderr);
    assert!(!case.path("there.toml").exists());
    case.ends(0, &["probe", "-o", "probe.ics"]);
    case.ends(0, &["pick", "probe.ics", "--title", "/whole day/", "-o", "some.ics"]);
    let run = case.ends(1, &["probe", "--returned", "some.ics", "-o", "there.toml"]);
    assert!(run.stdout.contains("nothing came back of"), "{}", run.stdout);
    let learned = case.read("there.toml");
    assert!(
        learned.contains("all_day_end = \"exclusive\"") && learned.contains("# zones: not known"),
        "{learned}"
    );
    let run = case.ends(2, &["probe", "-o", "probe.jsonl"]);
    assert!(run.stderr.contains("a probe is a calendar file (.ics) or a table (.csv)"), "{}", run.stderr);
}

/// Ten events, of which one has a place on no map.
fn refused() -> String {
    let event = |number: usize| {
        let geo = if number == 7 { "GEO:999;1\n" } else { "" };
        format!(
            "BEGIN:VEVENT\nUID:{number}\nDTSTAMP:20260101T000000Z\nSUMMARY:Watch {number}\nDTSTART:202609{number:02}T080000Z\n{geo}LOCATION:Quay\nEND:VEVENT\n"
        )
    };
    calendar(&(1..=10).map(event).collect::<String>())
}

#[test]
fn a_search_finds_the_line_that_is_refused() {
    let case = Case::new().file("crew.ics", refused());
    let mut run = case.ends(1, &["narrow", "crew.ics"]);
    assert!(run.stdout.contains("Trial 1: everything, as Emvo writes it"), "{}", run.stdout);
    for trial in 1.. {
        assert!(trial < 20, "it does not end: {}", run.stdout);
        let taken = if case.read("crew.trial.ics").contains("GEO:999") { "no" } else { "yes" };
        run = case.emvo(&["narrow", "crew.ics", "--taken", taken]);
        if run.status == 0 {
            break;
        }
    }
    assert!(run.stdout.contains("\"Watch 7\", 20260907T080000Z, line"), "{}", run.stdout);
    assert!(run.stdout.contains("its GEO, 999;1"), "{}", run.stdout);
    let smallest = case.read("crew.smallest.ics");
    assert!(smallest.contains("GEO") && !smallest.contains("LOCATION"), "{smallest}");
    let rest = case.read("crew.rest.ics");
    assert_eq!((rest.matches("BEGIN:VEVENT").count(), rest.contains("GEO")), (9, false));
    assert_eq!(case.read("crew.ics"), refused(), "the refused file is as it was");
}

#[test]
fn what_cannot_be_read_is_told_to_be_in_no_trial() {
    let broken = refused().replace("END:VCALENDAR", "BEGIN:VEVENT\nUID:11\nSUMMARY:Cut off");
    let case = Case::new().file("crew.ics", broken).file("list.csv", "title,start\nWatch,2026-09-01 08:00\n");
    let run = case.ends(1, &["narrow", "crew.ics"]);
    assert!(run.stderr.contains("cannot be read and"), "{}", run.stderr);
    // As it is written here, it is taken: that says nothing of what is not in it.
    let run = case.ends(1, &["narrow", "crew.ics", "--taken", "yes"]);
    assert!(run.stdout.contains("or for what cannot be read"), "{}", run.stdout);
    assert!(run.stdout.contains("everything that can be read, which is taken"), "{}", run.stdout);
    for words in [&["narrow", "list.csv"][..], &["narrow", "."]] {
        let run = case.ends(2, words);
        assert!(run.stderr.contains("narrow takes one calendar file"), "{}", run.stderr);
    }
}

#[test]
fn what_is_to_be_typed_next_names_the_folder() {
    let case = Case::new().file("crew.ics", refused()).file("there/x", "");
    let run = case.ends(1, &["narrow", "crew.ics", "-o", "there"]);
    assert!(run.stdout.contains("emvo narrow crew.ics -o there --taken yes"), "{}", run.stdout);
    let run = case.ends(0, &["narrow", "crew.ics", "-o", "there", "--taken", "yes"]);
    assert!(run.stdout.contains("wrote there/crew.rest.ics"), "{}", run.stdout);
}

#[test]
fn a_record_that_does_not_fit_is_refused_with_the_way_to_begin_again() {
    let case = Case::new().file("crew.ics", refused());
    let run = case.ends(2, &["narrow", "crew.ics", "--taken", "no"]);
    assert!(run.stderr.contains("nothing was tried yet"), "{}", run.stderr);
    case.ends(1, &["narrow", "crew.ics"]);
    case.put("crew.ics", refused().replace("Watch 3", "Watch three"));
    let run = case.ends(2, &["narrow", "crew.ics", "--taken", "no"]);
    assert!(run.stderr.contains("--again begins anew"), "{}", run.stderr);
    case.ends(1, &["narrow", "crew.ics", "--again"]);
    case.put("crew.narrow.toml", "what = 1\n");
    let run = case.ends(2, &["narrow", "crew.ics"]);
    assert!(run.stderr.contains("--again begins anew"), "{}", run.stderr);
    // A file that is no trial of a search is nobody's to replace.
    let case = Case::new().file("crew.ics", refused()).file("crew.trial.ics", "mine");
    let run = case.ends(2, &["narrow", "crew.ics"]);
    assert!(run.stderr.contains("exists already"), "{}", run.stderr);
    assert_eq!(case.read("crew.trial.ics"), "mine");
}
