//! The answer about a backup.

use std::fmt::Write as _;

use schemars::JsonSchema;
use serde::Serialize;

use super::{Answer, Detail};
use crate::output::backup::{Entry, Manifest, Original};
use crate::terminal::{ERROR, GOOD, WARNING, counted, sanitized, styled};

/// A backup that was read again.
pub(crate) struct Backup {
    pub(crate) path: String,
    pub(crate) manifest: Manifest,
    /// What is not as the manifest says.
    pub(crate) faults: Vec<String>,
}

impl Answer for Backup {
    const COMMAND: &'static str = "bundle";

    fn text(&self, _: Detail) -> String {
        if !self.faults.is_empty() {
            let line = |fault: &String| format!("{} {}\n", styled(ERROR, "broken"), sanitized(fault));
            return self.faults.iter().map(line).collect();
        }
        let mut out: String = self.manifest.calendars.iter().map(line_of).collect();
        let calendars = counted(self.manifest.calendars.len(), "calendar", "calendars");
        let originals = match self.manifest.originals.len() {
            0 => String::new(),
            many => format!(" and {}", counted(many, "export as it came", "exports as they came")),
        };
        let shown = sanitized(&self.path);
        // Writing into a string cannot fail, here and below.
        let _ = writeln!(
            out,
            "{}: {calendars}{originals} in {shown}, read again and unchanged",
            if self.manifest.not_read == 0 { styled(GOOD, "Whole") } else { styled(WARNING, "Kept") }
        );
        if self.manifest.not_read > 0 {
            let (one, many) = ("export was none that can be read", "exports were none that can be read");
            let files = counted(self.manifest.not_read, one, many);
            let mark = styled(WARNING, "!");
            let _ = writeln!(out, "{mark} {files}: what should stand there is not in the backup");
        }
        if self.manifest.set_aside > 0 {
            let (one, many) = ("event cannot be read and stands", "events cannot be read and stand");
            let events = counted(self.manifest.set_aside, one, many);
            let mark = styled(WARNING, "!");
            let _ = writeln!(out, "{mark} {events} in the exports alone (originals/), not in the calendars");
        }
        out
    }

    fn json(&self) -> impl Serialize + JsonSchema {
        let Self { path, manifest, faults } = self;
        let Manifest { calendars, originals, set_aside, not_read, .. } = manifest;
        BundleJson { path, calendars, originals, set_aside: *set_aside, not_read: *not_read, faults }
    }
}

fn line_of(one: &Entry) -> String {
    let range = match (&one.first, &one.last) {
        (Some(first), Some(last)) => format!(", {first} to {last}"),
        _ => String::new(),
    };
    let events = counted(one.events, "event", "events");
    format!("  {}\n", sanitized(&format!("{}  {events}{range}  ({})", one.file, one.name)))
}

#[derive(Serialize, JsonSchema)]
struct BundleJson<'b> {
    path: &'b str,
    calendars: &'b [Entry],
    originals: &'b [Original],
    set_aside: usize,
    not_read: usize,
    faults: &'b [String],
}

/// What came back out of a backup.
pub(crate) struct Restored {
    pub(crate) backup: String,
    pub(crate) outputs: Vec<String>,
}

impl Answer for Restored {
    const COMMAND: &'static str = "bundle";

    fn text(&self, _: Detail) -> String {
        let mut out = String::new();
        for path in &self.outputs {
            let _ = writeln!(out, "wrote {}", sanitized(path));
        }
        let files = counted(self.outputs.len(), "file", "files");
        let _ = writeln!(out, "{files} out of {}, unchanged", sanitized(&self.backup));
        out
    }

    fn json(&self) -> impl Serialize + JsonSchema {
        RestoredJson { path: &self.backup, outputs: &self.outputs }
    }
}

#[derive(Serialize, JsonSchema)]
struct RestoredJson<'r> {
    path: &'r str,
    outputs: &'r [String],
}
