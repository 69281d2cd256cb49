//! Reading and writing a table of 50,000 rows, and the proof of a calendar made
//! of it.

use std::fmt::Write as _;
use std::sync::LazyLock;

use divan::Bencher;
use divan::counter::{BytesCount, ItemsCount};
use emvo_core::reconcile::{Explanations, ProofOptions, Verdict, reconcile};
use emvo_core::table::{ReadOptions, WriteOptions, read, write};
use emvo_core::view::CalendarView;
use emvo_ical::calendar::Calendar;
use emvo_ical::zone::{ZoneChoices, ZoneResolver};

const ROWS: usize = 50_000;

fn main() {
    divan::main();
}

static TABLE: LazyLock<String> = LazyLock::new(|| {
    let mut out = String::from("Title,Start date,Start time,End date,End time,Location,Repeat\n");
    for number in 0..ROWS {
        let (month, day, hour) = (number % 12 + 1, number / 12 % 28 + 1, number / 336 % 23);
        let repeat = if number % 10 == 0 { "every Monday 12 times" } else { "" };
        let _ = writeln!(
            out,
            "Watch no. {number},2026-{month:02}-{day:02},{hour:02}:00,2026-{month:02}-{day:02},{hour:02}:45,M/S Ebba,{repeat}"
        );
    }
    out
});

fn calendar() -> Calendar<'static> {
    let table = read(&TABLE, "bench", &ReadOptions::default()).expect("the table is in order");
    table.calendars.into_iter().next().expect("the table has rows")
}

#[divan::bench(sample_count = 10)]
fn read_table(bencher: Bencher<'_, '_>) {
    bencher.counter(BytesCount::of_str(&*TABLE)).bench(|| {
        let calendar = calendar();
        assert_eq!(calendar.series.len(), ROWS);
        calendar
    });
}

#[divan::bench(sample_count = 10)]
fn write_table(bencher: Bencher<'_, '_>) {
    let calendar = calendar();
    let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
    bencher.counter(ItemsCount::new(ROWS)).bench(|| {
        let written = write(&[(&calendar, &zones)], &WriteOptions::default()).expect("all of it has a place");
        assert_eq!(written.events, ROWS);
        written.text
    });
}

#[divan::bench(sample_count = 10)]
fn reconcile_with_itself(bencher: Bencher<'_, '_>) {
    let calendar = calendar();
    let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
    let side = || CalendarView { calendar: &calendar, zones: &zones, path: "bench" };
    bencher.counter(ItemsCount::new(ROWS)).bench(|| {
        let proof = reconcile(&[side()], &[side()], &ProofOptions::default(), &Explanations::default());
        assert!(proof.is_some_and(|proof| proof.verdict == Verdict::Complete));
    });
}
