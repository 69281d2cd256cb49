//! The drawings: bars by month, bars by shift, months as grids of days.

use jiff::ToSpan;
use jiff::civil::Date;
use maud::{Markup, html};

use super::{Month, MonthGrid, grouped};

/// More months than this do not fit side by side: they are drawn by year.
const MOST_BARS: usize = 36;
const HEIGHT: usize = 130;
const WIDTH: usize = 900;
const LEFT: usize = 44;
const BASE: usize = 112;
const TOP: usize = 10;

/// Bars by month, before beside after; by year where there are many months.
pub(super) fn months(months: &[Month]) -> Markup {
    if months.is_empty() {
        return html! {};
    }
    let (bars, what) =
        if months.len() > MOST_BARS { (by_year(months), "year") } else { (months.to_vec(), "month") };
    let most = bars.iter().map(|bar| bar.before.max(bar.after)).max().unwrap_or(0).max(1);
    let step = (WIDTH - LEFT - 6) / bars.len().max(1);
    let width = (step * 4 / 10).clamp(1, 40);
    let every = bars.len().div_ceil(12).max(1);
    html! {
        h2 { "Dates by " (what) }
        p.note { span.key.one {} "in the sources" span.key.two {} "in the result" }
        div.wide role="region" tabindex="0" aria-label={ "Dates by " (what) ", drawn" } { svg viewBox={ "0 0 " (WIDTH) " " (HEIGHT) } role="img" aria-label={ "Dates by " (what) ", before and after" } {
            text x="4" y=(TOP + 8) { (grouped(most)) }
            line.axis x1=(LEFT) y1=(BASE) x2=(WIDTH - 4) y2=(BASE) {}
            @for (at, bar) in bars.iter().enumerate() {
                @let x = LEFT + at * step;
                (bar_of("before", x + 2, width, bar.before, most, &bar.name))
                (bar_of("after", x + 2 + width, width, bar.after, most, &bar.name))
                @if at % every == 0 { text x=(x + 2) y=(BASE + 13) { (bar.name) } }
            }
        } }
    }
}

fn bar_of(class: &str, x: usize, width: usize, count: usize, most: usize, name: &str) -> Markup {
    let height = (count * (BASE - TOP)).div_ceil(most);
    html! {
        rect class=(class) x=(x) y=(BASE - height) width=(width) height=(height) {
            title { (name) ": " (grouped(count)) }
        }
    }
}

fn by_year(months: &[Month]) -> Vec<Month> {
    let mut years: Vec<Month> = Vec::new();
    for month in months {
        let year = month.name.split('-').next().unwrap_or_default();
        match years.last_mut().filter(|last| last.name == year) {
            Some(last) => {
                last.before += month.before;
                last.after += month.after;
            }
            None => years.push(Month { name: year.to_owned(), ..month.clone() }),
        }
    }
    years
}

/// Bars that lie, one for each amount by which dates moved.
pub(super) fn shifts(shifts: &[(String, usize)]) -> Markup {
    if shifts.is_empty() {
        return html! {};
    }
    let most = shifts.iter().map(|(_, count)| *count).max().unwrap_or(1).max(1);
    let height = shifts.len() * 24 + 8;
    html! {
        h2 { "By how much dates moved" }
        div.wide role="region" tabindex="0" aria-label="By how much dates moved, drawn" { svg viewBox={ "0 0 " (WIDTH) " " (height) } role="img" aria-label="Dates by how much they moved" {
            @for (at, (name, count)) in shifts.iter().enumerate() {
                @let y = 6 + at * 24;
                text x="6" y=(y + 12) { (name) }
                rect.after x="150" y=(y) width=((count * 650).div_ceil(most)) height="16" {}
                text x=(158 + (count * 650).div_ceil(most)) y=(y + 12) { (grouped(*count)) }
            }
        } }
    }
}

/// Months with days that differ, as they were and as they are.
pub(super) fn grids(grids: &[MonthGrid]) -> Markup {
    html! {
        @if !grids.is_empty() {
            h2 { "Months with differences" }
            p.note { "Under the number of the day stands how many dates it has. A marked day has not as many as it had." }
            div.grids {
                @for grid in grids {
                    section {
                        h3 { (grid.first.strftime("%B %Y").to_string()) }
                        div.pair {
                            (month("in the sources", grid, &grid.before))
                            (month("in the result", grid, &grid.after))
                        }
                    }
                }
            }
        }
    }
}

fn month(caption: &str, grid: &MonthGrid, counts: &[usize]) -> Markup {
    let days = usize::try_from(grid.first.days_in_month()).unwrap_or(31);
    let lead = usize::try_from(grid.first.weekday().to_monday_zero_offset()).unwrap_or(0);
    let weeks = (lead + days).div_ceil(7);
    html! {
        table.month {
            caption { (caption) }
            thead { tr { @for day in ["Mo", "Tu", "We", "Th", "Fr", "Sa", "Su"] { th scope="col" { (day) } } } }
            tbody {
                @for week in 0..weeks {
                    tr {
                        @for weekday in 0..7 {
                            (day(grid, counts, (week * 7 + weekday).checked_sub(lead).filter(|at| *at < days)))
                        }
                    }
                }
            }
        }
    }
}

fn day(grid: &MonthGrid, counts: &[usize], at: Option<usize>) -> Markup {
    let Some(at) = at else { return html! { td {} } };
    let count = counts.get(at).copied().unwrap_or(0);
    let differs = grid.before.get(at) != grid.after.get(at);
    let date: Date = grid.first.saturating_add(i64::try_from(at).unwrap_or(0).days());
    html! {
        td class=[differs.then_some("off")] {
            small { (date.day()) }
            @if count > 0 || differs { b { (count) } }
        }
    }
}
