//! What a component says besides its times and the fields that make it the event
//! it is to people: every other property, and every inner component.
//!
//! Each thing it says is one detail. What is written otherwise and means the same
//! is the same detail: `TRIGGER:-PT60M` and `TRIGGER;RELATED=START:-PT1H`, two
//! `CATEGORIES` lines and one with a comma, a person without an answer and one
//! whose answer is that none came yet. Stamps, and what a system repeats of a
//! standard property in its own words, are no details.
//!
//! ```text
//! CATEGORIES:Crew,Drill              category Crew · category Drill
//! ATTENDEE;CN=Elsa;PARTSTAT=ACCEPTED:mailto:elsa@example.org
//!                                    attendees elsa@example.org accepted
//!                                    attendees CN Elsa of elsa@example.org
//! X-DECK:4                           X-DECK 4
//! BEGIN:VALARM … TRIGGER:-PT1H …     reminders -3600
//! ```

use std::borrow::Cow;

use emvo_ical::calendar::fields::{Field, Weight};
use emvo_ical::calendar::{Duration, VendorMirror, vendor_mirror_of};
use emvo_ical::content::{Component, Property, split_list, unescape_text};

use super::parameters::stated_parameters;
use super::shared::number_of;
use super::text::normalised;
use super::unsaid::{Statement, inner_words};
use crate::table::{COLUMN_HEADER, COLUMN_PROPERTY};

/// One thing that a component says.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Detail {
    /// The field by its name, or the property's, or the inner component's, or
    /// `column` and the header of a table's own column.
    pub field: String,
    /// What it says, for people.
    pub shown: String,
    /// What it says, evened out.
    said: String,
    /// What the line says whose parameter this is, likewise.
    of_line: Option<String>,
}

impl From<Detail> for Statement {
    fn from(Detail { field, shown, .. }: Detail) -> Self {
        Self { field, value: shown }
    }
}

/// The details of a component.
pub fn details_of(component: &Component<'_>) -> Vec<Detail> {
    let mut details = Vec::new();
    each_detail(component, &mut |told| {
        details.push(Detail {
            field: told.field.into_owned(),
            shown: (told.shown)(),
            said: told.said.into_owned(),
            of_line: told.of_line.map(str::to_owned),
        });
    });
    details
}

/// The details of a component as a number that does not depend on their order; it
/// differs where two components' details do.
pub fn details_number(component: &Component<'_>) -> u64 {
    let mut number = 0_u64;
    each_detail(component, &mut |told| {
        number = number.wrapping_add(number_of(&(&*told.field, &*told.said, told.of_line)));
    });
    number
}

/// The details of one component that another does not have, each as often as it
/// is lacking there. Where a line is lacking, nothing is said of its parameters.
pub fn details_lacking(one: &Component<'_>, two: &Component<'_>) -> Vec<Detail> {
    let [lacking, _] = details_unlike(one, two);
    lacking
}

/// The details of one component that another does not have, and those of the other that the one
/// does not have.
pub(crate) fn details_unlike(one: &Component<'_>, two: &Component<'_>) -> [Vec<Detail>; 2] {
    let is_same = |one: &Detail, other: &Detail| {
        one.field == other.field && one.said == other.said && one.of_line == other.of_line
    };
    let mut lacking = details_of(one);
    let mut there: Vec<Option<Detail>> = details_of(two).into_iter().map(Some).collect();
    lacking.retain(|detail| {
        let found = there.iter_mut().find(|other| other.as_ref().is_some_and(|other| is_same(detail, other)));
        found.and_then(Option::take).is_none()
    });
    [lacking, there.into_iter().flatten().collect()].map(without_parameters_of_lacking)
}

/// Takes out what parameters say of lines that are lacking themselves.
fn without_parameters_of_lacking(mut lacking: Vec<Detail>) -> Vec<Detail> {
    let is_parameter = |detail: &Detail| detail.of_line.is_some();
    if !lacking.iter().any(is_parameter) {
        return lacking;
    }
    let lines: Vec<Detail> = lacking.iter().filter(|detail| !is_parameter(detail)).cloned().collect();
    lacking.retain(|detail| {
        let Some(said) = &detail.of_line else { return true };
        let is_of = |line: &Detail| {
            let parameter = detail.field.strip_prefix(&line.field);
            line.said == *said && parameter.is_some_and(|rest| rest.starts_with(' '))
        };
        !lines.iter().any(is_of)
    });
    lacking
}

/// Whether a component says something besides, as people are shown it.
pub(crate) fn says_detail(component: &Component<'_>, field: &str, shown: &str) -> bool {
    let mut is_said = false;
    each_detail(component, &mut |told| {
        is_said = is_said || (told.field == field && (told.shown)() == shown);
    });
    is_said
}

/// One thing that is said, before it is kept.
struct ToldDetail<'t> {
    field: Cow<'t, str>,
    said: Cow<'t, str>,
    of_line: Option<&'t str>,
    shown: &'t dyn Fn() -> String,
}

type Tell<'t> = dyn FnMut(ToldDetail<'_>) + 't;

fn each_detail(component: &Component<'_>, tell: &mut Tell<'_>) {
    for line in component.properties() {
        match Field::of_property(line.name()) {
            Some(field) if matches!(field.weight(), Weight::When | Weight::Stamp) => {}
            Some(field) if field.weight() == Weight::Core => {
                tell_parameters(line, field.name(), "", tell);
            }
            Some(field) => of_field(field, line, tell),
            // A description with markup has links and forms that the plain one lacks.
            None if vendor_mirror_of(line).is_some_and(|mirror| mirror != VendorMirror::Description) => {}
            None => {
                let text = line.text();
                of_line(own_name(line), normalised(&text), line, &|| text.trim().to_owned(), tell);
            }
        }
    }
    let title = component.text("SUMMARY").unwrap_or_default();
    for inner in component.components() {
        let said = if inner.is("VALARM") { reminder(inner, title.trim()) } else { inner_lines(inner) };
        let name: &str = match Field::of_property(inner.name()) {
            Some(field) => field.name(),
            None => inner.name(),
        };
        tell(ToldDetail {
            field: Cow::Borrowed(name),
            said: Cow::Borrowed(&said),
            of_line: None,
            shown: &|| inner_words(inner),
        });
    }
}

/// What a line says in its value, and in its parameters.
fn of_line(
    field: Cow<'_, str>,
    said: Cow<'_, str>,
    line: &Property<'_>,
    shown: &dyn Fn() -> String,
    tell: &mut Tell<'_>,
) {
    if !said.is_empty() {
        tell_parameters(line, &field, &said, tell);
        tell(ToldDetail { field, said, of_line: None, shown });
    }
}

/// What the parameters of a line say, each as a field of its own: `attendees CN`.
fn tell_parameters(line: &Property<'_>, field: &str, said: &str, tell: &mut Tell<'_>) {
    for (name, value) in stated_parameters(line) {
        tell(ToldDetail {
            field: Cow::Owned(format!("{field} {name}")),
            said: Cow::Owned(format!("{name} {}", normalised(&value))),
            of_line: Some(said),
            shown: &|| match said {
                "" => value.clone(),
                _ => format!("{} of {}", value, line.text().trim()),
            },
        });
    }
}

fn own_name<'p>(line: &'p Property<'_>) -> Cow<'p, str> {
    let header = line.is(COLUMN_PROPERTY).then(|| line.parameter(COLUMN_HEADER)).flatten();
    match header {
        Some(header) => Cow::Owned(format!("column {header}")),
        None if line.name().bytes().any(|byte| byte.is_ascii_lowercase()) => {
            Cow::Owned(line.name().to_ascii_uppercase())
        }
        None => Cow::Borrowed(line.name()),
    }
}

fn of_field(field: Field, line: &Property<'_>, tell: &mut Tell<'_>) {
    let name = || Cow::Borrowed(field.name());
    let value = line.value();
    match field {
        Field::Category | Field::Resources => {
            for part in split_list(&value) {
                let text = unescape_text(part);
                let said = normalised(&text);
                of_line(name(), Cow::Borrowed(&*said), line, &|| said.to_string(), tell);
            }
        }
        Field::Attendees => {
            of_line(name(), Cow::Owned(person(line, &value)), line, &|| shown_person(line), tell);
        }
        _ => {
            let text = line.text();
            let said = match field {
                Field::Priority if text.trim() == "0" => Cow::Borrowed(""),
                Field::Geo => place(&text),
                Field::Related => Cow::Owned(relation(line, text.trim())),
                Field::Color => Cow::Owned(text.trim().to_lowercase()),
                _ => normalised(&text),
            };
            of_line(name(), said, line, &|| text.trim().to_owned(), tell);
        }
    }
}

/// A person with role and answer; the defaults (RFC 5545 section 3.2.12 and 3.2.16)
/// are no words.
fn person(line: &Property<'_>, value: &str) -> String {
    let mut said = if line.is("ORGANIZER") { "organizer ".to_owned() } else { String::new() };
    said.push_str(&value.trim().to_lowercase());
    for (name, default) in [("PARTSTAT", "NEEDS-ACTION"), ("ROLE", "REQ-PARTICIPANT")] {
        let word = line.parameter(name).map(|word| word.trim().to_ascii_uppercase());
        if let Some(word) = word.filter(|word| word != default && !word.is_empty()) {
            said.extend([" ", &word]);
        }
    }
    said
}

fn shown_person(line: &Property<'_>) -> String {
    let answer = line.parameter("PARTSTAT").map(|answer| format!(" {}", answer.to_lowercase()));
    format!("{}{}", line.value().trim(), answer.unwrap_or_default())
}

/// Two numbers, as exact as a metre.
fn place(text: &str) -> Cow<'_, str> {
    let numbers: Option<Vec<f64>> = text.split([';', ',']).map(|part| part.trim().parse().ok()).collect();
    match numbers.as_deref() {
        Some([north, east]) => Cow::Owned(format!("{north:.5};{east:.5}")),
        _ => normalised(text),
    }
}

fn relation(line: &Property<'_>, value: &str) -> String {
    let kind =
        line.parameter("RELTYPE").map_or_else(|| "PARENT".to_owned(), |kind| kind.to_ascii_uppercase());
    format!("{kind} {value}")
}

/// When a reminder comes, and what it says beyond the title of its event; how it is
/// shown is for each device.
fn reminder(alarm: &Component<'_>, title: &str) -> String {
    let mut said: Vec<String> = Vec::new();
    for line in alarm.properties() {
        let text = line.text();
        let text = text.trim();
        match line.name().to_ascii_uppercase().as_str() {
            "TRIGGER" => said.push(trigger(line, text)),
            "UID" | "X-WR-ALARMUID" | "ACKNOWLEDGED" | "DTSTAMP" => {}
            "ACTION" if ["DISPLAY", "AUDIO"].iter().any(|usual| text.eq_ignore_ascii_case(usual)) => {}
            "DESCRIPTION" | "SUMMARY" if ["", title, "Reminder"].contains(&text) => {}
            _ if text.is_empty() => {}
            name => said.push(format!("{name} {}", normalised(text))),
        }
    }
    said.extend(alarm.components().map(inner_lines));
    said.sort_unstable();
    said.join("\n")
}

fn trigger(line: &Property<'_>, text: &str) -> String {
    let from = line.parameter("RELATED").filter(|from| from.eq_ignore_ascii_case("END"));
    match Duration::parse(text) {
        Some(length) => {
            let seconds = length.days * 86_400 + length.seconds;
            format!("{}{seconds}", if from.is_some() { "end " } else { "" })
        }
        None => text.to_owned(),
    }
}

/// Everything that an inner component says, in any order.
fn inner_lines(inner: &Component<'_>) -> String {
    let is_stamp =
        |line: &&Property<'_>| Field::of_property(line.name()).is_some_and(|field| field == Field::Stamps);
    let own = inner.properties().filter(|line| !is_stamp(line));
    let own = own.map(|line| format!("{} {}", line.name().to_ascii_uppercase(), normalised(&line.text())));
    let mut said: Vec<String> = own.chain(inner.components().map(inner_lines)).collect();
    said.sort_unstable();
    format!("{}\n{}", inner.name().to_ascii_uppercase(), said.join("\n"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use emvo_ical::content::parse;

    fn event(lines: &str) -> Component<'static> {
        let text = format!("BEGIN:VEVENT\nSUMMARY:Drill\n{lines}\nEND:VEVENT\n");
        parse(&text).roots.remove(0).into_owned()
    }

    #[test]
    fn what_means_the_same_is_the_same() {
        let alarm = |lines: &str| format!("BEGIN:VALARM\n{lines}\nEND:VALARM");
        for (one, two) in [
            ("CATEGORIES:Crew,Drill", "CATEGORIES:Drill\nCATEGORIES:Crew"),
            ("X-DECK;VALUE=TEXT;LANGUAGE=sv:4", "X-DECK:4"),
            ("DESCRIPTION;LANGUAGE=sv:a", "DESCRIPTION:a"),
            ("PRIORITY:0", "X-EMPTY:"),
            ("GEO:60.1;24.9", "GEO:60.100000;24.900000"),
            ("RELATED-TO:a", "RELATED-TO;RELTYPE=PARENT:a"),
            (
                "ATTENDEE:mailto:elsa@example.org",
                "ATTENDEE;PARTSTAT=NEEDS-ACTION;CUTYPE=INDIVIDUAL;RSVP=TRUE;CN=Elsa@example.org:MAILTO:elsa@example.org",
            ),
            ("COMMENT:Two  words", "COMMENT:Two words"),
            ("SEQUENCE:1\nDTSTAMP:20260101T000000Z", "SEQUENCE:4"),
            ("X-SOME-BUSYSTATUS:FREE", ""),
        ] {
            assert_eq!(details_number(&event(one)), details_number(&event(two)), "{one} | {two}");
            assert_eq!(details_lacking(&event(one), &event(two)), [], "{one} | {two}");
        }
        for (one, two) in [
            ("TRIGGER:-PT60M", "TRIGGER;RELATED=START;VALUE=DURATION:-PT1H"),
            ("TRIGGER:-P1W", "TRIGGER:-P7D"),
            ("TRIGGER:-P1D", "TRIGGER:-PT24H"),
            (
                "TRIGGER:-PT5M\nDESCRIPTION:Drill\nACTION:DISPLAY",
                "ACTION:AUDIO\nUID:x\nTRIGGER:-PT5M\nDESCRIPTION:Reminder",
            ),
        ] {
            let (one, two) = (event(&alarm(one)), event(&alarm(two)));
            assert_eq!(details_number(&one), details_number(&two));
            assert_eq!(details_lacking(&one, &two), []);
        }
    }

    #[test]
    fn what_is_lacking_is_named_with_its_words() {
        let full = event(
            "CATEGORIES:Crew,Drill\nX-DECK:4\nCONFERENCE;VALUE=URI:https://example.org/a\nATTENDEE;PARTSTAT=ACCEPTED:mailto:elsa@example.org\n\
             X-EMVO-COLUMN;X-EMVO-HEADER=berth:2\nBEGIN:VALARM\nACTION:DISPLAY\nTRIGGER:-PT5M\nDESCRIPTION:Ring the pilot\nEND:VALARM\n\
             BEGIN:VLOCATION\nNAME:Varv\nEND:VLOCATION",
        );
        let less = event(
            "CATEGORIES:Crew\nATTENDEE;PARTSTAT=DECLINED:mailto:elsa@example.org\nBEGIN:VALARM\nACTION:DISPLAY\nTRIGGER:-PT5M\nEND:VALARM",
        );
        assert_ne!(details_number(&full), details_number(&less));
        let lacking: Vec<(String, String)> =
            details_lacking(&full, &less).into_iter().map(|one| (one.field, one.shown)).collect();
        let expected = [
            ("category", "Drill"),
            ("X-DECK", "4"),
            ("conference", "https://example.org/a"),
            ("attendees", "mailto:elsa@example.org accepted"),
            ("column berth", "2"),
            ("reminders", "-PT5M Ring the pilot"),
            ("VLOCATION", "Varv"),
        ];
        assert_eq!(lacking, expected.map(|(field, shown)| (field.to_owned(), shown.to_owned())));
    }

    #[test]
    fn a_parameter_that_says_something_is_a_detail_of_its_line() {
        for (full, less, field, shown) in [
            (
                "ATTENDEE;PARTSTAT=ACCEPTED;CN=Elsa Holm:mailto:elsa@example.org".to_owned(),
                "ATTENDEE;PARTSTAT=ACCEPTED:mailto:elsa@example.org".to_owned(),
                "attendees CN",
                "Elsa Holm of mailto:elsa@example.org",
            ),
            ("X-DECK;X-SIDE=port:4".to_owned(), "X-DECK:4".to_owned(), "X-DECK X-SIDE", "port of 4"),
            (
                "CONFERENCE;LABEL=Bridge:https://example.org/a".to_owned(),
                "CONFERENCE:https://example.org/a".to_owned(),
                "conference LABEL",
                "Bridge of https://example.org/a",
            ),
            (
                "LOCATION;ALTREP=\"https://example.org/quay\":Quay 2".to_owned(),
                "LOCATION:Quay 2".to_owned(),
                "location ALTREP",
                "https://example.org/quay",
            ),
        ] {
            let (full, less) = (event(&full), event(&less));
            let lacking = details_lacking(&full, &less);
            let told: Vec<_> = lacking.iter().map(|one| (one.field.as_str(), one.shown.as_str())).collect();
            assert_eq!(told, [(field, shown)]);
            assert_eq!(details_lacking(&less, &full), [], "a name that is given there is no loss");
        }
        // Where the line itself is gone, it is one thing that is gone.
        let full = event("ATTENDEE;CN=Elsa Holm;CUTYPE=GROUP:mailto:elsa@example.org");
        assert_eq!(details_lacking(&full, &event("PRIORITY:0")).len(), 1);
    }
}
