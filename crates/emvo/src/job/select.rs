//! The selectors that commands share, as typed and as meant.

use std::path::{Path, PathBuf};

use anyhow::{Context as _, anyhow, bail};
use emvo_core::rules::{CheckOptions, Context, RuleChoice, RuleId, check};
use emvo_core::select::{Extension, Repetition, Selection, TextMatch};
use emvo_ical::calendar::Series;
use emvo_ical::content::decode;
use hashbrown::HashSet;

use super::resolve::{WindowChoice, rule_named};
use crate::input::{Loaded, ReadAs, ReadFiles, Reading, Source};

/// Which events are meant
#[derive(Debug, clap::Args)]
#[command(next_help_heading = "Which events")]
#[allow(clippy::struct_excessive_bools, reason = "flags as typed; `resolve` makes enums of them")]
pub(crate) struct SelectArgs {
    /// Part of the title, or /a regular expression/; may be given several times
    #[arg(long, value_name = "TEXT")]
    title: Vec<String>,
    /// --title is a whole title and no part of one
    #[arg(long, requires = "title")]
    exact: bool,
    /// A file of whole titles, one a line
    #[arg(long, value_name = "FILE", conflicts_with = "title")]
    titles: Option<PathBuf>,
    /// Part of a category; may be given several times
    #[arg(long, value_name = "TEXT")]
    category: Vec<String>,
    /// Part of the place; may be given several times
    #[arg(long, value_name = "TEXT")]
    location: Vec<String>,
    /// The id; may be given several times
    #[arg(long, value_name = "UID")]
    uid: Vec<String>,
    /// Repeating events alone
    #[arg(long, conflicts_with = "single")]
    series: bool,
    /// Single events alone
    #[arg(long)]
    single: bool,
    /// All-day events alone
    #[arg(long, conflicts_with = "timed")]
    all_day: bool,
    /// Events with clock times alone
    #[arg(long)]
    timed: bool,
    /// Events in which a rule finds something; may be given several times
    #[arg(long, value_name = "ID")]
    finding: Vec<String>,
}

/// Which events are meant: those of a selection, and with findings of rules.
#[derive(Debug)]
pub(crate) struct Chosen {
    pub(crate) selection: Selection,
    pub(crate) findings: Vec<RuleId>,
}

impl SelectArgs {
    /// Whether events are asked for by id.
    pub(crate) fn names_ids(&self) -> bool {
        !self.uid.is_empty()
    }

    pub(crate) fn resolve(self, files: &ReadFiles) -> anyhow::Result<Chosen> {
        let titles = match (&self.titles, self.exact) {
            (Some(path), _) => Some(titles_in(path, files)?),
            (None, true) => Some(self.title.iter().map(|title| TextMatch::whole(title)).collect()),
            (None, false) => None,
        };
        let texts = |texts: Vec<String>, option: &str| {
            texts
                .iter()
                .map(|text| {
                    TextMatch::parse(text).map_err(|error| {
                        // The last line says what is wrong, those before point at the place.
                        let error = error.to_string();
                        let why = error.lines().last().unwrap_or_default().trim_start_matches("error: ");
                        anyhow!("{option} `{text}` is not a regular expression: {why}")
                    })
                })
                .collect::<anyhow::Result<Vec<_>>>()
        };
        let repetition = match (self.series, self.single) {
            (true, _) => Some(Repetition::Series),
            (_, true) => Some(Repetition::Single),
            (false, false) => None,
        };
        let extension = match (self.all_day, self.timed) {
            (true, _) => Some(Extension::AllDay),
            (_, true) => Some(Extension::Timed),
            (false, false) => None,
        };
        let selection = Selection {
            titles: titles.map_or_else(|| texts(self.title, "--title"), Ok)?,
            categories: texts(self.category, "--category")?,
            locations: texts(self.location, "--location")?,
            uids: self.uid,
            repetition,
            extension,
            window: None,
        };
        let findings =
            self.finding.iter().map(|id| rule_named(id, "--finding")).collect::<anyhow::Result<_>>()?;
        Ok(Chosen { selection, findings })
    }
}

/// The titles in a file, one a line; empty lines say nothing.
fn titles_in(path: &Path, files: &ReadFiles) -> anyhow::Result<Vec<TextMatch>> {
    let shown = path.display();
    let bytes = files.read(path, ReadAs::Titles).with_context(|| format!("could not read `{shown}`"))?;
    let text = decode(&bytes).text;
    let titles: Vec<TextMatch> =
        text.lines().filter(|line| !line.trim().is_empty()).map(TextMatch::whole).collect();
    if titles.is_empty() {
        bail!("--titles `{shown}`: there is no title in it; write one a line");
    }
    Ok(titles)
}

impl Chosen {
    /// All events.
    pub(crate) fn all() -> Self {
        Self { selection: Selection::default(), findings: Vec::new() }
    }

    /// The series in which one of the named rules finds something; `None` if no
    /// rule is named.
    pub(crate) fn with_findings(&self, loaded: &Loaded<'_>, reading: &Reading) -> Option<Vec<usize>> {
        if self.findings.is_empty() {
            return None;
        }
        let options = CheckOptions::default();
        let context = Context::of(&loaded.calendar, &loaded.zones, reading.zones.house.as_ref(), &options);
        Some(series_with(&context, &self.findings, &self.selection))
    }

    /// Which series of a calendar are chosen, as a question about each.
    pub(crate) fn chooser<'c>(
        &'c self,
        loaded: &Loaded<'_>,
        reading: &Reading,
    ) -> impl Fn(usize, &Series<'_>) -> bool + use<'c> {
        let found = self.with_findings(loaded, reading).map(HashSet::<usize>::from_iter);
        let zones = loaded.zones.clone();
        move |number, series| {
            found.as_ref().is_none_or(|found| found.contains(&number))
                && self.selection.chooses(series, &zones)
        }
    }

    /// Whether faults of whole files are asked for: where events are chosen, they
    /// are not.
    pub(crate) fn takes_files(&self) -> bool {
        self.selection.is_everything() && self.findings.is_empty()
    }

    /// The selection with the window, if one was asked for.
    pub(crate) fn within(mut self, choice: &WindowChoice, sources: &[Source<'_>]) -> Self {
        if choice.is_asked_for() {
            self.selection.window = choice.over(sources);
        }
        self
    }
}

/// The series in which these rules find something.
pub(crate) fn series_with(context: &Context<'_, '_>, rules: &[RuleId], selection: &Selection) -> Vec<usize> {
    let choice = RuleChoice { only: rules.iter().copied().collect(), ..RuleChoice::default() };
    check(context, &choice, selection).into_iter().filter_map(|finding| finding.series).collect()
}
