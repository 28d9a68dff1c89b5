//! A drawing in cells: fields and robots as small pictures.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use wayodos_core::robot::Robot;
use wayodos_report::ink::{PAPER, Rgb};
use wayodos_report::{Item, Layer, rasterise, rectangle};

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

/// How far a robot reaches: back, ahead, to its right, to its left, metres; sensors included.
pub(super) fn reach(robot: &Robot) -> [f64; 4] {
    let sensors = robot
        .sensors
        .iter()
        .map(|sensor| (sensor.ahead, sensor.left));
    let corners = robot.outline.iter().copied().chain(sensors);
    corners.fold([0.0; 4], |[back, ahead, right, left], (x, y)| {
        [back.min(x), ahead.max(x), right.min(y), left.max(y)]
    })
}

/// A pale ground of this size with lines this far apart, which tell how large what stands on it is.
pub(super) fn lined_ground(width: f64, height: f64, step: f64) -> Vec<Item> {
    const MAT: Rgb = Rgb(232, 226, 210);
    const LINE: Rgb = Rgb(208, 201, 184);
    let upright = (1..=(width / step) as usize)
        .map(|nth| (rectangle(nth as f64 * step, 0.0, 0.4, height), LINE));
    let level = (1..=(height / step) as usize)
        .map(|nth| (rectangle(0.0, nth as f64 * step, width, 0.4), LINE));
    std::iter::once((rectangle(0.0, 0.0, width, height), MAT))
        .chain(upright)
        .chain(level)
        .map(|(shape, colour)| Item::filled(Layer::Ground, shape, colour))
        .collect()
}
