//! The pages of a plan: one of the whole move, and one for each destination.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use emvo_core::reconcile::{Release, Verdict};
use emvo_report::{Cause, Mood, Page, PageLink, Table, render};

use super::carried_out::CarriedOut;
use super::destination_run::DestinationResult;
use super::resolved::Plan;
use crate::answer::advice::to_do;
use crate::answer::besides::Besides;
use crate::answer::done::{Done, Remarks, done_page};
use crate::answer::page::table;
use crate::answer::proof_page::{DIFFERENCE_COLUMNS, difference_row, months, second_answer};
use crate::answer::report_bytes;
use crate::input::TakenNames;
use crate::output::{free_name, in_form_of};
use crate::terminal::{counted, grouped};

/// The report of a plan, before anything is written: the file that was named, and beside a page
/// of several destinations one for each.
pub(super) fn reports_of(
    plan: &Plan,
    carried: &CarriedOut,
    path: &Path,
) -> anyhow::Result<Vec<(PathBuf, Vec<u8>)>> {
    let whole = super::RunAnswer { plan, carried, done: None };
    let mut reports = vec![(path.to_owned(), in_form_of(path, report_bytes(path, &whole)?)?)];
    for (name, one) in own_pages(plan, carried) {
        let page = page_of_destination(one, path);
        reports.push((path.with_file_name(name), render(&page).into_bytes()));
    }
    Ok(reports)
}

/// The destinations that have a page of their own, each with its name.
fn own_pages<'c>(plan: &Plan, carried: &'c CarriedOut) -> Vec<(String, &'c DestinationResult)> {
    let Some(path) = plan.report.as_deref().filter(|path| path.extension().is_some_and(|end| end == "html"))
    else {
        return Vec::new();
    };
    if carried.destinations.len() < 2 {
        return Vec::new();
    }
    let stem = path.file_stem().map(|stem| stem.to_string_lossy().into_owned()).unwrap_or_default();
    let mut taken = TakenNames::default();
    let name = |one: &DestinationResult| format!("{stem}-{}.html", free_name(&one.name, &mut taken));
    let names: Vec<String> = carried.destinations.iter().map(name).collect();
    names.into_iter().zip(&carried.destinations).collect()
}

/// All that was done, for a page or a sheet.
pub(super) fn as_done<'c>(plan: &Plan, carried: &'c CarriedOut) -> Done<'c> {
    let all: Vec<&DestinationResult> = carried.destinations.iter().collect();
    Done {
        account: carried.account(),
        changes: carried.changes().collect(),
        folds: &[],
        left_behind: carried.destinations.iter().flat_map(|one| &one.written.left_behind).collect(),
        remarks: Remarks {
            title: plan.name.clone(),
            by_hand: carried.follow_up.clone(),
            tables: vec![destinations_table(carried), calendars_table(&all), differences_table(&all)],
        },
    }
}

/// The page of the whole move.
pub(super) fn page_of_whole(plan: &Plan, carried: &CarriedOut) -> Page {
    let all: Vec<&DestinationResult> = carried.destinations.iter().collect();
    let page =
        proven(done_page(&as_done(plan, carried)), &all, "For the destinations that are listed below.");
    let link = |(file, one): (String, &DestinationResult)| PageLink { words: one.name.clone(), file };
    Page { links: own_pages(plan, carried).into_iter().map(link).collect(), ..page }
}

/// The page of one destination; `whole` is that of the move.
fn page_of_destination(one: &DestinationResult, whole: &Path) -> Page {
    let all = [one];
    let done = Done {
        account: one.account(),
        changes: one.written.changes.iter().collect(),
        folds: &one.written.folds,
        left_behind: one.written.left_behind.iter().collect(),
        remarks: Remarks {
            title: one.name.clone(),
            by_hand: one.warnings.iter().cloned().chain(one.by_hand_line()).collect(),
            tables: vec![calendars_table(&all), differences_table(&all), besides_table(one)],
        },
    };
    let page = proven(done_page(&done), &all, "For this destination.");
    let file = whole.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    let links = vec![PageLink { words: "the whole move".to_owned(), file }];
    Page { subtitle: one.path.clone(), links, ..page }
}

/// A page with what was proved of some destinations.
fn proven(mut page: Page, destinations: &[&DestinationResult], signed_for: &str) -> Page {
    let proofs = || destinations.iter().filter_map(|one| one.proof.as_ref());
    let is_incomplete = proofs().any(|proof| proof.verdict == Verdict::Incomplete);
    if proofs().next().is_some() {
        page.verdict.word = (if is_incomplete { "Incomplete" } else { "Complete" }).into();
        page.verdict.mood = if is_incomplete { Mood::Bad } else { Mood::Good };
        let calendars = || destinations.iter().flat_map(|one| one.then_and_now());
        let (then, now) = calendars().fold((0, 0), |(then, now), one| (then + one.then, now + one.now));
        let dates = counted(then, "date", "dates");
        let accounted = match (is_incomplete, now == then) {
            (false, _) => format!("Every one of {dates} is accounted for."),
            (true, true) => format!("Every one of {dates} stands there; not all else is accounted for."),
            (true, false) => format!("Not all is accounted for; of {dates}, {} stand there.", grouped(now)),
        };
        page.verdict.sentence = format!("{accounted} {}", page.verdict.sentence);
    }
    page.second = together(destinations).as_ref().map(|release| second_answer(release, signed_for));
    page.causes = proofs()
        .flat_map(|proof| &proof.causes)
        .map(|cause| Cause { summary: cause.summary.clone(), todo: cause.todo.as_ref().map(to_do) })
        .collect();
    let mut days = BTreeMap::new();
    for (day, (before, after)) in proofs().flat_map(|proof| &proof.days) {
        let counts: &mut (usize, usize) = days.entry(*day).or_default();
        *counts = (counts.0 + before, counts.1 + after);
    }
    page.months = months(&days);
    page
}

/// Whether the old calendars may go, over all destinations; `None` without a proof. Of several,
/// each reason names its own.
fn together(destinations: &[&DestinationResult]) -> Option<Release> {
    let releases = destinations.iter().filter_map(|one| {
        let mut release = one.proof.as_ref()?.release.clone();
        if destinations.len() > 1 {
            for reason in &mut release.because {
                reason.summary.insert_str(0, &format!("{}: ", one.name));
            }
        }
        Some(release)
    });
    releases.reduce(|mut one, two| {
        one.because.extend(two.because);
        for (field, count) in two.accepted {
            *one.accepted.entry(field).or_insert(0) += count;
        }
        one.taken_out += two.taken_out;
        one
    })
}

fn destinations_table(carried: &CarriedOut) -> Table {
    let rows = carried.destinations.iter().map(|one| {
        let verdict = match one.proof.as_ref().map(|proof| proof.verdict) {
            None => "not compared",
            Some(Verdict::Complete) => "complete",
            Some(Verdict::Incomplete) => "incomplete",
        };
        vec![
            one.name.clone(),
            one.path.clone(),
            one.account().events.read.to_string(),
            one.account().events.written.to_string(),
            one.account().events.folded.to_string(),
            one.account().events.removed.to_string(),
            one.account().events.set_aside.to_string(),
            verdict.to_owned(),
        ]
    });
    let columns = ["destination", "file", "read", "written", "folded", "removed", "set aside", "verdict"];
    table("Destinations", "", &columns, rows)
}

/// The calendars of the sources, then and now.
fn calendars_table(destinations: &[&DestinationResult]) -> Table {
    let rows: Vec<Vec<String>> = destinations
        .iter()
        .flat_map(|one| one.then_and_now().map(move |calendar| (*one, calendar)))
        .map(|(one, calendar)| {
            let [events, then, now] = [calendar.events, calendar.then, calendar.now].map(grouped);
            vec![calendar.calendar.clone(), calendar.path.clone(), events, then, now, one.name.clone()]
        })
        .collect();
    table(
        "Calendars, then and now",
        "Dates that are fewer now and are not missing were left out or superseded, as asked.",
        &["calendar", "file", "events", "dates then", "dates now", "destination"],
        rows.into_iter(),
    )
}

fn differences_table(destinations: &[&DestinationResult]) -> Table {
    let proofs = destinations.iter().filter_map(|one| one.proof.as_ref());
    let rows: Vec<Vec<String>> = proofs.flat_map(|proof| &proof.differences).map(difference_row).collect();
    table("What differs", "", &DIFFERENCE_COLUMNS, rows.into_iter())
}

fn besides_table(one: &DestinationResult) -> Table {
    let besides: Vec<Besides<'_>> = one.proof.as_ref().map(Besides::all).unwrap_or_default();
    let rows = besides.iter().map(|one| {
        let cells = [one.kind, one.start, one.title, &one.field, one.before, one.after_in_words(), one.path];
        cells.map(str::to_owned).to_vec()
    });
    table("What else differs", "", &["what", "when", "title", "field", "was", "is", "file"], rows)
}
