//! Every crate that the workspace names has its reason in `docs/dependencies.md`, and that
//! page names no other.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files fails")]

use std::collections::BTreeSet;
use std::fs;
use std::path::Path;

#[test]
fn every_dependency_has_its_reason() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let manifest: toml::Table = fs::read_to_string(root.join("Cargo.toml")).unwrap().parse().unwrap();
    let named = manifest["workspace"]["dependencies"].as_table().unwrap().keys();
    let named: BTreeSet<String> = named.filter(|name| !name.starts_with("emvo")).cloned().collect();
    let page = fs::read_to_string(root.join("docs/dependencies.md")).unwrap();
    let rows = page.lines().filter_map(|line| line.strip_prefix("| `")?.split_once("` | "));
    let told: BTreeSet<String> = rows
        .map(|(name, rest)| {
            let (_, why) = rest.split_once(" | ").unwrap();
            assert!(why.trim_end_matches(" |").len() > 3, "`{name}` has no reason");
            name.to_owned()
        })
        .collect();
    assert_eq!(told, named);
    // No crate of the workspace goes past the list.
    for member in fs::read_dir(root.join("crates")).unwrap() {
        let path = member.unwrap().path().join("Cargo.toml");
        let manifest: toml::Table = fs::read_to_string(&path).unwrap().parse().unwrap();
        for kind in ["dependencies", "dev-dependencies", "build-dependencies"] {
            for (name, value) in manifest.get(kind).and_then(toml::Value::as_table).into_iter().flatten() {
                assert!(value.get("workspace").is_some(), "{}: `{name}` goes past the list", path.display());
            }
        }
    }
}
