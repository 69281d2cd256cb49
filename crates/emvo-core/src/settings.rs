//! Files that people write as TOML: what is wrong with one, and where.

use serde::de::DeserializeOwned;

/// A file that is no TOML, or has a key or a value that nobody knows.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("line {line}, column {column}: {message}")]
#[non_exhaustive]
pub struct SettingsError {
    /// The line, from 1.
    pub line: usize,
    /// The column in characters, from 1.
    pub column: usize,
    /// What is wrong there.
    pub message: String,
}

/// Reads a file of settings.
pub(crate) fn parse<T: DeserializeOwned>(text: &str) -> Result<T, SettingsError> {
    toml::from_str(text).map_err(|error: toml::de::Error| {
        let before = text.get(..error.span().unwrap_or(0..0).start).unwrap_or_default();
        SettingsError {
            line: before.matches('\n').count() + 1,
            column: before.rsplit('\n').next().unwrap_or_default().chars().count() + 1,
            message: error.message().to_owned(),
        }
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fit::Limits;
    use crate::table::Columns;

    #[test]
    fn a_mistake_has_its_line_and_column_and_no_drawing() {
        for (text, said) in [
            ("zones = \"one\nzone = 1\n", "line 1, column 13: invalid basic string, expected `\"`"),
            ("[[column]]\nheader = \"Å\" x\n", "line 2, column 14: "),
            ("", ""),
        ] {
            let error = parse::<toml::Table>(text).err().map(|error| error.to_string()).unwrap_or_default();
            assert!(error.starts_with(said) && !error.contains('\n'), "{text:?}: {error}");
            assert_eq!(error.is_empty(), said.is_empty(), "{text:?}");
        }
        let limits = Limits::parse("series = \"plain\"\nmost_of_all = 1\n").unwrap_err().to_string();
        assert!(limits.starts_with("line 2, column 1: unknown field `most_of_all`"), "{limits}");
        let columns = Columns::parse("[[column]]\nheadr = \"A\"\n").unwrap_err().to_string();
        assert!(columns.starts_with("line 2, column 1: unknown field `headr`"), "{columns}");
    }
}
