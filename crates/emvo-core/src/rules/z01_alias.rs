//! `Z01 zone-alias`: a zone name that is no IANA id but means one.

use super::describe::declare_rule;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject};
use emvo_ical::zone::ZoneSource;

declare_rule! {
    /// ## What it finds
    /// A zone name that is no current IANA id but means one: a Windows zone id,
    /// an id behind a path or in quotes, a display label with offset and cities,
    /// an outdated name, a fixed offset such as `GMT+2`.
    ///
    /// ## Why it matters
    /// Many systems know IANA ids only. They take the times for UTC or for their
    /// own zone, and everything is off by some hours.
    ///
    /// ## Example
    /// `DTSTART;TZID=FLE Standard Time:20260901T060000` becomes
    /// `DTSTART;TZID=Europe/Helsinki:20260901T060000`.
    ///
    /// ## Repair
    /// The IANA id takes the name's place, clocks stay, and the definition is
    /// written for it. Safe where the file has no definition, or one that agrees
    /// over the dates in use; where it does not agree, Z04 asks first.
    ZoneAlias, "Z01", "zone-alias", RuleGroup::Zones, "a zone name that is no IANA id but means one"
}

impl Rule for ZoneAlias {
    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        for facts in &subject.zones {
            let Some(target) = &facts.alias_of else { continue };
            let is_mapped = matches!(facts.meaning, Some((_, ZoneSource::Map)));
            let word = if is_mapped { ", as was said" } else { "" };
            let message = format!("`{}` means {}{word}", facts.name, target.name());
            let edit = Edit::Rename { from: facts.name.clone(), to: target.clone() };
            if facts.agrees || is_mapped {
                found.offer(self, subject, message, Safety::Safe, edit);
            } else {
                let message = format!("{message}, but the file defines it otherwise: see Z04");
                found.show(self, super::Level::Warning, subject, message);
            }
        }
    }
}
