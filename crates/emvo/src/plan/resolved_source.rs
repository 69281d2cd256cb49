//! The sources of a plan as meant: which files, how they are read, what becomes of their events.

use std::collections::BTreeMap;
use std::path::PathBuf;

use emvo_core::merge::{Busy, Incoming, Stay};
use emvo_core::redact::{Attachments, Private, Show, Showing, Uids};
use emvo_core::table::{ColumnField, Columns, ColumnsError, DateOrder, ReadOptions};
use emvo_ical::content::decode;
use emvo_ical::zone::{Zone, ZoneChoices};
use toml::Spanned;

use super::read::{Categories, ColumnsToml, PlanError, SourceToml};
use super::resolved::Understanding;
use crate::input::{EventReading, EventTracking, ReadAs, Reading, Undecided, is_there};
use crate::job::resolve::{reminders_named, show_named};

/// What may stay or go.
const STAYS: [(&str, Stay); 2] = [("keep", Stay::Keep), ("drop", Stay::Drop)];

impl Understanding<'_> {
    /// The files that a path or a pattern means, by name.
    pub(super) fn files(&self, path: &Spanned<String>) -> Result<Vec<PathBuf>, PlanError> {
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

    pub(super) fn reading(&self, source: &SourceToml, house: Option<&Zone>) -> Result<Reading, PlanError> {
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
            events: EventReading::All,
            secret: None,
            sheets: Vec::new(),
        })
    }

    /// A layout: what a file has, or what stands in the plan itself.
    pub(super) fn columns(&self, columns: &Spanned<ColumnsToml>) -> Result<Columns, PlanError> {
        let text = match columns.get_ref() {
            ColumnsToml::Inline(table) => table.to_string(),
            ColumnsToml::File(name) => {
                let bytes = self
                    .files
                    .read(&self.folder.join(name), ReadAs::Columns)
                    .map_err(|error| self.at(columns, format!("could not read it: {error}")))?;
                decode(&bytes).text.into_owned()
            }
        };
        Columns::parse(&text).map_err(|error| match (columns.get_ref(), error) {
            // The line is one of a text that nobody has seen.
            (ColumnsToml::Inline(_), ColumnsError::Syntax(error)) => self.at(columns, error.message),
            (_, error) => self.at(columns, error.to_string()),
        })
    }

    pub(super) fn incoming(&self, source: &SourceToml) -> Result<Incoming, PlanError> {
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
        let reminders = source
            .reminders
            .as_ref()
            .map(|text| reminders_named(text.get_ref()).map_err(|error| self.at(text, format!("{error:#}"))));
        Ok(Incoming {
            add_categories,
            busy,
            reminders: reminders.transpose()?.unwrap_or_default(),
            invitations: self.word(source.invitations.as_ref(), &STAYS, Stay::Keep)?,
            attachments: self.word(source.attachments.as_ref(), &STAYS, Stay::Keep)?,
            ..Incoming::default()
        })
    }

    /// How much of its events is moved: what is private stays out where anything is left out,
    /// if the plan does not say otherwise.
    pub(super) fn showing(&self, source: &SourceToml) -> Result<Showing, PlanError> {
        let show = source
            .show
            .as_ref()
            .map(|names| show_named(names.get_ref()).map_err(|error| self.at(names, format!("{error:#}"))));
        let show = show.transpose()?.unwrap_or_default();
        let usual = if show == Show::All { Private::Include } else { Private::Omit };
        let meanings = [("include", Private::Include), ("omit", Private::Omit), ("mask", Private::Mask)];
        let private = self.word(source.private.as_ref(), &meanings, usual)?;
        Ok(Showing { show, private, uids: Uids::Keep, attachments: Attachments::Keep })
    }
}
