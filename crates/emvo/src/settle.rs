//! Arguments as meant: what was typed, checked before any file is read.

use std::fs;
use std::path::Path;

use anyhow::{Context, bail};
use emvo_core::rules::{self, Described, RuleId};
use emvo_core::survey::default_window;
use emvo_core::table::{Columns, DateOrder, Field, ReadOptions};
use emvo_ical::content::decode;
use emvo_ical::recurrence::{Ceiling, Window};
use emvo_ical::zone::{Zone, ZoneChoices, closest};
use jiff::civil::Date;

use crate::args::{AnswerArgs, OrderArg, ReadingArgs, WindowArgs};
use crate::progress::{self, ProgressArg};
use crate::record::Noting;
use crate::secret::Secret;
use crate::source::Source;

/// How inputs are read.
#[derive(Debug)]
pub(crate) struct Reading {
    pub(crate) zones: ZoneChoices,
    pub(crate) calendars: Vec<String>,
    pub(crate) table: ReadOptions,
    pub(crate) charset: Option<String>,
    pub(crate) undecided: Undecided,
    pub(crate) noting: Noting,
    /// The passphrase of encrypted zips.
    pub(crate) secret: Option<Secret>,
}

/// What is done about a table whose dates read two ways (rule C02).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Undecided {
    /// The command refuses it.
    Refuse,
    /// The command tells about it, and reads nothing from it.
    Tell,
}

impl Reading {
    /// As files say, and nothing else.
    pub(crate) fn plain() -> Self {
        Self {
            zones: ZoneChoices::default(),
            calendars: Vec::new(),
            table: ReadOptions::default(),
            charset: None,
            undecided: Undecided::Tell,
            noting: Noting::Nothing,
            secret: None,
        }
    }
}

impl ReadingArgs {
    pub(crate) fn settle(self) -> anyhow::Result<Reading> {
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
        let columns = self.column.iter().map(|entry| column(entry)).collect::<anyhow::Result<_>>()?;
        let columns_file = self.columns.as_deref().map(columns_file).transpose()?;
        let secret = self.passphrase_file.as_deref().map(Secret::of_file).transpose()?;
        let charset = self.input_encoding;
        let zone_map = zones.map.clone();
        Ok(Reading {
            zones,
            calendars: self.calendar,
            table: ReadOptions { house, zone_map, order, columns, columns_file, repeat_rule: None },
            charset,
            undecided: Undecided::Refuse,
            noting: Noting::Nothing,
            secret,
        })
    }
}

fn columns_file(path: &Path) -> anyhow::Result<Columns> {
    let bytes = fs::read(path).with_context(|| format!("could not read `{}`", path.display()))?;
    Columns::parse(&decode(&bytes).text).with_context(|| format!("columns file `{}`", path.display()))
}

fn column(entry: &str) -> anyhow::Result<(Field, String)> {
    let (field, header) =
        entry.split_once('=').with_context(|| format!("--column `{entry}`: write FIELD=\"Header\""))?;
    let field = Field::of_name(field.trim()).with_context(|| {
        let names: Vec<_> = Field::names().collect();
        format!("--column: there is no field `{field}`; there are {}", names.join(", "))
    })?;
    Ok((field, header.trim().trim_matches('"').to_owned()))
}

/// The zone that a person names; if it is none, the names that are close.
pub(crate) fn zone_named(name: &str, option: &str) -> anyhow::Result<Zone> {
    if let Some(zone) = Zone::named(name) {
        return Ok(zone);
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
    pub(crate) fn settle(&self) -> anyhow::Result<WindowChoice> {
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
        let default = default_window(sources.iter().flat_map(Source::calendars));
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

/// How much is said, and in which form.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Answer {
    Json,
    Silent,
    Text(Detail),
}

/// How much a text says.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Detail {
    Usual,
    All,
}

impl AnswerArgs {
    /// From here on it is shown how far the work is.
    pub(crate) fn settle(self) -> Answer {
        progress::begin(if self.quiet { ProgressArg::None } else { self.progress });
        match self {
            Self { json: true, .. } => Answer::Json,
            Self { quiet: true, .. } => Answer::Silent,
            Self { verbose: true, .. } => Answer::Text(Detail::All),
            Self { .. } => Answer::Text(Detail::Usual),
        }
    }
}
