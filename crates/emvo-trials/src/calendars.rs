//! Calendar files.

use emvo_core::edit::{Count, Edited};
use emvo_core::merge::{LookAlikes, MergeInput, MergeOptions, merge};
use emvo_core::rules::{Consent, RepairPlan, repair};
use emvo_ical::calendar::{Calendar, ComponentCounts, count_components, read, read_bare, write};
use emvo_ical::content::{Component, Item, decode, parse, push_component};
use emvo_ical::zone::{ZoneChoices, ZoneResolver};

/// What was read and written reads without a fault, and says the same.
pub fn content(data: &[u8]) {
    let decoded = decode(data);
    let parsed = parse(&decoded.text);
    let first = written(&parsed.roots);
    let again = parse(&first);
    assert!(again.faults.is_empty(), "{:?} in\n{first}", again.faults);
    assert_eq!(again.roots.len(), parsed.roots.len());
    for (one, two) in parsed.roots.iter().zip(&again.roots) {
        assert!(one.says_the_same_as(two), "\n{first}");
    }
    assert_eq!(first, written(&again.roots));
}

fn written(components: &[Component<'_>]) -> String {
    let mut out = Vec::new();
    for component in components {
        push_component(&mut out, component);
    }
    String::from_utf8(out).expect("what comes from text is text")
}

/// Every event that was read is written, folded, or set aside: after repairs
/// with all consent, and after combining with itself.
pub fn balance(data: &[u8]) {
    let decoded = decode(data);
    for calendar in calendars(&decoded.text) {
        repaired(calendar.clone());
        combined(&calendar);
    }
}

/// The calendars of a text.
pub(crate) fn calendars(text: &str) -> Vec<Calendar<'_>> {
    let mut calendars = Vec::new();
    let mut bare = Vec::new();
    for root in parse(text).roots {
        if root.is("VCALENDAR") {
            calendars.push(read(root, "trial"));
        } else {
            bare.push(Item::Component(Box::new(root)));
        }
    }
    if !bare.is_empty() {
        calendars.push(read_bare(bare, "trial"));
    }
    calendars
}

fn repaired(calendar: Calendar<'_>) {
    let before = calendar.series.len();
    let plan = RepairPlan { consent: Consent::All, ..RepairPlan::default() };
    let repaired = repair(calendar, &ZoneChoices::default(), &plan);
    let Edited { calendar, account, changes, .. } = repaired.edited;
    let after = calendar.series.len();
    assert_eq!(before + account.events.added, after + account.events.folded, "{changes:?}");
    assert_reads_back(&calendar);
}

fn combined(calendar: &Calendar<'_>) {
    let input = |label: &str| MergeInput {
        calendar: calendar.clone(),
        zones: ZoneResolver::of(calendar, &ZoneChoices::default()),
        label: label.to_owned(),
    };
    let options = MergeOptions { look_alikes: LookAlikes::Leave, ..MergeOptions::default() };
    let merged = merge(None, vec![input("one"), input("two")], options);
    let mut account = merged.account;
    assert_eq!(account.events.read, 2 * (calendar.series.len() + calendar.unsound.len()));
    let written = ComponentCounts { events: merged.calendar.series.len(), ..merged.calendar.counts() };
    account.add(Count::Written, written);
    account.ensure_sum().expect("what is combined is written, folded or set aside");
    assert_reads_back(&merged.calendar);
}

/// What is written is read back as the same number of events.
fn assert_reads_back(calendar: &Calendar<'_>) {
    let mut out = Vec::new();
    write(calendar, &mut out);
    let text = String::from_utf8(out).expect("what comes from text is text");
    let expected = ComponentCounts { events: calendar.series.len(), ..calendar.counts() };
    assert_eq!(count_components(&text).components, expected, "\n{text}");
    let again = calendars(&text);
    let read: usize = again.iter().map(|calendar| calendar.series.len()).sum();
    assert_eq!(read, calendar.series.len(), "\n{text}");
    assert!(again.iter().all(|calendar| calendar.unsound.is_empty()), "\n{text}");
}
