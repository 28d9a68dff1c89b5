//! The mat as a raster: what colour and gloss each millimetre has, and what a sensor's spot averages there.
//!
//! Built once per field and shared by all runs. [`Blurred`] is the raster seen through one spot size: a
//! sensor's reading is then a single bilinear look-up (measured: several times cheaper than averaging at
//! run time, and closer to a dense mean).

use super::{Field, Mark, Point, Shape, Surface};
use crate::units::math;

/// The raster holds at most this many texels; larger fields get coarser ones.
const MOST_TEXELS: f64 = 6e6;
/// Side of a texel in metres, where the field is not too large for it.
const FINEST: f64 = 0.001;
/// Share of the mirrored light that finds its way back into a sensor looking straight down. A choice of ours:
/// it makes polished metal read brighter than white paper, as it does on a table.
const MIRRORED_BACK: f64 = 0.9;

/// A field's mat as texels, row 0 at the bottom.
#[derive(Clone, Debug)]
pub struct Mat {
    /// Texels to the right.
    pub width: usize,
    /// Texels upwards.
    pub height: usize,
    /// Side of a texel in metres.
    pub texel: f64,
    /// Linear red, green, blue and the mirrored share, each 0 to 65535.
    texels: Vec<[u16; 4]>,
    surround: [u16; 4],
}

/// The mat averaged over a round spot, for one kind of sensor.
#[derive(Clone, Debug)]
pub struct Blurred {
    width: usize,
    height: usize,
    per_metre: f64,
    /// Texels that the raster reaches beyond the mat on each side.
    margin: f64,
    /// One array per channel: a single brightness, or red, green and blue.
    channels: Vec<Vec<u16>>,
    surround: Vec<u16>,
}

impl Mat {
    /// Rasters a field. Costs some 20 ms per square metre.
    pub fn new(field: &Field) -> Self {
        let texel = FINEST.max((field.width * field.height / MOST_TEXELS).sqrt());
        let (width, height) = ((field.width / texel).ceil() as usize, (field.height / texel).ceil() as usize);
        let colours: Vec<[u16; 4]> = field.surfaces.iter().map(linear).collect();
        let ground = colours.first().copied().unwrap_or([0; 4]);
        let mut mat = Self {
            width: width.max(1),
            height: height.max(1),
            texel,
            texels: vec![ground; width.max(1) * height.max(1)],
            surround: colours.get(usize::from(field.surround.0)).copied().unwrap_or(ground),
        };
        for mark in &field.marks {
            mat.paint(mark, colours[usize::from(mark.surface.0)]);
        }
        mat
    }

    fn paint(&mut self, mark: &Mark, colour: [u16; 4]) {
        match &mark.shape {
            Shape::Disc { centre, radius } => {
                let (c, r) = (*centre, *radius);
                self.cover(c.x - r, c.y - r, c.x + r, c.y + r, colour, |p| r - p.distance(c));
            }
            Shape::Band { points, width } => self.paint_band(points, width / 2.0, colour),
            Shape::Polygon(points) => {
                let (low, high) = bounds(points);
                self.cover(low.x, low.y, high.x, high.y, colour, |p| inside_by(points, p));
            }
        }
    }

    /// A band covers each texel once, however many of its pieces touch it: overlapping soft edges would
    /// otherwise add up to a dark seam.
    fn paint_band(&mut self, points: &[Point], half: f64, colour: [u16; 4]) {
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
            self.each(low.x - half, low.y - half, high.x + half, high.y + half, |at, p, texel| {
                let cover = (depth(p) / texel + 0.5).clamp(0.0, 1.0);
                if cover > 0.0 {
                    touched.push((at as u32, cover as f32));
                }
            });
        }
        touched.sort_unstable_by(|a, b| a.0.cmp(&b.0).then(b.1.total_cmp(&a.1)));
        touched.dedup_by_key(|(at, _)| *at);
        for (at, cover) in touched {
            mix(&mut self.texels[at as usize], colour, f64::from(cover));
        }
    }

    /// Covers what lies within a box and at a positive `depth` (metres inside the shape), with soft edges.
    fn cover(&mut self, x0: f64, y0: f64, x1: f64, y1: f64, colour: [u16; 4], depth: impl Fn(Point) -> f64) {
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
        let column = |x: f64| (x / self.texel).clamp(0.0, self.width as f64) as usize;
        let row = |y: f64| (y / self.texel).clamp(0.0, self.height as f64) as usize;
        let (left, right) = (column(x0 - self.texel), column(x1 + 2.0 * self.texel));
        for r in row(y0 - self.texel)..row(y1 + 2.0 * self.texel) {
            let y = (r as f64 + 0.5) * self.texel;
            for c in left..right {
                visit(r * self.width + c, Point::new((c as f64 + 0.5) * self.texel, y), self.texel);
            }
        }
    }

    /// The mat seen through a round spot; `colour` keeps red, green and blue apart, otherwise one brightness.
    pub fn blurred(&self, spot_diameter: f64, colour: bool) -> Blurred {
        let radius = (spot_diameter / 2.0 / self.texel).max(0.5);
        let margin = radius.ceil() as usize + 2;
        let (width, height) = (self.width + 2 * margin, self.height + 2 * margin);
        let kernel = Kernel::new(radius);
        let pick: &[fn([u16; 4]) -> u16] =
            if colour { &[|t| bright(t, t[0]), |t| bright(t, t[1]), |t| bright(t, t[2])] } else { &[brightness] };
        let channels = pick
            .iter()
            .map(|pick| {
                let mut plane = vec![pick(self.surround); width * height];
                for row in 0..self.height {
                    let into = (row + margin) * width + margin;
                    for (target, texel) in plane[into..].iter_mut().zip(&self.texels[row * self.width..][..self.width])
                    {
                        *target = pick(*texel);
                    }
                }
                kernel.blur(&plane, width, height)
            })
            .collect();
        Blurred {
            width,
            height,
            per_metre: 1.0 / self.texel,
            margin: margin as f64,
            channels,
            surround: pick.iter().map(|pick| pick(self.surround)).collect(),
        }
    }
}

impl Blurred {
    /// How many channels a sample has: 1 or 3.
    pub fn channels(&self) -> usize {
        self.channels.len()
    }

    /// The mean over the spot around a point (metres), per channel, 0 to 1; unused channels are 0.
    pub fn sample(&self, at: Point) -> [f64; 3] {
        // Texel centres lie at half steps.
        let x = at.x * self.per_metre + self.margin - 0.5;
        let y = at.y * self.per_metre + self.margin - 0.5;
        let mut result = [0.0; 3];
        if !(x >= 0.0 && y >= 0.0 && x < (self.width - 1) as f64 && y < (self.height - 1) as f64) {
            for (value, surround) in result.iter_mut().zip(&self.surround) {
                *value = f64::from(*surround) / 65535.0;
            }
            return result;
        }
        let (column, row) = (x as usize, y as usize);
        let (fx, fy) = (x - column as f64, y - row as f64);
        let first = row * self.width + column;
        for (value, plane) in result.iter_mut().zip(&self.channels) {
            let low = f64::from(plane[first]) * (1.0 - fx) + f64::from(plane[first + 1]) * fx;
            let above = first + self.width;
            let high = f64::from(plane[above]) * (1.0 - fx) + f64::from(plane[above + 1]) * fx;
            *value = (low * (1.0 - fy) + high * fy) / 65535.0;
        }
        result
    }
}

/// A disc as rows of half-widths, for sums over running rows.
struct Kernel {
    rows: Vec<(isize, isize)>,
    count: u64,
}

impl Kernel {
    fn new(radius: f64) -> Self {
        let reach = radius.floor() as isize;
        let rows: Vec<(isize, isize)> = (-reach..=reach)
            .map(|dy| (dy, (radius * radius - (dy * dy) as f64).max(0.0).sqrt().floor() as isize))
            .collect();
        let count = rows.iter().map(|(_, half)| (2 * half + 1) as u64).sum();
        Self { rows, count }
    }

    /// The mean over the disc around each texel; the outermost texels repeat.
    fn blur(&self, plane: &[u16], width: usize, height: usize) -> Vec<u16> {
        // sums[r][c] is the sum of the first c texels of row r; u32 holds 65536 full texels.
        let mut sums = vec![0u32; (width + 1) * height];
        for (row, texels) in plane.chunks_exact(width).enumerate() {
            let mut sum = 0u32;
            let into = &mut sums[row * (width + 1)..][..=width];
            for (target, &texel) in into[1..].iter_mut().zip(texels) {
                sum += u32::from(texel);
                *target = sum;
            }
        }
        let reach = self.rows.len() / 2;
        let mut totals = vec![0u32; width];
        let mut blurred = plane.to_vec();
        for row in reach..height.saturating_sub(reach) {
            totals.fill(0);
            for &(dy, half) in &self.rows {
                let half = half as usize;
                let from = &sums[(row as isize + dy) as usize * (width + 1)..][..=width];
                let span = reach..width - reach;
                let (low, high) = (&from[reach - half..], &from[reach + half + 1..]);
                for ((total, low), high) in totals[span].iter_mut().zip(low).zip(high) {
                    *total += high - low;
                }
            }
            for (target, total) in blurred[row * width + reach..][..width - 2 * reach].iter_mut().zip(&totals[reach..])
            {
                *target = (u64::from(*total) / self.count) as u16;
            }
        }
        blurred
    }
}

/// sRGB bytes to linear light, and gloss, as 0 to 65535. Source: IEC 61966-2-1.
fn linear(surface: &Surface) -> [u16; 4] {
    let [r, g, b] = surface.rgb.map(|byte| (srgb_to_linear(byte) * 65535.0) as u16);
    [r, g, b, (surface.gloss * MIRRORED_BACK * 65535.0) as u16]
}

/// Linear light of an sRGB byte, 0 to 1. Source: IEC 61966-2-1.
fn srgb_to_linear(byte: u8) -> f64 {
    let c = f64::from(byte) / 255.0;
    if c <= 0.04045 { c / 12.92 } else { math::pow((c + 0.055) / 1.055, 2.4) }
}

/// What one channel sends back: its own colour, plus the mirrored share of what it did not swallow.
fn bright(texel: [u16; 4], channel: u16) -> u16 {
    let (own, mirrored) = (f64::from(channel), f64::from(texel[3]) / 65535.0);
    (own + (65535.0 - own) * mirrored) as u16
}

/// Brightness under white light: red, green and blue weighed by Rec. 709, then the mirrored share.
fn brightness(texel: [u16; 4]) -> u16 {
    let [r, g, b, _] = texel.map(f64::from);
    bright(texel, (0.2126 * r + 0.7152 * g + 0.0722 * b) as u16)
}

/// What a sensor with a spot wholly on this surface gets back, 0 to 1: brightness, then red, green, blue.
pub fn seen(surface: &Surface) -> (f64, [f64; 3]) {
    let texel = linear(surface);
    let share = |value: u16| f64::from(value) / 65535.0;
    (share(brightness(texel)), [0, 1, 2].map(|channel| share(bright(texel, texel[channel]))))
}

fn mix(texel: &mut [u16; 4], colour: [u16; 4], cover: f64) {
    for (value, target) in texel.iter_mut().zip(colour) {
        *value = (f64::from(*value) + (f64::from(target) - f64::from(*value)) * cover) as u16;
    }
}

fn bounds(points: &[Point]) -> (Point, Point) {
    let mut low = Point::new(f64::INFINITY, f64::INFINITY);
    let mut high = Point::new(f64::NEG_INFINITY, f64::NEG_INFINITY);
    for p in points {
        low = Point::new(low.x.min(p.x), low.y.min(p.y));
        high = Point::new(high.x.max(p.x), high.y.max(p.y));
    }
    (low, high)
}

/// How far a point lies inside a polygon (even-odd), negative outside, in metres.
fn inside_by(points: &[Point], p: Point) -> f64 {
    let mut inside = false;
    let mut nearest = f64::INFINITY;
    let mut previous = points[points.len() - 1];
    for &corner in points {
        if (corner.y > p.y) != (previous.y > p.y) {
            let x = corner.x + (p.y - corner.y) / (previous.y - corner.y) * (previous.x - corner.x);
            inside ^= p.x < x;
        }
        nearest = nearest.min(to_segment(p, previous, corner));
        previous = corner;
    }
    if inside { nearest } else { -nearest }
}

/// Distance of a point to a segment in metres.
fn to_segment(p: Point, a: Point, b: Point) -> f64 {
    let (dx, dy) = (b.x - a.x, b.y - a.y);
    let square = dx * dx + dy * dy;
    let t = if square > 0.0 { (((p.x - a.x) * dx + (p.y - a.y) * dy) / square).clamp(0.0, 1.0) } else { 0.0 };
    p.distance(Point::new(a.x + t * dx, a.y + t * dy))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::field::SurfaceId;

    fn field(marks: Vec<Mark>) -> Field {
        let surface = |name: &str, grey: u8| Surface { name: name.to_owned(), rgb: [grey; 3], gloss: 0.0 };
        let surfaces = vec![surface("pale", 255), surface("dark", 0)];
        Field { width: 0.4, height: 0.2, surfaces, marks, ..Field::default() }
    }

    fn dark(shape: Shape) -> Mark {
        Mark { name: String::new(), is_line: true, surface: SurfaceId(1), shape }
    }

    fn band(points: &[(f64, f64)], width: f64) -> Mark {
        dark(Shape::Band { points: points.iter().map(|&(x, y)| Point::new(x, y)).collect(), width })
    }

    #[test]
    fn a_spot_half_over_an_edge_reads_half() {
        let mat = Mat::new(&field(vec![band(&[(0.0, 0.1), (0.4, 0.1)], 0.02)])).blurred(0.008, false);
        let read = |y: f64| mat.sample(Point::new(0.2, y))[0];
        assert!(read(0.1) < 0.001);
        assert!(read(0.15) > 0.999);
        assert!((read(0.11) - 0.5).abs() < 0.03, "{}", read(0.11));
    }

    #[test]
    fn the_reading_over_an_edge_follows_the_area_of_the_spot() {
        // The share of a disc of radius r beyond a chord at distance d: (acos(d/r) - d/r sqrt(1-(d/r)^2)) / pi.
        let mat = Mat::new(&field(vec![band(&[(0.0, 0.1), (0.4, 0.1)], 0.02)])).blurred(0.012, false);
        for step in -5..=5 {
            let d = f64::from(step) * 0.001;
            let k: f64 = d / 0.006;
            let share_dark = (libm::acos(k) - k * (1.0 - k * k).sqrt()) / math::PI;
            let read = mat.sample(Point::new(0.2, 0.11 + d))[0];
            assert!((read - (1.0 - share_dark)).abs() < 0.04, "{d}: {read} against {}", 1.0 - share_dark);
        }
    }

    #[test]
    fn a_painted_area_is_the_area_of_the_shape() {
        let sum = |mark: Mark| {
            let mat = Mat::new(&field(vec![mark]));
            let dark: f64 = mat.texels.iter().map(|t| 1.0 - f64::from(t[0]) / 65535.0).sum();
            dark * mat.texel * mat.texel
        };
        let disc = sum(dark(Shape::Disc { centre: Point::new(0.2, 0.1), radius: 0.05 }));
        assert!((disc - math::PI * 0.0025).abs() < 2e-5, "{disc}");
        let straight = sum(band(&[(0.1, 0.05), (0.3, 0.05)], 0.02));
        assert!((straight - 0.004).abs() < 2e-5, "{straight}");
        // A square corner with a round outer joint: two arms, less the doubled inner square, plus a quarter disc.
        let corner = sum(band(&[(0.1, 0.05), (0.3, 0.05), (0.3, 0.15)], 0.02));
        let exact = 0.02 * 0.3 - 0.01 * 0.01 + math::PI * 0.0001 / 4.0;
        assert!((corner - exact).abs() < 2e-5, "{corner} against {exact}");
        let slanted =
            sum(dark(Shape::Polygon(vec![Point::new(0.1, 0.05), Point::new(0.3, 0.1), Point::new(0.1, 0.15)])));
        assert!((slanted - 0.01).abs() < 3e-5, "{slanted}");
    }

    #[test]
    fn beyond_the_mat_lies_the_surround() {
        let mat = Mat::new(&Field { surround: SurfaceId(1), ..field(vec![]) }).blurred(0.008, true);
        assert_eq!(mat.sample(Point::new(-5.0, 0.1)), [0.0; 3]);
        assert_eq!(mat.sample(Point::new(f64::NAN, 0.1)), [0.0; 3]);
        assert!(mat.sample(Point::new(0.0, 0.1))[1] > 0.3 && mat.sample(Point::new(0.0, 0.1))[1] < 0.7);
    }

    #[test]
    fn polished_metal_outshines_paper() {
        let copper = Surface { name: "copper".into(), rgb: [184, 115, 51], gloss: 0.95 };
        let paper = Surface { name: "pale".into(), rgb: [233, 228, 212], gloss: 0.0 };
        assert!(seen(&copper).0 > seen(&paper).0);
    }
}
