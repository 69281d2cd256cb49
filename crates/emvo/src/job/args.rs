//! The arguments that commands share, as typed; their doc comments are the help.

use std::path::PathBuf;

use emvo_core::table::days_meant;
use jiff::civil::Date;

use crate::terminal::progress::ProgressArg;

/// What is read, and how
#[derive(Debug, clap::Args)]
pub(crate) struct InputArgs {
    /// Exports to read: files, folders, zips of either, or `-` for standard input
    #[arg(required = true, value_name = "INPUT", help_heading = clap::builder::Resettable::Reset)]
    pub(crate) inputs: Vec<PathBuf>,
    #[command(flatten)]
    pub(crate) reading: ReadingArgs,
}

/// How inputs are read
#[derive(Clone, Debug, clap::Args)]
#[command(next_help_heading = "Reading")]
pub(crate) struct ReadingArgs {
    /// The house zone, for times that carry none and for tables
    #[arg(long, value_name = "ZONE")]
    pub(crate) zone: Option<String>,
    /// What an unknown zone name means; may be given several times
    #[arg(long, value_name = "NAME=ZONE", hide_short_help = true)]
    pub(crate) zone_map: Vec<String>,
    /// Only the calendars of this name; may be given several times
    #[arg(long, value_name = "NAME")]
    pub(crate) calendar: Vec<String>,
    /// The order of day and month in the dates of tables
    #[arg(long, value_name = "ORDER", value_enum, default_value_t)]
    pub(crate) date_order: OrderArg,
    /// The year of dates in tables that have none
    #[arg(long, value_name = "YEAR", value_parser = clap::value_parser!(i16).range(1..=9999), hide_short_help = true)]
    pub(crate) year: Option<i16>,
    /// What bare numbers in a column of lengths count
    #[arg(long, value_name = "UNIT", value_enum, hide_short_help = true)]
    pub(crate) length_unit: Option<LengthUnitArg>,
    /// What stands behind the point in times such as 9.3
    #[arg(long, value_name = "WHAT", value_enum, hide_short_help = true)]
    pub(crate) clock_dot: Option<ClockDotArg>,
    /// Which day the end of whole days names in tables
    #[arg(long, value_name = "DAY", value_enum, hide_short_help = true)]
    pub(crate) all_day_end: Option<AllDayEndArg>,
    /// Which column holds a field, where its header does not say (`carried` for none); may be given several times
    #[arg(long, value_name = "FIELD=HEADER")]
    pub(crate) column: Vec<String>,
    /// A columns file: which column of a table holds what, and how it is written
    #[arg(long, value_name = "FILE")]
    pub(crate) columns: Option<PathBuf>,
    /// The sheet of spreadsheets to read, hidden or not; may be given several times
    #[arg(long, value_name = "NAME", hide_short_help = true)]
    pub(crate) sheet: Vec<String>,
    /// The charset of the inputs, where it is not found by looking
    #[arg(long, value_name = "CHARSET", hide_short_help = true)]
    pub(crate) input_encoding: Option<String>,
    /// A file whose first line is the passphrase of encrypted zips
    #[arg(long, value_name = "FILE", hide_short_help = true)]
    pub(crate) passphrase_file: Option<PathBuf>,
    /// How much memory reading may take, such as 8GB; half of what is free, if nobody says
    #[arg(long, value_name = "SIZE", value_parser = memory_size, hide_short_help = true)]
    pub(crate) memory: Option<u64>,
}

/// A size as people write it: `500MB`, `8GB`.
pub(crate) fn memory_size(text: &str) -> Result<u64, String> {
    let wrong = || format!("`{text}` is no size: a number and MB or GB, such as 500MB or 8GB");
    let upper = text.trim().to_ascii_uppercase();
    let (number, unit) = match (upper.strip_suffix("GB"), upper.strip_suffix("MB")) {
        (Some(number), _) => (number, 1_000_000_000.0),
        (None, Some(number)) => (number, 1_000_000.0),
        (None, None) => return Err(wrong()),
    };
    let number: f64 = number.trim().parse().map_err(|_| wrong())?;
    if !number.is_finite() || number <= 0.0 {
        return Err(wrong());
    }
    #[allow(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "positive, and clipped where too large"
    )]
    Ok((number * unit) as u64)
}

/// The order of day and month, as typed
#[derive(Clone, Copy, Debug, Default, clap::ValueEnum)]
pub(crate) enum OrderArg {
    /// What the dates of the whole file decide
    #[default]
    Auto,
    /// Day, month, year
    Day,
    /// Month, day, year
    Month,
    /// Year, month, day
    Year,
}

/// What a bare number counts, as typed
#[derive(Clone, Copy, Debug, clap::ValueEnum)]
pub(crate) enum LengthUnitArg {
    /// Hours
    Hours,
    /// Minutes
    Minutes,
    /// Parts of a day, as spreadsheets keep them
    Days,
}

/// What the 3 of 9.3 is, as typed
#[derive(Clone, Copy, Debug, clap::ValueEnum)]
pub(crate) enum ClockDotArg {
    /// Minutes without their nought: 9:30
    Minutes,
    /// Tenths of an hour: 9:18
    Tenths,
}

/// Which day an end names, as typed
#[derive(Clone, Copy, Debug, clap::ValueEnum)]
pub(crate) enum AllDayEndArg {
    /// The last day
    Inclusive,
    /// The day behind the last
    Exclusive,
}

/// Which dates are looked at
#[derive(Debug, clap::Args)]
#[command(next_help_heading = "Window")]
pub(crate) struct WindowArgs {
    /// The first day, as 2026-09-01
    #[arg(long, value_name = "DATE", value_parser = day)]
    pub(crate) from: Option<Date>,
    /// The last day, itself included
    #[arg(long, value_name = "DATE", value_parser = day)]
    pub(crate) until: Option<Date>,
    /// How many occurrences of one series are looked at
    #[arg(long, value_name = "N", default_value_t = 100_000, hide_short_help = true)]
    pub(crate) ceiling: usize,
}

/// How answers are given
#[derive(Clone, Copy, Debug, clap::Args)]
#[command(next_help_heading = "Answers")]
#[allow(clippy::struct_excessive_bools, reason = "flags as typed; `resolve` makes a form of them")]
pub(crate) struct AnswerArgs {
    /// One JSON document instead of text
    #[arg(long)]
    pub(crate) json: bool,
    /// No text but errors
    #[arg(long, short)]
    pub(crate) quiet: bool,
    /// All there is to tell
    #[arg(long, short, conflicts_with = "quiet")]
    pub(crate) verbose: bool,
    /// Long answers at once, not through `$PAGER` or `less`
    #[arg(long, hide_short_help = true)]
    pub(crate) no_pager: bool,
    /// How progress is shown, on standard error
    #[arg(long, value_enum, value_name = "HOW", default_value_t, hide_short_help = true)]
    pub(crate) progress: ProgressArg,
}

/// Where results go
#[derive(Debug, clap::Args)]
#[command(next_help_heading = "Output")]
pub(crate) struct OutputArgs {
    /// Where to write; `-` is standard output
    #[arg(long, short, value_name = "PATH")]
    pub(crate) output: PathBuf,
    /// Replace an existing file
    #[arg(long)]
    pub(crate) overwrite: bool,
    /// Do everything but write
    #[arg(long)]
    pub(crate) dry_run: bool,
    /// Where to keep what cannot be read, if not beside the output
    #[arg(long, value_name = "PATH", hide_short_help = true)]
    pub(crate) set_aside: Option<PathBuf>,
    /// What to write, where the output's extension does not say
    #[arg(long, value_enum, value_name = "FORMAT")]
    pub(crate) to: Option<FormatArg>,
    #[command(flatten)]
    pub(crate) record: RecordArgs,
}

/// The form of a result, as typed
#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum FormatArg {
    /// A calendar file
    Ics,
    /// A table
    Csv,
    /// A table as the file of a spreadsheet
    Xlsx,
    /// One JSON object a line for each event
    Jsonl,
}

/// What the destination accepts
#[derive(Debug, clap::Args)]
#[command(next_help_heading = "Destination")]
pub(crate) struct FitArgs {
    /// A limits file: what the destination accepts; the result is made to fit
    #[arg(long, value_name = "FILE")]
    pub(crate) limits: Option<PathBuf>,
    /// The last day of series that the destination wants to end, if not the end of
    /// the second year after the latest start
    #[arg(long, value_name = "DATE", value_parser = day)]
    pub(crate) horizon: Option<Date>,
    /// The length of timed events that have none, where the destination needs one,
    /// such as 30min or 1h
    #[arg(long, value_name = "LENGTH")]
    pub(crate) length: Option<String>,
}

/// What is kept of a run
#[derive(Clone, Debug, Default, clap::Args)]
#[command(next_help_heading = "Record")]
pub(crate) struct RecordArgs {
    /// Write the receipt of this run as a file, besides the ledger
    #[arg(long, value_name = "PATH.json", hide_short_help = true)]
    pub(crate) receipt: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) ledger: LedgerArgs,
}

/// Where the history of runs is
#[derive(Clone, Debug, Default, clap::Args)]
#[command(next_help_heading = "Record")]
pub(crate) struct LedgerArgs {
    /// The ledger, if not `emvo/ledger.sqlite` in the user's state folder or what `EMVO_LEDGER` says
    #[arg(long, value_name = "PATH", conflicts_with = "no_ledger", hide_short_help = true)]
    pub(crate) ledger: Option<PathBuf>,
    /// Keep no record of this run
    #[arg(long, hide_short_help = true)]
    pub(crate) no_ledger: bool,
}

/// Whether something stays, as typed
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum KeepArg {
    /// They stay
    #[default]
    Keep,
    /// They are left out
    Drop,
}

/// What happens to ids, as typed
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum UidsArg {
    /// As they are
    #[default]
    Keep,
    /// Derived from the old ones
    Fresh,
}

/// Which rules
#[derive(Debug, clap::Args)]
#[command(next_help_heading = "Rules")]
pub(crate) struct RuleArgs {
    /// These rules alone
    #[arg(long, value_name = "ID", value_delimiter = ',')]
    pub(crate) only: Vec<String>,
    /// All rules but these
    #[arg(long, value_name = "ID", value_delimiter = ',')]
    pub(crate) skip: Vec<String>,
}

/// Where a list goes, if it goes to a file.
#[derive(Debug, clap::Args)]
#[command(next_help_heading = "Output")]
pub(crate) struct ListArgs {
    /// Write a table, the file of a spreadsheet, or JSON lines; `-` is standard output
    #[arg(long, short, value_name = "LIST.csv|.xlsx|.jsonl")]
    pub(crate) output: Option<PathBuf>,
    /// What to write, where the name of the list does not say
    #[arg(long, value_enum, value_name = "FORMAT", requires = "output")]
    pub(crate) to: Option<ListFormatArg>,
    /// Replace an existing file
    #[arg(long)]
    pub(crate) overwrite: bool,
}

/// The form of a list, as typed
#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum ListFormatArg {
    /// A table
    Csv,
    /// A table as the file of a spreadsheet
    Xlsx,
    /// One JSON object a line
    Jsonl,
}

/// Reads a day as it is typed: `2026-10-05`, and whatever else people write for it.
pub(crate) fn day(text: &str) -> Result<Date, String> {
    if let Ok(day) = text.parse() {
        return Ok(day);
    }
    match days_meant(text).as_slice() {
        [day] => Ok(*day),
        [one, two] => Err(format!("it reads two ways: write {one} or {two}")),
        _ => Err("write a day that exists, such as 2026-10-05".to_owned()),
    }
}
