//! Files as the whole program takes them.

use std::fs;
use std::path::Path;

use clap::Parser as _;

/// A zip: the program answers, and nothing is unpacked beside it.
pub fn zip(data: &[u8]) {
    in_folder("calendar.zip", data, &["check", "--quiet"]);
}

/// A plan: it is understood or refused, and a dry run writes nothing.
pub fn plan(data: &[u8]) {
    in_folder("plan.toml", data, &["run", "--dry-run", "--quiet"]);
}

fn in_folder(name: &str, data: &[u8], words: &[&str]) {
    let folder = tempfile::tempdir().expect("there is a folder for temporary files");
    let path = folder.path().join(name);
    fs::write(&path, data).expect("the folder can be written to");
    let words = ["emvo"].into_iter().chain(words.iter().copied()).map(Into::into);
    let words = words.chain([path.clone().into_os_string()]);
    let args = emvo::Args::try_parse_from(words).expect("these arguments are fine");
    // Refusing is an answer, too.
    let _ = emvo::run(args);
    assert_eq!(files_in(folder.path()), 1, "something was written");
    assert_eq!(fs::read(&path).ok().as_deref(), Some(data), "the input was changed");
}

fn files_in(folder: &Path) -> usize {
    fs::read_dir(folder).map_or(0, Iterator::count)
}
