//! Exports that were damaged on the way: whatever comes, the program answers in
//! bounded time and memory, names the file, writes nothing but its output, and
//! never breaks down.

#![allow(clippy::unwrap_used, reason = "a test that cannot set up its files fails")]

use std::io::{Cursor, Write};
use std::path::PathBuf;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use crate::harness::Case;

/// Address space for a run, in KiB.
const MOST_MEMORY: usize = 1024 * 1024;
/// For the program as it is released; one without optimising takes longer.
const MOST_TIME: Duration = Duration::from_secs(10);

const CALENDAR: &str = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//x//x//EN\r\nX-WR-CALNAME:Crew\r\n\
    BEGIN:VTIMEZONE\r\nTZID:Skarvik\r\nBEGIN:STANDARD\r\nDTSTART:19961027T040000\r\n\
    RRULE:FREQ=YEARLY;BYMONTH=10;BYDAY=-1SU\r\nTZOFFSETFROM:+0300\r\nTZOFFSETTO:+0200\r\nEND:STANDARD\r\n\
    BEGIN:DAYLIGHT\r\nDTSTART:19960331T030000\r\nRRULE:FREQ=YEARLY;BYMONTH=3;BYDAY=-1SU\r\n\
    TZOFFSETFROM:+0200\r\nTZOFFSETTO:+0300\r\nEND:DAYLIGHT\r\nEND:VTIMEZONE\r\n\
    BEGIN:VEVENT\r\nUID:watch@example.org\r\nDTSTAMP:20260101T000000Z\r\nSUMMARY:Däcksvakt\r\n\
    DTSTART;TZID=Skarvik:20260105T080000\r\nDTEND;TZID=Skarvik:20260105T160000\r\n\
    RRULE:FREQ=WEEKLY;BYDAY=MO,WE;COUNT=20\r\nEXDATE;TZID=Skarvik:20260112T080000\r\n\
    BEGIN:VALARM\r\nACTION:DISPLAY\r\nTRIGGER:-PT15M\r\nEND:VALARM\r\nEND:VEVENT\r\n\
    BEGIN:VEVENT\r\nUID:watch@example.org\r\nDTSTAMP:20260101T000000Z\r\nSUMMARY:Däcksvakt\\, sen\r\n\
    RECURRENCE-ID;TZID=Skarvik:20260119T080000\r\nDTSTART;TZID=Skarvik:20260119T100000\r\nEND:VEVENT\r\n\
    BEGIN:VEVENT\r\nUID:dock@example.org\r\nDTSTAMP:20260101T000000Z\r\nSUMMARY:Dry dock\r\n\
    DTSTART;VALUE=DATE:20261005\r\nDTEND;VALUE=DATE:20261019\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n";

const TABLE: &str = "Title;Start;End;Repeat;Location\r\n\"Watch; deck\";2026-01-05 08:00;2026-01-05 16:00;\
    every Monday 5 times;Kaj 1\r\nDrill;2026-02-03 09:00;2026-02-03 10:00;;\r\nDock;2026-10-05;2026-10-18;;Varvet\r\n";

/// The built program; a released one may be named, and is given ten times as
/// much of everything.
fn program() -> (PathBuf, usize, Duration) {
    match std::env::var_os("EMVO_PROGRAM") {
        Some(path) => (path.into(), 10, MOST_TIME),
        None => (assert_cmd::cargo::cargo_bin("emvo"), 1, 6 * MOST_TIME),
    }
}

/// A kind of damage: its name, the file's name, and what is in it.
type Damage = (String, &'static str, Vec<u8>);

#[test]
fn four_hundred_kinds_of_damage_are_answered() {
    let mut kinds = cut_off();
    kinds.extend(altered());
    kinds.extend(values());
    kinds.extend(bombs());
    kinds.extend(charsets());
    kinds.extend(zips());
    assert!(kinds.len() >= 400, "{} kinds", kinds.len());
    let broken: Vec<String> = std::thread::scope(|scope| {
        let halves: Vec<_> =
            kinds.chunks(kinds.len().div_ceil(2)).map(|half| scope.spawn(|| failures(half))).collect();
        halves.into_iter().flat_map(|half| half.join().unwrap()).collect()
    });
    assert!(broken.is_empty(), "{} of {}:\n{}", broken.len(), kinds.len(), broken.join("\n"));
}

fn failures(kinds: &[Damage]) -> Vec<String> {
    let answers = kinds.iter().enumerate().filter_map(|(at, (kind, name, bytes))| {
        answer(at, name, bytes).err().map(|why| format!("{kind}: {why}"))
    });
    answers.collect()
}

/// Lets the program repair a damaged file, which looks at it with all rules
/// first, and in turns check or convert it.
fn answer(at: usize, name: &str, bytes: &[u8]) -> Result<(), String> {
    let other: &[&str] = match at % 2 {
        0 => &["check", name],
        _ => &["convert", name, "-o", "out.csv", "--no-ledger"],
    };
    let repair: &[&str] = &["repair", "--consent", "all", name, "-o", "out.ics", "--no-ledger"];
    // The released program does both; the other one, which is slow, in turns.
    let (both, one) = ([repair, other], usize::from(at % 3 == 2));
    let commands = if program().1 > 1 || at.is_multiple_of(5) { &both[..] } else { &both[one..=one] };
    for words in commands {
        let case = Case::new().file(name, bytes);
        let begun = Instant::now();
        let (status, stdout, stderr) = bounded(&case, words);
        let taken = begun.elapsed();
        let told = format!("{} {words:?} → {status}: {stderr}", stdout.chars().take(200).collect::<String>());
        if !(0..=2).contains(&status) || stderr.contains("panicked") {
            return Err(told);
        }
        if taken > program().2 {
            return Err(format!("{taken:?} {told}"));
        }
        // Words about the whole input are not about a file.
        if status == 2 && !stderr.contains(name) && !stderr.contains("no calendar in the inputs") {
            return Err(format!("names no file: {told}"));
        }
        let ours = [name, "out.ics", "out.csv", "out.set-aside.ics", "out.set-aside.csv"];
        if let Some(stray) = case.names().iter().find(|there| !ours.contains(&there.as_str())) {
            return Err(format!("left `{stray}`: {told}"));
        }
        if std::fs::read(case.path(name)).unwrap() != bytes {
            return Err(format!("changed its input: {told}"));
        }
    }
    Ok(())
}

fn bounded(case: &Case, words: &[&str]) -> (i32, String, String) {
    let output = Command::new("sh")
        .args(["-c", &format!("ulimit -v {MOST_MEMORY}; exec \"$@\""), "sh"])
        .arg(program().0)
        .args(words)
        .current_dir(case.path(""))
        .env("RAYON_NUM_THREADS", "2")
        .env("RUST_BACKTRACE", "0")
        .stdin(Stdio::null())
        .output()
        .unwrap();
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    (output.status.code().unwrap_or(-1), text(&output.stdout), text(&output.stderr))
}

/// The file ends at every place where something else begins.
fn cut_off() -> Vec<Damage> {
    let mut kinds = Vec::new();
    for (name, text) in [("crew.ics", CALENDAR), ("crew.csv", TABLE)] {
        for (at, sign) in text.char_indices().filter(|(at, _)| *at > 0) {
            if matches!(sign, '\n' | ':' | ';' | '=' | '"') {
                kinds.push((
                    format!("{name} ends before {sign:?} at {at}"),
                    name,
                    text.as_bytes()[..at].to_vec(),
                ));
            }
        }
    }
    kinds
}

/// Bytes that were flipped, lost, doubled or made NUL, and lines that were.
fn altered() -> Vec<Damage> {
    let mut kinds = Vec::new();
    for (name, text) in [("crew.ics", CALENDAR), ("crew.csv", TABLE)] {
        let bytes = text.as_bytes();
        for step in 0..40 {
            let at = step * bytes.len() / 40;
            for (what, with) in [("NUL", 0), ("high bit", bytes[at] ^ 0x80), ("quote", b'"')] {
                let mut new = bytes.to_vec();
                new[at] = with;
                kinds.push((format!("{name}: {what} at {at}"), name, new));
            }
        }
        let lines: Vec<&str> = text.split_inclusive('\n').collect();
        for at in 0..lines.len() {
            let without: String =
                lines.iter().enumerate().filter(|(here, _)| *here != at).map(|(_, line)| *line).collect();
            kinds.push((format!("{name}: without line {}", at + 1), name, without.into_bytes()));
            let doubled: String = lines
                .iter()
                .enumerate()
                .flat_map(|(here, line)| vec![*line; 1 + usize::from(here == at)])
                .collect();
            kinds.push((format!("{name}: line {} twice", at + 1), name, doubled.into_bytes()));
        }
    }
    kinds
}

/// Values that no calendar should have.
fn values() -> Vec<Damage> {
    let swaps: [(&str, &[&str]); 7] = [
        (
            "20260105T080000",
            &[
                "99999999T999999",
                "00000000T000000",
                "20260105T240000",
                "2026010508",
                "-0260105T080000",
                "99991231T235959",
                "00010101T000000",
                "٢٠٢٦٠١٠٥T080000",
            ],
        ),
        (
            "FREQ=WEEKLY;BYDAY=MO,WE;COUNT=20",
            &[
                "FREQ=SECONDLY",
                "FREQ=YEARLY;COUNT=4294967295",
                "FREQ=DAILY;INTERVAL=99999999999999999999",
                "FREQ=DAILY;INTERVAL=0",
                "FREQ=WEEKLY;COUNT=-1",
                "FREQ=MONTHLY;BYMONTHDAY=30;BYMONTH=2",
                "FREQ=SECONDLY;BYMONTH=2;BYMONTHDAY=30",
                "FREQ=YEARLY;BYDAY=99999MO",
                "FREQ=YEARLY;BYSETPOS=366,-366,0",
                "FREQ=DAILY;UNTIL=x",
                "FREQ=",
                "=;=;=",
                "FREQ=MINUTELY;INTERVAL=1;BYHOUR=25",
                "FREQ=YEARLY;BYWEEKNO=53;BYDAY=MO;BYSECOND=60",
                "FREQ=HOURLY;UNTIL=99991231T235959Z",
            ],
        ),
        (
            "-PT15M",
            &["-P", "PT", "-P99999999999999999999W", "P-1D", "PT1H1H1H", "+", "-PT9223372036854775807S"],
        ),
        ("+0200", &["+9999", "+", "0200", "-2400", "+020000000000", "east"]),
        ("Skarvik", &["", "\"", "../../etc/passwd", "Europe/Atlantis", "UTC+99", "A;B:C", "\u{202e}kivrakS"]),
        (
            "watch@example.org",
            &[
                "",
                " ",
                "\u{0}",
                "=cmd|' /C calc'!A0",
                "<script>alert(1)</script>",
                "\u{1b}[2J\u{1b}]0;x\u{7}",
            ],
        ),
        ("20261019", &["20261004", "20260931", "20261005", "99999999", "2026-10-19", "20261019T000000Z"]),
    ];
    let mut kinds = Vec::new();
    for (old, news) in swaps {
        for new in news {
            kinds.push((format!("{new:?} for {old:?}"), "crew.ics", CALENDAR.replace(old, new).into_bytes()));
        }
    }
    for cell in [
        "2026-13-45 08:00",
        "99/99/9999",
        "1e308",
        "-1",
        "######",
        "=1+1",
        "99999999",
        "24:61",
        "\u{0}",
        "every 0 weeks",
        "every day 99999999 times",
    ] {
        kinds.push((
            format!("cell {cell:?}"),
            "crew.csv",
            TABLE.replace("2026-02-03 09:00", cell).into_bytes(),
        ));
        kinds.push((
            format!("repeat {cell:?}"),
            "crew.csv",
            TABLE.replace("every Monday 5 times", cell).into_bytes(),
        ));
    }
    kinds
}

/// Much of something.
fn bombs() -> Vec<Damage> {
    let much = program().1;
    let event = |lines: &str| {
        format!(
            "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTART:20260105T080000Z\r\n{lines}END:VEVENT\r\nEND:VCALENDAR\r\n"
        )
    };
    let numbers = |count: usize| (0..count).map(|at| (at % 60).to_string()).collect::<Vec<_>>().join(",");
    let mut kinds: Vec<Damage> = vec![
        ("nested".into(), "crew.ics", "BEGIN:X\r\n".repeat(10_000 * much).into_bytes()),
        ("nested and closed".into(), "crew.ics", ("BEGIN:X\r\n".repeat(5_000 * much) + &"END:X\r\n".repeat(5_000 * much)).into_bytes()),
        ("calendars in calendars".into(), "crew.ics", "BEGIN:VCALENDAR\r\n".repeat(2_000 * much).into_bytes()),
        ("events in events".into(), "crew.ics", "BEGIN:VEVENT\r\n".repeat(2_000 * much).into_bytes()),
        ("ends alone".into(), "crew.ics", ("BEGIN:VCALENDAR\r\n".to_owned() + &"END:VEVENT\r\n".repeat(5_000 * much)).into_bytes()),
        ("a line of 20 MB".into(), "crew.ics", event(&format!("DESCRIPTION:{}\r\n", "x".repeat(2_000_000 * much))).into_bytes()),
        ("a line of folds".into(), "crew.ics", event(&format!("DESCRIPTION:{}\r\n", "x\r\n ".repeat(50_000 * much))).into_bytes()),
        ("parameters".into(), "crew.ics", event(&format!("ATTENDEE{}:mailto:a@example.org\r\n", ";X=1".repeat(20_000 * much))).into_bytes()),
        ("quotes".into(), "crew.ics", event(&format!("SUMMARY;X={}:a\r\n", "\"".repeat(50_000 * much))).into_bytes()),
        ("exceptions".into(), "crew.ics", event(&format!("RRULE:FREQ=DAILY\r\nEXDATE:{}\r\n", vec!["20260105T080000Z"; 2_000 * much].join(","))).into_bytes()),
        ("further dates".into(), "crew.ics", event(&format!("RDATE:{}\r\n", vec!["20260105T080000Z"; 2_000 * much].join(","))).into_bytes()),
        ("values of a rule".into(), "crew.ics", event(&format!("RRULE:FREQ=DAILY;BYMINUTE={}\r\n", numbers(5_000 * much))).into_bytes()),
        ("rules".into(), "crew.ics", event(&"RRULE:FREQ=SECONDLY\r\n".repeat(200 * much)).into_bytes()),
        ("alarms".into(), "crew.ics", event(&"BEGIN:VALARM\r\nEND:VALARM\r\n".repeat(2_000 * much)).into_bytes()),
        ("every second".into(), "crew.ics", event("RRULE:FREQ=SECONDLY;BYSECOND=0,30;BYMINUTE=0,15,30,45\r\n").into_bytes()),
        ("overrides".into(), "crew.ics", event("").replace("END:VCALENDAR", &("BEGIN:VEVENT\r\nUID:1\r\nRECURRENCE-ID:20260105T080000Z\r\nDTSTART:20260105T080000Z\r\nEND:VEVENT\r\n".repeat(500 * much) + "END:VCALENDAR")).into_bytes()),
        ("the same event".into(), "crew.ics", ("BEGIN:VCALENDAR\r\n".to_owned() + &"BEGIN:VEVENT\r\nUID:1\r\nSUMMARY:a\r\nDTSTART:20260105T080000Z\r\nEND:VEVENT\r\n".repeat(500 * much) + "END:VCALENDAR\r\n").into_bytes()),
        ("an override of all".into(), "crew.ics", event("RRULE:FREQ=DAILY\r\n").replace("END:VCALENDAR", "BEGIN:VEVENT\r\nUID:1\r\nRECURRENCE-ID;RANGE=THISANDFUTURE:20260105T080000Z\r\nDTSTART:99991231T235959Z\r\nEND:VEVENT\r\nEND:VCALENDAR").into_bytes()),
        ("blank lines".into(), "crew.ics", ("BEGIN:VCALENDAR\r\n".to_owned() + &"\r\n".repeat(100_000 * much) + "END:VCALENDAR\r\n").into_bytes()),
        ("columns".into(), "crew.csv", format!("title,start{}\na,2026-01-05\n", ",x".repeat(100_000 * much)).into_bytes()),
        ("columns of a row".into(), "crew.csv", format!("title,start\na,2026-01-05{}\n", ",x".repeat(100_000 * much)).into_bytes()),
        ("an open quote".into(), "crew.csv", format!("title,start\n\"a,2026-01-05\n{}", "b,2026-01-06\n".repeat(20_000 * much)).into_bytes()),
        ("a cell of 20 MB".into(), "crew.csv", format!("title,start\n{},2026-01-05\n", "x".repeat(2_000_000 * much)).into_bytes()),
        ("quotes in a cell".into(), "crew.csv", format!("title,start\n\"{}\",2026-01-05\n", "\"\"".repeat(50_000 * much)).into_bytes()),
        ("exceptions in a cell".into(), "crew.csv", format!("title,start,repeat,exceptions\na,2026-01-05,every day,\"{}\"\n", "2026-01-06; ".repeat(500 * much)).into_bytes()),
        ("headers alone".into(), "crew.csv", b"title,start\n".to_vec()),
        ("rows of nothing".into(), "crew.csv", format!("title,start\n{}", ",\n".repeat(20_000 * much)).into_bytes()),
    ];
    for zone in ["RDATE", "RRULE:FREQ=SECONDLY\r\nX", "RRULE:FREQ=YEARLY;BYSETPOS=9;BYSECOND"] {
        let lines = format!("{zone}:{}\r\n", numbers(5_000));
        kinds.push((
            format!("zone {zone}"),
            "crew.ics",
            CALENDAR.replace("RRULE:FREQ=YEARLY;BYMONTH=10;BYDAY=-1SU\r\n", &lines).into_bytes(),
        ));
    }
    kinds
}

/// Charsets other than the file says, or none at all.
fn charsets() -> Vec<Damage> {
    let utf16 =
        |text: &str, order: fn(u16) -> [u8; 2]| text.encode_utf16().flat_map(order).collect::<Vec<u8>>();
    let mut kinds: Vec<Damage> = vec![
        (
            "not UTF-8".into(),
            "crew.ics",
            CALENDAR.bytes().map(|byte| if byte == b'k' { 0xff } else { byte }).collect(),
        ),
        ("every byte".into(), "crew.ics", (0..=255).cycle().take(50_000).collect()),
        ("NULs".into(), "crew.ics", vec![0; 100_000]),
        ("BOM alone".into(), "crew.ics", vec![0xef, 0xbb, 0xbf]),
        ("BOMs".into(), "crew.ics", ["\u{feff}".repeat(10), CALENDAR.to_owned()].concat().into_bytes()),
        ("half a sign".into(), "crew.ics", [CALENDAR.as_bytes(), &[0xc3]].concat()),
        ("surrogates".into(), "crew.ics", [&[0xff, 0xfe][..], &[0x00, 0xd8].repeat(5_000)].concat()),
        ("nothing".into(), "crew.csv", Vec::new()),
        ("blanks".into(), "crew.csv", b" \t\r\n".repeat(1_000)),
    ];
    for (name, text) in [("crew.ics", CALENDAR), ("crew.csv", TABLE)] {
        let little = utf16(text, u16::to_le_bytes);
        let big = utf16(text, u16::to_be_bytes);
        kinds.push((format!("{name}: UTF-16 without a mark"), name, little.clone()));
        kinds.push((format!("{name}: UTF-16 the other way round"), name, [&[0xff, 0xfe][..], &big].concat()));
        kinds.push((
            format!("{name}: UTF-16 cut inside a sign"),
            name,
            [&[0xff, 0xfe][..], &little[..little.len() - 1]].concat(),
        ));
        kinds.push((
            format!("{name}: carriage returns alone"),
            name,
            text.replace("\r\n", "\r").into_bytes(),
        ));
        kinds.push((
            format!("{name}: line ends mixed"),
            name,
            text.replacen("\r\n", "\n", 5).replacen("\r\n", "\r", 2).into_bytes(),
        ));
    }
    kinds
}

fn zips() -> Vec<Damage> {
    let zip = |entries: &[(&str, &[u8])]| {
        let mut zip = zip::ZipWriter::new(Cursor::new(Vec::new()));
        for (name, bytes) in entries {
            zip.start_file(*name, zip::write::SimpleFileOptions::default()).unwrap();
            zip.write_all(bytes).unwrap();
        }
        zip.finish().unwrap().into_inner()
    };
    let whole = zip(&[("crew.ics", CALENDAR.as_bytes()), ("crew.csv", TABLE.as_bytes())]);
    let mut kinds: Vec<Damage> = vec![
        (
            "out of the folder".into(),
            "crew.zip",
            zip(&[("../../crew.ics", CALENDAR.as_bytes()), ("/etc/crew.ics", CALENDAR.as_bytes())]),
        ),
        (
            "device names".into(),
            "crew.zip",
            zip(&[
                ("CON.ics", CALENDAR.as_bytes()),
                ("nul", CALENDAR.as_bytes()),
                ("a\u{1b}[2J.ics", CALENDAR.as_bytes()),
            ]),
        ),
        ("a zip in a zip".into(), "crew.zip", zip(&[("inner.zip", &whole)])),
        (
            "a bomb".into(),
            "crew.zip",
            zip(&[("crew.csv", &b"title,start\na,2026-01-05\n".repeat(2_000_000))]),
        ),
        ("empty".into(), "crew.zip", zip(&[])),
    ];
    for step in 1..30 {
        let at = step * whole.len() / 30;
        kinds.push((format!("zip ends at {at}"), "crew.zip", whole[..at].to_vec()));
        let mut flipped = whole.clone();
        flipped[at] ^= 0x55;
        kinds.push((format!("zip flipped at {at}"), "crew.zip", flipped));
    }
    kinds
}
