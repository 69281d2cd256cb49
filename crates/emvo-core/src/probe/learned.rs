//! What was learned of a destination, as a limits file.

use std::collections::BTreeMap;
use std::fmt::Write as _;

/// A key of a limits file, and what the probe tells of it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Key {
    /// Its name.
    pub name: &'static str,
    /// What is known of its value.
    pub value: Value,
    /// What speaks for that, or why nobody knows.
    pub evidence: String,
}

/// What is known of the value of a key.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Value {
    /// This, as TOML has it.
    Known(String),
    /// The destination has no such limit, as far as the probe reaches.
    NoLimit,
    /// Nothing.
    Unknown,
}

/// What a probe tells of a destination.
#[derive(Clone, Debug, Default)]
pub struct Learned {
    /// The keys of its limits file, in the order of the file.
    pub keys: Vec<Key>,
    /// What it does, in plain words: whatever is not as the standard has it.
    pub told: Vec<String>,
    /// Whether events are missing that nobody refuses: then the export is a part of the
    /// calendar, and what is missing tells nothing.
    pub is_of_part: bool,
}

/// Why a key is not known.
pub(super) const TOO_LITTLE: &str = "too little of the probe came back";
pub(super) const OF_PART: &str = "events are missing that nobody refuses, so what is missing tells nothing";

impl Learned {
    /// Notes the value of a key.
    pub(super) fn know(&mut self, name: &'static str, value: impl Into<String>, evidence: impl Into<String>) {
        self.keys.push(Key { name, value: Value::Known(value.into()), evidence: evidence.into() });
    }

    /// Notes a word as the value of a key.
    pub(super) fn know_word(&mut self, name: &'static str, word: &str, evidence: impl Into<String>) {
        self.know(name, format!("\"{word}\""), evidence);
    }

    /// Notes the value of a key that is known from what did not come back.
    pub(super) fn know_by_absence(
        &mut self,
        name: &'static str,
        value: impl Into<String>,
        evidence: impl Into<String>,
    ) {
        if self.is_of_part {
            self.miss(name, OF_PART);
        } else {
            self.know(name, value, evidence);
        }
    }

    /// Notes that a destination has no limit of a kind.
    pub(super) fn no_limit(&mut self, name: &'static str, evidence: impl Into<String>) {
        self.keys.push(Key { name, value: Value::NoLimit, evidence: evidence.into() });
    }

    /// Notes that a key is not known.
    pub(super) fn miss(&mut self, name: &'static str, why: impl Into<String>) {
        self.keys.push(Key { name, value: Value::Unknown, evidence: why.into() });
    }

    /// The value of a key, where it is known.
    pub(super) fn value(&self, name: &str) -> Option<&str> {
        self.known().find(|(known, _)| *known == name).map(|(_, value)| value)
    }

    /// Notes what is worth telling.
    pub(super) fn tell(&mut self, words: impl Into<String>) {
        self.told.push(words.into());
    }

    /// Takes what an earlier limits file says for whatever is not known now; `earlier` has
    /// the values as TOML has them. A probe that went into several files cannot tell how much
    /// one file may hold.
    pub fn fill_from(&mut self, earlier: &BTreeMap<String, String>) {
        let of_files = ["events_per_file", "bytes_per_file"];
        for key in &mut self.keys {
            let is_open = match key.value {
                Value::Known(_) => false,
                Value::NoLimit => of_files.contains(&key.name),
                Value::Unknown => true,
            };
            if let Some(value) = earlier.get(key.name).filter(|_| is_open) {
                key.value = Value::Known(value.clone());
                key.evidence = format!("as the earlier file has it; {}", key.evidence);
            }
        }
        for name in ["zone", "columns"] {
            if let (Some(value), false) = (earlier.get(name), self.keys.iter().any(|key| key.name == name)) {
                self.know(name, value.clone(), "as the earlier file has it");
            }
        }
    }

    /// The keys whose value is known.
    pub fn known(&self) -> impl Iterator<Item = (&'static str, &str)> {
        self.keys.iter().filter_map(|key| match &key.value {
            Value::Known(value) => Some((key.name, value.as_str())),
            Value::NoLimit | Value::Unknown => None,
        })
    }

    /// The limits file, with the evidence beside each key.
    pub fn to_toml(&self, headline: &str) -> String {
        let mut out = String::new();
        // Writing into a string cannot fail, here and below.
        let _ = writeln!(out, "# {}", one_line(headline));
        for Key { name, value, evidence } in &self.keys {
            let evidence = one_line(evidence);
            let _ = match value {
                Value::Known(value) => writeln!(out, "\n# {evidence}\n{name} = {value}"),
                Value::NoLimit => writeln!(out, "\n# {name}: no limit was met; {evidence}"),
                Value::Unknown => writeln!(out, "\n# {name}: not known; {evidence}"),
            };
        }
        out
    }
}

/// A comment ends with its line.
fn one_line(text: &str) -> String {
    text.chars().map(|char| if char.is_control() { ' ' } else { char }).collect()
}
