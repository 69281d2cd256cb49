//! What one event says and another, that is to stand for it, does not.

use super::details::details_lacking;
use super::duplicates::{Moment, same_end};
use super::rule_text::evened_rule;
use super::text::normalised;
use emvo_ical::calendar::fields::{Field, Weight};
use emvo_ical::calendar::{Event, Series};
use emvo_ical::content::{Component, Item, Property};
use emvo_ical::zone::ZoneResolver;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// One thing that an event says.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, JsonSchema, Deserialize)]
pub struct Statement {
    /// The field by its name, or the property's, or the inner component's.
    pub field: String,
    /// What it says, for people.
    pub value: String,
}

impl Statement {
    fn of(field: &str, value: impl Into<String>) -> Self {
        Self { field: field.to_owned(), value: value.into() }
    }
}

/// The statements of a series that another does not make. Ids and stamps say
/// nothing; where the other is busy or private, that covers free and public.
pub fn unsaid(
    (one, one_zones): (&Series<'_>, &ZoneResolver),
    (other, other_zones): (&Series<'_>, &ZoneResolver),
) -> Vec<Statement> {
    let mut found = Vec::new();
    let compared = |event: &Event<'_>, there: &Event<'_>, found: &mut Vec<Statement>| {
        if !event.component().says_the_same_as(there.component()) {
            times_unsaid((event, one_zones), (there, other_zones), found);
            add_words_unsaid(event, there, found);
        }
    };
    if let Some(master) = one.master() {
        compared(master, other.lead(), &mut found);
    }
    for event in one.overrides() {
        let slot = event.replaces().map(|slot| Moment::of(slot, one_zones));
        let same_date =
            |there: &&Event<'_>| there.replaces().map(|slot| Moment::of(slot, other_zones)) == slot;
        if let Some(there) = other.overrides().iter().find(same_date) {
            compared(event, there, &mut found);
        } else {
            let title = event.title().unwrap_or_default();
            found.push(Statement::of("overrides", format!("{} {title}", event.span()).trim_end()));
            add_words_unsaid(event, other.lead(), &mut found);
        }
    }
    found
}

/// The statements of an event besides its times that another does not make.
pub fn words_unsaid(one: &Event<'_>, other: &Event<'_>) -> Vec<Statement> {
    let mut found = Vec::new();
    add_words_unsaid(one, other, &mut found);
    found
}

fn times_unsaid(
    (one, one_zones): (&Event<'_>, &ZoneResolver),
    (other, other_zones): (&Event<'_>, &ZoneResolver),
    found: &mut Vec<Statement>,
) {
    let mut tell = |field: Field, is_said: bool, value: &dyn Fn() -> String| {
        if !is_said {
            found.push(Statement::of(field.name(), value()));
        }
    };
    let same_start = Moment::of(one.start(), one_zones) == Moment::of(other.start(), other_zones);
    tell(Field::Start, same_start, &|| one.start().to_string());
    tell(Field::End, same_end((one, one_zones), (other, other_zones)), &|| one.end().to_string());
    for rule in one.rules() {
        let is_said = other.rules().any(|there| evened_rule(&there) == evened_rule(&rule));
        tell(Field::Repeat, is_said, &|| rule.clone().into_owned());
    }
    for field in [Field::Exceptions, Field::ExtraDates] {
        let there: Vec<Moment> =
            other.dates(field.property()).iter().map(|date| Moment::of(date, other_zones)).collect();
        for date in one.dates(field.property()) {
            tell(field, there.contains(&Moment::of(&date, one_zones)), &|| date.to_string());
        }
    }
}

fn add_words_unsaid(one: &Event<'_>, other: &Event<'_>, found: &mut Vec<Statement>) {
    for line in one.component().properties().filter(|line| !line.value().trim().is_empty()) {
        let field = Field::of_property(line.name()).filter(|field| field.weight() == Weight::Core);
        if let Some(field) = field.filter(|field| !says(other, *field, line, one)) {
            found.push(Statement::of(field.name(), line.text()));
        }
    }
    found.extend(details_lacking(one.component(), other.component()).into_iter().map(Statement::from));
}

fn inner_statement(inner: &Component<'_>) -> Statement {
    let field = if inner.is("VALARM") { Field::Reminders.name() } else { inner.name() };
    Statement::of(field, inner_words(inner))
}

/// What an inner component says, line by line: when it comes first, and neither
/// its id nor that a reminder is shown.
pub(super) fn inner_words(inner: &Component<'_>) -> String {
    let is_told = |line: &&Property<'_>| {
        let is_usual = line.is("ACTION") && line.value().eq_ignore_ascii_case("DISPLAY");
        !is_usual && !line.is("UID") && !line.is("TRIGGER")
    };
    let words = |line: &Property<'_>| line.text().into_owned();
    let first = inner.property("TRIGGER").map(words);
    let lines = inner.properties().filter(is_told).map(words);
    let deeper = inner.components().map(inner_words);
    first.into_iter().chain(lines).chain(deeper).collect::<Vec<_>>().join(" ")
}

/// What an event says in properties and inner components of some names.
pub fn said_under(event: &Event<'_>, is_named: impl Fn(&str) -> bool) -> impl Iterator<Item = Statement> {
    let items = event.component().items().iter();
    items.filter_map(move |item| match item {
        Item::Property(line) if is_named(line.name()) => Some(match Field::of_property(line.name()) {
            Some(field) => Statement::of(field.name(), line.text()),
            None => Statement::of(line.name(), line.text()),
        }),
        Item::Component(inner) if is_named(inner.name()) => Some(inner_statement(inner)),
        Item::Property(_) | Item::Component(_) => None,
    })
}

/// Whether an event says in a field, one that makes it the event it is, what a line of
/// another says there.
fn says(there: &Event<'_>, field: Field, line: &Property<'_>, one: &Event<'_>) -> bool {
    match field {
        Field::Busy => there.is_busy() || !one.is_busy(),
        Field::Private => there.classification() >= one.classification(),
        Field::Status => there.status() == one.status(),
        _ => {
            let mut lines = there.component().properties_named(line.name());
            lines.any(|known| normalised(&known.text()) == normalised(&line.text()))
        }
    }
}
