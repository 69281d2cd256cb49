//! `pick`: keeps what matches, and shows as much of it as is asked for.

use std::collections::BTreeSet;

use anyhow::{Context, bail};
use emvo_core::edit::{Change, Count, Cut, Edited, Step, sync_definitions};
use emvo_core::redact::{Attachments, Private, Show, Showing, Uids, bare_calendar, shown, shows};
use emvo_core::split::by_window;
use emvo_ical::calendar::{Calendar, ComponentCounts, ComponentKind, Event, Series};
use emvo_ical::zone::ZoneResolver;
use schemars::JsonSchema;
use serde::Serialize;

use super::{Command, Program};
use crate::answer::Detail;
use crate::answer::advice::refusal_in_words;
use crate::answer::written::{Extent, headline, marked_lines, summary_of_copy};
use crate::input::Loaded;
use crate::job::args::{KeepArg, UidsArg};
use crate::job::resolve::show_named;
use crate::job::{Edit, EditArgs, Scope};
use crate::outcome::Outcome;
use crate::output::{SET_ASIDE_KEEPS_IT, Shape, Written};
use crate::terminal::counted;

/// Keep what matches, and show as much of it as others may see
#[derive(Debug, clap::Args)]
pub(crate) struct PickArgs {
    #[command(flatten)]
    job: EditArgs,
    /// Only these fields: when, title, category, location, description, attendees, reminders, url,
    /// attachments, or all
    #[arg(long, value_name = "FIELD", value_delimiter = ',', help_heading = "What is shown")]
    show: Vec<String>,
    /// Private and confidential events; left out where --show leaves something out, else included
    #[arg(long, value_enum, value_name = "HOW", help_heading = "What is shown")]
    private: Option<PrivateArg>,
    /// Attachments
    #[arg(long, value_enum, value_name = "HOW", default_value_t, help_heading = "What is shown")]
    attachments: KeepArg,
    /// Ids: as they are, or derived ones for destinations that know the old ones
    #[arg(long, value_enum, value_name = "HOW", default_value_t, help_heading = "What is shown")]
    uids: UidsArg,
    /// One file for each: calendar, category, year, month, or a number of events
    #[arg(long, value_name = "BY", help_heading = "Output")]
    split_by: Option<String>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum PrivateArg {
    /// As the others
    Include,
    /// Left out
    Omit,
    /// Their times, under the title "Private"
    Mask,
}

/// Into which files a result goes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum SplitBy {
    Calendar,
    Category,
    Year,
    Month,
    Count(usize),
}

impl SplitBy {
    fn of_text(text: &str) -> anyhow::Result<Self> {
        match text {
            "calendar" => Ok(Self::Calendar),
            "category" => Ok(Self::Category),
            "year" => Ok(Self::Year),
            "month" => Ok(Self::Month),
            text => match text.parse() {
                Ok(count) if count > 0 => Ok(Self::Count(count)),
                _ => bail!(
                    "--split-by `{text}`: write calendar, category, year, month, or how many events a file"
                ),
            },
        }
    }
}

impl PickArgs {
    fn showing(&self) -> anyhow::Result<Showing> {
        let show = show_named(&self.show).context("--show")?;
        let private = match self.private {
            Some(PrivateArg::Include) => Private::Include,
            Some(PrivateArg::Mask) => Private::Mask,
            None if show == Show::All => Private::Include,
            Some(PrivateArg::Omit) | None => Private::Omit,
        };
        let attachments = match self.attachments {
            KeepArg::Keep => Attachments::Keep,
            KeepArg::Drop => Attachments::Drop,
        };
        let uids = match self.uids {
            UidsArg::Keep => Uids::Keep,
            UidsArg::Fresh => Uids::Fresh,
        };
        Ok(Showing { show, private, uids, attachments })
    }
}

impl Command for PickArgs {
    const EXAMPLES: &'static [&'static str] = &[
        "emvo pick exports/norrsund --show when -o busy.ics",
        "emvo pick exports/norrsund --category crew --from 2026-10-01 --until 2026-12-31 -o autumn.ics",
    ];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        let split_by = self.split_by.as_deref().map(SplitBy::of_text).transpose()?;
        let picking = Picking {
            showing: self.showing()?,
            name_of: split_by.map(name_by),
            kept: 0,
            private: 0,
            private_dates: 0,
            private_others: 0,
            whole: Vec::new(),
        };
        let mut job = self.job.resolve()?;
        if picking.showing.show != Show::All || picking.showing.private != Private::Include {
            // What cannot be read says what the copy hides.
            job.output.keep_nothing_beside(SET_ASIDE_KEEPS_IT);
        }
        job.run(picking)
    }
}

/// The name of the file that an event goes into.
type NameOf = Box<dyn Fn(&Series<'_>, &Calendar<'_>, usize) -> String>;

pub(crate) struct Picking {
    showing: Showing,
    name_of: Option<NameOf>,
    kept: usize,
    /// Private events that were left out.
    private: usize,
    /// Private dates of series that are shown.
    private_dates: usize,
    /// Private tasks, journals and others.
    private_others: usize,
    /// What cannot be trimmed to the window, and stays whole.
    whole: Vec<String>,
}

impl Edit for Picking {
    const COMMAND: &'static str = "pick";
    const DOING: &'static str = "choosing";

    fn edit<'t>(&mut self, path: &str, loaded: &mut Loaded<'t>, scope: &Scope<'_>) -> Edited<'t> {
        let mut edited = scope.keep(loaded, |series, zones| {
            let whole = series.clone();
            let parts = self.inside(path, series, scope, zones);
            let seen = parts.iter().filter_map(|part| Some((part, shown(part, &whole, &self.showing)?)));
            let mut dates = 0;
            let shown: Vec<Series<'t>> = seen
                .map(|(part, shown)| {
                    dates += part.overrides().len().saturating_sub(shown.overrides().len());
                    shown
                })
                .collect();
            self.private_dates += dates;
            self.private += usize::from(!parts.is_empty() && shown.is_empty());
            if shown.is_empty() {
                return Step::Removed(Vec::new());
            }
            let changes = self.changes(&whole, &shown, scope);
            Step::Became(shown, changes)
        });
        self.kept += edited.calendar.series.len();
        let hidden = edited.calendar.others.extract_if(.., |other| !shows(&other.it, &self.showing));
        let kinds: ComponentCounts = hidden.map(|other| ComponentKind::of(other.it.name())).collect();
        if self.showing.show == Show::All {
            self.private_others += kinds.tasks + kinds.journals + kinds.others;
        }
        edited.account.add(Count::Removed, kinds);
        if self.showing.show != Show::All {
            // Definitions are written anew: a file's own may say more than times.
            let bare = bare_calendar(&edited.calendar);
            let series = std::mem::take(&mut edited.calendar.series);
            edited.calendar = Calendar { series, ..bare };
            sync_definitions(&mut edited.calendar, &edited.zones, &BTreeSet::new(), &BTreeSet::new());
        }
        edited
    }

    fn summary(&self, written: &Written) -> String {
        summary_of_copy(written)
    }

    fn shape(&self) -> Shape<'_> {
        self.name_of.as_ref().map_or(Shape::AsInputs, |name_of| Shape::Split(name_of))
    }

    fn text(&self, _: &Written, _: Detail) -> String {
        let mut words = match self.kept {
            0 => "nothing is left: no event is as you say".to_owned(),
            many => format!("{} kept", counted(many, "event", "events")),
        };
        if self.private > 0 {
            let private = counted(self.private, "private event", "private events");
            words.extend(["; ", &private, " left out"]);
        }
        if self.private_dates > 0 {
            let private = counted(self.private_dates, "private date of a series", "private dates of series");
            words.extend(["; ", &private, " left out"]);
        }
        if self.private_others > 0 {
            let private =
                counted(self.private_others, "private task or journal", "private tasks or journals");
            words.extend(["; ", &private, " left out"]);
        }
        headline(&words, Extent::of(self.kept)) + &marked_lines(&self.whole)
    }

    fn details(&self, _: &Written) -> impl Serialize + JsonSchema {
        PickJson { refused: self.whole.clone() }
    }

    fn needs_a_look(&self, _: &Written) -> bool {
        self.kept == 0 || !self.whole.is_empty()
    }
}

#[derive(Serialize, JsonSchema)]
struct PickJson {
    refused: Vec<String>,
}

impl Picking {
    /// What the copy of an event lacks that is shown with all its fields, told by
    /// what the copy says.
    fn changes(&self, whole: &Series<'_>, shown: &[Series<'_>], scope: &Scope<'_>) -> Vec<Change> {
        let Some(first) = shown.first().filter(|_| self.showing.show == Show::All) else { return Vec::new() };
        let mut words = Vec::new();
        let is_attached = |event: &Event<'_>| event.component().has("ATTACH");
        if self.showing.attachments == Attachments::Drop && whole.events().any(is_attached) {
            words.push("without attachments");
        }
        if self.showing.private == Private::Omit && whole.overrides().len() > first.overrides().len() {
            words.push("without private dates");
        }
        let cut = scope.window().filter(|_| whole.repeats());
        let cut = cut.map(|window| Cut::Only(window.from, window.until).to_string());
        let after = |words: String| Change::to_series(None, first, "as it was".to_owned(), words);
        let words = (!words.is_empty()).then(|| words.join(", "));
        cut.into_iter().chain(words).map(after).collect()
    }

    /// A series trimmed to the window; one that cannot be trimmed stays whole.
    fn inside<'t>(
        &mut self,
        path: &str,
        series: Series<'t>,
        scope: &Scope<'_>,
        zones: &ZoneResolver,
    ) -> Vec<Series<'t>> {
        let Some(window) = scope.window() else { return vec![series] };
        match by_window(&series, window, zones, scope.ceiling) {
            Ok(mut parts) => {
                // What is left of a series is still that series; only a second part
                // of it needs an id of its own.
                if let Some((first, uid)) = parts.inside.first_mut().zip(series.uid()) {
                    first.set_uid(&uid.into_owned());
                }
                parts.inside
            }
            Err(why) => {
                let title = series.lead().title().unwrap_or_default();
                self.whole.push(format!("{path}: `{title}` is kept whole: {}", refusal_in_words(&why)));
                vec![series]
            }
        }
    }
}

fn name_by(by: SplitBy) -> NameOf {
    Box::new(move |series, calendar, count| part_of(series, calendar, by, count))
}

fn part_of(series: &Series<'_>, calendar: &Calendar<'_>, by: SplitBy, count: usize) -> String {
    let first = series.lead().start().date();
    match by {
        SplitBy::Calendar => calendar.name(),
        SplitBy::Category => {
            series.lead().categories().into_iter().next().unwrap_or_else(|| "none".to_owned())
        }
        SplitBy::Year => format!("{:04}", first.year()),
        SplitBy::Month => format!("{:04}-{:02}", first.year(), first.month()),
        SplitBy::Count(size) => format!("{:03}", count / size + 1),
    }
}
