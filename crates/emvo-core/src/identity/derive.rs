//! Ids derived from content, the same on every run (rule U01).

use ring::digest::{SHA256, digest};

use super::text::normalised;
use emvo_ical::calendar::fields::{Field, Weight};
use emvo_ical::calendar::{Event, Series, Uid};
use emvo_ical::content::Property;

/// What derived ids end in, so that people see where they come from.
const MARK: &str = "-derived";

/// Whether an id was derived here, rather than given by a system.
pub(crate) fn is_derived(uid: &Uid<'_>) -> bool {
    uid.as_str().ends_with(MARK)
}

/// An id for an event that has none, or needs another: from its title, start,
/// end and rule, so that the same event gets the same id in every export.
/// `salt` tells events apart that agree in all of these; 0 for the first.
pub fn derived_uid(event: &Event<'_>, salt: u32) -> Uid<'static> {
    let title = event.title().unwrap_or_default();
    let start = event.start().to_string();
    let end = event.end().to_string();
    let rules: Vec<_> = event.rules().map(std::borrow::Cow::into_owned).collect();
    derived_uid_of_parts(&[&normalised(&title), &start, &end, &rules.join("\n")], salt)
}

/// An id for an event of its own whose id another has: from that id and all that it
/// says but stamps, so that it does not depend on what else there is.
pub fn uid_of_other(before: &str, series: &Series<'_>, salt: u32) -> Uid<'static> {
    let is_said = |line: &&Property<'_>| {
        Field::of_property(line.name()).is_none_or(|field| field.weight() != Weight::Stamp)
    };
    let lines = series.events().flat_map(|event| event.component().properties().filter(is_said));
    let lines: Vec<_> = lines.map(Property::logical).collect();
    let parts: Vec<&str> = [before].into_iter().chain(lines.iter().map(|line| &**line)).collect();
    derived_uid_of_parts(&parts, salt)
}

/// An id from texts that identify an event.
pub fn derived_uid_of_parts(parts: &[&str], salt: u32) -> Uid<'static> {
    let length: usize = parts.iter().map(|part| part.len() + 1).sum();
    let mut bytes = Vec::with_capacity(length + size_of::<u32>());
    for part in parts {
        bytes.extend_from_slice(part.as_bytes());
        bytes.push(0);
    }
    bytes.extend_from_slice(&salt.to_be_bytes());
    let hash = digest(&SHA256, &bytes);
    let digit = |number: u8| char::from(b"0123456789abcdef"[usize::from(number)]);
    let mut text = String::with_capacity(24 + MARK.len());
    for byte in &hash.as_ref()[..12] {
        text.push(digit(byte >> 4));
        text.push(digit(byte & 15));
    }
    text.push_str(MARK);
    // The text is not empty, so it is an id.
    Uid::new(text).unwrap_or_else(|| unreachable!("an id of 24 digits is not blank"))
}
