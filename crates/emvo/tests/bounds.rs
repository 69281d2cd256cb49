//! Small files that would take much: they are told before they do.

#![allow(clippy::unwrap_used, reason = "a test that cannot set up its files fails")]

use std::io::Write as _;

use crate::harness::{Case, calendar};
use zip::write::SimpleFileOptions;

fn zip_of(files: &[(&str, &[u8])]) -> Vec<u8> {
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for (name, bytes) in files {
        zip.start_file(*name, SimpleFileOptions::default()).unwrap();
        zip.write_all(bytes).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

/// A directory whose entries all lead to the one file that there is.
fn overlapping(count: usize) -> Vec<u8> {
    let one = zip_of(&[(
        "a.ics",
        calendar(&"BEGIN:VEVENT\nUID:a\nDTSTART:20260901T060000Z\nEND:VEVENT\n".repeat(400)).as_bytes(),
    )]);
    let directory = one.windows(4).position(|bytes| bytes == b"PK\x01\x02").unwrap();
    let end = one.windows(4).rposition(|bytes| bytes == b"PK\x05\x06").unwrap();
    let entry = &one[directory..end];
    let mut zip = one[..directory].to_vec();
    for number in 0..count {
        let mut entry = entry.to_vec();
        // Names of one length, so that the entry stays as long.
        let name = format!("{number:05}");
        entry[46..51].copy_from_slice(name.as_bytes());
        zip.extend_from_slice(&entry);
    }
    let mut tail = one[end..].to_vec();
    let number = u16::try_from(count).unwrap().to_le_bytes();
    tail[8..10].copy_from_slice(&number);
    tail[10..12].copy_from_slice(&number);
    let size = u32::try_from(entry.len() * count).unwrap().to_le_bytes();
    tail[12..16].copy_from_slice(&size);
    zip.extend_from_slice(&tail);
    zip
}

#[test]
fn files_that_lie_over_each_other_in_a_zip_are_refused() {
    let case = Case::new().file("one.zip", overlapping(1)).file("many.zip", overlapping(300));
    assert!(case.ends(0, &["survey", "one.zip"]).stdout.contains("400"), "one alone is read");
    let run = case.ends(2, &["survey", "many.zip"]);
    assert!(run.stderr.contains("many.zip cannot be read: its files lie over each other"), "{run:?}");
}

/// What is read is measured by what is in it, wherever it comes from.
#[test]
fn more_memory_than_a_run_may_take_is_told_before_it_is_taken() {
    let rows = "Title,Start\n".to_owned() + &"a,2026-01-01\n".repeat(20_000);
    let events = calendar(&"BEGIN:VEVENT\nEND:VEVENT\n".repeat(40_000));
    let case = Case::new()
        .file("rows.csv", &rows)
        .file("events.ics", &events)
        .file("packed.zip", zip_of(&[("rows.csv", rows.as_bytes())]))
        .file("small.ics", calendar("BEGIN:VEVENT\nUID:a\nDTSTART:20260901T060000Z\nEND:VEVENT\n"));
    for (words, file) in [
        (&["check", "rows.csv", "--memory", "40MB"][..], "`rows.csv`"),
        (&["check", "events.ics", "--memory", "40MB"], "`events.ics`"),
        (&["survey", "packed.zip", "--memory", "40MB"], "`packed.zip/rows.csv`"),
        (&["repair", "small.ics", "rows.csv", "-o", "out/", "--memory", "40MB"], "`rows.csv`"),
    ] {
        let run = case.ends(2, words);
        assert!(run.stderr.contains(&format!("{file} takes about ")), "{words:?}: {run:?}");
        assert!(
            run.stderr.contains("40 MB are allowed; export it in parts, or allow more: --memory 1GB"),
            "{run:?}"
        );
    }
    assert!(!case.path("out").exists());
    let run = case.emvo_with_input(&["check", "-", "--memory", "40MB"], &rows);
    assert_eq!(run.status, 2, "{run:?}");
    assert!(run.stderr.contains("`-` takes about "), "{run:?}");
    case.ends(1, &["check", "rows.csv", "--memory", "1GB"]);
    // What has no end is read no further than it may.
    if cfg!(unix) {
        let run = case.emvo(&["check", "/dev/zero", "--memory", "40MB"]);
        assert_eq!(run.status, 2, "{run:?}");
        assert!(run.stderr.contains("`/dev/zero` takes about "), "{run:?}");
    }
    for wrong in ["8", "GB", "-1GB", "8TB", "nanGB"] {
        let run = case.ends(2, &["check", "small.ics", &format!("--memory={wrong}")]);
        assert!(run.stderr.contains("is no size: a number and MB or GB"), "{wrong}: {run:?}");
    }
}

/// A list of dates is told line by line, so that it takes no memory; the file of a
/// spreadsheet is made as a whole, and says how the list gets shorter.
#[test]
fn a_long_list_of_dates_takes_no_memory_and_a_spreadsheet_says_what_it_takes() {
    let series = |number: usize| {
        format!(
            "BEGIN:VEVENT\nUID:{number}\nSUMMARY:Watch\nDTSTART:20260901T060000Z\nRRULE:FREQ=SECONDLY;COUNT=20000\nEND:VEVENT\n"
        )
    };
    let case = Case::new().file("many.ics", calendar(&(0..10).map(series).collect::<String>()));
    let words = ["dates", "many.ics", "--memory", "100MB", "-o"];
    let run = case.ends(2, &[&words[..], &["list.xlsx"]].concat());
    assert!(
        run.stderr.contains("there are 200,000 dates, and room for ")
            && run.stderr.contains("--memory allows more"),
        "{run:?}"
    );
    assert!(!case.path("list.xlsx").exists());
    case.ends(0, &[&words[..], &["list.csv"]].concat());
    assert_eq!(case.read("list.csv").lines().count(), 200_001);
    case.ends(0, &[&words[..], &["list.jsonl"]].concat());
    assert_eq!(case.read("list.jsonl").lines().count(), 200_000);
}

/// A manifest that names one file again and again has it unpacked once at most.
#[test]
fn a_backup_whose_manifest_repeats_itself_is_broken() {
    let case =
        Case::new().file("a.ics", calendar("BEGIN:VEVENT\nUID:a\nDTSTART:20260901T060000Z\nEND:VEVENT\n"));
    case.ends(0, &["bundle", "a.ics", "-o", "backup.zip"]);
    let mut zip = zip::ZipArchive::new(std::fs::File::open(case.path("backup.zip")).unwrap()).unwrap();
    let mut files: Vec<(String, Vec<u8>)> = Vec::new();
    for at in 0..zip.len() {
        let mut entry = zip.by_index(at).unwrap();
        let mut bytes = Vec::new();
        std::io::copy(&mut entry, &mut bytes).unwrap();
        files.push((entry.name().unwrap().to_string(), bytes));
    }
    let manifest = files.iter_mut().find(|(name, _)| name == "manifest.json").unwrap();
    let mut json: serde_json::Value = serde_json::from_slice(&manifest.1).unwrap();
    let entry = json["calendars"][0].clone();
    json["calendars"].as_array_mut().unwrap().extend(vec![entry; 3_000]);
    manifest.1 = serde_json::to_vec(&json).unwrap();
    let files: Vec<(&str, &[u8])> =
        files.iter().map(|(name, bytes)| (name.as_str(), bytes.as_slice())).collect();
    case.put("twice.zip", zip_of(&files));
    let run = case.ends(1, &["bundle", "--verify", "twice.zip"]);
    assert!(
        run.stdout.contains("its manifest names it twice")
            || run.stderr.contains("its manifest names it twice"),
        "{run:?}"
    );
}

/// A name that is no text: it is read, written, and told as far as it is one.
#[cfg(unix)]
#[test]
fn names_that_are_no_text_are_names() {
    use std::ffi::OsString;
    use std::os::unix::ffi::OsStringExt as _;
    let case = Case::new();
    let name = OsString::from_vec(b"cr\xffew.ics".to_vec());
    let out = OsString::from_vec(b"o\xfeut.ics".to_vec());
    std::fs::write(
        case.path(".").join(&name),
        calendar("BEGIN:VEVENT\nUID:a\nDTSTART:20260901T060000Z\nEND:VEVENT\n"),
    )
    .unwrap();
    for (command, status) in [("repair", 0), ("merge", 0), ("convert", 0), ("pick", 0)] {
        let done = assert_cmd::Command::cargo_bin("emvo")
            .unwrap()
            .arg(command)
            .arg(&name)
            .arg("-o")
            .arg(&out)
            .args(["--to", "ics"].iter().filter(|_| command == "convert"))
            .args(["--overwrite", "--receipt", "r.json", "--ledger", "state/l.sqlite"])
            .current_dir(case.path("."))
            .output()
            .unwrap();
        assert_eq!(done.status.code(), Some(status), "{command}: {}", String::from_utf8_lossy(&done.stderr));
        assert!(case.path(".").join(&out).exists());
    }
}

/// A script that asks for JSON gets JSON, whatever a name holds.
#[test]
fn a_failure_in_json_is_json() {
    let case = Case::new();
    for name in ["no\u{202e}where.ics", "no\u{7f}\u{9b}where.ics", "no\u{200b}where.ics"] {
        let run = case.ends(2, &["survey", name, "--json"]);
        let failure: serde_json::Value = serde_json::from_str(&run.stderr).unwrap();
        assert!(failure["error"].as_str().unwrap().contains(name), "{run:?}");
        assert!(!run.stderr.contains(name), "it is escaped: {run:?}");
    }
}

/// Standard output and error that take nothing, or are not there.
#[cfg(unix)]
#[test]
fn streams_that_take_nothing_end_no_run_in_a_crash() {
    let case =
        Case::new().file("a.ics", calendar("BEGIN:VEVENT\nUID:a\nDTSTART:20260901T060000Z\nEND:VEVENT\n"));
    let program = assert_cmd::cargo::cargo_bin("emvo");
    let through_shell = |line: &str| {
        std::process::Command::new("sh")
            .args(["-c", &format!("'{}' {line}", program.display())])
            .current_dir(case.path("."))
            .env("EMVO_LEDGER", "")
            .output()
            .unwrap()
    };
    for command in [
        "survey a.ics",
        "check a.ics",
        "check a.ics --json",
        "no-such-command",
        "merge nowhere.ics -o o.ics",
        "dates a.ics",
        "convert a.ics -o - --to csv",
    ] {
        for streams in [">/dev/full", "2>/dev/full", ">/dev/full 2>&1", ">&-", "2>&-", ">&- 2>&-"] {
            let done = through_shell(&format!("{command} {streams}"));
            let status = done.status.code();
            assert!(matches!(status, Some(0..=2)), "{command} {streams}: {status:?}");
            assert!(!String::from_utf8_lossy(&done.stderr).contains("fault in Emvo"), "{command} {streams}");
        }
    }
    // Files that are written are named where the answer could not be.
    let done = through_shell("merge a.ics -o out.ics >/dev/full");
    assert_eq!(done.status.code(), Some(3), "{done:?}");
    let said = String::from_utf8_lossy(&done.stderr);
    assert!(
        said.contains("out.ics` is new; what was to come after that is not done")
            && said.contains("the answer could not be printed"),
        "{said}"
    );
}
