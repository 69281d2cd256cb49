//! `survey`: what is in these exports.

use std::collections::BTreeMap;

use emvo_core::rules::{self, CheckOptions, Finding, Level, RuleChoice, RuleId, check, check_source};
use emvo_core::select::Selection;
use emvo_core::survey::{Survey, events_digest, survey};
use hashbrown::HashMap;

use super::{Command, Program};
use crate::answer::give;
use crate::answer::surveyed::{Alike, CalendarCounts, RuleCount, Surveyed, Twins};
use crate::input::{InputGroup, Loaded, ReadFiles, Reading, Source, with_sources};
use crate::job::args::{AnswerArgs, InputArgs, WindowArgs};
use crate::outcome::Outcome;
use crate::terminal::progress;

/// What is in these exports: names, zones, counts, dates
#[derive(Debug, clap::Args)]
pub(crate) struct SurveyArgs {
    #[command(flatten)]
    input: InputArgs,
    #[command(flatten)]
    window: WindowArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

impl Command for SurveyArgs {
    const EXAMPLES: &'static [&'static str] =
        &["emvo survey exports", "emvo survey exports/skarvik --zone Europe/Helsinki -v"];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        let form = self.answer.resolve();
        let files = ReadFiles::default();
        let reading = self.input.reading.resolve(&files)?.reporting_undecided();
        let window = self.window.resolve()?;
        let group = InputGroup { paths: &self.input.inputs, reading: &reading, except: None };
        with_sources(&[group], &files, |[sources]| {
            progress::doing("counting");
            let calendars = match window.over(&sources) {
                Some(span) => {
                    counts(&sources, |loaded| survey(&loaded.calendar, &loaded.zones, span, window.ceiling))
                }
                None => counts(&sources, |loaded| Survey {
                    unsound: loaded.calendar.unsound.len(),
                    ..Survey::default()
                }),
            };
            let twins = twins(&calendars);
            progress::doing("looking for faults");
            let surveyed = Surveyed::of(&sources, calendars, twins, findings(&sources, &reading));
            give(&surveyed, form)?;
            Ok(Outcome::needs_a_look_if(surveyed.needs_a_look()))
        })
    }
}

/// What the rules find, counted: each calendar by itself.
fn findings(sources: &[Source<'_>], reading: &Reading) -> BTreeMap<RuleId, RuleCount> {
    let options = CheckOptions::default();
    let choice = RuleChoice::of_single_series();
    let mut counts = BTreeMap::new();
    let mut add = |finding: &Finding| {
        let count = counts.entry(finding.rule).or_insert(RuleCount { events: 0, level: Level::Note });
        count.events += 1;
        count.level = count.level.max(finding.level);
    };
    for source in sources {
        check_source(&source.facts(), &choice).iter().for_each(&mut add);
    }
    for loaded in sources.iter().flat_map(|source| &source.loaded) {
        let house = reading.zones.house.as_ref();
        let context = rules::Context::of(&loaded.calendar, &loaded.zones, house, &options);
        check(&context, &choice, &Selection::default()).iter().for_each(&mut add);
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
fn twins(rows: &[CalendarCounts<'_, '_>]) -> Vec<Twins> {
    let mut by_counts: HashMap<(usize, usize, usize), Vec<&CalendarCounts<'_, '_>>> = HashMap::new();
    let mut twins = Vec::new();
    for row in rows {
        let key = (row.counts.events, row.counts.overrides, row.counts.occurrences);
        let alike = by_counts.entry(key).or_default();
        let twin = alike.iter().find_map(|other| Some((*other, alike_in(other, row)?)));
        if let Some((other, alike)) = twin {
            twins.push(Twins { first: other.source.path.clone(), second: row.source.path.clone(), alike });
        }
        alike.push(row);
    }
    twins
}

fn alike_in(one: &CalendarCounts<'_, '_>, two: &CalendarCounts<'_, '_>) -> Option<Alike> {
    if std::ptr::eq(one.source, two.source) {
        return None;
    }
    if one.source.bytes == two.source.bytes {
        return Some(Alike::Bytes);
    }
    let digest = events_digest(&one.loaded.calendar)?;
    (Some(digest) == events_digest(&two.loaded.calendar)).then_some(Alike::Events)
}
