//! A word is planted in every place where an export can say one, and searched in every byte
//! that comes out of a copy that hides something: in the copy, in whatever is written next
//! to it, in the answer on a pipe and on a terminal, and in the record of the run.
//!
//! Words that begin with `ZQ` are an event's that may be seen, each shown where it is named
//! and nowhere else; those with `ZP` are private in one way or another, and shown nowhere.

#![cfg(unix)]
#![allow(clippy::unwrap_used, clippy::expect_used, reason = "a test that cannot set up its files fails")]

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::io::{Read as _, Write as _};
use std::path::Path;
use std::process::Command;

use crate::harness::{Case, Run};

/// The lines of an event, with words that begin with a mark.
fn words(mark: &str) -> String {
    [
        "UID:{}uid@example.org",
        "DTSTAMP;X-P={}stampparameter:20260101T000000Z",
        "DTSTART;TZID=Europe/Helsinki;X-P={}startparameter:20260302T080000",
        "DTEND;TZID=Europe/Helsinki;X-P={}endparameter:20260302T160000",
        "RRULE;X-P={}ruleparameter:FREQ=WEEKLY;COUNT=4",
        "EXDATE;TZID=Europe/Helsinki;X-P={}exceptionparameter:20260309T080000",
        "RDATE;TZID=Europe/Helsinki;X-P={}furtherparameter:20260401T080000",
        "SUMMARY;LANGUAGE=en;X-P={}titleparameter:{}title",
        "LOCATION;ALTREP=\"https://example.org/{}altrep\":{}place",
        "DESCRIPTION;X-P={}descriptionparameter:{}description",
        "X-ALT-DESC;FMTTYPE=text/html:<b>{}html</b>",
        "CATEGORIES;X-P={}categoryparameter:{}category",
        "URL;X-P={}urlparameter:https://example.org/{}url",
        "ATTACH;FILENAME={}filename:https://example.org/{}attachment",
        "ORGANIZER;CN={}organizer;SENT-BY=\"mailto:{}sentby@example.org\":mailto:{}organizermail@example.org",
        "ATTENDEE;CN={}guest;X-P={}guestparameter:mailto:{}guestmail@example.org",
        "COMMENT:{}comment",
        "CONTACT:{}contact",
        "RESOURCES:{}resource",
        "RELATED-TO:{}related@example.org",
        "CONFERENCE;LABEL={}conferencelabel:https://example.org/{}conference",
        "IMAGE:https://example.org/{}image",
        "GEO;X-P={}geoparameter:60.1;24.9",
        "STATUS;X-P={}statusparameter:CONFIRMED",
        "TRANSP;X-P={}busyparameter:OPAQUE",
        "PRIORITY;X-P={}priorityparameter:5",
        "SEQUENCE;X-P={}sequenceparameter:2",
        "CREATED;X-P={}createdparameter:20260101T000000Z",
        "REQUEST-STATUS:2.0;{}requeststatus",
        "X-ROOM;X-P={}roomparameter:{}room",
        "UNHEARD-OF:{}unheardof",
        "BEGIN:VALARM",
        "ACTION:DISPLAY",
        "TRIGGER;X-P={}triggerparameter:-PT15M",
        "DESCRIPTION:{}alarm",
        "X-SOUND:{}sound",
        "END:VALARM",
        "BEGIN:VALARM",
        "ACTION:DISPLAY",
        "TRIGGER:{}trigger",
        "DESCRIPTION:{}secondalarm",
        "END:VALARM",
        "BEGIN:PARTICIPANT",
        "SUMMARY:{}participant",
        "END:PARTICIPANT",
    ]
    .map(|line| line.replace("{}", mark) + "\n")
    .concat()
}

fn event(mark: &str, more: &str) -> String {
    format!("BEGIN:VEVENT\n{}{more}END:VEVENT\n", words(mark))
}

/// An export in which everything says something.
fn export() -> String {
    let other = |kind: &str, mark: &str, class: &str| {
        format!(
            "BEGIN:{kind}\nUID:{mark}{kind}uid\nSUMMARY:{mark}{kind}title\nDUE;TZID=Europe/Helsinki:20260302T080000\n{class}END:{kind}\n"
        )
    };
    [
        "BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:-//ZQproduct//EN\nX-WR-CALNAME:ZQcalendarname\nNAME:ZQcalendarname\nX-WR-CALDESC:ZQcalendardescription\n".to_owned(),
        "X-WR-TIMEZONE;X-P=ZQzoneparameter:Europe/Helsinki\nSOURCE:https://example.org/ZQsource\nX-OWN:ZQcalendarline\n".to_owned(),
        "BEGIN:VTIMEZONE\nTZID:Europe/Helsinki\nCOMMENT:ZQzonecomment\nTZURL:https://example.org/ZQzoneurl\nBEGIN:STANDARD\nDTSTART:19701025T040000\nTZOFFSETFROM:+0300\nTZOFFSETTO:+0200\nTZNAME:ZQzonename\nRRULE:FREQ=YEARLY;BYMONTH=10;BYDAY=-1SU\nEND:STANDARD\nBEGIN:DAYLIGHT\nDTSTART:19700329T030000\nTZOFFSETFROM:+0200\nTZOFFSETTO:+0300\nRRULE:FREQ=YEARLY;BYMONTH=3;BYDAY=-1SU\nEND:DAYLIGHT\nEND:VTIMEZONE\n".to_owned(),
        event("ZQ", ""),
        event("ZPprivate", "CLASS:PRIVATE\n"),
        event("ZPconfidential", "CLASS;X-P=y:confidential\n"),
        event("ZPunknownclass", "CLASS:X-CREW-ONLY\n"),
        event("ZPtwoclasses", "CLASS:PUBLIC\nCLASS:PRIVATE\n"),
        // Not readable, and private.
        "BEGIN:VEVENT\nUID:unreadable\nSUMMARY:ZPunreadabletitle\nDTSTART:ZPunreadablestart\nCLASS:PRIVATE\nDESCRIPTION:ZPunreadablewords\nEND:VEVENT\n".to_owned(),
        other("VTODO", "ZPtask", "CLASS:PRIVATE\n"),
        other("VJOURNAL", "ZPjournal", "CLASS:CONFIDENTIAL\n"),
        "END:VCALENDAR\n".to_owned(),
    ]
    .concat()
}

/// What a field of `--show` shows.
const SHOWN: [(&str, &[&str]); 9] = [
    ("when", &[]),
    ("title", &["ZQtitle"]),
    ("category", &["ZQcategory"]),
    ("location", &["ZQplace"]),
    ("description", &["ZQdescription"]),
    ("attendees", &["ZQorganizer", "ZQorganizermail", "ZQguest", "ZQguestmail"]),
    ("reminders", &[]),
    ("url", &["ZQurl"]),
    ("attachments", &["ZQattachment"]),
];

/// All planted words in some bytes, packed ones unpacked.
fn found_in(bytes: &[u8]) -> BTreeSet<String> {
    let mut found = BTreeSet::new();
    let mut texts = Vec::new();
    if !bytes.starts_with(b"PK") {
        texts.push(String::from_utf8_lossy(bytes).into_owned());
    } else if let Ok(mut zip) = zip::ZipArchive::new(std::io::Cursor::new(bytes)) {
        for at in 0..zip.len() {
            let mut entry = zip.by_index(at).unwrap();
            let mut text = Vec::new();
            entry.read_to_end(&mut text).unwrap();
            texts.push(entry.name().unwrap().to_string());
            texts.push(String::from_utf8_lossy(&text).into_owned());
        }
    }
    for text in texts {
        // A long line is folded in calendars, and wrapped on a terminal.
        let text = text.replace("\r\n ", "");
        for (at, _) in
            text.match_indices('Z').filter(|(at, _)| matches!(text.as_bytes().get(at + 1), Some(b'Q' | b'P')))
        {
            found.insert(text[at..].chars().take_while(char::is_ascii_alphabetic).collect());
        }
    }
    found
}

/// Private words; an id is the person's own to find an event by, in a receipt.
fn private_in(found: &BTreeSet<String>) -> Vec<String> {
    found.iter().filter(|word| word.starts_with("ZP") && !word.ends_with("uid")).cloned().collect()
}

/// All that came out of a run: its files but the inputs, its answer, and its record.
fn all_that_came_out(case: &Case, run: Run) -> Vec<Vec<u8>> {
    let files = files_in(&case.path(".")).into_iter();
    let files = files.filter(|(path, _)| !path.ends_with("export.ics") && !path.contains("sqlite"));
    let said = [run.stdout.into_bytes(), run.stderr.into_bytes(), record_of(case)];
    said.into_iter().chain(files.map(|(_, bytes)| bytes)).collect()
}

/// The files of a folder and below.
fn files_in(folder: &Path) -> BTreeMap<String, Vec<u8>> {
    let mut files = BTreeMap::new();
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            files.extend(
                files_in(&path)
                    .into_iter()
                    .map(|(name, bytes)| (format!("{}/{name}", path.display()), bytes)),
            );
        } else {
            files.insert(path.display().to_string(), fs::read(path).unwrap());
        }
    }
    files
}

/// The receipts that a ledger holds, as `history` shows them.
fn record_of(case: &Case) -> Vec<u8> {
    let shown = case.emvo(&["history", "show", "1", "-v", "--ledger", "state/ledger.sqlite"]);
    let json = case.emvo(&["history", "show", "1", "--json", "--ledger", "state/ledger.sqlite"]);
    (shown.stdout + &shown.stderr + &json.stdout).into_bytes()
}

/// Words that a copy and what comes with it say, without those that it may.
fn leaked(found: &BTreeSet<String>, may: &[&str]) -> Vec<String> {
    found.iter().filter(|word| !may.contains(&word.as_str())).cloned().collect()
}

#[test]
fn what_a_copy_hides_comes_out_nowhere() {
    let all = found_in(export().as_bytes());
    assert!(all.len() > 250, "{}", all.len());
    for private in ["omit", "mask"] {
        for (field, may) in SHOWN {
            for form in ["ics", "csv", "jsonl", "xlsx"] {
                let case = Case::new().file("ZQfile.ics", export());
                let output = format!("copy.{form}");
                let before = files_in(&case.path("."));
                let words = [
                    "pick",
                    "ZQfile.ics",
                    "-o",
                    &output,
                    "--show",
                    field,
                    "--private",
                    private,
                    "--receipt",
                    "receipt.json",
                    "--ledger",
                    "state/ledger.sqlite",
                    "-v",
                ];
                let run = case.ends(1, &words);
                let what = format!("--show {field} --private {private} to {form}");
                for (path, bytes) in
                    files_in(&case.path(".")).into_iter().filter(|(path, _)| !before.contains_key(path))
                {
                    if path.ends_with(".sqlite") || path.ends_with("-wal") || path.ends_with("-shm") {
                        continue;
                    }
                    // The receipt is the person's own: it names the file, and ids and titles of
                    // what is shown.
                    let is_own = path.ends_with("receipt.json");
                    let found = found_in(&bytes);
                    let leaked = if is_own { private_in(&found) } else { leaked(&found, may) };
                    assert_eq!(leaked, [""; 0], "{what}: {path}");
                }
                let said = [run.stdout.as_bytes(), run.stderr.as_bytes(), &record_of(&case)].concat();
                let told: Vec<String> = private_in(&found_in(&said));
                assert_eq!(
                    told,
                    [""; 0],
                    "{what}: the answer or the record\n{}",
                    String::from_utf8_lossy(&said)
                );
            }
        }
    }
}

/// The same words as a table, one of whose rows cannot be read.
fn table() -> String {
    let row = |mark: &str, start: &str, private: &str| {
        let cells = ["uid", "title", "place", "description", "category", "organizer", "url", "extra"];
        let cells = cells.map(|cell| format!("{mark}{cell}")).join(",");
        format!("{cells},{start},2026-03-02 16:00,{private}\n")
    };
    [
        "uid,title,location,description,category,organizer,url,ZQcolumn,start,end,private\n".to_owned(),
        row("ZQ", "2026-03-02 08:00", "no"),
        row("ZPyes", "2026-03-02 08:00", "yes"),
        row("ZPconfidential", "2026-03-02 08:00", "confidential"),
        row("ZPunknown", "2026-03-02 08:00", "ZPunknownword"),
        row("ZPunreadable", "ZPunreadablestart", "yes"),
    ]
    .concat()
}

/// What of a table is hidden comes out nowhere, and neither do the names of files in a zip.
#[test]
fn tables_and_zips_tell_no_more_than_calendars() {
    let zipped = |name: &str, text: &str| {
        let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
        let options = zip::write::SimpleFileOptions::default();
        zip.start_file(name, options).unwrap();
        zip.write_all(text.as_bytes()).unwrap();
        zip.finish().unwrap().into_inner()
    };
    let inputs = [
        ("ZQtable.csv", table().into_bytes()),
        ("ZQzip.zip", zipped("ZQfolder/ZQentry.ics", &export())),
        ("ZQpacked.zip", zipped("ZQfolder/ZQentry.csv", &table())),
    ];
    for (name, bytes) in inputs {
        assert!(name.ends_with("zip") || found_in(&bytes).len() > 40);
        for private in ["omit", "mask"] {
            for form in ["ics", "csv", "jsonl", "xlsx"] {
                let case = Case::new().file(name, &bytes);
                let output = format!("copy.{form}");
                let words = [
                    "pick",
                    name,
                    "-o",
                    &output,
                    "--show",
                    "when",
                    "--private",
                    private,
                    "--receipt",
                    "receipt.json",
                ];
                let more = ["--zone", "Europe/Helsinki", "--ledger", "state/ledger.sqlite", "-v"];
                let run = case.ends(1, &[&words[..], &more[..]].concat());
                let what = format!("{name}, --private {private} to {form}");
                let copy = found_in(&fs::read(case.path(&output)).unwrap());
                assert_eq!(leaked(&copy, &[]), [""; 0], "{what}: the copy");
                fs::remove_file(case.path(name)).unwrap();
                // Whoever runs it has to know which word was not understood.
                let run = without(run, "ZPunknownword");
                for bytes in all_that_came_out(&case, run) {
                    let told = private_in(&found_in(&bytes));
                    assert_eq!(told, [""; 0], "{what}\n{}", String::from_utf8_lossy(&bytes));
                }
            }
        }
    }
}

fn without(run: Run, word: &str) -> Run {
    Run { stderr: run.stderr.replace(&format!("`{word}`"), "``"), ..run }
}

/// Where everything is shown, what is private is not.
#[test]
fn what_is_private_comes_out_nowhere() {
    for private in ["omit", "mask"] {
        for form in ["ics", "csv", "jsonl", "xlsx"] {
            let case = Case::new().file("export.ics", export());
            let output = format!("copy.{form}");
            let run = case.ends(
                1,
                &[
                    "pick",
                    "export.ics",
                    "-o",
                    &output,
                    "--private",
                    private,
                    "--receipt",
                    "receipt.json",
                    "--ledger",
                    "state/ledger.sqlite",
                    "-v",
                ],
            );
            for bytes in all_that_came_out(&case, run) {
                let told = private_in(&found_in(&bytes));
                // An id stays where one date of a series is masked, and in the person's own receipt.
                assert_eq!(told, [""; 0], "--private {private} to {form}");
            }
        }
    }
}

/// On a terminal nothing is said that a pipe does not get.
#[test]
fn a_terminal_is_told_no_more_than_a_pipe() {
    let case = Case::new().file("export.ics", export());
    let program = assert_cmd::cargo::cargo_bin("emvo");
    for private in ["omit", "mask"] {
        let line = format!(
            "'{}' pick export.ics -o {private}.ics --show when --private {private} -v",
            program.display()
        );
        let done = Command::new("script")
            .args(["-qec", &line, "/dev/null"])
            .current_dir(case.path("."))
            .env("EMVO_LEDGER", "")
            .env("TERM", "xterm")
            .env("PAGER", "cat")
            .output()
            .unwrap();
        let said = [done.stdout, done.stderr].concat();
        assert!(String::from_utf8_lossy(&said).contains("written"), "{}", String::from_utf8_lossy(&said));
        assert_eq!(leaked(&found_in(&said), &[]), [""; 0], "{}", String::from_utf8_lossy(&said));
    }
}

/// A plan hides what it is to hide from its outputs, its reports, its receipt and its answer,
/// and keeps nothing beside that cannot be read.
#[test]
fn a_plan_tells_nothing_of_what_it_hides() {
    let hiding = [("private = \"omit\"", false), ("private = \"mask\"", false), ("show = [\"when\"]", true)];
    for (hides, is_all_hidden) in hiding {
        let case = Case::new().file("export.ics", export());
        for report in ["report.html", "report.csv", "report.json"] {
            // A destination that cuts words and knows no series: the proof has causes to tell.
            case.put("limits.toml", "series = \"none\"\ndescription_characters = 6\nreminders = false\nattendees = false\nattachments = false\n");
            case.put(
                "plan.toml",
                format!(
                    "[[source]]\npath = \"export.ics\"\n{hides}\ninto = \"crew\"\n\
                     [[destination]]\nname = \"crew\"\npath = \"crew.ics\"\nlimits = \"limits.toml\"\n\
                     [check]\nreconcile = true\nreport = \"{report}\"\n"
                ),
            );
            let ledger = ["--ledger", "state/ledger.sqlite"];
            let words = [
                &["run", "plan.toml", "--force", "--overwrite", "--receipt", "receipt.json", "-v"],
                &ledger[..],
            ]
            .concat();
            let run = case.ends(1, &words);
            assert!(case.path(report).exists());
            assert!(run.stderr.contains("it stays in the inputs"), "{}", run.stderr);
            if is_all_hidden {
                for path in ["crew.ics", report] {
                    let told = leaked(&found_in(&fs::read(case.path(path)).unwrap()), &[]);
                    assert_eq!(told, [""; 0], "{hides}: {path}");
                }
                let told = leaked(&found_in(run.stdout.as_bytes()), &[]);
                assert_eq!(told, [""; 0], "{hides}: {}", run.stdout);
            }
            for bytes in all_that_came_out(&case, run) {
                let told = private_in(&found_in(&bytes));
                assert_eq!(told, [""; 0], "{hides}, {report}");
            }
        }
    }
}
