//! A drawing in cells: fields and robots as small pictures.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use wayodos_report::ink::PAPER;
use wayodos_report::{Item, rasterise};

use crate::tui::cells::{Cells, quantise};
use crate::tui::theme::{Depth, Theme};

/// Draws items over an area; a scene millimetre is a cell across and half a cell down.
pub fn draw(items: &[Item], theme: Theme, cells: Cells, area: Rect, buffer: &mut Buffer) {
    let few = matches!(theme.depth, Depth::Mono | Depth::Sixteen);
    let cells = if few && cells != Cells::Ascii {
        Cells::Half
    } else {
        cells
    };
    let (across, down) = cells.grid();
    let size = (
        usize::from(area.width) * across,
        usize::from(area.height) * down,
    );
    // Without colours, density stands for darkness: what is not mat stays empty.
    let around = if theme.depth == Depth::Mono {
        PAPER
    } else {
        theme.ground()
    };
    let raster = rasterise(
        items.iter(),
        [0.0, 0.0],
        [across as f64, down as f64 / 2.0],
        size,
        around,
    );
    for (row, y) in (area.y..area.bottom()).enumerate() {
        for (column, x) in (area.x..area.right()).enumerate() {
            let cell = quantise(&raster, cells, column, row);
            let on_screen = &mut buffer[(x, y)];
            if theme.depth == Depth::Mono {
                on_screen.set_char(super::field::shade(cell.mean(cells)));
            } else {
                on_screen.set_char(cells.glyph(cell.mask));
                on_screen
                    .set_fg(theme.colour(cell.ink))
                    .set_bg(theme.colour(cell.ground));
            }
        }
    }
}
