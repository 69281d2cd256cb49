//! The probe as text, and what is imported after it.

use std::fmt::Write as _;

use emvo_ical::content::{Property, push_component};
use emvo_ical::day::{civil, clock_seconds, day_number, weekday};
use emvo_ical::zone::{Transitions, definition_of};
use jiff::civil::Date;

use super::questions::{Ask, Question, questions};

/// The zones that the probe defines: the name in the file, and whose clock it is.
const DEFINED: [(&str, &str); 5] = [
    ("Europe/Helsinki", "Europe/Helsinki"),
    ("Europe/Stockholm", "Europe/Stockholm"),
    ("America/New_York", "America/New_York"),
    ("Asia/Tokyo", "Asia/Tokyo"),
    ("FLE Standard Time", "Europe/Helsinki"),
];
/// A clock that no place on earth has, in seconds east of UTC.
const HARBOUR_CLOCK: i32 = 2 * 3600 + 50 * 60;

/// The probe for a year, as a calendar file: invented events, each of which asks a question.
pub fn probe_text(year: i16) -> String {
    let mut out = head(year);
    out.push_str(&definitions(year));
    for question in questions() {
        push_event(&mut out, question, year);
    }
    let task = format!("UID:emvo-probe-{year}-task\nDTSTAMP:{}\nSUMMARY:{}\n", stamp(year), task_title(year));
    push_lines(&mut out, &format!("BEGIN:VTODO\n{task}END:VTODO\nEND:VCALENDAR\n"));
    out
}

/// What is imported after the probe, to learn what becomes of events that are there already:
/// one of the same revision and one of a later, each at another hour than it was first.
pub fn second_text(year: i16) -> String {
    let mut out = head(year);
    let (first, stamp, title) = (date_of(year, Ask::Utc, 0), stamp(year), second_title(year));
    let marker = format!("UID:emvo-probe-{year}-second\nDTSTAMP:{stamp}\nSUMMARY:{title}\n");
    push_lines(&mut out, &format!("BEGIN:VEVENT\n{marker}{}END:VEVENT\n", at_five(&first)));
    for (ask, revision) in [(KNOWN, ""), (REVISED, "SEQUENCE:3\n")] {
        let lines = first_lines(ask, ask, year, "imported a second time");
        let times = at_five(&date_of(year, ask, 0));
        push_lines(&mut out, &format!("BEGIN:VEVENT\n{lines}{times}{revision}END:VEVENT\n"));
    }
    push_lines(&mut out, "END:VCALENDAR\n");
    out
}

/// Which event is imported again as another one of the same revision.
pub(super) const KNOWN: Ask = Ask::Floating;
/// Which event is imported again under a later revision.
pub(super) const REVISED: Ask = Ask::ByLength;
/// The hour at which the events of the second file start: none of the first does.
pub(super) const SECOND_HOUR: i8 = 17;

fn at_five(day: &str) -> String {
    format!("DTSTART:{day}T170000\nDTEND:{day}T180000\n")
}

/// The title of the event that only the second file has.
pub(super) fn second_title(year: i16) -> String {
    format!("Emvo {year}/second import")
}

/// The title of the task.
pub(super) fn task_title(year: i16) -> String {
    format!("Emvo {year}/task")
}

/// The title of an event, in front of its words.
pub(super) fn code(year: i16, ask: Ask) -> String {
    format!("Emvo {year}/{:02}", ask.number())
}

/// The id of an event.
pub(super) fn id(year: i16, ask: Ask) -> String {
    format!("emvo-probe-{year}-{:02}", ask.number())
}

fn head(year: i16) -> String {
    format!(
        "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:{}\r\nX-WR-CALNAME:Emvo probe {year}\r\n",
        crate::product::PRODUCT_ID
    )
}

fn definitions(year: i16) -> String {
    let instant = |year: i16| {
        clock_seconds(Date::new(year, 1, 1).unwrap_or(Date::ZERO).to_datetime(jiff::civil::Time::midnight()))
    };
    let (from, until) = (instant(year), instant(year.saturating_add(2)));
    let mut out = Vec::new();
    for (name, whose) in DEFINED {
        if let Some(clock) = Transitions::of_iana(whose) {
            push_component(&mut out, &definition_of(name, &clock, from, until));
        }
    }
    push_component(
        &mut out,
        &definition_of("Harbour clock", &Transitions::fixed(HARBOUR_CLOCK), from, until),
    );
    String::from_utf8_lossy(&out).into_owned()
}

fn push_event(out: &mut String, question: &Question, year: i16) {
    let Question { ask, title, id_of, lines, replaced } = *question;
    let first = first_lines(ask, id_of.unwrap_or(ask), year, &filled(title, ask, year));
    for lines in std::iter::once(lines).chain(replaced) {
        // Two of one id are on one day, so that no export has the one without the other.
        let lines = filled(lines, id_of.unwrap_or(ask), year);
        push_lines(out, &format!("BEGIN:VEVENT\n{first}{lines}END:VEVENT\n"));
    }
}

fn first_lines(ask: Ask, id_of: Ask, year: i16, title: &str) -> String {
    let (id, stamp) = (id(year, id_of), stamp(year));
    let title = Property::text_of("SUMMARY", &format!("{} {title}", code(year, ask)));
    format!("UID:{id}\nDTSTAMP:{stamp}\n{}\n", title.logical())
}

/// A moment before anybody writes the probe of a year, so that no stamp is of the future.
fn stamp(year: i16) -> String {
    format!("{:04}0101T000000Z", year.saturating_sub(1))
}

/// Lines as they stand in a file: folded behind 75 bytes (RFC 5545 section 3.1).
fn push_lines(out: &mut String, lines: &str) {
    for line in lines.lines() {
        let mut room = 75;
        for char in line.chars() {
            if char.len_utf8() > room {
                out.push_str("\r\n ");
                room = 74;
            }
            room -= char.len_utf8();
            out.push(char);
        }
        out.push_str("\r\n");
    }
}

/// A text with what stands in its braces put in.
fn filled(template: &str, ask: Ask, year: i16) -> String {
    let mut out = String::new();
    let mut rest = template;
    while let Some((before, (name, after))) =
        rest.split_once('{').and_then(|(before, rest)| Some((before, rest.split_once('}')?)))
    {
        out.push_str(before);
        out.push_str(&value_of(name, ask, year));
        rest = after;
    }
    out.push_str(rest);
    out
}

fn value_of(name: &str, ask: Ask, year: i16) -> String {
    let year_number = i64::from(year);
    let january = |day: i64| format!("{year:04}01{day:02}");
    let first_in_january =
        |wanted: i64| (1..=7).find(|day| weekday(day_number(year_number, 1, *day)) == wanted);
    match name {
        "year" => format!("{year:04}"),
        "monday" => january(first_in_january(0).unwrap_or(1)),
        "second tuesday" => january(first_in_january(1).unwrap_or(1) + 7),
        "last workday" => {
            let is_workday = |day: &i64| weekday(day_number(year_number, 1, *day)) < 5;
            january((25..=31).rev().find(is_workday).unwrap_or(31))
        }
        "eight reminders" => eight_reminders(),
        "id of last" => id(year, Ask::Last),
        _ => match (name.strip_prefix("day"), name.strip_prefix("text ")) {
            (Some(further), _) => date_of(year, ask, further.trim_start_matches('+').parse().unwrap_or(0)),
            (None, Some(length)) => numbered_text(length.parse().unwrap_or(0)),
            // A test writes every question, and finds braces that are left.
            (None, None) => format!("{{{name}}}"),
        },
    }
}

/// The day of a question: each has its own, and not in the order of the file. So an export of
/// some weeks is told from a file of which the first events alone were read.
fn date_of(year: i16, ask: Ask, further: i64) -> String {
    let first = day_number(i64::from(year), 1, 3);
    // A step that has no divisor in common with the number of days meets each of them once.
    let day = i64::try_from(ask.number() * 23 % 61).unwrap_or(0);
    let (year, month, day) = civil(first + day + further);
    format!("{year:04}{month:02}{day:02}")
}

fn eight_reminders() -> String {
    let mut out = String::new();
    for minutes in [5, 10, 15, 20, 30, 45, 60, 90] {
        // Writing into a string cannot fail.
        let _ = write!(
            out,
            "BEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:{minutes} minutes\nTRIGGER:-PT{minutes}M\nEND:VALARM\n"
        );
    }
    out
}

/// A text of so many characters that says how long it is up to each of its words:
/// `000000010 000000020 …`.
fn numbered_text(length: usize) -> String {
    let mut out = String::with_capacity(length + 10);
    while out.len() < length {
        let end = out.len() + 10;
        // Writing into a string cannot fail.
        let _ = write!(out, "{end:09} ");
    }
    out.truncate(length);
    if out.ends_with(' ') {
        out.pop();
        out.push('.');
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use emvo_ical::calendar::read;
    use emvo_ical::content::parse;

    #[test]
    fn a_probe_is_a_sound_calendar_in_any_year() {
        for year in [2026, 2027, 2028, 2032] {
            let text = probe_text(year);
            assert!(!text.contains('{') && !text.contains('}'), "{year}");
            assert!(text.lines().all(|line| line.len() <= 75), "{year}");
            let calendar = read(parse(&text).roots.remove(0), "probe");
            assert_eq!(calendar.unsound.len(), 0, "{year}");
            assert_eq!(calendar.series.len(), questions().count(), "{year}");
            assert_eq!((calendar.zones.len(), calendar.others.len()), (6, 1));
            let second = second_text(year);
            let second = read(parse(&second).roots.remove(0), "second");
            assert_eq!((second.series.len(), second.unsound.len()), (3, 0));
        }
    }

    #[test]
    fn a_text_says_how_long_it_is() {
        assert_eq!(numbered_text(25), "000000010 000000020 00000");
        assert_eq!(numbered_text(20), "000000010 000000020.");
        assert_eq!(numbered_text(40_000).len(), 40_000);
    }
}
