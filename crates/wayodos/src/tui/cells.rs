//! Pictures made of characters: each cell shows two colours in one of a few patterns, or eight
//! dots.

pub use crate::look::Cells;
use wayodos_report::Raster;
use wayodos_report::ink::Rgb;

impl Cells {
    /// Pixels across and down in one cell.
    pub const fn grid(self) -> (usize, usize) {
        match self {
            Self::Ascii => (1, 1),
            Self::Half => (1, 2),
            Self::Quadrant => (2, 2),
            Self::Sextant => (2, 3),
            Self::Octant => (2, 4),
        }
    }

    /// What the environment says about the terminal's font; `var` looks a variable up. Quarters
    /// where it is not known that sixths can be shown: those terminals draw them themselves,
    /// whatever the font.
    pub fn detect(var: impl Fn(&str) -> Option<String>) -> Self {
        const DRAWN: [&str; 5] = ["kitty", "foot", "ghostty", "wezterm", "contour"];
        let has = |name: &str| var(name).unwrap_or_default().to_lowercase();
        let names = [has("TERM"), has("TERM_PROGRAM")];
        // Within a multiplexer the terminal outside is out of sight, and may change.
        let known = names
            .iter()
            .any(|name| DRAWN.iter().any(|drawn| name.contains(drawn)));
        if names[0] == "linux" {
            Self::Half
        } else if known {
            Self::Sextant
        } else {
            Self::Quadrant
        }
    }

    /// The character whose ink covers the pixels of `mask`: bit 0 is the upper left one, row by
    /// row.
    pub fn glyph(self, mask: u8) -> char {
        const QUADRANTS: [char; 16] = [
            ' ', '▘', '▝', '▀', '▖', '▌', '▞', '▛', '▗', '▚', '▐', '▜', '▄', '▙', '▟', '█',
        ];
        match self {
            Self::Ascii => {
                if mask & 1 == 0 {
                    ' '
                } else {
                    ':'
                }
            }
            Self::Half => [' ', '▀', '▄', '█'][usize::from(mask & 3)],
            Self::Quadrant => QUADRANTS[usize::from(mask & 15)],
            Self::Sextant => sextant(mask & 63),
            Self::Octant => octant(mask),
        }
    }
}

/// The block "Symbols for Legacy Computing" leaves out what Unicode had before: none, left, right
/// and all.
fn sextant(mask: u8) -> char {
    let skipped = match mask {
        0 => return ' ',
        21 => return '▌',
        42 => return '▐',
        63 => return '█',
        1..=20 => 1,
        22..=41 => 2,
        _ => 3,
    };
    char::from_u32(0x1fb00 + u32::from(mask) - skipped).unwrap_or('█')
}

/// The block "Symbols for Legacy Computing Supplement" counts its eighths up by their pixels, the
/// upper left one first, and leaves out what Unicode had before.
fn octant(mask: u8) -> char {
    const BEFORE: [(u8, char); 26] = [
        (0b0000_0000, ' '),
        (0b0000_0001, '\u{1cea8}'),
        (0b0000_0010, '\u{1ceab}'),
        (0b0000_0011, '\u{1fb82}'),
        (0b0000_0101, '▘'),
        (0b0000_1010, '▝'),
        (0b0000_1111, '▀'),
        (0b0001_0100, '\u{1fbe6}'),
        (0b0010_1000, '\u{1fbe7}'),
        (0b0011_1111, '\u{1fb85}'),
        (0b0100_0000, '\u{1cea3}'),
        (0b0101_0000, '▖'),
        (0b0101_0101, '▌'),
        (0b0101_1010, '▞'),
        (0b0101_1111, '▛'),
        (0b1000_0000, '\u{1cea0}'),
        (0b1010_0000, '▗'),
        (0b1010_0101, '▚'),
        (0b1010_1010, '▐'),
        (0b1010_1111, '▜'),
        (0b1100_0000, '▂'),
        (0b1111_0000, '▄'),
        (0b1111_0101, '▙'),
        (0b1111_1010, '▟'),
        (0b1111_1100, '▆'),
        (0b1111_1111, '█'),
    ];
    match BEFORE.binary_search_by_key(&mask, |(known, _)| *known) {
        Ok(at) => BEFORE[at].1,
        Err(skipped) => char::from_u32(0x1cd00 + u32::from(mask) - skipped as u32).unwrap_or('█'),
    }
}

/// One cell of a picture.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Cell {
    /// Which pixels have the ink.
    pub mask: u8,
    /// Colour of those pixels.
    pub ink: Rgb,
    /// Colour of the others.
    pub ground: Rgb,
}

/// The two colours and the pattern that come nearest to the pixels of a cell.
pub fn quantise(raster: &Raster, cells: Cells, column: usize, row: usize) -> Cell {
    let (across, down) = cells.grid();
    let mut pixels = [Rgb(0, 0, 0); 8];
    let count = across * down;
    for (index, pixel) in pixels.iter_mut().take(count).enumerate() {
        *pixel = raster.at(
            column * across + index % across,
            row * down + index / across,
        );
    }
    let pixels = &pixels[..count];
    let (mut a, mut b, mut apart) = (0, 0, 0);
    for i in 0..count {
        for j in i + 1..count {
            let distance = distance(pixels[i], pixels[j]);
            if distance > apart {
                (a, b, apart) = (i, j, distance);
            }
        }
    }
    // What the eye cannot tell apart is one colour.
    if apart < 300 {
        let mean = mean(pixels.iter().copied());
        return Cell {
            mask: 0,
            ink: mean,
            ground: mean,
        };
    }
    let mut mask = 0u8;
    for (index, pixel) in pixels.iter().enumerate() {
        if distance(*pixel, pixels[b]) < distance(*pixel, pixels[a]) {
            mask |= 1 << index;
        }
    }
    let of = |wanted: bool| {
        mean(
            pixels
                .iter()
                .enumerate()
                .filter(|(index, _)| (mask >> index & 1 == 1) == wanted)
                .map(|(_, pixel)| *pixel),
        )
    };
    Cell {
        mask,
        ink: of(true),
        ground: of(false),
    }
}

impl Cell {
    /// The mean colour of the pixels that a line through the cell leaves free.
    pub fn beside(&self, cells: Cells, covered: u8) -> Rgb {
        let (across, down) = cells.grid();
        let all = ((1u16 << (across * down)) - 1) as u8;
        let free = all & !covered;
        if free == 0 {
            return self.mean(cells);
        }
        let inked = (self.mask & free).count_ones();
        self.ground
            .towards(self.ink, f64::from(inked) / f64::from(free.count_ones()))
    }

    /// The mean colour of the cell.
    pub fn mean(&self, cells: Cells) -> Rgb {
        let (across, down) = cells.grid();
        self.ground.towards(
            self.ink,
            f64::from(self.mask.count_ones()) / (across * down) as f64,
        )
    }
}

fn distance(a: Rgb, b: Rgb) -> u32 {
    let part = |a: u8, b: u8| u32::from(a.abs_diff(b)).pow(2);
    part(a.0, b.0) + part(a.1, b.1) + part(a.2, b.2)
}

fn mean(pixels: impl Iterator<Item = Rgb>) -> Rgb {
    let (mut sum, mut count) = ([0u32; 3], 0);
    for Rgb(r, g, b) in pixels {
        sum = [
            sum[0] + u32::from(r),
            sum[1] + u32::from(g),
            sum[2] + u32::from(b),
        ];
        count += 1;
    }
    let [r, g, b] = sum.map(|value| (value / count.max(1)) as u8);
    Rgb(r, g, b)
}

/// Lines as the pixels of cells, each cell with one ink.
#[derive(Clone, Debug)]
pub struct Dots {
    /// Cells across.
    pub columns: usize,
    /// Cells down.
    pub rows: usize,
    grid: Grid,
    cells: Vec<(u8, u16)>,
}

/// What the pixels of a line are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Grid {
    /// Fine dots, two across and four down in a cell.
    Fine,
    /// The blocks that pictures are made of.
    Blocks(Cells),
}

impl Grid {
    /// Pixels across and down in one cell.
    pub const fn size(self) -> (usize, usize) {
        match self {
            Self::Fine => (2, 4),
            Self::Blocks(cells) => cells.grid(),
        }
    }

    const fn bit(self, x: usize, y: usize) -> u8 {
        const FINE: [[u8; 2]; 4] = [[0x01, 0x08], [0x02, 0x10], [0x04, 0x20], [0x40, 0x80]];
        match self {
            Self::Fine => FINE[y][x],
            Self::Blocks(cells) => 1 << (y * cells.grid().0 + x),
        }
    }
}

impl Dots {
    /// No pixels in this many cells.
    pub fn new(columns: usize, rows: usize, grid: Grid) -> Self {
        Self {
            columns,
            rows,
            grid,
            cells: vec![(0, 0); columns * rows],
        }
    }

    /// Sets one pixel. `ink` is kept for the cell: what comes later covers what was there.
    pub fn set(&mut self, x: i32, y: i32, ink: u16) {
        let (across, down) = self.grid.size();
        if x < 0 || y < 0 || x as usize >= across * self.columns || y as usize >= down * self.rows {
            return;
        }
        let (x, y) = (x as usize, y as usize);
        let cell = &mut self.cells[y / down * self.columns + x / across];
        if cell.1 != ink {
            *cell = (0, ink);
        }
        cell.0 |= self.grid.bit(x % across, y % down);
    }

    /// A line of pixels. Source: Bresenham, "Algorithm for computer control of a digital plotter"
    /// (1965).
    pub fn line(&mut self, from: (f64, f64), to: (f64, f64), ink: u16) {
        let far = 4.0 * (self.columns + self.rows) as f64 + 1e4;
        let near = |value: f64| value.abs() < far;
        if !(near(from.0) && near(from.1) && near(to.0) && near(to.1)) {
            return;
        }
        let (mut x, mut y) = (from.0.floor() as i32, from.1.floor() as i32);
        let (x1, y1) = (to.0.floor() as i32, to.1.floor() as i32);
        let (dx, dy) = ((x1 - x).abs(), -(y1 - y).abs());
        let (sx, sy) = ((x1 - x).signum(), (y1 - y).signum());
        let mut error = dx + dy;
        loop {
            self.set(x, y, ink);
            if x == x1 && y == y1 {
                return;
            }
            let twice = 2 * error;
            if twice >= dy {
                error += dy;
                x += sx;
            }
            if twice <= dx {
                error += dx;
                y += sy;
            }
        }
    }

    /// The pixels of a cell and their ink; none where there are none.
    pub fn mask(&self, column: usize, row: usize) -> Option<(u8, u16)> {
        self.cells
            .get(row * self.columns + column)
            .copied()
            .filter(|(mask, _)| *mask != 0)
    }

    /// The pixels of a cell as a character, with their ink; none where there are none.
    pub fn at(&self, column: usize, row: usize) -> Option<(char, u16)> {
        let (mask, ink) = self.mask(column, row)?;
        let glyph = match self.grid {
            Grid::Fine => char::from_u32(0x2800 + u32::from(mask)).unwrap_or('.'),
            Grid::Blocks(Cells::Ascii) => '*',
            Grid::Blocks(cells) => cells.glyph(mask),
        };
        Some((glyph, ink))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_pattern_has_a_character_of_its_own() {
        for (cells, patterns) in [
            (Cells::Half, 4u16),
            (Cells::Quadrant, 16),
            (Cells::Sextant, 64),
            (Cells::Octant, 256),
        ] {
            let mut glyphs: Vec<char> = (0..patterns).map(|mask| cells.glyph(mask as u8)).collect();
            glyphs.sort_unstable();
            glyphs.dedup();
            assert_eq!(glyphs.len(), usize::from(patterns), "{cells:?}");
        }
        // The first and the last of their block.
        assert_eq!(
            (Cells::Octant.glyph(4), Cells::Octant.glyph(254)),
            ('\u{1cd00}', '\u{1cde5}')
        );
        assert_eq!(
            (Cells::Sextant.glyph(1), Cells::Sextant.glyph(62)),
            ('\u{1fb00}', '\u{1fb3b}')
        );
    }

    #[test]
    fn sixths_are_used_only_where_they_are_known_to_work() {
        let cells = |term: &str| Cells::detect(|name| (name == "TERM").then(|| term.to_owned()));
        assert_eq!(cells("xterm-kitty"), Cells::Sextant);
        assert_eq!(cells("tmux-256color"), Cells::Quadrant);
        assert_eq!(cells("linux"), Cells::Half);
        assert_eq!(Cells::detect(|_| None), Cells::Quadrant);
    }

    #[test]
    fn a_cell_keeps_its_two_strongest_colours() {
        let (dark, pale) = (Rgb(20, 20, 20), Rgb(230, 230, 220));
        let raster = Raster {
            width: 2,
            height: 2,
            pixels: vec![dark, pale, dark, Rgb(225, 228, 220)],
        };
        let cell = quantise(&raster, Cells::Quadrant, 0, 0);
        let glyph = Cells::Quadrant.glyph(cell.mask);
        assert!(matches!(glyph, '▌' | '▐'), "{glyph}");
        assert!(cell.ink == dark || cell.ground == dark);
        let flat = Raster {
            width: 2,
            height: 2,
            pixels: vec![pale; 4],
        };
        assert_eq!(quantise(&flat, Cells::Quadrant, 0, 0).mask, 0);
    }

    #[test]
    fn lines_join_their_ends_and_stay_inside() {
        for grid in [
            Grid::Fine,
            Grid::Blocks(Cells::Quadrant),
            Grid::Blocks(Cells::Half),
            Grid::Blocks(Cells::Ascii),
        ] {
            let mut dots = Dots::new(3, 2, grid);
            let (across, down) = grid.size();
            dots.line(
                (0.0, 0.0),
                (3.0 * across as f64 - 0.1, 2.0 * down as f64 - 0.1),
                1,
            );
            assert!(
                dots.at(0, 0).is_some() && dots.at(2, 1).is_some(),
                "{grid:?}"
            );
            dots.line((-50.0, -50.0), (50.0, 50.0), 1);
            dots.line((f64::NAN, 0.0), (1e300, 1.0), 1);
        }
    }
}
