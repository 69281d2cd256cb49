//! What goes into a backup: one calendar file for each calendar, and the exports as they came.

use std::path::{Component, Path, PathBuf};

use anyhow::{Context, bail};
use emvo_core::product::PRODUCT_ID;
use emvo_core::survey::{default_window, survey};
use emvo_ical::calendar::{count_components, write_with_head};
use emvo_ical::recurrence::Ceiling;

use super::calendar_file::as_calendar_file;
use crate::input::{Letters, ORIGINALS, ReadAs, ReadFiles, Reading, Source, TakenNames};
use crate::output::backup::{Entry, Manifest, Original};
use crate::output::contents::{Contents, Kept};
use crate::output::free_name;

/// So much longer may a calendar get that is written, without its text being moved.
const ROOM_FOR_A_HEAD: usize = 1 << 12;

/// A backup that is being filled, under names that are all different.
pub(crate) struct Packing {
    pub(crate) manifest: Manifest,
    pub(crate) contents: Contents,
    calendar_names: TakenNames,
    original_names: TakenNames,
}

impl Default for Packing {
    fn default() -> Self {
        let manifest = Manifest {
            emvo: env!("CARGO_PKG_VERSION").to_owned(),
            bundle: 2,
            calendars: Vec::new(),
            originals: Vec::new(),
            set_aside: 0,
            not_read: 0,
        };
        Self {
            manifest,
            contents: Contents::default(),
            calendar_names: TakenNames::default(),
            original_names: TakenNames::default(),
        }
    }
}

impl Packing {
    /// Adds the calendars of some sources, and counts what of them cannot be read.
    pub(crate) fn add_calendars(
        &mut self,
        sources: &mut [Source<'_>],
        reading: &Reading,
    ) -> anyhow::Result<()> {
        self.manifest.set_aside += sources.iter().map(Source::events_set_aside).sum::<usize>();
        self.manifest.not_read += sources.iter().map(|source| source.beside.not_read.len()).sum::<usize>();
        for source in sources {
            let path = source.path.clone();
            // Nearly all that is written of a file with one calendar is what was read.
            let room = if source.loaded.len() == 1 { source.bytes.len() + ROOM_FOR_A_HEAD } else { 0 };
            for loaded in &mut source.loaded {
                let counts = default_window(std::iter::once(&loaded.calendar)).map(|window| {
                    survey(&loaded.calendar, &loaded.zones, (window, Ceiling::default()), |_, _| true)
                });
                let name = loaded.calendar.name();
                let calendar = as_calendar_file(&path, loaded, reading);
                let mut bytes = Vec::with_capacity(room);
                write_with_head(&calendar, &calendar.missing_head(PRODUCT_ID), &mut bytes);
                let events =
                    std::str::from_utf8(&bytes).map_or(0, |text| count_components(text).components.events);
                if events != calendar.series.len() {
                    bail!(
                        "`{name}` would not be whole in the backup: {events} of {} events",
                        calendar.series.len()
                    );
                }
                let file = format!("{}.ics", free_name(&name, &mut self.calendar_names));
                let kept = self.contents.keep(file.clone(), bytes);
                self.manifest.calendars.push(Entry {
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
        Ok(())
    }

    /// Adds the exports as they came: every file on the disk as a whole, and what came
    /// through standard input.
    pub(crate) fn add_originals(
        &mut self,
        on_disk: &[PathBuf],
        sources: &[Source<'_>],
        files: &ReadFiles,
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
        for (source, bytes) in all {
            let source = handed_on(&source);
            let file = original_name(&source, &mut self.original_names);
            let Kept { bytes, sha256 } = self.contents.keep(file.clone(), bytes);
            self.manifest.originals.push(Original { file, source, bytes, sha256 });
        }
        Ok(())
    }
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
