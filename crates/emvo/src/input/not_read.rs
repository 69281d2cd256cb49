//! Files that were found and hold no events: what each of them is instead.

use std::fmt;

use super::source_file::SourceFile;

/// How exports are called; a file of such a name claims to be one.
const CLAIMS: [&str; 11] =
    [".ics", ".ical", ".ifb", ".icalendar", ".vcs", ".csv", ".tsv", ".xlsx", ".ods", ".zip", ".gz"];

/// A file that claims to be an export and is none, or that is empty.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct NotRead {
    path: String,
    what: What,
}

/// What it is instead.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum What {
    Empty,
    WebPage,
    Json,
    AddressBook,
    Spreadsheet,
    Other,
}

impl fmt::Display for NotRead {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (what, advice) = match self.what {
            What::Empty => ("is empty", "export it again"),
            What::WebPage => {
                ("is a web page, such as a login or an error page", "sign in and export it again")
            }
            What::Json => ("is JSON, such as an error message", "open it and see what it says"),
            What::AddressBook => ("is an address book", "export the calendar instead"),
            What::Spreadsheet => ("is a spreadsheet's own file", "open it there and save it as CSV"),
            What::Other => ("is neither a calendar nor a table of events", "open it and see what it is"),
        };
        write!(f, "{} {what} and was not read: {advice}", self.path)
    }
}

impl NotRead {
    /// What a file is that holds no events; `None` for one that does not claim to.
    pub(super) fn of(file: &SourceFile, text: &str) -> Option<Self> {
        let name = file.path.to_ascii_lowercase();
        let is_claimed = CLAIMS.iter().any(|claim| name.ends_with(claim));
        let what = what_is(&file.bytes, text);
        (is_claimed || what == What::Empty).then(|| Self { path: file.path.clone(), what })
    }
}

/// Whether a text is an address book: a close relative of a calendar.
pub(super) fn is_address_book(text: &str) -> bool {
    let start = text.trim_start_matches(|char: char| char.is_whitespace() || char == '\u{feff}');
    start.get(..11).is_some_and(|head| head.eq_ignore_ascii_case("BEGIN:VCARD"))
}

fn what_is(bytes: &[u8], text: &str) -> What {
    let start = text.trim_start_matches(|char: char| char.is_whitespace() || char == '\u{feff}');
    match start.chars().next() {
        None => What::Empty,
        Some('<') => What::WebPage,
        Some('{' | '[') => What::Json,
        Some(_) if is_address_book(text) => What::AddressBook,
        Some(_) if bytes.starts_with(b"PK\x03\x04") => What::Spreadsheet,
        Some(_) => What::Other,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::input::source_file::NamedBy;

    #[test]
    fn a_file_that_holds_no_events_is_called_what_it_is() {
        for (name, text, expected) in [
            ("team.ics", "<!DOCTYPE html><html>Sign in</html>", Some("is a web page")),
            ("team.ICS", "\u{feff}\n <html>", Some("is a web page")),
            ("boss.ics", "{\"error\":\"forbidden\"}", Some("is JSON")),
            ("workshop.ics", "", Some("is empty")),
            ("empty.txt", " \n", Some("is empty")),
            ("people.ics", "begin:vcard\nFN:Elsa\nEND:VCARD\n", Some("is an address book")),
            ("plan.xlsx", "PK\u{3}\u{4}xl", Some("is a spreadsheet")),
            ("notes.csv", "to do", Some("is neither a calendar nor a table")),
            ("notes.txt", "to do", None),
            ("photo.jpg", "JFIF", None),
        ] {
            let file = SourceFile {
                path: name.to_owned(),
                bytes: text.as_bytes().to_vec(),
                named_by: NamedBy::Walk,
            };
            let found = NotRead::of(&file, text).map(|found| found.to_string());
            match expected {
                Some(expected) => assert!(found.is_some_and(|found| found.contains(expected)), "{name}"),
                None => assert_eq!(found, None, "{name}"),
            }
        }
    }
}
