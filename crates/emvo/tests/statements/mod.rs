//! Whatever calendars say, and whatever is done to them: each statement of the
//! inputs stands in the outputs, in a file beside them, or in the answer, and
//! "Nothing is lost." is said only where all of them are in the outputs.
//!
//! The calendars are made here, line by line, and nothing of Emvo reads them:
//! each statement has a word of its own, such as `q0e2d5q` for the sixth detail
//! of the third event of the first file, and that word is looked for.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

mod jobs;

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::path::{Path, PathBuf};

use crate::harness::{Case, Run};
use jobs::{Asked, JOBS, Job, LIMITS, PLAN};
use proptest::prelude::*;

/// Lines that an event may have, each with room for a word, and the name under
/// which a table says that it has no place for it.
const DETAILS: [(&str, &str); 18] = [
    ("LOCATION:Quay {}", "LOCATION"),
    ("DESCRIPTION:About {}", "DESCRIPTION"),
    ("DESCRIPTION;LANGUAGE=sv:Om {}", "DESCRIPTION"),
    ("CATEGORIES:{},Crew", "CATEGORIES"),
    ("ATTENDEE;CN=Elsa:mailto:{}@example.org", "ATTENDEE"),
    ("ORGANIZER:mailto:{}@example.org", "ORGANIZER"),
    ("URL:https://example.org/{}", "URL"),
    ("X-DECK:{}", "X-DECK"),
    ("X-DECK;SIDE=port:{}", "X-DECK"),
    ("COMMENT:{}", "COMMENT"),
    ("COMMENT:As of {}", "COMMENT"),
    ("ATTACH:https://example.org/{}", "ATTACH"),
    ("CONTACT:{}", "CONTACT"),
    ("RESOURCES:{}", "RESOURCES"),
    ("CONFERENCE;VALUE=URI:https://example.org/{}", "CONFERENCE"),
    ("BEGIN:VALARM\nACTION:EMAIL\nTRIGGER:-PT15M\nSUMMARY:{}\nEND:VALARM", "VALARM"),
    ("BEGIN:VALARM\nACTION:DISPLAY\nTRIGGER;RELATED=END:PT5M\nDESCRIPTION:{}\nEND:VALARM", "VALARM"),
    ("BEGIN:VLOCATION\nUID:terminal\nNAME:{}\nEND:VLOCATION", "VLOCATION"),
];

/// Lines that a calendar may have.
const OWN_LINES: [(&str, &str); 4] = [
    ("X-WR-CALNAME:Desk {}", "X-WR-CALNAME"),
    ("X-WR-CALDESC:Desk of {}", "X-WR-CALDESC"),
    ("X-HOUSE:{}", "X-HOUSE"),
    ("IMAGE;VALUE=URI:https://example.org/{}", "IMAGE"),
];

#[derive(Clone, Copy, Debug)]
enum What {
    Single,
    AllDay,
    Series,
    /// A changed date, of the series of its id if there is one.
    Override,
    /// Something that cannot be read as an event.
    Broken,
    Task,
    Journal,
}

/// Something in a calendar.
#[derive(Clone, Debug)]
struct Thing {
    what: What,
    title: u8,
    day: u8,
    uid: u8,
    sequence: u8,
    /// Which of the details it has.
    details: Vec<usize>,
    line: &'static str,
}

#[derive(Clone, Debug)]
struct Desk {
    own_lines: Vec<usize>,
    things: Vec<Thing>,
}

fn thing() -> impl Strategy<Value = Thing> {
    use What::{AllDay, Broken, Journal, Override, Series, Single, Task};
    let what = prop::sample::select(vec![
        Single, Single, Single, AllDay, Series, Series, Override, Broken, Task, Journal,
    ]);
    let details = prop::sample::subsequence((0..DETAILS.len()).collect::<Vec<_>>(), 0..5);
    let line = prop::sample::select(vec![
        "",
        "",
        "",
        "CLASS:PRIVATE\n",
        "TRANSP:TRANSPARENT\n",
        "STATUS:TENTATIVE\n",
    ]);
    (what, 0..3_u8, 0..3_u8, 0..4_u8, 0..3_u8, details, line).prop_map(
        |(what, title, day, uid, sequence, details, line)| Thing {
            what,
            title,
            day,
            uid,
            sequence,
            details,
            line,
        },
    )
}

fn desk() -> impl Strategy<Value = Desk> {
    let own_lines = prop::sample::subsequence((0..OWN_LINES.len()).collect::<Vec<_>>(), 0..3);
    let things = prop::collection::vec(thing(), 0..5);
    (own_lines, things).prop_map(|(own_lines, things)| Desk { own_lines, things })
}

/// One thing that is said.
#[derive(Debug)]
struct Said {
    /// What stands for it; one of these is enough, since a table writes dates in its
    /// own way.
    words: Vec<String>,
    /// As a table calls what it has no place for.
    name: &'static str,
    /// The title of the component that says it, then those of others under its id,
    /// which may be dates of its series; none for a calendar.
    titles: Vec<String>,
    /// The kind of that component; empty for a calendar.
    of: &'static str,
    /// The number of its file.
    file: usize,
    /// The id of that component, if it has one.
    uid: Option<u8>,
}

impl Thing {
    fn title(&self) -> String {
        format!("Crossing {}", self.title)
    }

    /// Its lines, with the words of the place where it stands.
    fn lines(&self, (file, at): (usize, usize), of: &Desk, said: &mut Vec<Said>) -> String {
        let (day, time) = (5 + self.day, format!("T08{}000Z", self.title));
        let further = format!("0{}{}", 4 + file, 10 + at);
        let (kind, when) = match self.what {
            What::Single => ("VEVENT", format!("DTSTART:2026010{day}{time}\nDURATION:PT1H\n")),
            What::AllDay => ("VEVENT", format!("DTSTART;VALUE=DATE:2026010{day}\n")),
            What::Series => {
                let dates = format!("EXDATE:202601{}{time}\nRDATE:2026{further}{time}\n", day + 14);
                let rule = "RRULE:FREQ=WEEKLY;COUNT=6";
                ("VEVENT", format!("DTSTART:2026010{day}{time}\nDURATION:PT1H\n{rule}\n{dates}"))
            }
            What::Override => {
                let next = 12 + self.day;
                (
                    "VEVENT",
                    format!(
                        "RECURRENCE-ID:202601{next}{time}\nDTSTART:202601{next}T120000Z\nDURATION:PT1H\n"
                    ),
                )
            }
            What::Broken => ("VEVENT", "DTSTART:soon\n".to_owned()),
            What::Task => ("VTODO", format!("DUE:2026010{day}{time}\n")),
            What::Journal => ("VJOURNAL", format!("DTSTART:2026010{day}{time}\n")),
        };
        let (uid, sequence, title) = (self.uid, self.sequence, self.title());
        let mut lines = format!(
            "BEGIN:{kind}\nUID:{uid}@example.org\nDTSTAMP:20260101T00000{sequence}Z\nSEQUENCE:{sequence}\nSUMMARY:{title}\n{when}{}",
            self.line
        );
        let others = of.things.iter().filter(|other| other.uid == self.uid).map(Thing::title);
        let titles: Vec<String> = std::iter::once(title.clone()).chain(others).collect();
        let mut say = |words: Vec<String>, name: &'static str| {
            said.push(Said { words, name, titles: titles.clone(), of: kind, file, uid: Some(uid) });
        };
        if matches!(self.what, What::Single | What::AllDay | What::Series) {
            say(vec![format!("2026010{day}"), format!("2026-01-0{day}")], "DTSTART");
        }
        if matches!(self.what, What::Series) {
            let date = format!("2026-0{}-{}", 4 + file, 10 + at);
            say(vec![format!("2026{further}"), date], "RDATE");
        }
        for detail in &self.details {
            let (line, name) = DETAILS[*detail];
            let word = format!("q{file}e{at}d{detail}q");
            let _ = writeln!(lines, "{}", line.replace("{}", &word));
            say(vec![word], name);
        }
        lines + &format!("END:{kind}\n")
    }
}

impl Desk {
    /// Its single events as a table, with the words of the third file.
    fn table(&self, said: &mut Vec<Said>) -> String {
        let mut rows = "title,start,end,location,description,category,url,deck\n".to_owned();
        let singles = self.things.iter().enumerate().filter(|(_, thing)| matches!(thing.what, What::Single));
        for (at, thing) in singles {
            let (day, hour) = (5 + thing.day, 8 + thing.title);
            let _ = write!(
                rows,
                "{},2026-01-0{day} {hour:02}:00,2026-01-0{day} {:02}:00",
                thing.title(),
                hour + 1
            );
            for (detail, name) in
                [(0, "LOCATION"), (1, "DESCRIPTION"), (3, "CATEGORIES"), (6, "URL"), (7, "deck")]
            {
                let word = format!("q2e{at}d{detail}q");
                if thing.details.contains(&detail) {
                    let scheme = if name == "URL" { "https://example.org/" } else { "" };
                    let _ = write!(rows, ",{scheme}{word}");
                    said.push(Said {
                        words: vec![word],
                        name,
                        titles: vec![thing.title()],
                        of: "VEVENT",
                        file: 2,
                        uid: None,
                    });
                } else {
                    rows.push(',');
                }
            }
            rows.push('\n');
        }
        rows
    }

    fn text(&self, file: usize, said: &mut Vec<Said>) -> String {
        let mut text = "BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:-//x//x//EN\n".to_owned();
        for own in &self.own_lines {
            let (line, name) = OWN_LINES[*own];
            let word = format!("q{file}c{own}q");
            let _ = writeln!(text, "{}", line.replace("{}", &word));
            said.push(Said { words: vec![word], name, titles: Vec::new(), of: "", file, uid: None });
        }
        for (at, thing) in self.things.iter().enumerate() {
            text += &thing.lines((file, at), self, said);
        }
        (text + "END:VCALENDAR\n").replace('\n', "\r\n")
    }
}

impl Said {
    fn is_in(&self, text: &str) -> bool {
        self.words.iter().any(|word| text.contains(word))
    }
}

impl Asked {
    fn covers(self, said: &Said, first: &Desk) -> bool {
        match self {
            Self::Nothing => false,
            Self::First => {
                let title = said.titles.first();
                let is_of = |thing: &Thing| Some(thing.uid) == said.uid || Some(&thing.title()) == title;
                said.file == 0 || first.things.iter().any(is_of)
            }
            Self::Title(part) => said.titles.iter().any(|title| title.contains(part)),
            Self::OtherTitles(part) => said.titles.first().is_some_and(|title| !title.contains(part)),
            Self::Lines(names) => names.contains(&said.name),
        }
    }
}

/// The text of all files below a folder that are no inputs, as two texts: the
/// outputs, and the files beside them.
fn texts_below(folder: &Path, inputs: &[PathBuf], outputs: &mut String, beside: &mut String) {
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let name = path.file_name().unwrap().to_str().unwrap().to_owned();
        if path.is_dir() {
            texts_below(&path, inputs, outputs, beside);
        } else if !inputs.contains(&path) {
            let text = std::fs::read_to_string(&path).unwrap().replace("\r\n ", "");
            let is_beside = name.contains(".set-aside.") || name.contains(".left-behind.");
            (if is_beside || name == "receipt.json" { &mut *beside } else { &mut *outputs }).push_str(&text);
        }
    }
}

/// How often something has no place, by name, as the answer says.
fn unplaced(run: &Run) -> BTreeMap<&str, usize> {
    let Some((_, list)) = run.stderr.split_once("has no place for ") else { return BTreeMap::new() };
    let list = list.split(';').next().unwrap();
    let mut counts = BTreeMap::new();
    for part in list.split(", ") {
        let (count, name) = part.trim().split_once(' ').unwrap();
        // As in "texts of VALARM".
        *counts.entry(name.rsplit(' ').next().unwrap()).or_insert(0) += count.parse::<usize>().unwrap();
    }
    counts
}

fn holds(desks: &[Desk; 2], job: &Job) -> Result<(), TestCaseError> {
    let mut said = [Vec::new(), Vec::new(), Vec::new()];
    let case = Case::new();
    for (name, limits) in LIMITS {
        case.put(name, limits);
    }
    for (file, desk) in desks.iter().enumerate() {
        case.put(&format!("{file}.ics"), desk.text(file, &mut said[file]));
    }
    case.put("2.csv", desks[0].table(&mut said[2]));
    case.put("plan.toml", PLAN);
    let mut words: Vec<&str> = job.words.split(' ').collect();
    let given = said.into_iter().enumerate().filter(|(file, _)| {
        let is_named = |ending: &str| job.words.contains(&format!("{file}.{ending}"));
        is_named("ics") || is_named("csv") || (job.words.contains("plan.toml") && *file < 2)
    });
    let said: Vec<Said> = given.flat_map(|(_, said)| said).collect();
    words.extend(["-v", "--no-ledger", "--receipt", "receipt.json"]);
    let inputs: Vec<PathBuf> = case.names().iter().map(|name| case.path(name)).collect();
    let run = case.emvo(&words);
    prop_assert!(run.status < 2, "{run:#?}");
    if run.stdout.contains("nothing written") {
        // What stays in the inputs is not lost.
        prop_assert_eq!(case.names().len(), inputs.len(), "{:#?}", run);
        return Ok(());
    }
    let written: Vec<PathBuf> =
        [case.path("out.ics"), case.path("out")].into_iter().filter(|path| path.exists()).collect();
    if !written.is_empty() {
        let new = &errors_of_form(&case, &written) - &errors_of_form(&case, &inputs);
        prop_assert!(new.is_empty(), "{words:?} made faults that were not there: {new:?}");
    }
    let (mut outputs, mut beside) = (String::new(), String::new());
    texts_below(&case.path(""), &inputs, &mut outputs, &mut beside);
    let answer = format!("{}{}", run.stdout, run.stderr);
    let mut places = unplaced(&run);
    for one in said.iter().filter(|one| !job.asked.covers(one, &desks[0]) && !one.is_in(&outputs)) {
        let is_changed = one.is_in(&answer) || one.is_in(&beside);
        // A task that has no place is told as one, with all that it says.
        let is_in_unplaced = one.of != "VEVENT" && places.contains_key(one.of);
        if !is_changed && !is_in_unplaced {
            let left = places.get_mut(one.name).filter(|left| **left > 0);
            prop_assert!(left.is_some(), "{one:?} is nowhere\n{run:#?}\n{outputs}");
            *left.unwrap() -= 1;
        }
        let is_told_as_change = answer.lines().any(|line| {
            one.is_in(line) && (line.contains(" → ") || line.contains("a newer version of the event"))
        });
        prop_assert!(!answer.contains("a fault in Emvo"), "{run:#?}\n{outputs}");
        let is_whole = answer.contains("Nothing is lost.");
        prop_assert!(is_told_as_change || !is_whole, "{one:?} is in no output\n{run:#?}\n{outputs}");
    }
    Ok(())
}

/// The rules of zones, recurrence, dates and text that find an error in some files.
fn errors_of_form(case: &Case, files: &[PathBuf]) -> BTreeSet<String> {
    let is_read = |path: &&PathBuf| path.extension().is_none_or(|kind| kind != "toml");
    let paths: Vec<String> = files.iter().filter(is_read).map(|path| path.display().to_string()).collect();
    let mut words = vec!["check", "--level", "error", "--json"];
    words.extend(paths.iter().map(String::as_str));
    let run = case.emvo(&words);
    let answer: serde_json::Value = serde_json::from_str(&run.stdout).unwrap_or_default();
    let rules = answer["findings"].as_array().into_iter().flatten().filter_map(|one| one["rule"].as_str());
    rules.filter(|rule| rule.starts_with(['Z', 'R', 'D', 'T'])).map(str::to_owned).collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: cases(), failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn each_statement_is_somewhere(first in desk(), second in desk(), number in 0..JOBS.len()) {
        holds(&[first, second], &JOBS[number])?;
    }
}

/// Each case is a run of the program: the usual number of cases would take long.
fn cases() -> u32 {
    std::env::var("PROPTEST_CASES").ok().and_then(|cases| cases.parse().ok()).unwrap_or(200)
}
