//! Applies repairs: in the order of the rules, one to a series at a time, again
//! and again until nothing is left that may be done.

use crate::product::PRODUCT_ID;
use hashbrown::HashMap;
use std::collections::{BTreeMap, BTreeSet};

use super::{CheckOptions, Context, Edit, Finding, RuleChoice, RuleId, Safety, check};
use crate::edit::{Change, Edited, Fold, Refusal, Step, names_in_use, sync_definitions};
use crate::merge::{Duplicates, LookAlikes, MergeInput, MergeOptions, merge};
use crate::select::Selection;
use crate::split::parts_by_window;
use emvo_ical::calendar::{Calendar, Series, Uid, ZoneName};
use emvo_ical::content::Property;
use emvo_ical::recurrence::Window;
use emvo_ical::zone::{ZoneChoices, ZoneResolver};

/// More rounds than this would be a repair that undoes another: a fault of
/// Emvo's own.
const MOST_ROUNDS: usize = 12;

/// Which risky repairs may be made.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum Consent {
    /// None.
    #[default]
    None,
    /// Those of these rules.
    Rules(BTreeSet<RuleId>),
    /// All.
    All,
}

impl Consent {
    fn covers(&self, rule: RuleId) -> bool {
        match self {
            Self::None => false,
            Self::Rules(rules) => rules.contains(&rule),
            Self::All => true,
        }
    }
}

/// What a person answered, event by event: rule, id and title → yes or no.
pub type Answers = HashMap<(RuleId, String, String), bool>;

/// What may be repaired.
#[derive(Clone, Debug, Default)]
pub struct RepairPlan {
    /// By which rules.
    pub rules: RuleChoice,
    /// With which consent.
    pub consent: Consent,
    /// With which answers; they go before consent.
    pub answers: Answers,
    /// In which events.
    pub selection: Selection,
    /// What else is told.
    pub options: CheckOptions,
}

/// What came of repairing.
#[derive(Debug)]
pub struct Repaired<'a> {
    /// The calendar, every repair before → after, and what became of its events.
    pub edited: Edited<'a>,
    /// What is left.
    pub left: Vec<Finding>,
    /// Repairs that could not be made, and why.
    pub refused: Vec<String>,
}

/// Repairs a calendar as far as the plan allows.
pub fn repair<'a>(calendar: Calendar<'a>, choices: &ZoneChoices, plan: &RepairPlan) -> Repaired<'a> {
    let zones = ZoneResolver::of(&calendar, choices);
    let mut repaired =
        Repaired { edited: Edited::unchanged(calendar, zones), left: Vec::new(), refused: Vec::new() };
    fold_twins(&mut repaired.edited, choices, plan);
    let mut tried: BTreeSet<(RuleId, Option<Uid<'static>>)> = BTreeSet::new();
    for _ in 0..MOST_ROUNDS {
        let Edited { calendar, zones, .. } = &repaired.edited;
        let findings = {
            let context = Context::of(calendar, zones, choices.house.as_ref(), &plan.options);
            check(&context, &plan.rules, &plan.selection)
        };
        let due = due(&findings, plan, calendar, zones, &tried);
        if due.is_empty() {
            repaired.left = findings;
            return repaired;
        }
        round(&mut repaired, &due, plan, &mut tried);
        repaired.edited.zones = ZoneResolver::of(&repaired.edited.calendar, choices);
    }
    repaired.refused.push("repairs kept changing each other and were stopped after 12 rounds: a fault in Emvo, please report it".to_owned());
    repaired
}

/// U02 and U03 concern several events each, so they are settled at once, as
/// combining settles them.
fn fold_twins(edited: &mut Edited<'_>, choices: &ZoneChoices, plan: &RepairPlan) {
    let takes = |id: &str| super::rule(id).map(super::Described::id).filter(|id| plan.rules.takes(*id));
    let duplicates = match takes("U03").filter(|id| plan.consent.covers(*id)) {
        Some(_) => Duplicates::Fold,
        None => Duplicates::Keep,
    };
    if takes("U02").is_none() && duplicates == Duplicates::Keep {
        return;
    }
    let rules = ["U02", "U03"].into_iter().filter_map(takes).collect();
    let of_twins = RuleChoice { only: rules, ..plan.rules.clone() };
    let context = Context::of(&edited.calendar, &edited.zones, choices.house.as_ref(), &plan.options);
    let has_any = !check(&context, &of_twins, &plan.selection).is_empty();
    drop(context);
    if !has_any {
        return;
    }
    let all = std::mem::take(&mut edited.calendar.series);
    let zones = edited.zones.clone();
    let (chosen, spared): (Vec<_>, Vec<_>) =
        all.into_iter().partition(|series| plan.selection.chooses(series, &zones) && series.uid().is_some());
    let places: HashMap<u32, u32> =
        chosen.iter().flat_map(Series::events).map(|event| (event.line(), event.rank())).collect();
    let calendar = Calendar { series: chosen, ..Calendar::default() };
    let input = MergeInput { calendar, zones, label: String::new() };
    let options = MergeOptions { duplicates, look_alikes: LookAlikes::Leave, ..MergeOptions::default() };
    let merged = merge(None, vec![input], options);
    edited.account += merged.account.of_folded();
    edited.changes.extend(merged.folds.iter().map(Fold::as_change));
    edited.left.extend(merged.folds.iter().flat_map(Fold::left_behind));
    edited
        .changes
        .extend(merged.changes.into_iter().filter(|change| matches!(change.rule, Some("U02" | "U03"))));
    edited.calendar.series = merged.calendar.series;
    // What stays keeps its place in the file.
    for event in edited.calendar.series.iter_mut().flat_map(Series::events_mut) {
        if let Some(rank) = places.get(&event.line()).filter(|_| event.line() > 0) {
            event.set_rank(*rank);
        }
    }
    edited.calendar.series.extend(spared);
}

/// The rules whose repairs the other events of the file speak for.
const BY_HABIT: [&str; 2] = ["D02", "R18"];

/// The repairs of a round: for each series the first that may be made.
fn due(
    findings: &[Finding],
    plan: &RepairPlan,
    calendar: &Calendar<'_>,
    zones: &ZoneResolver,
    tried: &BTreeSet<(RuleId, Option<Uid<'static>>)>,
) -> BTreeMap<usize, (RuleId, Edit)> {
    let mut due: BTreeMap<usize, (RuleId, Edit)> = BTreeMap::new();
    // Single events that become part of a series in this round.
    let mut reserved: BTreeSet<usize> = BTreeSet::new();
    // A repair that a habit of the file speaks for comes first, and for all at once:
    // others would take the evidence away.
    let (by_habit, others): (Vec<_>, Vec<_>) =
        findings.iter().partition(|finding| BY_HABIT.contains(&finding.rule.as_str()));
    for finding in by_habit.into_iter().chain(others) {
        let (Some(edit), Some(series)) = (&finding.edit, finding.series) else { continue };
        let answer = plan.answers.get(&(finding.rule, finding.uid.clone(), finding.title.clone()));
        let is_allowed = match (answer, finding.safety) {
            (Some(answer), _) => *answer,
            (None, Safety::Safe) => true,
            (None, Safety::Consent) => plan.consent.covers(finding.rule),
            (None, Safety::ShowOnly) => false,
        };
        let uid = calendar.series[series].uid().map(Uid::into_owned);
        if !is_allowed || tried.contains(&(finding.rule, uid)) || reserved.contains(&series) {
            continue;
        }
        // Those that may be folded have been.
        if matches!(edit, Edit::Fold) {
            continue;
        }
        if let Edit::Roll(rolled) = edit {
            let is_chosen = |at: &usize| plan.selection.chooses(&calendar.series[*at], zones);
            if rolled.members.iter().any(|at| due.contains_key(at) || !is_chosen(at)) {
                continue;
            }
            reserved.extend(&rolled.members);
        }
        due.entry(series).or_insert_with(|| (finding.rule, edit.clone()));
    }
    due
}

/// What an edit did to a series, in words. A definition is one change, however
/// many events it is for.
fn change_of(
    rule: RuleId,
    edit: &Edit,
    before: &Series<'_>,
    after: &[Series<'_>],
    definitions: &mut Definitions,
) -> Option<Change> {
    let is_news = definitions.note(edit);
    let (was, is) = edit.words(before, after);
    match edit.redefined() {
        Some(name) => is_news.then(|| Change::to_other(rule.as_str(), format!("zone {name}"), was, is)),
        None => Some(Change::to_series(Some(rule.as_str()), before, was, is)),
    }
}

fn round(
    repaired: &mut Repaired<'_>,
    due: &BTreeMap<usize, (RuleId, Edit)>,
    plan: &RepairPlan,
    tried: &mut BTreeSet<(RuleId, Option<Uid<'static>>)>,
) {
    let Repaired { edited, refused, .. } = repaired;
    let (before, zones) = (names_in_use(&edited.calendar), edited.zones.clone());
    let mut definitions = Definitions::default();
    let mut rolled = rolled_series(due, &edited.calendar.series);
    edited.each(|index, one| {
        if rolled.gone.contains(&index) {
            return Step::Folded;
        }
        let Some((rule, edit)) = due.get(&index) else { return Step::Keep(one) };
        let result = match rolled.new.remove(&index) {
            Some(new) => Ok(vec![new]),
            None => applied(edit, &one, plan.selection.window, &zones),
        };
        match result {
            Ok(parts) => {
                let change = change_of(*rule, edit, &one, &parts, &mut definitions);
                Step::Became(parts, change.into_iter().collect())
            }
            Err(refusal) => {
                let title = one.lead().title().unwrap_or_default();
                refused.push(format!("{rule}: `{title}` stays as it is: {refusal}"));
                tried.insert((*rule, one.uid().map(Uid::into_owned)));
                Step::Keep(one)
            }
        }
    });
    if due.values().any(|(_, edit)| matches!(edit, Edit::Head)) {
        let missing = edited.calendar.missing_head(PRODUCT_ID);
        edited.calendar.properties.splice(0..0, missing);
    }
    definitions.carry_out(&mut edited.calendar, &zones, &before);
}

/// What becomes of single events that are one series.
struct RolledSeries<'a> {
    /// The series, in the place of their first events.
    new: BTreeMap<usize, Series<'a>>,
    /// All their other events.
    gone: BTreeSet<usize>,
}

fn rolled_series<'a>(due: &BTreeMap<usize, (RuleId, Edit)>, series: &[Series<'a>]) -> RolledSeries<'a> {
    let mut result = RolledSeries { new: BTreeMap::new(), gone: BTreeSet::new() };
    for (index, (_, edit)) in due {
        if let Edit::Roll(rolled) = edit {
            result.new.insert(*index, rolled.series(series));
            result.gone.extend(rolled.members.iter().filter(|at| *at != index));
        }
    }
    result
}

/// A repair of what lies in the window, if there is one: a series that reaches
/// out of it is split, and its other parts stay.
fn applied<'a>(
    edit: &Edit,
    series: &Series<'a>,
    window: Option<Window>,
    zones: &ZoneResolver,
) -> Result<Vec<Series<'a>>, Refusal> {
    let Some(window) = window else { return edit.apply(series, zones) };
    let parts = parts_by_window(series, window, zones)?;
    let inside = parts.inside.map(|inside| edit.apply(&inside, zones)).transpose()?;
    Ok(parts.before.into_iter().chain(inside.unwrap_or_default()).chain(parts.after).collect())
}

/// What a round asks of the definitions.
#[derive(Default)]
struct Definitions {
    redefined: BTreeSet<ZoneName>,
    separated: BTreeMap<ZoneName, String>,
}

impl Definitions {
    /// Takes note of an edit; whether it asks for a definition that nobody
    /// asked for before.
    fn note(&mut self, edit: &Edit) -> bool {
        let is_news = edit.redefined().is_some_and(|name| self.redefined.insert(name.clone()));
        if let Some((from, to)) = edit.separated() {
            self.separated.insert(from.clone(), to.to_owned());
        }
        is_news
    }

    fn carry_out(&self, calendar: &mut Calendar<'_>, zones: &ZoneResolver, before: &BTreeSet<ZoneName>) {
        for zone in &mut calendar.zones {
            let name = zone.it.text("TZID").and_then(|name| ZoneName::new(name.trim()));
            if let Some(fresh) = name.and_then(|name| self.separated.get(&name)) {
                zone.it.set(Property::text_of("TZID", fresh));
            }
        }
        sync_definitions(calendar, zones, before, &self.redefined);
    }
}
