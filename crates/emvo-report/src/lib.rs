//! One self-contained page that says what became of calendars.
//!
//! Owns how a report looks. What it says is given as a [`Page`]; it knows
//! nothing of calendars. No script is needed to read it: one searches lists and puts them in
//! order, the other shows questions one by one and saves the answers. All text is escaped by the page's template. On paper the
//! first page is a summary to be signed, and the evidence follows.

mod charts;
mod lists;
mod questions;

use std::fmt::Write as _;

use jiff::civil::Date;
pub use questions::{Choice, Mark, Question, Questions, SideRow};

use maud::{DOCTYPE, Markup, PreEscaped, html};

/// What a report says, from top to bottom. Empty parts are left out.
#[derive(Clone, Debug, Default)]
pub struct Page {
    /// The heading.
    pub title: String,
    /// What was compared or done, in a line.
    pub subtitle: String,
    /// Other pages that belong to it.
    pub links: Vec<PageLink>,
    /// The verdict.
    pub verdict: Verdict,
    /// The answer to a second question, if one was asked.
    pub second: Option<SecondAnswer>,
    /// Numbers with what they count.
    pub counts: Vec<(usize, String)>,
    /// What many differences have in common.
    pub causes: Vec<Cause>,
    /// What a person has to do by hand.
    pub by_hand: Vec<String>,
    /// What a person decides here.
    pub questions: Option<Questions>,
    /// Events by month, before and after.
    pub months: Vec<Month>,
    /// How many moved by how much.
    pub shifts: Vec<(String, usize)>,
    /// Months in which days differ.
    pub grids: Vec<MonthGrid>,
    /// Lists.
    pub tables: Vec<Table>,
    /// Which version of Emvo made it.
    pub made_by: String,
}

/// A page beside this one.
#[derive(Clone, Debug)]
pub struct PageLink {
    /// What it is about.
    pub words: String,
    /// The name of its file, in the same folder.
    pub file: String,
}

/// How it ended.
#[derive(Clone, Debug, Default)]
pub struct Verdict {
    /// Whether it is good.
    pub mood: Mood,
    /// In a word.
    pub word: String,
    /// In a sentence.
    pub sentence: String,
}

/// An answer that somebody signs, with what speaks against it.
#[derive(Clone, Debug)]
pub struct SecondAnswer {
    /// The question.
    pub question: String,
    /// The answer to it.
    pub verdict: Verdict,
    /// What speaks against it, in order.
    pub reasons: Vec<Cause>,
    /// What whoever signs it signs for.
    pub signed_for: String,
}

/// Whether news are good.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Mood {
    /// They are.
    Good,
    /// Something is lost or wrong.
    Bad,
    /// Something needs a look.
    #[default]
    Wait,
}

/// One cause.
#[derive(Clone, Debug)]
pub struct Cause {
    /// In a sentence.
    pub summary: String,
    /// What to do about it.
    pub todo: Option<String>,
}

/// A month with how many occurrences it has, before and after.
#[derive(Clone, Debug)]
pub struct Month {
    /// `2026-03`.
    pub name: String,
    /// Before.
    pub before: usize,
    /// After.
    pub after: usize,
}

/// A month of which days differ.
#[derive(Clone, Debug)]
pub struct MonthGrid {
    /// Its first day.
    pub first: Date,
    /// How many occurrences each day had, from the first.
    pub before: Vec<usize>,
    /// How many it has.
    pub after: Vec<usize>,
}

/// A list.
#[derive(Clone, Debug, Default)]
pub struct Table {
    /// Its heading.
    pub title: String,
    /// What is to be known about it.
    pub note: String,
    /// The headers.
    pub columns: Vec<&'static str>,
    /// The rows.
    pub rows: Vec<Vec<String>>,
    /// How many rows there are in all.
    pub total: usize,
}

/// So many rows of a list are shown at once; what is behind them is searched.
const MOST_SHOWN: usize = 2_000;

/// A page stays small enough to send: longer lists are cut, and say so.
pub const MOST_ROWS: usize = 20_000;

/// A script of the page, and its SHA-256 in base64: a browser runs no other there.
struct Script {
    text: &'static str,
    digest: &'static str,
}

const LISTS: Script =
    Script { text: include_str!("lists.js"), digest: "YQX7UzaG3RBep/zRdpEfVcN52tAJW0wWtKJEPNCDOkw=" };
const DECIDE: Script =
    Script { text: include_str!("decide.js"), digest: "JkpHYye/ZJ97QFtsBWWom1keK/HqT6j6ywM4+Vjhnbc=" };

/// The scripts that a page needs.
fn scripts_of(page: &Page) -> Vec<Script> {
    let lists = lists::needs_script(&page.tables).then_some(LISTS);
    lists.into_iter().chain(page.questions.as_ref().map(|_| DECIDE)).collect()
}

/// What a browser may do with the page (Content Security Policy, level 2): show it and its
/// own styles, run its own scripts if it has any, and fetch nothing. A text of a stranger
/// that got in as markup all the same would do nothing.
fn policy(scripts: &[Script]) -> String {
    let digests = scripts.iter().map(|script| format!("'sha256-{}'", script.digest));
    let mut script = digests.collect::<Vec<_>>().join(" ");
    if script.is_empty() {
        "'none'".clone_into(&mut script);
    }
    format!(
        "default-src 'none'; style-src 'unsafe-inline'; script-src {script}; base-uri 'none'; form-action 'none'"
    )
}

/// The page as HTML.
pub fn render(page: &Page) -> String {
    let style = include_str!("style.css");
    let scripts = scripts_of(page);
    let document = html! {
        (DOCTYPE)
        html lang="en" {
            head {
                meta charset="utf-8";
                meta http-equiv="Content-Security-Policy" content=(policy(&scripts));
                meta name="viewport" content="width=device-width, initial-scale=1";
                meta name="color-scheme" content="light dark";
                title { (page.title) }
                style { (PreEscaped(style)) }
            }
            body {
                main {
                    header {
                        h1 { (page.title) }
                        p.soft { (page.subtitle) }
                        (links(&page.links))
                    }
                    (verdict(&page.verdict))
                    @if let Some(questions) = &page.questions { (questions::questions(questions)) }
                    (counts(&page.counts))
                    @if let Some(second) = &page.second { (second_answer(second)) }
                    div.evidence {
                        (causes(&page.causes))
                        (by_hand(&page.by_hand))
                        (charts::months(&page.months))
                        (charts::shifts(&page.shifts))
                        (charts::grids(&page.grids))
                        @for (number, table) in page.tables.iter().enumerate() { (lists::list(number, table)) }
                    }
                    footer { p.note { (page.made_by) } }
                }
                @for script in &scripts { script { (PreEscaped(script.text)) } }
            }
        }
    };
    document.into_string()
}

fn links(links: &[PageLink]) -> Markup {
    html! {
        @if !links.is_empty() {
            nav aria-label="Pages" {
                @for PageLink { words, file } in links { a href=(reference_to(file)) { (words) } " " }
            }
        }
    }
}

/// A file of this folder as a reference (RFC 3986 section 2): whatever may mean something else
/// there stands as its bytes. In front, so that no name is taken for a scheme.
fn reference_to(file: &str) -> String {
    let mut reference = "./".to_owned();
    for byte in file.bytes() {
        if byte.is_ascii_alphanumeric() || b"-._~".contains(&byte) {
            reference.push(char::from(byte));
        } else {
            // Writing into a string cannot fail.
            let _ = write!(reference, "%{byte:02X}");
        }
    }
    reference
}

fn verdict(verdict: &Verdict) -> Markup {
    boxed(verdict, "Verdict", Some("verdict"))
}

fn boxed(verdict: &Verdict, label: &str, id: Option<&str>) -> Markup {
    let class = match verdict.mood {
        Mood::Good => "verdict good",
        Mood::Bad => "verdict bad",
        Mood::Wait => "verdict wait",
    };
    html! {
        section class=(class) aria-label=(label) {
            strong id=[id] { (verdict.word) }
            @if !verdict.sentence.is_empty() { p { (verdict.sentence) } }
        }
    }
}

fn second_answer(second: &SecondAnswer) -> Markup {
    html! {
        h2 { (second.question) }
        (boxed(&second.verdict, "Second answer", None))
        @if !second.reasons.is_empty() { ol.causes { @for reason in &second.reasons { (cause(reason)) } } }
        section.signature aria-label="Signature" {
            p.note { (second.signed_for) }
            ul.sign { @for what in ["Place", "Date", "Name", "Signature"] { li { (what) } } }
        }
    }
}

fn counts(counts: &[(usize, String)]) -> Markup {
    html! {
        @if !counts.is_empty() {
            ul.counts aria-label="Balance" {
                @for (count, what) in counts { li { b { (grouped(*count)) } (what) } }
            }
        }
    }
}

fn causes(causes: &[Cause]) -> Markup {
    html! {
        @if !causes.is_empty() {
            h2 { "What happened" }
            ol.causes {
                @for one in causes { (cause(one)) }
            }
        }
    }
}

fn cause(cause: &Cause) -> Markup {
    html! {
        li {
            (quoted(&cause.summary))
            @if let Some(line) = &cause.todo { span.todo { "→ " (todo(line)) } }
        }
    }
}

/// What to do: what is typed stands as it is typed, words stand as words.
fn todo(line: &str) -> Markup {
    let is_typed = line.starts_with("--") || line.starts_with("emvo ");
    html! {
        @if is_typed {
            code { (line) }
        } @else {
            (quoted(line))
        }
    }
}

/// What stands between two backticks stands as it is typed, or as it was found.
fn quoted(line: &str) -> Markup {
    html! {
        @for (at, part) in line.split('`').enumerate() {
            @if at % 2 == 1 { code { (part) } } @else { (part) }
        }
    }
}

fn by_hand(list: &[String]) -> Markup {
    html! {
        @if !list.is_empty() {
            h2 { "To do by hand" }
            ul { @for item in list { li { (item) } } }
        }
    }
}

/// `1,204`.
fn grouped(number: usize) -> String {
    let digits = number.to_string();
    let mut out = String::new();
    for (at, digit) in digits.chars().enumerate() {
        if at > 0 && (digits.len() - at).is_multiple_of(3) {
            out.push(',');
        }
        out.push(digit);
    }
    out
}
