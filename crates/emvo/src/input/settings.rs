//! Files of settings that people write: limits and columns.

use std::path::Path;

use anyhow::{Context, anyhow};
use emvo_core::settings::{About, SettingsFault};
use emvo_ical::content::decode;

use super::files::{ReadAs, ReadFiles};

/// Reads a file of settings. A mistake in it is told with its line and column:
/// `limits.toml:3:1: unknown field …`.
pub(crate) fn settings_file<T, F: SettingsFault>(
    path: &Path,
    read_as: ReadAs,
    files: &ReadFiles,
    parse: impl FnOnce(&str) -> Result<T, F>,
) -> anyhow::Result<T> {
    let shown = path.display();
    let bytes = files.read(path, read_as).with_context(|| format!("could not read `{shown}`"))?;
    let text = decode(&bytes).text;
    parse(&text).map_err(|fault| {
        let what = match fault.about() {
            Some(About::Place(error)) => error.message.clone(),
            _ => fault.to_string(),
        };
        match fault.place(&text) {
            Some((line, column)) => anyhow!("{shown}:{line}:{column}: {what}"),
            None => anyhow!("{read_as} `{shown}`: {what}"),
        }
    })
}
