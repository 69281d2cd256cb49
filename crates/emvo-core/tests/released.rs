//! Any calendar, imported by a destination in any of its forms and exported again, is
//! released; with any one thing lost on the way it never is, and what was lost is
//! named.
//!
//! Calendars and losses are made here as lines of text, and nothing of Emvo says what
//! has to be found. `PROPTEST_CASES=20000` tries more.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own calendars has failed")]

use emvo_core::fit::{ImportCount, ImportFile, Limits, rehearse};
use emvo_core::reconcile::{Explanations, ProofOptions, Reconciliation, Verdict, reconcile};
use emvo_core::view::CalendarView;
use emvo_ical::calendar::fields::Field;
use emvo_ical::calendar::{Calendar, read, write};
use emvo_ical::content::parse;
use emvo_ical::zone::{ZoneChoices, ZoneResolver};
use jiff::civil::date;
use proptest::prelude::*;

/// Lines that an event may have, each with room for a word; none of them is what an
/// event means without it.
const DETAILS: [&str; 24] = [
    "LOCATION:Quay {}",
    "DESCRIPTION:About {}",
    "CATEGORIES:{},Crew",
    "ATTENDEE;CN=Elsa;PARTSTAT=ACCEPTED:mailto:{}@example.org",
    "ORGANIZER:mailto:{}@example.org",
    "URL:https://example.org/{}",
    "X-DECK:{}",
    "COMMENT:{}",
    "ATTACH:https://example.org/{}",
    "CONTACT:{}",
    "RESOURCES:{}",
    "CONFERENCE;VALUE=URI:https://example.org/{}",
    "IMAGE;VALUE=URI:https://example.org/{}.png",
    "RELATED-TO:{}",
    "PRIORITY:3",
    "GEO:60.1;24.9",
    "COLOR:teal",
    "STATUS:TENTATIVE",
    "TRANSP:TRANSPARENT",
    "CLASS:PRIVATE",
    "X-ALT-DESC;FMTTYPE=text/html:<b>{}</b>",
    "BEGIN:VALARM\nACTION:EMAIL\nTRIGGER:-PT15M\nSUMMARY:{}\nEND:VALARM",
    "BEGIN:VALARM\nACTION:DISPLAY\nTRIGGER;RELATED=END:PT5M\nDESCRIPTION:x\nEND:VALARM",
    "BEGIN:VLOCATION\nUID:terminal\nNAME:{}\nEND:VLOCATION",
];

#[derive(Clone, Copy, Debug)]
enum What {
    Single,
    Days,
    Series,
    Excepted,
    Changed,
    Endless,
    Task,
    Journal,
}

#[derive(Clone, Debug)]
struct Thing {
    what: What,
    day: u32,
    details: Vec<usize>,
}

/// How the destination gives back what it holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Form {
    AsGiven,
    NewIds,
    Utc,
    Singles,
    Reordered,
    Refolded,
}

fn things() -> impl Strategy<Value = Vec<Thing>> {
    let what = prop_oneof![
        3 => Just(What::Single),
        1 => Just(What::Days),
        1 => Just(What::Series),
        1 => Just(What::Excepted),
        1 => Just(What::Changed),
        1 => Just(What::Endless),
        1 => Just(What::Task),
        1 => Just(What::Journal),
    ];
    let details = prop::collection::btree_set(0..DETAILS.len(), 0..4);
    let thing = (what, 1..28_u32, details).prop_map(|(what, day, details)| Thing {
        what,
        day,
        details: details.into_iter().collect(),
    });
    prop::collection::vec(thing, 1..7)
}

fn forms() -> impl Strategy<Value = Form> {
    use Form::{AsGiven, NewIds, Refolded, Reordered, Singles, Utc};
    prop::sample::select(vec![AsGiven, NewIds, Utc, Singles, Reordered, Refolded])
}

impl Thing {
    fn text(&self, number: usize, form: Form) -> String {
        let day = self.day;
        let is_meant = |at: &&usize| self.is_event() || !DETAILS[**at].starts_with("TRANSP");
        let line = |at: &usize| DETAILS[*at].replace("{}", &format!("w{number}x{at}")) + "\n";
        let details: String = self.details.iter().filter(is_meant).map(line).collect();
        let timed = |hour: u32| {
            format!(
                "DTSTART;TZID=Europe/Helsinki:202609{day:02}T{hour:02}0000\n\
                 DTEND;TZID=Europe/Helsinki:202609{day:02}T{:02}3000\n",
                hour + 1
            )
        };
        let head = format!("UID:u{number}\nSUMMARY:Watch {number}\n");
        let event = |lines: String| format!("BEGIN:VEVENT\n{head}{lines}{details}END:VEVENT\n");
        match self.what {
            What::Single => event(timed(8)),
            What::Days => {
                let first = date(2026, 9, i8::try_from(day).unwrap());
                let after = first.checked_add(jiff::Span::new().days(3)).unwrap();
                let of = |day: jiff::civil::Date| day.to_string().replace('-', "");
                event(format!("DTSTART;VALUE=DATE:{}\nDTEND;VALUE=DATE:{}\n", of(first), of(after)))
            }
            // What goes on for ever stands as single dates up to some day, and then it may not go.
            What::Endless if form != Form::Singles && form != Form::Utc => {
                event(timed(8) + "RRULE:FREQ=WEEKLY\n")
            }
            What::Series | What::Endless => event(timed(8) + "RRULE:FREQ=WEEKLY;COUNT=6\n"),
            What::Excepted => {
                let slot = week_after(day);
                event(
                    timed(8)
                        + &format!("RRULE:FREQ=WEEKLY;COUNT=6\nEXDATE;TZID=Europe/Helsinki:{slot}T080000\n"),
                )
            }
            What::Changed => {
                let slot = week_after(day);
                let moved = format!(
                    "RECURRENCE-ID;TZID=Europe/Helsinki:{slot}T080000\nDTSTART;TZID=Europe/Helsinki:{slot}T110000\n\
                     DTEND;TZID=Europe/Helsinki:{slot}T120000\n"
                );
                event(timed(8) + "RRULE:FREQ=WEEKLY;COUNT=6\n") + &event(moved)
            }
            What::Task => format!("BEGIN:VTODO\n{head}DUE;VALUE=DATE:202609{day:02}\n{details}END:VTODO\n"),
            What::Journal => {
                format!("BEGIN:VJOURNAL\n{head}DTSTART;VALUE=DATE:202609{day:02}\n{details}END:VJOURNAL\n")
            }
        }
    }

    fn is_event(&self) -> bool {
        !matches!(self.what, What::Task | What::Journal)
    }
}

fn week_after(day: u32) -> String {
    let day = date(2026, 9, i8::try_from(day).unwrap()).checked_add(jiff::Span::new().days(7)).unwrap();
    day.to_string().replace('-', "")
}

struct Read {
    calendar: Calendar<'static>,
    zones: ZoneResolver,
}

impl Read {
    fn of(text: &str) -> Self {
        let calendar = read(parse(text).roots.remove(0).into_owned(), "t");
        let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
        Self { calendar, zones }
    }

    fn view(&self) -> CalendarView<'_, 'static> {
        CalendarView { calendar: &self.calendar, zones: &self.zones, path: "t" }
    }
}

/// What the destination exports after it took a calendar in, unfolded, line by line.
fn exported(source: &Read, bytes: usize, form: Form) -> Vec<String> {
    let limits = match form {
        Form::Utc => "zones = \"utc\"",
        Form::Singles => "series = \"none\"",
        Form::AsGiven | Form::NewIds | Form::Reordered | Form::Refolded => "",
    };
    let limits = Limits::parse(limits).unwrap();
    let file = ImportFile { bytes, calendars: vec![(&source.calendar, &source.zones)] };
    let held = rehearse(&[file], &limits, date(2028, 12, 31), ImportCount::Once);
    assert_eq!(held.refused, [], "{form:?}");
    let mut bytes = Vec::new();
    write(&held.calendar, &mut bytes);
    let text = String::from_utf8(bytes).unwrap().replace("\r\n ", "").replace("\r\n", "\n");
    text.lines().map(str::to_owned).collect()
}

/// The components of an export that are no definitions of zones, each with its lines,
/// and the lines around them.
fn parts(lines: &[String]) -> (Vec<String>, Vec<Vec<String>>) {
    let (mut around, mut parts, mut depth) = (Vec::new(), Vec::<Vec<String>>::new(), 0);
    for line in lines {
        let is_own = |line: &str| !line.contains("VCALENDAR");
        if line.starts_with("BEGIN:") && is_own(line) {
            if depth == 0 {
                parts.push(Vec::new());
            }
            depth += 1;
        }
        if depth == 0 {
            around.push(line.clone());
        } else {
            parts.last_mut().unwrap().push(line.clone());
        }
        if line.starts_with("END:") && is_own(line) {
            depth -= 1;
        }
    }
    (around, parts)
}

/// The export in its form, as a file.
fn in_form(around: &[String], mut parts: Vec<Vec<String>>, form: Form) -> String {
    if form == Form::Reordered {
        parts.reverse();
    }
    let mut lines: Vec<String> = around[..around.len() - 1].to_vec();
    lines.extend(parts.into_iter().flatten());
    lines.push("END:VCALENDAR".to_owned());
    let shown = |line: String| match form {
        Form::NewIds => line.replacen("UID:u", "UID:there-", usize::from(line.starts_with("UID:u"))),
        Form::Refolded if line.is_ascii() => {
            let mut out = String::new();
            for (at, char) in line.chars().enumerate() {
                if at > 0 && at % 20 == 0 {
                    out.push_str("\r\n ");
                }
                out.push(char);
            }
            out
        }
        _ => line,
    };
    lines.into_iter().map(|line| shown(line) + "\r\n").collect()
}

/// Something that can be lost of a component, by its lines, and what it is.
#[derive(Debug)]
struct Losable {
    part: usize,
    from: usize,
    until: usize,
    name: String,
}

fn losable(parts: &[Vec<String>]) -> Vec<Losable> {
    let mut all = Vec::new();
    for (part, lines) in parts.iter().enumerate().filter(|(_, lines)| lines[0] != "BEGIN:VTIMEZONE") {
        all.push(Losable { part, from: 0, until: lines.len(), name: lines[0]["BEGIN:".len()..].to_owned() });
        let mut at = 1;
        while at + 1 < lines.len() {
            let name = lines[at].split([':', ';']).next().unwrap().to_owned();
            let mut until = at + 1;
            if name == "BEGIN" {
                let end = lines[at].replace("BEGIN:", "END:");
                until += lines[at..].iter().position(|line| *line == end).unwrap();
                all.push(Losable { part, from: at, until, name: lines[at]["BEGIN:".len()..].to_owned() });
            } else if is_nothing_of_the_source(&name, lines, at) {
                at = until;
                continue;
            } else if !["UID", "DTSTAMP", "SEQUENCE", "DTSTART", "RECURRENCE-ID"].contains(&&*name) {
                all.push(Losable { part, from: at, until, name });
            }
            at = until;
        }
    }
    all
}

/// What Emvo adds when it takes a series apart, and the rule of a part with one date.
fn is_nothing_of_the_source(name: &str, lines: &[String], at: usize) -> bool {
    let start =
        lines.iter().find(|line| line.starts_with("DTSTART")).map(|line| line.rsplit(':').next().unwrap());
    let has_one_date = || {
        let until = lines[at].split("UNTIL=").nth(1).and_then(|until| until.get(..8));
        lines[at].ends_with("COUNT=1")
            || until.zip(start).is_some_and(|(until, start)| start.starts_with(until))
    };
    name.starts_with("X-EMVO-") || (name == "RRULE" && has_one_date())
}

fn proof(source: &Read, result: &Read) -> Option<Reconciliation> {
    let options = ProofOptions::default();
    reconcile(&[source.view()], &[result.view()], &options, &Explanations::default())
}

/// Whether a proof names what was lost.
fn names(found: &Reconciliation, lost: &str) -> bool {
    let field: &str = match Field::of_property(lost) {
        Some(field) => field.name(),
        None => lost,
    };
    let is_named = || {
        found.details.iter().any(|one| one.field == field)
            || found
                .differences
                .iter()
                .any(|one| one.fields.iter().any(|name| name.eq_ignore_ascii_case(field)))
            || found.components.iter().any(|one| one.fields.iter().any(|name| name == field || name == lost))
    };
    match lost {
        "VEVENT" | "DTEND" | "DURATION" | "RRULE" | "EXDATE" | "RDATE" => {
            found.verdict == Verdict::Incomplete
        }
        "VTODO" | "VJOURNAL" => found.components.iter().any(|one| one.is_missing() && one.name == lost),
        // Of two dates at one time that lose their ids and a title nobody can tell which is which.
        "SUMMARY" => is_named() || found.verdict == Verdict::Incomplete,
        _ => is_named(),
    }
}

proptest! {
    #[test]
    fn one_thing_lost_is_never_released(things in things(), form in forms(), lost in any::<prop::sample::Index>()) {
        let body: String = things.iter().enumerate().map(|(at, thing)| thing.text(at, form)).collect();
        let text = format!("BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:-//x//x//EN\nX-WR-CALDESC:Deck\n{body}END:VCALENDAR\n");
        let source = Read::of(&text);
        let (around, parts) = parts(&exported(&source, text.len(), form));
        let whole = Read::of(&in_form(&around, parts.clone(), form));
        let Some(found) = proof(&source, &whole) else { return Ok(()) };
        prop_assert!(found.release.may_go(), "{form:?}\n{text}\n{:#?}", found.release.because);
        prop_assert_eq!(found.verdict, Verdict::Complete);

        let all = losable(&parts);
        let lost = &all[lost.index(all.len())];
        let mut less = parts.clone();
        less[lost.part].drain(lost.from..lost.until);
        let result = Read::of(&in_form(&around, less, form));
        let found = proof(&source, &result).unwrap();
        prop_assert!(!found.release.may_go(), "{form:?} {lost:?}\n{text}");
        prop_assert!(names(&found, &lost.name), "{form:?} {lost:?}\n{text}\n{:#?}", found.release.because);
    }
}
