//! The answer of a comparison of two snapshots.

use std::fmt::Write as _;

use emvo_core::snapshot::{Changes, Entry, LineChange, OtherChange, Outside, Pair};
use schemars::JsonSchema;
use serde::Serialize;

use super::by_hand::{ByHand, changes_in_words, kind_of};
use super::list::unread_line;
use super::{Answer, Detail, Stream};
use crate::input::{Given, Source, given};
use crate::terminal::{DIM, STRONG, WARNING, counted, grouped, sanitized, styled};

/// How many events of a kind a usual answer lists.
const FEW: usize = 12;

/// What happened between two snapshots, and where it was written.
pub(crate) struct Compared<'c, 't> {
    pub(crate) found: Changes<'c, 't>,
    /// What a destination without updates leaves to people, if that is asked for.
    pub(crate) by_hand: ByHand,
    /// The files that were written.
    pub(crate) outputs: Vec<String>,
    pub(crate) told: Told,
    pub(crate) snapshots: [&'c [Source<'t>]; 2],
}

/// What of the differences a delta holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Content {
    /// What is new, changed or moved.
    WhatDiffers,
    /// What is new alone.
    WhatIsNew,
}

/// Which differences are in files of their own.
pub(crate) struct Told {
    /// What the delta holds, if there is one.
    pub(crate) written: Option<Content>,
    /// Whether what was removed is in a file.
    pub(crate) removed: bool,
    /// Whether there is a list for a person.
    pub(crate) by_hand: bool,
}

impl Compared<'_, '_> {
    pub(crate) fn differs(&self) -> bool {
        let Changes { added, changed, moved, removed, outside, others, lines, .. } = &self.found;
        added.len() + changed.len() + moved.len() + removed.len() + outside.len() > 0
            || !(others.is_empty() && lines.is_empty())
    }

    /// What could not be compared.
    pub(crate) fn unread(&self) -> Vec<String> {
        let [old, new] = self.snapshots;
        let of = |name: &str, sources| Some(format!("of the {name} snapshot, {}", unread_line(sources)?));
        of("earlier", old).into_iter().chain(of("later", new)).collect()
    }

    /// What differs and is in no file although a delta was written.
    fn untold(&self) -> Option<String> {
        match self.told.written? {
            _ if self.told.by_hand => None,
            Content::WhatIsNew if !self.by_hand.is_empty() => {
                Some(format!("in no file: {}; --by-hand list.csv says which and how", self.by_hand.counts()))
            }
            Content::WhatDiffers if !self.told.removed && !self.found.removed.is_empty() => {
                let removed = counted(self.found.removed.len(), "removed event is", "removed events are");
                Some(format!("{removed} in no file: --cancellations list.csv says what to delete by hand"))
            }
            Content::WhatIsNew | Content::WhatDiffers => None,
        }
    }
}

impl Answer for Compared<'_, '_> {
    const COMMAND: &'static str = "changes";

    fn text(&self, detail: Detail) -> String {
        let mut out = text(&self.found, detail);
        for output in self.outputs.iter().filter(|output| *output != "-") {
            // Writing into a string cannot fail, here and below.
            let _ = writeln!(out, "wrote {}", sanitized(output));
        }
        if let Some(untold) = self.untold() {
            let _ = writeln!(out, "{} {untold}", styled(WARNING, "!"));
        }
        out
    }

    fn json(&self) -> impl Serialize + JsonSchema {
        ChangesJson { warnings: self.warnings(), ..to_json(&self.found, self.outputs.clone()) }
    }

    fn inputs(&self) -> Vec<Given> {
        given(self.snapshots.into_iter().flatten())
    }

    fn stream(&self) -> Stream {
        Stream::beside(self.outputs.iter().map(String::as_str))
    }

    fn warnings(&self) -> Vec<String> {
        let names = &self.found.taken_for_stamps;
        let stamps = (!names.is_empty()).then(|| {
            format!(
                "{} differs in nearly every event and was taken for a stamp, not for a change",
                names.join(", ")
            )
        });
        let used_again = used_again_line(self.found.ids_used_again, "the later export");
        self.unread().into_iter().chain(stamps).chain(used_again).collect()
    }
}

/// That a system gives its ids to other events in each download.
pub(crate) fn used_again_line(ids: usize, there: &str) -> Option<String> {
    (ids > 0).then(|| {
        let ids = counted(ids, "id stands", "ids stand");
        format!("{ids} for other events in {there}: it counts anew in each download, so both are kept apart")
    })
}

fn text(found: &Changes<'_, '_>, detail: Detail) -> String {
    let mut out = String::new();
    let few = if detail == Detail::All { usize::MAX } else { FEW };
    let single = |entry: &Entry<'_, '_>| (shown(entry), String::new());
    let pair = |pair: &Pair<'_, '_>| {
        let what = match (detail, pair.is_moved()) {
            (Detail::All, _) => changes_in_words(pair),
            (Detail::Usual, true) => format!("→ {}", pair.new.series.lead().span()),
            (Detail::Usual, false) => pair.field_names().join(", "),
        };
        (shown(&pair.old), what)
    };
    let outside = |one: &Outside<'_, '_>| {
        let what = one.goes_on.map(|day| format!("its dates before {day}"));
        (shown(&one.entry), what.unwrap_or_default())
    };
    let other = |one: &OtherChange<'_, '_>| {
        let what = match (one.old, one.new) {
            (None, _) => "added".to_owned(),
            (_, None) => "removed".to_owned(),
            _ => one.told.fields.join(", "),
        };
        (format!("{} {}", kind_of(one), one.told.title), what)
    };
    let line = |one: &LineChange| (one.field.clone(), format!("{} → {}", one.before, one.after));
    let mut tell = |name: &str, count: usize, list: &mut dyn Iterator<Item = (String, String)>| {
        if count == 0 {
            return;
        }
        // Writing into a string cannot fail, here and below.
        let _ = writeln!(out, "{}", styled(STRONG, format!("{} {name}", grouped(count))));
        for (event, what) in list.take(few) {
            let what =
                if what.is_empty() { String::new() } else { format!("  {}", styled(DIM, sanitized(&what))) };
            let _ = writeln!(out, "  {}{what}", sanitized(&event));
        }
        if count > few {
            let more = counted(count - few, "more", "more");
            let _ = writeln!(out, "  {}", styled(DIM, format!("and {more}; -v lists them")));
        }
    };
    tell("added", found.added.len(), &mut found.added.iter().map(single));
    tell("changed", found.changed.len(), &mut found.changed.iter().map(pair));
    tell("moved", found.moved.len(), &mut found.moved.iter().map(pair));
    tell("removed", found.removed.len(), &mut found.removed.iter().map(single));
    let not_covered = "outside the dates that the later export covers";
    tell(not_covered, found.outside.len(), &mut found.outside.iter().map(outside));
    let not_events = "otherwise among tasks and other components";
    tell(not_events, found.others.len(), &mut found.others.iter().map(other));
    let of_calendars = "otherwise in what the calendars say of themselves";
    tell(of_calendars, found.lines.len(), &mut found.lines.iter().map(line));
    let same = counted(found.unchanged.len(), "event is as it was", "events are as they were");
    let _ = writeln!(out, "{same}");
    out
}

fn shown(entry: &Entry<'_, '_>) -> String {
    let lead = entry.series.lead();
    format!("{}  {}", lead.span(), lead.title().unwrap_or_default())
}

#[derive(Serialize, JsonSchema)]
struct ChangesJson {
    added: Vec<EventJson>,
    changed: Vec<EventJson>,
    moved: Vec<EventJson>,
    removed: Vec<EventJson>,
    outside: Vec<EventJson>,
    others: Vec<OtherJson>,
    calendar_lines: Vec<FieldJson>,
    counts: CountsJson,
    outputs: Vec<String>,
    warnings: Vec<String>,
}

#[derive(Serialize, JsonSchema)]
struct CountsJson {
    added: usize,
    changed: usize,
    moved: usize,
    removed: usize,
    outside: usize,
    unchanged: usize,
    others: usize,
}

#[derive(Serialize, JsonSchema)]
struct EventJson {
    uid: String,
    title: String,
    start: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    new_start: Option<String>,
    /// The first day of a series whose dates before that are outside.
    #[serde(skip_serializing_if = "Option::is_none")]
    goes_on: Option<String>,
    fields: Vec<String>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    changes: Vec<FieldJson>,
}

/// A field that says something else.
#[derive(Serialize, JsonSchema)]
struct FieldJson {
    field: String,
    /// The date of a series that this is about.
    #[serde(skip_serializing_if = "Option::is_none")]
    date: Option<String>,
    before: String,
    after: String,
}

/// A task, a journal or another component.
#[derive(Serialize, JsonSchema)]
struct OtherJson {
    kind: String,
    uid: String,
    title: String,
    #[schemars(extend("enum" = ["added", "changed", "removed"]))]
    what: &'static str,
    fields: Vec<String>,
}

impl OtherJson {
    fn of(other: &OtherChange<'_, '_>) -> Self {
        let what = match (other.old, other.new) {
            (None, _) => "added",
            (_, None) => "removed",
            _ => "changed",
        };
        let told = &other.told;
        Self {
            kind: kind_of(other).to_owned(),
            uid: told.uid.clone(),
            title: told.title.clone(),
            what,
            fields: told.fields.clone(),
        }
    }
}

impl EventJson {
    fn of(entry: &Entry<'_, '_>) -> Self {
        let lead = entry.series.lead();
        Self {
            uid: entry.series.uid_text().into_owned(),
            title: lead.title().unwrap_or_default().into_owned(),
            start: lead.start().to_string(),
            new_start: None,
            goes_on: None,
            fields: Vec::new(),
            changes: Vec::new(),
        }
    }

    fn of_pair(pair: &Pair<'_, '_>) -> Self {
        let new_start = Some(pair.new.series.lead().start().to_string());
        let changes = pair.fields.iter().map(|change| FieldJson {
            field: change.field.clone(),
            date: change.date.as_ref().map(ToString::to_string),
            before: change.before.clone(),
            after: change.after.clone(),
        });
        let fields = pair.field_names().into_iter().map(str::to_owned).collect();
        Self { new_start, fields, changes: changes.collect(), ..Self::of(&pair.old) }
    }

    fn of_outside(outside: &Outside<'_, '_>) -> Self {
        Self { goes_on: outside.goes_on.map(|day| day.to_string()), ..Self::of(&outside.entry) }
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
        unchanged: found.unchanged.len(),
        others: found.others.len(),
    };
    let lines = found.lines.iter().map(|line| FieldJson {
        field: line.field.clone(),
        date: None,
        before: line.before.clone(),
        after: line.after.clone(),
    });
    ChangesJson {
        added: all(&found.added),
        changed: pairs(&found.changed),
        moved: pairs(&found.moved),
        removed: all(&found.removed),
        outside: found.outside.iter().map(EventJson::of_outside).collect(),
        others: found.others.iter().map(OtherJson::of).collect(),
        calendar_lines: lines.collect(),
        counts,
        outputs,
        warnings: Vec::new(),
    }
}
