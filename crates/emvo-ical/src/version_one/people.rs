//! People of VERSION:1.0 → attendees and organizers.

use super::CARRIED;
use super::text::{is_of_form, text_of};
use crate::content::Property;

/// The attendee or organizer that a line says; `None` if it has no address.
pub(super) fn person(line: &Property<'_>) -> Option<Property<'static>> {
    let text = text_of(line);
    let (name, address) = address_in(&text)?;
    let is_organizer =
        line.parameter("ROLE").is_some_and(|role| role.trim().eq_ignore_ascii_case("ORGANIZER"));
    let kind = if is_organizer { "ORGANIZER" } else { "ATTENDEE" };
    let mut new = Property::new(kind, &[], &format!("mailto:{address}"));
    if !name.is_empty() {
        new = new.with_parameter("CN", Some(name));
    }
    for old in line.parameters() {
        let value = old.values.join(",");
        new = match meaning_of(old.name, &value) {
            Meaning::OfForm | Meaning::Usual => new,
            Meaning::Says(name, value) if !is_organizer && new.parameter(name).is_none() => {
                new.with_parameter(name, Some(value))
            }
            // What has no counterpart goes along under a name of its own.
            Meaning::Says(..) | Meaning::Unknown => {
                new.with_parameter(&format!("{CARRIED}{}", old.name.to_ascii_uppercase()), Some(&value))
            }
        };
    }
    Some(new)
}

/// What a parameter of a person says today.
enum Meaning {
    /// How the value is written.
    OfForm,
    /// What is meant where nothing is said, or what the property's name says.
    Usual,
    Says(&'static str, &'static str),
    Unknown,
}

fn meaning_of(name: &str, value: &str) -> Meaning {
    if is_of_form(name) {
        return Meaning::OfForm;
    }
    match (name.to_ascii_uppercase().as_str(), value.trim().to_ascii_uppercase().as_str()) {
        ("ROLE", "ORGANIZER" | "ATTENDEE") | ("RSVP", "NO") => Meaning::Usual,
        ("ROLE", "OWNER") => Meaning::Says("ROLE", "CHAIR"),
        ("EXPECT", "FYI") => Meaning::Says("ROLE", "NON-PARTICIPANT"),
        ("RSVP", "YES") => Meaning::Says("RSVP", "TRUE"),
        ("STATUS", status) => {
            answer_of(status).map_or(Meaning::Unknown, |answer| Meaning::Says("PARTSTAT", answer))
        }
        _ => Meaning::Unknown,
    }
}

/// `Anna Holm <anna@example.org>`, `anna@example.org (Anna Holm)`, or the address alone.
fn address_in(text: &str) -> Option<(&str, &str)> {
    let text = text.trim();
    let (name, address) = if let Some((name, rest)) = text.split_once('<') {
        (name, rest.split('>').next()?)
    } else if let Some((address, rest)) = text.split_once('(') {
        (rest.trim_end_matches(')'), address)
    } else {
        ("", text)
    };
    let address = address.trim();
    let address = address
        .get(..7)
        .filter(|scheme| scheme.eq_ignore_ascii_case("mailto:"))
        .map_or(address, |_| &address[7..]);
    let is_address = address.contains('@') && !address.contains(char::is_whitespace);
    is_address.then_some((name.trim().trim_matches('"'), address))
}

fn answer_of(status: &str) -> Option<&'static str> {
    Some(match status.replace('-', " ").as_str() {
        "ACCEPTED" | "CONFIRMED" => "ACCEPTED",
        "NEEDS ACTION" | "SENT" => "NEEDS-ACTION",
        "TENTATIVE" => "TENTATIVE",
        "DECLINED" => "DECLINED",
        "DELEGATED" => "DELEGATED",
        _ => return None,
    })
}
