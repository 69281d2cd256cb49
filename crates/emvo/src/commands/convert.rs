//! `convert`: calendars ⇄ tables.

use std::path::Path;

use anyhow::{Context, bail};
use emvo_core::calendar::{Unsound, write};
use emvo_core::content::Property;
use emvo_core::merge::{MergeInput, MergeOptions, merge};
use emvo_core::receipt::{Balance, Change};
use emvo_core::table::{self, CannotCarry};
use serde::Serialize;

use crate::args::{AnswerArgs, InputArgs, OutputArgs};
use crate::commands::written;
use crate::gather::gather;
use crate::json::{self, ChangeJson, WritingJson};
use crate::outcome::Outcome;
use crate::output::{OutputPlan, Pending, Target, set_aside_files, write_all};
use crate::settle::{Answer, Detail};
use crate::source::{self, Source};
use crate::terminal::{WARNING, counted, sanitized, styled};

/// Calendars into tables, and tables into calendars
#[derive(Debug, clap::Args)]
pub(crate) struct ConvertArgs {
    #[command(flatten)]
    input: InputArgs,
    #[command(flatten)]
    output: OutputArgs,
    /// What to write, where the output's extension does not say
    #[arg(long, value_enum, value_name = "FORMAT")]
    to: Option<FormatArg>,
    #[command(flatten)]
    answer: AnswerArgs,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
enum FormatArg {
    /// A calendar file
    Ics,
    /// A table
    Csv,
}

/// The calendars of all inputs as bytes, with what came of them.
struct Converted {
    bytes: Vec<u8>,
    balance: Balance,
    cannot_carry: CannotCarry,
    changes: Vec<Change>,
    calendars: usize,
}

pub(crate) fn run(args: ConvertArgs) -> anyhow::Result<Outcome> {
    let answer = args.answer.settle();
    let reading = args.input.reading.settle()?;
    let plan = args.output.settle()?;
    let format = format_of(args.to, &plan)?;
    let files = gather(&args.input.inputs, plan.path())?;
    plan.ensure_spares(&files)?;
    let texts = source::decode(&files, &reading)?;
    let sources = source::read(&texts, &reading)?;
    let converted = match format {
        FormatArg::Csv => to_table(&sources),
        FormatArg::Ics => to_calendar(&sources),
    };
    let balance = converted.balance.ensure_sum()?;
    let fragments: usize = sources.iter().map(|source| source.set_aside.fragments()).sum();
    let unsound = unsound_of(&sources);
    let mut pending = vec![Pending { target: plan.target.clone(), bytes: converted.bytes }];
    pending.extend(set_aside_files(&sources, &unsound, &plan)?);
    let outputs = write_all(pending, &plan)?;
    match answer {
        Answer::Json => {
            let body = ConvertJson {
                writing: WritingJson {
                    balance: balance.into(),
                    outputs,
                    changes: converted.changes.iter().map(ChangeJson::from).collect(),
                    run: None,
                },
                left_out: converted.cannot_carry,
            };
            json::print("convert", &body).context("could not print")?;
        }
        Answer::Silent => {}
        Answer::Text(detail) => {
            let mut text = written::summary(balance, fragments);
            if detail == Detail::All {
                text.push_str(&written::change_lines(&converted.changes, detail));
            }
            text.push_str(&unclaimed_lines(&sources));
            text.push_str(&written::output_lines(&outputs, &plan));
            written::print(&text, &plan);
            print_warnings(&converted.cannot_carry, format, converted.calendars);
        }
    }
    Ok(Outcome::needs_a_look_if(balance.set_aside + fragments > 0))
}

fn format_of(to: Option<FormatArg>, plan: &OutputPlan) -> anyhow::Result<FormatArg> {
    if let Some(format) = to {
        return Ok(format);
    }
    let extension = match &plan.target {
        Target::Stdout => bail!("with `-o -` say what to write: --to ics or --to csv"),
        Target::Path(path) => {
            path.extension().and_then(|extension| extension.to_str()).map(str::to_ascii_lowercase)
        }
    };
    match extension.as_deref() {
        Some("ics") => Ok(FormatArg::Ics),
        Some("csv") => Ok(FormatArg::Csv),
        _ => bail!("the output's name ends in neither .ics nor .csv; --to says what to write"),
    }
}

/// Every event and every row that cannot be read counts as set aside.
fn balance_of(sources: &[Source<'_>]) -> Balance {
    let set_aside = sources.iter().map(|source| {
        let unsound: usize = source.calendars().map(|calendar| calendar.unsound.len()).sum();
        source.set_aside.events() + unsound
    });
    Balance {
        read: sources.iter().map(Source::events_read).sum(),
        set_aside: set_aside.sum(),
        ..Balance::default()
    }
}

fn to_table(sources: &[Source<'_>]) -> Converted {
    let loaded: Vec<_> = sources
        .iter()
        .flat_map(|source| &source.loaded)
        .map(|loaded| (&loaded.calendar, &loaded.zones))
        .collect();
    let table = table::write(&loaded);
    Converted {
        balance: Balance { written: table.events, ..balance_of(sources) },
        bytes: table.text,
        cannot_carry: table.cannot_carry,
        changes: Vec::new(),
        calendars: 1,
    }
}

/// One calendar for each of the inputs. Each goes through a merge of its own,
/// which gives it the zone definitions and ids that a calendar needs.
fn to_calendar(sources: &[Source<'_>]) -> Converted {
    let mut converted = Converted {
        bytes: Vec::new(),
        balance: Balance::default(),
        cannot_carry: CannotCarry::new(),
        changes: Vec::new(),
        calendars: 0,
    };
    let mut folded = 0;
    for source in sources {
        for loaded in &source.loaded {
            let mut calendar = loaded.calendar.clone();
            if !calendar.states_name() {
                calendar.properties.push(Property::text_of("X-WR-CALNAME", &calendar.name()));
            }
            let input = MergeInput { calendar, zones: loaded.zones.clone(), label: source.path.clone() };
            let options =
                MergeOptions { duplicates: emvo_core::merge::Duplicates::Keep, ..MergeOptions::default() };
            let merged = merge(None, vec![input], options);
            folded += merged.balance.folded;
            converted.changes.extend(merged.changes);
            write(&merged.calendar, &mut converted.bytes);
            converted.calendars += 1;
        }
    }
    converted.balance =
        Balance { written: written::events_in(&converted.bytes), folded, ..balance_of(sources) };
    converted
}

fn unsound_of<'s, 't>(sources: &'s [Source<'t>]) -> Vec<(String, &'s Unsound<'t>)> {
    let mut unsound = Vec::new();
    for source in sources {
        for event in source.calendars().flat_map(|calendar| &calendar.unsound) {
            unsound.push((source.path.clone(), event));
        }
    }
    unsound
}

fn unclaimed_lines(sources: &[Source<'_>]) -> String {
    let with_columns = sources.iter().filter(|source| !source.unclaimed.is_empty());
    let lines = with_columns.map(|source| {
        let columns = source.unclaimed.join(", ");
        let stem = Path::new(&source.path).display();
        format!("{}\n", sanitized(&format!("{stem}: carried along as they are: the columns {columns}")))
    });
    lines.collect()
}

fn print_warnings(cannot_carry: &CannotCarry, format: FormatArg, calendars: usize) {
    if !cannot_carry.is_empty() {
        let parts: Vec<_> = cannot_carry.iter().map(|(name, count)| format!("{count} {name}")).collect();
        anstream::eprintln!(
            "{} a table has no place for {}; they are in the inputs only",
            styled(WARNING, "!"),
            sanitized(&parts.join(", "))
        );
    }
    if format == FormatArg::Ics && calendars > 1 {
        let several = counted(calendars, "calendar", "calendars");
        anstream::eprintln!(
            "{} the file holds {several}, and many importers read only the first: `emvo merge` makes one of them",
            styled(WARNING, "!")
        );
    }
}

#[derive(Serialize)]
struct ConvertJson {
    #[serde(flatten)]
    writing: WritingJson,
    left_out: CannotCarry,
}
