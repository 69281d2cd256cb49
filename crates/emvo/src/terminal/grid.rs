//! Rows under headers, as wide as the terminal.
//!
//! Where there is no room, columns give way in an order of their own; then paths lose
//! their first folders and texts go on in the next line, at blanks alone: a date, a zone
//! or a name is never broken.
//!
//! ```text
//! Calendar             File                       Events  First         120 columns
//! Calendar   File               Events  First                            60 columns
//! Norrsund   …/norrsund/crew.ics     14  2026-08-31
//! besättning
//! ```

mod cell;
mod path;

use comfy_table::presets;
use comfy_table::{CellAlignment, ColumnConstraint, ContentArrangement, Table, Width};

use cell::Cell;
pub(crate) use cell::GridRow;
use path::{least_of_paths, shortened};

use super::words::{DIM, styled, terminal_width};

/// What stands between two columns.
const GAP: usize = 2;

/// A column of a table: its header, and what its cells are.
#[derive(Clone, Copy)]
pub(crate) enum GridColumn {
    /// Words, which go on in the next line where there is no room.
    Text(&'static str),
    Number(&'static str),
    /// A path, which loses its first folders where there is no room.
    Path(&'static str),
}

impl GridColumn {
    fn header(self) -> &'static str {
        match self {
            Self::Text(header) | Self::Number(header) | Self::Path(header) => header,
        }
    }
}

/// Rows under headers, without lines around them.
pub(crate) struct Grid {
    columns: Vec<GridColumn>,
    rows: Vec<GridRow>,
    giving_way: &'static [&'static str],
}

impl Grid {
    pub(crate) fn new(columns: &[GridColumn]) -> Self {
        Self { columns: columns.to_vec(), rows: Vec::new(), giving_way: &[] }
    }

    /// Says which columns are left out where there is no room, by their headers; the first
    /// goes first.
    pub(crate) fn giving_way(self, headers: &'static [&'static str]) -> Self {
        Self { giving_way: headers, ..self }
    }

    pub(crate) fn row(&mut self, cells: impl IntoIterator<Item = String>) {
        self.rows.push(GridRow::of(cells));
    }

    /// The rows, the header dimmed.
    pub(crate) fn show(&self) -> String {
        self.shown(terminal_width())
    }

    fn shown(&self, width: Option<usize>) -> String {
        let needs = (0..self.columns.len()).map(|at| needs_of(self, at)).collect();
        let shape = GridShape { columns: self.columns.clone(), giving_way: self.giving_way, needs };
        let layout = shape.layout_in(width);
        let mut out = layout.header() + &layout.lines(&self.rows);
        out.push_str(&layout.footer());
        out.truncate(out.trim_end_matches('\n').len());
        out
    }
}

/// What the rows of a grid need, seen one after the other: for rows that are too many to be
/// in memory, and are told a second time. Its columns are texts and numbers.
pub(crate) struct GridShape {
    columns: Vec<GridColumn>,
    giving_way: &'static [&'static str],
    needs: Vec<Needs>,
}

impl GridShape {
    pub(crate) fn new(columns: &[GridColumn], giving_way: &'static [&'static str]) -> Self {
        let needs = columns.iter().map(|column| Needs::of_header(*column)).collect();
        Self { columns: columns.to_vec(), giving_way, needs }
    }

    pub(crate) fn see(&mut self, row: &GridRow) {
        for ((needs, column), cell) in self.needs.iter_mut().zip(&self.columns).zip(&row.0) {
            *needs = needs.and(Needs::of_cell(*column, cell));
        }
    }

    /// Sees what another has seen of the same grid.
    pub(crate) fn join(&mut self, other: &Self) {
        for (needs, other) in self.needs.iter_mut().zip(&other.needs) {
            *needs = needs.and(*other);
        }
    }

    /// How its rows are laid out in the terminal.
    pub(crate) fn layout(self) -> GridLayout {
        self.layout_in(terminal_width())
    }

    fn layout_in(self, width: Option<usize>) -> GridLayout {
        let layout = Layout::of(&self, width);
        GridLayout { columns: self.columns, layout }
    }
}

/// A grid whose columns are as wide as they will be, for rows that come some at a time.
pub(crate) struct GridLayout {
    columns: Vec<GridColumn>,
    layout: Layout,
}

impl GridLayout {
    /// The line of the headers, dimmed.
    pub(crate) fn header(&self) -> String {
        let headers = GridRow::of(self.columns.iter().map(|column| column.header().to_owned()));
        format!("{}\n", styled(DIM, self.layout.table(&self.columns, &[headers]).trim_fmt()))
    }

    /// Some rows, a line or more each. Those that need no more than one line, as nearly all
    /// do, are written as they are; the others, as many as follow each other, as a table.
    pub(crate) fn lines(&self, rows: &[GridRow]) -> String {
        let mut out = String::new();
        let mut rest = rows;
        while let Some((row, after)) = rest.split_first() {
            if self.layout.push_line(&self.columns, row, &mut out) {
                rest = after;
                continue;
            }
            let (wide, after) =
                rest.split_at(rest.iter().take_while(|row| !self.layout.has_room(row)).count());
            out.push_str(&self.layout.table(&self.columns, wide).trim_fmt());
            out.push('\n');
            rest = after;
        }
        out
    }

    /// What there is no room for.
    pub(crate) fn footer(&self) -> String {
        match self.layout.left_out.as_slice() {
            [] => String::new(),
            left_out => styled(DIM, format!("(no room here for: {})", left_out.join(", "))) + "\n",
        }
    }
}

/// How wide each column is shown; none if it is left out.
struct Layout {
    widths: Vec<Option<usize>>,
    left_out: Vec<&'static str>,
}

/// The least and the most room that a column can make use of.
#[derive(Clone, Copy)]
struct Needs {
    least: usize,
    most: usize,
}

impl Layout {
    fn of(shape: &GridShape, width: Option<usize>) -> Self {
        let GridShape { columns, giving_way, needs } = shape;
        let most = needs.iter().map(|needs| Some(needs.most)).collect();
        let all = Self { widths: most, left_out: Vec::new() };
        let Some(width) = width.filter(|width| all.total() > *width) else { return all };
        let least = needs.iter().map(|needs| Some(needs.least)).collect();
        let mut layout = Self { widths: least, left_out: Vec::new() };
        for header in *giving_way {
            if layout.total() <= width {
                break;
            }
            let column = columns.iter().position(|column| column.header() == *header);
            if let Some(at) = column {
                layout.widths[at] = None;
                layout.left_out.push(header);
            }
        }
        layout.widen(needs, width);
        layout
    }

    fn total(&self) -> usize {
        let shown = self.widths.iter().flatten();
        shown.clone().sum::<usize>() + GAP * shown.count().saturating_sub(1)
    }

    /// Gives the room that is left to those that can make use of it, by how much they can.
    fn widen(&mut self, needs: &[Needs], width: usize) {
        let room = width.saturating_sub(self.total());
        let shown = |at: &usize| self.widths[*at].is_some();
        let wanted: usize = (0..needs.len()).filter(shown).map(|at| needs[at].most - needs[at].least).sum();
        for (width, needs) in self.widths.iter_mut().zip(needs) {
            if let Some(width) = width
                && wanted > 0
            {
                *width += (room * (needs.most - needs.least) / wanted).min(needs.most - needs.least);
            }
        }
    }

    /// The cells that are shown, each with its place and the width of its column.
    fn cells<'r>(&self, row: &'r GridRow) -> impl Iterator<Item = (usize, usize, &'r Cell)> {
        let cells = row.0.iter().zip(&self.widths).enumerate();
        cells.filter_map(|(at, (cell, width))| Some((at, (*width)?, cell)))
    }

    fn has_room(&self, row: &GridRow) -> bool {
        self.cells(row).all(|(_, width, cell)| cell.room_beside(width).is_some())
    }

    /// Writes a row that has room; `false`, and nothing written, if it has not.
    fn push_line(&self, columns: &[GridColumn], row: &GridRow, out: &mut String) -> bool {
        let (start, mut blanks) = (out.len(), 0);
        for (at, width, cell) in self.cells(row) {
            let Some(room) = cell.room_beside(width) else {
                out.truncate(start);
                return false;
            };
            let before = if matches!(columns[at], GridColumn::Number(_)) { room } else { 0 };
            push_blanks(blanks + before, out);
            out.push_str(&cell.text);
            blanks = room - before + GAP;
        }
        out.truncate(start + out[start..].trim_end().len());
        out.push('\n');
        true
    }

    fn table(&self, columns: &[GridColumn], rows: &[GridRow]) -> Table {
        let mut table = Table::new();
        table.load_style(presets::NOTHING).set_content_arrangement(ContentArrangement::Dynamic);
        table.set_width(u16::MAX);
        let shown = |at: &usize| self.widths[*at].is_some();
        let places: Vec<usize> = (0..columns.len()).filter(shown).collect();
        for row in rows {
            table.add_row(places.iter().map(|at| {
                let cell = row.0.get(*at).map_or("", |cell| &cell.text);
                match columns[*at] {
                    GridColumn::Path(_) => shortened(cell, self.widths[*at].unwrap_or(usize::MAX)),
                    GridColumn::Text(_) | GridColumn::Number(_) => cell.to_owned(),
                }
            }));
        }
        for (number, at) in places.iter().enumerate() {
            let (Some(column), Some(width)) = (table.column_mut(number), self.widths[*at]) else { continue };
            let is_last = number + 1 == places.len();
            let gap = if is_last { 0 } else { GAP };
            column.set_padding((0, u16::try_from(gap).unwrap_or(0)));
            let width = u16::try_from(width + gap).unwrap_or(u16::MAX);
            column.set_constraint(ColumnConstraint::Absolute(Width::Fixed(width)));
            if let GridColumn::Number(_) = columns[*at] {
                column.set_cell_alignment(CellAlignment::Right);
            }
        }
        table
    }
}

impl Needs {
    fn of_header(column: GridColumn) -> Self {
        Self::of_cell(column, &Cell::of(column.header().to_owned()))
    }

    fn of_cell(column: GridColumn, cell: &Cell) -> Self {
        let most = cell.width();
        let least = match column {
            GridColumn::Text(_) => cell.longest_word(),
            GridColumn::Number(_) | GridColumn::Path(_) => most,
        };
        Self { least, most }
    }

    fn and(self, other: Self) -> Self {
        Self { least: self.least.max(other.least), most: self.most.max(other.most) }
    }
}

fn needs_of(grid: &Grid, at: usize) -> Needs {
    let column = grid.columns[at];
    let cells = || grid.rows.iter().filter_map(move |row| row.0.get(at));
    let header = Needs::of_header(column);
    let needs = cells().map(|cell| Needs::of_cell(column, cell)).fold(header, Needs::and);
    match column {
        GridColumn::Number(_) | GridColumn::Text(_) => needs,
        GridColumn::Path(_) => Needs {
            least: least_of_paths(&cells().map(|cell| cell.text.as_str()).collect::<Vec<_>>())
                .max(header.least),
            ..needs
        },
    }
}

/// Adds so many blanks.
fn push_blanks(count: usize, out: &mut String) {
    const SOME: &str = "                                ";
    let mut left = count;
    while left > 0 {
        let now = left.min(SOME.len());
        out.push_str(&SOME[..now]);
        left -= now;
    }
}

#[cfg(test)]
mod tests {
    use textwrap::core::display_width;

    use super::*;

    fn grid() -> Grid {
        let columns = [
            GridColumn::Text("Calendar"),
            GridColumn::Path("File"),
            GridColumn::Number("Events"),
            GridColumn::Number("All-day"),
            GridColumn::Text("First"),
        ];
        let mut grid = Grid::new(&columns).giving_way(&["All-day", "First"]);
        for (name, path) in [
            ("Norrsund besättning", "exports/norrsund/crew.ics"),
            ("Skarvik", "exports/skarvik/crew.ics"),
            ("Varv", "exports/norrsund/varv.csv"),
        ] {
            let cells = [name, path, "14", "0", "2026-08-31"];
            grid.row(cells.map(str::to_owned));
        }
        grid
    }

    fn lines(width: Option<usize>) -> Vec<String> {
        let shown = anstream::adapter::strip_str(&grid().shown(width)).to_string();
        shown.lines().map(str::to_owned).collect()
    }

    #[test]
    fn a_row_that_has_room_is_laid_out_as_the_others_are() {
        let columns = [GridColumn::Text("One"), GridColumn::Number("Two"), GridColumn::Path("Three")];
        let cells = ["", "a", " a", "a ", "a  b", "å 日本", "a\u{a0}", "👩\u{200d}✈\u{fe0f}", "a/b"];
        let rows = cells.iter().flat_map(|one| cells.iter().map(move |two| [*one, *two]));
        let rows = rows.flat_map(|[one, two]| cells.iter().map(move |three| [one, two, *three]));
        let rows: Vec<GridRow> = rows.map(|cells| GridRow::of(cells.map(str::to_owned))).collect();
        let mut shape = GridShape::new(&columns, &[]);
        for row in &rows {
            shape.see(row);
        }
        let GridLayout { columns, layout } = shape.layout_in(None);
        let have_room = rows.iter().filter(|row| layout.has_room(row));
        assert_eq!(have_room.clone().count(), 8 * 8 * 8, "all but those with joined signs");
        for row in have_room {
            let mut line = String::new();
            assert!(layout.push_line(&columns, row, &mut line));
            assert_eq!(line, layout.table(&columns, std::slice::from_ref(row)).trim_fmt() + "\n", "{row:?}");
        }
    }

    #[test]
    fn a_grid_is_no_wider_than_the_terminal_and_breaks_nothing() {
        assert_eq!(
            lines(None)[1],
            "Norrsund besättning  exports/norrsund/crew.ics      14        0  2026-08-31"
        );
        for width in [40, 44, 60, 70, 80, 200] {
            let shown = lines(Some(width));
            assert!(shown.iter().all(|line| display_width(line) <= width.max(44)), "{width}: {shown:#?}");
            for whole in ["crew.ics", "varv.csv", "besättning"] {
                assert!(shown.iter().any(|line| line.contains(whole)), "{whole} at {width}: {shown:#?}");
            }
        }
        // Two files of one name are told apart.
        assert!(
            lines(Some(60)).iter().any(|line| line.contains("…/skarvik/crew.ics")),
            "{:#?}",
            lines(Some(60))
        );
        assert_eq!(lines(Some(50)).last().unwrap(), "(no room here for: All-day, First)");
    }

    #[test]
    fn wide_letters_are_counted_as_wide() {
        let mut grid = Grid::new(&[GridColumn::Text("Title"), GridColumn::Text("Place")]);
        grid.row(["点検 点検".to_owned(), "Kaj".to_owned()]);
        grid.row(["Watch".to_owned(), "Kaj".to_owned()]);
        let shown = anstream::adapter::strip_str(&grid.shown(None)).to_string();
        let places: Vec<usize> =
            shown.lines().skip(1).map(|line| display_width(line.split("Kaj").next().unwrap())).collect();
        assert_eq!(places, [11, 11]);
    }
}
