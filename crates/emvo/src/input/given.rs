//! What was given, path by path: for answers that programs read.

use schemars::JsonSchema;
use serde::Serialize;

use super::source::{Beside, Format, Source};

/// A path that was given, or found in a folder or a zip, and what it is.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub(crate) struct Given {
    path: String,
    kind: GivenKind,
    /// What it is instead, if it is no calendar and no table.
    what: Option<String>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
enum GivenKind {
    Calendar,
    Table,
    /// It claims to be an export, or was named, and was not read.
    NotRead,
    /// Neither its name nor its content is that of an export.
    NotLookedAt,
}

/// Everything that was given with some sources: those first, in their order.
pub(crate) fn given<'s, 't: 's>(sources: impl IntoIterator<Item = &'s Source<'t>>) -> Vec<Given> {
    let (mut all, mut rest) = (Vec::new(), Vec::new());
    for source in sources {
        let kind = match source.format {
            Format::Ics => GivenKind::Calendar,
            Format::Csv => GivenKind::Table,
        };
        all.push(Given { path: source.path.clone(), kind, what: None });
        let Beside { not_read, others } = &source.beside;
        rest.extend(not_read.iter().map(|file| Given {
            path: file.path().to_owned(),
            kind: GivenKind::NotRead,
            what: Some(file.in_words().to_owned()),
        }));
        rest.extend(others.iter().map(|path| Given {
            path: path.clone(),
            kind: GivenKind::NotLookedAt,
            what: None,
        }));
    }
    all.extend(rest);
    all
}
