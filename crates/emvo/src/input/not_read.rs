//! Files that were found and hold no events: what each of them is instead.

use std::fmt;

use super::source_file::{NamedBy, SourceFile};

/// How exports are called; a file of such a name claims to be one.
const CLAIMS: [&str; 13] = [
    ".ics",
    ".ical",
    ".ifb",
    ".icalendar",
    ".vcs",
    ".csv",
    ".tsv",
    ".xlsx",
    ".xlsm",
    ".xls",
    ".ods",
    ".zip",
    ".gz",
];

/// A file that claims to be an export and is none, that is empty, or that cannot be
/// read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct NotRead {
    path: String,
    what: What,
}

/// What it is instead.
#[derive(Clone, Debug, PartialEq, Eq)]
enum What {
    Empty,
    WebPage,
    Json,
    AddressBook,
    Spreadsheet,
    Other,
    /// It cannot be opened, unpacked or understood, with the reason.
    Cannot(String),
}

impl fmt::Display for NotRead {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self { path, what } = self;
        let advice = match what {
            What::Empty => "export it again",
            What::WebPage => "sign in and export it again",
            What::Json => "open it and see what it says",
            What::AddressBook => "export the calendar instead",
            What::Spreadsheet => "open it there and save it as CSV",
            What::Other => {
                "a calendar starts with BEGIN:VCALENDAR, a table has a header row with a start and a title"
            }
            What::Cannot(why) => return write!(f, "{path} cannot be read: {why}"),
        };
        write!(f, "{path} is {} and was not read: {advice}", self.kind())
    }
}

impl NotRead {
    /// What a file is that holds no events; `None` for one that was found and does
    /// not claim to.
    pub(super) fn of(file: &SourceFile, text: &str) -> Option<Self> {
        let name = file.path.to_ascii_lowercase();
        let is_claimed = file.named_by == NamedBy::Person || CLAIMS.iter().any(|claim| name.ends_with(claim));
        let what = match what_is(&file.bytes, text) {
            // JSON lines are what a program reads, and no message.
            What::Json if name.rsplit('.').next() == Some("jsonl") => What::Other,
            what => what,
        };
        (is_claimed || what == What::Empty).then(|| Self { path: file.path.clone(), what })
    }

    /// A file that cannot be opened, unpacked or understood.
    pub(super) fn cannot(path: &str, why: String) -> Self {
        Self { path: path.to_owned(), what: What::Cannot(why) }
    }

    /// A spreadsheet of which no sheet is a table of events.
    pub(super) fn no_table(book: &str, sheets: &[&str]) -> Self {
        let why = format!("no sheet of it is a table of events ({})", sheets.join(", "));
        Self { path: book.to_owned(), what: What::Cannot(why) }
    }

    /// What people know it by.
    pub(crate) fn path(&self) -> &str {
        &self.path
    }

    /// What it is, or why it cannot be read, in a few words.
    pub(crate) fn in_words(&self) -> &str {
        match &self.what {
            What::Cannot(why) => why,
            _ => self.kind().trim_end_matches(','),
        }
    }

    fn kind(&self) -> &'static str {
        match self.what {
            What::Empty => "empty",
            What::WebPage => "a web page, such as a login or an error page,",
            What::Json => "JSON, such as an error message,",
            What::AddressBook => "an address book",
            What::Spreadsheet => "a spreadsheet's own file",
            What::Other => "neither a calendar nor a table of events",
            What::Cannot(_) => "a file that cannot be read",
        }
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
                cannot: None,
                book: None,
            };
            let found = NotRead::of(&file, text).map(|found| found.to_string());
            match expected {
                Some(expected) => assert!(found.is_some_and(|found| found.contains(expected)), "{name}"),
                None => assert_eq!(found, None, "{name}"),
            }
        }
    }
}
