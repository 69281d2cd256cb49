//! What is asked of the system in another way on each: all of it, in one place.
//!
//! Emvo has been run on Linux and nowhere else. Whoever brings it to another system
//! answers these questions here, and finds nothing else that depends on it:
//!
//! | question | on Linux |
//! |---|---|
//! | Which file is it, whatever its name? ([`FileId`]) | device and file number |
//! | How much memory is free for this process? ([`free_memory`]) | `/proc/meminfo`, `/proc/self/limits` |
//! | Who may read a new file? ([`readable_as_usual`]) | as the umask says; without that, its owner alone |
//! | How is a run interrupted, and a file that may not grow told? ([`await_interrupt`]) | SIGINT, SIGTERM, SIGHUP; SIGXFSZ |
//! | Where does a program keep what it remembers? ([`state_folder`]) | the XDG state folder |
//! | How does a person leaf through a long answer? ([`pager`]) | `$PAGER`, which a shell reads, or `less` |
//! | Whose is the ledger? (`emvo_ledger`, at `make_private`) | its owner's alone, by mode 600 |
//!
//! What needs no answer: patterns in file names are expanded by Emvo itself, made names
//! avoid what other systems reserve, and paths are never taken apart as text.

#[cfg(not(unix))]
compile_error!(
    "Emvo has been run on Linux only: the head of this file says what another system has to answer"
);

use std::fs::{self, Permissions};
use std::io;
use std::os::unix::fs::{MetadataExt as _, PermissionsExt as _};
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::Arc;
use std::thread;

/// Which file a path leads to, whatever it is called: device and file number.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct FileId(u64, u64);

impl FileId {
    /// Follows links. Opens nothing: opening a pipe would wait for its writer.
    pub(crate) fn of(path: &Path) -> Option<Self> {
        let metadata = fs::metadata(path).ok()?;
        Some(Self(metadata.dev(), metadata.ino()))
    }
}

/// What is free, in bytes: of the system's memory and swap, or of what this
/// process may take, whichever is less. `None` where the system does not tell.
pub(crate) fn free_memory() -> Option<u64> {
    let system = told_by("/proc/meminfo").and_then(|text| free_in(&text));
    let allowed = told_by("/proc/self/limits").and_then(|text| allowed_by(&text));
    system.into_iter().chain(allowed).min()
}

#[allow(clippy::disallowed_methods, reason = "no file of anybody's: what the system says of itself")]
fn told_by(path: &str) -> Option<String> {
    fs::read_to_string(path).ok()
}

fn free_in(meminfo: &str) -> Option<u64> {
    let kilobytes = |name: &str| {
        let line = meminfo.lines().find_map(|line| line.strip_prefix(name))?;
        line.split_whitespace().next()?.parse::<u64>().ok()
    };
    Some((kilobytes("MemAvailable:")? + kilobytes("SwapFree:").unwrap_or(0)) * 1024)
}

/// The soft limit of the address space; none if it is unlimited.
fn allowed_by(limits: &str) -> Option<u64> {
    let line = limits.lines().find_map(|line| line.strip_prefix("Max address space"))?;
    line.split_whitespace().next()?.parse().ok()
}

/// The permissions of a file that others may read, before the umask takes its part.
pub(crate) fn readable_as_usual() -> Permissions {
    Permissions::from_mode(0o666)
}

/// Calls `leave` when somebody ends the run from outside. A file that may not grow
/// further becomes an error like a full disk from here on: without a handler that
/// signal would end the process, and leave it half written.
pub(crate) fn await_interrupt(leave: impl Fn() + Send + 'static) -> io::Result<()> {
    use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM, SIGXFSZ};
    signal_hook::flag::register(SIGXFSZ, Arc::default())?;
    let mut signals = signal_hook::iterator::Signals::new([SIGINT, SIGTERM, SIGHUP])?;
    thread::Builder::new().name("interrupt".to_owned()).spawn(move || {
        signals.forever().for_each(|_| leave());
    })?;
    Ok(())
}

/// The folder for what Emvo remembers between runs.
pub(crate) fn state_folder() -> Option<PathBuf> {
    let folders = directories::ProjectDirs::from("", "", "emvo")?;
    // Where there is no folder for a state, what is local to the machine is the next best.
    Some(folders.state_dir().unwrap_or_else(|| folders.data_local_dir()).to_owned())
}

/// The program with which a person leafs through a long answer: the one that they
/// chose, which may have arguments, or `less`, which ends by itself where all of it
/// fits, shows colours, and leaves the text where it is. `None` if they chose none.
pub(crate) fn pager() -> Option<Command> {
    match std::env::var("PAGER") {
        Ok(chosen) if chosen.trim().is_empty() || chosen.trim() == "cat" => None,
        Ok(chosen) => {
            let mut shell = Command::new("sh");
            shell.args(["-c", &chosen]);
            if std::env::var_os("LESS").is_none() {
                shell.env("LESS", "FRX");
            }
            Some(shell)
        }
        Err(_) => {
            let mut less = Command::new("less");
            less.arg("-FRX");
            Some(less)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_the_system_tells_is_understood() {
        let meminfo = "MemTotal:       16 kB\nMemAvailable:       10 kB\nSwapFree:        2 kB\n";
        assert_eq!(free_in(meminfo), Some(12 * 1024));
        assert_eq!(free_in("MemTotal: 16 kB\n"), None);
        assert_eq!(allowed_by("Max address space         1073741824   unlimited   bytes\n"), Some(1 << 30));
        assert_eq!(allowed_by("Max address space         unlimited    unlimited   bytes\n"), None);
    }
}
