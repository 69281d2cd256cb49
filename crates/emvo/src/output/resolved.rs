//! Where and how a command writes, as meant.

use std::path::{Path, PathBuf};

use anyhow::{Context, bail};

use super::encode::TableForm;
use super::guard::{Claim, Existing, Folder, Guard, Role};
use super::names;
use super::record::{Recording, UnreadWords};
use super::target::{Kind, Mode, Place, Target};
use crate::input::Format;

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
    pub(super) named: Named,
}

/// What is said where a place can be named for what cannot be read.
pub(crate) const SET_ASIDE_KEEPS_IT: &str = "--set-aside PATH keeps it";

/// Where what cannot be read goes.
#[derive(Debug)]
enum SetAsidePlace {
    /// Beside the output.
    Beside,
    /// Nowhere: it says what the output hides. A person is told where it is found.
    Nowhere {
        way_out: &'static str,
    },
    Named(PathBuf),
}

/// Files that were named on the command line.
#[derive(Debug, Default)]
pub(super) struct Named {
    output: Option<Claim>,
    pub(super) receipt: Option<Claim>,
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

    /// Keeps what cannot be read nowhere, unless a place was named for it; `way_out` is what is
    /// said to find it all the same.
    pub(crate) fn keep_nothing_beside(&mut self, way_out: &'static str) {
        self.recording.unread = UnreadWords::None;
        if matches!(self.set_aside, SetAsidePlace::Beside) {
            self.set_aside = SetAsidePlace::Nowhere { way_out };
        }
    }

    /// That something could not be read and is in no file of the run, and where it is.
    pub(super) fn nowhere_kept(&self) -> String {
        match self.set_aside {
            SetAsidePlace::Nowhere { way_out } => {
                format!(
                    "something was set aside, and is kept in no file, since it may say what is hidden: {way_out}"
                )
            }
            SetAsidePlace::Beside | SetAsidePlace::Named(_) => {
                format!("something was set aside and is nowhere kept: {SET_ASIDE_KEEPS_IT}")
            }
        }
    }

    /// The target of a part.
    pub(super) fn target(&self, part: Option<&str>) -> anyhow::Result<Target> {
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
    pub(super) fn set_aside_claim(&self, format: Format) -> anyhow::Result<Option<Claim>> {
        let (path, folder) = match (&self.set_aside, &self.place) {
            (SetAsidePlace::Named(path), _) => (path.clone(), self.folder),
            (SetAsidePlace::Nowhere { .. }, _) | (SetAsidePlace::Beside, Place::Stdout) => return Ok(None),
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

impl Output {
    /// The place for what is in no output: beside it. `None` where there is nothing
    /// to be beside.
    pub(super) fn left_behind_claim(&self) -> anyhow::Result<Option<Claim>> {
        let (path, folder) = match (&self.place, &self.set_aside) {
            (Place::File(path), _) | (Place::Stdout, SetAsidePlace::Named(path)) => {
                (names::left_behind_beside(path), self.folder)
            }
            (Place::Folder(folder), _) => (names::left_behind_beside(&folder.join("all")), Folder::Make),
            (Place::Stdout, SetAsidePlace::Beside | SetAsidePlace::Nowhere { .. }) => return Ok(None),
        };
        Ok(Some(self.guard.claim(&path, Role::LeftBehind, self.existing, folder)?))
    }
}

/// What to write: as was asked for, else by the output's extension. Into a folder
/// go calendars.
fn kind_for(place: &Place, asked: Option<Kind>) -> anyhow::Result<Kind> {
    match (asked, place) {
        (Some(kind), Place::File(path)) => kind.ensure_named(path).map(|()| kind),
        (Some(kind), _) => Ok(kind),
        (None, Place::Folder(_)) => Ok(Kind::Ics),
        (None, Place::Stdout) => bail!("with `-o -` say what to write: --to ics or --to csv"),
        (None, Place::File(path)) => Kind::of_path(path).with_context(|| {
            format!(
                "`{}`: the name ends in neither .ics, .csv, .xlsx nor .jsonl; --to says what to write",
                path.display()
            )
        }),
    }
}
