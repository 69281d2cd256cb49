//! Files → calendars: what kind each is, and what it holds.

use std::collections::BTreeMap;
use std::path::Path;

use anyhow::{Context, bail};
use emvo_core::receipt::ReadLog;
use emvo_core::rules::{Quiet, SourceFacts};
use emvo_core::table::{self, Note, NoteKind, SetAsideRow, Sniffed, TableError, WholeIds};
use emvo_core::view::CalendarView;
use emvo_ical::calendar::{self, Calendar, ComponentCounts, ComponentKind, Unsound};
use emvo_ical::content::{self, Charset, Decoded, Fault, FaultKind, Item};
use emvo_ical::version_one;
use emvo_ical::zone::ZoneResolver;
use rayon::prelude::*;

use super::not_read::NotRead;
use super::quiet::{EventReading, load_quietly};
use super::reading::{EventTracking, Reading, Undecided};
use super::source_file::{Book, SourceFile};
use super::source_text::{LineForm, SourceText};
use super::spreadsheet;
use crate::terminal::{counted, grouped, progress};

/// What a file is, found by looking into it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Format {
    Ics,
    Csv,
}

impl Format {
    pub(crate) fn name(self) -> &'static str {
        match self {
            Self::Ics => "ics",
            Self::Csv => "csv",
        }
    }
}

/// One file of the inputs, read.
pub(crate) struct Source<'t> {
    pub(crate) path: String,
    pub(crate) format: Format,
    pub(crate) loaded: Vec<Loaded<'t>>,
    pub(crate) set_aside: SetAside<'t>,
    /// How its bytes were read.
    pub(crate) charset: Charset,
    /// How the lines of a calendar file are written; `None` for a table.
    pub(crate) form: Option<LineForm<'t>>,
    /// Of each calendar from before the standard, what the standard has no place for.
    pub(crate) old_forms: Vec<BTreeMap<String, usize>>,
    /// How a table was read.
    pub(crate) table: TableFacts,
    /// What is in the file, what could not be read included.
    pub(crate) read: ComponentCounts,
    /// The bytes as they came, to tell whether two files are the same.
    pub(crate) bytes: &'t [u8],
    /// The spreadsheet that it is a sheet of.
    pub(crate) book: Option<&'t Book>,
    /// Its events as they were read, for a receipt.
    pub(crate) log: ReadLog<'t>,
    /// What was given with it and is no source; of all that were read together, it is
    /// with the first.
    pub(crate) beside: Beside,
}

/// What was given besides calendars and tables.
#[derive(Clone, Debug, Default)]
pub(crate) struct Beside {
    /// What claims to be an export, was named or is empty, and was not read.
    pub(crate) not_read: Vec<NotRead>,
    /// The paths of other files, such as pictures, that were found and not looked at.
    pub(crate) others: Vec<String>,
}

/// What is known about a table besides its events; empty for a calendar file.
#[derive(Clone, Debug, Default)]
pub(crate) struct TableFacts {
    pub(crate) sniffed: Option<Sniffed>,
    pub(crate) notes: Vec<Note>,
    /// What a person has to decide, where that kept the table from being read.
    pub(crate) undecided: Option<TableError>,
}

impl TableFacts {
    /// How many rows are flagged as repeating and no more.
    pub(crate) fn flag_only(&self) -> usize {
        self.notes.iter().filter(|note| note.kind == NoteKind::RepeatFlagOnly).count()
    }
}

/// A calendar with the meaning of its zone names.
pub(crate) struct Loaded<'t> {
    pub(crate) calendar: Calendar<'t>,
    pub(crate) zones: ZoneResolver,
    /// Its events that were not read; none, unless that was asked for.
    pub(crate) quiet: Quiet<'t>,
}

impl<'t> Loaded<'t> {
    /// Takes the calendar to change it. What cannot be placed in time stays, to
    /// be set aside.
    pub(crate) fn take(&mut self) -> Calendar<'t> {
        let unsound = std::mem::take(&mut self.calendar.unsound);
        std::mem::replace(&mut self.calendar, Calendar { unsound, ..Calendar::default() })
    }
}

/// What of a file is in no calendar.
#[derive(Clone, Debug, Default)]
pub(crate) struct SetAside<'t> {
    /// Parts of a calendar file.
    pub(crate) faults: Vec<Fault<'t>>,
    /// Rows of a table.
    pub(crate) rows: Vec<SetAsideRow>,
}

impl SetAside<'_> {
    /// How many events, tasks and journals are among it; the rest are fragments.
    pub(crate) fn counts(&self) -> ComponentCounts {
        let mut counts: ComponentCounts = self.faults.iter().filter_map(whole_component).collect();
        counts.events += self.rows.len();
        counts
    }

    /// The lines at which events among it begin.
    pub(crate) fn event_lines(&self) -> impl Iterator<Item = u32> {
        let is_event = |fault: &&Fault<'_>| whole_component(fault) == Some(ComponentKind::Event);
        self.faults.iter().filter(is_event).map(|fault| fault.line)
    }

    pub(crate) fn fragments(&self) -> usize {
        self.faults.iter().filter(|fault| whole_component(fault).is_none() && !fault.text.is_empty()).count()
    }
}

/// What a fault takes out of a calendar as a whole, if it is what people count.
fn whole_component(fault: &Fault<'_>) -> Option<ComponentKind> {
    match &fault.kind {
        FaultKind::Unclosed { name } | FaultKind::Unopened { name } => {
            Some(ComponentKind::of(name)).filter(|kind| *kind != ComponentKind::Other)
        }
        _ => None,
    }
}

impl<'t> Source<'t> {
    /// The bytes of the file as it came, for records: of a sheet those of its spreadsheet.
    pub(crate) fn as_it_came(&self) -> &[u8] {
        self.book.map_or(self.bytes, |book| &book.bytes)
    }

    pub(crate) fn calendars(&self) -> impl Iterator<Item = &Calendar<'t>> {
        self.loaded.iter().map(|loaded| &loaded.calendar)
    }

    /// What rules about files look at.
    pub(crate) fn facts(&self) -> SourceFacts<'_, 't> {
        SourceFacts {
            charset: self.charset,
            form: self.form.map(LineForm::wire_form),
            old_forms: &self.old_forms,
            calendars: self.calendars().collect(),
            faults: &self.set_aside.faults,
            unsound: self.calendars().flat_map(|calendar| &calendar.unsound).collect(),
            rows: &self.set_aside.rows,
            notes: &self.table.notes,
            undecided: self.table.undecided.clone(),
            limits: None,
        }
    }

    /// How many events of it go beside the output, since they cannot be read.
    pub(crate) fn events_set_aside(&self) -> usize {
        self.counts_set_aside().events
    }

    /// How many components of it go beside the output, since they cannot be read.
    pub(crate) fn counts_set_aside(&self) -> ComponentCounts {
        let mut counts = self.set_aside.counts();
        counts.events += self.calendars().map(|calendar| calendar.unsound.len()).sum::<usize>();
        counts
    }

    /// The events that cannot be placed in time.
    pub(crate) fn unsound(&self) -> impl Iterator<Item = &Unsound<'t>> {
        self.calendars().flat_map(|calendar| &calendar.unsound)
    }

    fn counts(&self) -> ComponentCounts {
        let mut counts = self.set_aside.counts();
        self.calendars().for_each(|calendar| counts += calendar.counts());
        counts.events += self.loaded.iter().map(|loaded| loaded.quiet.len()).sum::<usize>();
        counts
    }
}

/// The calendars of some sources, to be looked at.
pub(crate) fn views<'s, 't>(sources: &'s [Source<'t>]) -> Vec<CalendarView<'s, 't>> {
    let of_source = |source: &'s Source<'t>| {
        let view = |loaded: &'s Loaded<'t>| CalendarView {
            calendar: &loaded.calendar,
            zones: &loaded.zones,
            path: &source.path,
        };
        source.loaded.iter().map(view)
    };
    sources.iter().flat_map(of_source).collect()
}

/// Reads all files into calendars, in parallel and in order. What was found in
/// a folder or a zip and is no calendar is left out; what claims to be one is told.
pub(crate) fn read<'t>(texts: &'t [SourceText<'_>], reading: &Reading) -> anyhow::Result<Vec<Source<'t>>> {
    let bytes: usize = texts.iter().map(|text| text.file.bytes.len()).sum();
    let files = counted(texts.len(), "file", "files");
    progress::doing(&format!("understanding {files} of {} kB", grouped(bytes.div_ceil(1000))));
    // The ids of a table may be those of a calendar beside it (C12): then all are looked at.
    let asks_of_all = texts.iter().any(|text| text.form().is_none());
    let events = if asks_of_all { &EventReading::All } else { &reading.events };
    let all: Vec<File<'t>> =
        texts.par_iter().map(|text| read_one(text, events, reading)).collect::<anyhow::Result<_>>()?;
    let (mut sources, mut beside) = (Vec::new(), Beside::default());
    for file in all {
        match file {
            File::Source(source) => sources.push(*source),
            File::NotRead(not_read) => beside.not_read.push(not_read),
            File::Other(path) => beside.others.push(path),
        }
    }
    beside.not_read.extend(books_without_tables(texts, &sources));
    if sources.is_empty() {
        let lines: Vec<String> = beside.not_read.iter().map(ToString::to_string).collect();
        match lines.as_slice() {
            [] => bail!(
                "there is no calendar in the inputs: give ICS or CSV exports, or a folder or zip that holds some"
            ),
            [one] => bail!("{one}"),
            _ => bail!("there is no calendar in the inputs:\n  {}", lines.join("\n  ")),
        }
    }
    keep_chosen_calendars(&mut sources, &reading.calendars)?;
    for source in &mut sources {
        source.read = source.counts();
    }
    note_damaged_ids(&mut sources);
    if reading.tracking == EventTracking::On {
        track_events(sources.iter_mut());
    }
    if let Some(first) = sources.first_mut() {
        first.beside = beside;
    }
    Ok(sources)
}

/// Notes ids of tables that another source has whole.
fn note_damaged_ids(sources: &mut [Source<'_>]) {
    if sources.len() < 2 || !sources.iter().any(|source| source.format == Format::Csv) {
        return;
    }
    let calendars =
        sources.iter().flat_map(|source| source.calendars().map(|one| (source.path.as_str(), one)));
    let whole = WholeIds::of(calendars);
    let notes_of = |source: &Source<'_>| match source.format {
        Format::Ics => Vec::new(),
        Format::Csv => {
            source.calendars().flat_map(|calendar| whole.damaged_in(&source.path, calendar)).collect()
        }
    };
    let notes: Vec<Vec<Note>> = sources.iter().map(notes_of).collect();
    drop(whole);
    for (source, notes) in sources.iter_mut().zip(notes) {
        source.table.notes.extend(notes);
    }
}

/// The spreadsheets of which no sheet is a table of events.
fn books_without_tables(texts: &[SourceText<'_>], sources: &[Source<'_>]) -> Vec<NotRead> {
    let mut sheets: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
    for text in texts {
        if let Some(book) = text.file.book.as_ref() {
            sheets.entry(&book.path).or_default().push(&text.file.path[book.path.len() + 1..]);
        }
    }
    let is_read = |path: &str| sources.iter().any(|source| source.book.is_some_and(|book| book.path == path));
    let unread = sheets.into_iter().filter(|(book, _)| !is_read(book));
    unread.map(|(book, sheets)| NotRead::no_table(book, &sheets)).collect()
}

/// Logs all events as they were read, for a receipt.
pub(crate) fn track_events<'s, 't: 's>(sources: impl Iterator<Item = &'s mut Source<'t>>) {
    let mut noted = 0;
    for source in sources {
        source.log = ReadLog::behind(noted);
        for loaded in &mut source.loaded {
            source.log.note(&source.path, &mut loaded.calendar, &loaded.zones);
        }
        noted = source.log.end();
    }
}

/// What became of a file.
enum File<'t> {
    Source(Box<Source<'t>>),
    NotRead(NotRead),
    /// It was found and does not claim to be an export.
    Other(String),
}

fn read_one<'t>(
    text: &'t SourceText<'_>,
    events: &EventReading,
    reading: &Reading,
) -> anyhow::Result<File<'t>> {
    let SourceText { file, decoded, .. } = text;
    let path = &file.path;
    if let Some(why) = &file.cannot {
        return Ok(File::NotRead(NotRead::cannot(path, why.clone())));
    }
    if let Some(form) = text.form() {
        return Ok(File::Source(Box::new(read_calendar_file(file, (decoded, form), events, reading))));
    }
    if !table::is_table(&decoded.text, &reading.table) {
        let not_read = NotRead::of(file, &decoded.text);
        return Ok(not_read.map_or_else(|| File::Other(path.clone()), File::NotRead));
    }
    match read_table_file(file, decoded, reading) {
        Ok(source) => Ok(File::Source(Box::new(source))),
        // What a person has to decide, no other file can make up for.
        Err(error) if error.is_question() => Err(error).with_context(|| format!("`{path}`")),
        Err(error) => Ok(File::NotRead(NotRead::cannot(path, error.to_string()))),
    }
}

/// The calendars of a file; those from before the standard are put into its form.
fn read_calendar_file<'t>(
    file: &'t SourceFile,
    (decoded, form): (&'t Decoded<'_>, LineForm<'t>),
    events: &EventReading,
    reading: &Reading,
) -> Source<'t> {
    let stem = stem_of(&file.path);
    // Rules ask how the lines are written; a second core has time to look.
    let look_at_lines = || matches!(events, EventReading::Asked { .. }).then(|| form.wire_form());
    let (_, loaded) = rayon::join(look_at_lines, || load_quietly(&decoded.text, &stem, events, reading));
    if let Some(loaded) = loaded {
        return calendar_source(file, decoded, form, vec![loaded]);
    }
    let parsed = content::parse(&decoded.text);
    let mut calendars = Vec::new();
    let (mut bare, mut old_forms) = (Vec::new(), Vec::new());
    for root in parsed.roots {
        if !root.is("VCALENDAR") {
            bare.push(Item::Component(Box::new(root)));
            continue;
        }
        if version_one::is_version_one(&root) {
            let converted = version_one::convert(&root);
            old_forms.push(converted.unplaced);
            calendars.push(calendar::read(converted.calendar, &stem));
            continue;
        }
        calendars.push(calendar::read(root, &stem));
    }
    if !bare.is_empty() {
        calendars.push(calendar::read_bare(bare, &stem));
    }
    let loaded = calendars.into_iter().map(|calendar| load(calendar, reading)).collect();
    Source {
        old_forms,
        set_aside: SetAside { faults: parsed.faults, ..SetAside::default() },
        ..calendar_source(file, decoded, form, loaded)
    }
}

/// A file with its calendars, all of which could be read.
fn calendar_source<'t>(
    file: &'t SourceFile,
    decoded: &Decoded<'_>,
    form: LineForm<'t>,
    loaded: Vec<Loaded<'t>>,
) -> Source<'t> {
    Source {
        path: file.path.clone(),
        format: Format::Ics,
        old_forms: Vec::new(),
        loaded,
        set_aside: SetAside::default(),
        charset: decoded.charset,
        form: Some(form),
        table: TableFacts::default(),
        read: ComponentCounts::default(),
        bytes: &file.bytes,
        book: file.book.as_deref(),
        log: ReadLog::default(),
        beside: Beside::default(),
    }
}

fn read_table_file<'t>(
    file: &'t SourceFile,
    decoded: &'t Decoded<'_>,
    reading: &Reading,
) -> Result<Source<'t>, TableError> {
    let mut source = Source {
        path: file.path.clone(),
        format: Format::Csv,
        loaded: Vec::new(),
        set_aside: SetAside::default(),
        charset: decoded.charset,
        form: None,
        old_forms: Vec::new(),
        table: TableFacts::default(),
        read: ComponentCounts::default(),
        bytes: &file.bytes,
        book: file.book.as_deref(),
        log: ReadLog::default(),
        beside: Beside::default(),
    };
    match table::read(&decoded.text, &stem_of(&file.path), &reading.table) {
        Ok(table) => {
            source.loaded = table.calendars.into_iter().map(|calendar| load(calendar, reading)).collect();
            source.set_aside.rows = table.set_aside;
            source.table = TableFacts { sniffed: Some(table.sniffed), notes: table.notes, undecided: None };
        }
        Err(error) if error.is_about_the_table() && reading.undecided == Undecided::Report => {
            source.table.undecided = Some(error);
        }
        Err(error) => return Err(error),
    }
    Ok(source)
}

fn load<'t>(calendar: Calendar<'t>, reading: &Reading) -> Loaded<'t> {
    let zones = ZoneResolver::of(&calendar, &reading.zones);
    Loaded { calendar, zones, quiet: Quiet::default() }
}

fn keep_chosen_calendars(sources: &mut Vec<Source<'_>>, chosen: &[String]) -> anyhow::Result<()> {
    if chosen.is_empty() {
        return Ok(());
    }
    let names: Vec<String> = sources.iter().flat_map(Source::calendars).map(Calendar::name).collect();
    if let Some(absent) = chosen.iter().find(|name| !names.contains(name)) {
        bail!("--calendar: there is no calendar `{absent}`; there are {}", names.join(", "));
    }
    for source in sources.iter_mut() {
        source.loaded.retain(|loaded| chosen.contains(&loaded.calendar.name()));
    }
    sources.retain(|source| !source.loaded.is_empty() || source.table.undecided.is_some());
    Ok(())
}

fn stem_of(path: &str) -> String {
    if path == "-" {
        return "standard input".to_owned();
    }
    if let Some((book, sheet)) = path.rsplit_once('#').filter(|(book, _)| spreadsheet::is_name(book)) {
        let stem = stem_of(book);
        return if spreadsheet::is_usual_name(sheet) { stem } else { format!("{stem} {sheet}") };
    }
    // `crew.ics.gz` is a packed `crew.ics`.
    let path = path.strip_suffix(".gz").unwrap_or(path);
    Path::new(path).file_stem().map_or_else(|| path.to_owned(), |stem| stem.to_string_lossy().into_owned())
}
