//! What was typed and cannot be meant: each refusal names the option, what it
//! found and what to write, ends with 2, and leaves every file alone.
#![allow(clippy::unwrap_used, reason = "a test that cannot set up its files fails")]

use crate::harness::{Case, calendar};

const SERIES: &str = "BEGIN:VEVENT\nUID:a\nSUMMARY:Handover\nDTSTART:20260907T080000Z\nDTEND:20260907T090000Z\nRRULE:FREQ=WEEKLY;COUNT=3\nEND:VEVENT\n";

fn case() -> Case {
    Case::new()
        .file("a.ics", calendar(SERIES))
        .file("b.ics", calendar(&SERIES.replace("UID:a", "UID:b")))
        .file("t.csv", "title,start\nWatch,2026-09-01\n")
        .file("folder/c.ics", calendar(SERIES))
        .file("bad.toml", "series = \"some\"\n")
        .file("wrong.toml", "sereis = \"none\"\n")
        .file("no.zip", "not packed")
}

/// Runs a command line; words that hold a blank are quoted.
fn refused(line: &str) -> (i32, String) {
    let case = case();
    let before = files(&case);
    let words = words(line);
    let run = case.emvo(&words.iter().map(String::as_str).collect::<Vec<_>>());
    assert_eq!(run.stdout, "", "{line}: nothing is answered");
    assert_eq!(files(&case), before, "{line}: nothing is written");
    (run.status, run.stderr)
}

fn files(case: &Case) -> Vec<(String, Option<Vec<u8>>)> {
    case.names().into_iter().map(|name| (name.clone(), std::fs::read(case.path(&name)).ok())).collect()
}

fn words(line: &str) -> Vec<String> {
    let quoted = |(at, part): (usize, &str)| match at % 2 {
        0 => part.split_whitespace().map(str::to_owned).collect::<Vec<_>>(),
        _ => vec![part.to_owned()],
    };
    line.split('\'').enumerate().flat_map(quoted).collect()
}

/// A command line, and a part of what it is answered.
const REFUSED: &[(&str, &str)] = &[
    ("survey nowhere.ics", "could not read `nowhere.ics`: No such file"),
    ("survey folder/d.ics", "No such file or directory (os error 2); did you mean `folder/c.ics`?"),
    ("survey https://example.org/a.ics", "Emvo opens no connection: download the export, and name the file"),
    ("survey '~/a.ics'", "inside quotes `~` is not your folder"),
    ("survey 'folder\\c.ics'", "did you mean `folder/c.ics`?"),
    ("survey “a.ics”", "did you mean `a.ics`?"),
    ("reconcile a.ics --result bb.ics", "did you mean `b.ics`?"),
    ("check a.ics --limits badd.toml", "did you mean `bad.toml`?"),
    ("run bd.toml", "did you mean `bad.toml`?"),
    ("survey", "For example: emvo survey exports"),
    ("merge a.ics b.ics", "--output <PATH>"),
    ("merge a.ics b.ics", "For example: emvo merge exports --zone Europe/Helsinki -o all.ics"),
    ("reconcile a.ics b.ics", "--result after-import"),
    ("reconcile a.ics b.ics", "All about it: emvo reconcile --help"),
    (
        "survey -zone Europe/Helsinki a.ics",
        "`-zone` has one hyphen; options of several letters have two: --zone",
    ),
    ("survey a.ics -15m", "unexpected argument '-1' found"),
    ("--json survey a.ics", "'survey --json' exists"),
    ("help nosuch", "All commands: emvo --help"),
    ("merge a.ics --clash newer -o y.ics", "a similar value exists: 'newest'"),
    ("retract a.ics b.ics -o out.ics", "--out-of"),
    ("changes a.ics", "<NEW>"),
    ("pick a.ics --title -o y.ics", "a value is required for '--title <TEXT>'"),
    ("survey '*.vcf'", "no file matches `*.vcf`"),
    ("check Z06", "Z06 is a rule, which `emvo rules Z06` explains"),
    (
        "survey a.ics --zone EEST",
        "`EEST` is no time zone but the time of some; write a place, such as Europe/Helsinki",
    ),
    ("survey a.ics --zone pst", "write a place, such as America/Los_Angeles"),
    ("dates a.ics --from 3/4/2026", "it reads two ways: write 2026-04-03 or 2026-03-04"),
    ("dates a.ics --from soon", "write a day that exists, such as 2026-10-05"),
    ("merge a.ics b.ics -o all.pdf", "ends in neither .ics, .csv, .xlsx nor .jsonl; --to says what to write"),
    ("convert a.ics -o all.pdf", "ends in neither .ics, .csv, .xlsx nor .jsonl; --to says what to write"),
    ("dates a.ics -o list.pdf", "`list.pdf`: a list is a table; its name ends in .csv, .xlsx or .jsonl"),
    ("check a.ics -o faults.pdf", "faults.pdf"),
    (
        "convert a.ics -o out.csv --to ics",
        "`out.csv`: --to asks for .ics, and its name says .csv; one of them is wrong",
    ),
    ("merge a.ics b.ics -o out.xlsx --to csv", "`out.xlsx`: --to asks for .csv, and its name says .xlsx"),
    ("events a.ics -o out.jsonl --to csv", "`out.jsonl`: --to asks for .csv, and its name says .jsonl"),
    (
        "convert a.ics -o all.pdf",
        "`all.pdf`: the name ends in neither .ics, .csv, .xlsx nor .jsonl; --to says",
    ),
    ("history show 1 -o run.ics --ledger l.sqlite", "`run.ics`: a list is a table"),
    ("survey a.ics --zone Helsinky", "--zone: `Helsinky` is not a time zone; did you mean Europe/Helsinki?"),
    (
        "survey a.ics --zone Nowhere",
        "--zone: `Nowhere` is not a time zone; write one such as Europe/Helsinki",
    ),
    ("survey a.ics --zone-map Ship", "--zone-map `Ship`: write \"Old name=Area/City\""),
    (
        "survey a.ics --zone-map 'Ship=Stokholm'",
        "--zone-map: `Stokholm` is not a time zone; did you mean Europe/Stockholm",
    ),
    ("survey a.ics --calendar Deck", "--calendar: there is no calendar `Deck`; there are a"),
    ("survey t.csv --column title", "--column `title`: write FIELD=\"Header\""),
    ("survey t.csv --column tilte=Name", "--column: there is no field `tilte`; there are title, start"),
    ("survey t.csv --columns gone.toml", "could not read `gone.toml`"),
    ("survey t.csv --columns wrong.toml", "wrong.toml:1:1: "),
    ("survey a.ics --from 2026-13-01", "write a day that exists, such as 2026-10-05"),
    ("survey a.ics --from tomorrow", "write a day that exists, such as 2026-10-05"),
    ("survey a.ics --from 2026-10-01 --until 2026-09-01", "--from 2026-10-01 is after --until 2026-09-01"),
    ("check a.ics --only Z99", "--only: there is no rule `Z99`; did you mean Z09"),
    (
        "check a.ics --only nonsense-by-far",
        "--only: there is no rule `nonsense-by-far`; `emvo rules` lists them",
    ),
    ("check a.ics --skip zone-undefind", "did you mean Z02 (zone-undefined)?"),
    (
        "check a.ics --report out.doc",
        "--report `out.doc`: its name has to end in .html, .csv, .xlsx or .json",
    ),
    ("check a.ics --limits gone.toml", "could not read `gone.toml`"),
    (
        "check a.ics --limits bad.toml",
        "bad.toml:1:1: series = \"some\": write \"any\", \"plain\" or \"none\"",
    ),
    ("check a.ics --limits wrong.toml", "wrong.toml:1:1: unknown field `sereis`"),
    ("rules Z99", "rules: there is no rule `Z99`; did you mean Z09"),
    ("repair a.ics -o out.ics --consent Z99", "--consent: there is no rule `Z99`"),
    ("repair a.ics -o out.ics --consent all,R05", "--consent: `all` stands alone"),
    ("repair a.ics -o out.pdf", "--to says what to write"),
    ("repair a.ics -o out.ics --answers gone.csv", "gone.csv"),
    ("repair a.ics -o out.ics --horizon never", "write a day that exists, such as 2026-10-05"),
    ("retime a.ics --shift soon -o out.ics", "--shift `soon`: write a length such as +1h30m, -15m or +1d"),
    ("retime a.ics --pin Nowhere -o out.ics", "--pin: `Nowhere` is not a time zone"),
    ("retime a.ics --express-in Nowhere -o out.ics", "--express-in: `Nowhere` is not a time zone"),
    (
        "amend a.ics -o out.ics",
        "nothing to change: --set, --replace, --add-category or --remove-category says what",
    ),
    ("amend a.ics --set title -o out.ics", "--set `title`: write FIELD=VALUE"),
    (
        "amend a.ics --set colour=red -o out.ics",
        "--set: there is no field `colour`; there are title, location",
    ),
    ("amend a.ics --replace title -o out.ics", "--replace `title`: write FIELD:OLD=NEW"),
    ("amend a.ics --replace colour:a=b -o out.ics", "--replace: there is no field `colour`"),
    ("convert a.ics -o out.csv --leave-out colour", "--leave-out: there is no field `colour`"),
    ("convert a.ics -o out.ics --from 2026-09-01", "a window goes with --unroll here"),
    ("merge a.ics b.ics -o folder", "`folder` is a folder; merge makes one calendar, name its file"),
    ("merge a.ics --into folder -o out.ics", "--into `folder` is a folder; give the one file"),
    ("merge a.ics -o out.ics --answers gone.csv", "gone.csv"),
    ("pick a.ics --show colour -o out.ics", "--show: there is no field `colour`; there are when, title"),
    ("pick a.ics --split-by week -o out/", "--split-by `week`: write calendar, category, year, month"),
    ("pick a.ics --split-by 0 -o out/", "--split-by `0`: write calendar"),
    ("pick a.ics --title '/(/' -o out.ics", "--title `/(/` is not a regular expression: unclosed group"),
    (
        "pick a.ics --location '/[/' -o out.ics",
        "--location `/[/` is not a regular expression: unclosed character class",
    ),
    ("drop a.ics -o out.ics", "this would remove every event: say which"),
    ("drop a.ics --title H --reach one -o out.ics", "--reach one and onward need the day: --on 2026-10-05"),
    ("drop a.ics --title H --reach onward -o out.ics", "--reach one and onward need the day"),
    (
        "drop a.ics --title H --reach series --on 2026-09-07 -o out.ics",
        "--reach series takes all dates; --on names one",
    ),
    (
        "drop a.ics --title H --on 2026-09-07 --from 2026-09-01 -o out.ics",
        "--on is one day, --from and --until are a window",
    ),
    ("reconcile a.ics --result nowhere.ics", "could not read `nowhere.ics`"),
    ("reconcile a.ics --result b.ics --explained-by a.ics", "--explained-by `a.ics`: it is no receipt"),
    ("rehearse a.ics --limits bad.toml", "bad.toml:1:1: "),
    ("retract nowhere.ics --out-of a.ics -o out.ics", "could not read `nowhere.ics`"),
    ("changes a.ics nowhere.ics", "could not read `nowhere.ics`"),
    ("run gone.toml", "could not read the plan `gone.toml`"),
    ("run bad.toml", "bad.toml:1:1: unknown field `series`"),
    ("bundle --verify no.zip", "`no.zip`: it is no zip"),
    ("bundle --verify gone.zip", "gone.zip"),
    ("history show 7 --ledger l.sqlite", "there is no run 7 in the ledger"),
];

#[test]
fn each_option_says_what_it_would_take() {
    for (line, expected) in REFUSED {
        let (status, stderr) = refused(line);
        assert_eq!(status, 2, "{line}: {stderr}");
        assert!(stderr.contains(expected), "{line}: {stderr}");
        assert!(!stderr.contains("panicked") && !stderr.contains("RUST_BACKTRACE"), "{line}: {stderr}");
    }
}

#[test]
fn what_is_not_said_is_asked_for_by_its_name() {
    for (line, expected) in [
        ("survey", "<INPUT>"),
        ("repair a.ics", "--output <PATH>"),
        ("convert a.ics", "--output <PATH>"),
        ("merge a.ics", "--output <PATH>"),
        ("retime a.ics -o out.ics", "--shift <LENGTH>"),
        ("reconcile a.ics", "--result <RESULT>"),
        ("rehearse a.ics", "--limits <FILE>"),
        ("retract a.ics -o out.ics", "--out-of <TARGET>"),
        ("changes a.ics", "<NEW>"),
        ("bundle a.ics", "--output <BACKUP.zip|FOLDER>"),
        ("run --new folder", "--output <PLAN.toml>"),
        ("run", "<PLAN.toml>"),
        ("frobnicate", "unrecognized subcommand 'frobnicate'"),
        ("survey a.ics --colour never", "unexpected argument '--colour'"),
        ("merge a.ics -o out.ics --clash mine", "[possible values: existing, incoming, newest, both]"),
        ("retime a.ics --shift 1h --pin UTC -o out.ics", "cannot be used with"),
        ("convert a.ics --unroll --roll -o out.ics", "cannot be used with"),
        ("survey a.ics --ceiling many", "invalid value 'many'"),
    ] {
        let (status, stderr) = refused(line);
        assert_eq!(status, 2, "{line}: {stderr}");
        assert!(stderr.contains(expected), "{line}: {stderr}");
    }
}

#[test]
fn what_people_write_for_days_zones_and_files_is_understood() {
    let case = case();
    for day in ["7.9.2026", "7 Sep 2026", "Sept 7, 2026", "2026-09-07", "20260907", "7. syyskuuta 2026"] {
        let run = case.ends(0, &["dates", "a.ics", "--from", day, "--until", day]);
        assert!(run.stdout.contains("Handover"), "{day}: {}", run.shown());
    }
    // An offset without summer time is what it says, and is told.
    let run = case.ends(0, &["dates", "a.ics", "--express-in", "EST"]);
    assert!(run.stderr.contains("--express-in EST is UTC-05:00 all year"), "{}", run.stderr);
    assert_eq!(case.ends(0, &["dates", "a.ics", "--express-in", "Pacific/Honolulu"]).stderr, "");
    // A pattern in quotes is one of Emvo's, and a workbook is written by its name.
    let run = case.ends(0, &["survey", "[ab].ics"]);
    assert!(run.stdout.contains("in 2 calendars"), "{}", run.shown());
    case.emvo(&["merge", "a.ics", "b.ics", "-o", "all.xlsx", "--no-ledger"]);
    assert!(std::fs::read(case.path("all.xlsx")).unwrap().starts_with(b"PK"));
    case.ends(0, &["check", "a.ics", "t.csv", "-o", "faults.html"]);
    assert!(case.read("faults.html").contains("<html"));
}

#[test]
fn help_is_found_in_front_and_behind() {
    let case = Case::new();
    let behind = case.ends(0, &["merge", "--help"]).stdout;
    assert_eq!(case.ends(0, &["help", "merge"]).stdout, behind);
    assert_eq!(case.ends(0, &["help"]).stdout, case.ends(0, &["--help"]).stdout);
    for (command, fields) in [
        ("convert", "Fields of --column: title, start, start_date"),
        ("convert", "Fields of --leave-out: title,"),
        ("amend", "Fields of --set: title, location"),
    ] {
        let help = case.ends(0, &[command, "--help"]).stdout;
        assert!(help.contains(fields), "{help}");
        // One screen is enough for who knows what to look for.
        assert!(!case.ends(0, &[command, "-h"]).stdout.contains("Fields of"), "{command}");
    }
    // Inputs come first, and how they are read last.
    for command in ["survey", "check", "merge", "convert", "dates", "repair"] {
        let help = case.ends(0, &[command, "-h"]).stdout;
        let place = |words: &str| help.find(words).unwrap_or_else(|| panic!("{command}: {words}\n{help}"));
        assert!(place("Arguments:") < place("Output:") && place("Output:") < place("Reading:"), "{help}");
    }
    let run = case.ends(2, &["help", "merj"]);
    assert!(run.stderr.contains("merge"), "{}", run.stderr);
}
