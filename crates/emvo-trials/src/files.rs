//! Files as the whole program takes them.

use std::ffi::OsString;
use std::fs;
use std::io::Write as _;
use std::path::Path;

use clap::Parser as _;

/// A zip: the program answers, and nothing is unpacked beside it.
pub fn zip(data: &[u8]) {
    asked(&[("calendar.zip", data)], &["check", "--quiet", "calendar.zip"]);
}

/// A plan: it is understood or refused, and a dry run writes nothing.
pub fn plan(data: &[u8]) {
    asked(&[("plan.toml", data)], &["run", "--dry-run", "--quiet", "plan.toml"]);
}

/// A plan, an export, a table and settings that it names, parted by lines of `====`.
pub fn plans(data: &[u8]) {
    let mut parts = split(data, b"\n====\n").into_iter();
    let names = ["plan.toml", "crew.ics", "varv.csv", "limits.toml"];
    let files = names.map(|name| (name, parts.next().unwrap_or_default()));
    asked(&files, &["run", "--dry-run", "--quiet", "plan.toml"]);
}

/// The cells of a spreadsheet, in its own words: they are read or refused.
pub fn spreadsheet(data: &[u8]) {
    asked(&[("calendar.xlsx", &workbook_of(data))], &["check", "--quiet", "calendar.xlsx"]);
}

/// A sheet of answers: it is followed or refused.
pub fn answers(data: &[u8]) {
    let export = calendar(b"");
    let files = [("crew.ics", export.as_slice()), ("answers.csv", data)];
    asked(
        &files,
        &["repair", "crew.ics", "-o", "out.ics", "--answers", "answers.csv", "--dry-run", "--quiet"],
    );
    let words = ["merge", "crew.ics", "-o", "out.ics", "--answers", "answers.csv", "--dry-run", "--quiet"];
    asked(&files, &words);
}

/// Lines in a private event: whatever they are, its title and its words are in no copy that
/// hides it, and in none that shows when events are and nothing else.
pub fn private(data: &[u8]) {
    let export = calendar(data);
    for (hidden, form) in [("omit", "ics"), ("mask", "ics"), ("omit", "csv"), ("mask", "jsonl")] {
        let folder = tempfile::tempdir().expect("there is a folder for temporary files");
        let (input, output) =
            (folder.path().join("crew.ics"), folder.path().join("out").with_extension(form));
        fs::write(&input, &export).expect("the folder can be written to");
        let words =
            ["emvo", "pick", "--quiet", "--private", hidden, "--show", "when", "-o"].map(OsString::from);
        run(words.into_iter().chain([output.into_os_string(), input.into_os_string()]));
        for entry in fs::read_dir(folder.path()).expect("the folder can be read") {
            let path = entry.expect("the folder can be read").path();
            // What cannot be read as an event is kept next to the copy, and told there.
            let name = path.file_name().and_then(|name| name.to_str()).unwrap_or_default();
            if name == "crew.ics" || name.contains("set-aside") {
                continue;
            }
            let text =
                String::from_utf8_lossy(&fs::read(&path).expect("the file can be read")).replace("\r\n ", "");
            assert!(
                !text.contains("ZQTITLE") && !text.contains("ZQWORDS"),
                "--private {hidden}: {name}: {text}"
            );
        }
    }
}

/// Words of a command line, one a line: they are understood or refused in words.
pub fn arguments(data: &[u8]) {
    let words = split(data, b"\n").into_iter().map(word);
    let words: Vec<OsString> = [OsString::from("emvo")].into_iter().chain(words).collect();
    let parsed = emvo::command().try_get_matches_from(emvo::with_help_in_front(words.into_iter()));
    if let Err(error) = parsed {
        assert!(!error.to_string().is_empty(), "nothing is said");
    }
}

#[cfg(unix)]
fn word(bytes: &[u8]) -> OsString {
    use std::os::unix::ffi::OsStringExt as _;
    OsString::from_vec(bytes.to_vec())
}

#[cfg(not(unix))]
fn word(bytes: &[u8]) -> OsString {
    String::from_utf8_lossy(bytes).into_owned().into()
}

/// A calendar with a private event that has some lines of its own.
fn calendar(lines: &[u8]) -> Vec<u8> {
    let before = "BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:-//Norrsund Line//Quay//EN\n\
        BEGIN:VEVENT\nUID:public@example.org\nDTSTAMP:20260101T000000Z\nDTSTART:20260302T080000Z\nEND:VEVENT\n\
        BEGIN:VEVENT\nUID:private@example.org\nDTSTAMP:20260101T000000Z\nDTSTART:20260303T080000Z\n\
        CLASS:PRIVATE\nSUMMARY:ZQTITLE\nDESCRIPTION:ZQWORDS\n";
    [before.as_bytes(), lines, b"\nEND:VEVENT\nEND:VCALENDAR\n"].concat()
}

fn split<'d>(data: &'d [u8], mark: &[u8]) -> Vec<&'d [u8]> {
    let (mut parts, mut from, mut at) = (Vec::new(), 0, 0);
    while at + mark.len() <= data.len() {
        if data[at..].starts_with(mark) {
            parts.push(&data[from..at]);
            at += mark.len();
            from = at;
        } else {
            at += 1;
        }
    }
    parts.push(&data[from..]);
    parts
}

/// A spreadsheet's file with these words for its cells.
fn workbook_of(cells: &[u8]) -> Vec<u8> {
    const SHEETS: &str = "http://schemas.openxmlformats.org/spreadsheetml/2006/main";
    const RELATIONS: &str = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";
    let package = "http://schemas.openxmlformats.org/package/2006/relationships";
    let relation = |kind: &str, target: &str| {
        format!(
            r#"<Relationships xmlns="{package}"><Relationship Id="rId1" Type="{RELATIONS}/{kind}" Target="{target}"/></Relationships>"#
        )
    };
    let workbook = format!(
        r#"<workbook xmlns="{SHEETS}" xmlns:r="{RELATIONS}"><sheets><sheet name="Crew" sheetId="1" r:id="rId1"/></sheets></workbook>"#
    );
    let sheet = [
        format!(r#"<worksheet xmlns="{SHEETS}"><sheetData>"#).as_bytes(),
        cells,
        b"</sheetData></worksheet>",
    ]
    .concat();
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    let options = zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
    for (name, content) in [
        ("_rels/.rels", relation("officeDocument", "xl/workbook.xml").into_bytes()),
        ("xl/workbook.xml", workbook.into_bytes()),
        ("xl/_rels/workbook.xml.rels", relation("worksheet", "worksheets/sheet1.xml").into_bytes()),
        ("xl/worksheets/sheet1.xml", sheet),
    ] {
        zip.start_file(name, options).expect("a file in memory");
        zip.write_all(&content).expect("a file in memory");
    }
    zip.finish().expect("a file in memory").into_inner()
}

/// Runs a command that writes nothing on some files.
fn asked(files: &[(&str, &[u8])], words: &[&str]) {
    let folder = tempfile::tempdir().expect("there is a folder for temporary files");
    let path_of = |name: &str| folder.path().join(name);
    for (name, data) in files {
        fs::write(path_of(name), data).expect("the folder can be written to");
    }
    let is_path = |word: &str| word == "out.ics" || files.iter().any(|(name, _)| *name == word);
    let word =
        |word: &&str| if is_path(word) { path_of(word).into_os_string() } else { OsString::from(word) };
    run([OsString::from("emvo")].into_iter().chain(words.iter().map(word)));
    assert_eq!(files_in(folder.path()), files.len(), "something was written");
    for (name, data) in files {
        assert_eq!(fs::read(path_of(name)).ok().as_deref(), Some(*data), "{name} was changed");
    }
}

/// Runs a command. Refusing is an answer, too; a fault of its own is none.
fn run(words: impl Iterator<Item = OsString>) {
    let args = emvo::Args::try_parse_from(words).expect("these arguments are fine");
    if let Err(error) = emvo::run(args) {
        assert!(!emvo::is_fault(&error), "{error:#}");
    }
}

fn files_in(folder: &Path) -> usize {
    fs::read_dir(folder).map_or(0, Iterator::count)
}
