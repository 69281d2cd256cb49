//! `changes`: what happened between two snapshots.

use std::collections::{BTreeSet, HashMap, HashSet};
use std::path::{Path, PathBuf};

use emvo_core::edit::{define_missing, sync_definitions};
use emvo_core::identity::uid_of_other;
use emvo_core::product::PRODUCT_ID;
use emvo_core::snapshot::{Changes, Entry, Relation, cancellation, changes};
use emvo_core::view::CalendarView;
use emvo_ical::calendar::{Calendar, Placed, Series, Uid, write_with_head};
use emvo_ical::content::{Component, Property};
use emvo_ical::zone::ZoneResolver;

use super::{Command, Program};
use crate::answer::by_hand::ByHand;
use crate::answer::changes::{Compared, Content, Told};
use crate::answer::sheet::sheet;
use crate::answer::{Report, give};
use crate::input::{InputGroup, ReadFiles, views, with_sources};
use crate::job::args::{AnswerArgs, ReadingArgs};
use crate::outcome::Outcome;
use crate::output::{Batch, Existing, Guard, Mode, NamedFile, Readers, Role, is_sheet};
use crate::terminal::progress;

/// What was added, changed, moved and removed between two exports of the same calendars
#[derive(Debug, clap::Args)]
pub(crate) struct ChangesArgs {
    /// The earlier export, or a folder or zip of them
    #[arg(value_name = "OLD")]
    old: PathBuf,
    /// The later one
    #[arg(value_name = "NEW")]
    new: PathBuf,
    /// Write what is new, changed or moved as a calendar file to import
    #[arg(long, short, value_name = "DELTA.ics", help_heading = "Output")]
    output: Option<PathBuf>,
    /// Write what was removed: as cancellations (.ics), or as a list for a person (.csv)
    #[arg(long, value_name = "PATH.ics|.csv", help_heading = "Output")]
    cancellations: Option<PathBuf>,
    /// Write into -o only what is new: for a destination that takes no updates and would double the rest
    #[arg(long, requires = "output", help_heading = "Output")]
    for_import: bool,
    /// Write what a person has to delete, move and change there: a sheet (.csv), or lines to print
    #[arg(long, value_name = "LIST", help_heading = "Output")]
    by_hand: Option<PathBuf>,
    /// Write what differs as a page (.html), a sheet (.csv) or JSON
    #[arg(long, value_name = "PATH.html|.csv|.xlsx|.json", help_heading = "Output")]
    report: Option<PathBuf>,
    /// Replace existing files
    #[arg(long, help_heading = "Output")]
    overwrite: bool,
    #[command(flatten)]
    reading: ReadingArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

impl Command for ChangesArgs {
    const EXAMPLES: &'static [&'static str] = &[
        "emvo changes exports/norrsund/crew.ics after-import/norrsund-line.ics",
        "emvo changes exports/norrsund/crew.ics after-import/norrsund-line.ics -o delta.ics --overwrite",
        "emvo changes exports/norrsund/crew.ics after-import/norrsund-line.ics --by-hand list.txt",
    ];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        let form = self.answer.resolve();
        let files = ReadFiles::default();
        let reading = self.reading.resolve(&files)?;
        let (guard, existing) = (Guard::new(&files), Existing::of_flag(self.overwrite));
        let named = |path: &Option<PathBuf>, role| NamedFile::at(path.as_deref(), role, existing, &guard);
        let output = named(&self.output, Role::Output)?;
        let cancelled = named(&self.cancellations, Role::Cancellations)?;
        let by_hand = named(&self.by_hand, Role::ByHand)?;
        let report = Report::at(self.report.as_deref(), existing, &guard)?;
        let content = if self.for_import { Content::WhatIsNew } else { Content::WhatDiffers };
        let (old, new) = ([self.old], [self.new]);
        let groups = [&old, &new].map(|paths| InputGroup { paths, reading: &reading, except: None });
        with_sources(&groups, &files, |[old, new]| {
            progress::doing("comparing");
            let (old_views, new_views) = (views(&old), views(&new));
            let found = changes(&old_views, &new_views, Relation::SameSystem);
            let calendars: Vec<String> = old_views.iter().map(|view| view.calendar.name()).collect();
            // A list of all that differs is long, and in nearly all runs nobody asks for it.
            let list = match (by_hand.is_named(), content) {
                (true, _) | (_, Content::WhatIsNew) => {
                    ByHand::of(&found, &found.removed, &calendars).with_others(&found.others)
                }
                (false, Content::WhatDiffers) => ByHand::default(),
            };
            let mut batch = Batch::new(Mode::Write, &guard, Readers::AsUsual);
            output.add_to(&mut batch, |_| Ok(delta(&found, &new_views, content)))?;
            cancelled.add_to(&mut batch, |path| cancellations(&found, &old_views, path))?;
            by_hand.add_to(&mut batch, |path| list.bytes(path))?;
            let outputs = batch.paths().into_iter().chain(report.shown()).collect();
            let told = Told {
                written: output.is_named().then_some(content),
                removed: cancelled.path().is_some(),
                by_hand: by_hand.path().is_some(),
            };
            let compared = Compared { found, by_hand: list, outputs, told, snapshots: [&old, &new] };
            report.add_to(&mut batch, &compared)?;
            batch.place()?;
            give(&compared, form)?;
            Ok(Outcome::needs_a_look_if(compared.differs() || !compared.unread().is_empty()))
        })
    }
}

/// What the destination is to be given, one calendar for each of the new snapshot.
fn delta(found: &Changes<'_, '_>, new: &[CalendarView<'_, '_>], content: Content) -> Vec<u8> {
    let pairs = found.changed.iter().chain(&found.moved).map(|pair| &pair.new);
    let pairs = pairs.filter(|_| content == Content::WhatDiffers);
    let all: Vec<&Entry<'_, '_>> = found.added.iter().chain(pairs).collect();
    let ids = ids_there(found);
    let others = found.others.iter().filter(|other| content == Content::WhatDiffers || other.old.is_none());
    let others: Vec<_> = others.filter_map(|other| other.new).collect();
    let mut bytes = Vec::new();
    for (side, CalendarView { calendar, zones, .. }) in new.iter().enumerate() {
        let own = all.iter().filter(|entry| entry.side == side).map(|entry| under_its_id(entry, &ids));
        let is_meant = |one: &&Placed<Component<'_>>| {
            others.iter().any(|(_, other)| std::ptr::eq(*other, &raw const one.it))
        };
        let mut part = Calendar {
            series: own.collect(),
            others: calendar.others.iter().filter(is_meant).cloned().collect(),
            unsound: Vec::new(),
            ..(*calendar).clone()
        };
        if part.series.is_empty() && part.others.is_empty() && new.len() > 1 {
            continue;
        }
        part.series.sort_by_key(|series| series.lead().rank());
        push_part(&mut part, zones, &mut bytes);
    }
    bytes
}

/// Under which id a destination has each event that it has, and all ids that it has.
struct IdsThere<'i, 'a> {
    of: HashMap<*const Series<'a>, Uid<'i>>,
    all: HashSet<Uid<'i>>,
}

fn ids_there<'f, 'a>(found: &'f Changes<'_, 'a>) -> IdsThere<'f, 'a> {
    let pairs = found.changed.iter().chain(&found.moved).map(|pair| (&pair.old, Some(&pair.new)));
    let same = found.unchanged.iter().map(|(old, new)| (old, Some(new)));
    let alone = found.removed.iter().chain(found.outside.iter().map(|one| &one.entry));
    let mut ids = IdsThere { of: HashMap::new(), all: HashSet::new() };
    for (old, new) in pairs.chain(same).chain(alone.map(|old| (old, None))) {
        let Some(uid) = old.series.uid() else { continue };
        if let Some(new) = new {
            ids.of.insert(std::ptr::from_ref(new.series), uid.clone());
        }
        ids.all.insert(uid);
    }
    ids
}

/// An event under the id that the destination knows it by; one that is new there under
/// an id of its own.
fn under_its_id<'a>(entry: &Entry<'_, 'a>, ids: &IdsThere<'_, 'a>) -> Series<'a> {
    let mut series = entry.series.clone();
    let Some(own) = entry.series.uid() else { return series };
    match ids.of.get(&std::ptr::from_ref(entry.series)) {
        Some(known) if *known == own => {}
        Some(known) => series.set_uid(known),
        None if ids.all.contains(&own) => {
            let derived = (0..).map(|salt| uid_of_other(own.as_str(), entry.series, salt));
            if let Some(free) = derived.into_iter().find(|uid| !ids.all.contains(uid)) {
                series.set_uid(&free);
            }
        }
        None => {}
    }
    series
}

/// Adds a part of a calendar, with the definitions that it needs.
fn push_part(part: &mut Calendar<'_>, zones: &ZoneResolver, bytes: &mut Vec<u8>) {
    let before: BTreeSet<_> = zones.names().into_iter().cloned().collect();
    sync_definitions(part, zones, &before, &BTreeSet::new());
    define_missing(part, zones);
    write_with_head(part, &part.missing_head(PRODUCT_ID), bytes);
}

fn cancellations(
    found: &Changes<'_, '_>,
    old: &[CalendarView<'_, '_>],
    path: &Path,
) -> anyhow::Result<Vec<u8>> {
    if is_sheet(path) { cancellation_table(found, old) } else { Ok(cancellation_calendar(found, old)) }
}

fn cancellation_calendar(found: &Changes<'_, '_>, old: &[CalendarView<'_, '_>]) -> Vec<u8> {
    let mut bytes = Vec::new();
    for (side, CalendarView { calendar, zones, .. }) in old.iter().enumerate() {
        let own = found.removed.iter().filter(|entry| entry.side == side);
        let mut part = Calendar {
            series: own.map(|entry| cancellation(entry.series)).collect(),
            others: Vec::new(),
            unsound: Vec::new(),
            ..(*calendar).clone()
        };
        if part.series.is_empty() {
            continue;
        }
        part.properties.retain(|line| !line.is("METHOD"));
        part.properties.push(Property::new("METHOD", &[], "CANCEL"));
        push_part(&mut part, zones, &mut bytes);
    }
    bytes
}

fn cancellation_table(found: &Changes<'_, '_>, old: &[CalendarView<'_, '_>]) -> anyhow::Result<Vec<u8>> {
    let rows = found.removed.iter().map(|entry| {
        let lead = entry.series.lead();
        [
            String::new(),
            lead.title().unwrap_or_default().into_owned(),
            lead.span(),
            lead.location().unwrap_or_default().into_owned(),
            old.get(entry.side).map(|view| view.calendar.name()).unwrap_or_default(),
            entry.series.uid_text().into_owned(),
        ]
    });
    sheet(["done", "title", "when", "location", "calendar", "uid"], rows)
}
