//! Octets → logical lines (RFC 5545 section 3.1).

use std::collections::BTreeSet;

/// `name *(";" param) ":" value`.
pub(super) struct Line {
    /// In capitals.
    pub(super) name: String,
    /// Names in capitals, values without their quotes.
    pub(super) parameters: Vec<(String, Vec<String>)>,
    pub(super) value: String,
}

impl Line {
    pub(super) fn parameter(&self, name: &str) -> Option<&str> {
        let found = self.parameters.iter().find(|(own, _)| own == name);
        found.and_then(|(_, values)| values.first()).map(String::as_str)
    }
}

pub(super) fn logical_lines(text: &str, found: &mut BTreeSet<String>) -> Vec<Line> {
    let Some(text) = text.strip_suffix("\r\n") else {
        found.insert("the last line has no end".to_owned());
        return Vec::new();
    };
    let mut joined: Vec<String> = Vec::new();
    for line in text.split("\r\n") {
        if line.len() > 75 {
            found.insert("a line of more than 75 octets".to_owned());
        }
        if line.contains(['\r', '\n']) {
            found.insert("a line that does not end with CRLF".to_owned());
        }
        if line.chars().any(|char| char.is_control() && char != '\t') {
            found.insert("a control character".to_owned());
        }
        match (line.strip_prefix([' ', '\t']), joined.last_mut()) {
            (Some(rest), Some(before)) => before.push_str(rest),
            (Some(_), None) => {
                found.insert("a fold before the first line".to_owned());
            }
            (None, _) => joined.push(line.to_owned()),
        }
    }
    let read = |line: &String| {
        let read = line_of(line);
        if read.is_none() {
            found.insert(format!("no content line: {}", line.chars().take(30).collect::<String>()));
        }
        read
    };
    joined.iter().filter_map(read).collect()
}

fn line_of(text: &str) -> Option<Line> {
    let is_name = |char: char| char.is_ascii_alphanumeric() || char == '-';
    let end = text.find(|char| !is_name(char)).filter(|end| *end > 0)?;
    let (name, mut rest) = text.split_at(end);
    let mut parameters = Vec::new();
    while let Some(after) = rest.strip_prefix(';') {
        let end = after.find('=').filter(|end| *end > 0 && after[..*end].chars().all(is_name))?;
        let parameter = after[..end].to_ascii_uppercase();
        rest = &after[end..];
        let mut values = Vec::new();
        while let Some(after) = rest.strip_prefix(if values.is_empty() { '=' } else { ',' }) {
            let (value, behind) = value_of(after)?;
            values.push(value);
            rest = behind;
        }
        parameters.push((parameter, values));
    }
    Some(Line { name: name.to_ascii_uppercase(), parameters, value: rest.strip_prefix(':')?.to_owned() })
}

/// `paramtext / quoted-string`, and what stands behind it.
fn value_of(text: &str) -> Option<(String, &str)> {
    if let Some(quoted) = text.strip_prefix('"') {
        let (value, rest) = quoted.split_once('"')?;
        return Some((value.to_owned(), rest));
    }
    let end = text.find(['"', ';', ':', ','])?;
    if text[end..].starts_with('"') {
        return None;
    }
    Some((text[..end].to_owned(), &text[end..]))
}
