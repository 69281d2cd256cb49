//! `events`: one line an event, series in words; of one event, all there is.

use std::io::{self, Write};
use std::sync::Arc;

use rayon::prelude::*;

use super::{Command, Program};
use crate::answer::event_lines::{EventJson, EventList, FieldArg, Picked, USUAL};
use crate::answer::events::{Events, Telling};
use crate::answer::give;
use crate::answer::language::Language;
use crate::answer::list::{LanguageArgs, SortArg, table_header, table_lines, unread_line};
use crate::input::{InputGroup, ReadFiles, Source, with_sources};
use crate::job::Scope;
use crate::job::args::{AnswerArgs, InputArgs, ListArgs, WindowArgs};
use crate::job::select::SelectArgs;
use crate::outcome::Outcome;
use crate::output::{ListForm, write_record};
use crate::terminal::progress;

/// One line an event, series in words; with --uid, all there is about it
#[derive(Debug, clap::Args)]
pub(crate) struct EventsArgs {
    #[command(flatten)]
    select: SelectArgs,
    #[command(flatten)]
    window: WindowArgs,
    /// Which columns, in this order
    #[arg(long, value_name = "FIELD", value_enum, value_delimiter = ',', help_heading = "The list")]
    fields: Vec<FieldArg>,
    /// In which order
    #[arg(long, value_enum, value_name = "FIELD", default_value_t, help_heading = "The list")]
    sort: SortArg,
    #[command(flatten)]
    language: LanguageArgs,
    #[command(flatten)]
    file: ListArgs,
    #[command(flatten)]
    input: InputArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

impl Command for EventsArgs {
    const EXAMPLES: &'static [&'static str] =
        &["emvo events exports --title drill", "emvo events exports --series --fields title,when,repeat"];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        let form = self.answer.resolve();
        let files = ReadFiles::default();
        let names_ids = self.select.names_ids();
        let (chosen, window) = (self.select.resolve(&files)?, self.window.resolve()?);
        let reading = self.input.reading.resolve(&files)?;
        let (file, language) = (self.file.resolve(&files)?, self.language.resolve()?);
        let fields = if self.fields.is_empty() { USUAL.to_vec() } else { self.fields };
        let group = InputGroup { paths: &self.input.inputs, reading: &reading, except: file.path() };
        with_sources(&[group], &files, |[sources]| {
            progress::doing("listing events");
            let scope = Scope::over(&sources, chosen, &window, &reading);
            let list = EventList::of(picked(&sources, &scope), self.sort, &language);
            if let Some(form) = file.form() {
                file.write(|out| fill(out, form, &list, &fields, &language))?;
            }
            let whole = Telling::Whole { window: scope.span, ceiling: scope.ceiling };
            let telling = if names_ids { whole } else { Telling::Lines };
            let output = file.shown();
            let events =
                Events { list, sources: &sources, fields: &fields, language: &language, telling, output };
            give(&events, form)?;
            Ok(Outcome::needs_a_look_if(events.list.is_empty() || unread_line(&sources).is_some()))
        })
    }
}

/// Writes the list into its file.
fn fill(
    out: &mut dyn Write,
    form: ListForm,
    list: &EventList<'_, '_>,
    fields: &[FieldArg],
    language: &Language,
) -> io::Result<()> {
    if form == ListForm::Records {
        return list.walk(|lines| lines.iter().try_for_each(|line| write_record(out, &EventJson::of(line))));
    }
    out.write_all(&table_header(&fields.iter().map(|field| field.name()).collect::<Vec<_>>())?)?;
    list.walk(|lines| table_lines(lines, fields, language, |part| out.write_all(part)))
}

/// The chosen events, calendar by calendar.
fn picked<'s, 't>(sources: &'s [Source<'t>], scope: &Scope<'_>) -> Vec<Picked<'s, 't>> {
    let mut picked = Vec::new();
    for source in sources {
        for loaded in &source.loaded {
            let is_chosen = scope.chosen.chooser(loaded, scope.reading);
            let name: Arc<str> = loaded.calendar.name().into();
            let all = loaded.calendar.series.iter().enumerate();
            let chosen: Vec<_> = all.filter(|(number, series)| is_chosen(*number, series)).collect();
            picked.par_extend(
                chosen.into_par_iter().map(|(_, series)| Picked::of(source, (loaded, &name), series)),
            );
        }
    }
    picked
}
