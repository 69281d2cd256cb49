//! What is in no output, as a file: one statement a row.

use emvo_core::edit::LeftBehind;
use emvo_core::table::guarded;

/// The rows as a sheet that a spreadsheet opens as it is.
pub(super) fn left_behind_file(all: &[LeftBehind]) -> anyhow::Result<Vec<u8>> {
    // A spreadsheet takes UTF-8 for what it is only behind a mark.
    let mut writer = csv::WriterBuilder::new()
        .terminator(csv::Terminator::CRLF)
        .from_writer("\u{feff}".as_bytes().to_vec());
    writer.write_record(["uid", "title", "start", "field", "value", "why", "in its place"])?;
    for LeftBehind { uid, title, start, field, value, why, into } in all {
        let cells: [&str; 7] = [uid, title, start, field, value, why.in_words(), into];
        writer.write_record(cells.map(|cell| guarded(cell).into_owned()))?;
    }
    writer.into_inner().map_err(|error| anyhow::anyhow!("{error}"))
}
