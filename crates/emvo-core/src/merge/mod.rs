//! Several calendars → one: versions settled, duplicates folded, each zone
//! defined once.
//!
//! Owns what combining needs and nothing else: ids where there are none (U01),
//! one event an id (U02), duplicates (U03), zone definitions (Z02, Z08). Every
//! other fault is left to the rules.

mod calendar;
mod clash;
mod duplicates;
mod fresh_ids;
mod group;
mod in_series;
mod incoming;
mod look_alikes;
mod only_new;
mod overrides;
mod union;
mod versions;
mod winners;
mod zones;

pub use incoming::{Busy, Ids, Incoming, Reminders, Stay, apply_incoming};
pub use look_alikes::{LookAlike, LookAlikes, PairedEvent, SamePair};
pub use only_new::{Known, TakenOut};
pub(crate) use zones::refer_to;

use std::borrow::Cow;
use std::sync::Arc;

use crate::advice::Advice;
use crate::edit::{Account, Change, Count, Edited, Fold, FoldKind, LeftBehind, Names};
use crate::identity::{
    IdsUsedAgain, OwnStamps, Statement, contradiction, same_dates, series_contradiction, unsaid, words_unsaid,
};
use emvo_ical::calendar::{Calendar, Event, Series};
use emvo_ical::recurrence::Ceiling;
use emvo_ical::zone::{ZoneChoices, ZoneResolver};

/// One calendar to combine.
#[derive(Debug)]
pub struct MergeInput<'a> {
    /// What it holds.
    pub calendar: Calendar<'a>,
    /// What its zone names mean.
    pub zones: ZoneResolver,
    /// How people know it: its file.
    pub label: String,
}

/// How calendars are combined.
#[derive(Clone, Debug, Default)]
pub struct MergeOptions {
    /// Whose event stays when the destination has one under the same id.
    pub clash: Clash,
    /// What happens to the same event under different ids.
    pub duplicates: Duplicates,
    /// What is done to every incoming event.
    pub incoming: Incoming,
    /// Pairs that a person called the same.
    pub same_pairs: Vec<SamePair>,
    /// Whether events that are probably the same are looked for.
    pub look_alikes: LookAlikes,
    /// The combined calendar's name.
    pub name: Option<String>,
    /// The combined calendar's colour, a CSS name (RFC 7986 section 5.9).
    pub color: Option<String>,
    /// How far series are compared.
    pub ceiling: Ceiling,
}

/// Whose event stays when the destination has one under the same id.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Clash {
    /// The destination's.
    #[default]
    Existing,
    /// The incoming one.
    Incoming,
    /// The newer one; the destination's if nothing tells.
    Newest,
    /// Both: the incoming one under a derived id.
    Both,
}

/// What happens to the same event under different ids.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Duplicates {
    /// They become one.
    #[default]
    Fold,
    /// They stay.
    Keep,
}

/// Something about the inputs that the result cannot show.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum MergeWarning {
    /// Floating times that were read in another zone than the result states.
    #[error("{label}: its times without a zone were meant in {zone}, the combined calendar {stated}")]
    FloatingMoved {
        /// The input.
        label: String,
        /// The zone it states.
        zone: String,
        /// What the combined calendar states instead.
        stated: String,
    },
    /// A zone name that nobody defines and that means nothing.
    #[error("the zone `{name}` is defined in no input and is no name that is known")]
    UnknownZone {
        /// The name.
        name: String,
    },
}

impl MergeWarning {
    /// What would help.
    pub fn advice(&self) -> Option<Advice> {
        match self {
            Self::FloatingMoved { zone, .. } => Some(Advice::PinFirst { zone: zone.clone() }),
            Self::UnknownZone { .. } => None,
        }
    }
}

/// What came of combining.
#[derive(Debug)]
pub struct Merged<'a> {
    /// The combined calendar.
    pub calendar: Calendar<'a>,
    /// What became of what was read, `written` still to be counted.
    pub account: Account,
    /// Which events became part of others.
    pub folds: Vec<Fold>,
    /// What was changed in events that stay.
    pub changes: Vec<Change>,
    /// What calendars say of themselves and the combined one does not.
    pub left: Vec<LeftBehind>,
    /// What a person should know.
    pub warnings: Vec<MergeWarning>,
    /// Events that stay and are probably the same.
    pub look_alikes: Vec<LookAlike>,
}

impl<'a> Merged<'a> {
    /// The combined calendar, and what was done for it; look-alikes and warnings
    /// are for who asked for them.
    pub fn into_edited(self, choices: &ZoneChoices) -> Edited<'a> {
        let zones = ZoneResolver::of(&self.calendar, choices);
        Edited {
            account: self.account.of_folded(),
            changes: self.changes,
            folds: self.folds,
            left: self.left,
            ..Edited::unchanged(self.calendar, zones)
        }
    }
}

/// An event on its way into the result.
#[derive(Debug)]
struct Entry<'a> {
    series: Series<'a>,
    source: usize,
    apart: Apart,
}

/// Whether an event may become part of another.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
enum Apart {
    /// It may.
    #[default]
    No,
    /// It was asked to stay beside the destination's event of its id.
    FromDestination,
}

/// What is the same for all events: the inputs by number, and what was asked.
struct Terms {
    books: Vec<ZoneResolver>,
    labels: Vec<Arc<str>>,
    /// What the calendars call themselves, if they do.
    names: Vec<Option<Arc<str>>>,
    /// Own properties that are ids or stamps by the habit of each input.
    stamps: Vec<OwnStamps>,
    /// Which inputs use ids again for other events.
    used_again: IdsUsedAgain,
    /// The number of the destination among the inputs.
    destination: Option<usize>,
    options: MergeOptions,
}

/// The state of a merge: its terms, and the events that stay.
struct Merge<'a> {
    terms: Terms,
    kept: Vec<Option<Entry<'a>>>,
    account: Account,
    folds: Vec<Fold>,
    changes: Vec<Change>,
    /// Pairs that nothing tells apart or makes one, for a person to look at.
    asked: Vec<(usize, usize, &'static str)>,
}

/// Combines calendars into one. `existing` is what the destination already
/// holds; its events are not changed unless the clash policy says so.
pub fn merge<'a>(
    existing: Option<MergeInput<'a>>,
    inputs: Vec<MergeInput<'a>>,
    options: MergeOptions,
) -> Merged<'a> {
    let destination = existing.is_some().then_some(0);
    let mut calendars = Vec::new();
    let terms = Terms {
        books: Vec::new(),
        labels: Vec::new(),
        names: Vec::new(),
        stamps: Vec::new(),
        used_again: IdsUsedAgain::default(),
        destination,
        options,
    };
    let mut merge = Merge {
        terms,
        kept: Vec::new(),
        account: Account::default(),
        folds: Vec::new(),
        changes: Vec::new(),
        asked: Vec::new(),
    };
    for input in existing.into_iter().chain(inputs) {
        merge.account.add(Count::Read, input.calendar.counts());
        merge.account.events.set_aside += input.calendar.unsound.len();
        merge.terms.stamps.push(OwnStamps::of(&input.calendar.series));
        merge.terms.books.push(input.zones);
        merge.terms.labels.push(input.label.into());
        merge.terms.names.push(input.calendar.states_name().then(|| input.calendar.name().into()));
        calendars.push(input.calendar);
    }
    merge.take_series(&mut calendars);
    if merge.terms.options.duplicates == Duplicates::Fold {
        merge.fold_duplicates();
        merge.fold_into_series();
    }
    merge.fold_answered();
    let look_alikes = merge.look_alikes();
    merge.apply_to_incoming(&mut calendars);
    let merged = merge.assemble(calendars);
    Merged { look_alikes, ..merged }
}

impl Terms {
    /// An event with what its zone names mean.
    fn side<'e, 'a>(&'e self, entry: &'e Entry<'a>) -> (&'e Series<'a>, &'e ZoneResolver) {
        (&entry.series, &self.books[entry.source])
    }

    /// The first field in which two events contradict each other, if any.
    fn contradiction(&self, one: &Entry<'_>, two: &Entry<'_>) -> Option<Cow<'static, str>> {
        let stamps = [&self.stamps[one.source], &self.stamps[two.source]];
        series_contradiction(self.side(one), self.side(two), stamps)
    }

    /// Whether two events under one id are one: their leads say the same, and the
    /// dates that both have changed are at one time, or one of them is newer.
    /// Which dates are changed is settled date by date.
    fn are_one_but_for_dates(&self, one: &Entry<'_>, two: &Entry<'_>) -> bool {
        let stamps = [&self.stamps[one.source], &self.stamps[two.source]];
        let first = Series::of(one.series.lead().clone());
        let second = Series::of(two.series.lead().clone());
        let [first_zones, second_zones] = [one, two].map(|entry| &self.books[entry.source]);
        contradiction(first.lead(), second.lead(), stamps).is_none()
            && same_dates((&first, first_zones), (&second, second_zones), self.options.ceiling)
            && overrides::can_be_settled((&one.series, first_zones), (&two.series, second_zones))
    }

    /// Whether two events are one whatever their ids: the same dates, and nothing
    /// that contradicts. Titles and times of the leads are for the caller.
    fn are_one(&self, one: &Entry<'_>, two: &Entry<'_>) -> bool {
        self.contradiction(one, two).is_none()
            && same_dates(self.side(one), self.side(two), self.options.ceiling)
    }

    fn fold(&self, kind: FoldKind, folded: &Entry<'_>, stays: &Entry<'_>, gave_way: Vec<Statement>) -> Fold {
        let (lead, uid, into) = (folded.series.lead(), folded.series.uid_text(), stays.series.uid_text());
        let (from, to) = (&self.names[folded.source], &self.names[stays.source]);
        let mut left = match kind {
            // It stands where the series has a date, so its times are there.
            FoldKind::InSeries => words_unsaid(lead, stays.series.lead()),
            _ => unsaid(self.side(folded), self.side(stays)),
        };
        left.extend(gave_way);
        Fold {
            kind,
            left: left.into(),
            title: lead.title().unwrap_or_default().into(),
            start: lead.start().clone(),
            origin: lead.origin(),
            from: self.labels[folded.source].clone(),
            into: self.labels[stays.source].clone(),
            other_uid: (into != uid).then(|| into.into()),
            uid: uid.into(),
            names: match from.as_ref().zip(to.as_ref()) {
                Some((from, to)) if from != to => Names::Different,
                _ => Names::Alike,
            },
        }
    }
}

impl<'a> Merge<'a> {
    fn fold(&mut self, kind: FoldKind, folded: &Entry<'a>, into: usize) {
        let Some(stays) = self.kept[into].as_ref() else { return };
        let fold = self.terms.fold(kind, folded, stays, Vec::new());
        self.folds.push(fold);
        self.account.events.folded += 1;
    }

    fn change(&mut self, rule: Option<&'static str>, event: &Event<'_>, before: String, after: String) {
        self.changes.push(Change::to_event(rule, event, before, after));
    }

    /// Whether an event may be changed: the destination's own may not.
    fn may_change(&self, at: usize) -> bool {
        self.kept[at].as_ref().is_some_and(|entry| Some(entry.source) != self.terms.destination)
    }
}
