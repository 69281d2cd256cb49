//! Advice of the core in the words of this program: which command or option does
//! what the core can only name.

use emvo_core::advice::{Advice, Advised, FitTo, Known, RepairFirst, Share};
use emvo_core::edit::Refusal;
use emvo_core::fit::NotFitted;
use emvo_core::merge::MergeWarning;
use emvo_core::rules::Finding;
use emvo_core::table::TableError;

use crate::output::{Fitting, LeftUnfit};

/// A message with what would help behind it.
fn in_words(message: &str, advice: Option<&Advice>) -> String {
    match advice {
        None => message.to_owned(),
        Some(advice) => format!("{message}{}{}", mark_before(advice), to_do(advice)),
    }
}

/// A message of the core, whole.
pub(crate) fn advised_in_words(advised: &Advised) -> String {
    in_words(&advised.message, advised.advice.as_ref())
}

/// A finding whose message says what would help, in this program's words.
pub(crate) fn told(mut finding: Finding) -> Finding {
    finding.message = in_words(&finding.message, finding.advice.as_ref());
    finding
}

/// Why a series stays as it is, and what would help.
pub(crate) fn refusal_in_words(refusal: &Refusal) -> String {
    in_words(&refusal.to_string(), refusal.advice().as_ref())
}

/// That a result which holds what the destination holds already would double it there; `way_out`
/// is what is said to write the rest alone.
pub(crate) fn doubling_in_words(fitting: Option<&Fitting>, way_out: &str) -> Option<String> {
    fitting.filter(|fitting| fitting.limits.transitions.doubles()).map(|_| {
        format!(
            "the destination keeps what is imported again beside what it has, as its limits say: what it holds \
             already would stand there twice; {way_out} writes the rest alone"
        )
    })
}

/// What does not fit a destination, why, and what would help.
pub(crate) fn unfit_in_words(LeftUnfit { title, why }: &LeftUnfit) -> String {
    let (NotFitted::Zone(refusal) | NotFitted::Series(refusal)) = why else {
        return format!("`{title}`: {why}; --length 30min gives it one");
    };
    format!("`{title}`: {}", in_words(&why.to_string(), refusal.advice().as_ref()))
}

/// What a merge could not settle, and what would help.
pub(crate) fn warning_in_words(warning: &MergeWarning) -> String {
    in_words(&warning.to_string(), warning.advice().as_ref())
}

/// Why a table cannot be read, and what would help.
pub(crate) fn table_error_in_words(error: &TableError) -> String {
    in_words(&error.to_string(), error.advice().as_ref())
}

/// An error with all that led to it, and what would help.
pub(crate) fn chain_in_words(error: &anyhow::Error) -> String {
    error.chain().map(error_in_words).collect::<Vec<_>>().join(": ")
}

fn error_in_words(error: &(dyn std::error::Error + 'static)) -> String {
    let advice = match error.downcast_ref::<TableError>() {
        Some(error) => error.advice(),
        None => error.downcast_ref::<Refusal>().and_then(Refusal::advice),
    };
    in_words(&error.to_string(), advice.as_ref())
}

/// What stands between a message and the advice behind it.
fn mark_before(advice: &Advice) -> &'static str {
    match advice {
        Advice::SayHouseZone { candidate: Some(_) }
        | Advice::SayHorizon
        | Advice::SplitRangesFirst
        | Advice::PinFirst { .. }
        | Advice::ChooseColumn { .. } => ": ",
        Advice::SayCharset | Advice::SayHowRowsRepeat => ". ",
        _ => "; ",
    }
}

/// What to do, as one would type it.
pub(crate) fn to_do(advice: &Advice) -> String {
    match advice {
        Advice::MapZone { name, known } => {
            let what = match known {
                Known::Nothing => "says what it means",
                Known::Candidates => "says which",
            };
            format!("--zone-map \"{name}=Area/City\" {what}")
        }
        Advice::SayHouseZone { candidate: Some(zone) } => format!("--zone {zone}"),
        Advice::SayHouseZone { candidate: None } => "--zone says which is meant".to_owned(),
        Advice::SayDateOrder => "--date-order day or --date-order month says which".to_owned(),
        Advice::SayHowRowsRepeat => {
            "`every year` in the cell, or emvo convert --repeat-rule \"every year\", says it".to_owned()
        }
        Advice::SayCharset => "--input-encoding says it if it is another".to_owned(),
        Advice::SayHorizon => "--horizon DATE says how far to write it out".to_owned(),
        Advice::BoundByWindow => "--until bounds it".to_owned(),
        Advice::RaiseCeiling => "--ceiling raises that".to_owned(),
        Advice::SplitRangesFirst => "`emvo repair --consent R08` makes two series of it first".to_owned(),
        Advice::PinFirst { zone } => format!("give them their zone first (`emvo retime --pin {zone}`)"),
        Advice::NameStartColumn => "`--column start=\"Header\"` names one".to_owned(),
        Advice::NameColumn { field, header } => format!("--column {field}=\"{header}\" says so"),
        Advice::SayLengthUnit => "--length-unit hours, minutes or days says it".to_owned(),
        Advice::SayYear => {
            "--year 2026 (or another one) says which; so does a line above the table with the year in it"
                .to_owned()
        }
        Advice::SayClockDot => "--clock-dot minutes (9.3 is 9:30) or tenths (9:18) says which".to_owned(),
        Advice::NameOrCarry { field, header } => format!(
            "--column {field}=\"{header}\" if it is that, --column carried=\"{header}\" if it is no time of the event"
        ),
        Advice::ChooseColumn { field, header, number } => {
            format!(
                "say which with --column {field}=\"{header}\", or --column {field}=#{number} by its number"
            )
        }
        other => before_import(other),
    }
}

/// What to do before another import.
fn before_import(advice: &Advice) -> String {
    match advice {
        Advice::ImportSingles { path } => {
            let path = path.as_deref().unwrap_or("SOURCE");
            format!(
                "give the destination single events: emvo convert {path} --unroll -o single.ics, and import that instead"
            )
        }
        Advice::RepairFirst { path, what } => repair_first(path, *what),
        Advice::Fit { path, to } => fit(path, *to),
        Advice::Shorten { field } => format!(
            "shorten them before the import: emvo amend SOURCE --replace \"{field}:long=short\" -o short.ics"
        ),
        Advice::ImportAsUtf8 { path } => format!(
            "import it as UTF-8; a table is marked as such: emvo convert {path} --encoding utf-8-bom -o utf-8.csv, and import that instead"
        ),
        Advice::RetractAndImportOnce { path } => format!(
            "take it out of the result and import it once: emvo retract {path} --out-of RESULT -o clean.ics"
        ),
        Advice::FoldCopies => "make one of the copies, and import that in place of what is there: \
                               emvo merge RESULT -o clean.ics"
            .to_owned(),
        Advice::PinBeforeImport { path, zone } => {
            format!(
                "say which zone is meant: emvo retime {path} --pin {zone} -o pinned.ics, and import that instead"
            )
        }
        Advice::ExportWhole { path } => {
            format!("export the whole range of dates, or import {path} without a limit of dates")
        }
        Advice::ExpressIn { path, zone: None } => {
            format!(
                "give the destination UTC: emvo retime {path} --express-in UTC -o in-utc.ics, and import that"
            )
        }
        Advice::ExpressIn { path, zone: Some(zone) } => {
            format!("emvo retime {path} --express-in {zone} -o fitted.ics, and import that instead")
        }
        Advice::ShiftBefore { path, minutes, share } => {
            let some = match share {
                Share::All => "",
                Share::Some => " (with --title and the like for what moved alone)",
            };
            format!(
                "shift it the other way{some}: emvo retime {path} --shift {minutes:+}m -o shifted.ics, and import that instead"
            )
        }
        Advice::ImportAgain { path } => format!("import {path} again"),
        Advice::ByHand(words) => (*words).to_owned(),
        // These stand in `to_do`; a new kind of advice stands in neither, and is
        // noticed by the compiler.
        Advice::MapZone { .. }
        | Advice::SayHouseZone { .. }
        | Advice::SayDateOrder
        | Advice::SayCharset
        | Advice::SayHowRowsRepeat
        | Advice::SayHorizon
        | Advice::BoundByWindow
        | Advice::RaiseCeiling
        | Advice::SplitRangesFirst
        | Advice::PinFirst { .. }
        | Advice::NameStartColumn
        | Advice::NameColumn { .. }
        | Advice::NameOrCarry { .. }
        | Advice::SayLengthUnit
        | Advice::SayClockDot
        | Advice::SayYear
        | Advice::ChooseColumn { .. } => to_do(advice),
    }
}

/// What to do for a destination of some limits.
fn fit(path: &str, to: FitTo) -> String {
    let (limit, more) = match to {
        FitTo::PlainSeries => ("series = \"plain\"".to_owned(), ""),
        FitTo::InclusiveEnds => ("all_day_end = \"inclusive\"".to_owned(), ""),
        FitTo::Descriptions(length) => (
            format!("description_characters = {length}"),
            "; the whole texts are set aside, and emvo reconcile --explained-by fitted.json counts them as cut as asked",
        ),
    };
    format!(
        "`{limit}` in a limits file: emvo merge {path} --limits LIMITS -o fitted.ics --receipt fitted.json, \
         and import that instead{more}"
    )
}

fn repair_first(path: &str, what: RepairFirst) -> String {
    match what {
        RepairFirst::EndsOfRules => {
            format!(
                "let the rules end where all systems agree (R01, R18): emvo repair {path} --consent R01,R18 -o repaired/, and import that instead"
            )
        }
        RepairFirst::MissingEnds => {
            format!(
                "state the ends: emvo repair {path} --consent D05 --length 1h -o repaired/, and import that, and compare with that"
            )
        }
        RepairFirst::MixedZones => {
            format!(
                "write both in one zone: emvo repair {path} --consent Z09 -o repaired/, and import that instead"
            )
        }
    }
}

/// One of each kind of advice, for tests.
#[cfg(test)]
pub(crate) fn one_of_each() -> Vec<Advice> {
    let path = || "exports/crew.ics".to_owned();
    let zone = || "Europe/Helsinki".to_owned();
    let what = [RepairFirst::EndsOfRules, RepairFirst::MissingEnds, RepairFirst::MixedZones];
    let mut all = vec![
        Advice::MapZone { name: "Ship time".to_owned(), known: Known::Nothing },
        Advice::MapZone { name: "Ship time".to_owned(), known: Known::Candidates },
        Advice::SayHouseZone { candidate: None },
        Advice::SayHouseZone { candidate: Some(zone()) },
        Advice::SayDateOrder,
        Advice::SayCharset,
        Advice::SayHowRowsRepeat,
        Advice::SayHorizon,
        Advice::BoundByWindow,
        Advice::RaiseCeiling,
        Advice::SplitRangesFirst,
        Advice::PinFirst { zone: zone() },
        Advice::NameStartColumn,
        Advice::ChooseColumn { field: "location", header: "Where".to_owned(), number: 4 },
        Advice::ImportSingles { path: None },
        Advice::FoldCopies,
        Advice::PinBeforeImport { path: path(), zone: zone() },
        Advice::ImportSingles { path: Some(path()) },
        Advice::Fit { path: path(), to: FitTo::PlainSeries },
        Advice::Fit { path: path(), to: FitTo::InclusiveEnds },
        Advice::Fit { path: path(), to: FitTo::Descriptions(400) },
        Advice::Shorten { field: "title" },
        Advice::ImportAsUtf8 { path: path() },
        Advice::RetractAndImportOnce { path: path() },
        Advice::ExportWhole { path: path() },
        Advice::ExpressIn { path: path(), zone: None },
        Advice::ExpressIn { path: path(), zone: Some(zone()) },
        Advice::ShiftBefore { path: path(), minutes: -60, share: Share::All },
        Advice::ShiftBefore { path: path(), minutes: -60, share: Share::Some },
        Advice::ImportAgain { path: path() },
        Advice::ByHand("see what the destination says about it"),
    ];
    all.extend(what.map(|what| Advice::RepairFirst { path: path(), what }));
    all
}
