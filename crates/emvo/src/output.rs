//! Results → files: whole or not at all, and never in place of an input.

mod set_aside;
mod staged;

use std::ffi::OsString;
use std::fs;
use std::io::{self, Write};
use std::path::{Path, PathBuf};

use anyhow::{Context, bail};
use emvo_core::receipt::FileRecord;

use crate::args::OutputArgs;
use crate::gather::SourceFile;
use crate::progress;
use crate::record::{Recording, file_record};
use crate::source::Format;

pub(crate) use set_aside::set_aside_files;
pub(crate) use staged::{Readers, Staged, clean_up_when_interrupted};

/// Where a result goes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Target {
    Stdout,
    Path(PathBuf),
}

impl Target {
    /// How people know it.
    pub(crate) fn shown(&self) -> String {
        match self {
            Self::Stdout => "-".to_owned(),
            Self::Path(path) => path.display().to_string(),
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
}

/// What happens to a file that is already there.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Existing {
    Refuse,
    Replace,
}

/// Whether anything is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Mode {
    Write,
    DryRun,
}

/// Where and how a command writes.
#[derive(Clone, Debug)]
pub(crate) struct OutputPlan {
    pub(crate) target: Target,
    pub(crate) existing: Existing,
    pub(crate) mode: Mode,
    /// Where the run is recorded.
    pub(crate) recording: Recording,
    set_aside: Option<PathBuf>,
}

impl OutputArgs {
    /// Refuses what would be refused at the end, before the long work.
    pub(crate) fn settle(self) -> anyhow::Result<OutputPlan> {
        let target = if self.output.as_os_str() == "-" { Target::Stdout } else { Target::Path(self.output) };
        let existing = if self.overwrite { Existing::Replace } else { Existing::Refuse };
        let mode = if self.dry_run { Mode::DryRun } else { Mode::Write };
        let plan =
            OutputPlan { target, existing, mode, recording: self.record.settle(), set_aside: self.set_aside };
        if let (Target::Path(path), None) = (&plan.target, plan.folder()) {
            plan.ensure_writable(path)?;
        }
        Ok(plan)
    }
}

impl OutputPlan {
    /// For files whose replacing was settled before.
    pub(crate) fn replacing(mode: Mode) -> Self {
        Self::replacing_at(Path::new("-"), mode)
    }

    /// The same, around the file of this name.
    pub(crate) fn replacing_at(path: &Path, mode: Mode) -> Self {
        Self {
            target: Target::Path(path.to_owned()),
            existing: Existing::Replace,
            mode,
            recording: Recording::default(),
            set_aside: None,
        }
    }

    /// What a file of this name holds; a calendar where the name does not say.
    pub(crate) fn kind_of(path: &Path) -> Kind {
        Self::replacing_at(path, Mode::Write).kind(None).unwrap_or(Kind::Ics)
    }

    pub(crate) fn path(&self) -> Option<&Path> {
        match &self.target {
            Target::Stdout => None,
            Target::Path(path) => Some(path),
        }
    }

    /// The folder to write into, one file for each input, if the output is one.
    pub(crate) fn folder(&self) -> Option<&Path> {
        self.path().filter(|path| path.is_dir() || path.as_os_str().to_string_lossy().ends_with('/'))
    }

    /// What to write: as `--to` says, else by the output's extension. Into a
    /// folder go calendars, unless `--to` says otherwise.
    pub(crate) fn kind(&self, to: Option<Kind>) -> anyhow::Result<Kind> {
        if let Some(kind) = to {
            return Ok(kind);
        }
        if self.folder().is_some() {
            return Ok(Kind::Ics);
        }
        let Some(path) = self.path() else { bail!("with `-o -` say what to write: --to ics or --to csv") };
        match path
            .extension()
            .and_then(|extension| extension.to_str())
            .map(str::to_ascii_lowercase)
            .as_deref()
        {
            Some("ics") => Ok(Kind::Ics),
            Some("csv" | "tsv") => Ok(Kind::Csv),
            Some("jsonl") => Ok(Kind::JsonLines),
            _ => bail!("the output's name ends in neither .ics, .csv nor .jsonl; --to says what to write"),
        }
    }

    /// Makes sure that a file can be written at a path, and that the folder that was
    /// asked for is there.
    pub(crate) fn prepare_place(&self, path: &Path) -> anyhow::Result<()> {
        if let Some(folder) = self.folder() {
            fs::create_dir_all(folder)
                .with_context(|| format!("could not make the folder `{}`", folder.display()))?;
        }
        self.ensure_writable(path)
    }

    fn ensure_writable(&self, path: &Path) -> anyhow::Result<()> {
        if self.existing == Existing::Refuse && path.exists() {
            bail!("`{}` exists already; --overwrite replaces it", path.display());
        }
        let folder = folder_of(path);
        if !folder.is_dir() {
            bail!("there is no folder `{}` to write into", folder.display());
        }
        Ok(())
    }

    /// Refuses an output that is one of the inputs, also by a link: inputs are
    /// never changed.
    pub(crate) fn ensure_spares(&self, inputs: &[SourceFile]) -> anyhow::Result<()> {
        let Some(path) = self.path() else { return Ok(()) };
        for on_disk in inputs.iter().filter_map(|input| input.on_disk.as_deref()) {
            if same_file::is_same_file(path, on_disk).unwrap_or(false) {
                bail!(
                    "the output `{}` is an input; inputs are never changed, name another file",
                    path.display()
                );
            }
        }
        Ok(())
    }

    /// The place for what cannot be read: beside the output, by the kind of
    /// the input.
    fn set_aside_path(&self, format: Format) -> Option<PathBuf> {
        if let Some(path) = &self.set_aside {
            return Some(path.clone());
        }
        if let Some(folder) = self.folder() {
            return Some(folder.join(format!("all.set-aside.{}", format.name())));
        }
        let path = self.path()?;
        let mut name = path.file_stem().map_or_else(|| OsString::from("output"), OsString::from);
        name.push(format!(".set-aside.{}", format.name()));
        Some(path.with_file_name(name))
    }
}

fn folder_of(path: &Path) -> &Path {
    match path.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent,
        _ => Path::new("."),
    }
}

/// A file to be written.
pub(crate) struct Pending {
    pub(crate) target: Target,
    pub(crate) bytes: Vec<u8>,
}

impl Pending {
    /// What a receipt says of it.
    pub(crate) fn record(&self) -> FileRecord {
        file_record(&self.target.shown(), &self.bytes)
    }
}

/// What takes its place when everything is ready.
pub(crate) enum Due {
    /// Still to be written.
    Pending(Pending),
    /// Complete beside its place.
    Staged(Staged),
}

impl From<Pending> for Due {
    fn from(pending: Pending) -> Self {
        Self::Pending(pending)
    }
}

impl Due {
    /// What a receipt says of it.
    pub(crate) fn record(&self) -> anyhow::Result<FileRecord> {
        match self {
            Self::Pending(pending) => Ok(pending.record()),
            Self::Staged(staged) => staged.record(),
        }
    }
}

/// Writes files: all are complete beside their places before the first of them
/// takes its place. Returns their paths.
pub(crate) fn write_all(due: Vec<Due>, plan: &OutputPlan) -> anyhow::Result<Vec<String>> {
    let mut ready = Vec::new();
    let mut shown = Vec::new();
    for file in due {
        match file {
            Due::Staged(staged) => {
                shown.push(staged.shown());
                ready.push(staged);
            }
            Due::Pending(Pending { target, bytes }) => {
                shown.push(target.shown());
                ready.extend(write_pending(target, &bytes, plan)?);
            }
        }
    }
    for file in &mut ready {
        file.wait()?;
    }
    for file in ready {
        file.place(plan.existing)?;
    }
    Ok(shown)
}

fn write_pending(target: Target, bytes: &[u8], plan: &OutputPlan) -> anyhow::Result<Option<Staged>> {
    match target {
        Target::Stdout if plan.mode == Mode::Write => {
            progress::doing("writing -");
            let mut out = io::stdout().lock();
            let written = out.write_all(bytes).and_then(|()| out.flush());
            written.context("could not write to standard output").map(|()| None)
        }
        Target::Path(path) if plan.mode == Mode::Write => {
            plan.prepare_place(&path)?;
            Staged::of(path, bytes, Readers::AsUsual).map(Some)
        }
        Target::Path(path) if plan.folder().is_none() => plan.ensure_writable(&path).map(|()| None),
        Target::Stdout | Target::Path(_) => Ok(None),
    }
}

/// Writes one file, whole or not at all.
pub(crate) fn write_file(path: &Path, bytes: &[u8], existing: Existing) -> anyhow::Result<()> {
    Staged::of(path.to_owned(), bytes, Readers::AsUsual)?.place(existing)
}

/// Writes one file that is its owner's alone, whole or not at all.
pub(crate) fn write_private_file(path: &Path, bytes: &[u8], existing: Existing) -> anyhow::Result<()> {
    Staged::of(path.to_owned(), bytes, Readers::Owner)?.place(existing)
}
