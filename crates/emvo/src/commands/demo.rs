//! `demo`: the whole job on made-up exports.

use std::fs;
use std::path::{Path, PathBuf};
use std::process;

use anyhow::{Context, bail};
use include_dir::{Dir, include_dir};

use super::{Command, Program};
use crate::outcome::Outcome;
use crate::terminal::{DIM, STRONG, say, styled};

static EXPORTS: Dir<'_> = include_dir!("$CARGO_MANIFEST_DIR/demo/exports");
static OFFICE: Dir<'_> = include_dir!("$CARGO_MANIFEST_DIR/demo/office");
static LIMITS: Dir<'_> = include_dir!("$CARGO_MANIFEST_DIR/demo/limits");
static AFTER_IMPORT: Dir<'_> = include_dir!("$CARGO_MANIFEST_DIR/demo/after-import");
const PLAN: &str = include_str!("../../demo/plan.toml");

/// Write the demo exports and run the whole job on them
#[derive(Debug, clap::Args)]
pub(crate) struct DemoArgs {
    /// Where to write them
    #[arg(default_value = "emvo-demo", value_name = "FOLDER")]
    folder: PathBuf,
}

/// One step of the walk: what a person would say, what they would type, and
/// how it ends.
struct Step {
    why: &'static str,
    command: &'static str,
    status: i32,
}

const WALK: [Step; 21] = [
    Step {
        why: "Norrsund Line takes over Skarvik Båtar. Eleven exports, from two systems. What is in them?",
        command: "survey exports",
        status: 1,
    },
    Step { why: "What is wrong with them?", command: "check exports", status: 1 },
    Step { why: "What does the last rule say?", command: "rules Z06", status: 0 },
    Step {
        why: "Three inspections only say that they repeat. The technical office says how.",
        command: "convert exports/skarvik/huolto.csv --zone Europe/Helsinki --repeat-rule \"every year until 2031-12-31\" \
                  -o inspections.ics --overwrite",
        status: 1,
    },
    Step {
        why: "Repair what is safe, and the two kinds of zone definitions that we agree to. \
              The meeting in UTC is for the safety office to decide.",
        command: "repair exports --zone Europe/Helsinki --consent Z03,Z04 -o repaired/ --overwrite",
        status: 1,
    },
    Step {
        why: "The safety office has decided: the meeting goes by the clock on the wall, the four briefings \
              are one series, and the watch that is called off is no date at all.",
        command: "repair exports/norrsund/crew.ics --consent Z06,R13,R17 -o safety-office.ics --overwrite",
        status: 0,
    },
    Step {
        why: "One calendar of them all. What stands there twice is folded.",
        command: "merge repaired --name \"Norrsund Line\" -o norrsund-line.ics --overwrite",
        status: 0,
    },
    Step {
        why: "The harbour office wants a spreadsheet. It cannot hold all that events say, and Emvo names what it leaves out.",
        command: "convert norrsund-line.ics -o norrsund-line.csv --overwrite",
        status: 1,
    },
    Step {
        why: "The crews want their drills on a list.",
        command: "dates norrsund-line.ics --category drill --until 2026-12-31 --express-in Europe/Helsinki",
        status: 0,
    },
    Step {
        why: "The harbour office may see when the quay is busy, and nothing else.",
        command: "pick norrsund-line.ics --show when -o harbour-office.ics --overwrite",
        status: 0,
    },
    Step {
        why: "Car decks have new names.",
        command: "amend norrsund-line.ics --category drill --replace \"description:Car deck=Deck 3\" -o drills-renamed.ics \
                  --overwrite",
        status: 0,
    },
    Step {
        why: "The shore office's system keeps everything in Swedish time, wants an end to every series \
              and takes 200 events a file.",
        command: "merge norrsund-line.ics --limits limits/shore-office.toml --horizon 2027-12-31 -o shore-office.ics --overwrite",
        status: 0,
    },
    Step {
        why: "Somebody imports the quay list into the crew's calendar by mistake...",
        command: "merge exports/skarvik/laituri.csv --into exports/norrsund/crew.ics -o crew-spoiled.ics --overwrite",
        status: 1,
    },
    Step {
        why: "What has that import changed?",
        command: "changes exports/norrsund/crew.ics crew-spoiled.ics",
        status: 1,
    },
    Step {
        why: "... and takes it out again.",
        command: "retract exports/skarvik/laituri.csv --out-of crew-spoiled.ics --before exports/norrsund/crew.ics \
                  -o crew-again.ics --overwrite",
        status: 0,
    },
    Step {
        why: "Is every date of the eleven exports in the one calendar, at its time?",
        command: "reconcile exports --zone Europe/Helsinki --result norrsund-line.ics",
        status: 1,
    },
    Step {
        why: "What would the old terminal on the quay make of it?",
        command: "rehearse norrsund-line.ics --limits limits/quay-terminal.toml",
        status: 1,
    },
    Step {
        why: "It is imported, and the new system exports what it has now. Is it all there? \
              The page proof.html says it as well.",
        command: "reconcile norrsund-line.ics --result after-import/norrsund-line.ics --report proof.html --overwrite",
        status: 1,
    },
    Step {
        why: "A backup of what there was, before anything is switched off. What cannot be read is kept as it came.",
        command: "bundle exports --zone Europe/Helsinki -o backup.zip --overwrite",
        status: 1,
    },
    Step { why: "What was done when?", command: "history", status: 0 },
    Step {
        why: "All of it in one go, from a plan that can be run again and again.",
        command: "run plan.toml --force",
        status: 1,
    },
];

impl Command for DemoArgs {
    const EXAMPLES: &'static [&'static str] = &["emvo demo"];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        // The walk has a copy of its own: whoever goes through the guide afterwards finds
        // the exports and nothing that the walk has made of them.
        let walked = self.folder.join("walk");
        write_all(&self.folder)?;
        write_all(&walked)?;
        let (folder, walked_shown) =
            (styled(STRONG, self.folder.display()), styled(STRONG, walked.display()));
        say(&format!("The demo exports are in {folder}; what follows is done in {walked_shown}\n\n"));
        for step in &WALK {
            walk(step, &walked)?;
        }
        say(&format!(
            "All of it is in {walked_shown}. Try it yourself in {folder}: docs/first-move.md goes through it.\n"
        ));
        Ok(Outcome::Clean)
    }
}

/// The exports, and what goes with them.
fn write_all(folder: &Path) -> anyhow::Result<()> {
    write_exports(&EXPORTS, &folder.join("exports"))?;
    write_exports(&OFFICE, &folder.join("office"))?;
    write_exports(&LIMITS, &folder.join("limits"))?;
    write_exports(&AFTER_IMPORT, &folder.join("after-import"))?;
    write_file(&folder.join("plan.toml"), PLAN.as_bytes())
}

fn write_exports(from: &Dir<'_>, into: &Path) -> anyhow::Result<()> {
    fs::create_dir_all(into).with_context(|| format!("could not make the folder `{}`", into.display()))?;
    for file in from.files() {
        write_file(&into.join(file.path().file_name().unwrap_or_default()), file.contents())?;
    }
    for folder in from.dirs() {
        write_exports(folder, &into.join(folder.path().file_name().unwrap_or_default()))?;
    }
    Ok(())
}

/// Writes a file of the demo; what is there and says something else is a person's.
#[allow(clippy::disallowed_methods, reason = "nothing but the demo's own files is replaced")]
fn write_file(path: &Path, contents: &[u8]) -> anyhow::Result<()> {
    if fs::read(path).is_ok_and(|bytes| bytes != contents) {
        bail!("`{}` exists and is not the demo's; name another folder", path.display());
    }
    fs::write(path, contents).with_context(|| format!("could not write `{}`", path.display()))
}

/// Runs one command as a person would, in the demo's folder.
fn walk(step: &Step, folder: &Path) -> anyhow::Result<()> {
    let (why, command) = (format!("# {}", step.why), format!("$ emvo {}", step.command));
    say(&format!("{}\n{}\n\n", styled(DIM, why), styled(STRONG, command)));
    let program = std::env::current_exe().context("could not find the program itself")?;
    let status = process::Command::new(program)
        .args(words(step.command))
        .current_dir(folder)
        .env("EMVO_LEDGER", "ledger.sqlite")
        // The walk is one long answer.
        .env("PAGER", "")
        .status()
        .with_context(|| format!("could not run `emvo {}`", step.command))?;
    if status.code() != Some(step.status) {
        bail!("`emvo {}` ended with {status}, not with {} as it should", step.command, step.status);
    }
    say("\n");
    Ok(())
}

/// The words of a command, as a shell splits them at blanks outside quotes.
fn words(command: &str) -> Vec<String> {
    command
        .split('"')
        .enumerate()
        .flat_map(|(at, part)| {
            if at % 2 == 1 {
                vec![part.to_owned()]
            } else {
                part.split_whitespace().map(str::to_owned).collect()
            }
        })
        .collect()
}
