//! `rehearse`: an import into a destination that is only described.

use std::collections::BTreeSet;
use std::path::PathBuf;

use anyhow::{Context, bail};
use emvo_core::fit::{Presses, rehearse};
use emvo_core::reconcile::{Explanations, Side, Verdict, reconcile};
use emvo_core::edit::sync_definitions;
use emvo_core::survey::default_window;
use emvo_ical::calendar::write;
use emvo_ical::zone::ZoneResolver;

use crate::args::{AnswerArgs, InputArgs, WindowArgs};
use crate::commands::fitting::limits_file;
use crate::commands::reconcile::{Proof, print_json, sides, text};
use crate::gather::gather;
use crate::outcome::Outcome;
use crate::output::{Existing, write_file};
use crate::progress;
use crate::settle::Answer;
use crate::source::{self, Source};
use crate::terminal::{STRONG, WARNING, counted, sanitized, styled};

/// Play an import into a destination that a limits file describes, and see what would be lost
#[derive(Debug, clap::Args)]
pub(crate) struct RehearseArgs {
    #[command(flatten)]
    input: InputArgs,
    /// The limits file: what the destination accepts, and how it behaves
    #[arg(long, value_name = "FILE", help_heading = "Destination")]
    limits: PathBuf,
    /// Press the import button twice
    #[arg(long, help_heading = "Destination")]
    twice: bool,
    /// Keep what the destination would hold
    #[arg(long, short, value_name = "PATH.ics", help_heading = "Output")]
    output: Option<PathBuf>,
    /// Replace an existing file
    #[arg(long, help_heading = "Output")]
    overwrite: bool,
    #[command(flatten)]
    window: WindowArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

pub(crate) fn run(args: RehearseArgs) -> anyhow::Result<Outcome> {
    let answer = args.answer.settle();
    let limits = limits_file(&args.limits)?;
    let mut reading = args.input.reading.settle()?;
    let choice = args.window.settle()?;
    let existing = if args.overwrite { Existing::Replace } else { Existing::Refuse };
    if let Some(path) = args.output.as_ref().filter(|path| existing == Existing::Refuse && path.exists()) {
        bail!("`{}` exists already; --overwrite replaces it", path.display());
    }
    if let (None, emvo_core::fit::Zones::One(zone)) = (&reading.zones.house, &limits.zones) {
        // Times without a zone are the destination's own there.
        reading.zones.house = Some(zone.clone());
    }
    let files = gather(&args.input.inputs, args.output.as_deref(), reading.secret.as_ref())?;
    let texts = source::decode(&files, &reading)?;
    let sources = source::read(&texts, &reading)?;
    let inputs: Vec<_> = sources
        .iter()
        .flat_map(|source| &source.loaded)
        .map(|loaded| (&loaded.calendar, &loaded.zones))
        .collect();
    let Some(window) = default_window(sources.iter().flat_map(Source::calendars)) else {
        bail!("the inputs hold no event that can be read, so there is nothing to rehearse");
    };
    let presses = if args.twice { Presses::Twice } else { Presses::Once };
    progress::doing("rehearsing the import");
    let held = rehearse(&inputs, &limits, window.until, presses);
    let mut calendar = held.calendar;
    sync_definitions(&mut calendar, &inputs_zones(&inputs), &BTreeSet::new(), &BTreeSet::new());
    let zones = ZoneResolver::of(&calendar, &reading.zones);
    if let Some(path) = &args.output {
        let mut bytes = Vec::new();
        write(&calendar, &mut bytes);
        write_file(path, &bytes, existing)?;
    }
    let source_sides = sides(&sources);
    let result = [Side { calendar: &calendar, zones: &zones, path: "the destination" }];
    let compared = choice.over(&sources);
    progress::doing("comparing date by date");
    let Some(found) = reconcile(&source_sides, &result, compared, choice.ceiling, &Explanations::default())
    else {
        bail!("the inputs hold no event that can be read, so there is nothing to rehearse");
    };
    let proof = Proof { found: &found, sources: &sources, results: &[], receipts: 0 };
    match answer {
        Answer::Json => print_json("rehearse", &proof).context("could not print")?,
        Answer::Silent => {}
        Answer::Text(detail) => {
            let how = if args.twice { "imported twice" } else { "imported" };
            let headline = format!("If this were {how} into the destination of {}:", args.limits.display());
            say_line!("{}", styled(STRONG, sanitized(&headline)));
            say!("{}", text(&proof, detail));
            if held.refused > 0 {
                let refused = counted(held.refused, "event would be refused", "events would be refused");
                say_line!("{} {refused}", styled(WARNING, "!"));
            }
            if let Some(path) = &args.output {
                say_line!("wrote {}", sanitized(&path.display().to_string()));
            }
        }
    }
    Ok(Outcome::needs_a_look_if(found.verdict == Verdict::Incomplete))
}

/// The zones of all inputs, to define those that the destination holds.
fn inputs_zones(inputs: &[(&emvo_ical::calendar::Calendar<'_>, &ZoneResolver)]) -> ZoneResolver {
    inputs.first().map(|(_, zones)| (*zones).clone()).unwrap_or_default()
}
