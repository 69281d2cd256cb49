//! The second question: may the old calendars go?
//!
//! The verdict says whether every date is there as it was. The release asks for
//! more, since what is deleted cannot be asked again: everything that the sources
//! say, to the end of their series, and nothing that nobody could look at. What is
//! in the way is a reason, with a count and what to do. What a person has decided to
//! do without is accepted, counted, and no reason any more.

use std::collections::BTreeMap;

use super::{
    Beyond, CalendarLine, CancelledGone, ComponentDifference, Counts, DetailDifference, GoesOn, Stayed,
    Unread, titles_in_words,
};
use crate::advice::{Advice, Advised};
use emvo_ical::calendar::ComponentKind;

/// What stands against the old calendars' going.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum ReasonKind {
    /// Dates are missing, moved, altered or doubled, or cancelled ones are back.
    Dates,
    /// Something of the sources could not be read.
    Unread,
    /// Tasks, journals or other components are not there as they were.
    Components,
    /// Series go on otherwise than in the result.
    GoesOn,
    /// Something could not be compared.
    NotCompared,
    /// Dates lie outside the period that was compared.
    Period,
    /// Events were left in the old calendars as asked.
    Stayed,
    /// Details are missing or say something else.
    Details,
    /// A run in between left something behind, as its receipt says.
    LeftBehind,
    /// Cancelled events are gone.
    Cancelled,
    /// What calendars say of themselves is missing.
    CalendarLines,
}

impl ReasonKind {
    /// The name in machine-readable answers.
    pub fn name(self) -> &'static str {
        match self {
            Self::Dates => "dates",
            Self::Unread => "unread",
            Self::Components => "components",
            Self::GoesOn => "goes-on",
            Self::NotCompared => "not-compared",
            Self::Period => "period",
            Self::Stayed => "stayed",
            Self::Details => "details",
            Self::LeftBehind => "left-behind",
            Self::Cancelled => "cancelled",
            Self::CalendarLines => "calendar-lines",
        }
    }
}

/// One reason why the old calendars may not go yet.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Reason {
    /// The kind.
    pub kind: ReasonKind,
    /// The field it is about, by which a person can accept it.
    pub field: Option<String>,
    /// How many dates, events or files.
    pub count: usize,
    /// In words.
    pub summary: String,
    /// What a person can do about it.
    pub todo: Option<Advice>,
}

/// Whether the old calendars may go.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Release {
    /// What stands against it, the gravest first.
    pub because: Vec<Reason>,
    /// What a person has accepted to do without, by field, with how often.
    pub accepted: BTreeMap<String, usize>,
    /// How many dates of the sources runs took out as asked, as their receipts say.
    pub taken_out: usize,
}

impl Release {
    /// Whether nothing stands against it.
    pub fn may_go(&self) -> bool {
        self.because.is_empty()
    }

    /// Whether something stands against it that nobody asked for.
    pub fn needs_a_look(&self) -> bool {
        self.because.iter().any(|reason| reason.kind != ReasonKind::Stayed)
    }
}

/// All that was found, for the release.
pub(super) struct Findings<'f> {
    pub(super) counts: Counts,
    pub(super) came_back: usize,
    pub(super) unread: Unread,
    pub(super) stayed: &'f [Stayed],
    pub(super) taken_out: usize,
    pub(super) components: &'f [ComponentDifference],
    pub(super) going_on: &'f [GoesOn],
    pub(super) not_compared: &'f [Advised],
    pub(super) outside: usize,
    pub(super) details: &'f [DetailDifference],
    pub(super) left_behind: &'f BTreeMap<&'f str, usize>,
    pub(super) cancelled: &'f [CancelledGone],
    pub(super) lines: &'f [CalendarLine],
}

impl Findings<'_> {
    /// The reasons, without what is accepted.
    pub(super) fn release(&self, accepted: &[String]) -> Release {
        let mut all = Vec::new();
        self.dates(&mut all);
        self.unread(&mut all);
        self.components(&mut all);
        self.going_on(&mut all);
        self.not_compared(&mut all);
        self.stayed(&mut all);
        self.details(&mut all);
        self.left_behind(&mut all);
        self.cancelled(&mut all);
        self.lines(&mut all);
        let mut release = Release { taken_out: self.taken_out, ..Release::default() };
        for reason in all {
            let is_accepted =
                |field: &&String| accepted.iter().any(|accepted| accepted.trim().eq_ignore_ascii_case(field));
            match reason.field.as_ref().filter(is_accepted) {
                Some(field) => *release.accepted.entry(field.clone()).or_insert(0) += reason.count,
                None => release.because.push(reason),
            }
        }
        release
    }

    fn dates(&self, all: &mut Vec<Reason>) {
        let Counts { missing, retimed, altered, doubled, .. } = self.counts;
        let rows = [
            (missing, "missing"),
            (retimed, "at another time"),
            (altered, "with other words"),
            (doubled, "there more than once"),
            (self.came_back, "back that were cancelled"),
        ];
        let parts: Vec<String> = rows
            .iter()
            .filter(|(count, _)| *count > 0)
            .map(|(count, what)| format!("{count} {what}"))
            .collect();
        if parts.is_empty() {
            return;
        }
        let count: usize = rows.iter().map(|(count, _)| count).sum();
        let are = counted(count, "date is not as it was", "dates are not as they were");
        let summary = format!("{are}: {}", parts.join(", "));
        let todo = Advice::ByHand("put right what differs, and compare again");
        all.push(reason(ReasonKind::Dates, None, count, summary, Some(todo)));
    }

    fn unread(&self, all: &mut Vec<Reason>) {
        let Unread { components, parts, files } = self.unread;
        if files > 0 {
            let what = counted(files, "file that was given could", "files that were given could");
            let todo = Advice::ByHand("export them again, or leave them out if they are no exports");
            all.push(reason(ReasonKind::Unread, None, files, format!("{what} not be read"), Some(todo)));
        }
        let unread = || Some("unread".to_owned());
        if components > 0 {
            let (one, many) =
                ("event or task of the sources cannot", "events or tasks of the sources cannot");
            let summary = format!(
                "{} be read, so nobody knows whether they are in the result",
                counted(components, one, many)
            );
            let todo = Advice::ByHand(
                "a check of the sources says why; repair the export, or look them up in the old calendar and enter them by hand",
            );
            all.push(reason(ReasonKind::Unread, unread(), components, summary, Some(todo)));
        }
        if parts > 0 {
            let (one, many) = ("line or part of the sources cannot", "lines or parts of the sources cannot");
            let summary = format!("{} be read, and what it says is not compared", counted(parts, one, many));
            let todo = Advice::ByHand("a check of the sources says which and why");
            all.push(reason(ReasonKind::Unread, unread(), parts, summary, Some(todo)));
        }
    }

    fn stayed(&self, all: &mut Vec<Reason>) {
        for Stayed { field, count, what } in self.stayed.iter().filter(|one| one.count > 0) {
            let summary = format!("left in the old calendars as asked: {count} {what}");
            let todo = Advice::ByHand("see that whoever owns them has them elsewhere");
            all.push(reason(ReasonKind::Stayed, Some((*field).to_owned()), *count, summary, Some(todo)));
        }
    }

    fn components(&self, all: &mut Vec<Reason>) {
        let mut missing: BTreeMap<&str, Vec<&ComponentDifference>> = BTreeMap::new();
        let mut changed: BTreeMap<&str, Vec<&ComponentDifference>> = BTreeMap::new();
        for one in self.components {
            let name = match one.kind {
                ComponentKind::Task => "task",
                ComponentKind::Journal => "journal",
                _ => one.name.as_str(),
            };
            let of = if one.is_missing() { &mut missing } else { &mut changed };
            of.entry(name).or_default().push(one);
        }
        for (name, ones) in missing {
            let summary = format!(
                "{}: {}",
                is_not_in_result(name, ones.len()),
                titles_in_words(ones.iter().map(|one| one.title.as_str()))
            );
            let todo = Advice::ByHand(
                "many destinations take events alone: move them to one that takes them, or keep them by hand",
            );
            all.push(reason(ReasonKind::Components, Some(field_of(name)), ones.len(), summary, Some(todo)));
        }
        for (name, ones) in changed {
            let mut fields: Vec<&str> = ones.iter().flat_map(|one| &one.fields).map(String::as_str).collect();
            fields.sort_unstable();
            fields.dedup();
            let say = if ones.len() == 1 {
                format!("1 {name} says")
            } else {
                format!("{} {name}s say", ones.len())
            };
            let summary = format!("{say} something else in {}", fields.join(", "));
            all.push(reason(ReasonKind::Components, Some(field_of(name)), ones.len(), summary, None));
        }
    }

    fn going_on(&self, all: &mut Vec<Reason>) {
        for how in [Beyond::SeriesEnds, Beyond::SinglesEnd, Beyond::NotCompared] {
            let ones: Vec<&GoesOn> = self.going_on.iter().filter(|one| one.how == how).collect();
            if ones.is_empty() {
                continue;
            }
            let words = match (how, ones.len()) {
                (Beyond::SeriesEnds, 1) => {
                    "series of the sources goes on behind that period, and has other dates there in the result or none"
                }
                (Beyond::SeriesEnds, _) => {
                    "series of the sources go on behind that period, and have other dates there in the result or none"
                }
                (Beyond::SinglesEnd, 1) => {
                    "series of the sources goes on behind that period, where the result holds single dates"
                }
                (Beyond::SinglesEnd, _) => {
                    "series of the sources go on behind that period, where the result holds single dates"
                }
                (Beyond::NotCompared, 1) => {
                    "series of the sources has too many dates behind that period to compare all"
                }
                (Beyond::NotCompared, _) => {
                    "series of the sources have too many dates behind that period to compare all"
                }
            };
            let summary = format!("{} {words}", ones.len());
            let summary =
                format!("{summary}: {}", titles_in_words(ones.iter().map(|one| one.title.as_str())));
            let todo = match how {
                Beyond::NotCompared => Advice::ByHand("see in the destination that they go on"),
                _ => Advice::ByHand("note until when they are there, and import the rest in time"),
            };
            let field = (how != Beyond::NotCompared).then(|| "series-end".to_owned());
            all.push(reason(ReasonKind::GoesOn, field, ones.len(), summary, Some(todo)));
        }
    }

    fn not_compared(&self, all: &mut Vec<Reason>) {
        for one in self.not_compared {
            let summary = format!("not compared date by date: {}", one.message);
            all.push(reason(ReasonKind::NotCompared, None, 1, summary, one.advice.clone()));
        }
        if self.outside > 0 {
            let summary = format!(
                "{} dates outside the period that was compared",
                counted(self.outside, "event of the sources has", "events of the sources have")
            );
            let todo = Advice::ByHand("compare without a period, or keep the old calendars for the rest");
            all.push(reason(ReasonKind::Period, None, self.outside, summary, Some(todo)));
        }
    }

    fn details(&self, all: &mut Vec<Reason>) {
        // Dates that lost a detail, and dates where it says something else.
        let mut by_field: BTreeMap<&str, (usize, usize)> = BTreeMap::new();
        let mut before: Option<&DetailDifference> = None;
        for one in self.details {
            // A date may have lost several of one field.
            let is_same_date = before.is_some_and(|last| {
                (&last.uid, &last.start, &last.field, &last.path)
                    == (&one.uid, &one.start, &one.field, &one.path)
            });
            before = Some(one);
            if !is_same_date {
                let counts = by_field.entry(&one.field).or_default();
                *(if one.after.is_empty() { &mut counts.0 } else { &mut counts.1 }) += 1;
            }
        }
        for (field, (lost, other)) in by_field {
            let summary = match (lost, other) {
                (1, 0) => format!("1 date has lost its {field}"),
                (lost, 0) => format!("{lost} dates have lost their {field}"),
                (0, 1) => format!("1 date says something else in {field}"),
                (0, other) => format!("{other} dates say something else in {field}"),
                (lost, other) => {
                    format!(
                        "{} lost {field}, and {other} have another",
                        counted(lost, "date has", "dates have")
                    )
                }
            };
            let todo = Advice::ByHand(
                "the destination does not take it from this kind of file: try the other one, or enter it by hand",
            );
            all.push(reason(ReasonKind::Details, Some(field.to_owned()), lost + other, summary, Some(todo)));
        }
    }

    fn left_behind(&self, all: &mut Vec<Reason>) {
        for (field, count) in self.left_behind {
            let summary = format!("left behind by the run, as its receipt says: {count} × {field}");
            let todo = Advice::ByHand("enter it in the destination");
            let name = Some(field.replace(' ', "-"));
            all.push(reason(ReasonKind::LeftBehind, name, *count, summary, Some(todo)));
        }
    }

    fn cancelled(&self, all: &mut Vec<Reason>) {
        if self.cancelled.is_empty() {
            return;
        }
        let count = self.cancelled.len();
        let summary = format!(
            "{} gone: {}",
            counted(count, "cancelled event is", "cancelled events are"),
            titles_in_words(self.cancelled.iter().map(|one| one.title.as_str()))
        );
        let todo = Advice::ByHand("see that nobody waits for them");
        all.push(reason(ReasonKind::Cancelled, Some("cancelled".to_owned()), count, summary, Some(todo)));
    }

    fn lines(&self, all: &mut Vec<Reason>) {
        let mut by_field: BTreeMap<&str, usize> = BTreeMap::new();
        for one in self.lines {
            *by_field.entry(&one.field).or_insert(0) += 1;
        }
        for (field, count) in by_field {
            let summary = format!("not in the result: {count} × {field}");
            let todo = Advice::ByHand("enter it in the destination");
            all.push(reason(
                ReasonKind::CalendarLines,
                Some(field.replace(' ', "-")),
                count,
                summary,
                Some(todo),
            ));
        }
    }
}

fn reason(
    kind: ReasonKind,
    field: Option<String>,
    count: usize,
    summary: String,
    todo: Option<Advice>,
) -> Reason {
    Reason { kind, field, count, summary, todo }
}

fn field_of(name: &str) -> String {
    if name.chars().all(|char| char.is_ascii_lowercase()) { format!("{name}s") } else { name.to_owned() }
}

fn is_not_in_result(name: &str, count: usize) -> String {
    if count == 1 {
        format!("1 {name} is not in the result")
    } else {
        format!("{count} {name}s are not in the result")
    }
}

fn counted(count: usize, one: &str, many: &str) -> String {
    format!("{count} {}", if count == 1 { one } else { many })
}
