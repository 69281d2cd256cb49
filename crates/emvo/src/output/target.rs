//! Where a result goes, and what kind of file it is.

use std::path::{Path, PathBuf};

use anyhow::bail;

use super::guard::{Claim, Role};

/// Where a result goes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Target {
    Stdout,
    File(Claim),
}

impl Target {
    /// How people know it.
    pub(crate) fn shown(&self) -> &str {
        match self {
            Self::Stdout => "-",
            Self::File(claim) => claim.shown(),
        }
    }

    /// Whether this is the result itself, and not what is said of it.
    pub(crate) fn is_result(&self) -> bool {
        match self {
            Self::Stdout => true,
            Self::File(claim) => claim.role() == Role::Output,
        }
    }
}

/// What kind of file a result is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Kind {
    Ics,
    Csv,
    Xlsx,
    JsonLines,
}

impl Kind {
    pub(crate) fn extension(self) -> &'static str {
        match self {
            Self::Ics => "ics",
            Self::Csv => "csv",
            Self::Xlsx => "xlsx",
            Self::JsonLines => "jsonl",
        }
    }

    /// Whether events are rows of it.
    pub(crate) fn is_table(self) -> bool {
        matches!(self, Self::Csv | Self::Xlsx)
    }

    /// Refuses a name that says another kind than is asked for: whoever opens the file
    /// by its name would find something else in it.
    pub(super) fn ensure_named(self, path: &Path) -> anyhow::Result<()> {
        match Self::of_path(path).filter(|said| *said != self) {
            None => Ok(()),
            Some(said) => bail!(
                "`{}`: --to asks for .{}, and its name says .{}; one of them is wrong",
                path.display(),
                self.extension(),
                said.extension()
            ),
        }
    }

    /// The kind that a file's name says; `None` where it says none.
    pub(crate) fn of_path(path: &Path) -> Option<Self> {
        let extension = path.extension().and_then(|extension| extension.to_str())?.to_ascii_lowercase();
        match extension.as_str() {
            "ics" => Some(Self::Ics),
            "csv" | "tsv" => Some(Self::Csv),
            "xlsx" => Some(Self::Xlsx),
            "jsonl" => Some(Self::JsonLines),
            _ => None,
        }
    }
}

/// Whether anything is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Mode {
    Write,
    DryRun,
}

/// The place that was named for a result.
#[derive(Clone, Debug)]
pub(crate) enum Place {
    Stdout,
    File(PathBuf),
    Folder(PathBuf),
}

impl Place {
    /// The place that a path on the command line means.
    pub(crate) fn of(path: PathBuf) -> Self {
        if path.as_os_str() == "-" {
            Self::Stdout
        } else if path.is_dir() || path.as_os_str().to_string_lossy().ends_with('/') {
            Self::Folder(path)
        } else {
            Self::File(path)
        }
    }

    /// The path, unless it is standard output.
    pub(crate) fn path(&self) -> Option<&Path> {
        match self {
            Self::Stdout => None,
            Self::File(path) | Self::Folder(path) => Some(path),
        }
    }
}
