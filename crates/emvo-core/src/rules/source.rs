//! A file around its calendars, for the rules that look at how it is written.

use std::collections::BTreeMap;

use super::{Finding, Findings, Level, RULES, RuleChoice, RuleId, Safety};
use crate::advice::{Advice, Advised};
use crate::fit::Limits;
use crate::table::{Note, NoteKind, SetAsideRow, TableError};
use emvo_ical::calendar::{Calendar, Unsound};
use emvo_ical::content::{Charset, Fault, WireForm};

/// What is known about a file besides the events that could be read from it.
#[derive(Debug)]
pub struct SourceFacts<'s, 'a> {
    /// How its bytes were read.
    pub charset: Charset,
    /// How the lines of a calendar file are written; `None` for a table.
    pub form: Option<WireForm>,
    /// Of each calendar from before the standard, what the standard has no place for.
    pub old_forms: &'s [BTreeMap<String, usize>],
    /// What a file holds.
    pub calendars: Vec<&'s Calendar<'a>>,
    /// Parts of a calendar file that are no components.
    pub faults: &'s [Fault<'a>],
    /// Events that cannot be placed in time.
    pub unsound: Vec<&'s Unsound<'a>>,
    /// Rows of a table that are no events.
    pub rows: &'s [SetAsideRow],
    /// How a table was read.
    pub notes: &'s [Note],
    /// What a person has to decide before a table can be read at all.
    pub undecided: Option<TableError>,
    /// What the destination accepts, if it is known.
    pub limits: Option<&'s Limits>,
}

impl SourceFacts<'_, '_> {
    /// Whether it is a calendar file, and no table.
    pub(super) fn is_calendar_file(&self) -> bool {
        self.form.is_some()
    }
}

/// Where in a file something was found.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Place {
    /// A line of a calendar file.
    pub(super) line: u32,
    /// A row of a table.
    pub(super) row: Option<u64>,
}

impl Place {
    pub(super) fn line(line: u32) -> Self {
        Self { line, row: None }
    }

    pub(super) fn row(row: Option<u64>) -> Self {
        Self { line: 0, row }
    }
}

impl Findings {
    /// Reports a fault of a file. A safe one is settled by any command that
    /// writes.
    pub(super) fn in_file(
        &mut self,
        rule: RuleId,
        level: Level,
        place: Place,
        title: &str,
        message: impl Into<Advised>,
        safety: Safety,
    ) {
        let Advised { message, advice } = message.into();
        self.list.push(Finding {
            rule,
            level,
            series: None,
            uid: String::new(),
            title: title.to_owned(),
            start: String::new(),
            repeats: String::new(),
            line: place.line,
            row: place.row,
            message,
            advice,
            safety,
            edit: None,
        });
    }
}

/// Looks at a file with the chosen rules.
pub fn check_source(facts: &SourceFacts<'_, '_>, choice: &RuleChoice) -> Vec<Finding> {
    let mut found = Findings::default();
    for rule in RULES.iter().filter(|rule| choice.takes(rule.id())) {
        rule.check_source(facts, &mut found);
    }
    found.list
}

/// Reports the notes of one kind that reading a table made.
pub(super) fn report_notes(
    rule: &dyn super::Rule,
    kind: NoteKind,
    level: Level,
    safety: Safety,
    facts: &SourceFacts<'_, '_>,
    found: &mut Findings,
) {
    for note in facts.notes.iter().filter(|note| note.kind == kind) {
        let advice = (kind == NoteKind::RepeatFlagOnly).then_some(Advice::SayHowRowsRepeat);
        let message = Advised { message: note.words.clone(), advice };
        found.in_file(rule.id(), level, Place::row(note.row), &note.title, message, safety);
    }
}
