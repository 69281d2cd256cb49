//! `dates`: the occurrences in a window as a list one would hand out.

use std::collections::BTreeSet;
use std::convert::Infallible;
use std::io::{self, Write};
use std::sync::Arc;

use anyhow::bail;

use super::{Command, Program};
use crate::answer::date_fields::FieldArg;
use crate::answer::date_lines::DateLine;
use crate::answer::date_list::{Cancelled, Listing};
use crate::answer::dates::{Dates, RowJson};
use crate::answer::give;
use crate::answer::list::{LanguageArgs, SortArg, table_header, table_lines, unread_line};
use crate::input::{InputGroup, MemoryMeter, ReadFiles, with_sources};
use crate::job::args::{AnswerArgs, InputArgs, ListArgs, WindowArgs};
use crate::job::resolve::zone_named;
use crate::job::select::SelectArgs;
use crate::outcome::Outcome;
use crate::output::{ListForm, MOST_ROWS, write_record};
use crate::terminal::{counted, grouped, progress};

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
            let listing = Listing {
                selection,
                window,
                ceiling: choice.ceiling,
                zone: zone.as_ref(),
                fields: &fields,
                language: &language,
                sort: self.sort,
                cancelled: if self.cancelled { Cancelled::Listed } else { Cancelled::Counted },
            };
            let dates = Dates::of(&sources, listing, file.shown());
            ensure_one_clock(&dates, &fields)?;
            if let Some(form) = file.form() {
                ensure_there_is_room(form, &dates, &files.memory)?;
                file.write(|out| fill(out, form, &dates))?;
            }
            give(&dates, form)?;
            let told = dates.told();
            let is_short = told.listed == 0 || !told.not_expanded.is_empty();
            Ok(Outcome::needs_a_look_if(is_short || unread_line(&sources).is_some()))
        })
    }
}

/// Writes the list into its file.
fn fill(out: &mut dyn Write, form: ListForm, dates: &Dates<'_, '_>) -> io::Result<()> {
    let Listing { fields, language, .. } = dates.listing;
    if form == ListForm::Records {
        let mut record = |line: &DateLine| write_record(out, &RowJson::of(line));
        dates.walk(|lines| lines.iter().try_for_each(&mut record))?;
        return Ok(());
    }
    out.write_all(&table_header(&fields.iter().map(|field| field.name()).collect::<Vec<_>>())?)?;
    dates.walk(|lines| table_lines(lines, fields, language, |part| out.write_all(part)))?;
    Ok(())
}

/// The file of a spreadsheet has no more than so many rows, and is made in memory.
fn ensure_there_is_room(form: ListForm, dates: &Dates<'_, '_>, memory: &MemoryMeter) -> anyhow::Result<()> {
    if form != ListForm::Sheet {
        return Ok(());
    }
    let listed = dates.told().listed;
    let in_memory = usize::try_from(memory.left() / OF_ROW_IN_SHEET).unwrap_or(usize::MAX);
    let (most, more) = match MOST_ROWS - 1 {
        all if all <= in_memory => (all, "a list that ends in .csv has room for more"),
        _ => (in_memory, "--memory allows more, and so does a list that ends in .csv"),
    };
    if listed > most {
        let (listed, most) = (counted(listed, "date", "dates"), grouped(most));
        bail!("there are {listed}, and room for {most} in the file of a spreadsheet: {more}");
    }
    Ok(())
}

/// A list that shows times in several zones has to say which is which: nobody who is
/// handed it could know.
fn ensure_one_clock(dates: &Dates<'_, '_>, fields: &[FieldArg]) -> anyhow::Result<()> {
    let shows_times = fields.iter().any(|field| field.is_time());
    if !shows_times || fields.contains(&FieldArg::Zone) {
        return Ok(());
    }
    let mut zones: BTreeSet<Arc<str>> = BTreeSet::new();
    let Ok(_) = dates.walk(|lines| {
        for line in lines.iter().filter(|line| !line.is_all_day() && !line.zone.is_empty()) {
            if !zones.contains(&line.zone) {
                zones.insert(line.zone.clone());
            }
        }
        Ok::<_, Infallible>(())
    });
    let zones: Vec<&str> = zones.iter().map(|zone| &**zone).collect();
    let mut names = zones.iter().copied().filter(|name| *name != "UTC");
    if zones.len() > 1 {
        let of_all = zones.join(", ");
        let one = names.next().unwrap_or("UTC");
        bail!(
            "the list has times in several zones ({of_all}) and no column that says which: --express-in {one} puts \
             all on one clock, `zone` among --fields says it"
        );
    }
    Ok(())
}

/// What a date takes in memory while the file of a spreadsheet is made of it, in bytes.
const OF_ROW_IN_SHEET: u64 = 2_300;
