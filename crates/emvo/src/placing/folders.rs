//! Folders that one run has for itself while it places files in them.

use std::fs::{File, TryLockError};
use std::io;
use std::path::{Path, PathBuf};
use std::thread;
use std::time::Duration;

use super::PlacingError;
use super::journal::{Found, journals_in, read};

/// How long a run waits for another that places its files: in steps, and how many.
const STEP: Duration = Duration::from_millis(20);
const STEPS: u32 = 3_000;

/// The folders of some files, each once, in the order in which every run locks them: two
/// runs never wait for each other.
pub(super) fn folders_of<'p>(places: impl Iterator<Item = &'p Path>) -> Vec<PathBuf> {
    let mut folders: Vec<PathBuf> = places.map(|place| folder_of(place).to_owned()).collect();
    folders.sort();
    folders.dedup();
    folders
}

/// The folder of a path that is absolute.
pub(super) fn folder_of(place: &Path) -> &Path {
    place.parent().unwrap_or(place)
}

/// Folders that are this run's alone. Given back on drop, and by the system where the
/// process is killed.
pub(super) struct LockedFolders {
    folders: Vec<(PathBuf, File)>,
}

impl LockedFolders {
    /// Waits for other runs, and gives up after a minute.
    pub(super) fn lock(folders: &[PathBuf]) -> Result<Self, PlacingError> {
        let lock = |folder: &PathBuf| {
            let not_placed = |source| PlacingError::NotPlaced { path: folder.clone(), source };
            let opened = File::open(folder).map_err(not_placed)?;
            for _ in 0..STEPS {
                match opened.try_lock() {
                    Err(TryLockError::WouldBlock) => thread::sleep(STEP),
                    // Some file systems of networks know no locks of folders. There the
                    // set is still placed as one, and only its neighbours are not kept out.
                    Ok(()) | Err(TryLockError::Error(_)) => return Ok((folder.clone(), opened)),
                }
            }
            Err(PlacingError::Busy { folder: folder.clone() })
        };
        Ok(Self { folders: folders.iter().map(lock).collect::<Result<_, _>>()? })
    }

    pub(super) fn paths(&self) -> impl Iterator<Item = &Path> {
        self.folders.iter().map(|(path, _)| path.as_path())
    }

    /// Whether a run has left a set of files in one of them that is not in its places.
    pub(super) fn hold_a_journal(&self) -> bool {
        let is_to_follow = |path: &PathBuf| matches!(read(path), Ok(Found::Files(_)));
        self.paths().any(|folder| journals_in(folder).iter().any(is_to_follow))
    }

    /// Brings the names in them to the disk.
    pub(super) fn sync(&self) -> io::Result<()> {
        self.folders.iter().try_for_each(|(_, opened)| synced(opened))
    }
}

/// Makes a folder and those around it that are missing, each on the disk.
pub(crate) fn make_folder(folder: &Path) -> io::Result<()> {
    let missing: Vec<&Path> = folder.ancestors().take_while(|folder| !folder.is_dir()).collect();
    std::fs::create_dir_all(folder)?;
    let around = missing.iter().filter_map(|folder| folder.parent());
    around.filter(|folder| !folder.as_os_str().is_empty()).try_for_each(|folder| synced(&File::open(folder)?))
}

/// Syncs a folder, where its file system can.
pub(super) fn synced(folder: &File) -> io::Result<()> {
    match folder.sync_all() {
        Err(error) if matches!(error.kind(), io::ErrorKind::InvalidInput | io::ErrorKind::Unsupported) => {
            Ok(())
        }
        result => result,
    }
}
