//! `retime`: moves events in time, each series as a whole.

use anyhow::{Context as _, bail};
use emvo_core::edit::{Change, Edited, Step};
use emvo_core::retime::{Retime, Retimed, retime};

use super::{Command, Program};
use crate::answer::Detail;
use crate::answer::written::{Examples, Extent, change_lines, headline, marked_lines, refused_in_words};
use crate::input::Loaded;
use crate::job::resolve::zone_named;
use crate::job::{Edit, EditArgs, Scope};
use crate::outcome::Outcome;
use crate::output::Written;
use crate::terminal::counted;

/// Move events in time, each series as a whole
#[derive(Debug, clap::Args)]
pub(crate) struct RetimeArgs {
    #[command(flatten)]
    job: EditArgs,
    #[command(flatten)]
    how: HowArgs,
}

/// What is done to the times
#[derive(Debug, clap::Args)]
#[group(required = true, multiple = false)]
#[command(next_help_heading = "What is done")]
struct HowArgs {
    /// The clock time was right, the zone was wrong: read it in this one
    #[arg(long, value_name = "ZONE")]
    read_as: Option<String>,
    /// The same instant, written in this zone
    #[arg(long, value_name = "ZONE")]
    express_in: Option<String>,
    /// Later or earlier on the clock, as +1h30m or -15m
    #[arg(long, value_name = "LENGTH", allow_hyphen_values = true)]
    shift: Option<String>,
    /// Give floating times this zone
    #[arg(long, value_name = "ZONE")]
    pin: Option<String>,
    /// From midnight to midnight becomes all-day
    #[arg(long)]
    to_dates: bool,
}

impl HowArgs {
    fn resolve(&self) -> anyhow::Result<Retime> {
        if let Some(zone) = &self.read_as {
            return Ok(Retime::ReadAs(zone_named(zone, "--read-as")?));
        }
        if let Some(zone) = &self.express_in {
            return Ok(Retime::ExpressIn(zone_named(zone, "--express-in")?));
        }
        if let Some(zone) = &self.pin {
            return Ok(Retime::Pin(zone_named(zone, "--pin")?));
        }
        match &self.shift {
            Some(length) => Ok(Retime::Shift(seconds_of(length)?)),
            None => Ok(Retime::ToDates),
        }
    }
}

/// `+1h30m`, `-15m`, `2d`, `1h`.
fn seconds_of(text: &str) -> anyhow::Result<i64> {
    let bad = || format!("--shift `{text}`: write a length such as +1h30m, -15m or +1d");
    let (sign, rest) = match text.trim().as_bytes().first() {
        Some(b'-') => (-1, &text.trim()[1..]),
        Some(b'+') => (1, &text.trim()[1..]),
        _ => (1, text.trim()),
    };
    let (mut seconds, mut number) = (0_i64, String::new());
    for char in rest.chars() {
        if char.is_ascii_digit() {
            number.push(char);
            continue;
        }
        let unit = match char.to_ascii_lowercase() {
            'w' => 7 * 86_400,
            'd' => 86_400,
            'h' => 3600,
            'm' => 60,
            's' => 1,
            _ => bail!(bad()),
        };
        let count: i64 = std::mem::take(&mut number).parse().ok().with_context(bad)?;
        seconds = count.checked_mul(unit).and_then(|part| seconds.checked_add(part)).with_context(bad)?;
    }
    // Farther than this no calendar reaches.
    if !number.is_empty() || seconds == 0 || seconds > 400 * 366 * 86_400 {
        bail!(bad());
    }
    Ok(sign * seconds)
}

impl Command for RetimeArgs {
    const EXAMPLES: &'static [&'static str] = &[
        "emvo retime exports/skarvik/engine-watch.ics --pin Europe/Helsinki -o engine-watch.ics",
        "emvo retime exports/norrsund/crew.ics --shift 1h --title watch -o later.ics --dry-run",
    ];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        let retiming = Retiming { how: self.how.resolve()?, untouched: 0 };
        self.job.resolve()?.run(retiming)
    }
}

pub(crate) struct Retiming {
    how: Retime,
    /// Chosen events without such times.
    untouched: usize,
}

impl Edit for Retiming {
    const COMMAND: &'static str = "retime";
    const DOING: &'static str = "retiming";

    fn edit<'t>(&mut self, _: &str, loaded: &mut Loaded<'t>, scope: &Scope<'_>) -> Edited<'t> {
        scope.edit(loaded, |series, zones| match retime(&series, &self.how, scope.window(), zones) {
            Retimed::Done(parts) => {
                let is_split_for_zones = parts.len() > 1 && matches!(self.how, Retime::ExpressIn(_));
                let change = Change::of_times(is_split_for_zones.then_some("Z10"), &series, &parts);
                Step::Became(parts, vec![change])
            }
            Retimed::Untouched => {
                self.untouched += 1;
                Step::Keep(series)
            }
            Retimed::Refused(why) => Step::Refused(series, why),
        })
    }

    fn text(&self, written: &Written, detail: Detail) -> String {
        let moved = written.changes.len();
        let words = match (moved, self.untouched) {
            (0, _) => "no event was moved: nothing chosen has such times".to_owned(),
            (moved, 0) => format!("{} moved", counted(moved, "event was", "events were")),
            (moved, untouched) => format!(
                "{} moved; {} had no such times",
                counted(moved, "event was", "events were"),
                counted(untouched, "chosen event", "chosen events")
            ),
        };
        let mut out = headline(&words, Extent::of(moved));
        out.push_str(&marked_lines(&refused_in_words(&written.refused)));
        out.push_str(&change_lines(&written.changes, detail, Examples::Several));
        out
    }

    fn needs_a_look(&self, written: &Written) -> bool {
        written.changes.is_empty() || !written.refused.is_empty()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lengths_are_read_with_their_sign() {
        for (text, seconds) in
            [("+1h30m", 5400), ("-15m", -900), ("1d", 86_400), ("-1w", -604_800), ("+90s", 90)]
        {
            assert_eq!(seconds_of(text).ok(), Some(seconds), "{text}");
        }
        for text in ["", "+", "1", "1x", "h", "+1h30", "0m", "99999999999999999999h", "9999999w"] {
            assert!(seconds_of(text).is_err(), "{text}");
        }
    }
}
