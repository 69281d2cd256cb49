//! `bundle`: a backup of calendars that can be checked, and read back.

use emvo_core::product::PRODUCT_ID;
use std::collections::BTreeSet;
use std::fs;
use std::io::{Cursor, Read, Write};
use std::path::{Path, PathBuf};

use anyhow::{Context, bail};
use emvo_core::survey::{default_window, survey};
use emvo_ical::calendar::{count_events, write_with_head};
use emvo_ical::recurrence::Ceiling;
use serde::{Deserialize, Serialize};
use zip::write::SimpleFileOptions;
use zip::{AesMode, CompressionMethod, ZipArchive, ZipWriter};

use crate::args::{AnswerArgs, ReadingArgs};
use crate::commands::convert::as_calendar_file;
use crate::gather::gather;
use crate::json;
use crate::outcome::Outcome;
use crate::output::{Existing, write_private_file};
use crate::progress;
use crate::record::digest;
use crate::secret::Secret;
use crate::settle::Answer;
use crate::source::{self, Source};
use crate::terminal::{ERROR, GOOD, WARNING, counted, sanitized, styled};

const MANIFEST: &str = "manifest.json";

/// A backup: one calendar file each, with counts and digests, encrypted if you like
#[derive(Debug, clap::Args)]
pub(crate) struct BundleArgs {
    /// What to keep: exports, folders, zips
    #[arg(value_name = "INPUT", required_unless_present = "verify")]
    inputs: Vec<PathBuf>,
    /// Where to write the backup
    #[arg(
        long,
        short,
        value_name = "BACKUP.zip",
        required_unless_present = "verify",
        help_heading = "Output"
    )]
    output: Option<PathBuf>,
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

/// What a backup holds.
#[derive(Debug, Serialize, Deserialize)]
struct Manifest {
    emvo: String,
    bundle: u32,
    calendars: Vec<Entry>,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
struct Entry {
    file: String,
    name: String,
    source: String,
    events: usize,
    first: Option<String>,
    last: Option<String>,
    bytes: usize,
    sha256: String,
}

pub(crate) fn run(args: BundleArgs) -> anyhow::Result<Outcome> {
    let answer = args.answer.settle();
    let reading = args.reading.settle()?;
    if let Some(path) = &args.verify {
        return verify(path, reading.secret.as_ref(), answer);
    }
    let Some(output) = &args.output else { bail!("-o says where the backup goes") };
    let existing = if args.overwrite { Existing::Replace } else { Existing::Refuse };
    if existing == Existing::Refuse && output.exists() {
        bail!("`{}` exists already; --overwrite replaces it", output.display());
    }
    let secret = match (&reading.secret, args.encrypt) {
        (Some(secret), _) => Some(secret.clone()),
        (None, true) => {
            let typed = Secret::of_person("Passphrase for the backup: ")?;
            Some(typed.context(
                "there is nobody to ask for a passphrase; --passphrase-file F names a file with it",
            )?)
        }
        (None, false) => None,
    };
    let files = gather(&args.inputs, Some(output), reading.secret.as_ref())?;
    let is_input = |file: &Path| same_file::is_same_file(output, file).unwrap_or(false);
    if files.iter().filter_map(|file| file.on_disk.as_deref()).any(is_input) {
        bail!("the output is an input; inputs are never changed, name another file");
    }
    let texts = source::decode(&files, &reading)?;
    let mut sources = source::read(&texts, &reading)?;
    progress::doing("packing");
    let set_aside: usize = sources.iter().map(crate::commands::per_input::set_aside_in).sum();
    let (manifest, contents) = calendars(&mut sources, &reading)?;
    let bytes = zipped(&manifest, &contents, secret.as_ref())?;
    write_private_file(output, &bytes, existing)?;
    // What was written is read again before anybody relies on it.
    let checked = checked(&fs::read(output)?, secret.as_ref())?;
    if let Some(fault) = checked.faults.first() {
        bail!("the backup does not read back: {fault}");
    }
    tell("bundle", &checked.manifest, output, answer, set_aside)?;
    Ok(Outcome::needs_a_look_if(set_aside > 0))
}

type Contents = Vec<(String, Vec<u8>)>;

/// One calendar file for each calendar, under names that are all different.
fn calendars(
    sources: &mut [Source<'_>],
    reading: &crate::settle::Reading,
) -> anyhow::Result<(Manifest, Contents)> {
    let mut manifest =
        Manifest { emvo: env!("CARGO_PKG_VERSION").to_owned(), bundle: 1, calendars: Vec::new() };
    let (mut contents, mut taken) = (Vec::new(), BTreeSet::new());
    for source in sources {
        let path = source.path.clone();
        for loaded in &mut source.loaded {
            let counts = default_window(std::iter::once(&loaded.calendar))
                .map(|window| survey(&loaded.calendar, &loaded.zones, window, Ceiling::default()));
            let name = loaded.calendar.name();
            let calendar = as_calendar_file(&path, loaded, reading);
            let mut bytes = Vec::new();
            write_with_head(&calendar, &calendar.missing_head(PRODUCT_ID), &mut bytes);
            let events = std::str::from_utf8(&bytes).map_or(0, count_events);
            if events != calendar.series.len() {
                bail!(
                    "`{name}` would not be whole in the backup: {events} of {} events",
                    calendar.series.len()
                );
            }
            let file = free_name(&name, &mut taken);
            manifest.calendars.push(Entry {
                file: file.clone(),
                name,
                source: path.clone(),
                events,
                first: counts.as_ref().and_then(|counts| counts.first).map(|date| date.to_string()),
                last: counts.as_ref().and_then(|counts| counts.last).map(|date| date.to_string()),
                bytes: bytes.len(),
                sha256: digest(&bytes),
            });
            contents.push((file, bytes));
        }
    }
    Ok((manifest, contents))
}

fn free_name(name: &str, taken: &mut BTreeSet<String>) -> String {
    let safe: String =
        name.trim().chars().map(|char| if char.is_alphanumeric() { char } else { '-' }).collect();
    let safe = if safe.is_empty() { "calendar".to_owned() } else { safe.to_lowercase() };
    let named =
        |number: usize| if number == 1 { format!("{safe}.ics") } else { format!("{safe}-{number}.ics") };
    // One more name than there are taken ones is free.
    let number = (1..=taken.len() + 1).find(|number| !taken.contains(&named(*number))).unwrap_or(1);
    taken.insert(named(number));
    named(number)
}

/// The same content makes the same bytes: entries carry no time. (Encryption
/// takes a new salt each time, as it must.)
fn zipped(manifest: &Manifest, contents: &Contents, secret: Option<&Secret>) -> anyhow::Result<Vec<u8>> {
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    let options =
        SimpleFileOptions::default().compression_method(CompressionMethod::Deflated).unix_permissions(0o600);
    let mut manifest = serde_json::to_vec_pretty(manifest)?;
    manifest.push(b'\n');
    for (name, bytes) in std::iter::once((MANIFEST, manifest.as_slice()))
        .chain(contents.iter().map(|(name, bytes)| (name.as_str(), bytes.as_slice())))
    {
        match secret {
            None => zip.start_file(name, options)?,
            Some(secret) => {
                zip.start_file(name, options.with_aes_encryption(AesMode::Aes256, secret.as_str()))?;
            }
        }
        zip.write_all(bytes)?;
    }
    Ok(zip.finish()?.into_inner())
}

/// A backup, read again.
struct Checked {
    manifest: Manifest,
    /// What is not as the manifest says.
    faults: Vec<String>,
}

fn checked(bytes: &[u8], secret: Option<&Secret>) -> anyhow::Result<Checked> {
    let mut zip = ZipArchive::new(Cursor::new(bytes)).context("it is no zip")?;
    let manifest = entry(&mut zip, MANIFEST, secret)?;
    let manifest: Manifest = serde_json::from_slice(&manifest).context("its manifest cannot be read")?;
    let mut faults = Vec::new();
    for calendar in &manifest.calendars {
        match entry(&mut zip, &calendar.file, secret) {
            Err(error) => faults.push(format!("{}: {error:#}", calendar.file)),
            Ok(bytes) if digest(&bytes) != calendar.sha256 => {
                faults.push(format!("{}: its content is not what was kept", calendar.file));
            }
            Ok(bytes) => {
                let events = std::str::from_utf8(&bytes).map_or(0, count_events);
                if events != calendar.events {
                    faults.push(format!(
                        "{}: {events} events, and {} were kept",
                        calendar.file, calendar.events
                    ));
                }
            }
        }
    }
    let known: BTreeSet<&str> = manifest.calendars.iter().map(|calendar| calendar.file.as_str()).collect();
    let names: Vec<String> =
        zip.file_names().filter_map(Result::ok).map(std::borrow::Cow::into_owned).collect();
    for name in names.iter().filter(|name| *name != MANIFEST && !known.contains(name.as_str())) {
        faults.push(format!("{name}: it is in no manifest"));
    }
    Ok(Checked { manifest, faults })
}

fn entry(
    zip: &mut ZipArchive<Cursor<&[u8]>>,
    name: &str,
    secret: Option<&Secret>,
) -> anyhow::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    let read = match secret {
        None => zip.by_name(name).map(|mut file| file.read_to_end(&mut bytes)),
        Some(secret) => {
            zip.by_name_decrypt(name, secret.as_str().as_bytes()).map(|mut file| file.read_to_end(&mut bytes))
        }
    };
    match read {
        Ok(read) => read.map(|_| bytes).context("it cannot be unpacked"),
        Err(zip::result::ZipError::InvalidPassword) => bail!("the passphrase is wrong"),
        Err(zip::result::ZipError::UnsupportedArchive(why))
            if why == zip::result::ZipError::PASSWORD_REQUIRED =>
        {
            bail!("it is encrypted: --passphrase-file F names a file with its passphrase")
        }
        Err(error) => Err(error).context("it cannot be opened"),
    }
}

fn verify(path: &Path, secret: Option<&Secret>, answer: Answer) -> anyhow::Result<Outcome> {
    let bytes = fs::read(path).with_context(|| format!("could not read `{}`", path.display()))?;
    let found = checked(&bytes, secret).with_context(|| format!("`{}`", path.display()))?;
    if found.faults.is_empty() {
        tell("bundle", &found.manifest, path, answer, 0)?;
        return Ok(Outcome::Clean);
    }
    match answer {
        Answer::Json => {
            json::print("bundle", &BundleJson::of(&found.manifest, path, 0, found.faults.clone()))
                .context("could not print")?;
        }
        Answer::Silent => {}
        Answer::Text(_) => {
            for fault in &found.faults {
                say_line!("{} {}", styled(ERROR, "broken"), sanitized(fault));
            }
        }
    }
    Ok(Outcome::NeedsALook)
}

#[derive(Serialize)]
struct BundleJson {
    path: String,
    calendars: Vec<Entry>,
    set_aside: usize,
    faults: Vec<String>,
}

impl BundleJson {
    fn of(manifest: &Manifest, path: &Path, set_aside: usize, faults: Vec<String>) -> Self {
        Self { path: path.display().to_string(), calendars: manifest.calendars.clone(), set_aside, faults }
    }
}

fn tell(
    command: &'static str,
    manifest: &Manifest,
    path: &Path,
    answer: Answer,
    set_aside: usize,
) -> anyhow::Result<()> {
    match answer {
        Answer::Json => {
            json::print(command, &BundleJson::of(manifest, path, set_aside, Vec::new()))
                .context("could not print")?;
        }
        Answer::Silent => {}
        Answer::Text(_) => {
            for one in &manifest.calendars {
                let range = match (&one.first, &one.last) {
                    (Some(first), Some(last)) => format!(", {first} to {last}"),
                    _ => String::new(),
                };
                let line = format!(
                    "{}  {}{range}  ({})",
                    one.file,
                    counted(one.events, "event", "events"),
                    one.name
                );
                say_line!("  {}", sanitized(&line));
            }
            let calendars = counted(manifest.calendars.len(), "calendar", "calendars");
            let shown = sanitized(&path.display().to_string());
            say_line!("{}: {calendars} in {shown}, read again and as they were", styled(GOOD, "Whole"));
            if set_aside > 0 {
                let events =
                    counted(set_aside, "event could not be read and is", "events could not be read and are");
                say_line!("{} {events} not in the backup: keep the exports as well", styled(WARNING, "!"));
            }
        }
    }
    Ok(())
}
