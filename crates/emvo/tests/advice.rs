//! The way out that each cause names, typed: an accident at a destination, the
//! advised command, the import again, and a complete verdict with nothing twice.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

use crate::harness::{Case, calendar};

/// What happens to a file at a destination.
#[derive(Clone, Copy)]
enum There {
    /// As these limits say.
    Limits(&'static str),
    /// The same, with the import pressed twice the first time.
    PressedTwice(&'static str),
    /// As this does to its text, for what no limit says.
    Text(fn(&str) -> String),
}

struct Accident {
    kind: &'static str,
    source: String,
    there: There,
    /// Whether the source is compared as it was repaired, or as it was.
    compared: Compared,
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Compared {
    Source,
    Advised,
    SourceWithReceipt,
}

fn event(uid: &str, lines: &str) -> String {
    format!("BEGIN:VEVENT\nUID:{uid}\nSUMMARY:Watch {uid}\n{lines}\nEND:VEVENT\n")
}

/// Four single events that differ in their lines by day.
fn four(lines: fn(u32) -> String) -> String {
    calendar(&(1..=4).map(|day| event(&format!("e{day}"), &lines(day))).collect::<String>())
}

fn in_helsinki(day: u32) -> String {
    format!(
        "DTSTART;TZID=Europe/Helsinki:202609{day:02}T080000\nDTEND;TZID=Europe/Helsinki:202609{day:02}T093000"
    )
}

fn whole_days(day: u32) -> String {
    format!("DTSTART;VALUE=DATE:202609{:02}\nDTEND;VALUE=DATE:202609{:02}", day * 3, day * 3 + 2)
}

fn weekly(more: &str) -> String {
    let lines = format!(
        "DTSTART;TZID=Europe/Helsinki:20260902T080000\nDTEND;TZID=Europe/Helsinki:20260902T093000\n\
         RRULE:FREQ=WEEKLY;COUNT=12\n{more}"
    );
    event("weekly", lines.trim_end())
}

fn excepted() -> String {
    let dates = ["0909", "0916", "0923"].map(|day| format!("EXDATE;TZID=Europe/Helsinki:2026{day}T080000\n"));
    calendar(&weekly(&dates.concat()))
}

fn with_overrides() -> String {
    let moved = |day: &str| {
        format!(
            "BEGIN:VEVENT\nUID:weekly\nSUMMARY:Watch weekly\nRECURRENCE-ID;TZID=Europe/Helsinki:2026{day}T080000\n\
             DTSTART;TZID=Europe/Helsinki:2026{day}T110000\nDTEND;TZID=Europe/Helsinki:2026{day}T120000\nEND:VEVENT\n"
        )
    };
    calendar(&(weekly("") + &["0909", "0916", "0923"].map(moved).concat()))
}

/// A destination that takes no changed dates: what replaces a date is passed over.
fn without_overrides(text: &str) -> String {
    let mut parts = text.split("BEGIN:VEVENT");
    let head = parts.next().unwrap().to_owned();
    let kept = parts.filter(|part| !part.contains("RECURRENCE-ID"));
    let whole = kept.fold(head, |whole, part| whole + "BEGIN:VEVENT" + part);
    if whole.contains("END:VCALENDAR") { whole } else { whole + "END:VCALENDAR\r\n" }
}

/// A destination that shows whole days a day early.
fn a_day_early(text: &str) -> String {
    let early = |line: &str| match line.split_once("VALUE=DATE:") {
        Some((name, date)) => {
            let number: u32 = date.trim().parse().unwrap();
            format!("{name}VALUE=DATE:{}", number - 1)
        }
        None => line.to_owned(),
    };
    text.lines().map(|line| early(line) + "\r\n").collect()
}

/// A destination that has an hour for everything that does not say when it ends.
fn an_hour_each(text: &str) -> String {
    let mut out = String::new();
    for part in text.split_inclusive("END:VEVENT") {
        if part.contains("DTSTART") && !part.contains("DTEND") && !part.contains("DURATION") {
            out.push_str(&part.replace("END:VEVENT", "DURATION:PT1H\r\nEND:VEVENT"));
        } else {
            out.push_str(part);
        }
    }
    out
}

/// A destination that takes a date as the end of a rule for the start of that day.
fn ends_before_dates(text: &str) -> String {
    text.replace("UNTIL=20261118\r\n", "UNTIL=20261111T235959Z\r\n")
        .replace("UNTIL=20261118\n", "UNTIL=20261111T235959Z\n")
}

/// A destination that reads times without a zone in its own.
fn read_in_stockholm(text: &str) -> String {
    let read = |line: &str| match line.split_once(':') {
        Some((name @ ("DTSTART" | "DTEND"), time)) if !time.trim().ends_with('Z') => {
            format!("{name};TZID=Europe/Stockholm:{time}")
        }
        _ => line.to_owned(),
    };
    text.lines().map(|line| read(line) + "\r\n").collect()
}

fn accidents() -> Vec<Accident> {
    use Compared::{Advised, Source, SourceWithReceipt};
    let row = |kind, source: String, there, compared| Accident { kind, source, there, compared };
    let stockholm = "zones = \"one\"\nzone = \"Europe/Stockholm\"\nforeign_zone = \"read-as-own\"\n";
    let long = "DESCRIPTION:Muster at the car deck and then at the boats on the other side";
    vec![
        row("offset-shift", four(in_helsinki), There::Limits(stockholm), Source),
        row(
            "zone-swap",
            calendar(&weekly("")),
            There::Limits("zones = \"utc\"\nforeign_zone = \"read-as-own\"\n"),
            Source,
        ),
        row(
            "series-cut",
            calendar(&weekly("")),
            There::Limits("series = \"none\"\nunfit_series = \"first-only\"\n"),
            Source,
        ),
        row("exceptions-lost", excepted(), There::Limits("exceptions = \"ignored\"\n"), Source),
        row("imported-twice", four(in_helsinki), There::PressedTwice("same_uid = \"double\"\n"), Source),
        row("end-day", four(whole_days), There::Limits("all_day_end = \"inclusive\"\n"), Source),
        row(
            "text-cut",
            four(in_helsinki).replace("END:VEVENT", &format!("{long}\nEND:VEVENT")),
            There::Limits("description_characters = 20\n"),
            SourceWithReceipt,
        ),
        row("overrides-lost", with_overrides(), There::Text(without_overrides), Source),
        row("day-shift", four(whole_days), There::Text(a_day_early), Source),
        row(
            "default-length",
            four(|day| format!("DTSTART;TZID=Europe/Helsinki:202609{day:02}T080000")),
            There::Text(an_hour_each),
            Advised,
        ),
        row(
            "last-occurrence",
            calendar(&weekly("").replace("COUNT=12", "UNTIL=20261118")),
            There::Text(ends_before_dates),
            Source,
        ),
        row(
            "floating-read",
            four(|day| format!("DTSTART:202609{day:02}T080000\nDTEND:202609{day:02}T093000")),
            There::Text(read_in_stockholm),
            Advised,
        ),
    ]
}

impl There {
    /// Lets the destination take files in; what it holds is in `held`.
    fn import(self, case: &Case, files: &[&str], held: &str) {
        match self {
            Self::Limits(limits) | Self::PressedTwice(limits) => {
                case.put("there.toml", limits);
                let mut words = vec!["rehearse"];
                words.extend(files);
                words.extend(["--limits", "there.toml", "-o", held, "--overwrite"]);
                let run = case.emvo(&words);
                assert!(run.status < 2, "{run:#?}");
            }
            Self::Text(change) => {
                assert_eq!(files.len(), 1, "one file is taken in");
                case.put(held, change(&case.read(files[0])));
            }
        }
    }

    fn import_by_accident(self, case: &Case, file: &str, held: &str) {
        if let Self::PressedTwice(limits) = self {
            case.put("there.toml", limits);
            case.emvo(&["rehearse", file, "--twice", "--limits", "there.toml", "-o", held]);
        } else {
            self.import(case, &[file], held);
        }
    }
}

/// The command in a sentence, and the file that it writes.
fn typed(case: &Case, todo: &str) -> (Vec<String>, String) {
    let command = &todo[todo.find("emvo ").unwrap_or_else(|| panic!("no command: {todo}"))..];
    let command = command.split(", and ").next().unwrap();
    // A limit that is to be said stands in marks before it.
    if let Some(limit) = todo.split('`').nth(1) {
        case.put("LIMITS", format!("{limit}\n"));
    }
    let words = command.split_whitespace().skip(1);
    let words: Vec<String> = words
        .map(|word| match word {
            "RESULT" => "held.ics".to_owned(),
            "SOURCE" => "source.ics".to_owned(),
            other => other.to_owned(),
        })
        .collect();
    let at = words.iter().position(|word| word == "-o").unwrap_or_else(|| panic!("no output: {todo}"));
    let output = words[at + 1].clone();
    let output = if output.ends_with('/') { format!("{output}source.ics") } else { output };
    (words, output)
}

#[test]
fn what_is_advised_leads_to_a_complete_verdict() {
    for Accident { kind, source, there, compared } in accidents() {
        let case = Case::new().file("source.ics", source);
        there.import_by_accident(&case, "source.ics", "held.ics");
        let before = case.json_ends(1, &["reconcile", "source.ics", "--result", "held.ics", "--json"]);
        let named = &before["causes"][0];
        assert_eq!(named["kind"], kind, "{:#}", before["causes"]);
        let (words, output) = typed(&case, named["todo"].as_str().unwrap());
        let run = case.emvo(&words.iter().map(String::as_str).collect::<Vec<_>>());
        assert!(run.status < 2, "{kind}: {words:?} {run:#?}");
        let files = if kind == "imported-twice" { vec![&*output, "source.ics"] } else { vec![&*output] };
        there.import(&case, &files, "again.ics");
        let source = if compared == Compared::Advised { &*output } else { "source.ics" };
        let mut reconcile = vec!["reconcile", source, "--result", "again.ics", "--json"];
        if compared == Compared::SourceWithReceipt {
            reconcile.extend(["--explained-by", "fitted.json"]);
        }
        let after = case.json(&reconcile);
        assert_eq!(after["verdict"], "complete", "{kind}: {words:?}\n{:#}", after["causes"]);
        assert_eq!(after["balance"]["doubled"], 0, "{kind}: {after:#}");
        assert_eq!(after["balance"]["extra"], 0, "{kind}: {after:#}");
    }
}

#[test]
fn copies_of_a_part_become_one() {
    let case = Case::new().file("source.ics", four(in_helsinki));
    let twice = case.read("source.ics").replace("END:VCALENDAR", "");
    let copies: String = (1..=2)
        .map(|day| event(&format!("e{day}"), &in_helsinki(day)).replace("UID:e", "UID:copy"))
        .collect();
    case.put("held.ics", format!("{twice}{copies}END:VCALENDAR\n"));
    let before = case.json_ends(1, &["reconcile", "source.ics", "--result", "held.ics", "--json"]);
    assert_eq!(before["causes"][0]["kind"], "imported-twice");
    assert_eq!(
        before["causes"][0]["summary"],
        "2 occurrences stand there more than once, all from source.ics"
    );
    let (words, output) = typed(&case, before["causes"][0]["todo"].as_str().unwrap());
    case.ends(0, &words.iter().map(String::as_str).collect::<Vec<_>>());
    case.ends(0, &["reconcile", "source.ics", "--result", &output]);
}

#[test]
fn a_reason_needs_three_cases_or_all() {
    // Two of four whole days end a day late: what differs is said, and not why.
    let case = Case::new().file("source.ics", four(whole_days));
    let longer = case.read("source.ics").replace("DTEND;VALUE=DATE:20260905", "DTEND;VALUE=DATE:20260906");
    case.put("one.ics", longer);
    let told = |result: &str| {
        let json = case.json_ends(1, &["reconcile", "source.ics", "--result", result, "--json"]);
        (json["causes"][0]["summary"].as_str().unwrap().to_owned(), json["causes"][0]["todo"].clone())
    };
    let (summary, todo) = told("one.ics");
    assert_eq!(summary, "1 whole-day occurrence is one day too long, all from source.ics");
    assert!(todo.is_null(), "{todo}");
    case.put("there.toml", "all_day_end = \"inclusive\"\n");
    case.emvo(&["rehearse", "source.ics", "--limits", "there.toml", "-o", "held.ics"]);
    let (summary, _) = told("held.ics");
    assert!(summary.ends_with("the end was read as the last day instead of the day after it"), "{summary}");
}
