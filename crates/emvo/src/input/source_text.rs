//! Files → text: decoded, and in the form that calendars are read from.

use std::sync::OnceLock;

use anyhow::Context;
use emvo_ical::content::{self, Decoded, WireForm, may_have_returns_in_lines, without_returns_in_lines};
use emvo_ical::version_one::{prepared, says_version_one};
use rayon::prelude::*;

use super::not_read::is_address_book;
use super::reading::Reading;
use super::source_file::SourceFile;

/// A file as text.
pub(crate) struct SourceText<'f> {
    pub(super) file: &'f SourceFile,
    pub(super) decoded: Decoded<'f>,
    /// How its lines are written, if it is a calendar.
    seen: Option<OnceLock<WireForm>>,
}

/// How the lines of a calendar file are written. A look at each line is a tenth of reading it, so
/// it is taken when a rule asks; beforehand where the text had to be put right to be read.
#[derive(Clone, Copy)]
pub(crate) struct LineForm<'t> {
    seen: &'t OnceLock<WireForm>,
    decoded: &'t Decoded<'t>,
}

impl LineForm<'_> {
    pub(crate) fn wire_form(self) -> WireForm {
        *self.seen.get_or_init(|| WireForm::of(self.decoded))
    }

    /// How many lines had a carriage return inside.
    pub(crate) fn returns_inside(self) -> usize {
        // Where nobody has looked there was none.
        self.seen.get().map_or(0, |form| form.return_inside.count as usize)
    }
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
        let seen = OnceLock::new();
        let has_to_be_put_right =
            || may_have_returns_in_lines(&decoded.text) || says_version_one(&decoded.text);
        if is_calendar && has_to_be_put_right() {
            let form = seen.get_or_init(|| WireForm::of(&decoded));
            if form.return_inside.count > 0 {
                decoded.text = without_returns_in_lines(decoded.text);
            }
            decoded.text = prepared(decoded.text);
        }
        Self { file, decoded, seen: is_calendar.then_some(seen) }
    }

    /// How its lines are written, if it is a calendar.
    pub(super) fn form(&self) -> Option<LineForm<'_>> {
        self.seen.as_ref().map(|seen| LineForm { seen, decoded: &self.decoded })
    }
}

fn looks_like_calendar(text: &str) -> bool {
    let starts = |text: &str| text.get(..7).is_some_and(|head| head.eq_ignore_ascii_case("BEGIN:V"));
    starts(text.trim_start_matches(|char: char| char.is_whitespace() || char == '\u{feff}'))
        || text.lines().take(50).any(starts)
}
