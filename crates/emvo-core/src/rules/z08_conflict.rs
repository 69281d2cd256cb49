//! `Z08 zone-conflict`: one zone name, defined in two ways.

use super::describe::declare_rule;
use super::{Context, Edit, Findings, Level, Rule, RuleGroup, Safety, Subject, ZoneFacts};
use emvo_ical::calendar::ZoneName;
use emvo_ical::zone::ZoneSource;

declare_rule! {
    /// ## What it finds
    /// A name of somebody's own making that two inputs, or one input twice, define
    /// in ways that differ over the dates in use.
    ///
    /// ## Why it matters
    /// In one calendar a name can have one definition. Combined without care, the
    /// events of one input move by the difference.
    ///
    /// ## Example
    /// `TZID:Ship` with +02:00 in one export and +03:00 in the other.
    ///
    /// ## Repair
    /// The second input's name gets a number behind it, and keeps its definition:
    /// safe. Where one input defines a name twice, a person has to say which
    /// definition is meant.
    ZoneConflict, "Z08", "zone-conflict", RuleGroup::Zones, "one zone name, defined in two ways"
}

impl Rule for ZoneConflict {
    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        for facts in &subject.zones {
            if !matches!(facts.meaning, Some((_, ZoneSource::Definition))) {
                continue;
            }
            if facts.is_defined_twice {
                let message = format!(
                    "`{}` is defined twice in the file, and otherwise; the first is used",
                    facts.name
                );
                found.show(self, Level::Warning, subject, message);
            }
            if let Some(path) = defined_otherwise(facts, context) {
                let message = format!("`{}` is defined otherwise in {path}", facts.name);
                let edit = Edit::Separate { from: facts.name.clone(), to: free_name(&facts.name, context) };
                found.offer(self, subject, message, Safety::Safe, edit);
            }
        }
    }
}

fn defined_otherwise<'c>(facts: &ZoneFacts, context: &Context<'c, '_>) -> Option<&'c str> {
    let own = &facts.definition.as_ref()?.transitions;
    let (from, until) = facts.span;
    let mut others =
        context.options.others.iter().filter(|other| other.definition.tzid == facts.name.as_str());
    others
        .find(|other| !other.definition.transitions.agrees_with(own, from, until))
        .map(|other| other.path.as_str())
}

fn free_name(name: &ZoneName, context: &Context<'_, '_>) -> String {
    let is_taken = |fresh: &str| {
        context.options.others.iter().any(|other| other.definition.tzid == fresh)
            || context.zone_facts().any(|facts| facts.name.as_str() == fresh)
    };
    let mut number = 2;
    while is_taken(&format!("{name} ({number})")) {
        number += 1;
    }
    format!("{name} ({number})")
}
