//! The mat as a raster: what colour and gloss each millimetre has, and what a sensor's spot
//! averages there.
//!
//! [`Blurred`] is the mat seen through one spot size: a sensor's reading is then a single bilinear
//! look-up (measured: several times cheaper than averaging at run time, and closer to a dense
//! mean). It is made in tiles, each when a sensor first comes over it: a run sees a small part of
//! its field, and the first one should not wait for the rest. A tile depends on nothing but the
//! field, so it does not matter who makes it, or when.
//!
//! Long because painting, averaging and looking up share the texels and their soft edges.

use std::sync::{Arc, OnceLock};

use super::outline::bounds;
use super::{Edge, Field, Mark, Picture, Point, Shape, Surface};
use crate::units::colour::{self, Light};

/// The raster holds at most this many texels; larger fields get coarser ones.
const MOST_TEXELS: f64 = 6e6;
/// Side of a texel in metres, where the field is not too large for it.
const FINEST: f64 = 0.001;
/// Texels along the side of a tile.
const TILE: usize = 32;
/// Share of the mirrored light that finds its way back into a sensor looking straight down. A
/// choice of ours: it makes polished metal read brighter than white paper, as it does on a table.
const MIRRORED_BACK: f64 = 0.9;

/// Linear red, green, blue, infrared and the mirrored share, each 0 to 65535.
type Texel = [u16; 5];

/// What a sensor sees over a drop.
const NOTHING: Texel = [0; 5];

/// What a sensor keeps of what a texel sends back.
fn kept(light: Light) -> &'static [fn(Texel) -> u16] {
    match light {
        Light::Colours => &[
            |texel| bright(texel, texel[0]),
            |texel| bright(texel, texel[1]),
            |texel| bright(texel, texel[2]),
        ],
        Light::White => &[brightness],
        Light::Red => &[|texel| bright(texel, texel[0])],
        Light::Infrared => &[|texel| bright(texel, texel[3])],
    }
}

/// The same as three shares of full scale.
fn shares(light: Light, texel: Texel) -> [f64; 3] {
    let kept = kept(light);
    [0, 1, 2].map(|channel| f64::from(kept[channel.min(kept.len() - 1)](texel)) / 65535.0)
}

/// A field's mat, row 0 at the bottom.
#[derive(Clone, Debug)]
pub struct Mat {
    /// Texels to the right.
    pub width: usize,
    /// Texels upwards.
    pub height: usize,
    /// Side of a texel in metres.
    pub texel: f64,
    field: Arc<Field>,
    colours: Vec<Texel>,
    surround: Texel,
    /// Beyond this outline it goes down: nothing is near enough to send light back.
    platform: Option<Shape>,
    /// The box around each mark, soft edges included.
    bounds: Vec<(Point, Point)>,
}

/// The mat averaged over a round spot, for one kind of sensor.
#[derive(Debug)]
pub struct Blurred {
    mat: Mat,
    kernel: Kernel,
    light: Light,
    /// Texels that the raster reaches beyond the mat on each side.
    margin: usize,
    per_metre: f64,
    /// Size in texels, with the margins.
    size: (f64, f64),
    /// Tiles in a row.
    across: usize,
    tiles: Vec<OnceLock<Tile>>,
    surround: [f64; 3],
}

/// Texels of a tile, one row and column more than its side so that a look-up never needs a second
/// tile; the channels of a texel stand together.
type Tile = Box<[u16]>;

impl Mat {
    /// The mat of a field, as it is seen by who stands on one of its platforms, or on the mat
    /// itself.
    pub fn new(field: &Arc<Field>, platform: Option<usize>) -> Self {
        let texel = FINEST.max((field.width * field.height / MOST_TEXELS).sqrt());
        let (width, height) = (
            (field.width / texel).ceil() as usize,
            (field.height / texel).ceil() as usize,
        );
        let colours: Vec<Texel> = field.surfaces.iter().map(linear).collect();
        let ground = colours.first().copied().unwrap_or_default();
        let around = |mark: &Mark| {
            let ((low, high), more) = (mark.shape.bounds(), 2.0 * texel);
            (
                Point::new(low.x - more, low.y - more),
                Point::new(high.x + more, high.y + more),
            )
        };
        let platform = platform
            .and_then(|index| field.platforms.get(index))
            .map(|platform| platform.shape.clone());
        let surround = if platform.is_some() || field.edge == Edge::Drop {
            NOTHING
        } else {
            colours
                .get(usize::from(field.surround.0))
                .copied()
                .unwrap_or(ground)
        };
        Self {
            width: width.max(1),
            height: height.max(1),
            texel,
            surround,
            platform,
            bounds: field.marks.iter().map(around).collect(),
            field: Arc::clone(field),
            colours,
        }
    }

    /// The texels of a window that may reach beyond the mat, row by row; `left` and `bottom` may be
    /// negative.
    fn window(&self, left: isize, bottom: isize, width: usize, height: usize) -> Vec<Texel> {
        let mut canvas = Canvas {
            left,
            bottom,
            width,
            height,
            texel: self.texel,
            texels: Vec::new(),
            mat: (0, 0),
        };
        canvas.mat = (self.width as isize, self.height as isize);
        canvas.texels = vec![self.surround; width * height];
        let ground = self.colours.first().copied().unwrap_or_default();
        let (columns, rows) = (
            canvas.columns(f64::NEG_INFINITY, f64::INFINITY),
            canvas.rows(f64::NEG_INFINITY, f64::INFINITY),
        );
        for row in rows {
            let at = canvas.at(columns.start, row);
            canvas.texels[at..at + columns.len()].fill(ground);
        }
        for picture in &self.field.pictures {
            canvas.hang(picture);
        }
        let (low, high) = canvas.corners();
        for (mark, (from, to)) in self.field.marks.iter().zip(&self.bounds) {
            if from.x < high.x && from.y < high.y && to.x > low.x && to.y > low.y {
                canvas.paint(mark, self.colours[usize::from(mark.surface.0)]);
            }
        }
        if let Some(platform) = &self.platform {
            canvas.hollow(platform);
        }
        canvas.texels
    }

    /// The mat seen through a round spot in some light.
    pub fn blurred(&self, spot_diameter: f64, light: Light) -> Blurred {
        let radius = (spot_diameter / 2.0 / self.texel).max(0.5);
        let margin = radius.ceil() as usize + 2;
        let (width, height) = (self.width + 2 * margin, self.height + 2 * margin);
        let across = width.div_ceil(TILE);
        Blurred {
            mat: self.clone(),
            kernel: Kernel::new(radius),
            light,
            margin,
            per_metre: 1.0 / self.texel,
            size: ((width - 1) as f64, (height - 1) as f64),
            across,
            tiles: (0..across * height.div_ceil(TILE))
                .map(|_| OnceLock::new())
                .collect(),
            surround: shares(light, self.surround),
        }
    }
}

/// A window of the mat while it is painted.
struct Canvas {
    left: isize,
    bottom: isize,
    width: usize,
    height: usize,
    texel: f64,
    /// Columns and rows of the mat: nothing is painted beyond them.
    mat: (isize, isize),
    texels: Vec<Texel>,
}

impl Canvas {
    /// The window's columns that lie on the mat and between two places, as columns of the mat.
    fn columns(&self, from: f64, to: f64) -> std::ops::Range<isize> {
        let (least, most) = (
            self.left.max(0),
            (self.left + self.width as isize).min(self.mat.0),
        );
        clipped(from / self.texel, to / self.texel, least, most)
    }

    fn rows(&self, from: f64, to: f64) -> std::ops::Range<isize> {
        let (least, most) = (
            self.bottom.max(0),
            (self.bottom + self.height as isize).min(self.mat.1),
        );
        clipped(from / self.texel, to / self.texel, least, most)
    }

    /// Index of a texel by its column and row on the mat.
    fn at(&self, column: isize, row: isize) -> usize {
        (row - self.bottom) as usize * self.width + (column - self.left) as usize
    }

    fn corners(&self) -> (Point, Point) {
        let place = |column: isize, row: isize| {
            Point::new(column as f64 * self.texel, row as f64 * self.texel)
        };
        let (right, top) = (
            self.left + self.width as isize,
            self.bottom + self.height as isize,
        );
        (place(self.left, self.bottom), place(right, top))
    }

    fn paint(&mut self, mark: &Mark, colour: Texel) {
        match &mark.shape {
            Shape::Band { points, width } => self.paint_band(points, width / 2.0, colour),
            shape @ (Shape::Disc { .. } | Shape::Polygon(_) | Shape::Rings(_)) => {
                let (low, high) = shape.bounds();
                self.cover(low.x, low.y, high.x, high.y, colour, |p| shape.depth(p));
            }
        }
    }

    /// A picture: what it has at the middle of each texel.
    fn hang(&mut self, picture: &Picture) {
        let gloss = (picture.gloss * MIRRORED_BACK * 65535.0) as u16;
        let mut seen = Vec::new();
        let (low, (width, height)) = (picture.at, picture.size);
        self.each(low.x, low.y, low.x + width, low.y + height, |at, p, _| {
            seen.extend(
                picture
                    .cell(p)
                    .filter(|cell| cell[3] > 0)
                    .map(|cell| (at, cell)),
            );
        });
        for (at, [r, g, b, cover]) in seen {
            mix(
                &mut self.texels[at],
                [r, g, b, white([r, g, b]), gloss],
                f64::from(cover) / 65535.0,
            );
        }
    }

    /// Takes away what lies outside a shape.
    fn hollow(&mut self, shape: &Shape) {
        let (low, high) = self.corners();
        self.cover(low.x, low.y, high.x, high.y, NOTHING, |p| -shape.depth(p));
    }

    /// A band covers each texel once, however many of its pieces touch it: overlapping soft edges
    /// would otherwise add up to a dark seam.
    fn paint_band(&mut self, points: &[Point], half: f64, colour: Texel) {
        let mut touched: Vec<(u32, f32)> = Vec::new();
        for (index, pair) in points.windows(2).enumerate() {
            let (a, b) = (pair[0], pair[1]);
            let length = a.distance(b);
            if length <= 0.0 {
                continue;
            }
            let (ux, uy) = ((b.x - a.x) / length, (b.y - a.y) / length);
            let (first, last) = (index == 0, index + 2 == points.len());
            // Joints are round; only the two ends of the whole band are cut square.
            let depth = |p: Point| {
                let (dx, dy) = (p.x - a.x, p.y - a.y);
                let along = dx * ux + dy * uy;
                let beside = half - (dy * ux - dx * uy).abs();
                match (along < 0.0, along > length) {
                    (true, _) if !first => half - p.distance(a),
                    (_, true) if !last => half - p.distance(b),
                    _ => {
                        let from_start = if first { along } else { f64::INFINITY };
                        let from_end = if last { length - along } else { f64::INFINITY };
                        beside.min(from_start).min(from_end)
                    }
                }
            };
            let (low, high) = bounds(pair);
            self.each(
                low.x - half,
                low.y - half,
                high.x + half,
                high.y + half,
                |at, p, texel| {
                    let cover = (depth(p) / texel + 0.5).clamp(0.0, 1.0);
                    if cover > 0.0 {
                        touched.push((at as u32, cover as f32));
                    }
                },
            );
        }
        touched.sort_unstable_by(|a, b| a.0.cmp(&b.0).then(b.1.total_cmp(&a.1)));
        touched.dedup_by_key(|(at, _)| *at);
        for (at, cover) in touched {
            mix(&mut self.texels[at as usize], colour, f64::from(cover));
        }
    }

    /// Covers what lies within a box and at a positive `depth` (metres inside the shape), with soft
    /// edges.
    fn cover(
        &mut self,
        x0: f64,
        y0: f64,
        x1: f64,
        y1: f64,
        colour: Texel,
        depth: impl Fn(Point) -> f64,
    ) {
        let mut covered = Vec::new();
        self.each(x0, y0, x1, y1, |at, p, texel| {
            let cover = (depth(p) / texel + 0.5).clamp(0.0, 1.0);
            if cover > 0.0 {
                covered.push((at, cover));
            }
        });
        for (at, cover) in covered {
            mix(&mut self.texels[at], colour, cover);
        }
    }

    fn each(&self, x0: f64, y0: f64, x1: f64, y1: f64, mut visit: impl FnMut(usize, Point, f64)) {
        let columns = self.columns(x0 - self.texel, x1 + 2.0 * self.texel);
        for row in self.rows(y0 - self.texel, y1 + 2.0 * self.texel) {
            let y = (row as f64 + 0.5) * self.texel;
            for (at, column) in (self.at(columns.start, row)..).zip(columns.clone()) {
                visit(
                    at,
                    Point::new((column as f64 + 0.5) * self.texel, y),
                    self.texel,
                );
            }
        }
    }
}

/// The whole numbers from one place to another, within two ends; empty instead of backwards.
fn clipped(from: f64, to: f64, least: isize, most: isize) -> std::ops::Range<isize> {
    let most = most.max(least);
    let within = |value: f64| value.clamp(least as f64, most as f64) as isize;
    within(from)..within(to).max(within(from))
}

impl Blurred {
    /// How many channels a sample has: 1 or 3.
    pub const fn channels(&self) -> usize {
        match self.light {
            Light::Colours => 3,
            Light::White | Light::Red | Light::Infrared => 1,
        }
    }

    /// The mean over the spot around a point (metres), per channel, 0 to 1; with one channel all
    /// three are equal.
    pub fn sample(&self, at: Point) -> [f64; 3] {
        // Texel centres lie at half steps.
        let x = at.x * self.per_metre + self.margin as f64 - 0.5;
        let y = at.y * self.per_metre + self.margin as f64 - 0.5;
        if !(x >= 0.0 && y >= 0.0 && x < self.size.0 && y < self.size.1) {
            return self.surround;
        }
        let (column, row) = (x as u32 as usize, y as u32 as usize);
        let (fx, fy) = (x - column as f64, y - row as f64);
        let (i, j) = (column / TILE, row / TILE);
        let tile = self.tiles[j * self.across + i].get_or_init(|| self.make(i, j));
        let channels = self.channels();
        let first = ((row % TILE) * (TILE + 1) + column % TILE) * channels;
        let (low, high) = (
            &tile[first..first + 2 * channels],
            &tile[first + (TILE + 1) * channels..][..2 * channels],
        );
        let mean = |channel: usize| {
            let low =
                f64::from(low[channel]) * (1.0 - fx) + f64::from(low[channels + channel]) * fx;
            let high =
                f64::from(high[channel]) * (1.0 - fx) + f64::from(high[channels + channel]) * fx;
            (low * (1.0 - fy) + high * fy) * (1.0 / 65535.0)
        };
        if self.light == Light::Colours {
            [mean(0), mean(1), mean(2)]
        } else {
            [mean(0); 3]
        }
    }

    fn make(&self, i: usize, j: usize) -> Tile {
        const SIDE: usize = TILE + 1;
        let reach = self.kernel.reach();
        let corner = |tile: usize| (tile * TILE) as isize - (self.margin + reach) as isize;
        let side = SIDE + 2 * reach;
        let window = self.mat.window(corner(i), corner(j), side, side);
        let pick = kept(self.light);
        let mut tile = vec![0; SIDE * SIDE * pick.len()];
        let uniform = window.iter().all(|texel| *texel == window[0]);
        for (channel, pick) in pick.iter().enumerate() {
            let into = tile[channel..].iter_mut().step_by(self.channels());
            if uniform {
                let value = pick(window[0]);
                into.for_each(|target| *target = value);
            } else {
                let plane: Vec<u16> = window.iter().map(|texel| pick(*texel)).collect();
                into.zip(self.kernel.blur(&plane, side))
                    .for_each(|(target, value)| *target = value);
            }
        }
        tile.into_boxed_slice()
    }
}

/// A disc as rows of half-widths, for sums over running rows.
#[derive(Debug)]
struct Kernel {
    /// For each row from the lowest up: texels to either side of the middle.
    halves: Vec<usize>,
    count: u32,
}

impl Kernel {
    fn new(radius: f64) -> Self {
        let reach = radius.floor() as isize;
        let half =
            |dy: isize| (radius * radius - (dy * dy) as f64).max(0.0).sqrt().floor() as usize;
        let halves: Vec<usize> = (-reach..=reach).map(half).collect();
        let count = halves.iter().map(|half| 2 * *half as u32 + 1).sum();
        Self { halves, count }
    }

    const fn reach(&self) -> usize {
        self.halves.len() / 2
    }

    /// The mean over the disc around each texel of a square plane that has the whole disc within
    /// it.
    fn blur(&self, plane: &[u16], side: usize) -> Vec<u16> {
        // sums[r][c] is the sum of the first c texels of row r; u32 holds 65536 full texels.
        let stride = side + 1;
        let mut sums = vec![0u32; stride * side];
        for (row, texels) in plane.chunks_exact(side).enumerate() {
            let mut sum = 0u32;
            for (target, &texel) in sums[row * stride + 1..][..side].iter_mut().zip(texels) {
                sum += u32::from(texel);
                *target = sum;
            }
        }
        let reach = self.reach();
        let inner = side - 2 * reach;
        let mut totals = vec![0u32; inner];
        let mut blurred = Vec::with_capacity(inner * inner);
        for row in 0..inner {
            totals.fill(0);
            for (down, &half) in self.halves.iter().enumerate() {
                let from = &sums[(row + down) * stride..][..stride];
                let (low, high) = (&from[reach - half..], &from[reach + half + 1..]);
                for ((total, low), high) in totals.iter_mut().zip(low).zip(high) {
                    *total += high - low;
                }
            }
            blurred.extend(totals.iter().map(|total| (total / self.count) as u16));
        }
        blurred
    }
}

/// sRGB bytes to linear light, and gloss, as 0 to 65535. Source: IEC 61966-2-1.
fn linear(surface: &Surface) -> Texel {
    let [r, g, b] = colour::linear(surface.rgb).map(|share| (share * 65535.0) as u16);
    let infrared = surface
        .infrared
        .map_or_else(|| white([r, g, b]), |share| (share * 65535.0) as u16);
    let mirrored = (surface.gloss * MIRRORED_BACK * 65535.0) as u16;
    [r, g, b, infrared, mirrored]
}

/// What one channel sends back: its own colour, plus the mirrored share of what it did not swallow.
fn bright(texel: Texel, channel: u16) -> u16 {
    let (own, mirrored) = (f64::from(channel), f64::from(texel[4]) / 65535.0);
    (own + (65535.0 - own) * mirrored) as u16
}

/// Red, green and blue as one brightness. Source: Rec. ITU-R BT.709, luma of linear light.
fn white(rgb: [u16; 3]) -> u16 {
    let [r, g, b] = rgb.map(f64::from);
    (0.2126 * r + 0.7152 * g + 0.0722 * b) as u16
}

/// Brightness under white light, then the mirrored share.
fn brightness(texel: Texel) -> u16 {
    bright(texel, white([texel[0], texel[1], texel[2]]))
}

/// What a sensor with a spot wholly on this surface gets back, 0 to 1: brightness, then what it
/// keeps of it, red, green and blue when it tells colours apart.
pub fn seen(surface: &Surface, light: Light) -> (f64, [f64; 3]) {
    let texel = linear(surface);
    let kept = shares(light, texel);
    let all = match light {
        Light::Colours => f64::from(brightness(texel)) / 65535.0,
        Light::White | Light::Red | Light::Infrared => kept[0],
    };
    (all, kept)
}

fn mix(texel: &mut Texel, colour: Texel, cover: f64) {
    for (value, target) in texel.iter_mut().zip(colour) {
        *value = (f64::from(*value) + (f64::from(target) - f64::from(*value)) * cover) as u16;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::field::SurfaceId;
    use crate::units::math;

    fn field(marks: Vec<Mark>) -> Arc<Field> {
        let surface = |name: &str, grey: u8| Surface {
            name: name.to_owned(),
            rgb: [grey; 3],
            gloss: 0.0,
            infrared: None,
        };
        let surfaces = vec![surface("pale", 255), surface("dark", 0)];
        Arc::new(Field {
            width: 0.4,
            height: 0.2,
            surfaces,
            marks,
            ..Field::default()
        })
    }

    fn dark(shape: Shape) -> Mark {
        Mark {
            name: String::new(),
            is_line: true,
            keep_off: false,
            surface: SurfaceId(1),
            shape,
        }
    }

    fn band(points: &[(f64, f64)], width: f64) -> Mark {
        dark(Shape::Band {
            points: points.iter().map(|&(x, y)| Point::new(x, y)).collect(),
            width,
        })
    }

    #[test]
    fn a_spot_half_over_an_edge_reads_half() {
        let mat = Mat::new(&field(vec![band(&[(0.0, 0.1), (0.4, 0.1)], 0.02)]), None)
            .blurred(0.008, Light::White);
        let read = |y: f64| mat.sample(Point::new(0.2, y))[0];
        assert!(read(0.1) < 0.001);
        assert!(read(0.15) > 0.999);
        assert!((read(0.11) - 0.5).abs() < 0.03, "{}", read(0.11));
    }

    #[test]
    fn the_reading_over_an_edge_follows_the_area_of_the_spot() {
        // The share of a disc of radius r beyond a chord at distance d: (acos(d/r) - d/r
        // sqrt(1-(d/r)^2)) / pi.
        let mat = Mat::new(&field(vec![band(&[(0.0, 0.1), (0.4, 0.1)], 0.02)]), None)
            .blurred(0.012, Light::White);
        for step in -5..=5 {
            let d = f64::from(step) * 0.001;
            let k: f64 = d / 0.006;
            let share_dark = (libm::acos(k) - k * (1.0 - k * k).sqrt()) / math::PI;
            let read = mat.sample(Point::new(0.2, 0.11 + d))[0];
            assert!(
                (read - (1.0 - share_dark)).abs() < 0.04,
                "{d}: {read} against {}",
                1.0 - share_dark
            );
        }
    }

    #[test]
    fn a_painted_area_is_the_area_of_the_shape() {
        let sum = |mark: Mark| {
            let mat = Mat::new(&field(vec![mark]), None);
            let texels = mat.window(-5, -5, mat.width + 10, mat.height + 10);
            let dark: f64 = texels.iter().map(|t| 1.0 - f64::from(t[0]) / 65535.0).sum();
            dark * mat.texel * mat.texel
        };
        let disc = sum(dark(Shape::Disc {
            centre: Point::new(0.2, 0.1),
            radius: 0.05,
        }));
        assert!((disc - math::PI * 0.0025).abs() < 2e-5, "{disc}");
        let straight = sum(band(&[(0.1, 0.05), (0.3, 0.05)], 0.02));
        assert!((straight - 0.004).abs() < 2e-5, "{straight}");
        // A square corner with a round outer joint: two arms, less the doubled inner square, plus a
        // quarter disc.
        let corner = sum(band(&[(0.1, 0.05), (0.3, 0.05), (0.3, 0.15)], 0.02));
        let exact = 0.02 * 0.3 - 0.01 * 0.01 + math::PI * 0.0001 / 4.0;
        assert!((corner - exact).abs() < 2e-5, "{corner} against {exact}");
        let slanted = sum(dark(Shape::Polygon(vec![
            Point::new(0.1, 0.05),
            Point::new(0.3, 0.1),
            Point::new(0.1, 0.15),
        ])));
        assert!((slanted - 0.01).abs() < 3e-5, "{slanted}");
    }

    #[test]
    fn tiles_join_without_a_seam() {
        // The same spot read across the borders of tiles, against a mean over a dense disc of the
        // painted mat.
        let marks = vec![band(&[(0.02, 0.03), (0.3, 0.17), (0.39, 0.02)], 0.02)];
        let mat = Mat::new(&field(marks.clone()), None);
        let blurred = mat.blurred(0.012, Light::White);
        let shape = &marks[0].shape;
        for step in 0..300 {
            let at = Point::new(
                0.02 + 0.0012 * f64::from(step),
                0.1 + 0.07 * math::sin(f64::from(step) * 0.11),
            );
            let mut inside = 0u32;
            let mut all = 0u32;
            for i in -12..=12 {
                for j in -12..=12 {
                    let (dx, dy) = (f64::from(i) * 0.0005, f64::from(j) * 0.0005);
                    if dx * dx + dy * dy <= 0.006 * 0.006 {
                        all += 1;
                        inside += u32::from(shape.depth(Point::new(at.x + dx, at.y + dy)) > 0.0);
                    }
                }
            }
            let pale = 1.0 - f64::from(inside) / f64::from(all);
            let read = blurred.sample(at)[0];
            // The band's ends are cut square on the mat and round in its outline.
            assert!(
                (read - pale).abs() < 0.06 || at.x < 0.04,
                "{at:?}: {read} against {pale}"
            );
        }
    }

    #[test]
    fn beyond_the_mat_lies_the_surround() {
        let mat = Mat::new(
            &Arc::new(Field {
                surround: SurfaceId(1),
                ..(*field(vec![])).clone()
            }),
            None,
        )
        .blurred(0.008, Light::Colours);
        assert_eq!(mat.sample(Point::new(-5.0, 0.1)), [0.0; 3]);
        assert_eq!(mat.sample(Point::new(f64::NAN, 0.1)), [0.0; 3]);
        assert!(
            mat.sample(Point::new(0.0, 0.1))[1] > 0.3 && mat.sample(Point::new(0.0, 0.1))[1] < 0.7
        );
    }

    #[test]
    fn over_a_drop_nothing_comes_back() {
        let mut table = (*field(vec![])).clone();
        let shape = Shape::Disc {
            centre: Point::new(0.2, 0.1),
            radius: 0.05,
        };
        table.platforms.push(crate::field::Platform {
            name: String::new(),
            shape,
        });
        table.edge = Edge::Drop;
        let table = Arc::new(table);
        let read = |platform, x: f64| {
            Mat::new(&table, platform)
                .blurred(0.004, Light::White)
                .sample(Point::new(x, 0.1))[0]
        };
        assert!(read(Some(0), 0.2) > 0.99 && read(Some(0), 0.26) < 0.01);
        assert!(
            (read(Some(0), 0.25) - 0.5).abs() < 0.06,
            "half over the rim: {}",
            read(Some(0), 0.25)
        );
        assert!(
            read(None, 0.3) > 0.99 && read(None, 0.41) < 0.01,
            "the table's own edge"
        );
    }

    #[test]
    fn polished_metal_outshines_paper() {
        let copper = Surface {
            name: "copper".into(),
            rgb: [184, 115, 51],
            gloss: 0.95,
            infrared: None,
        };
        let paper = Surface {
            name: "pale".into(),
            rgb: [233, 228, 212],
            gloss: 0.0,
            infrared: None,
        };
        assert!(seen(&copper, Light::White).0 > seen(&paper, Light::White).0);
    }
}
