//! A columns file: the layout of a table as a person or a destination wants
//! it, used for reading and for writing.

use serde::Deserialize;

use super::column::ColumnField;
use super::date::DateOrder;
use super::format::{Pattern, PatternError};
use super::habits::{AllDayEnds, ClockDot, LengthUnit};
use super::layout::Delimiter;
use super::serial::Epoch;
use crate::settings::{self, About, SettingsError, SettingsFault};

/// How a table is laid out.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Columns {
    /// The columns in order.
    pub list: Vec<Column>,
    /// What stands between cells.
    pub delimiter: Option<Delimiter>,
    /// The charset, by its label.
    pub encoding: Option<String>,
    /// How lines end.
    pub line_end: LineEnd,
    /// How dates are written.
    pub date: Option<Pattern>,
    /// How times are written.
    pub time: Option<Pattern>,
    /// The order of day and month when dates are read.
    pub date_order: DateOrder,
    /// From when spreadsheet numbers count when dates are read.
    pub epoch: Epoch,
    /// What bare numbers in a column of lengths count.
    pub length_unit: Option<LengthUnit>,
    /// What stands behind the point in times such as `9.3`.
    pub clock_dot: Option<ClockDot>,
    /// Which day the ends of whole days name.
    pub all_day_ends: Option<AllDayEnds>,
    /// The year of dates that have none.
    pub year: Option<i16>,
    /// What is written for yes and for no.
    pub answers: Option<(String, String)>,
    /// Whether cells that a spreadsheet would run are guarded (rule C08).
    pub guard: Guard,
    /// How repetition is written.
    pub repeat: RepeatAs,
}

/// One column of a columns file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Column {
    /// What stands above it.
    pub header: String,
    /// What stands in it.
    pub content: Content,
}

/// What stands in a column.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Content {
    /// A field of the event.
    Field(ColumnField),
    /// The same in every row.
    Fixed(String),
    /// What an earlier table had under this header.
    Carried,
}

/// How repetition is written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum RepeatAs {
    /// In words.
    #[default]
    Phrase,
    /// As the text of a rule (RFC 5545 section 3.3.10).
    Rule,
}

/// How lines end.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum LineEnd {
    /// As RFC 4180 has it.
    #[default]
    CrLf,
    /// As text files of some systems.
    Lf,
}

/// Whether cells that a spreadsheet would run are guarded.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Guard {
    /// An apostrophe goes in front.
    #[default]
    On,
    /// They are written as they are.
    Off,
}

/// Why a columns file cannot be used.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum ColumnsError {
    /// No TOML, or a key that nobody knows.
    #[error(transparent)]
    Syntax(#[from] SettingsError),
    /// A date or time pattern that is none.
    #[error(transparent)]
    Pattern(#[from] PatternError),
    /// A field that events do not have.
    #[error("column `{header}`: there is no field `{field}`; there are {}", ColumnField::names().collect::<Vec<_>>().join(", "))]
    UnknownField {
        /// The column.
        header: String,
        /// The field as written.
        field: String,
    },
    /// A column of a field and of a fixed value at once.
    #[error("column `{header}` has both a field and a value; it can have one of them")]
    Both {
        /// The column.
        header: String,
    },
    /// A field that two columns have.
    #[error("the columns `{one}` and `{two}` are for the same field, {field}")]
    Twice {
        /// The first column.
        one: String,
        /// The second one.
        two: String,
        /// The field.
        field: &'static str,
    },
    /// A value that the key does not have.
    #[error("{key} = \"{value}\": write {known}")]
    Value {
        /// The key.
        key: &'static str,
        /// Its value as written.
        value: String,
        /// What it can be.
        known: &'static str,
    },
}

impl SettingsFault for ColumnsError {
    fn about(&self) -> Option<About<'_>> {
        match self {
            Self::Syntax(error) => Some(About::Place(error)),
            Self::Pattern(_) => None,
            Self::UnknownField { header, .. } | Self::Both { header } => Some(About::Quoted(header)),
            Self::Twice { two, .. } => Some(About::Quoted(two)),
            Self::Value { key, .. } => Some(About::Key(key)),
        }
    }
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct FileToml {
    delimiter: Option<String>,
    encoding: Option<String>,
    line_end: Option<String>,
    date: Option<String>,
    time: Option<String>,
    date_order: Option<String>,
    serial_epoch: Option<u16>,
    length_unit: Option<String>,
    clock_dot: Option<String>,
    all_day_end: Option<String>,
    year: Option<i16>,
    #[serde(rename = "yes")]
    yes_word: Option<String>,
    #[serde(rename = "no")]
    no_word: Option<String>,
    guard: Option<bool>,
    repeat: Option<String>,
    #[serde(default)]
    column: Vec<ColumnToml>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct ColumnToml {
    header: Option<String>,
    field: Option<String>,
    value: Option<String>,
}

impl Columns {
    /// Reads a columns file. A column without `field` or `value` holds what an
    /// earlier table had under its header; one without `header` is called like
    /// its field.
    pub fn parse(text: &str) -> Result<Self, ColumnsError> {
        let file: FileToml = settings::parse(text)?;
        let list = file.column.into_iter().map(column).collect::<Result<Vec<_>, _>>()?;
        ensure_fields_are_unique(&list)?;
        let delimiter =
            known(file.delimiter, "delimiter", "\",\", \";\", \"|\" or \"tab\"", Delimiter::of_name)?;
        let line_end = known(file.line_end, "line_end", "\"crlf\" or \"lf\"", |end| match end {
            "crlf" => Some(LineEnd::CrLf),
            "lf" => Some(LineEnd::Lf),
            _ => None,
        })?;
        let date_order =
            known(file.date_order, "date_order", "\"day\", \"month\", \"year\" or \"auto\"", |order| {
                match order {
                    "day" => Some(DateOrder::Day),
                    "month" => Some(DateOrder::Month),
                    "year" => Some(DateOrder::Year),
                    "auto" => Some(DateOrder::Auto),
                    _ => None,
                }
            })?;
        let epoch = file.serial_epoch.map(|year| year.to_string());
        let epoch = known(epoch, "serial_epoch", "1900 or 1904", |year| match year {
            "1900" => Some(Epoch::Year1900),
            "1904" => Some(Epoch::Year1904),
            _ => None,
        })?;
        let units = [LengthUnit::Hours, LengthUnit::Minutes, LengthUnit::Days];
        let length_unit =
            known(file.length_unit, "length_unit", "\"hours\", \"minutes\" or \"days\"", |name| {
                units.into_iter().find(|unit| unit.name() == name)
            })?;
        let dots = [ClockDot::Minutes, ClockDot::Tenths];
        let clock_dot = known(file.clock_dot, "clock_dot", "\"minutes\" or \"tenths\"", |name| {
            dots.into_iter().find(|dot| dot.name() == name)
        })?;
        let ends = [AllDayEnds::Inclusive, AllDayEnds::Exclusive];
        let all_day_ends =
            known(file.all_day_end, "all_day_end", "\"inclusive\" or \"exclusive\"", |name| {
                ends.into_iter().find(|end| end.name() == name)
            })?;
        let repeat = known(file.repeat, "repeat", "\"phrase\" or \"rule\"", |form| match form {
            "phrase" => Some(RepeatAs::Phrase),
            "rule" => Some(RepeatAs::Rule),
            _ => None,
        })?;
        let answers = (file.yes_word.is_some() || file.no_word.is_some()).then(|| {
            (file.yes_word.unwrap_or_else(|| "yes".into()), file.no_word.unwrap_or_else(|| "no".into()))
        });
        Ok(Self {
            list,
            delimiter,
            encoding: file.encoding,
            line_end: line_end.unwrap_or_default(),
            date: file.date.as_deref().map(Pattern::of_date).transpose()?,
            time: file.time.as_deref().map(Pattern::of_time).transpose()?,
            date_order: date_order.unwrap_or_default(),
            epoch: epoch.unwrap_or_default(),
            length_unit,
            clock_dot,
            all_day_ends,
            year: file.year,
            answers,
            guard: if file.guard == Some(false) { Guard::Off } else { Guard::On },
            repeat: repeat.unwrap_or_default(),
        })
    }

    /// Whether some column holds a field.
    pub fn has(&self, field: ColumnField) -> bool {
        self.list.iter().any(|column| column.content == Content::Field(field))
    }
}

fn column(toml: ColumnToml) -> Result<Column, ColumnsError> {
    let header = toml.header.or_else(|| toml.field.clone()).unwrap_or_default();
    let content = match (toml.field, toml.value) {
        (Some(_), Some(_)) => return Err(ColumnsError::Both { header }),
        (Some(field), None) => match ColumnField::of_name(&field) {
            Some(field) => Content::Field(field),
            None => return Err(ColumnsError::UnknownField { header, field }),
        },
        (None, Some(value)) => Content::Fixed(value),
        (None, None) => Content::Carried,
    };
    Ok(Column { header, content })
}

fn ensure_fields_are_unique(list: &[Column]) -> Result<(), ColumnsError> {
    for (at, column) in list.iter().enumerate() {
        let Content::Field(field) = column.content else { continue };
        if let Some(first) = list[..at].iter().find(|other| other.content == column.content) {
            let (one, two) = (first.header.clone(), column.header.clone());
            return Err(ColumnsError::Twice { one, two, field: field.name() });
        }
    }
    Ok(())
}

fn known<T>(
    value: Option<String>,
    key: &'static str,
    known: &'static str,
    meaning: impl Fn(&str) -> Option<T>,
) -> Result<Option<T>, ColumnsError> {
    let Some(value) = value else { return Ok(None) };
    match meaning(&value) {
        Some(meaning) => Ok(Some(meaning)),
        None => Err(ColumnsError::Value { key, value, known }),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_columns_file_says_how_a_table_is_laid_out() {
        let columns = Columns::parse(
            "delimiter = \";\"\nencoding = \"windows-1252\"\nline_end = \"lf\"\ndate = \"DD.MM.YYYY\"\ntime = \"HH:mm\"\n\
             date_order = \"day\"\nserial_epoch = 1904\nyes = \"TRUE\"\nno = \"FALSE\"\nguard = false\n\
             [[column]]\nheader = \"Rubrik\"\nfield = \"title\"\n[[column]]\nfield = \"start_date\"\n\
             [[column]]\nheader = \"Källa\"\nvalue = \"Norrsund\"\n[[column]]\nheader = \"Fartyg\"\n",
        )
        .unwrap();
        let shown: Vec<_> =
            columns.list.iter().map(|column| (column.header.as_str(), &column.content)).collect();
        assert_eq!(
            shown,
            [
                ("Rubrik", &Content::Field(ColumnField::Title)),
                ("start_date", &Content::Field(ColumnField::StartDate)),
                ("Källa", &Content::Fixed("Norrsund".to_owned())),
                ("Fartyg", &Content::Carried),
            ]
        );
        assert_eq!((columns.delimiter, columns.line_end), (Some(Delimiter::Semicolon), LineEnd::Lf));
        assert_eq!((columns.epoch, columns.guard), (Epoch::Year1904, Guard::Off));
        assert!(columns.has(ColumnField::Title) && !columns.has(ColumnField::Zone));
    }

    #[test]
    fn mistakes_in_a_columns_file_are_named() {
        let error = |text: &str| Columns::parse(text).unwrap_err().to_string();
        assert!(
            error("delimeter = \";\"").contains("unknown field `delimeter`"),
            "{}",
            error("delimeter = \";\"")
        );
        insta::assert_snapshot!(error("delimiter = \"x\""), @r#"delimiter = "x": write ",", ";", "|" or "tab""#);
        insta::assert_snapshot!(error("date = \"soon\""), @"`soon` is no pattern for a date; write one such as YYYY-MM-DD or DD.MM.YYYY");
        insta::assert_snapshot!(error("[[column]]\nheader = \"A\"\nfield = \"title\"\n[[column]]\nheader = \"B\"\nfield = \"title\""), @"the columns `A` and `B` are for the same field, title");
        insta::assert_snapshot!(error("[[column]]\nheader = \"A\"\nfield = \"title\"\nvalue = \"x\""), @"column `A` has both a field and a value; it can have one of them");
        assert!(
            error("[[column]]\nfield = \"colour\"")
                .starts_with("column `colour`: there is no field `colour`; there are title,")
        );
    }
}
