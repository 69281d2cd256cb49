//! A first plan for the exports in a folder, to be edited.

use std::fmt::Write as _;
use std::path::Path;

use emvo_core::fit::Limits;
use emvo_ical::calendar::Calendar;

use crate::input::{Format, Source, TakenNames};
use crate::output::free_name;
use crate::terminal::{counted, grouped};

/// What is known before a first plan is written.
pub(crate) struct StarterTerms<'s> {
    /// The folder of the exports.
    pub(crate) folder: &'s Path,
    /// The house zone, if a person says so.
    pub(crate) zone: Option<&'s str>,
    /// What the destination accepts, with the path of that file as the plan reaches it.
    pub(crate) limits: Option<(&'s str, &'s Limits)>,
    /// The rules whose risky repairs may be made.
    pub(crate) consent: &'s [String],
}

/// A commented plan that takes every export of a folder: into one calendar, or, where it is known
/// what the destination accepts, into one for each name that the calendars have.
pub(crate) fn starter(sources: &[Source<'_>], terms: &StarterTerms<'_>) -> String {
    let mut out = head(sources, terms);
    let destinations = Proposed::of(sources, terms);
    for source in sources {
        source_lines(source, &destinations, &mut out);
    }
    for one in &destinations {
        one.lines(terms, &mut out);
    }
    let consent: Vec<String> = terms.consent.iter().map(|rule| format!("\"{}\"", quoted(rule))).collect();
    let consent = format!("consent = [{}]", consent.join(", "));
    // Writing into a string cannot fail, here and below.
    let _ = write!(
        out,
        "\n[repair]\n{consent:<28} # risky repairs that you agree to, such as [\"Z03\"]; emvo check lists them\n\
         skip = []\n\n# [backup]\n# path = \"before.zip\"          # the exports as they came\n\n\
         [check]\nreconcile = true\nreport = \"moved.html\"\n"
    );
    out
}

fn head(sources: &[Source<'_>], terms: &StarterTerms<'_>) -> String {
    let mut out = String::from(
        "# A plan for a move. `emvo run PLAN.toml --dry-run` says what it would do,\n\
         # `emvo run PLAN.toml` does it, as often as you like.\n\n[move]\n",
    );
    let name = terms.folder.file_name().unwrap_or_default().to_string_lossy();
    let _ = writeln!(out, "name = \"{}\"", quoted(&name));
    let stated = || sources.iter().flat_map(Source::calendars).find_map(Calendar::stated_zone);
    match terms.zone.map(str::to_owned).or_else(stated) {
        Some(zone) => {
            let zone = quoted(&zone);
            let _ = writeln!(out, "zone = \"{zone}\"        # for times without a zone, and for tables");
        }
        None => out.push_str("# zone = \"Europe/Stockholm\"   # for times without a zone, and for tables\n"),
    }
    out.push_str(
        "# from = 2026-09-01           # events wholly before it stay behind\n# until = 2027-08-31\n",
    );
    out
}

/// A source, or one for each of its calendars where they go to different destinations.
fn source_lines(source: &Source<'_>, destinations: &[Proposed], out: &mut String) {
    let of = |calendar: &Calendar<'_>| destinations.iter().find(|one| one.takes(&calendar.name()));
    let mut parts: Vec<(Option<&Proposed>, Vec<String>)> = Vec::new();
    for calendar in source.calendars() {
        let into = of(calendar);
        let is_same = |(known, _): &&mut (Option<&Proposed>, _)| {
            known.map(|one| &one.name) == into.map(|one| &one.name)
        };
        match parts.iter_mut().find(is_same) {
            Some((_, names)) => names.push(calendar.name()),
            None => parts.push((into, vec![calendar.name()])),
        }
    }
    if parts.is_empty() {
        parts.push((destinations.first(), Vec::new()));
    }
    let is_apart = parts.len() > 1;
    for (into, calendars) in parts {
        let _ = writeln!(out, "\n# {}", facts(source, &calendars));
        let _ = writeln!(out, "[[source]]\npath = \"{}\"", quoted(&source.path));
        if is_apart {
            let names: Vec<String> = calendars.iter().map(|name| format!("\"{}\"", quoted(name))).collect();
            let _ = writeln!(out, "calendars = [{}]", names.join(", "));
        }
        if let Some(into) = into.filter(|_| destinations.len() > 1) {
            let _ = writeln!(out, "into = \"{}\"", quoted(&into.name));
        }
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
}

/// A destination that a first plan proposes.
struct Proposed {
    name: String,
    /// The file's name without its end.
    stem: String,
    /// Whether it takes all calendars, or those of its name.
    takes: Takes,
    events: usize,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Takes {
    All,
    OfItsName,
}

impl Proposed {
    fn of(sources: &[Source<'_>], terms: &StarterTerms<'_>) -> Vec<Self> {
        let mut all: Vec<Self> = Vec::new();
        if terms.limits.is_some() {
            let mut taken = TakenNames::default();
            for calendar in sources.iter().flat_map(Source::calendars) {
                let (name, events) = (calendar.name(), calendar.series.len());
                if let Some(one) = all.iter_mut().find(|one| one.takes(&name)) {
                    one.events += events;
                    continue;
                }
                let stem = format!("moved/{}", free_name(&name, &mut taken));
                all.push(Self { name, stem, takes: Takes::OfItsName, events });
            }
        }
        if all.is_empty() {
            let events = sources.iter().flat_map(Source::calendars).map(|one| one.series.len()).sum();
            all.push(Self { name: "all".to_owned(), stem: "moved".to_owned(), takes: Takes::All, events });
        }
        all
    }

    fn takes(&self, calendar: &str) -> bool {
        match self.takes {
            Takes::All => true,
            Takes::OfItsName => self.name.trim().to_lowercase() == calendar.trim().to_lowercase(),
        }
    }

    fn lines(&self, terms: &StarterTerms<'_>, out: &mut String) {
        let is_table = terms.limits.is_some_and(|(_, limits)| limits.columns.is_some());
        let path = format!("{}.{}", self.stem, if is_table { "csv" } else { "ics" });
        let _ = writeln!(
            out,
            "\n[[destination]]\nname = \"{}\"\npath = \"{}\"",
            quoted(&self.name),
            quoted(&path)
        );
        if self.takes == Takes::OfItsName {
            let _ = writeln!(out, "calendar_name = \"{}\"", quoted(&self.name));
        }
        out.push_str("# existing = \"destination-export.ics\"   # what it holds already\n");
        match terms.limits {
            Some((path, limits)) => {
                let _ = writeln!(out, "limits = \"{}\"", quoted(path));
                out.extend(self.hints(limits).iter().map(|hint| format!("# {hint}\n")));
            }
            None => out.push_str(
                "# clash = \"existing\"          # or \"incoming\", \"newest\", \"both\"\n# limits = \"limits.toml\"\n",
            ),
        }
    }

    /// What the limits mean for this destination, besides what is done about them anyway.
    fn hints(&self, limits: &Limits) -> Vec<String> {
        let mut hints = Vec::new();
        if let Some(most) = limits.events_per_file.filter(|most| self.events > *most && *most > 0) {
            let events = counted(self.events, "event", "events");
            let files = grouped(self.events.div_ceil(most));
            hints.push(format!("{events}: at least {files} files of at most {}", grouped(most)));
        }
        if limits.transitions.doubles() {
            hints.push("What is imported again stands there twice. From the second time on:".to_owned());
            hints.push("existing = its own export, only_new = true, by_hand = \"by-hand.csv\"".to_owned());
        }
        hints
    }
}

fn facts(source: &Source<'_>, names: &[String]) -> String {
    let calendars: Vec<String> = source
        .calendars()
        .filter(|calendar| names.contains(&calendar.name()))
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

/// A text between the quotes of TOML.
fn quoted(text: &str) -> String {
    let mut out = String::new();
    for letter in text.chars() {
        match letter {
            '\\' | '"' => out.extend(['\\', letter]),
            control if control.is_control() => {
                let _ = write!(out, "\\u{:04X}", u32::from(control));
            }
            letter => out.push(letter),
        }
    }
    out
}
