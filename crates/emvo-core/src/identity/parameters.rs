//! What a line says in its parameters, besides its value.
//!
//! ```text
//! ATTENDEE;CN=Elsa Holm;RSVP=TRUE:mailto:elsa@example.org     CN Elsa Holm
//! X-DECK;X-SIDE=port:4                                        X-SIDE port
//! DESCRIPTION;ALTREP="https://example.org/a";LANGUAGE=sv:…    ALTREP https://example.org/a
//! ```

use emvo_ical::content::Property;

/// Parameters that say how the value is written, or how a server treats it (RFC 5545
/// section 3.2, RFC 6638 section 7, RFC 9073 section 5), and those that are part of
/// what a field says: answer and role of a person, the kind of a relation.
const NO_STATEMENTS: [&str; 18] = [
    "VALUE",
    "TZID",
    "ENCODING",
    "CHARSET",
    "LANGUAGE",
    "FMTTYPE",
    "SIZE",
    "RELATED",
    "RANGE",
    "RSVP",
    "DERIVED",
    "FBTYPE",
    "ORDER",
    "JSID",
    "RELTYPE",
    "PARTSTAT",
    "ROLE",
    "X-EMVO-HEADER",
];

/// The parameters of a line that say something: their names in capitals, and their
/// values. The default of a kind of person (`INDIVIDUAL`, RFC 5545 section 3.2.3) says
/// nothing, and neither does a name that is the address.
pub(crate) fn stated_parameters<'p>(line: &'p Property<'_>) -> impl Iterator<Item = (String, String)> + 'p {
    line.parameters().filter_map(move |parameter| {
        let name = parameter.name.to_ascii_uppercase();
        let value = parameter.values.join(", ");
        let value = value.trim();
        let says_nothing = value.is_empty()
            || NO_STATEMENTS.contains(&name.as_str())
            || name.starts_with("SCHEDULE-")
            || (name == "CUTYPE" && value.eq_ignore_ascii_case("INDIVIDUAL"))
            || (name == "CN" && is_address(value, &line.value()));
        (!says_nothing).then(|| (name, value.to_owned()))
    })
}

fn is_address(name: &str, address: &str) -> bool {
    let bare = |text: &str| text.trim().to_lowercase().trim_start_matches("mailto:").to_owned();
    bare(name) == bare(address)
}
