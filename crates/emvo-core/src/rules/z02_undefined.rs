//! `Z02 zone-undefined`: a zone name that the file does not define.

use super::describe::declare_rule;
use super::{Context, Edit, Findings, Level, Rule, RuleGroup, Safety, Subject};
use crate::advice::{Advice, Advised, Known};
use emvo_ical::zone::{Definition, DefinitionExtent, closest};

declare_rule! {
    /// ## What it finds
    /// Times that refer to a zone for which the file has no definition
    /// (`VTIMEZONE`), or one that cannot be read, contradicts itself or sets the
    /// clocks without end.
    ///
    /// ## Why it matters
    /// RFC 5545 asks for a definition, and strict systems refuse the file. If the
    /// name means nothing either, nobody can know the times.
    ///
    /// ## Example
    /// `DTSTART;TZID=Europe/Helsinki:20260901T060000` in a file without a
    /// `VTIMEZONE`.
    ///
    /// ## Repair
    /// Where the name means a zone, its definition is added: safe. Where it means
    /// none, a person has to say what it means: `--zone-map "Name=Area/City"`. A
    /// definition without end is followed for a while and no further.
    ZoneUndefined, "Z02", "zone-undefined", RuleGroup::Zones, "a zone name that the file does not define"
}

/// What is wrong with a definition that was read all the same.
fn doubt(definition: &Definition) -> Option<String> {
    let tzid = &definition.tzid;
    match definition.extent {
        DefinitionExtent::Whole => None,
        DefinitionExtent::Bounded => Some(format!(
            "the definition of `{tzid}` sets the clocks without end; only the beginning of it was followed"
        )),
        DefinitionExtent::Contradicting => Some(format!(
            "the definition of `{tzid}` sets the clocks to two times at once; the first is used"
        )),
    }
}

impl Rule for ZoneUndefined {
    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        for facts in &subject.zones {
            if let Some(definition) = &facts.definition {
                if let Some(message) = doubt(definition) {
                    found.show(self, Level::Warning, subject, message);
                }
                continue;
            }
            let what = match &facts.definition_error {
                Some(error) => error.to_string(),
                None => format!("`{}` is not defined in the file", facts.name),
            };
            if let Some((zone, _)) = &facts.meaning {
                // A table has no place for a definition: there is nothing wrong
                // with it, and a calendar that is made of it gets one.
                let is_table = subject.series.lead().line() == 0;
                let (level, message) = if is_table {
                    (Level::Note, format!("{} gets its definition when a calendar is written", zone.name()))
                } else {
                    (Level::Warning, format!("{what}; it means {}", zone.name()))
                };
                let edit = Edit::Define(facts.name.clone());
                found.push(self, level, subject, message, Safety::Safe, Some(edit));
            } else {
                let near = closest(facts.name.as_str(), 3);
                let near =
                    if near.is_empty() { String::new() } else { format!(" (perhaps {})", near.join(", ")) };
                let message = format!("{what} and means no zone that is known{near}");
                let advice = Advice::MapZone { name: facts.name.to_string(), known: Known::Nothing };
                found.show(self, Level::Error, subject, Advised::with(message, advice));
            }
        }
    }
}
