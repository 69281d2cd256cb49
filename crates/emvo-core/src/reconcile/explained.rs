//! What receipts say was meant: changes that were asked for are no losses.

use std::collections::HashMap;

use jiff::civil::{Date, DateTime, Time};

use super::record::{Record, Records, Told};
use crate::identity::{Moment, normalised};
use crate::receipt::{EventRecord, Fate, Now, Receipt};
use crate::recurrence::day::clock_seconds;
use crate::zone::Zone;

/// The receipts of the runs between sources and result, in their order.
#[derive(Clone, Debug, Default)]
pub struct Explanations {
    runs: Vec<Run>,
}

#[derive(Clone, Debug, Default)]
struct Run {
    /// By file and id; events without one by file and start.
    by_file: HashMap<(String, String), EventRecord>,
    /// By id alone: the files of a later run are not the sources.
    by_uid: HashMap<String, EventRecord>,
}

/// What became of one event through all runs.
#[derive(Clone, Debug, Default)]
pub(super) struct Course {
    is_gone: bool,
    fields: Vec<String>,
    /// How it stood when it was first read.
    start: String,
    now: Vec<Now>,
}

impl Explanations {
    /// The receipts in the order of their runs.
    pub fn of(receipts: &[Receipt]) -> Self {
        let runs = receipts.iter().map(|receipt| {
            let mut run = Run::default();
            for event in &receipt.events {
                let key = if event.uid.is_empty() { event.start.clone() } else { event.uid.clone() };
                run.by_file.insert((file_name(&event.path), key.clone()), event.clone());
                run.by_uid.entry(key).or_insert_with(|| event.clone());
            }
            run
        });
        Self { runs: runs.collect() }
    }

    /// The course of an event of a source; `None` if no receipt knows it.
    pub(super) fn course(&self, path: &str, uid: &str, start: &str) -> Option<Course> {
        let key = if uid.is_empty() { start } else { uid };
        let mut course: Option<Course> = None;
        let mut ids = vec![key.to_owned()];
        for run in &self.runs {
            let known = |id: &String| {
                let in_file = run.by_file.get(&(file_name(path), id.clone())).filter(|_| course.is_none());
                in_file.or_else(|| run.by_uid.get(id))
            };
            let records: Vec<&EventRecord> = ids.iter().filter_map(known).collect();
            let Some(first) = records.first() else { continue };
            let mut next =
                course.unwrap_or_else(|| Course { start: first.start.clone(), ..Course::default() });
            next.is_gone |=
                records.iter().all(|record| !matches!(record.fate, Fate::Written | Fate::Changed));
            for record in &records {
                next.fields.extend(record.fields.iter().cloned());
            }
            let now: Vec<Now> = records.iter().flat_map(|record| record.now.iter().cloned()).collect();
            if !now.is_empty() {
                ids = now.iter().map(|now| now.uid.clone()).collect();
                next.now = now;
            }
            course = Some(next);
        }
        course
    }
}

fn file_name(path: &str) -> String {
    path.rsplit(['/', '\\']).next().unwrap_or(path).to_owned()
}

impl Course {
    /// The id that it has by now, if it is another.
    pub(super) fn uid(&self) -> Option<&str> {
        self.now.first().map(|now| now.uid.as_str()).filter(|uid| !uid.is_empty())
    }

    /// Whether it was left out, folded or set aside.
    pub(super) fn explains_absence(&self) -> bool {
        self.is_gone
    }

    /// Whether a pair differs as the runs meant it to.
    pub(super) fn explains(&self, one: &Record, two: &Record, told: &Told, fields: &[&str]) -> bool {
        let is_time_meant = (one.start == two.start && one.end == two.end)
            || self.now.iter().any(|now| self.is_moved_so(now, one, two));
        is_time_meant && fields.iter().all(|field| self.is_field_meant(field, told))
    }

    fn is_field_meant(&self, field: &str, told: &Told) -> bool {
        if !self.fields.iter().any(|known| known == field) {
            return false;
        }
        let says = |of: fn(&Now) -> Option<&String>, text: &str| {
            let mut said = self.now.iter().filter_map(of).peekable();
            said.peek().is_none() || said.any(|said| normalised(said) == text)
        };
        match field {
            "title" => says(|now| now.title.as_ref(), &told.title),
            "location" => says(|now| now.location.as_ref(), &told.location),
            _ => true,
        }
    }

    /// Whether the result starts where the source's clock, moved as the event's
    /// start was moved, stands in the event's zone.
    fn is_moved_so(&self, now: &Now, one: &Record, two: &Record) -> bool {
        let (Some((before, _)), Some((after, zone))) = (read_shown(&self.start), read_shown(&now.start))
        else {
            return false;
        };
        let clock = clock_seconds(one.shown_start.clock()) + clock_seconds(after) - clock_seconds(before);
        match (&two.start, Zone::named(zone)) {
            (Moment::Instant(instant), Some(zone)) => zone.behaviour().instant_of(clock) == *instant,
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

/// The courses of the series of the sources, by side and series.
pub(super) fn courses(
    source: &Records<'_, '_>,
    explanations: &Explanations,
) -> HashMap<(usize, usize), Course> {
    let mut courses = HashMap::new();
    if explanations.runs.is_empty() {
        return courses;
    }
    for (number, side) in source.sides.iter().enumerate() {
        for (at, series) in side.calendar.series.iter().enumerate() {
            let uid = series.uid().map_or("", |uid| uid.as_str());
            let start = series.lead().start().to_string();
            if let Some(course) = explanations.course(side.path, uid, &start) {
                courses.insert((number, at), course);
            }
        }
    }
    courses
}
