//! `bundle`: a backup of calendars that can be checked, and read back.

use std::fs::File;
use std::io::Read as _;
use std::path::{Component, Path, PathBuf};

use anyhow::{Context, bail};
use emvo_core::product::PRODUCT_ID;
use emvo_core::survey::{default_window, survey};
use emvo_ical::calendar::{count_components, write_with_head};
use emvo_ical::recurrence::Ceiling;

use super::{Command, Program};
use crate::answer::backup::{Backup, Restored};
use crate::answer::{Form, give};
use crate::commands::convert::as_calendar_file;
use crate::input::{
    InputGroup, Letters, ORIGINALS, ReadAs, ReadFiles, Reading, Secret, Source, TakenNames, files_on_disk,
    with_sources,
};
use crate::job::args::{AnswerArgs, ReadingArgs};
use crate::outcome::Outcome;
use crate::output::backup::{Against, Checked, Entry, Manifest, Original, checked, restored};
use crate::output::contents::{Contents, Kept};
use crate::output::{Batch, Existing, Folder, Guard, Mode, NamedFile, Readers, Role, Target, free_name};
use crate::terminal::progress;

/// A backup: one calendar file each, with counts and digests, encrypted if you like
#[derive(Debug, clap::Args)]
pub(crate) struct BundleArgs {
    /// What to keep: exports, folders, zips; with --restore the backup
    #[arg(value_name = "INPUT", required_unless_present = "verify")]
    inputs: Vec<PathBuf>,
    /// Where to write the backup; with --restore the folder for what comes back
    #[arg(
        long,
        short,
        value_name = "BACKUP.zip|FOLDER",
        required_unless_present = "verify",
        help_heading = "Output"
    )]
    output: Option<PathBuf>,
    /// Give back calendars or exports of the backup that is the input, by name, or all
    #[arg(
        long,
        value_name = "NAME|all",
        requires = "output",
        conflicts_with = "encrypt",
        help_heading = "Output"
    )]
    restore: Option<String>,
    /// Read a backup again and check it
    #[arg(long, value_name = "BACKUP.zip", conflicts_with_all = ["inputs", "output"], help_heading = "Output")]
    verify: Option<PathBuf>,
    /// Encrypt with a passphrase: that of --passphrase-file, else one that is asked for
    #[arg(long, help_heading = "Output")]
    encrypt: bool,
    /// Replace an existing file
    #[arg(long, help_heading = "Output")]
    overwrite: bool,
    #[command(flatten)]
    reading: ReadingArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

impl Command for BundleArgs {
    const EXAMPLES: &'static [&'static str] = &[
        "emvo bundle exports -o backup.zip",
        "emvo bundle --verify backup.zip",
        "emvo bundle backup.zip --restore all -o restored",
    ];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        let form = self.answer.resolve();
        let files = ReadFiles::default();
        let reading = self.reading.resolve(&files)?;
        if let Some(path) = &self.verify {
            return verify(path, &files, reading.secret.as_ref(), form);
        }
        let existing = Existing::of_flag(self.overwrite);
        if let (Some(wanted), Some(folder)) = (&self.restore, &self.output) {
            let [backup] = self.inputs.as_slice() else { bail!("--restore takes one backup as INPUT") };
            let restore = Restore { backup, wanted, folder, existing };
            return restore.run(&files, reading.secret.as_ref(), form);
        }
        let guard = Guard::new(&files);
        let output = NamedFile::at(self.output.as_deref(), Role::Output, existing, &guard)?;
        output.path().context(NO_FILE)?;
        let secret = match (&reading.secret, self.encrypt) {
            (Some(secret), _) => Some(secret.clone()),
            (None, true) => Some(asked()?),
            (None, false) => None,
        };
        let group = InputGroup { paths: &self.inputs, reading: &reading, except: output.path() };
        with_sources(&[group], &files, |[mut sources]| {
            progress::doing("packing");
            let set_aside: usize = sources.iter().map(Source::events_set_aside).sum();
            let (mut manifest, mut contents) = calendars(&mut sources, &reading)?;
            let on_disk = files_on_disk(&self.inputs, output.path())?;
            keep_originals(&on_disk, &sources, &files, &mut manifest, &mut contents)?;
            manifest.set_aside = set_aside;
            manifest.not_read = sources.iter().map(|source| source.beside.not_read.len()).sum();
            let zip = contents.zipped(&manifest, secret.as_ref())?;
            let mut batch = Batch::new(Mode::Write, &guard, Readers::Owner);
            // Read again before it takes the place of an older one.
            let found =
                output.make_in(&mut batch, &zip, |file| read_again(file, secret.as_ref(), &contents))?;
            let Some(Checked { manifest, faults }) = found else { bail!(NO_FILE) };
            if let Some(fault) = faults.first() {
                bail!("the backup does not read back, so it was not kept: {fault}");
            }
            batch.place()?;
            let path = output.shown().unwrap_or_default();
            give(&Backup { path, manifest, faults }, form)?;
            Ok(Outcome::needs_a_look_if(set_aside > 0))
        })
    }
}

const NO_FILE: &str = "a backup is read again once it is written: -o names a file for it";

fn asked() -> anyhow::Result<Secret> {
    Secret::of_person("Passphrase for the backup: ")?
        .context("there is nobody to ask for a passphrase; --passphrase-file F names a file with it")
}

/// Reads what was written again, before anybody relies on it.
fn read_again(mut file: File, secret: Option<&Secret>, packed: &Contents) -> anyhow::Result<Checked> {
    let mut bytes = Vec::new();
    file.read_to_end(&mut bytes)?;
    checked(&bytes, secret, Against::Contents(packed))
}

/// One calendar file for each calendar, under names that are all different.
fn calendars(sources: &mut [Source<'_>], reading: &Reading) -> anyhow::Result<(Manifest, Contents)> {
    let mut manifest = Manifest {
        emvo: env!("CARGO_PKG_VERSION").to_owned(),
        bundle: 2,
        calendars: Vec::new(),
        originals: Vec::new(),
        set_aside: 0,
        not_read: 0,
    };
    let (mut contents, mut taken) = (Contents::default(), TakenNames::default());
    for source in sources {
        let path = source.path.clone();
        for loaded in &mut source.loaded {
            let counts = default_window(std::iter::once(&loaded.calendar)).map(|window| {
                survey(&loaded.calendar, &loaded.zones, (window, Ceiling::default()), |_, _| true)
            });
            let name = loaded.calendar.name();
            let calendar = as_calendar_file(&path, loaded, reading);
            let mut bytes = Vec::new();
            write_with_head(&calendar, &calendar.missing_head(PRODUCT_ID), &mut bytes);
            let events =
                std::str::from_utf8(&bytes).map_or(0, |text| count_components(text).components.events);
            if events != calendar.series.len() {
                bail!(
                    "`{name}` would not be whole in the backup: {events} of {} events",
                    calendar.series.len()
                );
            }
            let file = format!("{}.ics", free_name(&name, &mut taken));
            let kept = contents.keep(file.clone(), bytes);
            manifest.calendars.push(Entry {
                file,
                name,
                source: handed_on(&path),
                events,
                first: counts.as_ref().and_then(|counts| counts.first).map(|date| date.to_string()),
                last: counts.as_ref().and_then(|counts| counts.last).map(|date| date.to_string()),
                bytes: kept.bytes,
                sha256: kept.sha256,
            });
        }
    }
    Ok((manifest, contents))
}

/// The exports as they came: every file on the disk as a whole, and what came
/// through standard input.
fn keep_originals(
    on_disk: &[PathBuf],
    sources: &[Source<'_>],
    files: &ReadFiles,
    manifest: &mut Manifest,
    contents: &mut Contents,
) -> anyhow::Result<()> {
    let not_read: Vec<String> = sources
        .iter()
        .flat_map(|source| &source.beside.not_read)
        .map(|file| file.path().to_owned())
        .collect();
    let was_told = |shown: &str| not_read.iter().any(|path| path == shown);
    let mut all = Vec::new();
    for path in on_disk {
        let shown = path.display().to_string();
        match files.read(path, ReadAs::Input) {
            Ok(bytes) => all.push((shown, bytes)),
            Err(_) if was_told(&shown) => {}
            Err(error) => return Err(error).with_context(|| format!("could not read `{shown}` again")),
        }
    }
    let piped = sources.iter().filter(|source| source.path == "-");
    all.extend(piped.map(|source| ("standard-input".to_owned(), source.bytes.to_vec())));
    let mut taken = TakenNames::default();
    for (source, bytes) in all {
        let source = handed_on(&source);
        let file = original_name(&source, &mut taken);
        let Kept { bytes, sha256 } = contents.keep(file.clone(), bytes);
        manifest.originals.push(Original { file, source, bytes, sha256 });
    }
    Ok(())
}

/// A path as a backup tells it, which is handed on: of one that says where it is on this
/// machine, the name alone.
fn handed_on(path: &str) -> String {
    if Path::new(path).is_absolute() {
        return path.rsplit('/').next().unwrap_or_default().to_owned();
    }
    path.to_owned()
}

/// The path of an export inside the backup: its own below `originals/`, without
/// what would lead out of it.
fn original_name(source: &str, taken: &mut TakenNames) -> String {
    let parts = Path::new(source).components().filter_map(|part| match part {
        Component::Normal(part) => Some(part.to_string_lossy()),
        _ => None,
    });
    let name = parts.collect::<Vec<_>>().join("/");
    taken.free(Letters::AsTheyAre, |number| match number {
        1 => format!("{ORIGINALS}{name}"),
        _ => format!("{ORIGINALS}{number}/{name}"),
    })
}

fn verify(path: &Path, files: &ReadFiles, secret: Option<&Secret>, form: Form) -> anyhow::Result<Outcome> {
    let shown = path.display().to_string();
    let bytes = files.read(path, ReadAs::Backup).with_context(|| format!("could not read `{shown}`"))?;
    let found = checked(&bytes, secret, Against::Manifest).with_context(|| format!("`{shown}`"))?;
    let is_broken = !found.faults.is_empty();
    give(&Backup { path: shown, manifest: found.manifest, faults: found.faults }, form)?;
    Ok(Outcome::needs_a_look_if(is_broken))
}

/// Giving back what a backup holds.
struct Restore<'r> {
    backup: &'r Path,
    wanted: &'r str,
    folder: &'r Path,
    existing: Existing,
}

impl Restore<'_> {
    fn run(&self, files: &ReadFiles, secret: Option<&Secret>, form: Form) -> anyhow::Result<Outcome> {
        let shown = self.backup.display().to_string();
        let bytes =
            files.read(self.backup, ReadAs::Backup).with_context(|| format!("could not read `{shown}`"))?;
        let contents = restored(&bytes, secret, self.wanted).with_context(|| format!("`{shown}`"))?;
        let guard = Guard::new(files);
        let mut batch = Batch::new(Mode::Write, &guard, Readers::AsUsual);
        for (name, bytes) in contents {
            // The name comes out of a zip, which may have been made to lead elsewhere.
            let path = Path::new(&name);
            if !path.components().all(|part| matches!(part, Component::Normal(_))) {
                bail!("`{shown}`: `{name}` leads out of its folder, so nothing was restored");
            }
            let claim = guard.claim(&self.folder.join(path), Role::Output, self.existing, Folder::Make)?;
            batch.add(Target::File(claim), bytes);
        }
        let outputs = batch.paths();
        batch.place()?;
        give(&Restored { backup: shown, outputs }, form)?;
        Ok(Outcome::needs_a_look_if(false))
    }
}
