//! Files → text: decoded, and in the form that calendars are read from.

use anyhow::Context;
use emvo_ical::content::{self, Decoded, WireForm, without_returns_in_lines};
use emvo_ical::version_one::prepared;
use rayon::prelude::*;

use super::not_read::is_address_book;
use super::reading::Reading;
use super::source_file::SourceFile;

/// A file as text.
pub(crate) struct SourceText<'f> {
    pub(super) file: &'f SourceFile,
    pub(super) decoded: Decoded<'f>,
    /// How its lines are written, if it is a calendar.
    pub(super) form: Option<WireForm>,
}

/// Decodes all files, in parallel.
pub(crate) fn decode<'f>(files: &'f [SourceFile], reading: &Reading) -> anyhow::Result<Vec<SourceText<'f>>> {
    files
        .par_iter()
        .map(|file| {
            // The text of a sheet was made here.
            let decoded = match reading.charset.as_ref().filter(|_| file.book.is_none()) {
                None => content::decode(&file.bytes),
                Some(label) => content::decode_as(&file.bytes, label).with_context(|| {
                    format!("--input-encoding: `{label}` is not a charset; write one such as windows-1252")
                })?,
            };
            Ok(SourceText::of(file, decoded))
        })
        .collect()
}

impl<'f> SourceText<'f> {
    fn of(file: &'f SourceFile, mut decoded: Decoded<'f>) -> Self {
        let is_calendar = looks_like_calendar(&decoded.text) && !is_address_book(&decoded.text);
        let form = is_calendar.then(|| WireForm::of(&decoded));
        if form.is_some_and(|form| form.return_inside.count > 0) {
            decoded.text = without_returns_in_lines(decoded.text);
        }
        if form.is_some() {
            decoded.text = prepared(decoded.text);
        }
        Self { file, decoded, form }
    }
}

fn looks_like_calendar(text: &str) -> bool {
    let starts = |text: &str| text.get(..7).is_some_and(|head| head.eq_ignore_ascii_case("BEGIN:V"));
    starts(text.trim_start_matches(|char: char| char.is_whitespace() || char == '\u{feff}'))
        || text.lines().take(50).any(starts)
}
