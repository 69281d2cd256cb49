//! `drop`: removes what matches, or dates of it.

use anyhow::bail;
use emvo_core::edit::{Change, Cut, Edited, Step};
use emvo_core::split::{WithoutDate, before_day, by_window, without_date};
use emvo_ical::calendar::Series;
use emvo_ical::recurrence::{Ceiling, Window};
use emvo_ical::zone::ZoneResolver;
use jiff::civil::Date;
use schemars::JsonSchema;
use serde::Serialize;

use super::{Command, Program};
use crate::answer::Detail;
use crate::answer::preview::Preview;
use crate::answer::written::{Examples, Extent, change_lines, headline, marked_lines, refused_in_words};
use crate::input::Loaded;
use crate::job::args::day;
use crate::job::{Edit, EditArgs, Scope};
use crate::outcome::Outcome;
use crate::output::Written;
use crate::terminal::counted;

/// Remove events, or dates of series
#[derive(Debug, clap::Args)]
pub(crate) struct DropArgs {
    #[command(flatten)]
    job: EditArgs,
    /// How much of a series goes
    #[arg(long, value_enum, value_name = "REACH", help_heading = "How much")]
    reach: Option<ReachArg>,
    /// The day of the date that goes, as people see it
    #[arg(long, value_name = "DATE", value_parser = day, help_heading = "How much")]
    on: Option<Date>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
enum ReachArg {
    /// The date on the day of --on
    One,
    /// That date and all later ones
    Onward,
    /// All of it
    Series,
}

/// What goes of an event that is chosen.
#[derive(Clone, Copy, Debug)]
enum What {
    Date(Date),
    From(Date),
    Everything,
    /// What lies in the window.
    Inside,
}

/// Whether a window was asked for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum HasWindow {
    Yes,
    No,
}

impl What {
    fn of(reach: Option<ReachArg>, on: Option<Date>, has_window: HasWindow) -> anyhow::Result<Self> {
        use HasWindow::{No, Yes};
        match (reach, on, has_window) {
            (None, None, Yes) => Ok(Self::Inside),
            (Some(ReachArg::Series), None, _) | (None, None, No) => Ok(Self::Everything),
            (Some(ReachArg::One) | None, Some(day), No) => Ok(Self::Date(day)),
            (Some(ReachArg::Onward), Some(day), No) => Ok(Self::From(day)),
            (Some(ReachArg::One | ReachArg::Onward), None, _) => {
                bail!("--reach one and onward need the day: --on 2026-10-05")
            }
            (Some(ReachArg::Series), Some(_), _) => bail!("--reach series takes all dates; --on names one"),
            (_, Some(_), Yes) => {
                bail!("--on is one day, --from and --until are a window; give one of them")
            }
        }
    }
}

impl Command for DropArgs {
    const EXAMPLES: &'static [&'static str] =
        &["emvo drop exports/norrsund/crew.ics --title watch -o without.ics --dry-run"];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        let job = self.job.resolve()?;
        let has_window = if job.window.is_asked_for() { HasWindow::Yes } else { HasWindow::No };
        if job.chosen.takes_files() && self.on.is_none() && has_window == HasWindow::No {
            bail!(
                "this would remove every event: say which, with --title, --uid, --from and --until or the like"
            );
        }
        job.run(Dropping {
            what: What::of(self.reach, self.on, has_window)?,
            near: Vec::new(),
            preview: Preview::default(),
        })
    }
}

pub(crate) struct Dropping {
    what: What,
    /// The dates nearest to the day asked for, where no event has that day.
    near: Vec<Date>,
    /// What it takes something from.
    preview: Preview,
}

impl Edit for Dropping {
    const COMMAND: &'static str = "drop";
    const DOING: &'static str = "choosing";

    fn edit<'t>(&mut self, _: &str, loaded: &mut Loaded<'t>, scope: &Scope<'_>) -> Edited<'t> {
        let calendar = loaded.calendar.name();
        scope.edit(loaded, |series, zones| {
            let before = series.clone();
            let step = match self.what {
                What::Everything => gone(&series),
                What::Date(day) => self.without_date(series, day, zones),
                What::From(day) => match before_day(&series, day, zones) {
                    Ok(Some(left)) => became(&series, vec![left], Cut::EndsBefore(day).to_string()),
                    Ok(None) => gone(&series),
                    Err(why) => Step::Refused(series, why),
                },
                What::Inside => match scope.window() {
                    Some(window) => outside(series, window, zones, scope.ceiling),
                    None => Step::Keep(series),
                },
            };
            if matches!(step, Step::Became(..) | Step::Removed(_)) {
                self.preview.note(&before, &calendar);
            }
            step
        })
    }

    fn has_effect(&self) -> bool {
        self.preview.count() > 0
    }

    fn text(&self, written: &Written, detail: Detail) -> String {
        let words = match self.preview.count() {
            0 => "nothing was removed and nothing written: no event or date is as you say".to_owned(),
            many => format!("removed from {}", counted(many, "event", "events")),
        };
        let mut out = headline(&words, Extent::of(self.preview.count()));
        out.push_str(&self.preview.lines(detail));
        if detail == Detail::All {
            out.push_str(&change_lines(&written.changes, detail, Examples::Several));
        }
        out.push_str(&marked_lines(&self.refused(written)));
        out
    }

    fn details(&self, written: &Written) -> impl Serialize + JsonSchema {
        DropJson { refused: self.refused(written) }
    }

    fn needs_a_look(&self, written: &Written) -> bool {
        !self.has_effect() || !written.refused.is_empty()
    }
}

#[derive(Serialize, JsonSchema)]
struct DropJson {
    refused: Vec<String>,
}

impl Dropping {
    fn without_date<'t>(&mut self, series: Series<'t>, day: Date, zones: &ZoneResolver) -> Step<'t> {
        match without_date(&series, day, zones) {
            WithoutDate::Left(left) => became(&series, vec![*left], Cut::Without(day).to_string()),
            WithoutDate::Nothing => gone(&series),
            WithoutDate::NoSuchDate(near) => {
                self.near.extend(near);
                Step::Keep(series)
            }
        }
    }

    /// What could not be removed; where nothing was, the dates nearest to the day.
    fn refused(&self, written: &Written) -> Vec<String> {
        let mut lines = refused_in_words(&written.refused);
        if let What::Date(day) = self.what
            && !self.has_effect()
            && !self.near.is_empty()
        {
            let mut near = self.near.clone();
            near.sort_unstable();
            near.dedup();
            let split = near.partition_point(|date| *date < day);
            let near = near[split.saturating_sub(2)..(split + 2).min(near.len())].iter();
            let near: Vec<String> = near.map(Date::to_string).collect();
            lines.push(format!("no chosen event has a date on {day}; the nearest are {}", near.join(", ")));
        }
        lines
    }
}

/// A series without its dates in a window.
fn outside<'t>(series: Series<'t>, window: Window, zones: &ZoneResolver, ceiling: Ceiling) -> Step<'t> {
    match by_window(&series, window, zones, ceiling) {
        Ok(parts) if parts.outside.is_empty() => gone(&series),
        Ok(parts) => {
            let after = Cut::WithoutFrom(window.from, window.until).to_string();
            became(&series, parts.outside, after)
        }
        Err(why) => Step::Refused(series, why),
    }
}

fn became<'t>(series: &Series<'t>, left: Vec<Series<'t>>, after: String) -> Step<'t> {
    Step::Became(left, vec![Change::to_series(None, series, series.lead().span(), after)])
}

fn gone<'t>(series: &Series<'t>) -> Step<'t> {
    Step::Removed(vec![Change::to_series(None, series, series.lead().span(), "removed".to_owned())])
}
