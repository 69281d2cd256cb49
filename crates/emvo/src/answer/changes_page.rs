//! The page and the sheet of a comparison of two snapshots.

use emvo_core::snapshot::{Entry, OtherChange, Outside, Pair};
use emvo_report::{Mood, Page, Verdict};

use super::Reported;
use super::by_hand::{changes_in_words, kind_of};
use super::changes::Compared;
use super::page::{made_by, table};
use super::sheet::sheet;
use crate::terminal::counted;

const COLUMNS: [&str; 6] = ["what", "when", "now", "title", "what differs", "id"];

impl Reported for Compared<'_, '_> {
    fn page(&self) -> Page {
        let found = &self.found;
        let counts = [
            (found.added.len(), "added"),
            (found.changed.len(), "changed"),
            (found.moved.len(), "moved"),
            (found.removed.len(), "removed"),
            (found.outside.len(), "outside the dates that the later export covers"),
            (found.others.len(), "tasks and other components"),
            (found.lines.len(), "lines about the calendars themselves"),
            (found.unchanged.len(), "as they were"),
        ];
        let differing: usize = counts[..7].iter().map(|(count, _)| count).sum();
        let names = self.snapshots.map(|sources| {
            let paths: Vec<&str> = sources.iter().map(|source| source.path.as_str()).collect();
            if paths.len() > 4 { format!("{} files", paths.len()) } else { paths.join(", ") }
        });
        Page {
            title: "What has changed?".to_owned(),
            subtitle: format!("{} and then {}", names[0], names[1]),
            verdict: Verdict {
                mood: if differing == 0 { Mood::Good } else { Mood::Wait },
                word: match differing {
                    0 => "Nothing".to_owned(),
                    count => counted(count, "difference", "differences"),
                },
                sentence: format!(
                    "{} of the later export {} as in the earlier one.",
                    counted(found.unchanged.len(), "event", "events"),
                    if found.unchanged.len() == 1 { "is" } else { "are" }
                ),
            },
            counts: counts
                .into_iter()
                .filter(|(count, _)| *count > 0)
                .map(|(count, what)| (count, what.to_owned()))
                .collect(),
            by_hand: self.unread(),
            tables: vec![table(
                "What differs",
                "One row for each event; a series is one event.",
                &COLUMNS,
                self.rows().into_iter().map(|row| row.to_vec()),
            )],
            made_by: made_by(),
            ..Page::default()
        }
    }

    fn sheet(&self) -> anyhow::Result<Vec<u8>> {
        sheet(COLUMNS, self.rows().into_iter())
    }
}

impl Compared<'_, '_> {
    /// Everything that differs, a row each.
    fn rows(&self) -> Vec<[String; 6]> {
        let found = &self.found;
        let single = |what: &str, entry: &Entry<'_, '_>, differs: String| {
            [what.to_owned(), when(entry), String::new(), title(entry), differs, id(entry)]
        };
        let pair = |what: &str, pair: &Pair<'_, '_>| {
            let old = &pair.old;
            [what.to_owned(), when(old), when(&pair.new), title(old), changes_in_words(pair), id(old)]
        };
        let outside = |one: &Outside<'_, '_>| {
            let goes_on = one.goes_on.map(|day| format!("its dates before {day}"));
            single("outside", &one.entry, goes_on.unwrap_or_default())
        };
        let added = found.added.iter().map(|entry| single("added", entry, String::new()));
        let changed = found.changed.iter().map(|one| pair("changed", one));
        let moved = found.moved.iter().map(|one| pair("moved", one));
        let removed = found.removed.iter().map(|entry| single("removed", entry, String::new()));
        let events = added.chain(changed).chain(moved).chain(removed);
        let lines = found.lines.iter().map(|line| {
            let differs = format!("{}: {} → {}", line.field, line.before, line.after);
            let [none, also, title, id] = [const { String::new() }; 4];
            ["about the calendar".to_owned(), none, also, title, differs, id]
        });
        events
            .chain(found.outside.iter().map(outside))
            .chain(found.others.iter().map(other))
            .chain(lines)
            .collect()
    }
}

fn other(one: &OtherChange<'_, '_>) -> [String; 6] {
    let what = match (one.old, one.new) {
        (None, _) => "added",
        (_, None) => "removed",
        _ => "changed",
    };
    let told = &one.told;
    let what = format!("{} {what}", kind_of(one));
    [what, String::new(), String::new(), told.title.clone(), told.fields.join(", "), told.uid.clone()]
}

fn when(entry: &Entry<'_, '_>) -> String {
    entry.series.lead().span()
}

fn title(entry: &Entry<'_, '_>) -> String {
    entry.series.lead().title().unwrap_or_default().into_owned()
}

fn id(entry: &Entry<'_, '_>) -> String {
    entry.series.uid_text().into_owned()
}
