//! `drop`: removes what matches, or dates of it.

use std::collections::BTreeSet;

use anyhow::bail;
use emvo_core::split::{WithoutDate, before_day, by_window, without_date};
use emvo_core::edit::Change;
use emvo_core::edit::{names_in_use, sync_definitions};
use emvo_ical::calendar::Series;
use emvo_ical::recurrence::{Ceiling, Window};
use emvo_ical::zone::ZoneResolver;
use jiff::civil::Date;

use crate::args::{AnswerArgs, InputArgs, OutputArgs, WindowArgs};
use crate::chosen::{Chosen, SelectArgs};
use crate::commands::convert::FormatArg;
use crate::commands::per_input::{Changed, TableForm, changes_of, write_outputs};
use crate::commands::telling::{Extent, Told, tell};
use crate::gather::gather;
use crate::outcome::Outcome;
use crate::progress;
use crate::source::{self, Loaded};
use crate::terminal::counted;

/// Remove events, or dates of series
#[derive(Debug, clap::Args)]
pub(crate) struct DropArgs {
    #[command(flatten)]
    input: InputArgs,
    #[command(flatten)]
    output: OutputArgs,
    /// What to write, where the output's extension does not say
    #[arg(long, value_enum, value_name = "FORMAT", help_heading = "Output")]
    to: Option<FormatArg>,
    #[command(flatten)]
    select: SelectArgs,
    #[command(flatten)]
    window: WindowArgs,
    /// How much of a series goes
    #[arg(long, value_enum, value_name = "REACH", help_heading = "How much")]
    reach: Option<ReachArg>,
    /// The day of the date that goes, as people see it
    #[arg(long, value_name = "DATE", help_heading = "How much")]
    on: Option<Date>,
    #[command(flatten)]
    answer: AnswerArgs,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
enum ReachArg {
    /// The date on the day of --on
    One,
    /// That date and all later ones
    Onward,
    /// All of it
    Series,
}

/// What goes of an event that is chosen.
#[derive(Clone, Copy, Debug)]
enum What {
    Date(Date),
    From(Date),
    Everything,
    Inside(Window, Ceiling),
}

impl What {
    fn of(
        reach: Option<ReachArg>,
        on: Option<Date>,
        window: Option<Window>,
        ceiling: Ceiling,
    ) -> anyhow::Result<Self> {
        match (reach, on, window) {
            (None, None, Some(window)) => Ok(Self::Inside(window, ceiling)),
            (Some(ReachArg::Series), None, _) | (None, None, None) => Ok(Self::Everything),
            (Some(ReachArg::One) | None, Some(day), None) => Ok(Self::Date(day)),
            (Some(ReachArg::Onward), Some(day), None) => Ok(Self::From(day)),
            (Some(ReachArg::One | ReachArg::Onward), None, _) => {
                bail!("--reach one and onward need the day: --on 2026-10-05")
            }
            (Some(ReachArg::Series), Some(_), _) => bail!("--reach series takes all dates; --on names one"),
            (_, Some(_), Some(_)) => {
                bail!("--on is one day, --from and --until are a window; give one of them")
            }
        }
    }
}

pub(crate) fn run(args: DropArgs) -> anyhow::Result<Outcome> {
    let answer = args.answer.settle();
    let window = args.window.settle()?;
    let is_bounded = args.on.is_some() || window.is_asked_for();
    let mut reading = args.input.reading.settle()?;
    let plan = args.output.settle()?;
    reading.noting = plan.recording.noting();
    let kind = plan.kind(args.to.map(FormatArg::kind))?;
    let chosen = args.select.settle()?;
    if chosen.takes_files() && !is_bounded {
        bail!(
            "this would remove every event: say which, with --title, --uid, --from and --until or the like"
        );
    }
    let files = gather(&args.input.inputs, plan.path(), reading.secret.as_ref())?;
    plan.ensure_spares(&files)?;
    let texts = source::decode(&files, &reading)?;
    let mut sources = source::read(&texts, &reading)?;
    progress::doing("choosing");
    let chosen = chosen.within(&window, &sources);
    let what = What::of(args.reach, args.on, chosen.selection.window, window.ceiling)?;
    let mut dropping = Dropping { what, refused: Vec::new(), near: Vec::new() };
    let mut changed = Vec::new();
    for source in &mut sources {
        let dropped = source.loaded.iter_mut().map(|loaded| {
            let with_findings = chosen.with_findings(loaded, &reading);
            dropping.drop_from(&source.path, loaded, &chosen, with_findings.as_deref())
        });
        changed.push(dropped.collect::<Vec<_>>());
    }
    let all_changes = changes_of(&changed);
    if all_changes.is_empty() {
        dropping.say_nothing_goes();
    }
    let outputs = write_outputs(&sources, &changed, &plan, kind, &TableForm::of(&reading))?;
    let (extent, headline) = match all_changes.len() {
        0 => (Extent::Nothing, "nothing was removed: no event or date is as you say".to_owned()),
        many => (Extent::Something, format!("removed from {}", counted(many, "event", "events"))),
    };
    let told = Told { command: "drop", headline, changes: all_changes, refused: dropping.refused, extent };
    tell(&told, outputs, &plan, answer)
}

struct Dropping {
    what: What,
    refused: Vec<String>,
    /// The dates nearest to the day asked for, where no event has that day.
    near: Vec<Date>,
}

/// What is left of an event, and how that is said.
struct Left<'t> {
    parts: Vec<Series<'t>>,
    after: String,
}

impl Dropping {
    fn drop_from<'t>(
        &mut self,
        path: &str,
        loaded: &mut Loaded<'t>,
        chosen: &Chosen,
        with_findings: Option<&[usize]>,
    ) -> Changed<'t> {
        let mut calendar = loaded.take();
        let before = names_in_use(&calendar);
        let (mut changes, mut added, mut removed) = (Vec::new(), 0, 0);
        for (at, series) in std::mem::take(&mut calendar.series).into_iter().enumerate() {
            let is_chosen = with_findings.is_none_or(|found| found.contains(&at))
                && chosen.selection.chooses(&series, &loaded.zones);
            let left = if is_chosen { self.left_of(path, &series, &loaded.zones) } else { None };
            let Some(left) = left else {
                calendar.series.push(series);
                continue;
            };
            changes.push(Change {
                rule: None,
                uid: series.uid_text().into_owned(),
                title: series.lead().title().unwrap_or_default().into_owned(),
                before: series.lead().span(),
                after: left.after,
            });
            removed += usize::from(left.parts.is_empty());
            added += left.parts.len().saturating_sub(1);
            calendar.series.extend(left.parts);
        }
        sync_definitions(&mut calendar, &loaded.zones, &before, &BTreeSet::new());
        Changed { calendar, zones: loaded.zones.clone(), changes, added, removed, ..Changed::default() }
    }

    /// What is left of a chosen event; `None` if it stays as it is.
    fn left_of<'t>(&mut self, path: &str, series: &Series<'t>, zones: &ZoneResolver) -> Option<Left<'t>> {
        let gone = || Left { parts: Vec::new(), after: "removed".to_owned() };
        let result = match self.what {
            What::Everything => return Some(gone()),
            What::Date(day) => match without_date(series, day, zones) {
                WithoutDate::Left(left) => {
                    return Some(Left { parts: vec![*left], after: format!("without {day}") });
                }
                WithoutDate::Nothing => return Some(gone()),
                WithoutDate::NoSuchDate(near) => {
                    self.near.extend(near);
                    return None;
                }
            },
            What::From(day) => before_day(series, day, zones).map(|left| match left {
                Some(left) => Left { parts: vec![left], after: format!("ends before {day}") },
                None => gone(),
            }),
            What::Inside(window, ceiling) => by_window(series, window, zones, ceiling).map(|cut| {
                let after = if cut.outside.is_empty() {
                    "removed".to_owned()
                } else {
                    format!("without {} through {}", window.from, window.until)
                };
                Left { parts: cut.outside, after }
            }),
        };
        match result {
            Ok(left) => Some(left),
            Err(refusal) => {
                let title = series.lead().title().unwrap_or_default();
                self.refused.push(format!("{path}: `{title}` stays as it is: {refusal}"));
                None
            }
        }
    }

    fn say_nothing_goes(&mut self) {
        self.near.sort_unstable();
        self.near.dedup();
        if let What::Date(day) = self.what
            && !self.near.is_empty()
        {
            let split = self.near.partition_point(|date| *date < day);
            let near = self.near[split.saturating_sub(2)..(split + 2).min(self.near.len())].iter();
            let near: Vec<String> = near.map(Date::to_string).collect();
            self.refused
                .push(format!("no chosen event has a date on {day}; the nearest are {}", near.join(", ")));
        }
    }
}
