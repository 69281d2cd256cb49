//! Rows under headers.

use comfy_table::presets;
use comfy_table::{Cell, CellAlignment, ContentArrangement, Table};

use super::words::{DIM, sanitized, styled, terminal_width};

/// The width of tables that go to a file or to another program, in columns.
const WIDTH_OF_FILES: u16 = 160;

/// A column of a table: its header, and which way its cells lean.
#[derive(Clone, Copy)]
pub(crate) enum GridColumn {
    Text(&'static str),
    Number(&'static str),
}

/// Rows under headers, without lines around them.
pub(crate) struct Grid {
    table: Table,
}

impl Grid {
    pub(crate) fn new(columns: &[GridColumn]) -> Self {
        let mut table = Table::new();
        table.load_style(presets::NOTHING).set_content_arrangement(ContentArrangement::Dynamic);
        table
            .set_width(terminal_width().map_or(WIDTH_OF_FILES, |width| width.try_into().unwrap_or(u16::MAX)));
        table.set_header(columns.iter().map(|column| match column {
            GridColumn::Text(header) => Cell::new(header),
            GridColumn::Number(header) => Cell::new(header).set_alignment(CellAlignment::Right),
        }));
        for (at, column) in columns.iter().enumerate() {
            let Some(cells) = table.column_mut(at) else { continue };
            cells.set_padding((0, 2));
            if let GridColumn::Number(_) = column {
                cells.set_cell_alignment(CellAlignment::Right);
            }
        }
        Self { table }
    }

    pub(crate) fn row(&mut self, cells: impl IntoIterator<Item = String>) {
        self.table.add_row(cells.into_iter().map(|cell| sanitized(&cell)));
    }

    /// The rows, the header dimmed.
    pub(crate) fn show(&self) -> String {
        let text = self.table.trim_fmt();
        match text.split_once('\n') {
            Some((header, rows)) => format!("{}\n{rows}", styled(DIM, header)),
            None => styled(DIM, text),
        }
    }
}
