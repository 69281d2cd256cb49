//! No file that a run reads is ever changed, and no two of its files share a
//! path: every option that writes, against every kind of file that is read.
//!
//! A new option that takes a path has to get its place in [`OPTIONS`], or the
//! first test fails.

#![cfg(unix)]
#![allow(clippy::unwrap_used, clippy::expect_used, reason = "a test that cannot set up its files fails")]

use std::collections::{BTreeMap, BTreeSet};
use std::ffi::OsString;
use std::path::Path;

use crate::harness::{Case, calendar};

/// What an option that takes a path does there.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Does {
    Write,
    Read,
}
use Does::{Read, Write};

/// Every option that takes a path, by command.
const OPTIONS: &[(&str, &[(&str, Does)])] = &[
    (
        "survey",
        &[
            ("inputs", Read),
            ("titles", Read),
            ("columns", Read),
            ("passphrase_file", Read),
            ("earlier", Read),
            ("save_columns", Write),
        ],
    ),
    (
        "check",
        &[
            ("inputs", Read),
            ("titles", Read),
            ("columns", Read),
            ("passphrase_file", Read),
            ("limits", Read),
            ("report", Write),
        ],
    ),
    ("rules", &[]),
    (
        "repair",
        &[
            ("inputs", Read),
            ("titles", Read),
            ("columns", Read),
            ("passphrase_file", Read),
            ("answers", Read),
            ("output", Write),
            ("set_aside", Write),
            ("receipt", Write),
            ("ledger", Write),
            ("report", Write),
        ],
    ),
    ("retime", EDIT),
    ("amend", EDIT),
    ("pick", EDIT),
    ("drop", EDIT),
    (
        "convert",
        &[
            ("inputs", Read),
            ("columns", Read),
            ("passphrase_file", Read),
            ("limits", Read),
            ("output", Write),
            ("set_aside", Write),
            ("receipt", Write),
            ("ledger", Write),
        ],
    ),
    (
        "merge",
        &[
            ("inputs", Read),
            ("columns", Read),
            ("passphrase_file", Read),
            ("limits", Read),
            ("answers", Read),
            ("into", Read),
            ("earlier", Read),
            ("by_hand", Write),
            ("output", Write),
            ("set_aside", Write),
            ("receipt", Write),
            ("ledger", Write),
            ("report", Write),
            ("review", Write),
        ],
    ),
    (
        "reconcile",
        &[
            ("sources", Read),
            ("result", Read),
            ("columns", Read),
            ("passphrase_file", Read),
            ("explained_by", Read),
            ("report", Write),
        ],
    ),
    (
        "probe",
        &[
            ("returned", Read),
            ("sent", Read),
            ("limits", Read),
            ("columns", Read),
            ("passphrase_file", Read),
            ("output", Write),
        ],
    ),
    // It writes beside the file that is refused, or into a folder.
    ("narrow", &[("refused", Read), ("columns", Read), ("passphrase_file", Read), ("output", Read)]),
    (
        "rehearse",
        &[
            ("inputs", Read),
            ("columns", Read),
            ("passphrase_file", Read),
            ("limits", Read),
            ("output", Write),
            ("report", Write),
        ],
    ),
    (
        "retract",
        &[
            ("wrong", Read),
            ("out_of", Read),
            ("before", Read),
            ("columns", Read),
            ("passphrase_file", Read),
            ("output", Write),
            ("set_aside", Write),
            ("receipt", Write),
            ("ledger", Write),
        ],
    ),
    (
        "changes",
        &[
            ("old", Read),
            ("new", Read),
            ("columns", Read),
            ("passphrase_file", Read),
            ("output", Write),
            ("by_hand", Write),
            ("cancellations", Write),
            ("report", Write),
        ],
    ),
    ("dates", LIST),
    ("events", LIST),
    ("history", &[("ledger", Read)]),
    ("show", &[("ledger", Read), ("output", Write)]),
    (
        "run",
        &[
            ("plan", Read),
            ("new", Read),
            ("limits", Read),
            ("output", Write),
            ("receipt", Write),
            ("ledger", Write),
        ],
    ),
    (
        "bundle",
        &[
            ("inputs", Read),
            ("verify", Read),
            ("columns", Read),
            ("passphrase_file", Read),
            ("output", Write),
        ],
    ),
    // These write into a folder of their own, and read nothing.
    ("demo", &[("folder", Read)]),
    ("completions", &[]),
    ("man", &[("output", Read)]),
];

const EDIT: &[(&str, Does)] = &[
    ("inputs", Read),
    ("titles", Read),
    ("columns", Read),
    ("passphrase_file", Read),
    ("output", Write),
    ("set_aside", Write),
    ("receipt", Write),
    ("ledger", Write),
];

const LIST: &[(&str, Does)] =
    &[("inputs", Read), ("titles", Read), ("columns", Read), ("passphrase_file", Read), ("output", Write)];

#[test]
fn every_option_that_takes_a_path_has_its_place_in_the_table() {
    let mut typed: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    collect(&emvo::command(), &mut typed);
    let mut listed: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for (command, options) in OPTIONS {
        listed.insert((*command).to_owned(), options.iter().map(|(name, _)| (*name).to_owned()).collect());
    }
    assert_eq!(typed, listed);
}

fn collect(command: &clap::Command, found: &mut BTreeMap<String, BTreeSet<String>>) {
    for one in command.get_subcommands() {
        let path = std::any::TypeId::of::<std::path::PathBuf>();
        let takes_path = |arg: &&clap::Arg| arg.get_value_parser().type_id() == path;
        let names = one.get_arguments().filter(takes_path).map(|arg| arg.get_id().to_string());
        found.insert(one.get_name().to_owned(), names.collect());
        collect(one, found);
    }
}

/// A command that reads every kind of file that it can, and those files.
struct Row {
    command: &'static str,
    words: &'static [&'static str],
    reads: &'static [&'static str],
}

const ROWS: &[Row] = &[
    Row {
        command: "check",
        words: &["check", "in", "c.csv", "--columns", "columns.toml", "--limits", "limits.toml"],
        reads: &["in/a.ics", "in/b.ics", "c.csv", "columns.toml", "limits.toml"],
    },
    Row {
        command: "repair",
        words: &["repair", "in", "--columns", "columns.toml", "--answers", "faults.csv"],
        reads: &["in/a.ics", "in/b.ics", "columns.toml", "faults.csv"],
    },
    Row { command: "retime", words: &["retime", "in/a.ics", "--shift", "1h"], reads: &["in/a.ics"] },
    Row {
        command: "amend",
        words: &["amend", "in/a.ics", "pack.zip", "--passphrase-file", "pass.txt", "--set", "location=Kaj 1"],
        reads: &["in/a.ics", "pack.zip", "pass.txt"],
    },
    Row { command: "pick", words: &["pick", "in/a.ics", "--title", "drill"], reads: &["in/a.ics"] },
    Row {
        command: "drop",
        words: &["drop", "in/a.ics", "--titles", "titles.txt"],
        reads: &["in/a.ics", "titles.txt"],
    },
    Row {
        command: "convert",
        words: &["convert", "in/a.ics", "c.csv", "--limits", "limits.toml"],
        reads: &["in/a.ics", "c.csv", "limits.toml"],
    },
    Row {
        command: "merge",
        words: &[
            "merge",
            "in/a.ics",
            "c.csv",
            "--only-new",
            "--into",
            "in/b.ics",
            "--columns",
            "columns.toml",
            "--limits",
            "limits.toml",
            "--answers",
            "pairs.csv",
        ],
        reads: &["in/a.ics", "in/b.ics", "c.csv", "columns.toml", "limits.toml", "pairs.csv"],
    },
    Row {
        command: "reconcile",
        words: &["reconcile", "in/a.ics", "--result", "in/b.ics", "--explained-by", "r.json"],
        reads: &["in/a.ics", "in/b.ics", "r.json"],
    },
    Row {
        command: "rehearse",
        words: &["rehearse", "in/a.ics", "--limits", "limits.toml"],
        reads: &["in/a.ics", "limits.toml"],
    },
    Row {
        command: "probe",
        words: &["probe", "--returned", "probe.ics", "--limits", "limits.toml"],
        reads: &["probe.ics", "limits.toml"],
    },
    Row {
        command: "retract",
        words: &["retract", "in/b.ics", "--out-of", "in/a.ics", "--before", "c.csv", "--zone", "UTC"],
        reads: &["in/a.ics", "in/b.ics", "c.csv"],
    },
    Row { command: "changes", words: &["changes", "in/a.ics", "in/b.ics"], reads: &["in/a.ics", "in/b.ics"] },
    Row { command: "dates", words: &["dates", "in", "c.csv"], reads: &["in/a.ics", "c.csv"] },
    Row { command: "events", words: &["events", "in", "c.csv"], reads: &["in/a.ics", "c.csv"] },
    Row {
        command: "show",
        words: &["history", "show", "1", "--ledger", "ledger.sqlite"],
        reads: &["ledger.sqlite"],
    },
    Row { command: "run", words: &["run", "plan.toml"], reads: &["plan.toml", "in/a.ics", "limits.toml"] },
    Row {
        command: "bundle",
        words: &["bundle", "in", "--passphrase-file", "pass.txt"],
        reads: &["in/a.ics", "in/b.ics", "pass.txt"],
    },
];

fn event(uid: &str) -> String {
    format!(
        "BEGIN:VEVENT\nUID:{uid}\nSUMMARY:Drill {uid}\nDTSTART:20260901T100000Z\nDTEND:20260901T110000Z\nEND:VEVENT\n"
    )
}

const UNREADABLE: &str = "BEGIN:VEVENT\nUID:bad\nSUMMARY:Bad\nDTSTART:2026-99-99\nEND:VEVENT\n";

fn case() -> Case {
    let case = Case::new()
        .file("in/a.ics", calendar(&(event("1") + UNREADABLE)))
        .file("in/b.ics", calendar(&(event("2") + &event("3"))))
        .file("c.csv", "title,start,end\nPilot,2026-09-02 08:00,2026-09-02 09:00\n")
        .file("columns.toml", "[[column]]\nheader = \"title\"\nfield = \"title\"\n[[column]]\nheader = \"start\"\nfield = \"start\"\n[[column]]\nheader = \"end\"\nfield = \"end\"\n[[column]]\nheader = \"zone\"\nfield = \"zone\"\n")
        .file("limits.toml", "events_per_file = 2\n")
        .file("pass.txt", "a long passphrase\n")
        .file("titles.txt", "Drill a\nDrill b\nDrill 1\nDrill 2\n")
        .file("faults.csv", "answer,rule,uid,title\n")
        .file("pairs.csv", "answer,source_a,uid_a,source_b,uid_b\n")
        .file(
            "plan.toml",
            "[[source]]\npath = \"in/a.ics\"\n[[destination]]\nname = \"x\"\npath = \"moved.ics\"\nlimits = \"limits.toml\"\n",
        );
    case.ends(
        0,
        &["merge", "in/b.ics", "-o", "made.ics", "--receipt", "r.json", "--ledger", "ledger.sqlite"],
    );
    case.ends(0, &["bundle", "in/b.ics", "-o", "pack.zip", "--passphrase-file", "pass.txt"]);
    case.ends(0, &["probe", "-o", "probe.ics"]);
    case
}

/// Every file of the case with its content, those in folders too.
fn all_files(case: &Case) -> BTreeMap<OsString, Vec<u8>> {
    fn add(folder: &Path, files: &mut BTreeMap<OsString, Vec<u8>>) {
        for entry in std::fs::read_dir(folder).unwrap() {
            let entry = entry.unwrap();
            if entry.file_type().unwrap().is_dir() {
                add(&entry.path(), files);
            } else if entry.file_type().unwrap().is_file() {
                files.insert(entry.path().into(), std::fs::read(entry.path()).unwrap());
            }
        }
    }
    let mut files = BTreeMap::new();
    add(&case.path(""), &mut files);
    files
}

fn option(name: &str) -> String {
    format!("--{}", name.replace('_', "-"))
}

/// The options of a command that write.
fn writers(command: &str) -> impl Iterator<Item = &'static str> {
    let options = OPTIONS.iter().find(|(name, _)| *name == command).unwrap().1;
    options.iter().filter(|(_, does)| *does == Write).map(|(name, _)| *name)
}

/// The words of a row with some of its writing options at these paths; an output
/// where the command has to have one.
fn words_with(row: &Row, named: &[(&str, &str)]) -> Vec<String> {
    let mut words: Vec<String> = row.words.iter().map(|word| (*word).to_owned()).collect();
    if row.command == "run" && named.iter().any(|(name, _)| *name == "output") {
        words = vec!["run".to_owned(), "--new".to_owned(), "in".to_owned()];
    }
    for (name, path) in named {
        words.extend([option(name), (*path).to_owned()]);
    }
    let has_output = writers(row.command).any(|name| name == "output") && row.command != "run";
    if has_output && !named.iter().any(|(name, _)| *name == "output") {
        words.extend(["-o".to_owned(), "new.ics".to_owned()]);
    }
    // A report and a list of cancellations are known by their ending, so what
    // they would replace is refused for what it is, whatever its name.
    let keeps_record = writers(row.command).any(|name| name == "ledger");
    if keeps_record && !named.iter().any(|(name, _)| *name == "ledger") {
        words.push("--no-ledger".to_owned());
    }
    words.push("--overwrite".to_owned());
    words
}

fn run(case: &Case, words: &[String]) -> crate::harness::Run {
    let words: Vec<&str> = words.iter().map(String::as_str).collect();
    case.emvo(&words)
}

/// Commands whose output is a table alone.
const LISTS: [&str; 3] = ["dates", "events", "show"];

/// A link to a file whose name has the ending that an option wants.
fn linked(case: &Case, file: &str, row: &Row, name: &str) -> String {
    let ending = match name {
        "output" if LISTS.contains(&row.command) => "csv",
        "report" => "html",
        "cancellations" | "review" => "csv",
        "receipt" => "json",
        _ => "ics",
    };
    let link = format!("{}.link.{ending}", file.replace('/', "-"));
    let path = case.path(&link);
    if !path.exists() {
        std::fs::hard_link(case.path(file), path).unwrap();
    }
    link
}

#[test]
fn no_option_writes_over_a_file_that_is_read() {
    let case = case();
    for row in ROWS {
        for name in writers(row.command) {
            for file in row.reads {
                // A plan's starter reads a folder of exports and nothing else.
                if row.command == "run" && name == "output" && !file.starts_with("in/") {
                    continue;
                }
                let path = linked(&case, file, row, name);
                let before = all_files(&case);
                let words = words_with(row, &[(name, &path)]);
                let run = run(&case, &words);
                assert_eq!(run.status, 2, "{words:?}: {run:#?}");
                assert!(run.stderr.contains(&path), "{words:?}: {run:#?}");
                assert!(run.stderr.contains("never changed"), "{words:?}: {run:#?}");
                assert!(before == all_files(&case), "{words:?} changed a file: {run:#?}");
            }
        }
    }
}

#[test]
fn no_two_files_of_a_run_share_a_path() {
    let case = case();
    for row in ROWS {
        let names: Vec<&str> = writers(row.command).collect();
        for (at, one) in names.iter().enumerate() {
            for two in &names[at + 1..] {
                if row.command == "run" && *one == "output" {
                    continue;
                }
                let ending = if [*one, *two].contains(&"report") { "html" } else { "ics" };
                let path = format!("shared.{ending}");
                let before = all_files(&case);
                let mut words = words_with(row, &[(one, &path), (two, &format!("./{path}"))]);
                words.retain(|word| word != "--overwrite");
                if OUTPUT_FORMATS.contains(&row.command) {
                    words.extend(["--to".to_owned(), "ics".to_owned()]);
                }
                let run = run(&case, &words);
                // What cannot be read has a file only where there is any.
                assert_eq!(run.status, 2, "{words:?}: {run:#?}");
                assert!(run.stderr.contains("would both be"), "{words:?}: {run:#?}");
                assert!(before == all_files(&case), "{words:?} wrote something: {run:#?}");
            }
        }
    }
}

#[test]
fn what_is_no_ordinary_file_is_not_replaced() {
    let case = case();
    assert!(std::process::Command::new("mkfifo").arg(case.path("pipe.html")).status().unwrap().success());
    std::fs::create_dir(case.path("folder.html")).unwrap();
    std::os::unix::fs::symlink("nowhere", case.path("dangling.html")).unwrap();
    let long = format!("{}.html", "x".repeat(300));
    for row in ROWS {
        for name in writers(row.command) {
            let rows = [
                ("pipe.html", "no ordinary file"),
                ("folder.html", "is a folder"),
                ("dangling.html", "leads nowhere"),
                ("missing/x.html", "there is no folder `missing`"),
                (long.as_str(), "cannot be"),
            ];
            for (path, told) in rows {
                // An output that is a folder gets a file for each input; a ledger that
                // cannot be used is a warning, and its folder is made.
                let is_spread = name == "output" && path == "folder.html";
                if is_spread || (name == "ledger" && path != "pipe.html") {
                    continue;
                }
                let before = all_files(&case);
                let mut words = words_with(row, &[(name, path)]);
                if name == "output" && OUTPUT_FORMATS.contains(&row.command) {
                    words.extend(["--to".to_owned(), "ics".to_owned()]);
                }
                let run = run(&case, &words);
                assert_eq!(run.status, 2, "{words:?}: {run:#?}");
                assert!(run.stderr.contains(told), "{words:?}: {run:#?}");
                assert!(before == all_files(&case), "{words:?} changed a file: {run:#?}");
            }
        }
    }
}

/// Commands whose output may be of several forms.
const OUTPUT_FORMATS: [&str; 8] =
    ["repair", "retime", "amend", "pick", "drop", "convert", "merge", "retract"];

#[test]
fn files_that_nobody_named_are_guarded_too() {
    let rows: &[(&str, &[&str], &str)] = &[
        ("into the folder of its inputs", &["repair", "in", "-o", "in", "--overwrite"], "never changed"),
        ("one input into its folder", &["repair", "in/a.ics", "-o", "in/", "--overwrite"], "never changed"),
        (
            "a part that is the input",
            &["pick", "o-2026.ics", "-o", "o.ics", "--split-by", "year", "--overwrite"],
            "never changed",
        ),
        (
            "a numbered part that is the input",
            &["convert", "o-001.ics", "-o", "o.ics", "--limits", "one.toml", "--overwrite"],
            "never changed",
        ),
        ("what is set aside", &["repair", "o.set-aside.ics", "-o", "o.ics", "--overwrite"], "never changed"),
        (
            "a part of one input and another input",
            &["convert", "parts", "-o", "apart/", "--limits", "one.toml"],
            "two outputs of this run would be the same file",
        ),
        (
            "an output and what is set aside",
            &["repair", "all.set-aside.ics", "-o", "apart/", "--overwrite"],
            "would both be",
        ),
        ("two destinations of a plan", &["run", "same.toml"], "two outputs of this run"),
        ("a part of a destination and another one", &["run", "part.toml"], "two outputs of this run"),
        ("what two destinations set aside", &["run", "aside.toml"], "would both be"),
        ("a plan's report and its source", &["run", "report.toml", "--force"], "never changed"),
        ("a plan's destination and its source", &["run", "source.toml", "--force"], "never changed"),
        (
            "a plan's receipt and its destination",
            &["run", "report-ok.toml", "--receipt", "d.ics"],
            "would both be",
        ),
    ];
    let bad = calendar(&(event("9") + UNREADABLE));
    let plan = |first: &str, second: &str, more: &str| {
        format!(
            "[[source]]\npath = \"x.ics\"\ninto = \"x\"\n[[source]]\npath = \"y.ics\"\ninto = \"y\"\n\
             [[destination]]\nname = \"x\"\npath = \"{first}\"\n{more}[[destination]]\nname = \"y\"\npath = \"{second}\"\n"
        )
    };
    let one = |path: &str, more: &str| {
        format!(
            "[[source]]\npath = \"c.csv\"\n[[destination]]\nname = \"x\"\npath = \"{path}\"\n[check]\n{more}"
        )
    };
    let case = case()
        .file("o-2026.ics", &bad)
        .file("o-001.ics", calendar(&(event("1") + &event("2") + &event("3"))))
        .file("o.set-aside.ics", &bad)
        .file("all.set-aside.ics", &bad)
        .file("one.toml", "events_per_file = 1\n")
        .file("parts/cal.ics", calendar(&(event("1") + &event("2"))))
        .file("parts/cal-001.ics", calendar(&event("3")))
        .file("x.ics", calendar(&(event("1") + &event("2") + UNREADABLE)))
        .file("y.ics", calendar(&(event("3") + UNREADABLE)))
        .file("same.toml", plan("t.ics", "./t.ics", ""))
        .file("part.toml", plan("c/o.ics", "c/o-001.ics", "limits = \"one.toml\"\n"))
        .file("aside.toml", plan("o.ics", "o.csv", ""))
        .file("report.toml", one("d.ics", "report = \"c.csv\"\n"))
        .file("report-ok.toml", one("d.ics", ""))
        .file("source.toml", one("c.csv", ""));
    for (name, words, told) in rows {
        let before = all_files(&case);
        let run = case.emvo(words);
        assert_eq!(run.status, 2, "{name}: {run:#?}");
        assert!(run.stderr.contains(told), "{name}: {run:#?}");
        assert!(before == all_files(&case), "{name} changed a file: {run:#?}");
    }
}

#[test]
fn a_link_is_followed_and_stays_a_link() {
    let case = case().file("real.ics", "old\n");
    std::os::unix::fs::symlink("real.ics", case.path("link.ics")).unwrap();
    case.ends(0, &["merge", "in/b.ics", "-o", "link.ics", "--overwrite"]);
    assert!(case.read("real.ics").starts_with("BEGIN:VCALENDAR"));
    assert!(std::fs::symlink_metadata(case.path("link.ics")).unwrap().file_type().is_symlink());
}

#[test]
fn a_part_with_a_long_name_gets_a_shorter_one() {
    let long = "x".repeat(300);
    let events = event("1").replace("SUMMARY:", &format!("CATEGORIES:{long}\nSUMMARY:")) + &event("2");
    let case = Case::new().file("a.ics", calendar(&events));
    case.ends(0, &["pick", "a.ics", "--split-by", "category", "-o", "out.ics"]);
    assert_eq!(case.names().len(), 3, "{:?}", case.names());
}
