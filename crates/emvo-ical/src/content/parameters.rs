//! Parameters that do not end where they should (RFC 5545 section 3.2).

use super::property::Property;

/// The parameters of the standard whose values are lists; a comma in any other is part
/// of its text.
const LISTS: [&str; 5] = ["MEMBER", "DELEGATED-FROM", "DELEGATED-TO", "FEATURE", "DISPLAY"];

/// A property whose parameters are put into quotes where they have to be; `None` if
/// they stand as they should.
///
/// ```text
/// CN=Holm, Anna; quay:…    CN="Holm, Anna; quay":…   a piece without `=` goes on with
///                                                    the one before it
/// CN="Holm, Anna:…         CN="Holm, Anna":…         quotes end with the parameter
/// ```
pub fn sound_parameters(property: &Property<'_>) -> Option<Property<'static>> {
    if property.has_plain_parameters() {
        return None;
    }
    let logical = property.logical();
    let head = property.head();
    let written = head.get(property.name().len()..).filter(|rest| !rest.is_empty())?;
    let mut pieces: Vec<(String, String)> = Vec::new();
    let quotes = if written.matches('"').count() % 2 == 0 { Quotes::Count } else { Quotes::NeverClosed };
    let mut is_sound = quotes == Quotes::Count;
    for piece in pieces_of(written, quotes) {
        match (piece.split_once('='), pieces.last_mut()) {
            (Some((name, value)), _) => {
                let is_list = LISTS.iter().any(|list| list.eq_ignore_ascii_case(name.trim()));
                is_sound &= is_list || !has_bare_comma(value);
                pieces.push((name.trim().to_owned(), value.to_owned()));
            }
            (None, Some((_, value))) => {
                is_sound = false;
                value.push(';');
                value.push_str(piece);
            }
            // Nothing that it could belong to.
            (None, None) => return None,
        }
    }
    if is_sound {
        return None;
    }
    let mut line = property.name().to_owned();
    for (name, value) in pieces {
        let is_list = LISTS.iter().any(|list| list.eq_ignore_ascii_case(&name));
        line.push(';');
        line.push_str(&name);
        line.push('=');
        if is_list {
            line.push_str(&value);
        } else {
            let text = value.replace('"', "");
            let quote = if text.contains([',', ';', ':']) { "\"" } else { "" };
            line.extend([quote, &text, quote]);
        }
    }
    let value = &logical[head.len() + 1..];
    Property::of_line(&format!("{line}:{value}"), property.line())
}

impl Property<'_> {
    /// Whether its parameters surely stand as they should: without quotes and commas, each
    /// with a name.
    pub fn has_plain_parameters(&self) -> bool {
        let written = self.head().get(self.name().len()..).unwrap_or_default();
        // What stands in front of the first semicolon is nothing.
        let mut has_name = true;
        for byte in written.bytes() {
            match byte {
                b'"' | b',' => return false,
                b';' if !has_name => return false,
                b';' => has_name = false,
                b'=' => has_name = true,
                _ => {}
            }
        }
        has_name
    }
}

/// Whether quotes can be relied upon.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Quotes {
    Count,
    NeverClosed,
}

/// The parameters as they stand, split at semicolons outside quotes.
fn pieces_of(written: &str, quotes: Quotes) -> impl Iterator<Item = &str> {
    let mut is_quoted = false;
    written
        .split(move |char| {
            is_quoted ^= char == '"' && quotes == Quotes::Count;
            char == ';' && !is_quoted
        })
        .skip(1)
}

fn has_bare_comma(value: &str) -> bool {
    let mut is_quoted = false;
    value.chars().any(|char| {
        is_quoted ^= char == '"';
        char == ',' && !is_quoted
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_not_in_quotes_is_put_into_them() {
        let rows = [
            (
                "ORGANIZER;CN=Holm, Anna; quay:mailto:a@example.org",
                Some("ORGANIZER;CN=\"Holm, Anna; quay\":mailto:a@example.org"),
            ),
            (
                "ATTENDEE;CN=\"Holm, Anna:mailto:a@example.org",
                Some("ATTENDEE;CN=\"Holm, Anna\":mailto:a@example.org"),
            ),
            (
                "ATTENDEE;CN=\"Holm, Anna;ROLE=CHAIR:mailto:a@example.org",
                Some("ATTENDEE;CN=\"Holm, Anna\";ROLE=CHAIR:mailto:a@example.org"),
            ),
            (
                "ATTENDEE;CN=Holm, Anna;ROLE=CHAIR:mailto:a@example.org",
                Some("ATTENDEE;CN=\"Holm, Anna\";ROLE=CHAIR:mailto:a@example.org"),
            ),
            ("ATTENDEE;CN=\"Holm, Anna; quay\";ROLE=CHAIR:mailto:a@example.org", None),
            ("ATTENDEE;MEMBER=\"mailto:a@example.org\",\"mailto:b@example.org\":mailto:c@example.org", None),
            ("SUMMARY:a, b; c", None),
            ("SUMMARY;LANGUAGE=en:a, b; c=d", None),
        ];
        for (line, expected) in rows {
            let property = Property::of_line(line, 1).unwrap();
            let sound = sound_parameters(&property).map(|sound| sound.logical().into_owned());
            assert_eq!(sound.as_deref(), expected, "{line}");
        }
    }
}
