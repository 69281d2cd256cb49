//! `dates`: the occurrences in a window as a list one would hand out.

use std::collections::BTreeSet;

use anyhow::bail;
use emvo_ical::recurrence::Window;

use super::{Command, Program};
use crate::answer::date_lines::{DateList, FieldArg, ListIsFull, Listing, MOST_OF_ALL, list_dates};
use crate::answer::dates::{Dates, RowJson};
use crate::answer::list::{LanguageArgs, SortArg, as_table, unread_line};
use crate::answer::{Form, give};
use crate::input::{InputGroup, ReadFiles, with_sources};
use crate::job::args::{AnswerArgs, InputArgs, ListArgs, WindowArgs};
use crate::job::resolve::zone_named;
use crate::job::select::SelectArgs;
use crate::outcome::Outcome;
use crate::terminal::{grouped, progress};

/// The dates in a window, as a list to hand out
#[derive(Debug, clap::Args)]
pub(crate) struct DatesArgs {
    #[command(flatten)]
    select: SelectArgs,
    #[command(flatten)]
    window: WindowArgs,
    /// Which columns, in this order
    #[arg(long, value_name = "FIELD", value_enum, value_delimiter = ',', help_heading = "The list")]
    fields: Vec<FieldArg>,
    /// In which order
    #[arg(long, value_enum, value_name = "FIELD", default_value_t, help_heading = "The list")]
    sort: SortArg,
    /// Show all times in this zone; floating ones stay as they are
    #[arg(long, value_name = "ZONE", help_heading = "The list")]
    express_in: Option<String>,
    /// List cancelled dates, too
    #[arg(long, help_heading = "The list")]
    cancelled: bool,
    #[command(flatten)]
    language: LanguageArgs,
    #[command(flatten)]
    file: ListArgs,
    #[command(flatten)]
    input: InputArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

impl Command for DatesArgs {
    const EXAMPLES: &'static [&'static str] = &[
        "emvo dates exports --from 2026-10-01 --until 2026-10-31",
        "emvo dates exports --category crew --from 2026-10-01 --until 2026-10-31 -o october.csv",
    ];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        let form = self.answer.resolve();
        let files = ReadFiles::default();
        let chosen = self.select.resolve(&files)?;
        if !chosen.findings.is_empty() {
            bail!(
                "--finding chooses events to repair; a list of dates is chosen by title, category, place or id"
            );
        }
        let choice = self.window.resolve()?;
        // A list has one clock: that of the zone that somebody has named.
        let zone = match (&self.express_in, &self.input.reading.zone) {
            (Some(name), _) => Some(zone_named(name, "--express-in")?),
            (None, Some(name)) => Some(zone_named(name, "--zone")?),
            (None, None) => None,
        };
        let reading = self.input.reading.resolve(&files)?;
        let (file, language) = (self.file.resolve(&files)?, self.language.resolve()?);
        let fields = if self.fields.is_empty() { FieldArg::ALL.to_vec() } else { self.fields };
        let group = InputGroup { paths: &self.input.inputs, reading: &reading, except: file.path() };
        with_sources(&[group], &files, |[sources]| {
            progress::doing("listing dates");
            let selection = &chosen.selection;
            let Some(window) = choice.over(&sources) else { bail!("there is no event in the inputs") };
            let of_row = match (file.shown(), form) {
                (None, Form::Text(_)) => OF_ROW_IN_GRID,
                (Some(_), _) | (None, Form::Json | Form::Silent) => OF_ROW,
            };
            let left = files.memory.left() / of_row;
            let most = usize::try_from(left).unwrap_or(usize::MAX).min(MOST_OF_ALL);
            let listing = Listing {
                selection,
                window,
                ceiling: choice.ceiling,
                zone: zone.as_ref(),
                fields: &fields,
                language: &language,
                most,
            };
            let mut list = list_dates(&sources, &listing).map_err(|ListIsFull| too_many(most, window))?;
            list.lines.retain(|line| self.cancelled || !line.cancelled);
            ensure_one_clock(&list, &fields)?;
            self.sort.sort(&mut list.lines, &language);
            let headers: Vec<&str> = fields.iter().map(|field| field.name()).collect();
            file.write(
                || as_table(&headers, &list.lines, &fields, &language),
                list.lines.iter().map(RowJson::of),
            )?;
            let (sort, ceiling, output) = (self.sort, choice.ceiling, file.shown());
            let dates = Dates {
                list,
                sources: &sources,
                selection,
                window,
                ceiling,
                fields: &fields,
                sort,
                language: &language,
                output,
            };
            give(&dates, form)?;
            let is_short = dates.list.lines.is_empty() || !dates.list.not_expanded.is_empty();
            Ok(Outcome::needs_a_look_if(is_short || unread_line(&sources).is_some()))
        })
    }
}

/// A list that shows times in several zones has to say which is which: nobody who is
/// handed it could know.
fn ensure_one_clock(list: &DateList, fields: &[FieldArg]) -> anyhow::Result<()> {
    let shows_times = fields.iter().any(|field| field.is_time());
    if !shows_times || fields.contains(&FieldArg::Zone) {
        return Ok(());
    }
    let timed = list.lines.iter().filter(|line| !line.is_all_day() && !line.zone.is_empty());
    let zones: BTreeSet<&str> = timed.map(|line| &*line.zone).collect();
    let mut names = zones.iter().copied().filter(|name| *name != "UTC");
    if zones.len() > 1 {
        let of_all = zones.iter().copied().collect::<Vec<_>>().join(", ");
        let one = names.next().unwrap_or("UTC");
        bail!(
            "the list has times in several zones ({of_all}) and no column that says which: --express-in {one} puts \
             all on one clock, `zone` among --fields says it"
        );
    }
    Ok(())
}

/// What a date takes in memory, in bytes, as measured: of a grid in the terminal every cell
/// has to be known before the first line, lines of a file are written one by one.
const OF_ROW_IN_GRID: u64 = 2_300;
const OF_ROW: u64 = 400;

fn too_many(most: usize, window: Window) -> anyhow::Error {
    let Window { from, until } = window;
    let more = if most < MOST_OF_ALL { "; --memory allows more" } else { "" };
    anyhow::anyhow!(
        "there are more than {} dates from {from} through {until}, which is as many as are listed: \
         --from and --until name fewer, --title and other selectors choose events{more}",
        grouped(most)
    )
}
