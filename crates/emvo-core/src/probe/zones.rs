//! In which zones a destination keeps times, by what became of times in several.

use std::collections::BTreeSet;

use emvo_ical::calendar::{EventTime, ZoneRef};
use emvo_ical::zone::Zone;

use super::learned::{Learned, OF_PART, TOO_LITTLE};
use super::questions::Ask;
use super::returned::{Answers, Seen};

/// Times in zones that every system knows.
const ASKED: [Ask; 5] = [Ask::Utc, Ask::Helsinki, Ask::Stockholm, Ask::NewYork, Ask::Tokyo];

/// What became of the times in zones.
#[derive(Default)]
struct Times {
    kept: BTreeSet<String>,
    /// The zones in which times stand now that are the same instants.
    converted: BTreeSet<String>,
    /// Those in which they stand at the clock time that they had.
    read_as: BTreeSet<String>,
    /// How many came back at all, and how many did not.
    back: usize,
    missing: usize,
}

/// Learns `zones`, `zone` and `foreign_zone`.
pub(super) fn learn_zones(sent: &Answers<'_, '_>, there: &Answers<'_, '_>, learned: &mut Learned) {
    let is_asked =
        |ask: &Ask| sent.first(*ask).is_some_and(|event| *event.start().zone() != ZoneRef::Floating);
    let asked: Vec<Ask> = ASKED.into_iter().filter(is_asked).collect();
    if asked.is_empty() || !there.has(Ask::Floating) {
        let why = if asked.is_empty() { "what was sent has no zones" } else { TOO_LITTLE };
        miss_both(learned, why);
        return;
    }
    let times = times_of(&asked, sent, there);
    let all = asked.len();
    let changed: BTreeSet<&String> = times.converted.iter().chain(&times.read_as).collect();
    if times.kept.len() > 1 || (times.missing == 0 && changed.is_empty()) {
        learned.know_word(
            "zones",
            "any",
            format!("{} of {all} zones came back as they were sent", times.kept.len()),
        );
        learned.no_limit("foreign_zone", "no zone is foreign to it");
        return;
    }
    if learned.is_of_part && times.missing > 0 && changed.is_empty() {
        miss_both(learned, OF_PART);
        return;
    }
    let own = match changed.iter().next() {
        Some(name) if changed.len() == 1 => Zone::named(name),
        Some(_) => None,
        None => {
            times.kept.iter().next().and_then(|name| Zone::named(name)).or_else(|| there.stated_zone.clone())
        }
    };
    let Some(own) = own else {
        let why =
            format!("{} of {all} times in zones came back, and none says which zone is its own", times.back);
        miss_both(learned, &why);
        return;
    };
    let which =
        if times.kept.iter().all(|name| name == own.name()) { "all of them" } else { "those that changed" };
    let evidence =
        format!("of {all} times in several zones {} came back, {which} in {}", times.back, own.name());
    if own.is_utc() {
        learned.know_word("zones", "utc", evidence);
    } else {
        learned.know_word("zones", "one", evidence);
        learned.know_word("zone", own.name(), "the zone of all times that came back");
    }
    let (word, evidence) = if !times.converted.is_empty() {
        ("convert", "times in other zones came back as the same instants")
    } else if !times.read_as.is_empty() {
        ("read-as-own", "times in other zones came back at the clock time that they had")
    } else {
        ("refuse", "events in other zones did not come back")
    };
    learned.know_word("foreign_zone", word, evidence);
}

fn miss_both(learned: &mut Learned, why: &str) {
    for key in ["zones", "foreign_zone"] {
        learned.miss(key, why);
    }
}

fn times_of(asked: &[Ask], sent: &Answers<'_, '_>, there: &Answers<'_, '_>) -> Times {
    let mut times = Times::default();
    for ask in asked {
        let (Some(was), Some(now)) = (sent.of(*ask).first(), there.of(*ask).first()) else {
            times.missing += 1;
            continue;
        };
        times.back += 1;
        let (start_was, start_now) = (was.series.lead().start(), now.series.lead().start());
        let zone_now =
            zone_name(now, start_now).or_else(|| Some(there.stated_zone.as_ref()?.name().to_owned()));
        let zone_now = zone_now.unwrap_or_default();
        if zone_name(was, start_was).as_ref() == Some(&zone_now) && start_was.clock() == start_now.clock() {
            times.kept.insert(zone_now);
        } else if start_was.clock() == start_now.clock() {
            times.read_as.insert(zone_now);
        } else {
            times.converted.insert(zone_now);
        }
    }
    times
}

/// What the zone of a time is called; `None` for a time of no zone.
pub(super) fn zone_name(seen: &Seen<'_, '_>, time: &EventTime) -> Option<String> {
    match time.zone() {
        ZoneRef::Floating => None,
        ZoneRef::Utc => Some(Zone::utc().name().to_owned()),
        zone @ ZoneRef::Named(name) => {
            Some(seen.zones.zone_of(zone).map_or_else(|| name.to_string(), |zone| zone.name().to_owned()))
        }
    }
}
