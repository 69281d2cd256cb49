//! Runs the built program on files in a temporary folder.
#![allow(dead_code, reason = "each test file uses its own part of this")]
#![allow(clippy::unwrap_used, reason = "a test that cannot set up its files fails")]

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Output;

pub(crate) mod grammar;
pub(crate) mod schemas;
pub(crate) mod written;

use assert_cmd::Command;
use tempfile::TempDir;

/// A temporary folder with files in it.
pub(crate) struct Case {
    folder: TempDir,
}

/// How a run ended.
#[derive(Debug)]
pub(crate) struct Run {
    pub status: i32,
    pub stdout: String,
    pub stderr: String,
}

impl Case {
    pub(crate) fn new() -> Self {
        Self { folder: tempfile::tempdir().unwrap() }
    }

    /// The demo's exports, in `exports`.
    pub(crate) fn with_demo_exports() -> Self {
        let case = Self::new();
        copy(&demo_exports(), &case.path("exports"));
        case
    }

    pub(crate) fn file(self, name: &str, content: impl AsRef<[u8]>) -> Self {
        self.put(name, content);
        self
    }

    pub(crate) fn put(&self, name: &str, content: impl AsRef<[u8]>) {
        let path = self.path(name);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, content).unwrap();
    }

    pub(crate) fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    pub(crate) fn read(&self, name: &str) -> String {
        fs::read_to_string(self.path(name)).unwrap_or_else(|error| panic!("{name}: {error}"))
    }

    /// The files in the folder, by name.
    pub(crate) fn names(&self) -> Vec<String> {
        let mut names: Vec<_> = fs::read_dir(self.folder.path())
            .unwrap()
            .map(|entry| entry.unwrap().file_name().into_string().unwrap())
            .collect();
        names.sort();
        names
    }

    pub(crate) fn emvo(&self, arguments: &[&str]) -> Run {
        self.emvo_with_input(arguments, "")
    }

    pub(crate) fn emvo_with_input(&self, arguments: &[&str], input: &str) -> Run {
        let before = written::Calendars::in_folder(self.folder.path());
        let output = Command::cargo_bin("emvo")
            .unwrap()
            .args(arguments)
            .current_dir(self.folder.path())
            .env_clear()
            // Nobody's history is added to.
            .env("EMVO_LEDGER", "")
            .write_stdin(input)
            .output()
            .unwrap();
        let run = Run::of(&output);
        before.ensure_no_new_violation(self.folder.path(), input, arguments);
        if arguments.contains(&"--json") {
            schemas::ensure_as_promised(arguments, &run);
        }
        run
    }

    /// A run that has to end with this status.
    pub(crate) fn ends(&self, status: i32, arguments: &[&str]) -> Run {
        let run = self.emvo(arguments);
        assert_eq!(run.status, status, "{arguments:?}: {run:#?}");
        run
    }

    /// The JSON of a run that has to end with this status.
    pub(crate) fn json_ends(&self, status: i32, arguments: &[&str]) -> serde_json::Value {
        let run = self.ends(status, arguments);
        serde_json::from_str(&run.stdout).unwrap_or_else(|error| panic!("{error}: {run:#?}"))
    }

    pub(crate) fn json(&self, arguments: &[&str]) -> serde_json::Value {
        let run = self.emvo(arguments);
        serde_json::from_str(&run.stdout).unwrap_or_else(|error| panic!("{error}: {run:#?}"))
    }
}

impl Run {
    fn of(output: &Output) -> Self {
        Self {
            status: output.status.code().unwrap_or(-1),
            stdout: String::from_utf8(output.stdout.clone()).unwrap(),
            stderr: String::from_utf8(output.stderr.clone()).unwrap(),
        }
    }

    /// All of it as one text, for snapshots.
    pub(crate) fn shown(&self) -> String {
        let mut text = self.stdout.clone();
        if !self.stderr.is_empty() {
            text.push_str("--- stderr\n");
            text.push_str(&self.stderr);
        }
        text + &format!("--- status {}", self.status)
    }
}

pub(crate) fn demo_exports() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("demo/exports")
}

fn copy(from: &Path, to: &Path) {
    fs::create_dir_all(to).unwrap();
    for entry in fs::read_dir(from).unwrap() {
        let entry = entry.unwrap();
        let target = to.join(entry.file_name());
        if entry.file_type().unwrap().is_dir() {
            copy(&entry.path(), &target);
        } else {
            fs::copy(entry.path(), target).unwrap();
        }
    }
}

/// A calendar around some lines of events, each with the stamp that every event
/// has.
pub(crate) fn calendar(lines: &str) -> String {
    let stamped = lines.replace("BEGIN:VEVENT\n", "BEGIN:VEVENT\nDTSTAMP:20260101T000000Z\n");
    format!(
        "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//x//x//EN\r\n{}END:VCALENDAR\r\n",
        stamped.replace('\n', "\r\n")
    )
}
