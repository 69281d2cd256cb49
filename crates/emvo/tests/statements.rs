//! Whatever calendars say, and whatever is done to them: each statement of the
//! inputs stands in the outputs, in a file beside them, or in the answer, and
//! "Nothing is lost." is said only where all of them are in the outputs.
//!
//! The calendars are made here, line by line, and nothing of Emvo reads them:
//! each statement has a word of its own, such as `q0e2d5q` for the sixth detail
//! of the third event of the first file, and that word is looked for.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

mod harness;

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::path::{Path, PathBuf};

use harness::{Case, Run};
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
            said.push(Said { words, name, titles: titles.clone(), of: kind });
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
    fn text(&self, file: usize, said: &mut Vec<Said>) -> String {
        let mut text = "BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:-//x//x//EN\n".to_owned();
        for own in &self.own_lines {
            let (line, name) = OWN_LINES[*own];
            let word = format!("q{file}c{own}q");
            let _ = writeln!(text, "{}", line.replace("{}", &word));
            said.push(Said { words: vec![word], name, titles: Vec::new(), of: "" });
        }
        for (at, thing) in self.things.iter().enumerate() {
            text += &thing.lines((file, at), self, said);
        }
        (text + "END:VCALENDAR\n").replace('\n', "\r\n")
    }
}

/// What some destinations take.
const LIMITS: [(&str, &str); 3] = [
    ("small.toml", "description_characters = 12\nattendees = false\nreminders = false\n"),
    ("plain.toml", "series = \"plain\"\nzones = \"one\"\nzone = \"Europe/Stockholm\"\nevents_per_file = 2\n"),
    ("single.toml", "series = \"none\"\nattachments = false\n"),
];

/// What is done, and what it takes out as was asked.
struct Job {
    words: &'static str,
    asked: Asked,
}

#[derive(Clone, Copy)]
enum Asked {
    Nothing,
    /// Everything of an event of this title.
    Title(&'static str),
    /// Everything of an event of another title.
    OtherTitles(&'static str),
    /// Lines of these names.
    Lines(&'static [&'static str]),
}

const fn job(words: &'static str) -> Job {
    Job { words, asked: Asked::Nothing }
}

const JOBS: [Job; 43] = [
    job("convert 0.ics 1.ics -o out.ics"),
    job("convert 0.ics 1.ics -o out/"),
    job("convert 0.ics 1.ics -o out.csv"),
    job("convert 0.ics -o out.jsonl"),
    job("convert 0.ics --unroll -o out.ics"),
    job("convert 0.ics --roll -o out.ics"),
    job("convert 0.ics --express-in Europe/Helsinki -o out.csv"),
    job("convert 0.ics --limits small.toml -o out.ics"),
    Job {
        words: "convert 0.ics --leave-out url,reminder -o out.csv",
        asked: Asked::Lines(&["URL", "VALARM"]),
    },
    job("merge 0.ics 1.ics -o out.ics"),
    job("merge 0.ics 1.ics -o out.csv"),
    job("merge 0.ics 1.ics --duplicates keep -o out.ics"),
    job("merge 0.ics 1.ics --name All --color teal -o out.ics"),
    job("merge 0.ics 1.ics --private --busy --uids fresh --add-category Skarvik -o out.ics"),
    job("merge 0.ics 1.ics --review pairs.csv -o out.ics"),
    job("merge 0.ics --into 1.ics -o out.ics"),
    job("merge 0.ics --into 1.ics --clash incoming -o out.ics"),
    job("merge 0.ics --into 1.ics --clash newest -o out.ics"),
    job("merge 0.ics --into 1.ics --clash both -o out.ics"),
    job("merge 0.ics 1.ics --limits small.toml -o out.ics"),
    Job {
        words: "merge 0.ics 1.ics --invitations drop --attachments drop --reminders drop -o out.ics",
        asked: Asked::Lines(&["ATTENDEE", "ORGANIZER", "ATTACH", "VALARM"]),
    },
    job("repair 0.ics 1.ics -o out/"),
    job("repair 0.ics --consent all -o out.ics"),
    job("repair 0.ics --zone Europe/Helsinki --consent all -o out.csv"),
    job("amend 0.ics --set location=Berth --set description=New -o out.ics"),
    job("amend 0.ics --replace description:About=Of --add-category Crew --remove-category Crew -o out.ics"),
    job("retime 0.ics --shift 1h -o out.ics"),
    job("retime 0.ics --express-in Europe/Helsinki -o out.ics"),
    job("retime 0.ics --to-dates -o out.ics"),
    job("retime 0.ics --read-as Europe/Stockholm -o out.csv"),
    Job { words: "drop 0.ics --title Crossing -o out.ics", asked: Asked::Title("Crossing") },
    Job { words: "drop 0.ics --title 1 -o out.ics", asked: Asked::Title("Crossing 1") },
    Job { words: "pick 0.ics --title 1 -o out.ics", asked: Asked::OtherTitles("Crossing 1") },
    // A calendar of which nothing is picked has no part.
    Job {
        words: "pick 0.ics 1.ics --split-by month -o out/",
        asked: Asked::Lines(&["X-WR-CALNAME", "X-WR-CALDESC", "X-HOUSE", "IMAGE"]),
    },
    Job { words: "pick 0.ics --attachments drop -o out.ics", asked: Asked::Lines(&["ATTACH"]) },
    job("pick 0.ics --uids fresh -o out.ics"),
    job("convert 0.ics --limits plain.toml -o out.ics"),
    job("convert 0.ics --limits single.toml -o out/"),
    job("merge 0.ics 1.ics --limits single.toml -o out.csv"),
    job("amend 0.ics --set location= --from 2026-01-10 --until 2026-01-20 -o out.ics"),
    job("repair 0.ics --consent all --from 2026-01-10 --until 2026-01-20 -o out.ics"),
    job("retime 0.ics --pin Europe/Helsinki --from 2026-01-10 --until 2026-01-20 -o out.ics"),
    Job {
        words: "drop 0.ics --title 1 --on 2026-01-12 --reach onward -o out.ics",
        asked: Asked::Title("Crossing 1"),
    },
];

impl Said {
    fn is_in(&self, text: &str) -> bool {
        self.words.iter().any(|word| text.contains(word))
    }
}

impl Asked {
    fn covers(self, said: &Said) -> bool {
        match self {
            Self::Nothing => false,
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
    let mut said = [Vec::new(), Vec::new()];
    let case = Case::new();
    for (name, limits) in LIMITS {
        case.put(name, limits);
    }
    for (file, desk) in desks.iter().enumerate() {
        case.put(&format!("{file}.ics"), desk.text(file, &mut said[file]));
    }
    let mut words: Vec<&str> = job.words.split(' ').collect();
    let given = said.into_iter().enumerate().filter(|(file, _)| job.words.contains(&format!("{file}.ics")));
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
    let (mut outputs, mut beside) = (String::new(), String::new());
    texts_below(&case.path(""), &inputs, &mut outputs, &mut beside);
    let answer = format!("{}{}", run.stdout, run.stderr);
    let mut places = unplaced(&run);
    for one in said.iter().filter(|one| !job.asked.covers(one) && !one.is_in(&outputs)) {
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
        let is_whole = answer.contains("Nothing is lost.");
        prop_assert!(is_told_as_change || !is_whole, "{one:?} is in no output\n{run:#?}\n{outputs}");
    }
    Ok(())
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
