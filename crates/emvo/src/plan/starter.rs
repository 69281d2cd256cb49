//! A first plan for the exports in a folder, to be edited.

use std::fmt::Write as _;
use std::path::Path;

use emvo_ical::calendar::Calendar;

use crate::input::{Format, Source};

/// A commented plan that takes every export of a folder into one calendar.
/// `prefix` is how the folder is reached from the plan.
pub(crate) fn starter(sources: &[Source<'_>], prefix: &Path) -> String {
    let mut out = String::from(
        "# A plan for a move. `emvo run PLAN.toml --dry-run` says what it would do,\n\
         # `emvo run PLAN.toml` does it, as often as you like.\n\n[move]\n",
    );
    // Writing into a string cannot fail, here and below.
    let _ = writeln!(out, "name = \"{}\"", quoted(&prefix.file_name().unwrap_or_default().to_string_lossy()));
    let zone = sources.iter().flat_map(Source::calendars).find_map(Calendar::stated_zone);
    match zone {
        Some(zone) => {
            let _ = writeln!(
                out,
                "zone = \"{}\"        # for times without a zone, and for tables",
                quoted(&zone)
            );
        }
        None => out.push_str("# zone = \"Europe/Stockholm\"   # for times without a zone, and for tables\n"),
    }
    out.push_str(
        "# from = 2026-09-01           # events wholly before it stay behind\n# until = 2027-08-31\n",
    );
    for source in sources {
        let _ = writeln!(out, "\n# {}", facts(source));
        let _ = writeln!(out, "[[source]]\npath = \"{}\"", quoted(&source.path));
        out.push_str("# add_category = \"Crew\"\n# busy = \"keep\"              # or \"busy\", \"free\"\n");
        out.push_str("# private = \"include\"         # or \"omit\", \"mask\"\n");
        if source.format == Format::Csv {
            out.push_str("# date_order = \"day\"           # if the dates can be read two ways\n");
        }
        if source.table.flag_only() > 0 {
            let _ = writeln!(
                out,
                "# {} rows only say that they repeat: see emvo convert --repeat-rule",
                source.table.flag_only()
            );
        }
    }
    out.push_str(
        "\n[[destination]]\nname = \"all\"\npath = \"moved.ics\"\n# existing = \"destination-export.ics\"   # what it holds already\n\
         # clash = \"existing\"          # or \"incoming\", \"newest\", \"both\"\n# limits = \"limits.toml\"\n\n\
         [repair]\nconsent = []                 # risky repairs that you agree to, such as [\"Z03\"]; emvo check lists them\n\
         skip = []\n\n[check]\nreconcile = true\nreport = \"moved.html\"\n",
    );
    out
}

fn facts(source: &Source<'_>) -> String {
    let calendars: Vec<String> = source
        .calendars()
        .map(|calendar| {
            let starts = || calendar.events().map(|event| event.start().date());
            let range = match (starts().min(), starts().max()) {
                (Some(first), Some(last)) => format!(", {first} to {last}"),
                _ => String::new(),
            };
            format!("{}: {} events{range}", calendar.name(), calendar.series.len()).replace(['\n', '\r'], " ")
        })
        .collect();
    calendars.join("; ")
}

fn quoted(text: &str) -> String {
    text.replace('\\', "\\\\").replace('"', "\\\"")
}
