//! What receipts say was meant: changes that were asked for are no losses.

use std::collections::BTreeMap;

use hashbrown::HashMap;
use jiff::civil::{Date, DateTime, Time};

use super::event_fields::EventFields;
use super::record::Record;
use crate::edit::{Cut, WhyLeft};
use crate::identity::{Detail, Moment, Statement, normalised};
use crate::receipt::{EventRecord, Fate, Now, Receipt};
use crate::view::CalendarView;
use emvo_ical::calendar::EventTime;
use emvo_ical::day::{clock_at, clock_seconds};
use emvo_ical::zone::Zone;
use rayon::prelude::*;

/// The receipts of the runs between sources and result, in their order.
#[derive(Clone, Debug, Default)]
pub struct Explanations<'r> {
    runs: Vec<Run<'r>>,
    /// How much the runs left behind, by field.
    pub(super) left_behind: BTreeMap<&'r str, usize>,
}

#[derive(Clone, Debug, Default)]
struct Run<'r> {
    /// By file and id; events without one by file and start.
    by_file: HashMap<(&'r str, &'r str), &'r EventRecord>,
    /// By id alone: the files of a later run are not the sources.
    by_uid: HashMap<&'r str, &'r EventRecord>,
}

/// What became of one event through all runs.
#[derive(Clone, Debug, Default)]
pub(super) struct ReceiptTrail<'r> {
    is_gone: bool,
    /// Whether it was left out as asked, or could not be read, rather than folded.
    is_taken_out: bool,
    /// What it says no more, and what it has to say by now.
    gone: Vec<&'r Statement>,
    came: Vec<&'r Statement>,
    /// Which of its dates were left out as asked.
    cuts: Vec<Cut>,
    fields: Vec<&'r str>,
    /// How it stood when it was first read.
    start: &'r str,
    now: Vec<&'r Now>,
}

impl<'r> Explanations<'r> {
    /// The receipts in the order of their runs.
    pub fn of(receipts: &'r [Receipt]) -> Self {
        let runs = receipts.iter().map(|receipt| {
            let mut run = Run::default();
            for event in &receipt.events {
                let key = if event.uid.is_empty() { &*event.start } else { &*event.uid };
                run.by_file.insert((file_name(&event.path), key), event);
                run.by_uid.entry(key).or_insert(event);
            }
            run
        });
        let mut left_behind: BTreeMap<&str, usize> = BTreeMap::new();
        for one in receipts.iter().flat_map(|receipt| &receipt.left_behind) {
            // What gave way as asked, or to a newer version, was replaced.
            if !matches!(one.why, WhyLeft::GaveWay | WhyLeft::Superseded) {
                *left_behind.entry(&one.field).or_insert(0) += 1;
            }
        }
        Self { runs: runs.collect(), left_behind }
    }

    /// The trail of an event of a source, known by its id or else by its start;
    /// `None` if no receipt knows it.
    pub(super) fn trail(&self, path: &str, key: &str) -> Option<ReceiptTrail<'r>> {
        let mut trail: Option<ReceiptTrail<'r>> = None;
        let mut ids = vec![key];
        for run in &self.runs {
            let known = |id: &&str| {
                let in_file = run.by_file.get(&(file_name(path), *id)).filter(|_| trail.is_none());
                in_file.or_else(|| run.by_uid.get(id)).copied()
            };
            let records: Vec<&'r EventRecord> = ids.iter().filter_map(known).collect();
            let Some(first) = records.first() else { continue };
            let mut next =
                trail.unwrap_or_else(|| ReceiptTrail { start: &first.start, ..ReceiptTrail::default() });
            next.is_gone |=
                records.iter().all(|record| !matches!(record.fate, Fate::Written | Fate::Changed));
            next.is_taken_out |= next.is_gone && records.iter().any(|one| one.fate != Fate::Folded);
            next.gone.extend(records.iter().flat_map(|record| &record.gone));
            next.came.retain(|came| !next.gone.contains(came));
            next.came.extend(records.iter().flat_map(|record| &record.came));
            let changes = records.iter().flat_map(|record| &record.changes);
            next.cuts.extend(changes.filter_map(|change| change.after.parse::<Cut>().ok()));
            next.fields.extend(records.iter().flat_map(|record| &record.fields).map(String::as_str));
            let now: Vec<&'r Now> = records.iter().flat_map(|record| &record.now).collect();
            if !now.is_empty() {
                ids = now.iter().map(|now| now.uid.as_str()).collect();
                next.now = now;
            }
            trail = Some(next);
        }
        trail
    }
}

fn file_name(path: &str) -> &str {
    path.rsplit(['/', '\\']).next().unwrap_or(path)
}

impl ReceiptTrail<'_> {
    /// The id that it has by now, if it is another.
    pub(super) fn uid(&self) -> Option<&str> {
        self.now.first().map(|now| now.uid.as_str()).filter(|uid| !uid.is_empty())
    }

    /// Whether the runs left out the date of a day.
    pub(super) fn leaves_out(&self, day: Date) -> bool {
        self.is_gone || self.cuts.iter().any(|cut| cut.leaves_out(day))
    }

    /// Whether the runs took out the date of a day, so that it stands nowhere.
    pub(super) fn takes_out(&self, day: Date) -> bool {
        self.is_taken_out || self.cuts.iter().any(|cut| cut.leaves_out(day))
    }

    /// Whether the runs meant it to lose a detail.
    pub(super) fn means_without(&self, detail: &Detail) -> bool {
        self.gone.iter().any(|gone| gone.field == detail.field && gone.value == detail.shown)
    }

    /// What the runs let it say besides.
    pub(super) fn came(&self) -> &[&Statement] {
        &self.came
    }

    /// When a date of it starts by now, as the runs moved it.
    pub(super) fn moved(&self, start: &Moment, shown: &EventTime) -> Vec<Moment> {
        let moved = |now: &&Now| {
            let (before, _) = read_shown(self.start)?;
            let (after, zone) = read_shown(&now.start)?;
            let by = clock_seconds(after) - clock_seconds(before);
            let clock = clock_seconds(shown.clock()) + by;
            match (start, Zone::named(zone)) {
                (_, Some(zone)) => Some(Moment::Instant(zone.transitions().instant_of(clock))),
                (Moment::Instant(start), None) => Some(Moment::Instant(start + by)),
                (Moment::Unbound(_), None) => {
                    Some(Moment::Unbound(Box::new(shown.at_clock(clock_at(clock)?))))
                }
            }
        };
        self.now.iter().filter_map(moved).collect()
    }

    /// Whether the runs let it end earlier.
    pub(super) fn ends_it(&self) -> bool {
        let ends = |cut: &Cut| matches!(cut, Cut::EndsBefore(_) | Cut::EndsWith(_) | Cut::Only(..));
        self.is_gone || self.cuts.iter().any(ends)
    }

    /// Whether it was left out, folded or set aside.
    pub(super) fn explains_absence(&self) -> bool {
        self.is_gone
    }

    /// Whether a pair differs as the runs meant it to.
    pub(super) fn explains(&self, one: &Record, two: &Record, words: &EventFields, fields: &[&str]) -> bool {
        let is_time_meant = (one.start == two.start && one.end == two.end)
            || self.now.iter().any(|now| self.is_moved_so(now, one, two));
        is_time_meant && fields.iter().all(|field| self.means(field, words))
    }

    /// Whether the runs changed a field to what these words say.
    pub(super) fn means(&self, field: &str, words: &EventFields) -> bool {
        if !self.fields.contains(&field) {
            return false;
        }
        // Receipts of older versions do not say all of it.
        let is_so = |now: &&Now| match field {
            "title" => now.title.as_ref().map(|title| normalised(title) == words.title),
            "location" => now.location.as_ref().map(|place| normalised(place) == words.location),
            "description" => now.description.as_ref().map(|text| normalised(text) == words.description),
            "busy" => now.busy.map(|busy| busy == words.is_busy),
            "private" => now.private.as_ref().map(|class| class == words.classification.name()),
            _ => None,
        };
        let mut said = self.now.iter().filter_map(is_so).peekable();
        said.peek().is_none() || said.any(|is_so| is_so)
    }

    /// Whether the result starts where the source's clock, moved as the event's
    /// start was moved, stands in the event's zone.
    fn is_moved_so(&self, now: &Now, one: &Record, two: &Record) -> bool {
        let (Some((before, _)), Some((after, zone))) = (read_shown(self.start), read_shown(&now.start))
        else {
            return false;
        };
        let clock = clock_seconds(one.shown_start.clock()) + clock_seconds(after) - clock_seconds(before);
        match (&two.start, Zone::named(zone)) {
            (Moment::Instant(instant), Some(zone)) => zone.transitions().instant_of(clock) == *instant,
            (Moment::Unbound(time), _) => clock_seconds(time.clock()) == clock,
            (Moment::Instant(instant), None) => match &one.start {
                Moment::Instant(start) => start + clock_seconds(after) - clock_seconds(before) == *instant,
                Moment::Unbound(_) => false,
            },
        }
    }
}

/// Clock and zone of `2026-09-01 06:00 Europe/Helsinki`, or of a date.
fn read_shown(text: &str) -> Option<(DateTime, &str)> {
    let mut words = text.splitn(3, ' ');
    let date: Date = words.next()?.parse().ok()?;
    let time: Time = match words.next() {
        Some(time) => time.parse().ok()?,
        None => Time::midnight(),
    };
    Some((date.to_datetime(time), words.next().unwrap_or("")))
}

/// The trails of the series of the sources, by side and series; none at all
/// without receipts.
pub(super) fn trails<'c>(
    sides: &'c [CalendarView<'c, '_>],
    explanations: &'c Explanations<'c>,
) -> Vec<Vec<Option<ReceiptTrail<'c>>>> {
    if explanations.runs.is_empty() {
        return Vec::new();
    }
    let of_side = |side: &CalendarView<'_, '_>| {
        let series = side.calendar.series.par_iter().with_min_len(256);
        let trails = series.map(|series| match series.uid() {
            Some(uid) => explanations.trail(side.path, uid.as_str()),
            None => explanations.trail(side.path, &series.lead().start().to_string()),
        });
        trails.collect()
    };
    sides.iter().map(of_side).collect()
}
