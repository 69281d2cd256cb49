//! People of VERSION:1.0 → attendees and organizers.

use super::text::text_of;
use crate::content::Property;

/// The attendee or organizer that a line says; `None` if it has no address.
pub(super) fn person(line: &Property<'_>) -> Option<Property<'static>> {
    let text = text_of(line);
    let (name, address) = address_in(&text)?;
    let is = |parameter: &str, word: &str| {
        line.parameter(parameter).is_some_and(|value| value.trim().eq_ignore_ascii_case(word))
    };
    let is_organizer = is("ROLE", "ORGANIZER");
    let mut new =
        Property::new(if is_organizer { "ORGANIZER" } else { "ATTENDEE" }, &[], &format!("mailto:{address}"));
    if !name.is_empty() {
        new = new.with_parameter("CN", Some(name));
    }
    if is_organizer {
        return Some(new);
    }
    if is("EXPECT", "FYI") {
        new = new.with_parameter("ROLE", Some("NON-PARTICIPANT"));
    } else if is("ROLE", "OWNER") {
        new = new.with_parameter("ROLE", Some("CHAIR"));
    }
    if let Some(answer) = line.parameter("STATUS").and_then(|status| answer_of(&status)) {
        new = new.with_parameter("PARTSTAT", Some(answer));
    }
    if is("RSVP", "YES") {
        new = new.with_parameter("RSVP", Some("TRUE"));
    }
    Some(new)
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
    Some(match status.trim().to_ascii_uppercase().replace('-', " ").as_str() {
        "ACCEPTED" | "CONFIRMED" => "ACCEPTED",
        "NEEDS ACTION" | "SENT" => "NEEDS-ACTION",
        "TENTATIVE" => "TENTATIVE",
        "DECLINED" => "DECLINED",
        "DELEGATED" => "DELEGATED",
        _ => return None,
    })
}
