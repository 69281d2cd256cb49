//! Results → files: whole or not at all, and never in place of a file that was
//! read.
//!
//! [`guard`] decides where anything may be written, [`encode`] makes the bytes,
//! [`draft`] holds the sum against them, and [`batch`] puts all files of a run
//! into their places.

pub(crate) mod backup;
mod batch;
mod draft;
mod encode;
mod guard;
mod limits;
mod named_file;
mod names;
mod record;
mod set_aside;
mod staged;

use std::path::{Path, PathBuf};

use anyhow::{Context, bail};
use emvo_core::edit::Edited;
use emvo_ical::calendar::{Calendar, Series};

use crate::input::Format;

pub(crate) use batch::{Batch, PartlyWritten, there_now};
pub(crate) use draft::{Draft, Written};
pub(crate) use encode::{TableForm, bytes_of};
pub(crate) use guard::{Claim, Existing, Folder, Guard, Role};
pub(crate) use limits::{Fitting, fit, limits_file};
pub(crate) use named_file::NamedFile;
pub(crate) use record::{Recording, RunRecord, digest, file_record, shell_word};
pub(crate) use staged::{Readers, clean_up_when_interrupted};

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
    JsonLines,
}

impl Kind {
    pub(crate) fn extension(self) -> &'static str {
        match self {
            Self::Ics => "ics",
            Self::Csv => "csv",
            Self::JsonLines => "jsonl",
        }
    }

    /// The kind that a file's name says; `None` where it says none.
    pub(crate) fn of_path(path: &Path) -> Option<Self> {
        let extension = path.extension().and_then(|extension| extension.to_str())?.to_ascii_lowercase();
        match extension.as_str() {
            "ics" => Some(Self::Ics),
            "csv" | "tsv" => Some(Self::Csv),
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

/// What goes into one of several files.
pub(crate) struct Part<'a> {
    /// What is put behind the output's name, or the whole name in a folder;
    /// nothing if it is the only file.
    pub(crate) name: Option<String>,
    pub(crate) calendars: Vec<Edited<'a>>,
}

/// How changed calendars are spread over files.
pub(crate) enum Shape<'s> {
    /// One file for all, or one for each input in a folder.
    AsInputs,
    /// Into numbered files where the destination's limits ask for that.
    Fitted(&'s Fitting),
    /// Each event into the file of this name; it is given the number of events
    /// before it.
    Split(&'s dyn Fn(&Series<'_>, &Calendar<'_>, usize) -> String),
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

/// Where and how a command writes its result.
#[derive(Debug)]
pub(crate) struct Output {
    pub(crate) place: Place,
    pub(crate) kind: Kind,
    pub(crate) mode: Mode,
    pub(crate) existing: Existing,
    pub(crate) guard: Guard,
    pub(crate) recording: Recording,
    /// How tables are written.
    pub(crate) form: TableForm,
    /// What happens where the folder of a file is not there.
    folder: Folder,
    set_aside: SetAsidePlace,
    /// The claims of the files that were named, made before the long work.
    named: Named,
}

/// Where what cannot be read goes.
#[derive(Debug)]
enum SetAsidePlace {
    /// Beside the output.
    Beside,
    Named(PathBuf),
}

/// Files that were named on the command line.
#[derive(Debug, Default)]
struct Named {
    output: Option<Claim>,
    receipt: Option<Claim>,
}

/// What was asked for, still unchecked.
pub(crate) struct OutputWish {
    pub(crate) path: PathBuf,
    pub(crate) kind: Option<Kind>,
    pub(crate) mode: Mode,
    pub(crate) existing: Existing,
    pub(crate) recording: Recording,
    pub(crate) set_aside: Option<PathBuf>,
}

impl Output {
    /// Refuses early what would be refused in the end.
    pub(crate) fn resolve(wish: OutputWish, guard: Guard, form: TableForm) -> anyhow::Result<Self> {
        let OutputWish { path, kind, mode, existing, recording, set_aside } = wish;
        let place = Place::of(path);
        let kind = kind_for(&place, kind)?;
        let claim = |path: &Path, role| guard.claim(path, role, existing, Folder::Refuse);
        let output = match &place {
            Place::File(path) => Some(claim(path, Role::Output)?),
            Place::Stdout | Place::Folder(_) => None,
        };
        let receipt = recording.receipt_path().map(|path| claim(path, Role::Receipt)).transpose()?;
        recording.ensure_ledger_apart(&guard)?;
        let set_aside = set_aside.map_or(SetAsidePlace::Beside, SetAsidePlace::Named);
        let named = Named { output, receipt };
        let folder = Folder::Refuse;
        Ok(Self { place, kind, mode, existing, guard, recording, form, folder, set_aside, named })
    }

    /// The output of a plan: it replaces what its earlier runs have written, which
    /// the plan sees to itself, and nothing is written before all of it is known.
    pub(crate) fn of_plan(
        path: &Path,
        guard: &Guard,
        recording: Recording,
        form: TableForm,
    ) -> anyhow::Result<Self> {
        let (existing, folder) = (Existing::Replace, Folder::Make);
        let claim = guard.claim(path, Role::Output, existing, folder)?;
        Ok(Self {
            place: Place::File(path.to_owned()),
            kind: Kind::of_path(path).unwrap_or(Kind::Ics),
            mode: Mode::DryRun,
            existing,
            guard: guard.clone(),
            recording,
            form,
            folder,
            set_aside: SetAsidePlace::Beside,
            named: Named { output: Some(claim), receipt: None },
        })
    }

    /// The target of a part.
    fn target(&self, part: Option<&str>) -> anyhow::Result<Target> {
        let claim = |path: &Path, folder| {
            let claim = self.guard.claim(path, Role::Output, self.existing, folder);
            claim.map(Target::File).map_err(anyhow::Error::from)
        };
        match (&self.place, part) {
            (Place::Stdout, None) => Ok(Target::Stdout),
            (Place::Stdout, Some(_)) => bail!("several files cannot go to standard output; name a file"),
            (Place::Folder(folder), part) => {
                let name = format!("{}.{}", part.unwrap_or("calendar"), self.kind.extension());
                claim(&folder.join(name), Folder::Make)
            }
            (Place::File(path), Some(part)) => claim(&names::part_beside(path, part, self.kind), self.folder),
            (Place::File(_), None) => {
                let output = self.named.output.clone();
                output.map(Target::File).context("the output was claimed when it was named")
            }
        }
    }

    /// The place for what cannot be read: beside the output, by the kind of the
    /// input. `None` where there is nothing to be beside.
    fn set_aside_claim(&self, format: Format) -> anyhow::Result<Option<Claim>> {
        let (path, folder) = match (&self.set_aside, &self.place) {
            (SetAsidePlace::Named(path), _) => (path.clone(), self.folder),
            (SetAsidePlace::Beside, Place::Stdout) => return Ok(None),
            (SetAsidePlace::Beside, Place::File(path)) => {
                (names::set_aside_beside(path, format), self.folder)
            }
            (SetAsidePlace::Beside, Place::Folder(folder)) => {
                (names::set_aside_in(folder, format), Folder::Make)
            }
        };
        Ok(Some(self.guard.claim(&path, Role::SetAside, self.existing, folder)?))
    }
}

/// What to write: as was asked for, else by the output's extension. Into a folder
/// go calendars.
fn kind_for(place: &Place, asked: Option<Kind>) -> anyhow::Result<Kind> {
    match (asked, place) {
        (Some(kind), _) => Ok(kind),
        (None, Place::Folder(_)) => Ok(Kind::Ics),
        (None, Place::Stdout) => bail!("with `-o -` say what to write: --to ics or --to csv"),
        (None, Place::File(path)) => Kind::of_path(path)
            .context("the output's name ends in neither .ics, .csv nor .jsonl; --to says what to write"),
    }
}
