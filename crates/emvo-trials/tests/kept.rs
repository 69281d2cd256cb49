//! The seeds of the fuzzer, and what it found once: all trials hold for them.

use std::fs;
use std::path::Path;

use emvo_trials::TRIALS;

#[test]
fn every_trial_holds_for_what_is_kept() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../fuzz");
    for (name, trial) in TRIALS {
        let mut tried = 0;
        for kind in ["seeds", "finds"] {
            let Ok(entries) = fs::read_dir(folder.join(kind).join(name)) else { continue };
            for entry in entries {
                let path = entry.expect("the folder can be read").path();
                let data = fs::read(&path).expect("the file can be read");
                let held = std::panic::catch_unwind(|| trial(&data)).is_ok();
                assert!(held, "{} does not hold", path.display());
                tried += 1;
            }
        }
        assert!(tried > 0, "there is nothing to try for {name}");
    }
}
