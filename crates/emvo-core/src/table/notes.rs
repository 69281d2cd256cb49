//! What a person should know about how a table was read (rules C01 to C07).

/// A row that is no event.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SetAsideRow {
    /// Its number as a spreadsheet shows it: the first line is 1.
    pub row: u64,
    /// What is wrong with it.
    pub fault: RowFault,
    /// Why it is no event.
    pub reason: String,
    /// Its cells as they stand.
    pub cells: Vec<String>,
}

/// What is wrong with a row that is no event.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum RowFault {
    /// A cell cannot be read (C01).
    Unreadable,
    /// A spreadsheet has lost a date (C04).
    DateLost,
    /// It is a totals line, which is no event.
    Totals,
}

/// Something about how a table was read that is no fault of one row alone, or
/// was settled.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Note {
    /// What it is about.
    pub kind: NoteKind,
    /// The row, if it is about one.
    pub row: Option<u64>,
    /// The title of the row's event, or the header of the column.
    pub title: String,
    /// What was found, and how it was read.
    pub words: String,
}

/// What a note is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NoteKind {
    /// A column of spreadsheet numbers was read as dates (C03).
    SerialDates,
    /// A column that nobody claims goes along (C05).
    ColumnUnclaimed,
    /// A row says that it repeats, but not how (C06).
    RepeatFlagOnly,
    /// A cell says nothing that is known (C10).
    CellUnused,
    /// A weekday is not that of its date (C11).
    WeekdayContradicts,
    /// A spreadsheet has turned an id into a number (C12).
    IdDamaged,
    /// Whole days end at midnight of the day behind them (D02).
    AllDayEnds,
    /// Dates without a year are of one that nobody named for them (C09).
    YearTaken,
    /// A row without a title got one (C07).
    TitleMissing,
}
