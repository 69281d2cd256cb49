//! `Z03 zone-private`: a zone of the file's own that behaves like a known one.

use super::describe::declare_rule;
use super::{Context, Edit, Findings, Level, Rule, RuleGroup, Safety, Subject, ZoneFacts};
use crate::advice::{Advice, Advised, Known};
use emvo_ical::zone::{Zone, ZoneKind, ZoneSource};

/// How many candidates a message names.
const NAMED: usize = 5;

declare_rule! {
    /// ## What it finds
    /// A definition under a name that says nothing, whose clocks do what an IANA
    /// zone's clocks do over all dates in use.
    ///
    /// ## Why it matters
    /// Systems that do not read definitions cannot know what the name means. They
    /// fall back to a zone of their own.
    ///
    /// ## Example
    /// `TZID:Skarvik ship time` with the offsets of Europe/Helsinki.
    ///
    /// ## Repair
    /// With consent the times refer to the IANA zone; clocks stay. Taken is the
    /// calendar's stated zone or the house zone if it is among the candidates, or
    /// the only candidate. Otherwise the message lists them for `--zone-map`.
    /// Where no IANA zone agrees, the definition is obeyed and carried, and there
    /// is no finding.
    ZonePrivate, "Z03", "zone-private", RuleGroup::Zones, "a zone of the file's own that behaves like a known one"
}

impl Rule for ZonePrivate {
    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        for facts in &subject.zones {
            let is_private = matches!(facts.meaning, Some((_, ZoneSource::Definition)));
            if !is_private || facts.candidates.is_empty() {
                continue;
            }
            if let Some((zone, why)) = chosen(facts, context) {
                let message = format!(
                    "`{}` keeps the time of {} over all dates in use ({why})",
                    facts.name,
                    zone.name()
                );
                let edit = Edit::Rename { from: facts.name.clone(), to: zone };
                found.offer(self, subject, message, Safety::Consent, edit);
            } else {
                let named: Vec<&str> = facts.candidates.iter().take(NAMED).map(Zone::name).collect();
                let more = facts.candidates.len().saturating_sub(NAMED);
                let more = if more > 0 { format!(" and {more} more") } else { String::new() };
                let message = format!(
                    "`{}` keeps the time of {}{more} over all dates in use",
                    facts.name,
                    named.join(", ")
                );
                let advice = Advice::MapZone { name: facts.name.to_string(), known: Known::Candidates };
                found.show(self, Level::Warning, subject, Advised::with(message, advice));
            }
        }
    }
}

fn chosen(facts: &ZoneFacts, context: &Context<'_, '_>) -> Option<(Zone, String)> {
    if let Some((zone, _)) = facts.meaning.as_ref().filter(|(zone, _)| zone.kind() == ZoneKind::Iana) {
        return Some((zone.clone(), "its definition names it".to_owned()));
    }
    let homes = [&context.home, &context.floating_home];
    if let Some(home) = homes.into_iter().flatten().find(|home| facts.candidates.contains(&home.zone)) {
        return Some((home.zone.clone(), home.words()));
    }
    match facts.candidates.as_slice() {
        [only] => Some((only.clone(), "no other zone does".to_owned())),
        _ => None,
    }
}
