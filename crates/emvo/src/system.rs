//! What is asked of the system in another way on each: all of it, in one place.
//!
//! Emvo has been run on Linux and nowhere else. Whoever brings it to another system
//! answers these questions here, and finds nothing else that depends on it:
//!
//! | question | on Linux |
//! |---|---|
//! | Which file is it, whatever its name? ([`FileId`]) | device and file number |
//! | Is it this user's? ([`is_own_file`]) | its owner is that of the process |
//! | Which process made a file, and does it still run? ([`process_mark`], [`maker_of`]) | `/proc`: the start of the machine, process number and start |
//! | Whose is a file that another one replaces? ([`keep_owner`]) | owner, group, and mode |
//! | How much memory is free for this process? ([`free_memory`]) | `/proc/meminfo`, `/proc/self/limits`, the limits of its group |
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

use std::fs::{self, File, Metadata, Permissions};
use std::io;
use std::os::unix::fs::{MetadataExt as _, PermissionsExt as _, fchown};
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::{Arc, OnceLock, mpsc};
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

/// The number of what a path names; of a link itself, not of what it leads to.
pub(crate) fn number_of(path: &Path) -> Option<u64> {
    fs::symlink_metadata(path).ok().map(|metadata| metadata.ino())
}

/// The length of a file, and when it was last written, since 1970.
#[derive(Clone, Copy, Debug, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub(crate) struct FileState {
    bytes: u64,
    seconds: i64,
    nanoseconds: i64,
}

impl FileState {
    pub(crate) fn of(path: &Path) -> io::Result<Self> {
        let metadata = fs::symlink_metadata(path)?;
        let (seconds, nanoseconds) = (metadata.mtime(), metadata.mtime_nsec());
        Ok(Self { bytes: metadata.len(), seconds, nanoseconds })
    }
}

/// Whether a file is this user's.
pub(crate) fn is_own_file(metadata: &Metadata) -> bool {
    fs::metadata("/proc/self").is_ok_and(|own| own.uid() == metadata.uid())
}

/// Gives a new file the owner and the permissions of the one that it replaces; whether the
/// owner could be kept.
pub(crate) fn keep_owner(new: &File, replaced: &Metadata, permissions: Permissions) -> io::Result<bool> {
    let made = new.metadata()?;
    let is_other = (made.uid(), made.gid()) != (replaced.uid(), replaced.gid());
    let is_kept = !is_other || fchown(new, Some(replaced.uid()), Some(replaced.gid())).is_ok();
    if !is_kept {
        // The group alone may be given by whoever belongs to it.
        let _ = fchown(new, None, Some(replaced.gid()));
    }
    new.set_permissions(permissions)?;
    Ok(is_kept)
}

/// What the names of this process's unfinished files carry: nobody else has it, now or
/// later.
pub(crate) fn process_mark() -> &'static str {
    static MARK: OnceLock<String> = OnceLock::new();
    MARK.get_or_init(|| {
        let start = start_of("self").unwrap_or(0);
        format!("{}-{}-{start}", machine_mark(), std::process::id())
    })
}

/// What has become of the process that a mark is of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Maker {
    Running,
    Gone,
    /// It was of another machine or another start of this one, and cannot be asked after.
    Elsewhere,
}

/// What has become of the process with a mark, as [`process_mark`] makes it.
pub(crate) fn maker_of(mark: &str) -> Maker {
    let mut parts = mark.split('-');
    let (Some(machine), Some(process), Some(start)) = (parts.next(), parts.next(), parts.next()) else {
        return Maker::Elsewhere;
    };
    let own_start = start_of("self");
    if machine != machine_mark() || own_start.is_none() {
        return Maker::Elsewhere;
    }
    let is_running = start_of(process).is_some_and(|now| now.to_string() == start);
    if is_running { Maker::Running } else { Maker::Gone }
}

/// This start of this machine, and the view of its processes: eight hexadecimal digits.
fn machine_mark() -> &'static str {
    static MARK: OnceLock<String> = OnceLock::new();
    MARK.get_or_init(|| {
        let start = told_by("/proc/sys/kernel/random/boot_id").unwrap_or_default();
        let view = fs::read_link("/proc/self/ns/pid").unwrap_or_default();
        let both = format!("{start} {}", view.display());
        blake3::hash(both.as_bytes()).to_hex().chars().take(8).collect()
    })
}

/// When a process began, in ticks since the start of the machine.
fn start_of(process: &str) -> Option<u64> {
    let text = told_by(&format!("/proc/{process}/stat"))?;
    // The name of the program is in parentheses and may hold anything.
    text.rsplit_once(')')?.1.split_whitespace().nth(19)?.parse().ok()
}

/// What is free, in bytes: of the system's memory and swap, or of what this
/// process may take, whichever is less. `None` where the system does not tell.
pub(crate) fn free_memory() -> Option<u64> {
    let system = told_by("/proc/meminfo").and_then(|text| free_in(&text));
    let allowed = told_by("/proc/self/limits").and_then(|text| allowed_by(&text));
    system.into_iter().chain(allowed).chain(free_in_group()).min()
}

/// What is left of what the group of this process may take (a container's limit); none
/// where there is no limit.
fn free_in_group() -> Option<u64> {
    // The second form of groups, then the first.
    let files = [
        ("/sys/fs/cgroup/memory.max", "/sys/fs/cgroup/memory.current", "/sys/fs/cgroup/memory.stat"),
        (
            "/sys/fs/cgroup/memory/memory.limit_in_bytes",
            "/sys/fs/cgroup/memory/memory.usage_in_bytes",
            "/sys/fs/cgroup/memory/memory.stat",
        ),
    ];
    let number = |path: &str| told_by(path)?.trim().parse::<u64>().ok();
    files.iter().find_map(|(most, used, detail)| {
        // What the system keeps of files is given back when it is needed.
        let kept = told_by(detail).and_then(|text| kept_of_files(&text)).unwrap_or(0);
        Some(number(most)?.saturating_sub(number(used)?.saturating_sub(kept)))
    })
}

fn kept_of_files(detail: &str) -> Option<u64> {
    let names = ["total_inactive_file ", "inactive_file "];
    let line = |name: &&str| detail.lines().find_map(|line| line.strip_prefix(*name));
    names.iter().find_map(line)?.trim().parse().ok()
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
    use signal_hook::iterator::Signals;
    signal_hook::flag::register(SIGXFSZ, Arc::default())?;
    let (hand_over, taken) = mpsc::channel::<Signals>();
    let waiting = thread::Builder::new().name("interrupt".to_owned()).spawn(move || {
        for mut signals in taken {
            signals.forever().for_each(|_| leave());
        }
    });
    // Without a thread a signal ends the process as it would any other; the next run
    // sweeps up what it leaves.
    if waiting.is_ok() {
        let signals = Signals::new([SIGINT, SIGTERM, SIGHUP])?;
        hand_over.send(signals).map_err(io::Error::other)?;
    }
    Ok(())
}

/// Does work with a thread for each core. Where the system gives none, the work is done by
/// the one thread that there is.
pub(crate) fn with_threads<T: Send>(work: impl FnOnce() -> T + Send) -> T {
    /// As much as a program begins with: deep calendars are taken apart on it.
    const STACK: usize = 8 << 20;
    if let Ok(threads) = rayon::ThreadPoolBuilder::new().stack_size(STACK).build() {
        return threads.install(work);
    }
    let alone = rayon::ThreadPoolBuilder::new().num_threads(1).use_current_thread().build();
    let done = work();
    // It is in use until here.
    drop(alone);
    done
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
        assert_eq!(kept_of_files("anon 5\ninactive_file 7\n"), Some(7));
        assert_eq!(allowed_by("Max address space         1073741824   unlimited   bytes\n"), Some(1 << 30));
        assert_eq!(allowed_by("Max address space         unlimited    unlimited   bytes\n"), None);
    }

    #[test]
    fn a_process_is_known_by_its_mark() {
        assert_eq!(maker_of(process_mark()), Maker::Running);
        let [machine, process, start]: [&str; 3] =
            process_mark().split('-').collect::<Vec<_>>().try_into().unwrap();
        assert_eq!(maker_of(&format!("{machine}-{process}-{start}1")), Maker::Gone, "its number, used again");
        assert_eq!(maker_of(&format!("{machine}-0-{start}")), Maker::Gone);
        assert_eq!(maker_of(&format!("00000000-{process}-{start}")), Maker::Elsewhere);
    }
}
