//! The seeds of the fuzzer, and what it found once: all trials hold for them.

use std::fs;
use std::path::Path;

use emvo_trials::TRIALS;

/// The program tells panics in its own way, so what broke is returned.
#[test]
fn every_trial_holds_for_what_is_kept() -> Result<(), String> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../fuzz");
    for (name, trial) in TRIALS {
        let mut tried = 0;
        for kind in ["seeds", "finds"] {
            let Ok(entries) = fs::read_dir(folder.join(kind).join(name)) else { continue };
            for entry in entries {
                let path = entry.expect("the folder can be read").path();
                let data = fs::read(&path).expect("the file can be read");
                std::panic::catch_unwind(|| trial(&data)).map_err(|why| {
                    let words = why.downcast_ref::<String>().cloned();
                    let words = words.or_else(|| why.downcast_ref::<&str>().map(|words| (*words).to_owned()));
                    format!("{} does not hold: {}", path.display(), words.unwrap_or_default())
                })?;
                tried += 1;
            }
        }
        assert!(tried > 0, "there is nothing to try for {name}");
    }
    Ok(())
}

/// What the fuzzer is given of each trial: a target that calls it, and its line.
#[test]
fn every_trial_has_its_target() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../fuzz");
    let read = |path: &str| fs::read_to_string(folder.join(path)).unwrap_or_default();
    let manifest = read("Cargo.toml");
    assert_eq!(manifest.matches("[[bin]]").count(), TRIALS.len());
    for (name, _) in TRIALS {
        let target = read(&format!("fuzz_targets/{name}.rs"));
        let line = format!("libfuzzer_sys::fuzz_target!(|data: &[u8]| emvo_trials::{name}(data));");
        assert!(target.contains(&line), "{name}: {target}");
        assert!(
            manifest.contains(&format!("name = \"{name}\"\npath = \"fuzz_targets/{name}.rs\"")),
            "{name}"
        );
    }
}
