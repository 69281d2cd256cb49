//! `survey`: what is in these exports.

use std::collections::BTreeMap;
use std::path::PathBuf;

use emvo_core::rules::{
    self, Across, CheckOptions, Finding, Level, RuleChoice, RuleId, check, check_source, say_the_same,
};
use emvo_core::snapshot::{Relation, changes};
use emvo_core::survey::{Per, Survey, Through, events_digest, loaded_through, survey, survey_beside};
use emvo_ical::recurrence::{Ceiling, Window};
use hashbrown::HashMap;

use super::{Command, Program};
use crate::answer::surveyed::{Alike, CalendarCounts, Gone, Loading, RuleCount, Surveyed, Twins};
use crate::answer::{Detail, Form, give};
use crate::input::{EventReading, InputGroup, Loaded, ReadFiles, Reading, Source, views, with_sources};
use crate::job::args::{AnswerArgs, InputArgs, WindowArgs};
use crate::job::select::{Chosen, SelectArgs};
use crate::outcome::Outcome;
use crate::output::SavedColumns;
use crate::terminal::{progress, say_beside};

/// What is in these exports: names, zones, counts, dates
#[derive(Debug, clap::Args)]
pub(crate) struct SurveyArgs {
    #[command(flatten)]
    select: SelectArgs,
    #[command(flatten)]
    window: WindowArgs,
    /// Say through which date events are loaded: by calendar, title or category
    #[arg(long, value_enum, value_name = "WHAT", help_heading = "Loaded through")]
    per: Option<PerArg>,
    /// An earlier download of the same period: say what the new one no longer has
    #[arg(long, value_name = "OLD", help_heading = "Loaded through")]
    earlier: Option<PathBuf>,
    /// Keep how a table was understood as a columns file, for --columns
    #[arg(long, value_name = "FILE.toml", help_heading = "Output")]
    save_columns: Option<PathBuf>,
    #[command(flatten)]
    input: InputArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

#[derive(Clone, Copy, Debug, clap::ValueEnum)]
enum PerArg {
    /// Each calendar
    Calendar,
    /// Each title
    Title,
    /// Each category
    Category,
}

impl PerArg {
    fn meaning(self) -> Per {
        match self {
            Self::Calendar => Per::Calendar,
            Self::Title => Per::Title,
            Self::Category => Per::Category,
        }
    }
}

impl Command for SurveyArgs {
    const EXAMPLES: &'static [&'static str] = &[
        "emvo survey exports",
        "emvo survey exports/skarvik --zone Europe/Helsinki -v",
        "emvo survey after-import/norrsund-line.ics --title watch --per title",
    ];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        let form = self.answer.resolve();
        let files = ReadFiles::default();
        let reading = self.input.reading.resolve(&files)?.reporting_undecided();
        let saved = SavedColumns::at(self.save_columns.as_deref(), &files)?;
        let window = self.window.resolve()?;
        let chosen = self.select.resolve(&files)?;
        let per = self.per.map(PerArg::meaning);
        let earlier: Vec<PathBuf> = self.earlier.into_iter().collect();
        let reading = reading.with_events(match (&chosen, per, earlier.as_slice(), form) {
            (chosen, None, [], Form::Json | Form::Text(Detail::Usual))
                if chosen.takes_files() && window.ceiling.0 >= Ceiling::default().0 =>
            {
                EventReading::Asked { today: None, across: Across::Alone }
            }
            _ => EventReading::All,
        });
        let groups = [&self.input.inputs, &earlier];
        let groups = groups.map(|paths| InputGroup { paths, reading: &reading, except: None });
        with_sources(&groups, &files, |[sources, earlier]| {
            progress::doing("counting");
            let span = window.over(&sources).map(|span| (span, window.ceiling));
            let calendars = counts(&sources, |loaded| match span {
                Some(span) => counts_of(loaded, span, &chosen, &reading),
                None => Survey { unsound: loaded.calendar.unsound.len(), ..Survey::default() },
            });
            let per = per.unwrap_or(Per::Calendar);
            let loading = Loading {
                per,
                by_name: match (per, span) {
                    (Per::Title | Per::Category, Some(span)) => {
                        let loaded = sources.iter().flat_map(|source| &source.loaded);
                        let through = loaded.map(|one| {
                            let choose = chosen.chooser(one, &reading);
                            loaded_through(&one.calendar, &one.zones, span, choose, per)
                        });
                        through.fold(BTreeMap::new(), together)
                    }
                    _ => through_of_calendars(&calendars),
                },
                no_longer: no_longer(&earlier, &sources, &chosen),
                is_asked_for: self.per.is_some() || !chosen.takes_files(),
            };
            let twins = twins(&calendars, &reading);
            progress::doing("looking for faults");
            let found = findings(&sources, &reading, &chosen);
            let surveyed = Surveyed::of(&sources, calendars, twins, found, loading);
            saved.save(&sources, &reading)?;
            give(&surveyed, form)?;
            if let Some(line) = saved.line() {
                say_beside(&format!("{line}\n"));
            }
            Ok(Outcome::needs_a_look_if(surveyed.needs_a_look()))
        })
    }
}

/// What a calendar holds inside a window.
fn counts_of(loaded: &Loaded<'_>, span: (Window, Ceiling), chosen: &Chosen, reading: &Reading) -> Survey {
    let choose = chosen.chooser(loaded, reading);
    let counts = survey_beside(&loaded.quiet, &loaded.calendar, &loaded.zones, span, choose);
    debug_assert!(loaded.with_all_events(reading).is_none_or(|all| {
        counts == survey(&all.calendar, &all.zones, span, chosen.chooser(&all, reading))
    }));
    counts
}

/// What was counted of each calendar.
fn through_of_calendars(calendars: &[CalendarCounts<'_, '_>]) -> BTreeMap<String, Through> {
    let one = |row: &CalendarCounts<'_, '_>| {
        BTreeMap::from([(row.loaded.calendar.name(), Through::of(&row.counts))])
    };
    calendars.iter().map(one).fold(BTreeMap::new(), together)
}

/// What several calendars have under each name.
fn together(
    mut sum: BTreeMap<String, Through>,
    more: BTreeMap<String, Through>,
) -> BTreeMap<String, Through> {
    for (name, through) in more {
        let one = sum.entry(name).or_default();
        *one = one.and(through);
    }
    sum
}

/// What an earlier download of the same period had and this one has not.
fn no_longer(earlier: &[Source<'_>], sources: &[Source<'_>], chosen: &Chosen) -> Vec<Gone> {
    if earlier.is_empty() {
        return Vec::new();
    }
    let (older, newer) = (views(earlier), views(sources));
    let found = changes(&older, &newer, Relation::SameSystem);
    let meant = found.removed.iter().filter(|entry| chosen.selection.chooses(entry.series, entry.zones));
    meant
        .map(|entry| Gone {
            uid: entry.series.uid_text().into_owned(),
            title: entry.series.lead().title().unwrap_or_default().into_owned(),
            start: entry.series.lead().start().to_string(),
        })
        .collect()
}

/// What the rules find, counted: each calendar by itself.
fn findings(sources: &[Source<'_>], reading: &Reading, chosen: &Chosen) -> BTreeMap<RuleId, RuleCount> {
    let options = CheckOptions::default();
    let choice = RuleChoice::of_single_series();
    let mut counts = BTreeMap::new();
    let mut add = |finding: &Finding| {
        let count = counts.entry(finding.rule).or_insert(RuleCount { events: 0, level: Level::Note });
        count.events += 1;
        count.level = count.level.max(finding.level);
    };
    for source in sources.iter().filter(|_| chosen.takes_files()) {
        check_source(&source.facts(), &choice).iter().for_each(&mut add);
    }
    for loaded in sources.iter().flat_map(|source| &source.loaded) {
        let house = reading.zones.house.as_ref();
        let context = rules::Context::beside(&loaded.quiet, &loaded.calendar, &loaded.zones, house, &options);
        let found = check(&context, &choice, &chosen.selection);
        debug_assert!(loaded.with_all_events(reading).is_none_or(|all| {
            let context = rules::Context::of(&all.calendar, &all.zones, house, &options);
            say_the_same(&found, &check(&context, &choice, &chosen.selection))
        }));
        found.iter().for_each(&mut add);
    }
    counts
}

fn counts<'s, 't>(
    sources: &'s [Source<'t>],
    count: impl Fn(&Loaded<'t>) -> Survey,
) -> Vec<CalendarCounts<'s, 't>> {
    let mut rows = Vec::new();
    for source in sources {
        for (at, loaded) in source.loaded.iter().enumerate() {
            let of_file = if at == 0 { source.set_aside.counts().events } else { 0 };
            let counts = count(loaded);
            rows.push(CalendarCounts { source, loaded, set_aside: of_file + counts.unsound, counts });
        }
    }
    rows
}

/// Calendars that are the same bytes, or hold the same events: an export
/// downloaded twice, or one that took another's place.
fn twins(rows: &[CalendarCounts<'_, '_>], reading: &Reading) -> Vec<Twins> {
    let mut by_counts: HashMap<(usize, usize, usize), Vec<&CalendarCounts<'_, '_>>> = HashMap::new();
    let mut twins = Vec::new();
    for row in rows {
        let key = (row.counts.events, row.counts.overrides, row.counts.occurrences);
        let alike = by_counts.entry(key).or_default();
        let twin = alike.iter().find_map(|other| Some((*other, alike_in(other, row, reading)?)));
        if let Some((other, alike)) = twin {
            twins.push(Twins { first: other.source.path.clone(), second: row.source.path.clone(), alike });
        }
        alike.push(row);
    }
    twins
}

fn alike_in(one: &CalendarCounts<'_, '_>, two: &CalendarCounts<'_, '_>, reading: &Reading) -> Option<Alike> {
    if std::ptr::eq(one.source, two.source) {
        return None;
    }
    if one.source.bytes == two.source.bytes {
        return Some(Alike::Bytes);
    }
    let digest = |row: &CalendarCounts<'_, '_>| match row.loaded.with_all_events(reading) {
        Some(all) => events_digest(&all.calendar),
        None => events_digest(&row.loaded.calendar),
    };
    let own = digest(one)?;
    (Some(own) == digest(two)).then_some(Alike::Events)
}
