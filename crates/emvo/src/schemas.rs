//! The schemas of answers, from the types that the answers are made of: what
//! `docs/schemas` has is what this writes.

#![allow(clippy::disallowed_methods, reason = "a test writes the schemas where they are kept")]

use std::collections::BTreeMap;
use std::path::Path;

use schemars::generate::SchemaSettings;
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde_json::Value;

use crate::answer::Answer;
use crate::answer::backup::{Backup, Restored};
use crate::answer::changes::Compared;
use crate::answer::combined::Combined;
use crate::answer::dates::Dates;
use crate::answer::events::Events;
use crate::answer::findings::Findings;
use crate::answer::history::{OneRun, Runs, VerifiedLedger};
use crate::answer::json::{Document, Failure};
use crate::answer::narrowed::Narrowed;
use crate::answer::probed::{Probed, SentProbe};
use crate::answer::proof::Proof;
use crate::answer::rehearsal::Rehearsal;
use crate::answer::rules::Rules;
use crate::answer::surveyed::Surveyed;
use crate::commands::amend::Amending;
use crate::commands::convert::Converting;
use crate::commands::drop::Dropping;
use crate::commands::pick::Picking;
use crate::commands::repair::Repairing;
use crate::commands::retime::Retiming;
use crate::commands::retract::Retracting;
use crate::job::EditAnswer;
use crate::plan::{ManyRuns, RunAnswer};

type MakeSchema = fn() -> Schema;

/// What each file in `docs/schemas` describes; several where a command has several answers.
const SCHEMAS: &[(&str, &[MakeSchema])] = &[
    ("amend", &[of_answer::<EditAnswer<'static, Amending>>]),
    ("bundle", &[of_answer::<Backup>, of_answer::<Restored>]),
    ("changes", &[of_answer::<Compared<'static, 'static>>]),
    ("check", &[of_answer::<Findings<'static>>]),
    ("convert", &[of_answer::<EditAnswer<'static, Converting>>]),
    ("dates", &[of_answer::<Dates<'static, 'static>>]),
    ("drop", &[of_answer::<EditAnswer<'static, Dropping>>]),
    ("error", &[of_type::<Failure<'static>>]),
    ("events", &[of_answer::<Events<'static, 'static>>]),
    ("history", &[of_answer::<Runs>, of_answer::<VerifiedLedger>]),
    ("history-show", &[of_answer::<OneRun>]),
    ("merge", &[of_answer::<Combined>]),
    ("narrow", &[of_answer::<Narrowed<'static>>]),
    ("pick", &[of_answer::<EditAnswer<'static, Picking>>]),
    ("probe", &[of_answer::<SentProbe>, of_answer::<Probed<'static>>]),
    ("receipt", &[of_type::<emvo_core::receipt::Receipt>]),
    ("reconcile", &[of_answer::<Proof<'static, 'static>>]),
    ("rehearse", &[of_answer::<Rehearsal<'static, 'static>>]),
    ("repair", &[of_answer::<EditAnswer<'static, Repairing>>]),
    ("retime", &[of_answer::<EditAnswer<'static, Retiming>>]),
    ("retract", &[of_answer::<EditAnswer<'static, Retracting<'static, 'static>>>]),
    ("rules", &[of_answer::<Rules>]),
    ("run", &[of_answer::<RunAnswer<'static>>, of_answer::<ManyRuns<'static>>]),
    ("survey", &[of_answer::<Surveyed<'static, 'static>>]),
];

/// As answers are written: what is left out when it is empty is not required.
fn generator() -> SchemaGenerator {
    let settings = SchemaSettings::draft2020_12().for_serialize();
    settings.with(|settings| settings.inline_subschemas = true).into_generator()
}

fn of_type<T: JsonSchema>() -> Schema {
    generator().into_root_schema_for::<T>()
}

fn of_answer<A: Answer + 'static>() -> Schema {
    of_body(A::json)
}

/// The document around what a function would answer; it is not called.
fn of_body<A: 'static, J: JsonSchema + 'static>(_: impl Fn(&'static A) -> J) -> Schema {
    of_type::<Document<'static, J>>()
}

fn written(name: &str, schemas: &[MakeSchema]) -> String {
    let mut schema = match schemas {
        [one] => one(),
        several => {
            let each: Vec<Value> = several.iter().map(|one| without_head(one())).collect();
            json_schema!({ "$schema": "https://json-schema.org/draft/2020-12/schema", "anyOf": each })
        }
    };
    schema.insert("title".to_owned(), format!("What emvo {name} answers with --json").into());
    let mut text = serde_json::to_string_pretty(&schema).expect("a schema is plain JSON");
    text.push('\n');
    text
}

/// A schema as a part of another.
fn without_head(mut schema: Schema) -> Value {
    schema.remove("$schema");
    schema.remove("title");
    schema.to_value()
}

#[test]
fn the_schemas_of_the_guide_are_those_of_the_types() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/schemas");
    let mut stale = Vec::new();
    for (name, schemas) in SCHEMAS {
        let (path, text) = (folder.join(format!("{name}.schema.json")), written(name, schemas));
        if std::env::var_os("EMVO_WRITE_PAGES").is_some() {
            std::fs::write(&path, &text).unwrap();
        } else if std::fs::read_to_string(&path).ok().as_deref() != Some(&text) {
            stale.push(*name);
        }
    }
    assert!(stale.is_empty(), "`cargo pages` writes the schemas anew: {}", stale.join(", "));
}

/// A command that can answer scripts says how.
#[test]
fn every_command_that_answers_in_json_has_a_schema() {
    let described: BTreeMap<_, _> = SCHEMAS.iter().copied().collect();
    let program = crate::help::command();
    let answering = program
        .get_subcommands()
        .filter(|one| one.get_arguments().any(|argument| argument.get_long() == Some("json")));
    let names: Vec<&str> = answering.map(clap::Command::get_name).collect();
    assert!(names.len() > 15, "{names:?}");
    for name in names {
        assert!(described.contains_key(name), "{name}");
    }
}
