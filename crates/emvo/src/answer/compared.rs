//! What was compared of each source, and what was not.

use emvo_core::reconcile::{Compared, DifferenceKind};
use schemars::JsonSchema;
use serde::Serialize;

use super::proof::Proof;
use crate::terminal::{Grid, GridColumn, grouped, sanitized};

/// One source: how much of it was compared, and what could not be.
#[derive(Serialize, JsonSchema)]
pub(super) struct SourceCompared<'p> {
    path: &'p str,
    events: usize,
    occurrences: usize,
    /// Tasks, journals and others.
    components: usize,
    /// Dates that are not as they were.
    differ: usize,
    /// Events with dates outside the period.
    outside: usize,
    /// Events, tasks and others that cannot be read.
    unread: usize,
    /// Why the file is no source at all, if it is none.
    #[serde(skip_serializing_if = "Option::is_none")]
    not_read: Option<&'p str>,
}

/// The headers of the table of them.
pub(super) const COLUMNS: [&str; 7] = [
    "source",
    "events",
    "dates",
    "tasks and others",
    "dates that differ",
    "outside the period",
    "not compared",
];

impl<'p> Proof<'p, '_> {
    /// Each source, those that could not be read at all last.
    pub(super) fn compared(&self) -> Vec<SourceCompared<'p>> {
        let differ = |path: &str| {
            let own = self.found.differences.iter().filter(|one| one.path == path);
            own.filter(|one| one.kind != DifferenceKind::Extra).count()
        };
        let read = self.sources.iter().filter(|source| !source.loaded.is_empty()).map(|source| {
            let Compared { events, occurrences, components, outside } =
                self.found.compared.get(&source.path).copied().unwrap_or_default();
            let set_aside = source.counts_set_aside();
            SourceCompared {
                path: &source.path,
                events,
                occurrences,
                components,
                differ: differ(&source.path),
                outside,
                unread: set_aside.events + set_aside.tasks + set_aside.journals + set_aside.others,
                not_read: None,
            }
        });
        let not_read = self.sources.iter().flat_map(|source| &source.beside.not_read);
        let not_read = not_read.map(|file| SourceCompared {
            path: file.path(),
            events: 0,
            occurrences: 0,
            components: 0,
            differ: 0,
            outside: 0,
            unread: 0,
            not_read: Some(file.in_words()),
        });
        read.chain(not_read).collect()
    }
}

impl SourceCompared<'_> {
    /// As a row of [`COLUMNS`].
    pub(super) fn row(&self) -> [String; 7] {
        let not_compared = match (self.not_read, self.unread) {
            (Some(what), _) => format!("all of it: {what}"),
            (None, 0) => String::new(),
            (None, unread) => format!("{} that cannot be read", grouped(unread)),
        };
        let numbers = [self.events, self.occurrences, self.components, self.differ, self.outside];
        let [events, dates, others, differ, outside] = numbers.map(grouped);
        [self.path.to_owned(), events, dates, others, differ, outside, not_compared]
    }
}

/// The table for a terminal.
pub(super) fn compared_lines(all: &[SourceCompared<'_>]) -> String {
    let mut grid = Grid::new(&[
        GridColumn::Path("Source"),
        GridColumn::Number("Events"),
        GridColumn::Number("Dates"),
        GridColumn::Number("Tasks…"),
        GridColumn::Number("Differ"),
        GridColumn::Number("Outside"),
        GridColumn::Text("Not compared"),
    ]);
    for one in all {
        grid.row(one.row().map(|cell| sanitized(&cell)));
    }
    format!("\nWhat was compared\n{}\n", grid.show())
}
