//! `retime`: moves events in time, each series as a whole.

use std::collections::BTreeSet;

use anyhow::{Context as _, bail};
use emvo_core::edit::Change;
use emvo_core::retime::{Retime, Retimed, retime};
use emvo_core::rules::{names_in_use, spans, sync_definitions};
use emvo_ical::calendar::Series;
use emvo_ical::recurrence::Window;
use emvo_ical::zone::ZoneResolver;
use serde::Serialize;

use crate::args::{AnswerArgs, InputArgs, OutputArgs, WindowArgs};
use crate::chosen::{Chosen, SelectArgs};
use crate::commands::per_input::{Changed, TableForm, changes_of, write_outputs};
use crate::commands::{convert, written};
use crate::gather::gather;
use crate::json::{self, ChangeJson, WritingJson};
use crate::outcome::Outcome;
use crate::progress;
use crate::settle::{Answer, Reading, zone_named};
use crate::source::{self, Loaded};
use crate::terminal::{WARNING, counted, sanitized, styled};

/// Move events in time, each series as a whole
#[derive(Debug, clap::Args)]
pub(crate) struct RetimeArgs {
    #[command(flatten)]
    input: InputArgs,
    #[command(flatten)]
    output: OutputArgs,
    /// What to write, where the output's extension does not say
    #[arg(long, value_enum, value_name = "FORMAT", help_heading = "Output")]
    to: Option<convert::FormatArg>,
    #[command(flatten)]
    how: HowArgs,
    #[command(flatten)]
    select: SelectArgs,
    #[command(flatten)]
    window: WindowArgs,
    #[command(flatten)]
    answer: AnswerArgs,
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
    fn settle(&self) -> anyhow::Result<Retime> {
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

/// What was done to all inputs.
struct Retiming<'r> {
    how: &'r Retime,
    window: Option<Window>,
    chosen: &'r Chosen,
    reading: &'r Reading,
    refused: Vec<String>,
    untouched: usize,
    moved: usize,
}

pub(crate) fn run(args: RetimeArgs) -> anyhow::Result<Outcome> {
    let answer = args.answer.settle();
    let how = args.how.settle()?;
    let chosen = args.select.settle()?;
    let window = args.window.settle()?;
    let mut reading = args.input.reading.settle()?;
    let plan = args.output.settle()?;
    reading.noting = plan.recording.noting();
    let kind = plan.kind(args.to.map(convert::FormatArg::kind))?;
    let files = gather(&args.input.inputs, plan.path(), reading.secret.as_ref())?;
    plan.ensure_spares(&files)?;
    let texts = source::decode(&files, &reading)?;
    let mut sources = source::read(&texts, &reading)?;
    progress::doing("retiming");
    let chosen = chosen.within(&window, &sources);
    let mut retiming = Retiming {
        how: &how,
        window: chosen.selection.window,
        chosen: &chosen,
        reading: &reading,
        refused: Vec::new(),
        untouched: 0,
        moved: 0,
    };
    let mut changed: Vec<Vec<Changed<'_>>> = Vec::new();
    for source in &mut sources {
        let of_source = source.loaded.iter_mut().map(|loaded| retiming.retime(&source.path, loaded));
        changed.push(of_source.collect());
    }
    let outputs = write_outputs(&sources, &changed, &plan, kind, &TableForm::of(&reading))?;
    let all_changes = changes_of(&changed);
    match answer {
        Answer::Json => {
            let body = RetimeJson {
                writing: WritingJson {
                    balance: outputs.balance.into(),
                    outputs: outputs.paths,
                    changes: all_changes.iter().map(ChangeJson::from).collect(),
                    run: outputs.run,
                },
                refused: retiming.refused.clone(),
            };
            json::print("retime", &body).context("could not print")?;
        }
        Answer::Silent => {}
        Answer::Text(detail) => {
            let mut text = written::summary(outputs.balance, outputs.fragments);
            text.push_str(&retiming.text());
            text.push_str(&written::change_lines(&all_changes, detail, written::Examples::Several));
            text.push_str(&written::output_lines(&outputs.paths, &plan));
            written::print(&text, &plan);
            convert::warn_of_several_calendars(outputs.calendars_in_one_file);
        }
    }
    let is_empty = retiming.moved == 0;
    Ok(Outcome::needs_a_look_if(
        is_empty || !retiming.refused.is_empty() || outputs.balance.set_aside + outputs.fragments > 0,
    ))
}

impl Retiming<'_> {
    fn retime<'t>(&mut self, path: &str, loaded: &mut Loaded<'t>) -> Changed<'t> {
        let with_findings = self.chosen.with_findings(loaded, self.reading);
        let mut calendar = loaded.take();
        let before = names_in_use(&calendar);
        let (mut changes, mut added) = (Vec::new(), 0);
        for (at, one) in std::mem::take(&mut calendar.series).into_iter().enumerate() {
            let is_chosen = with_findings.as_ref().is_none_or(|chosen| chosen.contains(&at))
                && self.chosen.selection.chooses(&one, &loaded.zones);
            if !is_chosen {
                calendar.series.push(one);
                continue;
            }
            match retime(&one, self.how, self.window, &loaded.zones) {
                Retimed::Done(parts) => {
                    self.moved += 1;
                    added += parts.len().saturating_sub(1);
                    changes.push(change(&one, &parts, self.how));
                    calendar.series.extend(parts);
                }
                Retimed::Untouched => {
                    self.untouched += 1;
                    calendar.series.push(one);
                }
                Retimed::Refused(refusal) => {
                    let title = one.lead().title().unwrap_or_default();
                    let line = one.lead().line();
                    self.refused.push(format!("{path}:{line}: `{title}` stays as it is: {refusal}"));
                    calendar.series.push(one);
                }
            }
        }
        sync_definitions(&mut calendar, &loaded.zones, &before, &BTreeSet::new());
        let zones = ZoneResolver::of(&calendar, &self.reading.zones);
        Changed { calendar, zones, changes, added, ..Changed::default() }
    }

    fn text(&self) -> String {
        let mut out = if self.moved == 0 {
            format!("{} no event was moved: nothing chosen has such times\n", styled(WARNING, "!"))
        } else {
            format!("{} moved", counted(self.moved, "event was", "events were"))
                + &if self.untouched > 0 {
                    format!(
                        "; {} had no such times\n",
                        counted(self.untouched, "chosen event", "chosen events")
                    )
                } else {
                    "\n".to_owned()
                }
        };
        for refusal in &self.refused {
            out.push_str(&styled(WARNING, "!"));
            out.push(' ');
            out.push_str(&sanitized(refusal));
            out.push('\n');
        }
        out
    }
}

fn change(before: &Series<'_>, after: &[Series<'_>], how: &Retime) -> Change {
    let is_split_for_zones = after.len() > 1 && matches!(how, Retime::ExpressIn(_));
    Change {
        rule: is_split_for_zones.then_some("Z10"),
        uid: before.uid_text().into_owned(),
        title: before.lead().title().unwrap_or_default().into_owned(),
        before: before.lead().span(),
        after: spans(after),
    }
}

#[derive(Serialize)]
struct RetimeJson {
    #[serde(flatten)]
    writing: WritingJson,
    refused: Vec<String>,
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
