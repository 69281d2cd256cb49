//! What the guide and the help tell people to type works: every command runs
//! in the folder that `emvo demo` makes, in order, page by page.

#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files fails")]

use std::fmt::Write as _;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::LazyLock;

use crate::harness::Case;

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// What `emvo demo` leaves behind, by path.
static AFTER_DEMO: LazyLock<Vec<(String, Vec<u8>)>> = LazyLock::new(|| {
    let case = Case::new();
    case.ends(0, &["demo", "demo"]);
    let (mut files, mut folders) = (Vec::new(), vec![case.path("demo")]);
    while let Some(folder) = folders.pop() {
        for entry in fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                folders.push(path);
            } else {
                let name = path.strip_prefix(case.path("demo")).unwrap().to_str().unwrap().to_owned();
                files.push((name, fs::read(&path).unwrap()));
            }
        }
    }
    files
});

/// The demo's folder, as somebody finds it who has just run the demo.
fn demo_folder() -> Case {
    let case = Case::new();
    for (name, bytes) in AFTER_DEMO.iter() {
        case.put(name, bytes);
    }
    case
}

/// Runs a line as a shell does, with a ledger of the case's own. The status.
fn typed(case: &Case, line: &str) -> (i32, String) {
    let program = assert_cmd::cargo::cargo_bin("emvo");
    let folder = program.parent().unwrap().to_str().unwrap();
    let output = Command::new("sh")
        .args(["-c", line])
        .current_dir(case.path(""))
        .env("PATH", format!("{folder}:{}", std::env::var("PATH").unwrap()))
        .env("EMVO_LEDGER", case.path("ledger.sqlite"))
        .output()
        .unwrap();
    (output.status.code().unwrap_or(-1), String::from_utf8_lossy(&output.stderr).into_owned())
}

/// The lines of `sh` blocks in a page, joined where they end in a backslash.
fn lines_to_type(page: &str) -> Vec<String> {
    let mut lines = Vec::new();
    for block in page.split("```sh\n").skip(1) {
        let block = block.split("```").next().unwrap().replace("\\\n", " ");
        lines.extend(block.lines().filter(|line| !line.trim().is_empty()).map(str::to_owned));
    }
    lines
}

#[test]
fn every_command_of_the_guide_runs() {
    let mut pages: Vec<PathBuf> = vec![root().join("README.md")];
    pages.extend(fs::read_dir(root().join("docs")).unwrap().map(|entry| entry.unwrap().path()));
    pages.extend(fs::read_dir(root().join("docs/how-to")).unwrap().map(|entry| entry.unwrap().path()));
    pages.retain(|path| path.extension().is_some_and(|extension| extension == "md"));
    pages.sort();
    let mut typed_lines = 0;
    let mut wrong = Vec::new();
    for page in pages {
        let case = demo_folder();
        for line in lines_to_type(&fs::read_to_string(&page).unwrap()) {
            // Words behind a command are for people; `exit 2` among them is a
            // refusal that the page is about.
            let expected = if line.contains("# refused") { 2..=2 } else { 0..=1 };
            if line.starts_with("cargo ") {
                continue;
            }
            let (status, told) = typed(&case, &line);
            if !expected.contains(&status) {
                wrong.push(format!("{}: {line}: {status}\n{told}", page.display()));
            }
            typed_lines += 1;
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert!(typed_lines > 40, "{typed_lines} lines were typed");
}

/// The pages of the guide and the texts beside it, by their paths from the project's folder.
fn texts() -> Vec<(String, String)> {
    let mut folders = vec![root().join("docs"), root().join("crates/emvo/demo")];
    let mut texts = Vec::new();
    let mut paths: Vec<PathBuf> =
        ["README.md", "CONTRIBUTING.md", "ARCHITECTURE.md", "CHANGELOG.md", "SECURITY.md"]
            .map(|name| root().join(name))
            .into();
    while let Some(folder) = folders.pop() {
        for entry in fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() { folders.push(path) } else { paths.push(path) }
        }
    }
    paths.retain(|path| path.extension().is_some_and(|extension| extension == "md"));
    paths.sort();
    for path in paths {
        let name = path.strip_prefix(root()).unwrap().to_str().unwrap().to_owned();
        texts.push((name, fs::read_to_string(path).unwrap()));
    }
    texts
}

/// The targets of links in a page, without those in blocks of code.
fn links(page: &str) -> Vec<String> {
    let mut is_code = false;
    let lines = page.lines().filter(|line| {
        let fence = line.starts_with("```");
        is_code ^= fence;
        !is_code && !fence
    });
    let text = lines.collect::<Vec<_>>().join("\n");
    text.split("](").skip(1).map(|rest| rest.split(')').next().unwrap().to_owned()).collect()
}

/// What a heading is called in a link.
fn anchor(heading: &str) -> String {
    let lower = heading.to_lowercase();
    let kept = lower.chars().filter_map(|char| match char {
        ' ' => Some('-'),
        char if char.is_alphanumeric() || char == '-' || char == '_' => Some(char),
        _ => None,
    });
    kept.collect()
}

#[test]
fn every_link_leads_somewhere_and_the_contents_have_every_page() {
    let texts = texts();
    let mut wrong = Vec::new();
    let mut followed = 0;
    for (name, text) in &texts {
        let folder = root().join(name).parent().unwrap().to_owned();
        for link in links(text).into_iter().filter(|link| !link.contains("://")) {
            let (path, heading) = link.split_once('#').unwrap_or((&link, ""));
            let target = if path.is_empty() { root().join(name) } else { folder.join(path) };
            followed += 1;
            if !target.exists() {
                wrong.push(format!("{name}: {link}: there is no such file"));
            } else if !heading.is_empty() {
                let page = fs::read_to_string(&target).unwrap();
                let mut headings = page.lines().filter(|line| line.starts_with('#'));
                if !headings.any(|line| anchor(line.trim_start_matches('#').trim()) == heading) {
                    wrong.push(format!("{name}: {link}: there is no such heading"));
                }
            }
        }
    }
    let contents = fs::read_to_string(root().join("docs/SUMMARY.md")).unwrap();
    for (name, _) in &texts {
        let Some(page) = name.strip_prefix("docs/").filter(|page| *page != "SUMMARY.md") else { continue };
        if !contents.contains(&format!("({page})")) {
            wrong.push(format!("docs/SUMMARY.md does not have {page}"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert!(followed > 100, "{followed} links were followed");
}

#[test]
fn every_example_of_the_help_runs() {
    let help = Case::new().ends(0, &["--help"]).stdout;
    let commands = help.lines().filter_map(|line| line.strip_prefix("  ")?.split(' ').next());
    let mut examples = 0;
    let mut wrong = Vec::new();
    for command in commands.filter(|word| word.chars().all(char::is_lowercase) && !word.is_empty()) {
        let case = demo_folder();
        let (status, told) = typed(&case, "emvo merge exports --zone Europe/Helsinki -o kept.ics");
        assert!(status <= 1, "{told}");
        let help = case.ends(0, &[command, "--help"]).stdout;
        let shown = help.split("Examples").nth(1).unwrap_or_else(|| panic!("{command} shows none"));
        for example in shown.lines().skip(1).map(str::trim).filter(|line| line.starts_with("emvo ")) {
            let (status, told) = typed(&case, example);
            if !(0..=1).contains(&status) {
                wrong.push(format!("{example}: {status}\n{told}"));
            }
            examples += 1;
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert!(examples > 30, "{examples} examples");
}

#[test]
fn rule_pages_are_what_the_program_says() {
    let answer = Case::new().json_ends(0, &["rules", "--json"]);
    let mut page =
        "# The rules\n\nMade from the rules themselves; `emvo rules ID` says the same on the terminal.\n"
            .to_owned();
    let mut group = "";
    for rule in answer["rules"].as_array().unwrap() {
        let text = |key: &str| rule[key].as_str().unwrap();
        if text("group") != group {
            group = text("group");
            writeln!(page, "\n## {group}").unwrap();
        }
        let explained = text("explanation").replace("\n## ", "\n#### ").replacen("## ", "#### ", 1);
        writeln!(page, "\n### {} {}\n\n{}", text("id"), text("name"), explained.trim()).unwrap();
    }
    let path = root().join("docs/rules.md");
    if std::env::var_os("EMVO_WRITE_PAGES").is_some() {
        fs::write(&path, &page).unwrap();
    }
    assert!(fs::read_to_string(&path).unwrap() == page, "docs/rules.md is old: `cargo pages` writes it anew");
}

#[test]
fn first_steps_and_misspellings_help() {
    let case = Case::new();
    let first = case.ends(0, &[]).stdout;
    assert!(first.contains("emvo survey exports/") && first.contains("emvo demo"), "{first}");
    for (words, hint) in [
        (&["reconcil"][..], "reconcile"),
        (&["merge", "--overwite"], "--overwrite"),
        (&["rules", "R4"], "R04"),
        (&["survey", "--zone", "Europe/Stokholm", "x"], "Europe/Stockholm"),
    ] {
        let run = case.ends(2, words);
        assert!(run.stderr.contains(hint), "{words:?}: {run:#?}");
    }
}
