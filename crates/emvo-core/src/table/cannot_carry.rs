//! What a table has no place for, counted while its rows are written.

use std::collections::BTreeMap;

use super::COLUMN_PROPERTY;
use super::cells_of::{WrittenRow, minutes_before};
use super::column::ColumnField;
use super::columns_file::{Column, Content};
use super::row::REMINDER;
use emvo_ical::calendar::fields::Field;
use emvo_ical::calendar::{Event, Reach};
use emvo_ical::content::Component;

/// What a table has no place for, by name, with how often it was left out.
pub type CannotCarry = BTreeMap<String, usize>;

/// What the columns of a table hold.
pub(super) struct Places {
    /// Fields, one bit each.
    fields: u64,
    /// Whether a column holds the length.
    says_length: bool,
    /// Whether the time of the end is in a column of times.
    end_is_a_time_alone: bool,
}

impl Places {
    pub(super) fn of(columns: &[Column]) -> Self {
        Self::of_fields(columns.iter().filter_map(|column| match column.content {
            Content::Field(field) => Some(field),
            Content::Fixed(_) | Content::Carried => None,
        }))
    }

    pub(super) fn of_fields(fields: impl Iterator<Item = ColumnField>) -> Self {
        // Ids and times are held to be there by other checks, stamps are no
        // content.
        let always = [Field::Start, Field::End, Field::Uid, Field::Stamps];
        let columns: Vec<ColumnField> = fields.collect();
        let held = columns.iter().filter_map(|column| column.field());
        Self {
            fields: always.into_iter().chain(held).fold(0, |set, field| set | 1 << field as u64),
            says_length: columns.contains(&ColumnField::Duration),
            end_is_a_time_alone: !columns.contains(&ColumnField::End),
        }
    }

    fn have(&self, field: Field) -> bool {
        self.fields >> field as u64 & 1 == 1
    }

    fn have_property(&self, name: &str) -> bool {
        match Field::of_property(name) {
            // A column holds what states its field: no second rule of dates that a
            // rule takes out, and of the times both the end and the length.
            Some(field) => {
                self.have(field)
                    && (matches!(field, Field::End | Field::Stamps)
                        || field.property().eq_ignore_ascii_case(name))
            }
            None => ["VERSION", "PRODID", COLUMN_PROPERTY].iter().any(|own| own.eq_ignore_ascii_case(name)),
        }
    }

    /// Counts what a row leaves behind. Stamps are no content and are not counted.
    pub(super) fn note(&self, row: &WrittenRow<'_, '_>, cannot_carry: &mut CannotCarry) {
        let mut count = |name: &str| match cannot_carry.get_mut(name) {
            Some(count) => *count += 1,
            None => {
                cannot_carry.insert(name.to_owned(), 1);
            }
        };
        let component = row.event.component();
        for property in component.properties() {
            let value = property.value();
            // An empty cell says the same as an empty line, and as `CONFIRMED`.
            let says_nothing = value.trim().is_empty()
                || (property.is("STATUS") && value.trim().eq_ignore_ascii_case("CONFIRMED"));
            if !says_nothing && !self.have_property(property.name()) {
                count(&property.name().to_ascii_uppercase());
            }
        }
        if component.may_repeat_a_name() {
            // A cell holds the first of them.
            for name in Field::standing_once().filter(|name| self.have_property(name)) {
                for _ in component.properties_named(name).skip(1) {
                    count(name);
                }
            }
        }
        for inner in component.components() {
            let is_held =
                inner.is("VALARM") && minutes_before(inner).is_some() && self.have(Field::Reminders);
            if !is_held {
                count(&inner.name().to_ascii_uppercase());
            } else if says_more_than_a_cell(inner, row.event) {
                count(REMINDER_TEXT);
            }
        }
        self.note_times(row, &mut count);
    }

    /// Counts what the times of a row say and its cells cannot.
    fn note_times(&self, row: &WrittenRow<'_, '_>, count: &mut impl FnMut(&str)) {
        // A row replaces one date; that it stands for later ones has no cell.
        if row.event.reach() == Reach::ThisAndFuture {
            count("RANGE=THISANDFUTURE");
        }
        if self.end_is_a_time_alone && row.ends_in_second_pass() {
            count("ends in an hour that is repeated");
        }
        if !self.says_length && row.is_nominal() {
            count("lengths in days");
        }
        let pattern = row.file.and_then(|file| file.time.as_ref());
        let has_odd_seconds =
            row.event.start().clock().second() != 0 || row.event.end().clock().second() != 0;
        if has_odd_seconds && pattern.is_some_and(|pattern| !pattern.has_seconds()) {
            count("seconds");
        }
    }
}

/// What reminders are called of which a cell holds when they come and no more.
const REMINDER_TEXT: &str = "texts of VALARM";

/// Whether a reminder says more than a cell, which holds when it comes: other words
/// than the title of its event, a sound, or whom it mails.
fn says_more_than_a_cell(alarm: &Component<'_>, event: &Event<'_>) -> bool {
    alarm.components().next().is_some()
        || alarm.properties().any(|line| {
            let text = line.text();
            let text = text.trim();
            match line.name().to_ascii_uppercase().as_str() {
                "TRIGGER" | "UID" | "X-WR-ALARMUID" | "ACKNOWLEDGED" => false,
                "ACTION" => !["DISPLAY", "AUDIO"].iter().any(|usual| text.eq_ignore_ascii_case(usual)),
                "DESCRIPTION" => !["", event.title().unwrap_or_default().trim(), REMINDER].contains(&text),
                _ => !text.is_empty(),
            }
        })
}
