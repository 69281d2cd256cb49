//! Answers in JSON are as `docs/schemas` says, key by key.

#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files fails")]

use std::fs;
use std::path::Path;

use crate::harness::Case;
use crate::harness::schemas::faults;
use serde_json::{Value, json};

#[test]
fn answers_are_as_their_schemas_say() {
    let case = Case::with_demo_exports();
    for (name, bytes) in [
        ("limits/quay.toml", &include_bytes!("../demo/limits/quay-terminal.toml")[..]),
        ("there.ics", include_bytes!("../demo/after-import/norrsund-line.ics")),
        ("plan.toml", include_bytes!("../demo/plan.toml")),
        ("limits/quay-terminal.toml", include_bytes!("../demo/limits/quay-terminal.toml")),
        ("limits/shore-office.toml", include_bytes!("../demo/limits/shore-office.toml")),
        ("after-import/norrsund-line.ics", include_bytes!("../demo/after-import/norrsund-line.ics")),
    ] {
        case.put(name, bytes);
    }
    case.ends(
        1,
        &["merge", "exports/norrsund", "-o", "one.ics", "--ledger", "l.sqlite", "--receipt", "r.json"],
    );
    let rows: [(&str, &str); 34] = [
        ("survey", "survey exports/skarvik"),
        ("survey", "survey one.ics"),
        ("check", "check exports/skarvik"),
        ("check", "check there.ics --limits limits/quay.toml"),
        ("rules", "rules Z01"),
        ("repair", "repair exports/skarvik --zone Europe/Helsinki -o out/ --dry-run"),
        ("repair", "repair one.ics -o two.ics --no-ledger"),
        ("retime", "retime exports/norrsund/crew.ics --shift 1h -o s.ics --no-ledger"),
        ("amend", "amend exports/norrsund/crew.ics --add-category X -o x.ics --no-ledger"),
        ("convert", "convert exports/norrsund/crew.ics -o c.csv --no-ledger"),
        ("convert", "convert one.ics --limits limits/quay.toml -o c.ics --no-ledger"),
        (
            "merge",
            "merge one.ics there.ics -o m.ics --no-ledger --clash newest --into exports/norrsund/crew.ics",
        ),
        ("merge", "merge exports/skarvik --zone Europe/Helsinki -o k.ics --no-ledger"),
        ("pick", "pick one.ics --series -o p.ics --no-ledger"),
        ("drop", "drop one.ics --series --reach one --on 2026-10-05 -o d.ics --no-ledger"),
        ("reconcile", "reconcile exports/norrsund --result there.ics"),
        ("reconcile", "reconcile one.ics --result one.ics"),
        ("probe", "probe -o probe.ics"),
        ("probe", "probe --returned probe.ics -o there.toml"),
        ("narrow", "narrow one.ics"),
        ("narrow", "narrow one.ics --taken yes"),
        ("rehearse", "rehearse one.ics --limits limits/quay.toml --twice"),
        ("retract", "retract exports/norrsund/crew.ics --out-of one.ics -o g.ics --no-ledger"),
        ("changes", "changes one.ics there.ics"),
        ("changes", "changes exports/skarvik/calendar.ics exports/skarvik/harbour.ics"),
        ("dates", "dates exports/norrsund --from 2026-11-01 --until 2026-11-10"),
        ("dates", "dates exports/norrsund --from 1999-11-01 --until 1999-11-10"),
        ("events", "events exports/skarvik --zone Europe/Helsinki"),
        ("history", "history --ledger l.sqlite"),
        ("history-show", "history show 1 --ledger l.sqlite"),
        ("run", "run plan.toml --no-ledger"),
        ("run", "run plan.toml --no-ledger"),
        ("bundle", "bundle one.ics -o b.zip"),
        ("bundle", "bundle --verify b.zip"),
    ];
    let mut wrong = Vec::new();
    for (name, words) in rows {
        let mut words: Vec<&str> = words.split(' ').collect();
        words.push("--json");
        let faults = faults(name, &case.json(&words));
        wrong.extend(faults.into_iter().map(|fault| format!("{}: {fault}", words.join(" "))));
    }
    let receipt = serde_json::from_str(&case.read("r.json")).unwrap();
    wrong.extend(faults("receipt", &receipt).into_iter().map(|fault| format!("receipt: {fault}")));
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn a_key_that_no_schema_knows_is_a_fault() {
    let mut answer = Case::with_demo_exports().json(&["rules", "R04", "--json"]);
    answer["surprise"] = json!(1);
    assert_eq!(faults("rules", &answer).len(), 1);
    answer.as_object_mut().unwrap().retain(|key, _| key != "surprise" && key != "rules");
    assert_eq!(faults("rules", &answer).len(), 1, "a key that is missing, too");
}

#[test]
fn files_people_write_are_as_their_schemas_say() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let blocks = |page: &str| -> Vec<String> {
        let text = fs::read_to_string(root.join(page)).unwrap();
        text.split("```toml\n").skip(1).map(|block| block.split("```").next().unwrap().to_owned()).collect()
    };
    let file = |path: &str| fs::read_to_string(root.join(path)).unwrap();
    let mut files = vec![
        ("limits", file("crates/emvo/demo/limits/quay-terminal.toml")),
        ("limits", file("crates/emvo/demo/limits/shore-office.toml")),
        ("plan", file("crates/emvo/demo/plan.toml")),
    ];
    for (name, page) in
        [("limits", "docs/destinations.md"), ("columns", "docs/tables.md"), ("plan", "docs/plans.md")]
    {
        files.extend(blocks(page).into_iter().map(|block| (name, block)));
    }
    assert!(files.len() >= 6);
    for (name, text) in files {
        let table: toml::Table = toml::from_str(&text).unwrap_or_else(|error| panic!("{error}:\n{text}"));
        let value = as_json(toml::Value::Table(table));
        assert_eq!(faults(name, &value), Vec::<String>::new(), "{name}:\n{text}");
        let mut unknown = value;
        unknown["surprise"] = json!(true);
        assert_eq!(faults(name, &unknown).len(), 1);
    }
}

fn as_json(value: toml::Value) -> Value {
    match value {
        toml::Value::String(text) => json!(text),
        toml::Value::Integer(number) => json!(number),
        toml::Value::Float(number) => json!(number),
        toml::Value::Boolean(is) => json!(is),
        toml::Value::Datetime(date) => json!(date.to_string()),
        toml::Value::Array(list) => list.into_iter().map(as_json).collect(),
        toml::Value::Table(table) => {
            Value::Object(table.into_iter().map(|(key, value)| (key, as_json(value))).collect())
        }
    }
}
