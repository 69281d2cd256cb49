//! `merge`: several calendars into one.

use std::path::{Path, PathBuf};

use anyhow::{Context, bail};
use emvo_core::edit::Edited;
use emvo_core::merge::{
    Busy, Clash, Duplicates, Ids, Incoming, LookAlike, LookAlikes, MergeInput, MergeOptions, Stay, merge,
};
use emvo_core::survey::default_window;
use emvo_ical::calendar::Classification;
use emvo_ical::recurrence::Ceiling;
use emvo_ical::zone::ZoneChoices;

use super::{Command, Program};
use crate::answer::advice::{doubling_in_words, unfit_in_words, warning_in_words};
use crate::answer::combined::{ByHandTold, Combined};
use crate::answer::review::Review;
use crate::answer::{Report, give, sheet};
use crate::input::{InputGroup, ReadFiles, Reading, Source, given, with_sources};
use crate::job::args::{AnswerArgs, FitArgs, InputArgs, KeepArg, OutputArgs, UidsArg};
use crate::job::edit::place_with_report;
use crate::job::only_new::{Held, OnlyNewArgs};
use crate::job::resolve::reminders_named;
use crate::outcome::Outcome;
use crate::output::{Fitting, Kind, NamedFile, Output, Place, Role, Shape, TableForm, fit};
use crate::terminal::progress;

/// Several calendars into one: versions settled, duplicates folded
#[derive(Debug, clap::Args)]
pub(crate) struct MergeArgs {
    #[command(flatten)]
    output: OutputArgs,
    /// Write what was done as a page (.html), a sheet (.csv) or JSON
    #[arg(long, value_name = "PATH.html|.csv|.xlsx|.json", help_heading = "Output")]
    report: Option<PathBuf>,
    /// What the destination already holds; its events stay as they are
    #[arg(long, value_name = "EXISTING", help_heading = "Destination")]
    into: Option<PathBuf>,
    /// Whose event stays when the destination has one under the same id
    #[arg(long, value_enum, default_value_t, requires = "into", help_heading = "Destination")]
    clash: ClashArg,
    #[command(flatten)]
    only_new: OnlyNewArgs,
    /// What happens to the same event under different ids
    #[arg(long, value_enum, default_value_t, help_heading = "Duplicates and look-alikes")]
    duplicates: DuplicatesArg,
    /// Write look-alikes for people to answer `same` or `different`: as a page, or as a sheet
    #[arg(long, value_name = "PATH.html|.csv|.xlsx", help_heading = "Duplicates and look-alikes")]
    review: Option<PathBuf>,
    /// The sheet with the answers, as the page saves it too: what is the same becomes one
    #[arg(long, value_name = "SHEET.csv", help_heading = "Duplicates and look-alikes")]
    answers: Option<PathBuf>,
    /// What the result is called
    #[arg(long, value_name = "NAME", help_heading = "The result")]
    name: Option<String>,
    /// The result's colour, by its CSS name
    #[arg(long, value_name = "COLOR", help_heading = "The result")]
    color: Option<String>,
    #[command(flatten)]
    incoming: IncomingArgs,
    #[command(flatten)]
    fit: FitArgs,
    #[command(flatten)]
    input: InputArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

/// What incoming events are given or lose; the destination's own stay as they are
#[derive(Debug, clap::Args)]
#[command(next_help_heading = "Incoming events")]
struct IncomingArgs {
    /// A category that they get; may be given several times
    #[arg(long, value_name = "CATEGORY")]
    add_category: Vec<String>,
    /// They take up time
    #[arg(long, conflicts_with = "free")]
    busy: bool,
    /// They take up no time
    #[arg(long)]
    free: bool,
    /// They are private
    #[arg(long)]
    private: bool,
    /// Their attachments
    #[arg(long, value_enum, value_name = "HOW", default_value_t)]
    attachments: KeepArg,
    /// Organizers and attendees, to whom an importer may send mail
    #[arg(long, value_enum, value_name = "HOW", default_value_t)]
    invitations: KeepArg,
    /// Their reminders: keep, drop, or a length such as -P1D or -PT15M for those that have none
    #[arg(long, value_name = "HOW", default_value = "keep", allow_hyphen_values = true)]
    reminders: String,
    /// Their ids: as they are, or derived ones for destinations that know the old ones
    #[arg(long, value_enum, value_name = "HOW", default_value_t)]
    uids: UidsArg,
}

impl IncomingArgs {
    fn resolve(self) -> anyhow::Result<Incoming> {
        let stay = |arg: KeepArg| match arg {
            KeepArg::Keep => Stay::Keep,
            KeepArg::Drop => Stay::Drop,
        };
        let reminders = reminders_named(&self.reminders).context("--reminders")?;
        Ok(Incoming {
            add_categories: self.add_category,
            busy: match (self.busy, self.free) {
                (true, _) => Some(Busy::Busy),
                (_, true) => Some(Busy::Free),
                (false, false) => None,
            },
            privacy: self.private.then_some(Classification::Private),
            attachments: stay(self.attachments),
            invitations: stay(self.invitations),
            reminders,
            uids: match self.uids {
                UidsArg::Keep => Ids::Keep,
                UidsArg::Fresh => Ids::Fresh,
            },
        })
    }
}

#[derive(Clone, Copy, Debug, Default, clap::ValueEnum)]
enum ClashArg {
    /// The destination's
    #[default]
    Existing,
    /// The incoming one
    Incoming,
    /// The one changed last
    Newest,
    /// Both, the incoming one under a derived id
    Both,
}

#[derive(Clone, Copy, Debug, Default, clap::ValueEnum)]
enum DuplicatesArg {
    /// They become one, with all that either of them says
    #[default]
    Fold,
    /// They stay
    Keep,
}

impl ClashArg {
    fn meaning(self) -> Clash {
        match self {
            Self::Existing => Clash::Existing,
            Self::Incoming => Clash::Incoming,
            Self::Newest => Clash::Newest,
            Self::Both => Clash::Both,
        }
    }
}

impl DuplicatesArg {
    fn meaning(self) -> Duplicates {
        match self {
            Self::Fold => Duplicates::Fold,
            Self::Keep => Duplicates::Keep,
        }
    }
}

impl Command for MergeArgs {
    const EXAMPLES: &'static [&'static str] = &[
        "emvo merge exports --zone Europe/Helsinki -o all.ics",
        "emvo merge exports/skarvik/sailings.ics --into exports/norrsund/sailings.ics -o both.ics",
        "emvo merge exports/norrsund --into after-import/norrsund-line.ics --only-new -o new.ics",
    ];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        let form = self.answer.resolve();
        let files = ReadFiles::default();
        let pairs = self.answers.as_deref().map(|path| sheet::read_pairs(path, &files)).transpose()?;
        let review = Review::at(self.review.as_deref());
        let options = MergeOptions {
            clash: self.clash.meaning(),
            duplicates: self.duplicates.meaning(),
            look_alikes: if review == Review::OnPage { LookAlikes::Compare } else { LookAlikes::Find },
            incoming: self.incoming.resolve()?,
            same_pairs: pairs.unwrap_or_default(),
            name: self.name,
            color: self.color,
            ..MergeOptions::default()
        };
        let mut reading = self.input.reading.resolve(&files)?;
        let fitting = self.fit.resolve(&files)?;
        let output = self.output.resolve(&files, table_form(&reading, fitting.as_ref()), Some(Kind::Ics))?;
        reading.tracking = output.recording.tracking();
        ensure_one_file(&output, self.into.as_deref())?;
        let report = Report::at(self.report.as_deref(), output.existing, &output.guard)?;
        let review_file =
            NamedFile::at(self.review.as_deref(), Role::Review, output.existing, &output.guard)?;
        let by_hand =
            NamedFile::at(self.only_new.by_hand.as_deref(), Role::ByHand, output.existing, &output.guard)?;
        let first = if self.into.is_some() { First::IsDestination } else { First::IsIncoming };
        let earlier: Vec<PathBuf> = self.only_new.earlier.into_iter().collect();
        let inputs: Vec<PathBuf> = self.into.into_iter().chain(self.input.inputs).collect();
        let groups = [&inputs, &earlier];
        let groups = groups.map(|paths| InputGroup { paths, reading: &reading, except: output.place.path() });
        with_sources(&groups, &files, |[mut sources, earlier]| {
            progress::doing("combining");
            let mut held = self.only_new.only_new.then(|| Held::find(&sources, &earlier)).transpose()?;
            // What the destination holds is compared, and is no part of what is written.
            let (inputs, written, first) = match held {
                Some(_) => (given(sources.iter().chain(&earlier)), &mut sources[1..], First::IsIncoming),
                None => (given(&sources), &mut sources[..], first),
            };
            let holds_it_already = (first == First::IsDestination).then_some(fitting.as_ref()).flatten();
            let doubling = doubling_in_words(holds_it_already, "--only-new");
            let made = combined(written, first, options, held.as_mut(), fitting.as_ref(), &reading.zones)?;
            let shape = fitting.as_ref().map_or(Shape::AsInputs, Shape::Fitted);
            let Made { edited, look_alikes, mut warnings } = made;
            warnings.extend(doubling);
            let review_path = review_file.path().unwrap_or(Path::new(""));
            let pairs = review_file.ready(|| review.bytes(&look_alikes, review_path))?;
            let mut beside: Vec<_> = pairs.into_iter().collect();
            let list = held.map(|held| held.by_hand).unwrap_or_default();
            let list_path = by_hand.path().map(Path::to_owned);
            beside.extend(by_hand.ready(|| list.bytes(list_path.as_deref().unwrap_or(Path::new(""))))?);
            let (draft, mut result) = output.draft_one(written, edited, &shape, beside)?;
            result.inputs = inputs;
            let by_hand = ByHandTold { list, path: by_hand.shown() };
            let mut answer = Combined { written: result, look_alikes, warnings, review, by_hand };
            answer.written.run = place_with_report(draft, &report, &answer)?;
            give(&answer, form)?;
            Ok(Outcome::needs_a_look_if(answer.needs_a_look()).leaving((answer, sources)))
        })
    }
}

/// How tables are written: as the destination wants them, else as was asked.
fn table_form(reading: &Reading, fitting: Option<&Fitting>) -> TableForm {
    let mut form = TableForm::of(reading);
    form.options.columns = fitting.and_then(|fitting| fitting.columns.clone()).or(form.options.columns);
    form
}

/// Merging makes one calendar, and puts it on top of one.
fn ensure_one_file(output: &Output, into: Option<&Path>) -> anyhow::Result<()> {
    if let Place::Folder(folder) = &output.place {
        bail!("`{}` is a folder; merge makes one calendar, name its file", folder.display());
    }
    if let Some(into) = into.filter(|into| into.is_dir()) {
        bail!("--into `{}` is a folder; give the one file that the destination exported", into.display());
    }
    Ok(())
}

/// What the first input is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum First {
    /// What the destination holds already.
    IsDestination,
    IsIncoming,
}

/// One calendar of many.
struct Made<'t> {
    edited: Edited<'t>,
    look_alikes: Vec<LookAlike>,
    warnings: Vec<String>,
}

fn combined<'t>(
    sources: &mut [Source<'t>],
    first: First,
    options: MergeOptions,
    mut held: Option<&mut Held>,
    fitting: Option<&Fitting>,
    choices: &ZoneChoices,
) -> anyhow::Result<Made<'t>> {
    let window = default_window(sources.iter().flat_map(Source::calendars));
    let (existing, mut incoming) = merge_inputs(sources, first)?;
    let known = held.as_mut().map(|held| held.take_out(&mut incoming));
    let mut merged = merge(existing, incoming, options);
    if let Some(known) = known {
        merged.folds.splice(..0, known.folds);
        merged.changes.splice(..0, known.changes);
        merged.account += known.account;
    }
    let mut warnings: Vec<String> = merged.warnings.iter().map(warning_in_words).collect();
    warnings.extend(held.into_iter().flat_map(|held| std::mem::take(&mut held.warnings)));
    let look_alikes = std::mem::take(&mut merged.look_alikes);
    let mut edited = merged.into_edited(choices);
    if let (Some(fitting), Some(window)) = (fitting, window) {
        let options = fitting.options(window, Ceiling::default());
        warnings.extend(fit(&mut edited, &options, choices).iter().map(unfit_in_words));
    }
    Ok(Made { edited, look_alikes, warnings })
}

type MergeInputs<'t> = (Option<MergeInput<'t>>, Vec<MergeInput<'t>>);

/// Takes the calendars out of the sources. The destination is one calendar: an
/// export of several cannot say which of them is meant.
fn merge_inputs<'t>(sources: &mut [Source<'t>], first: First) -> anyhow::Result<MergeInputs<'t>> {
    let mut existing = None;
    let mut incoming = Vec::new();
    for (at, source) in sources.iter_mut().enumerate() {
        let is_destination = first == First::IsDestination && at == 0;
        if is_destination && source.loaded.len() != 1 {
            bail!("--into `{}` holds {} calendars; it has to be one", source.path, source.loaded.len());
        }
        for loaded in &mut source.loaded {
            let input = MergeInput {
                calendar: loaded.take(),
                zones: loaded.zones.clone(),
                label: source.path.clone(),
            };
            if is_destination {
                existing = Some(input);
            } else {
                incoming.push(input);
            }
        }
    }
    Ok((existing, incoming))
}
