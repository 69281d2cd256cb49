//! Why occurrences have other words: decoded wrongly, cut, gone.

use crate::advice::{Advice, FitTo};
use std::collections::BTreeMap;

use super::{ENOUGH, Evidence};
use crate::reconcile::event_fields::{EventFields, looks_misread, replaced};
use crate::reconcile::{CauseKind, DifferenceKind};
use crate::words::grouped;
use emvo_ical::calendar::Event;
use emvo_ical::content::undone_mojibake;

/// What happened to a text.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Damage {
    /// UTF-8 that was read as Windows-1252.
    Misread,
    /// Letters outside ASCII became question marks or boxes.
    Replaced,
    /// Letters outside ASCII are gone.
    Dropped,
}

impl Damage {
    fn words(self) -> &'static str {
        match self {
            Self::Misread => "UTF-8 was read as Windows-1252",
            Self::Replaced => "letters outside ASCII became question marks",
            Self::Dropped => "letters outside ASCII were dropped",
        }
    }

    fn between(one: &str, two: &str) -> Option<Self> {
        if one.is_ascii() {
            return None;
        }
        let is_undone = || undone_mojibake(two).is_some_and(|undone| undone == one);
        if is_undone() || (looks_misread(two) && replaced(one) == replaced(two)) {
            return Some(Self::Misread);
        }
        let without =
            |text: &str, mark: fn(char) -> bool| text.chars().filter(|char| !mark(*char)).collect::<String>();
        let plain = without(one, |char| !char.is_ascii());
        if two.contains(['?', '\u{fffd}'])
            && without(two, |char| matches!(char, '?' | '\u{fffd}')) == without(&plain, |char| char == '?')
        {
            return Some(Self::Replaced);
        }
        (two == plain).then_some(Self::Dropped)
    }
}

type TextOf = for<'t> fn(&'t EventFields<'_>) -> &'t str;

const TEXTS: [(&str, TextOf); 3] = [
    ("title", |told| &told.title),
    ("location", |told| &told.location),
    ("description", |told| &told.description),
];

/// Texts that were damaged on the way, and texts that were cut.
pub(super) fn texts(evidence: &mut Evidence<'_, '_, '_>) {
    let mut damaged: BTreeMap<(&str, Damage), Vec<usize>> = BTreeMap::new();
    let mut cut: BTreeMap<(&str, usize), Vec<usize>> = BTreeMap::new();
    for at in evidence.free(DifferenceKind::Altered) {
        let found = &evidence.places[at];
        let (Some(source), Some(result)) = (found.source, found.result) else { continue };
        let (one, two) = (evidence.source.fields(source), evidence.result.fields(result));
        let path = evidence.difference(at).path.as_str();
        let mut pairs =
            TEXTS.iter().map(|(name, of)| (*name, of(one), of(two))).filter(|(_, one, two)| one != two);
        let Some((name, first, second)) = pairs.next() else { continue };
        let is_misread = name == "title" && !first.is_ascii() && two.title_undone() == one.title;
        let damage = if is_misread { Some(Damage::Misread) } else { Damage::between(first, second) };
        if let Some(damage) = damage {
            damaged.entry((path, damage)).or_default().push(at);
        } else if let Some(length) = cut_length(first, second) {
            cut.entry((name, length)).or_default().push(at);
        }
    }
    for ((path, damage), members) in damaged {
        let count = members.len();
        let have =
            if count == 1 { "occurrence has a damaged text" } else { "occurrences have damaged texts" };
        let summary = format!("{} {have}, all from {path}: {}", grouped(count), damage.words());
        let todo = Advice::ImportAsUtf8 { path: path.to_owned() };
        evidence.name(CauseKind::TextDamaged, &members, summary, Some(todo));
    }
    for ((field, length), members) in joined(cut) {
        let count = members.len();
        let have = if count == 1 { "occurrence has its" } else { "occurrences have their" };
        let summary = format!("{} {have} {field} cut at {length} characters", grouped(count));
        let todo = match field {
            "description" => Advice::Fit { path: evidence.paths(&members), to: FitTo::Descriptions(length) },
            _ => Advice::Shorten { field },
        };
        evidence.name(CauseKind::TextCut, &members, summary, Some(todo));
    }
}

/// Cuts of one field, at the greatest length among them: blanks at an end are
/// not compared, so one cut leaves texts of slightly different lengths.
fn joined(cut: BTreeMap<(&str, usize), Vec<usize>>) -> BTreeMap<(&str, usize), Vec<usize>> {
    let mut by_field: BTreeMap<&str, (usize, Vec<usize>)> = BTreeMap::new();
    for ((field, length), members) in cut {
        let entry = by_field.entry(field).or_default();
        entry.0 = entry.0.max(length);
        entry.1.extend(members);
    }
    by_field.into_iter().map(|(field, (length, members))| ((field, length), members)).collect()
}

/// At how many characters a text was cut, if it was.
fn cut_length(whole: &str, part: &str) -> Option<usize> {
    let bare = part.trim_end_matches(['…', '.']).trim_end();
    (!bare.is_empty() && bare.len() < whole.len() && whole.starts_with(bare)).then(|| part.chars().count())
}

/// Fields that differ, each with how many lost it.
pub(super) fn lost_fields(evidence: &mut Evidence<'_, '_, '_>) {
    let mut by_field: BTreeMap<&'static str, Vec<usize>> = BTreeMap::new();
    for at in evidence.free(DifferenceKind::Altered) {
        if let Some(field) = evidence.difference(at).fields.first() {
            by_field.entry(field).or_default().push(at);
        }
    }
    for (field, members) in by_field {
        let is_gone = |at: &usize| {
            let result = evidence.places[*at].result.map(|result| evidence.result.fields(result));
            result.is_some_and(|told| match field {
                "title" => told.title.is_empty(),
                "location" => told.location.is_empty(),
                "description" => told.description.is_empty(),
                "busy" => told.is_busy,
                _ => told.classification == emvo_ical::calendar::Classification::Public,
            })
        };
        let count = members.len();
        let gone = members.iter().filter(|at| is_gone(at)).count();
        if gone < count {
            // Another word is an edit, not a loss.
            let lost: Vec<usize> = members.iter().copied().filter(|at| is_gone(at)).collect();
            name_lost(evidence, field, &lost);
            continue;
        }
        name_lost(evidence, field, &members);
    }
}

/// Whether no occurrence that was compared kept a field, and at least three or all
/// lost it.
fn is_taken_never(evidence: &Evidence<'_, '_, '_>, field: &str, members: &[usize]) -> bool {
    let fills = |event: &Event<'_>| {
        let property = match field {
            "title" => "SUMMARY",
            "location" => "LOCATION",
            _ => "DESCRIPTION",
        };
        event.text(property).is_some_and(|text| !text.trim().is_empty())
    };
    let results = evidence.result.sides.iter().flat_map(|side| side.calendar.events());
    let mut kept = results.filter(|event| fills(event));
    let all = || {
        let sources = evidence.source.sides.iter().flat_map(|side| side.calendar.events());
        sources.filter(|event| fills(event)).count()
    };
    kept.next().is_none() && (members.len() >= ENOUGH || members.len() >= all())
}

fn name_lost(evidence: &mut Evidence<'_, '_, '_>, field: &str, members: &[usize]) {
    if members.is_empty() {
        return;
    }
    let many = grouped(members.len());
    let summary = match (field, members.len()) {
        ("busy", 1) => "1 occurrence counts as busy that did not".to_owned(),
        ("busy", _) => format!("{many} occurrences count as busy that did not"),
        ("private", 1) => "1 occurrence is not private any more".to_owned(),
        ("private", _) => format!("{many} occurrences are not private any more"),
        (_, 1) => format!("1 occurrence has lost its {field}"),
        _ => format!("{many} occurrences have lost their {field}"),
    };
    let todo = match field {
        "busy" | "private" => "set it again in the destination, or import into a calendar that keeps it",
        // That a destination takes no places is said where there are enough of them,
        // and none that it took.
        _ if is_taken_never(evidence, field, members) => {
            "the destination does not take the field from this kind of file: try the other one, ICS or CSV"
        }
        _ => "enter them again in the destination: what differs lists them",
    };
    evidence.name(CauseKind::FieldLost, members, summary, Some(Advice::ByHand(todo)));
}
