//! `amend`: the same change to many events.

use anyhow::{Context, bail};
use emvo_core::amend::{Amended, Amendment, amend, amendable, amendable_names};
use emvo_core::edit::{Change, Edited, Step};
use emvo_core::split::parts_by_window;
use emvo_ical::calendar::Series;
use emvo_ical::calendar::fields::Field;
use emvo_ical::recurrence::Window;
use emvo_ical::zone::ZoneResolver;

use super::{Command, Program};
use crate::answer::Detail;
use crate::answer::preview::Preview;
use crate::answer::written::{Examples, Extent, change_lines, headline, marked_lines, refused_in_words};
use crate::input::Loaded;
use crate::job::{Edit, EditArgs, Scope};
use crate::outcome::Outcome;
use crate::output::Written;
use crate::terminal::counted;

/// Change the same in many events: titles, places, categories, busy or free
#[derive(Debug, clap::Args)]
pub(crate) struct AmendArgs {
    #[command(flatten)]
    job: EditArgs,
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

fn field_named(name: &str, option: &str) -> anyhow::Result<Field> {
    amendable(name.trim()).with_context(|| {
        let names: Vec<_> = amendable_names().collect();
        format!("{option}: there is no field `{name}`; there are {}", names.join(", "))
    })
}

impl Command for AmendArgs {
    const EXAMPLES: &'static [&'static str] = &[
        "emvo amend exports/norrsund/crew.ics --set busy=free --title watch -o crew.ics",
        "emvo amend exports/norrsund/crew.ics --add-category Norrsund -o labelled.ics",
    ];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        let amending = Amending { amendments: self.amendments()?, changed: Preview::default() };
        self.job.resolve()?.run(amending)
    }
}

pub(crate) struct Amending {
    amendments: Vec<Amendment>,
    /// The series and single events that were changed.
    changed: Preview,
}

impl Edit for Amending {
    const COMMAND: &'static str = "amend";
    const DOING: &'static str = "changing events";

    fn edit<'t>(&mut self, _: &str, loaded: &mut Loaded<'t>, scope: &Scope<'_>) -> Edited<'t> {
        let calendar = loaded.calendar.name();
        let mut changed = std::mem::take(&mut self.changed);
        let edited = scope.edit(loaded, |series, zones| {
            let before = series.clone();
            let step = match scope.window() {
                None => self.amend(series),
                Some(window) => self.amend_inside(series, window, zones),
            };
            if matches!(step, Step::Became(..)) {
                changed.note(&before, &calendar);
            }
            step
        });
        self.changed = changed;
        edited
    }

    fn has_effect(&self) -> bool {
        self.changed.count() > 0
    }

    fn text(&self, written: &Written, detail: Detail) -> String {
        let words = match self.changed.count() {
            0 => "no event was changed and nothing written: none is chosen, or all are so already".to_owned(),
            many => format!("{} changed", counted(many, "event", "events")),
        };
        let mut out = headline(&words, Extent::of(self.changed.count()));
        out.push_str(&self.changed.lines(detail));
        out.push_str(&change_lines(&written.changes, detail, Examples::Several));
        out.push_str(&marked_lines(&refused_in_words(&written.refused)));
        out
    }

    fn needs_a_look(&self, written: &Written) -> bool {
        !self.has_effect() || !written.refused.is_empty()
    }
}

impl Amending {
    fn amend<'t>(&self, mut series: Series<'t>) -> Step<'t> {
        let (uid, origin) = (series.uid_text().into_owned(), series.lead().origin());
        let told = amend(&mut series, &self.amendments);
        if told.is_empty() {
            return Step::Keep(series);
        }
        // An event is told by the words that it had.
        let change = |Amended { title, before, after }| Change {
            rule: None,
            uid: uid.clone(),
            origin,
            title,
            before,
            after,
        };
        Step::Became(vec![series], told.into_iter().map(change).collect())
    }

    /// Changes what lies in the window; a series that reaches out of it is split. If
    /// nothing changes the series stays whole.
    fn amend_inside<'t>(&self, series: Series<'t>, window: Window, zones: &ZoneResolver) -> Step<'t> {
        let parts = match parts_by_window(&series, window, zones) {
            Ok(parts) => parts,
            Err(why) => return Step::Refused(series, why),
        };
        let Some(inside) = parts.inside else { return Step::Keep(series) };
        match self.amend(inside) {
            Step::Became(inside, changes) => {
                Step::Became(parts.before.into_iter().chain(inside).chain(parts.after).collect(), changes)
            }
            Step::Keep(_) | Step::Folded | Step::Removed(_) | Step::Refused(..) => Step::Keep(series),
        }
    }
}
