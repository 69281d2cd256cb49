//! `amend`: the same change to many events.

use anyhow::{Context, bail};
use emvo_core::amend::{AmendField, Amendment, amend};
use emvo_core::edit::Change;
use emvo_core::split::starting_in_window;
use emvo_ical::calendar::Series;
use emvo_ical::recurrence::Window;
use emvo_ical::zone::ZoneResolver;

use crate::args::{AnswerArgs, InputArgs, OutputArgs, WindowArgs};
use crate::chosen::{Chosen, SelectArgs};
use crate::commands::convert::FormatArg;
use crate::commands::per_input::{Changed, TableForm, changes_of, write_outputs};
use crate::commands::telling::{Extent, Told, tell};
use crate::gather::gather;
use crate::outcome::Outcome;
use crate::progress;
use crate::source::{self, Loaded};
use crate::terminal::counted;

/// Change the same in many events: titles, places, categories, busy or free
#[derive(Debug, clap::Args)]
pub(crate) struct AmendArgs {
    #[command(flatten)]
    input: InputArgs,
    #[command(flatten)]
    output: OutputArgs,
    /// What to write, where the output's extension does not say
    #[arg(long, value_enum, value_name = "FORMAT", help_heading = "Output")]
    to: Option<FormatArg>,
    /// A field gets a value, as "location=Quay 4"; nothing behind the `=` empties it
    #[arg(long, value_name = "FIELD=VALUE", help_heading = "What changes")]
    set: Vec<String>,
    /// Words of a field become others, as "title:Room 2=Room 4"; /…/ is a regular expression
    #[arg(long, value_name = "FIELD:OLD=NEW", help_heading = "What changes")]
    replace: Vec<String>,
    /// A category more
    #[arg(long, value_name = "CATEGORY", help_heading = "What changes")]
    add_category: Vec<String>,
    /// A category less
    #[arg(long, value_name = "CATEGORY", help_heading = "What changes")]
    remove_category: Vec<String>,
    #[command(flatten)]
    select: SelectArgs,
    #[command(flatten)]
    window: WindowArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

impl AmendArgs {
    fn amendments(&self) -> anyhow::Result<Vec<Amendment>> {
        let mut all = Vec::new();
        for entry in &self.set {
            let (field, value) =
                entry.split_once('=').with_context(|| format!("--set `{entry}`: write FIELD=VALUE"))?;
            let amendment = Amendment::set(field_named(field, "--set")?, value);
            all.push(amendment.with_context(|| format!("--set `{entry}`"))?);
        }
        for entry in &self.replace {
            let parts = entry.split_once(':').and_then(|(field, rest)| Some((field, split_words(rest)?)));
            let (field, (old, new)) =
                parts.with_context(|| format!("--replace `{entry}`: write FIELD:OLD=NEW"))?;
            let amendment = Amendment::replace(field_named(field, "--replace")?, old, new);
            all.push(amendment.with_context(|| format!("--replace `{entry}`"))?);
        }
        all.extend(self.add_category.iter().map(|category| Amendment::add_category(category)));
        all.extend(self.remove_category.iter().map(|category| Amendment::remove_category(category)));
        if all.is_empty() {
            bail!("nothing to change: --set, --replace, --add-category or --remove-category says what");
        }
        Ok(all)
    }
}

/// `OLD=NEW`; a regular expression ends at the slash in front of its `=`.
fn split_words(text: &str) -> Option<(&str, &str)> {
    match text.strip_prefix('/').and_then(|rest| rest.find("/=")) {
        Some(at) => Some((&text[..at + 2], &text[at + 3..])),
        None => text.split_once('='),
    }
}

fn field_named(name: &str, option: &str) -> anyhow::Result<AmendField> {
    AmendField::of_name(name.trim()).with_context(|| {
        let names: Vec<_> = AmendField::names().collect();
        format!("{option}: there is no field `{name}`; there are {}", names.join(", "))
    })
}

pub(crate) fn run(args: AmendArgs) -> anyhow::Result<Outcome> {
    let answer = args.answer.settle();
    let amendments = args.amendments()?;
    let chosen = args.select.settle()?;
    let window = args.window.settle()?;
    let mut reading = args.input.reading.settle()?;
    let plan = args.output.settle()?;
    reading.noting = plan.recording.noting();
    let kind = plan.kind(args.to.map(FormatArg::kind))?;
    let files = gather(&args.input.inputs, plan.path(), reading.secret.as_ref())?;
    plan.ensure_spares(&files)?;
    let texts = source::decode(&files, &reading)?;
    let mut sources = source::read(&texts, &reading)?;
    progress::doing("changing events");
    let chosen = chosen.within(&window, &sources);
    let mut refused = Vec::new();
    let mut changed = Vec::new();
    for source in &mut sources {
        let amended = source.loaded.iter_mut().map(|loaded| {
            let with_findings = chosen.with_findings(loaded, &reading);
            amend_all(&source.path, loaded, &amendments, &chosen, with_findings.as_deref(), &mut refused)
        });
        changed.push(amended.collect());
    }
    let outputs = write_outputs(&sources, &changed, &plan, kind, &TableForm::of(&reading))?;
    let all_changes = changes_of(&changed);
    let extent = if all_changes.is_empty() { Extent::Nothing } else { Extent::Something };
    let headline = match all_changes.len() {
        0 => "no event was changed: none is chosen, or all are so already".to_owned(),
        many => format!("{} changed", counted(many, "event", "events")),
    };
    tell(&Told { command: "amend", headline, changes: all_changes, refused, extent }, outputs, &plan, answer)
}

fn amend_all<'t>(
    path: &str,
    loaded: &mut Loaded<'t>,
    amendments: &[Amendment],
    chosen: &Chosen,
    with_findings: Option<&[usize]>,
    refused: &mut Vec<String>,
) -> Changed<'t> {
    let mut calendar = loaded.take();
    let (mut changes, mut added) = (Vec::new(), 0);
    for (at, mut series) in std::mem::take(&mut calendar.series).into_iter().enumerate() {
        let is_chosen = with_findings.is_none_or(|found| found.contains(&at))
            && chosen.selection.chooses(&series, &loaded.zones);
        if !is_chosen {
            calendar.series.push(series);
            continue;
        }
        let uid = series.uid_text().into_owned();
        let title = series.lead().title().unwrap_or_default().into_owned();
        let change = match chosen.selection.window {
            None => amend(&mut series, amendments),
            Some(window) => match inside(&series, window, &loaded.zones, amendments) {
                Ok((parts, change)) => {
                    added += parts.len().saturating_sub(1);
                    let mut parts = parts.into_iter();
                    if let Some(first) = parts.next() {
                        series = first;
                    }
                    calendar.series.push(series);
                    calendar.series.extend(parts);
                    changes.extend(change.map(|(before, after)| Change {
                        rule: None,
                        uid,
                        title,
                        before,
                        after,
                    }));
                    continue;
                }
                Err(refusal) => {
                    refused.push(format!("{path}: `{title}` stays as it is: {refusal}"));
                    None
                }
            },
        };
        changes.extend(change.map(|(before, after)| Change { rule: None, uid, title, before, after }));
        calendar.series.push(series);
    }
    Changed { calendar, zones: loaded.zones.clone(), changes, added, ..Changed::default() }
}

type Parts<'t> = (Vec<Series<'t>>, Option<(String, String)>);

/// Changes what lies in the window; a series that reaches out of it is split. If
/// nothing changes the series stays whole.
fn inside<'t>(
    series: &Series<'t>,
    window: Window,
    zones: &ZoneResolver,
    amendments: &[Amendment],
) -> Result<Parts<'t>, Refusal> {
    let parts = starting_in_window(series, window, zones)?;
    let Some(mut inside) = parts.inside else { return Ok((vec![series.clone()], None)) };
    match amend(&mut inside, amendments) {
        None => Ok((vec![series.clone()], None)),
        change => Ok((parts.before.into_iter().chain([inside]).chain(parts.after).collect(), change)),
    }
}
