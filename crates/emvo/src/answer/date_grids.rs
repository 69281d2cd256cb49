//! A list of dates for people: one line a date, the day named once.
//!
//! It is walked twice, since a column is as wide as the widest of its cells.

use std::convert::Infallible;

use emvo_ical::recurrence::Window;
use jiff::civil::Date;
use rayon::prelude::*;

use super::date_fields::FieldArg;
use super::date_lines::{DateLine, Shown};
use super::date_list::Listing;
use super::dates::Dates;
use super::language::Language;
use super::list::{Line as _, SortArg};
use crate::terminal::{
    DIM, GridColumn, GridLayout, GridRow, GridShape, HungUp, STRONG, Say, counted, grouped, sanitized, styled,
};

/// How many lines are laid out at a time, and how many of them by one thread.
const LINES_AT_ONCE: usize = 1 << 14;
const LINES_A_THREAD: usize = 1 << 9;

/// The lines under one heading.
struct DateGrid {
    heading: String,
    lines: usize,
    shape: GridShape,
}

/// Tells the list, or what there is to say of an empty one.
pub(super) fn tell_grids(
    dates: &Dates<'_, '_>,
    say: &mut Say<'_>,
    nothing: impl FnOnce() -> String,
) -> Result<(), HungUp> {
    let grids = grids_of(dates);
    if grids.is_empty() {
        return say(&nothing());
    }
    let Listing { window: Window { from, until }, .. } = dates.listing;
    let mut telling = Telling { dates, grids: grids.into_iter(), now: None, last_day: String::new() };
    let told = dates.walk(|lines| telling.tell(lines, say))?;
    telling.end(say)?;
    let cancelled = if told.cancelled > 0 {
        format!("; {} cancelled, --cancelled lists them", grouped(told.cancelled))
    } else {
        String::new()
    };
    let listed = styled(STRONG, counted(told.listed, "date", "dates"));
    say(&format!("{listed}, from {from} through {until}{cancelled}\n"))
}

/// What stands over a line, by the order of the list.
fn heading_of(sort: SortArg, line: &DateLine) -> &str {
    match sort {
        SortArg::Start => "",
        SortArg::Title => &line.cells.title,
        SortArg::Category if line.cells.category.is_empty() => "(no category)",
        SortArg::Category => &line.cells.category,
    }
}

/// The grids of a list, with what their rows need.
fn grids_of(dates: &Dates<'_, '_>) -> Vec<DateGrid> {
    let (listing, sort) = (&dates.listing, dates.listing.sort);
    let mut grids: Vec<DateGrid> = Vec::new();
    let Ok(_) = dates.walk(|lines| {
        for part in lines.chunk_by(|one, two| heading_of(sort, one) == heading_of(sort, two)) {
            let heading = heading_of(sort, &part[0]);
            if grids.last().is_none_or(|grid| grid.heading != heading) {
                grids.push(DateGrid { heading: heading.to_owned(), lines: 0, shape: empty_shape(listing) });
            }
            let shape_of = |lines: &[DateLine]| {
                let mut shape = empty_shape(listing);
                for line in lines {
                    shape.see(&row_of(listing, line));
                }
                shape
            };
            let shapes: Vec<GridShape> = part.par_chunks(LINES_A_THREAD).map(shape_of).collect();
            if let Some(grid) = grids.last_mut() {
                grid.lines += part.len();
                for shape in &shapes {
                    grid.shape.join(shape);
                }
            }
        }
        Ok::<_, Infallible>(())
    });
    grids
}

/// Whether the list is the usual one, for people to hand out.
fn is_usual(listing: &Listing<'_>) -> bool {
    listing.fields == FieldArg::ALL
}

fn empty_shape(listing: &Listing<'_>) -> GridShape {
    if is_usual(listing) {
        let columns = ["Day", "Time", "Title", "Place", "Category", "Zone"].map(GridColumn::Text);
        return GridShape::new(&columns, &["Category", "Place"]);
    }
    let columns = listing.fields.iter().map(|field| GridColumn::Text(field.name()));
    GridShape::new(&columns.collect::<Vec<_>>(), &[])
}

fn row_of(listing: &Listing<'_>, line: &DateLine) -> GridRow {
    let Listing { fields, language, .. } = *listing;
    if !is_usual(listing) {
        return GridRow::of(fields.iter().map(|field| line.cell(*field, language).into_owned()));
    }
    let (day, time) = day_and_time(line, language);
    let cells = &*line.cells;
    let title = if line.cancelled { format!("{} (cancelled)", cells.title) } else { cells.title.clone() };
    GridRow::of([day, time, title, cells.location.clone(), cells.category.clone(), line.zone.to_string()])
}

/// The second walk through a list.
struct Telling<'d, 'a, 't> {
    dates: &'d Dates<'a, 't>,
    grids: std::vec::IntoIter<DateGrid>,
    /// The heading whose lines are told, and how they are laid out.
    now: Option<(String, GridLayout)>,
    last_day: String,
}

impl Telling<'_, '_, '_> {
    fn tell(&mut self, lines: &[DateLine], say: &mut Say<'_>) -> Result<(), HungUp> {
        let sort = self.dates.listing.sort;
        for part in lines.chunk_by(|one, two| heading_of(sort, one) == heading_of(sort, two)) {
            let heading = heading_of(sort, &part[0]);
            if self.now.as_ref().is_none_or(|(known, _)| known != heading) {
                self.end(say)?;
                self.begin(say)?;
            }
            for lines in part.chunks(LINES_AT_ONCE) {
                self.tell_rows(lines, say)?;
            }
        }
        Ok(())
    }

    /// Begins the next grid: the second walk meets the headings of the first.
    fn begin(&mut self, say: &mut Say<'_>) -> Result<(), HungUp> {
        let Some(DateGrid { heading, lines, shape }) = self.grids.next() else { return Ok(()) };
        if !heading.is_empty() {
            let count = styled(DIM, counted(lines, "date", "dates"));
            say(&format!("{}  {count}\n", styled(STRONG, sanitized(&heading))))?;
        }
        let layout = shape.layout();
        say(&layout.header())?;
        self.last_day.clear();
        self.now = Some((heading, layout));
        Ok(())
    }

    fn tell_rows(&mut self, lines: &[DateLine], say: &mut Say<'_>) -> Result<(), HungUp> {
        let listing = &self.dates.listing;
        let mut rows: Vec<GridRow> = lines.par_iter().map(|line| row_of(listing, line)).collect();
        if is_usual(listing) {
            for row in &mut rows {
                if row.first() == self.last_day {
                    row.leave_first_empty();
                } else {
                    row.first().clone_into(&mut self.last_day);
                }
            }
        }
        let Some((_, layout)) = &self.now else { return Ok(()) };
        let texts: Vec<String> = rows.par_chunks(LINES_A_THREAD).map(|rows| layout.lines(rows)).collect();
        texts.iter().try_for_each(|text| say(text))
    }

    /// Ends the grid that is told.
    fn end(&mut self, say: &mut Say<'_>) -> Result<(), HungUp> {
        let Some((_, layout)) = self.now.take() else { return Ok(()) };
        say(&format!("{}\n", layout.footer()))
    }
}

/// The day and the clock times of a line, as people read them.
pub(super) fn day_and_time(row: &DateLine, language: &Language) -> (String, String) {
    let named = |day: Date| format!("{} {day}", language.weekday_short(day));
    let (first, last) = (row.start.date(), row.end.date());
    let clock = Shown::clock;
    let time = match (row.is_all_day(), first == last) {
        (true, true) => "all day".to_owned(),
        (true, false) => format!("through {}", named(last)),
        (false, _) if row.start == row.end => clock(row.start),
        (false, true) => format!("{}–{}", clock(row.start), clock(row.end)),
        (false, false) => format!("{} – {last} {}", clock(row.start), clock(row.end)),
    };
    (named(first), time)
}
