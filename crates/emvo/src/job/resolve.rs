//! Arguments as meant: what was typed, checked before any file is read.

use std::path::{Path, PathBuf};

use anyhow::{Context, bail};
use emvo_core::merge::Reminders;
use emvo_core::redact::{Show, WHEN, showable, showable_names};
use emvo_core::rules::{self, Described, RuleChoice, RuleId};
use emvo_core::survey::{days_of, window_over};
use emvo_core::table::{
    AllDayEnds, ClockDot, ColumnField, Columns, DateOrder, LengthUnit, ReadOptions, read_length,
};
use emvo_ical::calendar::Duration;
use emvo_ical::recurrence::{Ceiling, Window};
use emvo_ical::zone::{Zone, ZoneChoices, closest, places_of_abbreviation};
use jiff::civil::Date;

use super::args::{
    AllDayEndArg, AnswerArgs, ClockDotArg, FitArgs, FormatArg, LedgerArgs, LengthUnitArg, ListArgs,
    ListFormatArg, OrderArg, OutputArgs, ReadingArgs, RecordArgs, RuleArgs, WindowArgs,
};
use crate::answer::{Detail, Form};
use crate::input::{
    EventReading, EventTracking, ReadAs, ReadFiles, Reading, Secret, Source, Undecided, settings_file,
};
use crate::output::{
    Existing, FitTerms, Fitting, Guard, Kind, ListFile, Mode, Output, OutputWish, Recording, TableForm,
};
use crate::system;
use crate::terminal::progress::{self, ProgressArg};
use crate::terminal::{be_quiet, do_not_page, warn};

impl ReadingArgs {
    pub(crate) fn resolve(self, files: &ReadFiles) -> anyhow::Result<Reading> {
        if let Some(bytes) = self.memory {
            files.memory.allow(bytes);
        }
        let house = self.zone.as_deref().map(|name| zone_named(name, "--zone")).transpose()?;
        let mut zones = ZoneChoices { house: house.clone(), ..ZoneChoices::default() };
        for entry in &self.zone_map {
            let (name, zone) = entry
                .rsplit_once('=')
                .with_context(|| format!("--zone-map `{entry}`: write \"Old name=Area/City\""))?;
            zones.map.insert(name.trim().to_owned(), zone_named(zone, "--zone-map")?);
        }
        let order = match self.date_order {
            OrderArg::Auto => DateOrder::Auto,
            OrderArg::Day => DateOrder::Day,
            OrderArg::Month => DateOrder::Month,
            OrderArg::Year => DateOrder::Year,
        };
        let (carried, columns): (Vec<_>, Vec<_>) =
            self.column.iter().partition(|entry| entry.trim_start().starts_with("carried="));
        let carried = carried.into_iter().filter_map(|entry| Some(header_of(entry.split_once('=')?.1)));
        let carried = carried.collect();
        let columns = columns.into_iter().map(|entry| column(entry)).collect::<anyhow::Result<_>>()?;
        let columns_file = self.columns.as_deref().map(|path| columns_file(path, files)).transpose()?;
        let secret = self.passphrase_file.as_deref().map(|path| Secret::of_file(path, files)).transpose()?;
        let charset = self.input_encoding;
        let zone_map = zones.map.clone();
        Ok(Reading {
            zones,
            calendars: self.calendar,
            table: ReadOptions {
                house,
                zone_map,
                order,
                columns,
                carried,
                columns_file,
                year: self.year,
                length_unit: self.length_unit.map(|unit| match unit {
                    LengthUnitArg::Hours => LengthUnit::Hours,
                    LengthUnitArg::Minutes => LengthUnit::Minutes,
                    LengthUnitArg::Days => LengthUnit::Days,
                }),
                clock_dot: self.clock_dot.map(|dot| match dot {
                    ClockDotArg::Minutes => ClockDot::Minutes,
                    ClockDotArg::Tenths => ClockDot::Tenths,
                }),
                all_day_ends: self.all_day_end.map(|end| match end {
                    AllDayEndArg::Inclusive => AllDayEnds::Inclusive,
                    AllDayEndArg::Exclusive => AllDayEnds::Exclusive,
                }),
                repeat_rule: None,
            },
            charset,
            undecided: Undecided::Refuse,
            tracking: EventTracking::Off,
            events: EventReading::All,
            secret,
            sheets: self.sheet,
        })
    }
}

fn columns_file(path: &Path, files: &ReadFiles) -> anyhow::Result<Columns> {
    settings_file(path, ReadAs::Columns, files, Columns::parse)
}

fn column(entry: &str) -> anyhow::Result<(ColumnField, String)> {
    let (field, header) =
        entry.split_once('=').with_context(|| format!("--column `{entry}`: write FIELD=\"Header\""))?;
    let field = ColumnField::of_name(field.trim()).with_context(|| {
        let names: Vec<_> = ColumnField::names().chain(["carried"]).collect();
        format!("--column: there is no field `{field}`; there are {}", names.join(", "))
    })?;
    Ok((field, header_of(header)))
}

/// A header as typed, without the quotes that a shell may have left.
fn header_of(text: &str) -> String {
    text.trim().trim_matches('"').to_owned()
}

/// A year by which zones are told that have summer time: 2026, in seconds.
const YEAR: std::ops::Range<i64> = 1_767_225_600..1_798_761_600;

/// The zone that a person names; if it is none, the names that are close.
///
/// An abbreviation is no place: `CEST` is half of a year, and `EST` an offset without
/// summer time.
pub(crate) fn zone_named(name: &str, option: &str) -> anyhow::Result<Zone> {
    let places = places_of_abbreviation(name);
    if let Some(zone) = Zone::named(name) {
        let has_summer_time = |zone: &Zone| zone.transitions().has_transition_in(YEAR.start, YEAR.end);
        let place = places.first().copied().filter(|_| !has_summer_time(&zone));
        if let Some(place) =
            place.filter(|place| Zone::named(place).is_some_and(|zone| has_summer_time(&zone)))
        {
            let minutes = zone.transitions().offset_at(YEAR.start) / 60;
            warn(&format!(
                "{option} {name} is UTC{:+03}:{:02} all year, without summer time; {place} has it",
                minutes / 60,
                minutes.abs() % 60
            ));
        }
        return Ok(zone);
    }
    if !places.is_empty() {
        let places = places.join(", ");
        bail!("{option}: `{name}` is no time zone but the time of some; write a place, such as {places}");
    }
    let near = closest(name, 3);
    if near.is_empty() {
        bail!("{option}: `{name}` is not a time zone; write one such as Europe/Helsinki");
    }
    bail!("{option}: `{name}` is not a time zone; did you mean {}?", near.join(", "));
}

/// The rule that a person names, by id or by name.
pub(crate) fn rule_named(name: &str, option: &str) -> anyhow::Result<RuleId> {
    rules::rule(name).map(Described::id).with_context(|| {
        let hint = closest_rule(name).map_or_else(String::new, |rule| format!(" did you mean {rule}?"));
        format!("{option}: there is no rule `{name}`;{hint} `emvo rules` lists them")
    })
}

/// The rule that somebody may have meant, by id and name.
fn closest_rule(name: &str) -> Option<String> {
    const NEAR: usize = 2;
    let (id, slug) = (name.to_ascii_uppercase(), name.to_ascii_lowercase());
    let distance = |rule: &&'static dyn rules::Rule| {
        strsim::levenshtein(rule.id().as_str(), &id).min(strsim::levenshtein(rule.slug(), &slug))
    };
    let rule = rules::RULES.iter().copied().min_by_key(distance)?;
    (distance(&rule) <= NEAR).then(|| format!("{} ({})", rule.id(), rule.slug()))
}

/// The window that was asked for; the default fills what was left open.
pub(crate) struct WindowChoice {
    from: Option<Date>,
    until: Option<Date>,
    pub(crate) ceiling: Ceiling,
}

impl WindowArgs {
    pub(crate) fn resolve(&self) -> anyhow::Result<WindowChoice> {
        if let (Some(from), Some(until)) = (self.from, self.until)
            && from > until
        {
            bail!(
                "--from {from} is after --until {until}: both days are part of the window, the first comes first"
            );
        }
        Ok(WindowChoice { from: self.from, until: self.until, ceiling: Ceiling(self.ceiling) })
    }
}

impl WindowChoice {
    /// Whether a window was asked for at all.
    pub(crate) fn is_asked_for(&self) -> bool {
        self.from.is_some() || self.until.is_some()
    }

    /// The window over some sources; `None` if there is no event to go by.
    pub(crate) fn over(&self, sources: &[Source<'_>]) -> Option<Window> {
        let loaded = || sources.iter().flat_map(|source| &source.loaded);
        let read = loaded().filter_map(|loaded| days_of(&loaded.calendar));
        let default = window_over(read.chain(loaded().filter_map(|loaded| loaded.quiet.days())));
        match (self.from, self.until, default) {
            (Some(from), Some(until), _) => Some(Window { from, until }),
            (from, until, Some(window)) => Some(Window {
                from: from.unwrap_or(window.from),
                until: until.unwrap_or(window.until.max(from.unwrap_or(window.from))),
            }),
            (_, _, None) => None,
        }
    }
}

impl AnswerArgs {
    /// How answers are given. From here on it is shown how far the work is.
    pub(crate) fn resolve(self) -> Form {
        if self.quiet {
            be_quiet();
        }
        if self.no_pager {
            do_not_page();
        }
        progress::begin(if self.quiet { ProgressArg::None } else { self.progress });
        match self {
            Self { json: true, .. } => Form::Json,
            Self { quiet: true, .. } => Form::Silent,
            Self { verbose: true, .. } => Form::Text(Detail::All),
            Self { .. } => Form::Text(Detail::Usual),
        }
    }
}

impl From<ListFormatArg> for Kind {
    fn from(format: ListFormatArg) -> Self {
        match format {
            ListFormatArg::Csv => Self::Csv,
            ListFormatArg::Xlsx => Self::Xlsx,
            ListFormatArg::Jsonl => Self::JsonLines,
        }
    }
}

impl From<FormatArg> for Kind {
    fn from(format: FormatArg) -> Self {
        match format {
            FormatArg::Ics => Self::Ics,
            FormatArg::Csv => Self::Csv,
            FormatArg::Xlsx => Self::Xlsx,
            FormatArg::Jsonl => Self::JsonLines,
        }
    }
}

impl OutputArgs {
    /// Claims the files that are named, before the long work. `usual` is what goes to
    /// standard output where nothing says.
    pub(crate) fn resolve(
        self,
        files: &ReadFiles,
        form: TableForm,
        usual: Option<Kind>,
    ) -> anyhow::Result<Output> {
        let usual = usual.filter(|_| self.output.as_os_str() == "-");
        let kind = self.to.map(Kind::from).or(usual);
        let wish = OutputWish {
            path: self.output,
            kind,
            mode: if self.dry_run { Mode::DryRun } else { Mode::Write },
            existing: Existing::of_flag(self.overwrite),
            recording: self.record.resolve(),
            set_aside: self.set_aside,
        };
        Output::resolve(wish, Guard::new(files), form)
    }
}

impl LedgerArgs {
    /// Where the ledger is; `None` if none is wanted, or the user has no folder
    /// for it.
    pub(crate) fn path(&self) -> Option<PathBuf> {
        if self.no_ledger {
            return None;
        }
        let state = || system::state_folder().map(|folder| folder.join("ledger.sqlite"));
        match (&self.ledger, std::env::var_os("EMVO_LEDGER")) {
            (Some(path), _) => Some(path.clone()),
            (None, Some(none)) if none.is_empty() => None,
            (None, Some(path)) => Some(PathBuf::from(path)),
            (None, None) => state(),
        }
    }
}

impl RecordArgs {
    pub(crate) fn resolve(self) -> Recording {
        let ledger = self.ledger.path();
        Recording { receipt: self.receipt, ledger, ..Recording::default() }
    }
}

/// A length as people write it.
pub(crate) fn length_named(text: &str) -> anyhow::Result<Duration> {
    read_length(text).with_context(|| format!("--length `{text}`: write a length such as 1h, 45min or 1:30"))
}

/// What becomes of reminders, as people write it.
pub(crate) fn reminders_named(text: &str) -> anyhow::Result<Reminders> {
    match text {
        "keep" => Ok(Reminders::Keep),
        "drop" => Ok(Reminders::Drop),
        text => {
            let length = Duration::parse(text.trim_start_matches('-'));
            Ok(Reminders::Give(length.with_context(|| {
                format!("`{text}`: write keep, drop, or a length such as -P1D or -PT15M")
            })?))
        }
    }
}

/// What a copy shows, by the names of fields; everything where none is named.
pub(crate) fn show_named(names: &[String]) -> anyhow::Result<Show> {
    if names.is_empty() || names.iter().any(|field| field.trim() == "all") {
        return Ok(Show::All);
    }
    let besides_times = names.iter().map(|name| name.trim()).filter(|name| *name != WHEN);
    let fields = besides_times.map(|name| {
        showable(name).with_context(|| {
            let known: Vec<_> = showable_names().collect();
            format!("there is no field `{name}`; there are {}, all", known.join(", "))
        })
    });
    Ok(Show::Only(fields.collect::<anyhow::Result<_>>()?))
}

impl FitArgs {
    pub(crate) fn resolve(self, files: &ReadFiles) -> anyhow::Result<Option<Fitting>> {
        let Self { limits, horizon, length } = self;
        let length = length.as_deref().map(length_named).transpose()?;
        if limits.is_none() && (horizon.is_some() || length.is_some()) {
            bail!(
                "--horizon and --length are about what a destination needs: name its limits file, --limits FILE"
            );
        }
        limits.map(|path| Fitting::of(&path, FitTerms { horizon, length }, files)).transpose()
    }
}

impl RuleArgs {
    pub(crate) fn resolve(&self) -> anyhow::Result<RuleChoice> {
        let named = |names: &[String], option| {
            names.iter().map(|name| rule_named(name, option)).collect::<anyhow::Result<_>>()
        };
        Ok(RuleChoice { only: named(&self.only, "--only")?, skip: named(&self.skip, "--skip")? })
    }
}

/// The rules to consent to: ids, or `all`.
pub(crate) fn consent_of(names: &[String]) -> anyhow::Result<rules::Consent> {
    if names.iter().any(|name| name == "all") {
        if names.len() > 1 {
            bail!("--consent: `all` stands alone");
        }
        return Ok(rules::Consent::All);
    }
    if names.is_empty() {
        return Ok(rules::Consent::None);
    }
    let rules = names.iter().map(|name| rule_named(name, "--consent")).collect::<anyhow::Result<_>>()?;
    Ok(rules::Consent::Rules(rules))
}

impl ListArgs {
    /// Claims the file of a list, if one was named.
    pub(crate) fn resolve(&self, files: &ReadFiles) -> anyhow::Result<ListFile> {
        let existing = Existing::of_flag(self.overwrite);
        ListFile::at(self.output.as_deref(), self.to.map(Kind::from), existing, &Guard::new(files))
    }
}
