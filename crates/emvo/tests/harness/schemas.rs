//! Every answer in JSON that a test asks for is held against `docs/schemas`, and may
//! have no key that they do not know.

use std::collections::BTreeMap;
use std::fs;
use std::path::Path;
use std::sync::{Arc, Mutex, PoisonError};

use jsonschema::Validator;
use serde_json::{Value, json};

use super::Run;

/// Fails if an answer is not as its schema says.
pub(crate) fn ensure_as_promised(arguments: &[&str], run: &Run) {
    for answer in [&run.stdout, &run.stderr].into_iter().filter_map(|text| serde_json::from_str(text).ok()) {
        let faults = faults(name_of(arguments, &answer), &answer);
        assert!(faults.is_empty(), "{arguments:?}:\n{}\n{answer:#}", faults.join("\n"));
    }
}

fn name_of<'a>(arguments: &[&'a str], answer: &Value) -> &'a str {
    match arguments {
        _ if answer.get("error").is_some() => "error",
        ["history", "show", ..] => "history-show",
        ["--no-settings", command, ..] | [command, ..] => command,
        [] => unreachable!("an answer has a command"),
    }
}

/// What is not as a schema says, and keys that it does not know.
pub(crate) fn faults(name: &str, answer: &Value) -> Vec<String> {
    let errors = |schema: &Validator| {
        schema.iter_errors(answer).map(|error| format!("{}: {error}", error.instance_path())).collect()
    };
    errors(&closed(name))
}

/// A schema as it is promised, but closed: scripts may meet new keys, tests may not.
fn closed(name: &str) -> Arc<Validator> {
    static KNOWN: Mutex<BTreeMap<String, Arc<Validator>>> = Mutex::new(BTreeMap::new());
    let mut known = KNOWN.lock().unwrap_or_else(PoisonError::into_inner);
    let schema = known.entry(name.to_owned()).or_insert_with(|| {
        let path =
            Path::new(env!("CARGO_MANIFEST_DIR")).join(format!("../../docs/schemas/{name}.schema.json"));
        let text = fs::read_to_string(&path).unwrap_or_else(|error| panic!("{}: {error}", path.display()));
        let mut schema = serde_json::from_str(&text).unwrap();
        close(&mut schema);
        Arc::new(jsonschema::validator_for(&schema).unwrap())
    });
    Arc::clone(schema)
}

/// Objects take the keys that they list; one that is only a part of another's
/// description is closed with that one.
fn close(schema: &mut Value) {
    let Value::Object(object) = schema else { return };
    let lists_keys = object.contains_key("properties");
    for (key, part) in object.iter_mut() {
        match (key.as_str(), part) {
            ("properties", Value::Object(parts)) => parts.values_mut().for_each(close),
            ("items" | "additionalProperties", part) => close(part),
            ("anyOf" | "oneOf" | "allOf", Value::Array(parts)) if !lists_keys => {
                parts.iter_mut().for_each(close);
            }
            _ => {}
        }
    }
    if lists_keys && !object.contains_key("additionalProperties") {
        object.insert("unevaluatedProperties".to_owned(), json!(false));
    }
}
