//! `bundle`: a backup of calendars that can be checked, and read back.

use std::fs::File;
use std::io::Read as _;
use std::path::{Component, Path, PathBuf};

use anyhow::{Context, bail};

use super::{Command, Program};
use crate::answer::backup::{Backup, Restored};
use crate::answer::{Form, give};
use crate::input::{InputGroup, ReadAs, ReadFiles, Secret, files_on_disk, with_sources};
use crate::job::args::{AnswerArgs, ReadingArgs};
use crate::job::packing::Packing;
use crate::outcome::Outcome;
use crate::output::backup::{Against, Checked, checked, restored};
use crate::output::contents::Contents;
use crate::output::{Batch, Existing, Folder, Guard, Mode, NamedFile, Readers, Role, Target};
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
            let mut packing = Packing::default();
            packing.add_calendars(&mut sources, &reading)?;
            let on_disk = files_on_disk(&self.inputs, output.path())?;
            packing.add_originals(&on_disk, &sources, &files)?;
            let Packing { manifest, contents, .. } = packing;
            let set_aside = manifest.set_aside;
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
