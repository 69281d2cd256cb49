//! The answer of a comparison of two snapshots.

use std::fmt::Write as _;

use emvo_core::snapshot::{Changes, Entry, Pair};
use serde::Serialize;

use super::list::unread_line;
use super::{Answer, Detail};
use crate::input::{Given, Source, given};
use crate::terminal::{DIM, STRONG, WARNING, counted, grouped, sanitized, styled};

/// How many events of a kind a usual answer lists.
const FEW: usize = 12;

/// What happened between two snapshots, and where it was written.
pub(crate) struct Compared<'c, 't> {
    pub(crate) found: Changes<'c, 't>,
    /// The files that were written.
    pub(crate) outputs: Vec<String>,
    pub(crate) removed: Removed,
    pub(crate) snapshots: [&'c [Source<'t>]; 2],
}

/// Whether what was removed is in a file of its own.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Removed {
    /// It is, or nothing is written at all.
    Told,
    /// The delta cannot say it, and nothing else does.
    Untold,
}

impl Compared<'_, '_> {
    pub(crate) fn differs(&self) -> bool {
        let Changes { added, changed, moved, removed, outside, .. } = &self.found;
        added.len() + changed.len() + moved.len() + removed.len() + outside.len() > 0
    }

    /// What could not be compared.
    pub(crate) fn unread(&self) -> Vec<String> {
        let [old, new] = self.snapshots;
        let of = |name: &str, sources| Some(format!("of the {name} snapshot, {}", unread_line(sources)?));
        of("earlier", old).into_iter().chain(of("later", new)).collect()
    }
}

impl Answer for Compared<'_, '_> {
    const COMMAND: &'static str = "changes";

    fn text(&self, detail: Detail) -> String {
        let mut out = text(&self.found, detail);
        for output in &self.outputs {
            // Writing into a string cannot fail, here and below.
            let _ = writeln!(out, "wrote {}", sanitized(output));
        }
        let removed = self.found.removed.len();
        if self.removed == Removed::Untold && removed > 0 {
            let removed = counted(removed, "removed event is", "removed events are");
            let _ = writeln!(
                out,
                "{} {removed} in no file: --cancellations list.csv says what to delete by hand",
                styled(WARNING, "!")
            );
        }
        out
    }

    fn json(&self) -> impl Serialize {
        to_json(&self.found, self.outputs.clone())
    }

    fn inputs(&self) -> Vec<Given> {
        given(self.snapshots.into_iter().flatten())
    }

    fn warnings(&self) -> Vec<String> {
        let names = &self.found.taken_for_stamps;
        let stamps = (!names.is_empty()).then(|| {
            format!(
                "{} differs in nearly every event and was taken for a stamp, not for a change",
                names.join(", ")
            )
        });
        self.unread().into_iter().chain(stamps).collect()
    }
}

fn text(found: &Changes<'_, '_>, detail: Detail) -> String {
    let mut out = String::new();
    let single = |entry: &Entry<'_, '_>| (shown(entry), String::new());
    let pair = |pair: &Pair<'_, '_>| {
        let now = pair.new.series.lead().span();
        let is_moved = pair.fields.iter().any(|field| field == "start" || field == "end");
        let what = if is_moved { format!("→ {now}") } else { pair.fields.join(", ") };
        (shown(&pair.old), what)
    };
    let lists: [(&str, Vec<(String, String)>); 5] = [
        ("added", found.added.iter().map(single).collect()),
        ("changed", found.changed.iter().map(pair).collect()),
        ("moved", found.moved.iter().map(pair).collect()),
        ("removed", found.removed.iter().map(single).collect()),
        ("outside the dates that the later export covers", found.outside.iter().map(single).collect()),
    ];
    // Writing into a string cannot fail, here and below.
    for (name, list) in lists.iter().filter(|(_, list)| !list.is_empty()) {
        let _ = writeln!(out, "{}", styled(STRONG, format!("{} {name}", grouped(list.len()))));
        let few = if detail == Detail::All { usize::MAX } else { FEW };
        for (event, what) in list.iter().take(few) {
            let what =
                if what.is_empty() { String::new() } else { format!("  {}", styled(DIM, sanitized(what))) };
            let _ = writeln!(out, "  {}{what}", sanitized(event));
        }
        if list.len() > few {
            let more = counted(list.len() - few, "more", "more");
            let _ = writeln!(out, "  {}", styled(DIM, format!("and {more}; -v lists them")));
        }
    }
    let same = counted(found.unchanged, "event is as it was", "events are as they were");
    let _ = writeln!(out, "{same}");
    out
}

fn shown(entry: &Entry<'_, '_>) -> String {
    let lead = entry.series.lead();
    format!("{}  {}", lead.span(), lead.title().unwrap_or_default())
}

#[derive(Serialize)]
struct ChangesJson {
    added: Vec<EventJson>,
    changed: Vec<EventJson>,
    moved: Vec<EventJson>,
    removed: Vec<EventJson>,
    outside: Vec<EventJson>,
    counts: CountsJson,
    outputs: Vec<String>,
}

#[derive(Serialize)]
struct CountsJson {
    added: usize,
    changed: usize,
    moved: usize,
    removed: usize,
    outside: usize,
    unchanged: usize,
}

#[derive(Serialize)]
struct EventJson {
    uid: String,
    title: String,
    start: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    new_start: Option<String>,
    fields: Vec<String>,
}

impl EventJson {
    fn of(entry: &Entry<'_, '_>) -> Self {
        let lead = entry.series.lead();
        Self {
            uid: entry.series.uid_text().into_owned(),
            title: lead.title().unwrap_or_default().into_owned(),
            start: lead.start().to_string(),
            new_start: None,
            fields: Vec::new(),
        }
    }

    fn of_pair(pair: &Pair<'_, '_>) -> Self {
        let new_start = Some(pair.new.series.lead().start().to_string());
        Self { new_start, fields: pair.fields.clone(), ..Self::of(&pair.old) }
    }
}

fn to_json(found: &Changes<'_, '_>, outputs: Vec<String>) -> ChangesJson {
    let all = |list: &[Entry<'_, '_>]| list.iter().map(EventJson::of).collect::<Vec<_>>();
    let pairs = |list: &[Pair<'_, '_>]| list.iter().map(EventJson::of_pair).collect::<Vec<_>>();
    let counts = CountsJson {
        added: found.added.len(),
        changed: found.changed.len(),
        moved: found.moved.len(),
        removed: found.removed.len(),
        outside: found.outside.len(),
        unchanged: found.unchanged,
    };
    ChangesJson {
        added: all(&found.added),
        changed: pairs(&found.changed),
        moved: pairs(&found.moved),
        removed: all(&found.removed),
        outside: all(&found.outside),
        counts,
        outputs,
    }
}
