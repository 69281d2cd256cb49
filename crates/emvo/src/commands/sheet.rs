//! Findings on a sheet, for people to answer and for `repair` to read back.

use std::fs;
use std::path::Path;

use anyhow::{Context, bail};
use emvo_core::merge::{LookAlike, SamePair};
use emvo_core::rules::Answers;
use emvo_core::table::{guarded, unguarded};
use emvo_ical::content::decode;

use crate::commands::check::Found;
use crate::settle::rule_named;

const HEADER: [&str; 10] =
    ["answer", "rule", "name", "path", "line", "uid", "title", "start", "message", "repair"];

/// Findings with an empty answer each.
pub(crate) fn of_findings(found: &[Found<'_>]) -> anyhow::Result<Vec<u8>> {
    let start = "\u{feff}".as_bytes().to_vec();
    let mut writer = csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(start);
    writer.write_record(HEADER)?;
    for Found { path, finding, .. } in found {
        let name = emvo_core::rules::rule(finding.rule.as_str()).map_or("", |rule| rule.slug());
        let line = finding.line.to_string();
        writer.write_record([
            "",
            finding.rule.as_str(),
            name,
            path,
            &line,
            &finding.uid,
            &finding.title,
            &finding.start,
            &finding.message,
            finding.safety.name(),
        ])?;
    }
    writer.into_inner().map_err(|error| anyhow::anyhow!("{error}"))
}

/// Reads a sheet that a person filled in. A row without an answer says nothing.
pub(crate) fn read_answers(path: &Path) -> anyhow::Result<Answers> {
    let shown = path.display();
    let rows = Rows::read(path, ["answer", "rule", "uid", "title"], "emvo check --report sheet.csv")?;
    let mut answers = Answers::new();
    for (row, [answer, rule, uid, title]) in rows.0 {
        let word = match answer.to_lowercase().as_str() {
            "" => continue,
            "yes" | "y" | "ja" | "kyllä" | "x" => true,
            "no" | "n" | "nej" | "ei" => false,
            other => bail!("`{shown}` row {row}: the answer `{other}` is neither yes nor no"),
        };
        let rule = rule_named(&rule, &format!("`{shown}` row {row}"))?;
        answers.insert((rule, uid, title), word);
    }
    Ok(answers)
}

/// The look-alikes of a merge as a sheet: one pair a row, with an empty answer.
pub(crate) fn pairs(pairs: &[LookAlike]) -> anyhow::Result<Vec<u8>> {
    let start = "\u{feff}".as_bytes().to_vec();
    let mut writer = csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(start);
    writer.write_record([
        "pair", "answer", "reason", "title_a", "start_a", "end_a", "source_a", "uid_a", "title_b", "start_b",
        "end_b", "source_b", "uid_b",
    ])?;
    for (number, LookAlike { reason, a, b }) in pairs.iter().enumerate() {
        let number = (number + 1).to_string();
        let cells = [
            &number, "", reason, &a.title, &a.start, &a.end, &a.source, &a.uid, &b.title, &b.start, &b.end,
            &b.source, &b.uid,
        ];
        writer.write_record(cells.iter().map(|cell| guarded(cell).into_owned()))?;
    }
    writer.into_inner().map_err(|error| anyhow::anyhow!("{error}"))
}

/// Reads the pairs that a person called the same.
pub(crate) fn read_pairs(path: &Path) -> anyhow::Result<Vec<SamePair>> {
    let shown = path.display();
    let columns = ["answer", "source_a", "uid_a", "source_b", "uid_b"];
    let rows = Rows::read(path, columns, "emvo merge --review sheet.csv")?;
    let mut same = Vec::new();
    for (row, [answer, source_a, uid_a, source_b, uid_b]) in rows.0 {
        match answer.to_lowercase().as_str() {
            "same" | "s" | "samma" | "sama" => {
                same.push(SamePair { a: (source_a, uid_a), b: (source_b, uid_b) });
            }
            "" | "different" | "d" | "olika" | "eri" => {}
            other => bail!("`{shown}` row {row}: the answer `{other}` is neither same nor different"),
        }
    }
    Ok(same)
}

/// Some cells of each row of a sheet, with the row's number.
struct Rows<const N: usize>(Vec<(usize, [String; N])>);

impl<const N: usize> Rows<N> {
    /// Reads a sheet as a spreadsheet saves it, also with semicolons.
    fn read(path: &Path, columns: [&str; N], written_by: &str) -> anyhow::Result<Self> {
        let shown = path.display();
        let bytes = fs::read(path).with_context(|| format!("could not read `{shown}`"))?;
        let decoded = decode(&bytes);
        let first = decoded.text.lines().next().unwrap_or_default();
        let delimiter = if first.contains(';') && !first.contains(',') { b';' } else { b',' };
        let mut reader = csv::ReaderBuilder::new()
            .delimiter(delimiter)
            .flexible(true)
            .from_reader(decoded.text.as_bytes());
        let header = reader.headers().with_context(|| format!("`{shown}` is no sheet"))?.clone();
        let mut places = [0; N];
        for (place, name) in places.iter_mut().zip(columns) {
            *place =
                header.iter().position(|cell| cell.trim().eq_ignore_ascii_case(name)).with_context(|| {
                    format!("`{shown}` has no column `{name}`; `{written_by}` writes a sheet to fill in")
                })?;
        }
        let mut rows = Vec::new();
        for (at, record) in reader.records().enumerate() {
            let record = record.with_context(|| format!("`{shown}`"))?;
            let cells =
                places.map(|place| unguarded(record.get(place).unwrap_or_default().trim()).to_owned());
            rows.push((at + 2, cells));
        }
        Ok(Self(rows))
    }
}
