//! Files that are complete nowhere yet: their names, and what is left of runs that were
//! killed.

use std::fs;
use std::path::Path;
use std::time::Duration;

use super::folders::LockedFolders;
use crate::system::{Maker, maker_of, process_mark};

/// How the names of files begin that have not taken their places.
const PREFIX: &str = ".emvo-";

/// How long a file is left alone whose maker cannot be asked after: another machine's, or
/// one of before the last start.
const PATIENCE: Duration = Duration::from_hours(24);

/// How the name of a file of this process begins until it takes its place.
pub(crate) fn name_of_unfinished() -> String {
    format!("{PREFIX}{}-", process_mark())
}

/// The name under which a file is kept whose place another one takes.
pub(super) fn kept_name(number: usize) -> String {
    format!("{}old{number}", name_of_unfinished())
}

/// Whether a name is one that a run gives to a file until it takes its place:
/// `.emvo-`, the mark of the process, and a part of its own.
pub(super) fn is_unfinished(name: &str) -> bool {
    mark_in(name).is_some()
}

fn mark_in(name: &str) -> Option<&str> {
    let (mark, own) = name.strip_prefix(PREFIX)?.rsplit_once('-')?;
    let is_plain = !own.is_empty() && own.bytes().all(|byte| byte.is_ascii_alphanumeric());
    let mut parts = mark.split('-');
    let is_hex = |part: &str| part.len() == 8 && part.bytes().all(|byte| byte.is_ascii_hexdigit());
    let is_number = |part: &str| !part.is_empty() && part.bytes().all(|byte| byte.is_ascii_digit());
    let is_mark = parts.next().is_some_and(is_hex)
        && parts.next().is_some_and(is_number)
        && parts.next().is_some_and(is_number)
        && parts.next().is_none();
    (is_plain && is_mark).then_some(mark)
}

/// Removes what killed runs have left in folders. None of it is wanted by a journal: those
/// are followed before.
pub(super) fn sweep(folders: &LockedFolders) {
    for folder in folders.paths() {
        let Ok(entries) = fs::read_dir(folder) else { continue };
        for entry in entries.flatten() {
            let name = entry.file_name();
            if let Some(mark) = name.to_str().and_then(mark_in)
                && is_nobodys(mark, &entry.path())
            {
                // Whoever may not remove it is not hindered by it either.
                let _ = fs::remove_file(entry.path());
            }
        }
    }
}

fn is_nobodys(mark: &str, path: &Path) -> bool {
    match maker_of(mark) {
        Maker::Running => false,
        Maker::Gone => true,
        Maker::Elsewhere => fs::symlink_metadata(path)
            .and_then(|metadata| metadata.modified())
            .is_ok_and(|modified| modified.elapsed().is_ok_and(|age| age > PATIENCE)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_names_that_a_run_gives_are_its_own() {
        for name in [".emvo-0a1b2c3d-4711-99-aZ09xy", ".emvo-0a1b2c3d-4711-99-old3"] {
            assert!(is_unfinished(name), "{name}");
        }
        for name in [
            ".emvo-notes",
            ".emvo-aZ09xy",
            "emvo-0a1b2c3d-4711-99-aZ09xy",
            ".emvo-0a1b2c3d-4711-99-a.ics",
            ".emvo-0a1b2c3d-4711-99-",
            ".emvo-0a1b2c3d-4711-99-../x",
            ".emvo-0a1b2c3d-4711-x-aZ09xy",
        ] {
            assert!(!is_unfinished(name), "{name}");
        }
        assert!(is_unfinished(&format!("{}aZ09xy", name_of_unfinished())));
        assert!(is_unfinished(&kept_name(12)));
    }

    #[test]
    fn what_dead_processes_have_left_is_removed_and_nothing_else() {
        let folder = tempfile::tempdir().unwrap();
        let own = format!("{}aZ09xy", name_of_unfinished());
        let mut parts = process_mark().rsplitn(2, '-');
        let (start, process) = (parts.next().unwrap(), parts.next().unwrap());
        let dead = format!("{PREFIX}{process}-{start}0-aZ09xy");
        let elsewhere = format!("{PREFIX}00000000-1-1-aZ09xy");
        for name in [&own, &dead, &elsewhere, ".emvo-notes"] {
            fs::write(folder.path().join(name), "x").unwrap();
        }
        let folders = [folder.path().to_owned()];
        sweep(&LockedFolders::lock(&folders).unwrap());
        let is_there = |name: &str| folder.path().join(name).exists();
        assert!(!is_there(&dead));
        assert!(is_there(&own) && is_there(&elsewhere) && is_there(".emvo-notes"));
        let long_ago = std::time::SystemTime::now() - PATIENCE - Duration::from_secs(1);
        let file = fs::File::options().write(true).open(folder.path().join(&elsewhere)).unwrap();
        file.set_modified(long_ago).unwrap();
        sweep(&LockedFolders::lock(&folders).unwrap());
        assert!(!is_there(&elsewhere));
    }
}
