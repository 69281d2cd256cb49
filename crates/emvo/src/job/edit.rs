//! Commands that change calendars one by one: everything around the change.
//!
//! A command says how one calendar changes and how it tells of it ([`Edit`]).
//! The way around that, from arguments to exit status, is [`EditJob::run`]: a
//! command cannot forget what could not be read, the guard, the sum or a
//! warning, because it never sees them.

use std::path::{Path, PathBuf};

use emvo_core::edit::{Edited, Step, edit_series};
use emvo_ical::calendar::Series;
use emvo_ical::recurrence::{Ceiling, Window};
use emvo_ical::zone::ZoneResolver;
use emvo_report::Page;
use schemars::JsonSchema;
use serde::Serialize;

use super::args::{AnswerArgs, InputArgs, OutputArgs, WindowArgs};
use super::resolve::WindowChoice;
use super::select::{Chosen, SelectArgs};
use crate::answer::done::{Done, Remarks, done_page, done_sheet};
use crate::answer::written::{
    WrittenJson, left_behind_lines, output_lines, refused_in_words, stream_beside, summary,
    unknown_zone_warnings, warnings_about,
};
use crate::answer::{Answer, Detail, Form, Report, Reported, Stream, give};
use crate::input::{
    Given, InputGroup, Loaded, MemoryMeter, OverMemory, ReadFiles, Reading, Source, with_sources,
};
use crate::outcome::Outcome;
use crate::output::{Draft, Output, Shape, TableForm, Written};
use crate::terminal::progress;

/// The arguments of a command that changes chosen events
#[derive(Debug, clap::Args)]
pub(crate) struct EditArgs {
    #[command(flatten)]
    pub(crate) output: OutputArgs,
    #[command(flatten)]
    pub(crate) select: SelectArgs,
    #[command(flatten)]
    pub(crate) window: WindowArgs,
    #[command(flatten)]
    pub(crate) input: InputArgs,
    #[command(flatten)]
    pub(crate) answer: AnswerArgs,
}

impl EditArgs {
    pub(crate) fn resolve(self) -> anyhow::Result<EditJob> {
        self.resolve_with(ReadFiles::default())
    }

    /// The same for a command that has read files of its own before.
    pub(crate) fn resolve_with(self, files: ReadFiles) -> anyhow::Result<EditJob> {
        let form = self.answer.resolve();
        let chosen = self.select.resolve(&files)?;
        let window = self.window.resolve()?;
        let mut reading = self.input.reading.resolve(&files)?;
        let output = self.output.resolve(&files, TableForm::of(&reading), None)?;
        reading.tracking = output.recording.tracking();
        let report = Report::at(None, output.existing, &output.guard)?;
        Ok(EditJob { files, inputs: self.input.inputs, reading, chosen, window, output, report, form })
    }
}

/// A command that changes calendars one by one.
pub(crate) trait Edit {
    const COMMAND: &'static str;
    /// What is being done, for people who wait.
    const DOING: &'static str;

    /// Fails before a change that would take more memory than the run may have.
    fn ensure_room(
        &self,
        sources: &[Source<'_>],
        scope: &Scope<'_>,
        memory: &MemoryMeter,
    ) -> Result<(), OverMemory> {
        let _ = (sources, scope, memory);
        Ok(())
    }

    /// Looks at a whole source before its calendars are changed.
    fn begin(&mut self, source: &mut Source<'_>, scope: &Scope<'_>) {
        let _ = (source, scope);
    }

    /// Changes one calendar.
    fn edit<'t>(&mut self, path: &str, loaded: &mut Loaded<'t>, scope: &Scope<'_>) -> Edited<'t>;

    /// Looks at all calendars once they are changed.
    fn end(&mut self, edited: &mut [Vec<Edited<'_>>], scope: &Scope<'_>) {
        let _ = (edited, scope);
    }

    /// What became of everything that was read.
    fn summary(&self, written: &Written) -> String {
        summary(written)
    }

    /// Whether there is anything to write; a command that removes or changes and has
    /// found nothing to do writes nothing.
    fn has_effect(&self) -> bool {
        true
    }

    /// How the result is spread over files.
    fn shape(&self) -> Shape<'_> {
        Shape::AsInputs
    }

    /// What was done, between the sum and the list of files.
    fn text(&self, written: &Written, detail: Detail) -> String;

    /// What the JSON has besides what every command answers.
    fn details(&self, written: &Written) -> impl Serialize + JsonSchema {
        RefusedJson { refused: refused_in_words(&written.refused) }
    }

    /// What a person has to know besides what is true of any result.
    fn warnings(&self, written: &Written) -> Vec<String> {
        let _ = written;
        Vec::new()
    }

    /// What the report says besides changes and folds.
    fn remarks(&self) -> Remarks {
        Remarks { title: Self::COMMAND.to_owned(), by_hand: Vec::new(), tables: Vec::new() }
    }

    /// Whether a person has to look at the result, besides for what could not be
    /// read.
    fn needs_a_look(&self, written: &Written) -> bool;
}

#[derive(Serialize, JsonSchema)]
struct RefusedJson {
    refused: Vec<String>,
}

/// A command that changes calendars one by one, as meant.
pub(crate) struct EditJob {
    pub(crate) files: ReadFiles,
    pub(crate) inputs: Vec<PathBuf>,
    pub(crate) reading: Reading,
    pub(crate) chosen: Chosen,
    pub(crate) window: WindowChoice,
    pub(crate) output: Output,
    pub(crate) report: Report,
    pub(crate) form: Form,
}

impl EditJob {
    /// A job over all events.
    pub(crate) fn of_all(
        files: ReadFiles,
        inputs: Vec<PathBuf>,
        reading: Reading,
        window: WindowChoice,
        output: Output,
        form: Form,
    ) -> anyhow::Result<Self> {
        let report = Report::at(None, output.existing, &output.guard)?;
        Ok(Self { files, inputs, reading, chosen: Chosen::all(), window, output, report, form })
    }

    /// Asks for a report at a path as well.
    pub(crate) fn with_report(mut self, path: Option<&Path>) -> anyhow::Result<Self> {
        self.report = Report::at(path, self.output.existing, &self.output.guard)?;
        Ok(self)
    }

    /// Reads, changes, writes, and says so.
    pub(crate) fn run(self, mut edit: impl Edit) -> anyhow::Result<Outcome> {
        let Self { files, inputs, reading, chosen, window, output, report, form } = self;
        let group = InputGroup { paths: &inputs, reading: &reading, except: output.place.path() };
        with_sources(&[group], &files, |[mut sources]| {
            let scope = Scope::over(&sources, chosen, &window, &reading);
            edit.ensure_room(&sources, &scope, &files.memory)?;
            let edited = edit_all(&mut edit, &mut sources, &scope);
            finish(&edit, sources, edited, &output, &report, form)
        })
    }
}

/// Changes all calendars, one list for each source.
pub(crate) fn edit_all<'t>(
    edit: &mut impl Edit,
    sources: &mut [Source<'t>],
    scope: &Scope<'_>,
) -> Vec<Vec<Edited<'t>>> {
    fn doing<E: Edit>(_: &E) -> &'static str {
        E::DOING
    }
    progress::doing(doing(edit));
    let mut edited: Vec<Vec<Edited<'t>>> = Vec::new();
    for source in sources {
        edit.begin(source, scope);
        let Source { path, loaded, .. } = source;
        edited.push(loaded.iter_mut().map(|loaded| edit.edit(path, loaded, scope)).collect());
    }
    edit.end(&mut edited, scope);
    edited
}

/// Writes what came of it, and says so.
pub(crate) fn finish(
    edit: &impl Edit,
    sources: Vec<Source<'_>>,
    edited: Vec<Vec<Edited<'_>>>,
    output: &Output,
    report: &Report,
    form: Form,
) -> anyhow::Result<Outcome> {
    let (draft, written) = output.draft(&sources, edited, &edit.shape(), Vec::new())?;
    let mut answer = EditAnswer { edit, written };
    if edit.has_effect() {
        answer.written.run = place_with_report(draft, report, &answer)?;
    } else {
        answer.written.write_nothing();
    }
    give(&answer, form)?;
    let EditAnswer { written, .. } = &answer;
    let outcome = Outcome::needs_a_look_if(edit.needs_a_look(written) || written.is_incomplete());
    Ok(outcome.leaving((answer.written, sources)))
}

/// Puts a result and the report about it into their places; the number of the
/// run in the ledger.
pub(crate) fn place_with_report(
    mut draft: Draft<'_>,
    report: &Report,
    answer: &impl Reported,
) -> anyhow::Result<Option<i64>> {
    report.add_to(draft.batch(), answer)?;
    draft.place()
}

/// What a command that changed calendars has to say.
pub(crate) struct EditAnswer<'e, E> {
    edit: &'e E,
    written: Written,
}

impl<E: Edit> Answer for EditAnswer<'_, E> {
    const COMMAND: &'static str = E::COMMAND;

    fn text(&self, detail: Detail) -> String {
        let written = &self.written;
        let mut text = if self.edit.has_effect() { self.edit.summary(written) } else { String::new() };
        text.push_str(&left_behind_lines(written, detail));
        text.push_str(&self.edit.text(written, detail));
        text.push_str(&output_lines(written));
        text
    }

    fn inputs(&self) -> Vec<Given> {
        self.written.inputs.clone()
    }

    fn json(&self) -> impl Serialize + JsonSchema {
        EditJson { written: WrittenJson::of(&self.written), details: self.edit.details(&self.written) }
    }

    fn warnings(&self) -> Vec<String> {
        let mut lines = self.edit.warnings(&self.written);
        lines.extend(warnings_about(&self.written));
        lines.extend(unknown_zone_warnings(&self.written.undefined));
        lines
    }

    fn stream(&self) -> Stream {
        stream_beside(&self.written)
    }
}

impl<E: Edit> Reported for EditAnswer<'_, E> {
    fn page(&self) -> Page {
        done_page(&Done::of(&self.written, self.edit.remarks()))
    }

    fn sheet(&self) -> anyhow::Result<Vec<u8>> {
        done_sheet(&Done::of(&self.written, self.edit.remarks()))
    }
}

#[derive(Serialize, JsonSchema)]
struct EditJson<'w, D> {
    #[serde(flatten)]
    written: WrittenJson<'w>,
    #[serde(flatten)]
    details: D,
}

/// Which events of the inputs a command is about.
pub(crate) struct Scope<'r> {
    pub(crate) chosen: Chosen,
    pub(crate) reading: &'r Reading,
    /// The window that was asked for, or else the one that is usual for these
    /// inputs; `None` if they hold no event.
    pub(crate) span: Option<Window>,
    pub(crate) ceiling: Ceiling,
}

impl<'r> Scope<'r> {
    pub(crate) fn over(
        sources: &[Source<'_>],
        chosen: Chosen,
        window: &WindowChoice,
        reading: &'r Reading,
    ) -> Self {
        let span = window.over(sources);
        Self { chosen: chosen.within(window, sources), reading, span, ceiling: window.ceiling }
    }

    /// Chosen events without a window.
    pub(crate) fn of_all(chosen: Chosen, reading: &'r Reading) -> Self {
        Self { chosen, reading, span: None, ceiling: Ceiling::default() }
    }

    /// The window, if one was asked for.
    pub(crate) fn window(&self) -> Option<Window> {
        self.chosen.selection.window
    }

    /// Changes the chosen series of a calendar; all others stay.
    pub(crate) fn edit<'t>(
        &self,
        loaded: &mut Loaded<'t>,
        mut step: impl FnMut(Series<'t>, &ZoneResolver) -> Step<'t>,
    ) -> Edited<'t> {
        self.steps(loaded, |series, zones| step(series, zones), Step::Keep)
    }

    /// Changes the chosen series of a calendar; all others go.
    pub(crate) fn keep<'t>(
        &self,
        loaded: &mut Loaded<'t>,
        mut step: impl FnMut(Series<'t>, &ZoneResolver) -> Step<'t>,
    ) -> Edited<'t> {
        self.steps(loaded, |series, zones| step(series, zones), |_| Step::Removed(Vec::new()))
    }

    fn steps<'t>(
        &self,
        loaded: &mut Loaded<'t>,
        mut step: impl FnMut(Series<'t>, &ZoneResolver) -> Step<'t>,
        other: impl Fn(Series<'t>) -> Step<'t>,
    ) -> Edited<'t> {
        let is_chosen = self.chosen.chooser(loaded, self.reading);
        let zones = loaded.zones.clone();
        edit_series(loaded.take(), loaded.zones.clone(), &self.reading.zones, |number, series| {
            if is_chosen(number, &series) { step(series, &zones) } else { other(series) }
        })
    }
}
