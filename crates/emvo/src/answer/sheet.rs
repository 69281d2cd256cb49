//! Sheets for people: lists that a spreadsheet opens as they are, and sheets to be
//! answered and read back.

use std::path::Path;

use anyhow::{Context, bail};
use emvo_core::merge::{LookAlike, PairedEvent, SamePair};
use emvo_core::rules::{Answers, RuleId};
use emvo_core::table::{guarded, is_yes, unguarded};
use emvo_ical::content::decode;
use hashbrown::HashMap;

use crate::input::{ReadAs, ReadFiles, sheet_text};

/// Rows as a sheet that a spreadsheet opens as it is.
pub(crate) fn sheet<const N: usize>(
    header: [&str; N],
    rows: impl Iterator<Item = [String; N]>,
) -> anyhow::Result<Vec<u8>> {
    // A spreadsheet takes UTF-8 for what it is only behind a mark.
    let mut writer = csv::WriterBuilder::new()
        .terminator(csv::Terminator::CRLF)
        .from_writer("\u{feff}".as_bytes().to_vec());
    writer.write_record(header)?;
    for row in rows {
        writer.write_record(guarded_cells(&row))?;
    }
    writer.into_inner().map_err(|error| anyhow::anyhow!("{error}"))
}

/// Reads a sheet that a person filled in. A row without an answer says nothing.
pub(crate) fn read_answers(
    path: &Path,
    files: &ReadFiles,
    rule_named: impl Fn(&str, &str) -> anyhow::Result<RuleId>,
) -> anyhow::Result<Answers> {
    let shown = path.display();
    let columns = ["answer", "rule", "uid", "title"];
    let rows = Rows::read(path, files, columns, "emvo check --report sheet.csv")?;
    let (mut answers, mut told_in) = (Answers::new(), HashMap::new());
    for (row, [answer, rule, uid, title]) in rows.0 {
        if answer.is_empty() {
            continue;
        }
        let Some(word) = is_yes(&answer) else {
            bail!("`{shown}` row {row}: the answer `{answer}` is neither yes nor no");
        };
        let rule = rule_named(&rule, &format!("`{shown}` row {row}"))?;
        let about = (rule, uid, title);
        let first = *told_in.entry(about.clone()).or_insert(row);
        if answers.insert(about, word).is_some_and(|told| told != word) {
            bail!(
                "`{shown}` row {row}: `{answer}` is not what row {first} says of the same rule, id and title; \
                 one answer counts for all such events"
            );
        }
    }
    Ok(answers)
}

/// The columns of a sheet of look-alikes.
pub(super) const PAIR_COLUMNS: [&str; 13] = [
    "pair", "answer", "reason", "title_a", "start_a", "end_a", "source_a", "uid_a", "title_b", "start_b",
    "end_b", "source_b", "uid_b",
];

/// The look-alikes of a merge as a sheet: one pair a row, with an empty answer.
pub(super) fn of_pairs(pairs: &[LookAlike]) -> anyhow::Result<Vec<u8>> {
    let rows = pairs.iter().enumerate().map(|(number, pair)| pair_row(number + 1, pair));
    sheet(PAIR_COLUMNS, rows)
}

/// The row of a pair, with an empty answer.
pub(super) fn pair_row(number: usize, LookAlike { reason, a, b, .. }: &LookAlike) -> [String; 13] {
    let of = |event: &PairedEvent| {
        [&event.title, &event.start, &event.end, &event.source, &event.uid].map(String::clone)
    };
    let ([a1, a2, a3, a4, a5], [b1, b2, b3, b4, b5]) = (of(a), of(b));
    [number.to_string(), String::new(), reason.clone(), a1, a2, a3, a4, a5, b1, b2, b3, b4, b5]
}

/// The cells of a row as a spreadsheet may take them.
pub(super) fn guarded_cells<const N: usize>(row: &[String; N]) -> Vec<String> {
    row.iter().map(|cell| guarded(cell).into_owned()).collect()
}

/// Words for the same, and for different, in the languages of header words.
const SAME: [&str; 18] = [
    "same",
    "s",
    "samma",
    "sama",
    "gleich",
    "dasselbe",
    "identique",
    "même",
    "igual",
    "mismo",
    "uguale",
    "stesso",
    "hetzelfde",
    "zelfde",
    "samme",
    "mesmo",
    "ten sam",
    "taki sam",
];
const DIFFERENT: [&str; 18] = [
    "different",
    "d",
    "olika",
    "annan",
    "eri",
    "verschieden",
    "anders",
    "différent",
    "autre",
    "diferente",
    "distinto",
    "diverso",
    "verschillend",
    "forskellig",
    "forskjellig",
    "różne",
    "inny",
    "outro",
];

/// Reads the pairs that a person called the same.
pub(crate) fn read_pairs(path: &Path, files: &ReadFiles) -> anyhow::Result<Vec<SamePair>> {
    let shown = path.display();
    let columns = ["answer", "source_a", "uid_a", "source_b", "uid_b"];
    let rows = Rows::read(path, files, columns, "emvo merge --review pairs.html")?;
    let mut same = Vec::new();
    for (row, [answer, source_a, uid_a, source_b, uid_b]) in rows.0 {
        let word = answer.to_lowercase();
        let is_same = if SAME.contains(&word.as_str()) { Some(true) } else { is_yes(&word) };
        match is_same {
            Some(true) => same.push(SamePair { a: (source_a, uid_a), b: (source_b, uid_b) }),
            Some(false) => {}
            None if word.is_empty() || DIFFERENT.contains(&word.as_str()) => {}
            None => bail!("`{shown}` row {row}: the answer `{answer}` is neither same nor different"),
        }
    }
    Ok(same)
}

/// Some cells of each row of a sheet, with the row's number.
struct Rows<const N: usize>(Vec<(usize, [String; N])>);

impl<const N: usize> Rows<N> {
    /// Reads a sheet as a spreadsheet saves it, also with semicolons.
    fn read(path: &Path, files: &ReadFiles, columns: [&str; N], written_by: &str) -> anyhow::Result<Self> {
        let shown = path.display();
        let bytes = files.read(path, ReadAs::Answers).with_context(|| format!("could not read `{shown}`"))?;
        let text = match sheet_text(&bytes).with_context(|| format!("`{shown}`"))? {
            Some(text) => text,
            None => decode(&bytes).text.into_owned(),
        };
        let first = text.lines().next().unwrap_or_default();
        let delimiter = if first.contains(';') && !first.contains(',') { b';' } else { b',' };
        let mut reader =
            csv::ReaderBuilder::new().delimiter(delimiter).flexible(true).from_reader(text.as_bytes());
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
                places.map(|place| unguarded(record.get(place).unwrap_or_default().trim()).into_owned());
            rows.push((at + 2, cells));
        }
        Ok(Self(rows))
    }
}
