//! A strict reader of iCalendar files for tests: the grammar of RFC 5545 and its tables
//! of which property and parameter may stand where, and how often. It shares no code
//! with what it checks, and forgives nothing.

mod lines;
mod tables;
mod values;

use std::collections::{BTreeMap, BTreeSet};

use lines::{Line, logical_lines};
use tables::{Times, component_table, parameter_may_stand_on};

/// What is wrong with a file, each kind once: `VEVENT: UID 0 times`.
pub(crate) fn violations(text: &str) -> BTreeSet<String> {
    let mut found = BTreeSet::new();
    let lines = logical_lines(text, &mut found);
    let mut reader = Reader { found, open: Vec::new(), defined: BTreeSet::new(), used: BTreeSet::new() };
    for line in &lines {
        reader.take(line);
    }
    if !reader.open.is_empty() {
        reader.found.insert("a component is not closed".to_owned());
    }
    for name in reader.used.difference(&reader.defined).filter(|name| !name.starts_with('/')) {
        reader.found.insert(format!("TZID {name} is not defined"));
    }
    reader.found
}

/// A component that is being read.
struct Open<'l> {
    name: String,
    lines: Vec<&'l Line>,
    inner: Vec<String>,
}

struct Reader<'l> {
    found: BTreeSet<String>,
    open: Vec<Open<'l>>,
    defined: BTreeSet<String>,
    used: BTreeSet<String>,
}

impl<'l> Reader<'l> {
    fn take(&mut self, line: &'l Line) {
        match line.name.as_str() {
            "BEGIN" => {
                if let Some(outer) = self.open.last_mut() {
                    outer.inner.push(line.value.to_ascii_uppercase());
                    if !tables::may_hold(&outer.name, &line.value) {
                        self.found.insert(format!("{} in {}", line.value, outer.name));
                    }
                } else if line.value != "VCALENDAR" {
                    self.found.insert(format!("{} outside a calendar", line.value));
                }
                let name = line.value.to_ascii_uppercase();
                self.open.push(Open { name, lines: Vec::new(), inner: Vec::new() });
            }
            "END" => match self.open.pop() {
                Some(open) if open.name.eq_ignore_ascii_case(&line.value) => self.close(&open),
                _ => {
                    self.found.insert("END without its BEGIN".to_owned());
                }
            },
            _ => match self.open.last_mut() {
                Some(open) => open.lines.push(line),
                None => {
                    self.found.insert(format!("{} outside a component", line.name));
                }
            },
        }
    }

    fn close(&mut self, open: &Open<'_>) {
        let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
        for line in &open.lines {
            *counts.entry(&line.name).or_insert(0) += 1;
        }
        let count = |name: &str| counts.get(name).copied().unwrap_or(0);
        for (name, times) in component_table(&open.name) {
            let there = count(name);
            let fits = match times {
                Times::One => there == 1,
                Times::AtMostOne => there <= 1,
            };
            if !fits {
                self.found.insert(format!("{}: {name} {there} times", open.name));
            }
        }
        for message in tables::combinations(&open.name, &open.lines, &open.inner) {
            self.found.insert(format!("{}: {message}", open.name));
        }
        for line in &open.lines {
            if let Some(message) = values::fault_of(&open.name, line, &open.lines) {
                self.found.insert(format!("{}: {} {message}", open.name, line.name));
            }
            self.parameters(line);
        }
        if open.name == "VTIMEZONE" {
            self.defined
                .extend(open.lines.iter().filter(|line| line.name == "TZID").map(|line| line.value.clone()));
        }
    }

    fn parameters(&mut self, line: &Line) {
        let mut seen = BTreeSet::new();
        for (name, values) in &line.parameters {
            if !seen.insert(name) {
                self.found.insert(format!("{}: {name} twice", line.name));
            }
            if !parameter_may_stand_on(name, &line.name) {
                self.found.insert(format!("{name} on {}", line.name));
            }
            if name == "TZID" {
                self.used.extend(values.iter().cloned());
            }
        }
    }
}
