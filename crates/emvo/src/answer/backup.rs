//! The answer about a backup.

use std::fmt::Write as _;

use serde::Serialize;

use super::{Answer, Detail};
use crate::output::backup::{Entry, Manifest};
use crate::terminal::{ERROR, GOOD, WARNING, counted, sanitized, styled};

/// A backup that was read again.
pub(crate) struct Backup {
    pub(crate) path: String,
    pub(crate) manifest: Manifest,
    /// What is not as the manifest says.
    pub(crate) faults: Vec<String>,
    /// Events of the inputs that could not be read and are not in it.
    pub(crate) set_aside: usize,
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
        let shown = sanitized(&self.path);
        // Writing into a string cannot fail, here and below.
        let _ =
            writeln!(out, "{}: {calendars} in {shown}, read again and as they were", styled(GOOD, "Whole"));
        if self.set_aside > 0 {
            let (one, many) = ("event could not be read and is", "events could not be read and are");
            let events = counted(self.set_aside, one, many);
            let _ = writeln!(
                out,
                "{} {events} not in the backup: keep the exports as well",
                styled(WARNING, "!")
            );
        }
        out
    }

    fn json(&self) -> impl Serialize {
        let Self { path, manifest, faults, set_aside } = self;
        BundleJson { path, calendars: &manifest.calendars, set_aside: *set_aside, faults }
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

#[derive(Serialize)]
struct BundleJson<'b> {
    path: &'b str,
    calendars: &'b [Entry],
    set_aside: usize,
    faults: &'b [String],
}
