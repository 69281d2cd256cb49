//! Times without a zone that were read in one, and times that lost theirs: the same
//! on the clock, and another moment in the world.
//!
//! ```text
//! source            result                          what happened
//! 09:00             09:00 Europe/Helsinki           read in Europe/Helsinki
//! 09:00             06:00 UTC                       likewise
//! 09:00 (meant in Helsinki, as the calendar says)   09:00   the zone was lost
//! ```

use std::collections::BTreeMap;

use super::times::pair;
use super::zones::{name_for_people, zones_of_both};
use super::{ENOUGH, Evidence};
use crate::advice::Advice;
use crate::identity::Moment;
use crate::reconcile::record::Record;
use crate::reconcile::{CauseKind, DifferenceKind};
use crate::words::grouped;
use emvo_ical::calendar::ZoneRef;
use emvo_ical::day::clock_seconds;
use emvo_ical::zone::Zone;

pub(super) fn read_in_a_zone(evidence: &mut Evidence<'_, '_, '_>) {
    let those = |is_like: fn(&Moment, &Moment) -> bool| {
        let is_such = |at| pair(evidence, at).is_some_and(|(one, two)| is_like(&one.start, &two.start));
        evidence.free_that(DifferenceKind::Retimed, is_such)
    };
    let gained = those(|one, two| is_floating(one) && is_instant(two));
    let lost = those(|one, two| is_instant(one) && is_floating(two));
    for (path, members) in evidence.by_path(&gained) {
        name_gained(evidence, path, &members);
    }
    for (path, members) in evidence.by_path(&lost) {
        name_lost(evidence, path, &members);
    }
}

fn is_floating(moment: &Moment) -> bool {
    matches!(moment, Moment::Unbound(time) if !time.is_date())
}

fn is_instant(moment: &Moment) -> bool {
    matches!(moment, Moment::Instant(_))
}

/// Whether there is enough to say why: three, or all of the file.
fn is_enough(evidence: &Evidence<'_, '_, '_>, path: &str, count: usize) -> bool {
    count >= ENOUGH || count == evidence.occurrences_of(path)
}

fn name_gained(evidence: &mut Evidence<'_, '_, '_>, path: &str, members: &[usize]) {
    let is_read_in = |zone: &Zone, at: &usize| {
        let Some((one, two)) = pair(evidence, *at) else { return false };
        let clock = clock_seconds(one.shown_start.clock());
        two.start == Moment::Instant(zone.transitions().instant_of(clock))
    };
    let zone = zones_of_both(evidence).into_iter().find(|zone| members.iter().all(|at| is_read_in(zone, at)));
    let Some(zone) = zone.filter(|_| is_enough(evidence, path, members.len())) else { return };
    let name = name_for_people(&zone).to_owned();
    let occurrences = if members.len() == 1 { "occurrence" } else { "occurrences" };
    let were = if members.len() == 1 { "was" } else { "were" };
    let summary = format!(
        "{} {occurrences} without a zone {were} read in {name}, all from {path}",
        grouped(members.len())
    );
    let todo = Advice::PinBeforeImport { path: path.to_owned(), zone: name };
    evidence.name(CauseKind::FloatingRead, members, summary, Some(todo));
}

fn name_lost(evidence: &mut Evidence<'_, '_, '_>, path: &str, members: &[usize]) {
    let same_clock = |at: &usize| {
        pair(evidence, *at).is_some_and(|(one, two)| one.shown_start.clock() == two.shown_start.clock())
    };
    if !members.iter().all(same_clock) || !is_enough(evidence, path, members.len()) {
        return;
    }
    let mut by_zone: BTreeMap<String, Vec<usize>> = BTreeMap::new();
    for at in members {
        if let Some((one, _)) = pair(evidence, *at) {
            by_zone.entry(zone_meant(evidence, one)).or_default().push(*at);
        }
    }
    for (zone, members) in by_zone {
        let lost = if members.len() == 1 { "occurrence has lost its" } else { "occurrences have lost their" };
        let summary = format!("{} {lost} zone, {zone}, all from {path}", grouped(members.len()));
        let is_floating = |at: &usize| {
            pair(evidence, *at).is_some_and(|(one, _)| *one.shown_start.zone() == ZoneRef::Floating)
        };
        let todo = if members.iter().all(is_floating) {
            Advice::PinBeforeImport { path: path.to_owned(), zone }
        } else {
            Advice::ExpressIn { path: path.to_owned(), zone: None }
        };
        evidence.name(CauseKind::FloatingRead, &members, summary, Some(todo));
    }
}

/// In which zone a time is meant: its own, or the one that its calendar states.
fn zone_meant(evidence: &Evidence<'_, '_, '_>, record: &Record) -> String {
    match record.shown_start.zone() {
        ZoneRef::Named(name) => name.to_string(),
        ZoneRef::Utc => "UTC".to_owned(),
        ZoneRef::Floating => {
            let zones = evidence.source.sides[record.place().0].zones;
            zones.floating_zone().map(|zone| zone.name().to_owned()).unwrap_or_default()
        }
    }
}
