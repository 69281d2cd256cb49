//! A plan as meant: paths found, words understood.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

use anyhow::Context;
use emvo_core::merge::{Clash, Duplicates, Incoming};
use emvo_core::redact::Showing;
use emvo_core::rules::{Consent, Described, RuleChoice, rule};
use emvo_core::table::Columns;
use emvo_ical::content::decode;
use emvo_ical::recurrence::Window;
use emvo_ical::zone::{Zone, closest};
use jiff::civil::Date;
use toml::Spanned;

use super::read::{DestinationToml, PlanError, PlanText, PlanToml, SourceToml};
use crate::input::{ReadAs, ReadFiles, Reading, is_there};
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
    /// Where the exports are kept as they came.
    pub(crate) backup: Option<PathBuf>,
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
    /// How much of its events is moved.
    pub(crate) showing: Showing,
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
    /// How its tables are laid out.
    pub(crate) columns: Option<Columns>,
    pub(crate) writes: Writes,
}

/// What is written for a destination that holds something already.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Writes {
    /// All that it is to hold.
    All,
    /// What it does not hold yet, since it takes no updates; what is left to a person goes on
    /// a list, if one is named.
    OnlyNew { by_hand: Option<PathBuf> },
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

pub(super) struct Understanding<'p> {
    text: PlanText<'p>,
    pub(super) folder: &'p Path,
    pub(super) files: ReadFiles,
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
            backup: file.backup.as_ref().map(|backup| self.backup(&backup.path)).transpose()?,
            read: self.files.clone(),
        })
    }

    pub(super) fn at<T>(&self, value: &Spanned<T>, message: impl Into<String>) -> PlanError {
        self.text.error(value.span(), message)
    }

    pub(super) fn zone(&self, name: &Spanned<String>) -> Result<Zone, PlanError> {
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

    fn backup(&self, path: &Spanned<String>) -> Result<PathBuf, PlanError> {
        let whole = self.folder.join(path.get_ref());
        let is_zip = whole.extension().is_some_and(|end| end.eq_ignore_ascii_case("zip"));
        if is_zip { Ok(whole) } else { Err(self.at(path, "a backup ends in .zip")) }
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
            showing: self.showing(source)?,
            into,
        })
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
        let fitting = fitting.transpose()?;
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
            columns: match &one.columns {
                Some(columns) => Some(self.columns(columns)?),
                None => fitting.as_ref().and_then(|fitting| fitting.columns.clone()),
            },
            fitting,
            writes: self.writes(one)?,
        })
    }

    /// What is new can only be told from what is there.
    fn writes(&self, one: &DestinationToml) -> Result<Writes, PlanError> {
        let is_asked = one.only_new.as_ref().filter(|only_new| *only_new.get_ref());
        match (is_asked, &one.by_hand, &one.existing) {
            (None, None, _) => Ok(Writes::All),
            (None, Some(by_hand), _) => {
                Err(self.at(by_hand, "a list of what is left to a person goes with only_new = true"))
            }
            (Some(only_new), _, None) => {
                Err(self
                    .at(only_new, "what is new is told from what is there: existing = a fresh export of it"))
            }
            (Some(_), by_hand, Some(_)) => {
                let by_hand = by_hand.as_ref().map(|path| self.folder.join(path.get_ref()));
                Ok(Writes::OnlyNew { by_hand })
            }
        }
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

    pub(super) fn word<T: Copy>(
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
