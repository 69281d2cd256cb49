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

/// What a mistake in a file of settings is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum About<'e> {
    /// The place of a file that could not be read at all.
    Place(&'e SettingsError),
    /// A key, whose value is wrong.
    Key(&'e str),
    /// A text that stands there in quotes.
    Quoted(&'e str),
}

/// Why a file of settings cannot be used.
pub trait SettingsFault: std::error::Error {
    /// What it is about, if it is about a place in the file.
    fn about(&self) -> Option<About<'_>>;

    /// The line and the column where that stands in the file, each from 1.
    fn place(&self, text: &str) -> Option<(usize, usize)> {
        let stands_in = |about: About<'_>, line: &str| match about {
            About::Place(_) => false,
            About::Key(key) => {
                line.trim_start().strip_prefix(key).is_some_and(|rest| rest.trim_start().starts_with('='))
            }
            About::Quoted(words) => line.contains(&format!("\"{words}\"")),
        };
        match self.about()? {
            About::Place(SettingsError { line, column, .. }) => Some((*line, *column)),
            about => {
                let (at, line) = text.lines().enumerate().find(|(_, line)| stands_in(about, line))?;
                Some((at + 1, line.chars().take_while(|char| char.is_whitespace()).count() + 1))
            }
        }
    }
}

impl SettingsFault for SettingsError {
    fn about(&self) -> Option<About<'_>> {
        Some(About::Place(self))
    }
}

/// Reads a file of settings.
pub fn parse<T: DeserializeOwned>(text: &str) -> Result<T, SettingsError> {
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

    #[test]
    fn a_wrong_value_has_the_place_of_its_key() {
        let limits = "# ours\nevents_per_file = 200\n  series = \"some\"\n";
        let fault = Limits::parse(limits).unwrap_err();
        assert_eq!(fault.place(limits), Some((3, 3)), "{fault}");
        let columns = "date_order = \"day\"\n[[column]]\nheader = \"Ship\"\nfield = \"vessel\"\n";
        let fault = Columns::parse(columns).unwrap_err();
        assert_eq!(fault.place(columns), Some((3, 1)), "{fault}");
    }
}
