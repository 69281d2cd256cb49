//! Backups: written, checked, read back.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

use std::io::{Read, Write};

use crate::harness::{Case, calendar};

const CREW: &str = "BEGIN:VEVENT\nUID:w\nSUMMARY:Watch\nDTSTART;TZID=Europe/Helsinki:20260302T080000\nRRULE:FREQ=WEEKLY;COUNT=3\nX-KEEP:me\nEND:VEVENT\n\
    BEGIN:VTODO\nUID:t\nSUMMARY:Order paint\nEND:VTODO\n";

fn case() -> Case {
    Case::new()
        .file(
            "in/crew.ics",
            calendar(CREW).replace("VERSION:2.0", "VERSION:2.0\r\nX-WR-CALNAME:Crew \u{e5}land"),
        )
        .file(
            "in/more/crew.ics",
            calendar(CREW).replace("VERSION:2.0", "VERSION:2.0\r\nX-WR-CALNAME:Crew \u{e5}land"),
        )
        .file("in/quay.csv", "title,start,end\nQuay 1,2026-10-05,2026-10-09\n")
        .file("pass", "s\u{e4}kert l\u{f6}sen\nsecond line\n")
        .file("wrong", "guess\n")
}

#[test]
fn a_backup_holds_each_calendar_and_reads_back() {
    let case = case();
    let run = case.ends(0, &["bundle", "in", "-o", "b.zip", "--zone", "Europe/Helsinki"]);
    insta::assert_snapshot!(run.shown());
    case.ends(0, &["bundle", "in", "-o", "again.zip", "--zone", "Europe/Helsinki"]);
    let read = |name: &str| std::fs::read(case.path(name)).unwrap();
    assert_eq!(read("b.zip"), read("again.zip"), "the same content makes the same bytes");
    let proof =
        case.json_ends(0, &["reconcile", "in", "--zone", "Europe/Helsinki", "--result", "b.zip", "--json"]);
    assert_eq!(proof["verdict"], "complete");
    case.ends(0, &["bundle", "--verify", "b.zip"]);
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(read("b.zip"))).unwrap();
    let mut kept = String::new();
    zip.by_name("crew-åland.ics").unwrap().read_to_string(&mut kept).unwrap();
    assert!(kept.contains("X-KEEP:me") && kept.contains("SUMMARY:Order paint"), "{kept}");
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        assert_eq!(std::fs::metadata(case.path("b.zip")).unwrap().permissions().mode() & 0o777, 0o600);
    }
}

#[test]
fn a_backup_that_was_changed_is_told() {
    let case = case();
    case.ends(0, &["bundle", "in", "-o", "b.zip"]);
    let bytes = std::fs::read(case.path("b.zip")).unwrap();
    let mut old = zip::ZipArchive::new(std::io::Cursor::new(bytes)).unwrap();
    let mut new = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for at in 0..old.len() {
        let mut file = old.by_index(at).unwrap();
        let (name, mut text) = (file.name().unwrap().into_owned(), String::new());
        file.read_to_string(&mut text).unwrap();
        new.start_file(name.clone(), zip::write::SimpleFileOptions::default()).unwrap();
        new.write_all(text.replace("SUMMARY:Watch", "SUMMARY:Watsh").as_bytes()).unwrap();
    }
    case.put("changed.zip", new.finish().unwrap().into_inner());
    let run = case.json_ends(1, &["bundle", "--verify", "changed.zip", "--json"]);
    // Two calendars, and the two exports that they came from.
    assert_eq!(run["faults"].as_array().unwrap().len(), 4, "{run:#}");
    let bytes = std::fs::read(case.path("b.zip")).unwrap();
    case.put("half.zip", &bytes[..bytes.len() / 2]);
    let run = case.ends(2, &["bundle", "--verify", "half.zip"]);
    assert!(run.stderr.contains("`half.zip`: it is no zip"), "{}", run.stderr);
}

#[test]
fn an_encrypted_backup_needs_its_passphrase_everywhere() {
    let case = case();
    let run = case.json_ends(0, &["bundle", "in", "-o", "b.zip", "--passphrase-file", "pass", "--json"]);
    assert!(!run.to_string().contains("säkert"), "the passphrase is told nowhere");
    let bytes = std::fs::read(case.path("b.zip")).unwrap();
    assert!(!bytes.windows(7).any(|window| window == b"SUMMARY"), "nothing is readable");
    let none = case.ends(2, &["survey", "b.zip"]);
    assert!(none.stderr.contains("it is encrypted: --passphrase-file F"), "{}", none.stderr);
    let wrong = case.ends(2, &["survey", "b.zip", "--passphrase-file", "wrong"]);
    assert!(wrong.stderr.contains("the passphrase is wrong"), "{}", wrong.stderr);
    case.ends(2, &["bundle", "--verify", "b.zip", "--passphrase-file", "wrong"]);
    case.ends(0, &["bundle", "--verify", "b.zip", "--passphrase-file", "pass"]);
    let dates = case.json_ends(0, &["dates", "b.zip", "--passphrase-file", "pass", "--json"]);
    assert_eq!(dates["occurrences"].as_array().unwrap().len(), 7);
    let nobody = case.ends(2, &["bundle", "in", "-o", "c.zip", "--encrypt"]);
    assert!(nobody.stderr.contains("there is nobody to ask for a passphrase"), "{}", nobody.stderr);
}

/// A zip of these files.
fn zip_of(files: &[(&str, &[u8])]) -> Vec<u8> {
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for (name, bytes) in files {
        zip.start_file(*name, zip::write::SimpleFileOptions::default()).unwrap();
        zip.write_all(bytes).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

#[test]
fn a_zip_in_a_zip_is_read_and_none_that_is_deeper() {
    let case = case();
    case.ends(0, &["bundle", "in", "-o", "b.zip"]);
    let inner = std::fs::read(case.path("b.zip")).unwrap();
    let outer = zip_of(&[("inner.zip", &inner)]);
    case.put("deepest.zip", zip_of(&[("outer.zip", &outer), ("broken.zip", b"PK\x03\x04")]));
    case.put("outer.zip", outer);
    let events = |path: &str| case.json(&["survey", path, "--json"])["totals"]["events"].as_u64().unwrap();
    assert_eq!(events("outer.zip"), 3);
    assert_eq!(events("outer.zip/inner.zip/quay.ics"), 1);
    let run = case.ends(2, &["survey", "deepest.zip"]);
    assert!(run.stderr.contains("a zip in a zip in a zip"), "{}", run.stderr);
    assert!(
        run.stderr.contains("deepest.zip/broken.zip cannot be read: it is a broken zip"),
        "{}",
        run.stderr
    );
    let run = case.ends(2, &["survey", "outer.zip/inner.zip/nothing.ics"]);
    assert!(run.stderr.contains("outer.zip/inner.zip/crew-åland.ics, "), "{}", run.stderr);
}

#[test]
fn a_backup_gives_the_exports_back_as_they_came() {
    let row = "Title,Start\nHandover,2026-09-07 08:00\nMuster,46000x\n";
    let case = case().file("in/rota.csv", row);
    let made = case.json_ends(1, &["bundle", "in", "-o", "b.zip", "--json"]);
    assert_eq!((&made["set_aside"], made["originals"].as_array().unwrap().len()), (&1.into(), 4), "{made}");
    let checked = case.ends(0, &["bundle", "--verify", "b.zip"]);
    assert!(
        checked.stdout.contains("1 event cannot be read and stands in the exports alone"),
        "{}",
        checked.stdout
    );
    for (wanted, files) in [
        ("all", vec!["crew-åland.ics", "originals/in/rota.csv"]),
        ("rota.csv", vec!["originals/in/rota.csv"]),
        ("in/rota.csv", vec!["originals/in/rota.csv"]),
        ("quay.ics", vec!["quay.ics"]),
    ] {
        case.ends(0, &["bundle", "b.zip", "--restore", wanted, "-o", "back", "--overwrite"]);
        for file in files {
            assert!(case.path(&format!("back/{file}")).is_file(), "{wanted}: {file}");
        }
        std::fs::remove_dir_all(case.path("back")).unwrap();
    }
    case.ends(0, &["bundle", "b.zip", "--restore", "all", "-o", "back"]);
    assert_eq!(case.read("back/originals/in/rota.csv"), row);
    let run = case.ends(2, &["bundle", "b.zip", "--restore", "deck.ics", "-o", "back", "--overwrite"]);
    assert!(run.stderr.contains("there is no `deck.ics` in it"), "{}", run.stderr);
    // The calendars are read, and not the exports beside them once more.
    assert_eq!(case.json(&["survey", "b.zip", "--json"])["totals"]["events"], 4);
}

#[test]
fn two_entries_of_one_name_are_two_files() {
    let text = |title: &str| {
        format!(
            "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:{title}\r\nSUMMARY:{title}\r\nDTSTART:20260907T080000Z\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
        )
    };
    // The writer refuses to write one name twice, so a name is changed afterwards.
    let mut zip = zip_of(&[("a.ics", text("Handover").as_bytes()), ("b.ics", text("Muster").as_bytes())]);
    for at in 0..zip.len() - 5 {
        if &zip[at..at + 5] == b"b.ics" {
            zip[at] = b'a';
        }
    }
    let case = case().file("twice.zip", zip);
    let answer = case.json(&["merge", "twice.zip", "-o", "out.ics", "--json", "--no-ledger"]);
    assert_eq!((&answer["balance"]["read"], &answer["balance"]["written"]), (&2.into(), &2.into()));
    let paths: Vec<&str> =
        answer["inputs"].as_array().unwrap().iter().map(|one| one["path"].as_str().unwrap()).collect();
    assert_eq!(paths, ["twice.zip/a.ics", "twice.zip/a (2).ics"]);
}

#[test]
fn zips_are_bounded() {
    let case = case();
    let mut many = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for at in 0..10_001 {
        many.start_file(format!("{at}.ics"), zip::write::SimpleFileOptions::default()).unwrap();
    }
    case.put("many.zip", many.finish().unwrap().into_inner());
    let run = case.ends(2, &["survey", "many.zip"]);
    assert!(run.stderr.contains("holds 10001 files; more than 10000 are not looked at"), "{}", run.stderr);
}
