//! The page as a file: complete, escaped, small.

use emvo_report::{
    Cause, Choice, MOST_ROWS, Mark, Month, MonthGrid, Mood, Page, PageLink, Question, Questions,
    SecondAnswer, SideRow, Table, Verdict, render,
};

fn page() -> Page {
    Page {
        title: "crew.ics <script>alert(1)</script>".to_owned(),
        subtitle: "what & whom".to_owned(),
        verdict: Verdict {
            mood: Mood::Bad,
            word: "Incomplete".to_owned(),
            sentence: "3 are late".to_owned(),
        },
        second: Some(SecondAnswer {
            question: "May they go?".to_owned(),
            verdict: Verdict {
                mood: Mood::Bad,
                word: "Not yet, because:".to_owned(),
                sentence: String::new(),
            },
            reasons: vec![Cause { summary: "9 have lost <their> link".to_owned(), todo: None }],
            signed_for: "for 2 files".to_owned(),
        }),
        counts: vec![(1_204, "there as they were".to_owned())],
        causes: vec![Cause {
            summary: "3 are one hour late".to_owned(),
            todo: Some("emvo retime".to_owned()),
        }],
        by_hand: vec!["share it again".to_owned()],
        links: vec![PageLink { words: "crew".to_owned(), file: "move-crew #1 å.html".to_owned() }],
        questions: None,
        months: vec![Month { name: "2026-03".to_owned(), before: 5, after: 4 }],
        shifts: vec![("+1 h".to_owned(), 3)],
        grids: vec![MonthGrid {
            first: jiff::civil::date(2026, 3, 1),
            before: vec![1; 31],
            after: vec![0; 31],
        }],
        tables: vec![Table {
            title: "What differs".to_owned(),
            columns: vec!["title", "start"],
            rows: vec![vec!["\"quoted\" <b>".to_owned(), "2026-03-01".to_owned()]; 20],
            total: 20,
            ..Table::default()
        }],
        made_by: "Emvo".to_owned(),
    }
}

#[test]
fn the_page_is_complete_and_harmless() {
    let html = render(&page());
    for part in [
        "Incomplete",
        "May they go?",
        "Not yet, because:",
        "9 have lost &lt;their&gt; link",
        "Signature",
        "1,204",
        "→",
        "share it again",
        "March 2026",
        "2026-03",
        "+1 h",
        "scope=\"col\"",
        "prefers-color-scheme",
    ] {
        assert!(html.contains(part), "{part}");
    }
    assert!(!html.contains("<script>alert") && !html.contains("<b>\""), "texts are escaped");
    assert!(html.contains("&lt;script&gt;alert(1)&lt;/script&gt;"));
    assert!(!html.replace("http-equiv", "").contains("http"), "nothing is fetched from anywhere");
}

#[test]
fn a_page_with_nothing_to_list_has_no_script_and_no_charts() {
    let bare =
        Page { tables: Vec::new(), months: Vec::new(), shifts: Vec::new(), grids: Vec::new(), ..page() };
    let html = render(&bare);
    assert!(!html.contains("<script>") && !html.contains("<svg"), "{html}");
}

#[test]
fn the_longest_page_stays_small() {
    let row = vec!["A title that is rather long and has words in it".to_owned(); 8];
    let table =
        Table { rows: vec![row; MOST_ROWS], total: 1_000_000, columns: vec!["x"; 8], ..Table::default() };
    let months = (0..2_000).map(|at| Month { name: format!("{}-01", 1900 + at / 12), before: at, after: at });
    let html = render(&Page { tables: vec![table], months: months.collect(), ..page() });
    assert!(html.len() < 15_000_000, "{}", html.len());
    assert!(html.contains("1,000,000 rows; the first 2,000 are shown, --report list.csv has them all"));
    assert_eq!(html.matches("<tr><td data-label").count(), 2_000, "the others are there to be searched");
    assert_eq!(html.matches("A title that is rather long").count(), 8 * MOST_ROWS);
}

/// What is searched stands in an element of its own, which nothing in a text may end.
#[test]
fn texts_that_are_only_searched_are_harmless() {
    let rows = vec![vec!["</script><script>alert(2)</script>".to_owned()]; 2_001];
    let table = Table { rows, total: 2_001, columns: vec!["x"], ..Table::default() };
    let html = render(&Page { tables: vec![table], ..page() });
    assert!(!html.contains("<script>alert"), "it would run");
    assert!(html.contains("2,001 rows; the first 2,000 are shown, a search finds all"));
}

fn questions() -> Questions {
    Questions {
        title: "One or two?".to_owned(),
        choices: vec![Choice { word: "same", label: "The same", key: 's' }],
        columns: vec!["answer", "title"],
        file: "pairs.answers.csv".to_owned(),
        next: "emvo merge --answers".to_owned(),
        list: vec![Question {
            question: "</script><script>alert(3)</script>".to_owned(),
            sides: ["a.ics".to_owned(), "b.ics".to_owned()],
            rows: vec![SideRow {
                field: "end".to_owned(),
                said: ["09:00".to_owned(), "10:00".to_owned()],
                mark: Mark::Differs,
            }],
            cells: vec![String::new(), "Watch".to_owned()],
            ..Question::default()
        }],
        ..Questions::default()
    }
}

#[test]
fn questions_are_data_for_the_page_s_own_script() {
    let html = render(&Page { questions: Some(questions()), ..page() });
    let (_, rest) = html.split_once("<script id=\"asked\" type=\"application/json\">").unwrap();
    let asked: serde_json::Value = serde_json::from_str(rest.split_once("</script>").unwrap().0).unwrap();
    assert_eq!(asked["list"][0]["question"], "</script><script>alert(3)</script>");
    assert_eq!(asked["list"][0]["rows"][0], serde_json::json!(["end", "09:00", "10:00", true]));
    assert!(!html.contains("<script>alert"), "it would run");
    // Without a script there is nothing to press, and nothing is shown that does nothing.
    assert!(html.contains("<section id=\"questions\" hidden"), "{html}");
}

#[test]
fn other_pages_are_reached_by_the_names_of_their_files() {
    assert!(render(&page()).contains("<a href=\"./move-crew%20%231%20%C3%A5.html\">crew</a>"));
}

/// RFC 4648 section 4.
fn base64(bytes: &[u8]) -> String {
    const LETTERS: &[u8; 64] = b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    let mut out = String::new();
    for chunk in bytes.chunks(3) {
        let number = chunk.iter().fold(0_usize, |number, byte| number << 8 | usize::from(*byte))
            << (8 * (3 - chunk.len()));
        for place in 0..4 {
            let letter = char::from(LETTERS[number >> (18 - 6 * place) & 63]);
            out.push(if place <= chunk.len() { letter } else { '=' });
        }
    }
    out
}

/// The scripts that stand in a page to be run.
fn scripts(html: &str) -> Vec<&str> {
    html.split("<script>").skip(1).filter_map(|rest| Some(rest.split_once("</script>")?.0)).collect()
}

#[test]
fn a_browser_runs_the_pages_own_scripts_and_no_others() {
    use sha2::Digest as _;
    assert_eq!((base64(b"M"), base64(b"Ma"), base64(b"Man")), ("TQ==".into(), "TWE=".into(), "TWFu".into()));
    let html = render(&Page { questions: Some(questions()), ..page() });
    assert_eq!(scripts(&html).len(), 2);
    let allowed = |script: &&str| format!("'sha256-{}'", base64(&sha2::Sha256::digest(script.as_bytes())));
    let allowed: Vec<String> = scripts(&html).iter().map(allowed).collect();
    let policy = format!(
        "<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'; style-src 'unsafe-inline'; script-src {}; base-uri 'none'; form-action 'none'\">",
        allowed.join(" ")
    );
    assert!(
        html.contains(&policy),
        "a script has changed: its digest in lib.rs has to be made anew: {policy}"
    );
    let plain = render(&Page { tables: Vec::new(), ..page() });
    assert!(plain.contains("script-src 'none'") && !plain.contains("<script>"), "{plain}");
}
