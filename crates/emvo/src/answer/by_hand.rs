//! What is left to do by hand in a destination that takes no updates: which events
//! to delete there, which to move, which to change, what to decide on, in words.

use std::path::Path;

use emvo_core::snapshot::{Changes, Entry, OtherChange, Pair, Standing};
use emvo_ical::calendar::ComponentKind;
use schemars::JsonSchema;
use serde::Serialize;

use super::sheet::sheet;
use crate::output::is_sheet;
use crate::terminal::grouped;

/// What somebody has to do.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Chore {
    Delete,
    Move,
    Change,
    /// To decide whether two are one.
    Decide,
}

impl Chore {
    const ALL: [Self; 4] = [Self::Delete, Self::Move, Self::Change, Self::Decide];

    fn word(self) -> &'static str {
        match self {
            Self::Delete => "delete",
            Self::Move => "move",
            Self::Change => "change",
            Self::Decide => "decide on",
        }
    }
}

struct Row {
    chore: Chore,
    title: String,
    when: String,
    location: String,
    /// What to change, in words; empty where all of it goes.
    how: String,
    calendar: String,
    uid: String,
}

/// One thing to do, for programs.
#[derive(Serialize, JsonSchema)]
pub(crate) struct ChoreJson<'r> {
    #[schemars(extend("enum" = ["delete", "move", "change", "decide on"]))]
    what: &'static str,
    uid: &'r str,
    title: &'r str,
    when: &'r str,
    how: &'r str,
}

/// A list for a person.
#[derive(Default)]
pub(crate) struct ByHand {
    rows: Vec<Row>,
}

impl ByHand {
    /// What happened between two snapshots, to be done by hand in a destination that
    /// has the earlier one; `names` are those of its calendars.
    pub(crate) fn of(found: &Changes<'_, '_>, removed: &[Entry<'_, '_>], names: &[String]) -> Self {
        let name = |side: usize| names.get(side).cloned().unwrap_or_default();
        let deleted =
            removed.iter().map(|entry| row_of(Chore::Delete, entry, String::new(), name(entry.side)));
        let moved = found.moved.iter().map(|pair| row_of_pair(Chore::Move, pair, name(pair.old.side)));
        let changed = found.changed.iter().map(|pair| row_of_pair(Chore::Change, pair, name(pair.old.side)));
        Self { rows: deleted.chain(moved).chain(changed).collect() }
    }

    /// With the tasks, journals and others that were changed or removed.
    pub(crate) fn with_others(mut self, others: &[OtherChange<'_, '_>]) -> Self {
        for other in others.iter().filter(|other| other.old.is_some()) {
            let is_gone = other.new.is_none();
            let told = &other.told;
            self.rows.push(Row {
                chore: if is_gone { Chore::Delete } else { Chore::Change },
                title: told.title.clone(),
                when: format!("({})", kind_of(other)),
                location: String::new(),
                how: told.fields.join(", "),
                calendar: String::new(),
                uid: told.uid.clone(),
            });
        }
        self
    }

    /// With what stands in a destination as other events than those that are imported:
    /// dates of a series that the import brings as a whole, and events that may be older
    /// versions, or another person's; not of those that are `gone` as it is.
    pub(crate) fn with_standing(
        mut self,
        standing: &[Standing<'_, '_>],
        gone: &[Entry<'_, '_>],
        names: &[String],
    ) -> Self {
        let name = |side: usize| names.get(side).cloned().unwrap_or_default();
        let is_left =
            |there: &&Entry<'_, '_>| !gone.iter().any(|entry| std::ptr::eq(entry.series, there.series));
        for one in standing.iter().filter(|one| !one.is_whole) {
            let (lead, span) = (one.event.series.lead(), one.event.series.lead().span());
            for there in one.there.iter().filter(is_left) {
                let how = format!(
                    "the import brings this date with the series `{}` from {span} on",
                    lead.title().unwrap_or_default()
                );
                let chore = if there.series.repeats() { Chore::Decide } else { Chore::Delete };
                self.rows.push(row_of(chore, there, how, name(there.side)));
            }
            if let Some((there, field)) = one.otherwise.as_ref().filter(|(there, _)| is_left(&there)) {
                let how = format!(
                    "the import brings one of this title and time with another {field}: if the two are one, delete this one"
                );
                self.rows.push(row_of(Chore::Decide, there, how, name(there.side)));
            }
        }
        self
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.rows.is_empty()
    }

    /// `2 to delete, 1 to change`.
    pub(crate) fn counts(&self) -> String {
        let count = |chore: Chore| self.rows.iter().filter(|row| row.chore == chore).count();
        let parts = Chore::ALL.into_iter().map(|chore| (count(chore), chore.word()));
        let parts = parts.filter(|(count, _)| *count > 0);
        parts.map(|(count, word)| format!("{} to {word}", grouped(count))).collect::<Vec<_>>().join(", ")
    }

    /// The list as a sheet to tick off, or as lines to print, by the name of its file.
    pub(crate) fn bytes(&self, path: &Path) -> anyhow::Result<Vec<u8>> {
        if is_sheet(path) { self.as_sheet() } else { Ok(self.as_lines().into_bytes()) }
    }

    /// The list for programs.
    pub(crate) fn chores(&self) -> Vec<ChoreJson<'_>> {
        let chore = |row| {
            let Row { chore, title, when, how, uid, .. }: &Row = row;
            ChoreJson { what: chore.word(), uid, title, when, how }
        };
        self.rows.iter().map(chore).collect()
    }

    fn as_sheet(&self) -> anyhow::Result<Vec<u8>> {
        let rows = self.rows.iter().map(|row| {
            let [done, what] = [String::new(), row.chore.word().to_owned()];
            let Row { title, when, location, how, calendar, uid, .. } = row;
            let [title, when, how] = [title, when, how].map(Clone::clone);
            [done, what, title, when, how, location.clone(), calendar.clone(), uid.clone()]
        });
        sheet(["done", "what", "title", "when", "how", "location", "calendar", "uid"], rows)
    }

    fn as_lines(&self) -> String {
        let line = |row: &Row| {
            let how = if row.how.is_empty() { String::new() } else { format!(": {}", row.how) };
            format!("[ ] {} `{}` {}{how}\n", row.chore.word(), row.title, row.when)
        };
        self.rows.iter().map(line).collect()
    }
}

/// What a component is, for people.
pub(crate) fn kind_of<'o>(other: &'o OtherChange<'_, '_>) -> &'o str {
    match other.told.kind {
        ComponentKind::Event => "event",
        ComponentKind::Task => "task",
        ComponentKind::Journal => "journal",
        ComponentKind::Other => &other.told.name,
    }
}

fn row_of(chore: Chore, entry: &Entry<'_, '_>, how: String, calendar: String) -> Row {
    let lead = entry.series.lead();
    Row {
        chore,
        title: lead.title().unwrap_or_default().into_owned(),
        when: lead.span(),
        location: lead.location().unwrap_or_default().into_owned(),
        how,
        calendar,
        uid: entry.series.uid_text().into_owned(),
    }
}

fn row_of_pair(chore: Chore, pair: &Pair<'_, '_>, calendar: String) -> Row {
    row_of(chore, &pair.old, changes_in_words(pair), calendar)
}

/// `to 2026-09-16 08:00–09:30; location: Quay 2 → Quay 3`.
pub(crate) fn changes_in_words(pair: &Pair<'_, '_>) -> String {
    let mut parts = Vec::new();
    if pair.is_moved() {
        parts.push(format!("to {}", pair.new.series.lead().span()));
    }
    let others = pair.fields.iter().filter(|change| !matches!(change.field.as_str(), "start" | "end"));
    parts.extend(others.map(|change| {
        let said = |text: &str| if text.is_empty() { "nothing".to_owned() } else { text.replace('\n', " ") };
        let name = match &change.date {
            Some(date) => format!("on {date}"),
            None => change.field.clone(),
        };
        format!("{name}: {} → {}", said(&change.before), said(&change.after))
    }));
    parts.join("; ")
}
