//! A plan as meant: paths found, words understood.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

use anyhow::Context;
use emvo_core::merge::{Busy, Clash, Duplicates, Incoming};
use emvo_core::redact::Private;
use emvo_core::rules::{Consent, Described, RuleChoice, rule};
use emvo_core::table::{ColumnField, Columns, DateOrder, ReadOptions};
use emvo_ical::content::decode;
use emvo_ical::recurrence::Window;
use emvo_ical::zone::{Zone, ZoneChoices, closest};
use jiff::civil::Date;
use toml::Spanned;

use super::read::{Categories, DestinationToml, PlanError, PlanText, PlanToml, SourceToml};
use crate::input::{EventTracking, ReadAs, ReadFiles, Reading, Undecided, is_there};
use crate::job::resolve::length_named;
use crate::output::{FitTerms, Fitting};

/// A whole move.
pub(crate) struct Plan {
    pub(crate) path: PathBuf,
    pub(crate) name: String,
    pub(crate) zone: Option<Zone>,
    /// What moves; everything where nothing is said.
    pub(crate) window: Option<Window>,
    pub(crate) sources: Vec<PlanSource>,
    pub(crate) destinations: Vec<Destination>,
    pub(crate) consent: Consent,
    pub(crate) rules: RuleChoice,
    pub(crate) repairs: Repairs,
    pub(crate) reconcile: bool,
    /// The fields that the proof may find missing.
    pub(crate) accept: Vec<String>,
    pub(crate) report: Option<PathBuf>,
    /// Everything that was read for it.
    pub(crate) read: ReadFiles,
}

/// Whether sources are repaired at all.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Repairs {
    Made,
    Skipped,
}

/// Where events come from.
pub(crate) struct PlanSource {
    /// As written, for people.
    pub(crate) pattern: String,
    pub(crate) files: Vec<PathBuf>,
    pub(crate) reading: Reading,
    pub(crate) incoming: Incoming,
    pub(crate) private: Private,
    /// The number of its destination.
    pub(crate) into: usize,
}

/// Where they go.
pub(crate) struct Destination {
    pub(crate) name: String,
    pub(crate) path: PathBuf,
    pub(crate) existing: Option<PathBuf>,
    pub(crate) clash: Clash,
    pub(crate) duplicates: Duplicates,
    pub(crate) calendar_name: Option<String>,
    pub(crate) fitting: Option<Fitting>,
}

impl Plan {
    pub(crate) fn read(path: &Path) -> anyhow::Result<Self> {
        let files = ReadFiles::default();
        let bytes = files
            .read(path, ReadAs::Plan)
            .with_context(|| format!("could not read the plan `{}`", path.display()))?;
        let decoded = decode(&bytes);
        let text = PlanText { path, text: &decoded.text };
        let file = text.parse()?;
        let folder = path.parent().unwrap_or(Path::new(""));
        Ok(Understanding { text, folder, files }.plan(&file)?)
    }
}

struct Understanding<'p> {
    text: PlanText<'p>,
    folder: &'p Path,
    files: ReadFiles,
}

impl Understanding<'_> {
    fn plan(&self, file: &PlanToml) -> Result<Plan, PlanError> {
        if file.destination.is_empty() {
            return Err(self.text.error(0..0, "there is no [[destination]]: say where the events go"));
        }
        if file.source.is_empty() {
            return Err(self.text.error(0..0, "there is no [[source]]: say where the events come from"));
        }
        let zone = file.moving.zone.as_ref().map(|zone| self.zone(zone)).transpose()?;
        let destinations: Vec<Destination> =
            file.destination.iter().map(|one| self.destination(one.get_ref())).collect::<Result<_, _>>()?;
        self.ensure_apart(&file.destination)?;
        let mut claimed = BTreeMap::new();
        let mut sources = Vec::new();
        for one in &file.source {
            sources.push(self.source(one, zone.as_ref(), &destinations, &mut claimed)?);
        }
        let (consent, rules, repairs) = self.repairs(file)?;
        let stem = self.text.path.file_stem().map(|stem| stem.to_string_lossy().into_owned());
        Ok(Plan {
            path: self.text.path.to_owned(),
            name: file.moving.name.clone().or(stem).unwrap_or_default(),
            window: self.window(file)?,
            zone,
            sources,
            destinations,
            consent,
            rules,
            repairs,
            reconcile: file.check.reconcile,
            accept: file.check.accept.clone(),
            report: file.check.report.as_ref().map(|report| self.report(report)).transpose()?,
            read: self.files.clone(),
        })
    }

    fn at<T>(&self, value: &Spanned<T>, message: impl Into<String>) -> PlanError {
        self.text.error(value.span(), message)
    }

    fn zone(&self, name: &Spanned<String>) -> Result<Zone, PlanError> {
        Zone::named(name.get_ref()).ok_or_else(|| {
            let near = closest(name.get_ref(), 3).join(", ");
            let hint = if near.is_empty() { String::new() } else { format!("; did you mean {near}?") };
            self.at(name, format!("`{}` is not a time zone{hint}", name.get_ref()))
        })
    }

    fn window(&self, file: &PlanToml) -> Result<Option<Window>, PlanError> {
        let date = |value: &Option<Spanned<toml::value::Datetime>>| {
            let Some(value) = value else { return Ok(None) };
            let date: Result<Date, _> = value.get_ref().to_string().parse();
            date.map(Some).map_err(|_| self.at(value, "write a date, as 2026-09-01"))
        };
        let (from, until) = (date(&file.moving.from)?, date(&file.moving.until)?);
        if let (Some(first), Some(last), Some(value)) = (from, until, &file.moving.until)
            && first > last
        {
            return Err(self.at(value, "`until` is before `from`"));
        }
        let is_open = from.is_none() && until.is_none();
        Ok((!is_open).then(|| Window { from: from.unwrap_or(Date::MIN), until: until.unwrap_or(Date::MAX) }))
    }

    fn report(&self, report: &Spanned<String>) -> Result<PathBuf, PlanError> {
        let is_known = [".html", ".csv", ".xlsx", ".json"].iter().any(|end| report.get_ref().ends_with(end));
        if is_known {
            Ok(self.folder.join(report.get_ref()))
        } else {
            Err(self.at(report, "a report ends in .html, .csv, .xlsx or .json"))
        }
    }

    fn repairs(&self, file: &PlanToml) -> Result<(Consent, RuleChoice, Repairs), PlanError> {
        let is_all = |list: &[Spanned<String>]| list.iter().any(|one| one.get_ref() == "all");
        let ids = |list: &[Spanned<String>]| {
            let of_name = |one: &Spanned<String>| {
                rule(one.get_ref()).map(Described::id).ok_or_else(|| {
                    self.at(one, format!("there is no rule `{}`; `emvo rules` lists them", one.get_ref()))
                })
            };
            list.iter().map(of_name).collect::<Result<std::collections::BTreeSet<_>, _>>()
        };
        if is_all(&file.repair.skip) {
            return Ok((Consent::None, RuleChoice::default(), Repairs::Skipped));
        }
        let consent = match (is_all(&file.repair.consent), file.repair.consent.is_empty()) {
            (true, _) => Consent::All,
            (_, true) => Consent::None,
            _ => Consent::Rules(ids(&file.repair.consent)?),
        };
        let choice = RuleChoice { skip: ids(&file.repair.skip)?, ..RuleChoice::default() };
        Ok((consent, choice, Repairs::Made))
    }

    fn source(
        &self,
        one: &Spanned<SourceToml>,
        house: Option<&Zone>,
        destinations: &[Destination],
        claimed: &mut BTreeMap<(PathBuf, String), String>,
    ) -> Result<PlanSource, PlanError> {
        let source = one.get_ref();
        let files = self.files(&source.path)?;
        for file in &files {
            let chosen =
                if source.calendars.is_empty() { vec![String::new()] } else { source.calendars.clone() };
            for calendar in chosen {
                let real = fs::canonicalize(file).unwrap_or_else(|_| file.clone());
                let clash = [calendar.clone(), String::new()]
                    .into_iter()
                    .find_map(|name| claimed.get(&(real.clone(), name)))
                    .or_else(|| {
                        calendar
                            .is_empty()
                            .then(|| claimed.iter().find(|((path, _), _)| *path == real))
                            .flatten()
                            .map(|(_, by)| by)
                    });
                if let Some(by) = clash {
                    let message = format!("`{}` is taken by the source `{by}` already", file.display());
                    return Err(self.at(&source.path, message));
                }
                claimed.insert((real, calendar), source.path.get_ref().clone());
            }
        }
        let into = match &source.into {
            None if destinations.len() == 1 => 0,
            None => {
                let names: Vec<_> = destinations.iter().map(|one| one.name.as_str()).collect();
                let message = format!("the source has no destination: into = one of {}", names.join(", "));
                return Err(self.text.error(one.span(), message));
            }
            Some(into) => destinations
                .iter()
                .position(|one| one.name == *into.get_ref())
                .ok_or_else(|| self.at(into, format!("there is no destination `{}`", into.get_ref())))?,
        };
        Ok(PlanSource {
            pattern: source.path.get_ref().clone(),
            files,
            reading: self.reading(source, house)?,
            incoming: self.incoming(source)?,
            private: self.word(
                source.private.as_ref(),
                &[("include", Private::Include), ("omit", Private::Omit), ("mask", Private::Mask)],
                Private::Include,
            )?,
            into,
        })
    }

    /// The files that a path or a pattern means, by name.
    fn files(&self, path: &Spanned<String>) -> Result<Vec<PathBuf>, PlanError> {
        let whole = self.folder.join(path.get_ref());
        if is_there(&whole) {
            return Ok(vec![whole]);
        }
        let pattern = whole.to_string_lossy();
        let found =
            glob::glob(&pattern).map_err(|error| self.at(path, format!("the pattern is broken: {error}")))?;
        let files: Vec<PathBuf> = found.filter_map(Result::ok).collect();
        if files.is_empty() {
            return Err(self.at(path, format!("there is no file `{}`", whole.display())));
        }
        Ok(files)
    }

    fn reading(&self, source: &SourceToml, house: Option<&Zone>) -> Result<Reading, PlanError> {
        let own = source.zone.as_ref().map(|zone| self.zone(zone)).transpose()?;
        let house = own.or_else(|| house.cloned());
        let map: BTreeMap<String, Zone> = source
            .zone_map
            .iter()
            .map(|(name, zone)| Ok((name.clone(), self.zone(zone)?)))
            .collect::<Result<_, PlanError>>()?;
        let order = self.word(
            source.date_order.as_ref(),
            &[
                ("auto", DateOrder::Auto),
                ("day", DateOrder::Day),
                ("month", DateOrder::Month),
                ("year", DateOrder::Year),
            ],
            DateOrder::Auto,
        )?;
        let columns_file = source.columns.as_ref().map(|columns| self.columns(columns)).transpose()?;
        let (mut columns, mut carried) = (Vec::new(), Vec::new());
        for (field, header) in &source.column {
            match ColumnField::of_name(field) {
                Some(field) => columns.push((field, header.get_ref().clone())),
                None if field == "carried" => carried.push(header.get_ref().clone()),
                None => {
                    let names: Vec<_> = ColumnField::names().chain(["carried"]).collect();
                    let message = format!("there is no field `{field}`; there are {}", names.join(", "));
                    return Err(self.at(header, message));
                }
            }
        }
        Ok(Reading {
            zones: ZoneChoices { house: house.clone(), map: map.clone() },
            calendars: source.calendars.clone(),
            table: ReadOptions {
                house,
                zone_map: map,
                order,
                columns,
                carried,
                columns_file,
                ..ReadOptions::default()
            },
            charset: None,
            undecided: Undecided::Refuse,
            tracking: EventTracking::Off,
            secret: None,
            sheets: Vec::new(),
        })
    }

    fn columns(&self, columns: &Spanned<String>) -> Result<Columns, PlanError> {
        let path = self.folder.join(columns.get_ref());
        let bytes = self
            .files
            .read(&path, ReadAs::Columns)
            .map_err(|error| self.at(columns, format!("could not read it: {error}")))?;
        Columns::parse(&decode(&bytes).text).map_err(|error| self.at(columns, error.to_string()))
    }

    fn incoming(&self, source: &SourceToml) -> Result<Incoming, PlanError> {
        let add_categories = match &source.add_category {
            None => Vec::new(),
            Some(Categories::One(category)) => vec![category.clone()],
            Some(Categories::Several(categories)) => categories.clone(),
        };
        let busy = self.word(
            source.busy.as_ref(),
            &[("keep", None), ("busy", Some(Busy::Busy)), ("free", Some(Busy::Free))],
            None,
        )?;
        Ok(Incoming { add_categories, busy, ..Incoming::default() })
    }

    fn destination(&self, one: &DestinationToml) -> Result<Destination, PlanError> {
        let existing = one.existing.as_ref().map(|path| {
            let whole = self.folder.join(path.get_ref());
            if is_there(&whole) && !whole.is_dir() {
                Ok(whole)
            } else {
                Err(self.at(path, format!("there is no file `{}`", whole.display())))
            }
        });
        let length = one
            .length
            .as_ref()
            .map(|text| length_named(text.get_ref()).map_err(|error| self.at(text, format!("{error:#}"))));
        let terms = FitTerms { horizon: None, length: length.transpose()? };
        let fitting = one.limits.as_ref().map(|path| {
            Fitting::of(&self.folder.join(path.get_ref()), terms, &self.files)
                .map_err(|error| self.at(path, format!("{error:#}")))
        });
        let clashes = [
            ("existing", Clash::Existing),
            ("incoming", Clash::Incoming),
            ("newest", Clash::Newest),
            ("both", Clash::Both),
        ];
        Ok(Destination {
            name: one.name.get_ref().clone(),
            path: self.folder.join(one.path.get_ref()),
            existing: existing.transpose()?,
            clash: self.word(one.clash.as_ref(), &clashes, Clash::Existing)?,
            duplicates: self.word(
                one.duplicates.as_ref(),
                &[("fold", Duplicates::Fold), ("keep", Duplicates::Keep)],
                Duplicates::Fold,
            )?,
            calendar_name: one.calendar_name.clone(),
            fitting: fitting.transpose()?,
        })
    }

    /// No two destinations share a name or a file.
    fn ensure_apart(&self, all: &[Spanned<DestinationToml>]) -> Result<(), PlanError> {
        for (at, one) in all.iter().enumerate() {
            let one = one.get_ref();
            for other in all[..at].iter().map(Spanned::get_ref) {
                if other.name.get_ref() == one.name.get_ref() {
                    return Err(
                        self.at(&one.name, format!("there are two destinations `{}`", one.name.get_ref()))
                    );
                }
                if other.path.get_ref() == one.path.get_ref() {
                    let message = format!("the destination `{}` goes there already", other.name.get_ref());
                    return Err(self.at(&one.path, message));
                }
            }
        }
        Ok(())
    }

    fn word<T: Copy>(
        &self,
        word: Option<&Spanned<String>>,
        meanings: &[(&str, T)],
        default: T,
    ) -> Result<T, PlanError> {
        let Some(word) = word else { return Ok(default) };
        let found = meanings.iter().find(|(name, _)| name == word.get_ref());
        found.map(|(_, meaning)| *meaning).ok_or_else(|| {
            let names: Vec<_> = meanings.iter().map(|(name, _)| format!("\"{name}\"")).collect();
            self.at(word, format!("`{}`: write {}", word.get_ref(), names.join(", ")))
        })
    }
}
