//! `pick`: keeps what matches, and shows as much of it as is asked for.

use std::collections::{BTreeMap, BTreeSet};

use anyhow::{Context, bail};
use emvo_core::split::by_window;
use emvo_core::edit::Balance;
use emvo_core::redact::{Attachments, Private, Show, ShowField, Showing, Uids, bare_calendar, shown};
use emvo_core::edit::{names_in_use, sync_definitions};
use emvo_ical::calendar::{Calendar, Series};
use emvo_ical::recurrence::{Ceiling, Window};

use crate::args::{AnswerArgs, InputArgs, OutputArgs, WindowArgs};
use crate::chosen::{Chosen, SelectArgs};
use crate::commands::convert::FormatArg;
use crate::commands::per_input::{Changed, Part, TableForm, write_outputs, write_parts};
use crate::commands::telling::{Extent, Told, tell};
use crate::gather::gather;
use crate::outcome::Outcome;
use crate::progress;
use crate::source::{self, Loaded};
use crate::terminal::counted;

/// Keep what matches, and show as much of it as others may see
#[derive(Debug, clap::Args)]
pub(crate) struct PickArgs {
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
    /// Only these fields: when, title, category, location, description, attendees, reminders, url,
    /// attachments, or all
    #[arg(long, value_name = "FIELD", value_delimiter = ',', help_heading = "What is shown")]
    show: Vec<String>,
    /// Private and confidential events; left out where --show leaves something out, else included
    #[arg(long, value_enum, value_name = "HOW", help_heading = "What is shown")]
    private: Option<PrivateArg>,
    /// Attachments
    #[arg(long, value_enum, value_name = "HOW", default_value_t, help_heading = "What is shown")]
    attachments: KeepArg,
    /// Ids: as they are, or derived ones for destinations that know the old ones
    #[arg(long, value_enum, value_name = "HOW", default_value_t, help_heading = "What is shown")]
    uids: UidsArg,
    /// One file for each: calendar, category, year, month, or so many events
    #[arg(long, value_name = "BY", help_heading = "Output")]
    split_by: Option<String>,
    #[command(flatten)]
    answer: AnswerArgs,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum PrivateArg {
    /// As the others
    Include,
    /// Left out
    Omit,
    /// Their times, under the title "Private"
    Mask,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum KeepArg {
    /// They stay
    #[default]
    Keep,
    /// They are left out
    Drop,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum UidsArg {
    /// As they are
    #[default]
    Keep,
    /// Derived from the old ones
    Fresh,
}

/// Into which files a result goes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum SplitBy {
    Calendar,
    Category,
    Year,
    Month,
    Count(usize),
}

impl SplitBy {
    fn of_text(text: &str) -> anyhow::Result<Self> {
        match text {
            "calendar" => Ok(Self::Calendar),
            "category" => Ok(Self::Category),
            "year" => Ok(Self::Year),
            "month" => Ok(Self::Month),
            text => match text.parse() {
                Ok(count) if count > 0 => Ok(Self::Count(count)),
                _ => bail!(
                    "--split-by `{text}`: write calendar, category, year, month, or how many events a file"
                ),
            },
        }
    }
}

impl PickArgs {
    fn showing(&self) -> anyhow::Result<Showing> {
        let mut show = Show::All;
        if !self.show.is_empty() && !self.show.iter().any(|field| field.trim() == "all") {
            let fields = self.show.iter().map(|name| {
                ShowField::of_name(name.trim()).with_context(|| {
                    let names: Vec<_> = ShowField::names().collect();
                    format!("--show: there is no field `{name}`; there are {}, all", names.join(", "))
                })
            });
            show = Show::Only(fields.collect::<anyhow::Result<_>>()?);
        }
        let private = match self.private {
            Some(PrivateArg::Include) => Private::Include,
            Some(PrivateArg::Mask) => Private::Mask,
            None if show == Show::All => Private::Include,
            Some(PrivateArg::Omit) | None => Private::Omit,
        };
        let attachments = match self.attachments {
            KeepArg::Keep => Attachments::Keep,
            KeepArg::Drop => Attachments::Drop,
        };
        let uids = match self.uids {
            UidsArg::Keep => Uids::Keep,
            UidsArg::Fresh => Uids::Fresh,
        };
        Ok(Showing { show, private, uids, attachments })
    }
}

pub(crate) fn run(args: PickArgs) -> anyhow::Result<Outcome> {
    let answer = args.answer.settle();
    let showing = args.showing()?;
    let split_by = args.split_by.as_deref().map(SplitBy::of_text).transpose()?;
    let chosen = args.select.settle()?;
    let window = args.window.settle()?;
    let mut reading = args.input.reading.settle()?;
    let plan = args.output.settle()?;
    reading.noting = plan.recording.noting();
    let kind = plan.kind(args.to.map(FormatArg::kind))?;
    let files = gather(&args.input.inputs, plan.path(), reading.secret.as_ref())?;
    plan.ensure_spares(&files)?;
    let texts = source::decode(&files, &reading)?;
    let mut sources = source::read(&texts, &reading)?;
    progress::doing("choosing");
    let chosen = chosen.within(&window, &sources);
    let mut picking = Picking { showing, ceiling: window.ceiling, refused: Vec::new(), private: 0 };
    let mut changed = Vec::new();
    for source in &mut sources {
        let picked = source.loaded.iter_mut().map(|loaded| {
            let with_findings = chosen.with_findings(loaded, &reading);
            picking.pick_from(&source.path, loaded, &chosen, with_findings.as_deref())
        });
        changed.push(picked.collect::<Vec<_>>());
    }
    let kept: usize = changed.iter().flatten().map(|one| one.calendar.series.len()).sum();
    let form = TableForm::of(&reading);
    let outputs = match split_by {
        None => write_outputs(&sources, &changed, &plan, kind, &form)?,
        Some(by) => {
            let all: Vec<Changed<'_>> = changed.into_iter().flatten().collect();
            let accounts = Balance {
                added: all.iter().map(|one| one.added).sum(),
                removed: all.iter().map(|one| one.removed).sum(),
                ..Balance::default()
            };
            write_parts(&sources, &parts(all, by), Vec::new(), &plan, kind, &form, accounts)?
        }
    };
    let mut headline = match kept {
        0 => "nothing is left: no event is as you say".to_owned(),
        many => format!("{} kept", counted(many, "event", "events")),
    };
    if picking.private > 0 {
        let private = counted(picking.private, "private event", "private events");
        headline.extend(["; ", &private, " left out"]);
    }
    let extent = if kept == 0 { Extent::Nothing } else { Extent::Something };
    let told = Told { command: "pick", headline, changes: Vec::new(), refused: picking.refused, extent };
    tell(&told, outputs, &plan, answer)
}

struct Picking {
    showing: Showing,
    ceiling: Ceiling,
    refused: Vec<String>,
    /// Private events that were left out.
    private: usize,
}

impl Picking {
    fn pick_from<'t>(
        &mut self,
        path: &str,
        loaded: &mut Loaded<'t>,
        chosen: &Chosen,
        with_findings: Option<&[usize]>,
    ) -> Changed<'t> {
        let mut calendar = loaded.take();
        let mut before = names_in_use(&calendar);
        let (mut added, mut removed) = (0, 0);
        let mut kept = Vec::new();
        for (at, series) in std::mem::take(&mut calendar.series).into_iter().enumerate() {
            let is_chosen = with_findings.is_none_or(|found| found.contains(&at))
                && chosen.selection.chooses(&series, &loaded.zones);
            let parts = if is_chosen {
                self.inside(path, series, chosen.selection.window, loaded)
            } else {
                Vec::new()
            };
            let shown: Vec<Series<'t>> = parts.iter().filter_map(|part| shown(part, &self.showing)).collect();
            self.private += usize::from(!parts.is_empty() && shown.is_empty());
            removed += usize::from(shown.is_empty());
            added += shown.len().saturating_sub(1);
            kept.extend(shown);
        }
        if self.showing.show != Show::All {
            // Definitions are written anew: a file's own may say more than times.
            calendar = bare_calendar(&calendar);
            before = BTreeSet::new();
        }
        calendar.series = kept;
        sync_definitions(&mut calendar, &loaded.zones, &before, &BTreeSet::new());
        Changed { calendar, zones: loaded.zones.clone(), added, removed, ..Changed::default() }
    }

    /// A series trimmed to the window; one that cannot be trimmed stays whole.
    fn inside<'t>(
        &mut self,
        path: &str,
        series: Series<'t>,
        window: Option<Window>,
        loaded: &Loaded<'t>,
    ) -> Vec<Series<'t>> {
        let Some(window) = window else { return vec![series] };
        match by_window(&series, window, &loaded.zones, self.ceiling) {
            Ok(cut) => cut.inside,
            Err(refusal) => {
                let title = series.lead().title().unwrap_or_default();
                self.refused.push(format!("{path}: `{title}` is kept whole: {refusal}"));
                vec![series]
            }
        }
    }
}

/// The files of a split result: their names, and what is in them, in order.
fn parts(all: Vec<Changed<'_>>, by: SplitBy) -> Vec<Part<'_>> {
    let mut names: Vec<String> = Vec::new();
    let mut files: BTreeMap<String, Vec<Changed<'_>>> = BTreeMap::new();
    let mut count = 0;
    for mut one in all {
        let series = std::mem::take(&mut one.calendar.series);
        let mut of_calendar: BTreeMap<String, Calendar<'_>> = BTreeMap::new();
        for series in series {
            let name = file_name(&part_of(&series, &one.calendar, by, count));
            count += 1;
            if !names.contains(&name) {
                names.push(name.clone());
            }
            let part = of_calendar.entry(name).or_insert_with(|| one.calendar.clone());
            part.series.push(series);
        }
        for (name, calendar) in of_calendar {
            let zones = one.zones.clone();
            files.entry(name).or_default().push(Changed { calendar, zones, ..Changed::default() });
        }
    }
    names.sort();
    let part = |name: String| files.remove(&name).map(|calendars| Part { name: Some(name), calendars });
    names.into_iter().filter_map(part).collect()
}

fn part_of(series: &Series<'_>, calendar: &Calendar<'_>, by: SplitBy, count: usize) -> String {
    let first = series.lead().start().date();
    match by {
        SplitBy::Calendar => calendar.name(),
        SplitBy::Category => {
            series.lead().categories().into_iter().next().unwrap_or_else(|| "none".to_owned())
        }
        SplitBy::Year => format!("{:04}", first.year()),
        SplitBy::Month => format!("{:04}-{:02}", first.year(), first.month()),
        SplitBy::Count(size) => format!("{:03}", count / size + 1),
    }
}

/// A name that every file system takes.
fn file_name(name: &str) -> String {
    let safe: String = name
        .trim()
        .chars()
        .map(|char| if char.is_alphanumeric() || char == '-' { char } else { '_' })
        .collect();
    if safe.is_empty() { "none".to_owned() } else { safe }
}
