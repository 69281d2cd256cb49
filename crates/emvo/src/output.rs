//! Results → files: whole or not at all, and never in place of an input.

use std::ffi::OsString;
use std::fmt::Write as _;
use std::fs;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use anyhow::{Context, bail};
use emvo_core::calendar::Unsound;
use emvo_core::content::{Component, push_component};
use emvo_core::merge::PRODUCT_ID;

use crate::args::OutputArgs;
use crate::gather::SourceFile;
use crate::progress;
use crate::record::Recording;
use crate::source::{Format, Source};
use crate::terminal::warn;

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

/// Writes files: all are complete beside their places before the first of them
/// takes its place. Returns their paths.
pub(crate) fn write_all(pending: Vec<Pending>, plan: &OutputPlan) -> anyhow::Result<Vec<String>> {
    let mut ready = Vec::new();
    let mut shown = Vec::new();
    if let (Some(folder), Mode::Write) = (plan.folder(), plan.mode) {
        fs::create_dir_all(folder)
            .with_context(|| format!("could not make the folder `{}`", folder.display()))?;
    }
    for Pending { target, bytes } in pending {
        if plan.mode == Mode::Write {
            progress::doing(&format!("writing {}", target.shown()));
        }
        match target {
            Target::Stdout => {
                if plan.mode == Mode::Write {
                    let mut out = io::stdout().lock();
                    out.write_all(&bytes)
                        .and_then(|()| out.flush())
                        .context("could not write to standard output")?;
                }
                shown.push("-".to_owned());
            }
            Target::Path(path) => {
                if plan.mode == Mode::Write || plan.folder().is_none() {
                    plan.ensure_writable(&path)?;
                }
                shown.push(path.display().to_string());
                if plan.mode == Mode::Write {
                    ready.push((prepared(&path, &bytes, Readers::AsUsual)?, path));
                }
            }
        }
    }
    for (file, path) in ready {
        place(file, &path, plan.existing)?;
    }
    Ok(shown)
}

/// Writes one file, whole or not at all.
pub(crate) fn write_file(path: &Path, bytes: &[u8], existing: Existing) -> anyhow::Result<()> {
    place(prepared(path, bytes, Readers::AsUsual)?, path, existing)
}

/// Writes one file that is its owner's alone, whole or not at all.
pub(crate) fn write_private_file(path: &Path, bytes: &[u8], existing: Existing) -> anyhow::Result<()> {
    place(prepared(path, bytes, Readers::Owner)?, path, existing)
}

/// The files that are complete nowhere yet.
static UNFINISHED: Mutex<Vec<PathBuf>> = Mutex::new(Vec::new());

fn unfinished() -> MutexGuard<'static, Vec<PathBuf>> {
    // A list of paths is sound whatever its last user did.
    UNFINISHED.lock().unwrap_or_else(PoisonError::into_inner)
}

/// On an interrupt nothing half written stays: unfinished files go, and the
/// status is that of an interrupted program.
pub(crate) fn clean_up_when_interrupted() -> anyhow::Result<()> {
    const INTERRUPTED: i32 = 130;
    // A file that may not grow further shall be an error like a full disk, with
    // its message and its cleaning up; without a handler it ends the process.
    #[cfg(unix)]
    signal_hook::flag::register(signal_hook::consts::SIGXFSZ, Arc::default())
        .context("could not prepare for a limit on files")?;
    let prepared = ctrlc::set_handler(|| {
        // Held to the end: nothing new begins any more.
        let mut files = unfinished();
        for path in files.drain(..) {
            // It may just have taken its place; then there is nothing to remove.
            let _ = fs::remove_file(path);
        }
        #[allow(clippy::exit, reason = "the way out of a signal")]
        std::process::exit(INTERRUPTED);
    });
    match prepared {
        // Once a process is enough.
        Ok(()) | Err(ctrlc::Error::MultipleHandlers) => Ok(()),
        Err(error) => Err(error).context("could not prepare for an interrupt"),
    }
}

fn place(file: tempfile::NamedTempFile, path: &Path, existing: Existing) -> anyhow::Result<()> {
    let placed = match existing {
        Existing::Replace => file.persist(path),
        Existing::Refuse => file.persist_noclobber(path),
    };
    placed.map(drop).with_context(|| format!("could not write `{}`", path.display()))
}

/// Who may read a result.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Readers {
    /// Those that the umask lets.
    AsUsual,
    /// Its owner alone.
    Owner,
}

fn prepared(path: &Path, bytes: &[u8], readers: Readers) -> anyhow::Result<tempfile::NamedTempFile> {
    let folder = folder_of(path);
    let mut builder = tempfile::Builder::new();
    builder.prefix(".emvo-");
    #[cfg(unix)]
    if readers == Readers::AsUsual {
        builder.permissions(std::os::unix::fs::PermissionsExt::from_mode(0o666));
    }
    let mut files = unfinished();
    let file = builder.tempfile_in(folder);
    let mut file = file.with_context(|| format!("could not write into `{}`", folder.display()))?;
    // An interrupt waits until the file is on the list.
    files.push(file.path().to_owned());
    drop(files);
    file.write_all(bytes)
        .and_then(|()| file.as_file().sync_all())
        .with_context(|| format!("could not write `{}`", path.display()))?;
    Ok(file)
}

/// What is set aside from all sources, as files: calendar parts in one, table
/// rows in another.
pub(crate) fn set_aside_files(
    sources: &[Source<'_>],
    unsound: &[(String, &Unsound<'_>)],
    whole: &[&Component<'_>],
    plan: &OutputPlan,
) -> anyhow::Result<Vec<Pending>> {
    let mut files = Vec::new();
    if let Some(bytes) = calendar_parts(sources, unsound, whole) {
        files.extend(pending(bytes, Format::Ics, plan));
    }
    if let Some(bytes) = table_rows(sources)? {
        files.extend(pending(bytes, Format::Csv, plan));
    }
    Ok(files)
}

fn pending(bytes: Vec<u8>, format: Format, plan: &OutputPlan) -> Option<Pending> {
    let Some(path) = plan.set_aside_path(format) else {
        warn("something was set aside and is nowhere kept: --set-aside PATH keeps it");
        return None;
    };
    Some(Pending { target: Target::Path(path), bytes })
}

fn calendar_parts(
    sources: &[Source<'_>],
    unsound: &[(String, &Unsound<'_>)],
    whole: &[&Component<'_>],
) -> Option<Vec<u8>> {
    let mut parts = String::new();
    for source in sources {
        for fault in source.set_aside.faults.iter().filter(|fault| !fault.text.is_empty()) {
            // Writing into a string cannot fail.
            let _ = write!(parts, "X-EMVO-SET-ASIDE:{} line {}: {}\r\n", source.path, fault.line, fault.kind);
            parts.push_str(fault.text.trim_end_matches(['\r', '\n']));
            parts.push_str("\r\n");
        }
    }
    let mut out = Vec::new();
    for (path, event) in unsound {
        let head = format!("X-EMVO-SET-ASIDE:{path} line {}: {}\r\n", event.component.line(), event.error);
        out.extend_from_slice(head.as_bytes());
        push_component(&mut out, &event.component);
    }
    for event in whole {
        out.extend_from_slice(
            b"X-EMVO-SET-ASIDE:F10: a text of it was cut to fit; this is the whole event\r\n",
        );
        push_component(&mut out, event);
    }
    if parts.is_empty() && out.is_empty() {
        return None;
    }
    let head = format!("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:{PRODUCT_ID}\r\n");
    Some([head.as_bytes(), parts.as_bytes(), &out, b"END:VCALENDAR\r\n"].concat())
}

fn table_rows(sources: &[Source<'_>]) -> anyhow::Result<Option<Vec<u8>>> {
    let with_rows: Vec<_> = sources.iter().filter(|source| !source.set_aside.rows.is_empty()).collect();
    if with_rows.is_empty() {
        return Ok(None);
    }
    // A spreadsheet takes UTF-8 for what it is only behind a mark.
    let mut writer = csv::WriterBuilder::new()
        .terminator(csv::Terminator::CRLF)
        .flexible(true)
        .from_writer("\u{feff}".as_bytes().to_vec());
    for source in with_rows {
        let head = ["file", "row", "reason"].into_iter().map(str::to_owned);
        let headers = source.table.sniffed.iter().flat_map(|sniffed| sniffed.headers().map(str::to_owned));
        writer.write_record(head.chain(headers))?;
        for row in &source.set_aside.rows {
            let head = [source.path.clone(), row.row.to_string(), row.reason.clone()];
            writer.write_record(head.into_iter().chain(row.cells.iter().cloned()))?;
        }
    }
    Ok(Some(writer.into_inner().map_err(|error| anyhow::anyhow!("{error}"))?))
}
