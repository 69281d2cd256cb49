//! Lists: tables that can be searched and put in order where there is a script, and
//! that stand as they were written where there is none.

use maud::{Markup, PreEscaped, html};

use super::{MOST_SHOWN, Table, grouped};

/// Above this a list gets a box to search it.
const SEARCHED_FROM: usize = 12;

/// A longer word may be broken anywhere, or it would push other columns off the page.
const LONG_WORD: usize = 24;

/// Whether a page needs the script.
pub(super) fn needs_script(tables: &[Table]) -> bool {
    tables.iter().any(|table| table.rows.len() > 1)
}

pub(super) fn list(number: usize, table: &Table) -> Markup {
    let id = format!("list-{number}");
    let (shown, more) = table.rows.split_at(table.rows.len().min(MOST_SHOWN));
    html! {
        @if !table.rows.is_empty() {
            h2 id={ (id) "-title" } { (table.title) }
            @if !table.note.is_empty() { p.note { (table.note) } }
            @if table.rows.len() >= SEARCHED_FROM {
                input type="search" data-for=(id) hidden placeholder="Search" aria-label={ "Search: " (table.title) };
            }
            div.wide role="region" tabindex="0" aria-labelledby={ (id) "-title" } {
                table.list id=(id) data-total=(table.total) {
                    caption { span role="status" { (count_in_words(table)) } }
                    thead { tr { @for column in &table.columns { th scope="col" { (column) } } } }
                    tbody { @for row in shown { (row_of(row, &table.columns)) } }
                }
            }
            @if !more.is_empty() {
                script type="application/json" data-more=(id) { (PreEscaped(as_json(more))) }
            }
        }
    }
}

/// `94 rows`, and how many of them are not here.
fn count_in_words(table: &Table) -> String {
    let rows = format!("{} {}", grouped(table.total), if table.total == 1 { "row" } else { "rows" });
    let kept = table.rows.len();
    let shown = kept.min(MOST_SHOWN);
    match (table.total > kept, kept > shown) {
        (false, false) => rows,
        (false, true) => format!("{rows}; the first {} are shown, a search finds all", grouped(shown)),
        (true, _) => {
            format!("{rows}; the first {} are shown, --report list.csv has them all", grouped(shown))
        }
    }
}

fn row_of(row: &[String], columns: &[&str]) -> Markup {
    html! {
        tr {
            @for (cell, column) in row.iter().zip(columns) {
                td data-label=(column) class=[is_long(cell).then_some("long")] { (breakable(cell)) }
            }
        }
    }
}

/// A text that may go on in the next line behind each folder of a path.
fn breakable(cell: &str) -> Markup {
    html! {
        @for (at, part) in cell.split_inclusive('/').enumerate() {
            @if at > 0 { wbr; }
            (part)
        }
    }
}

/// Whether a word has to be broken where it comes, such as a digest.
fn is_long(cell: &str) -> bool {
    cell.split([' ', '/']).any(|word| word.chars().count() > LONG_WORD)
}

/// Rows for the script alone.
fn as_json(rows: &[Vec<String>]) -> String {
    harmless(&serde_json::to_string(rows).unwrap_or_default())
}

/// JSON in which nothing can end the element that it stands in.
pub(super) fn harmless(json: &str) -> String {
    json.replace('<', "\\u003c")
}
