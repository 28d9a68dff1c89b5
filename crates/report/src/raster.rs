//! A scene as coloured pixels: what terminal cells are made from, and pictures in the terminal's
//! own pixels.

use std::thread;

use resvg::tiny_skia::{
    Color, FillRule, IntRect, LineCap, LineJoin, Paint, PathBuilder, Pixmap, PixmapMut,
    Rect as PixelRect, Stroke as PenStroke, Transform,
};
use ttf_parser::{Face, OutlineBuilder};

use crate::fan::Fan;
use crate::ink::Rgb;
use crate::scene::{Anchor, Item, Shape};

/// A rectangle of pixels, row by row from the top.
#[derive(Clone, Debug, PartialEq, Default)]
pub struct Raster {
    /// Pixels in a row.
    pub width: usize,
    /// Rows.
    pub height: usize,
    /// All pixels.
    pub pixels: Vec<Rgb>,
}

impl Raster {
    /// The pixel in a column and row; the nearest one when outside.
    pub fn at(&self, column: usize, row: usize) -> Rgb {
        let (column, row) = (
            column.min(self.width.saturating_sub(1)),
            row.min(self.height.saturating_sub(1)),
        );
        self.pixels
            .get(row * self.width + column)
            .copied()
            .unwrap_or(Rgb(0, 0, 0))
    }
}

impl Raster {
    /// Paints items over what there is, as [`rasterise`] does from the scene's origin.
    #[must_use]
    pub fn with<'a>(&self, items: impl Iterator<Item = &'a Item>, scale: [f64; 2]) -> Self {
        let Some(mut map) = Pixmap::new(self.width as u32, self.height as u32) else {
            return self.clone();
        };
        for (pixel, Rgb(r, g, b)) in map.data_mut().chunks_exact_mut(4).zip(&self.pixels) {
            pixel.copy_from_slice(&[*r, *g, *b, 255]);
        }
        paint_all(map, items, [0.0, 0.0], scale)
    }

    /// Paints many paths over what there is; the fan has as many pixels.
    pub fn fan(&mut self, fan: &Fan) {
        for (at, ink, covers) in fan.covered() {
            if let Some(pixel) = self.pixels.get_mut(at) {
                *pixel = pixel.towards(ink, covers);
            }
        }
    }
}

/// Paints items (texts left out) into `width` x `height` pixels that show the scene from `origin`
/// on with `scale` pixels a scene millimetre across and down; what nothing covers is `around`.
pub fn rasterise<'a>(
    items: impl Iterator<Item = &'a Item>,
    origin: [f64; 2],
    scale: [f64; 2],
    size: (usize, usize),
    around: Rgb,
) -> Raster {
    let Some(mut map) = Pixmap::new(size.0 as u32, size.1 as u32) else {
        return Raster::default();
    };
    let Rgb(r, g, b) = around;
    map.fill(Color::from_rgba8(r, g, b, 255));
    paint_all(map, items, origin, scale)
}

fn paint_all<'a>(
    mut map: Pixmap,
    items: impl Iterator<Item = &'a Item>,
    origin: [f64; 2],
    scale: [f64; 2],
) -> Raster {
    let [sx, sy] = scale.map(|value| value as f32);
    let transform = Transform::from_row(
        sx,
        0.0,
        0.0,
        sy,
        -origin[0] as f32 * sx,
        -origin[1] as f32 * sy,
    );
    for item in items {
        paint(&mut map.as_mut(), item, transform);
    }
    let pixels = map
        .pixels()
        .iter()
        .map(|pixel| Rgb(pixel.red(), pixel.green(), pixel.blue()))
        .collect();
    Raster {
        width: map.width() as usize,
        height: map.height() as usize,
        pixels,
    }
}

/// Pixels that are painted on again and again: what stays once, what moves on a copy of that.
#[derive(Clone, Debug)]
pub struct Canvas {
    map: Pixmap,
    /// Pixels a scene millimetre, across and down.
    scale: [f64; 2],
}

impl Canvas {
    /// An empty canvas of a size in pixels; none without an extent.
    pub fn new(size: (usize, usize), scale: [f64; 2], ground: Rgb) -> Option<Self> {
        let mut map = Pixmap::new(size.0 as u32, size.1 as u32)?;
        map.fill(Color::from_rgba8(ground.0, ground.1, ground.2, 255));
        Some(Self { map, scale })
    }

    /// Paints items, later ones over earlier ones, texts as well.
    pub fn paint<'a>(&mut self, items: impl Iterator<Item = &'a Item>) {
        let transform = self.transform(0);
        let mut map = self.map.as_mut();
        for item in items {
            paint_any(&mut map, item, transform);
        }
    }

    /// The same for many items: one thread paints the upper half, another the lower one.
    pub fn paint_many(&mut self, items: &[&Item]) {
        let (width, height) = (self.map.width(), self.map.height());
        let upper = height / 2;
        let transforms = [self.transform(0), self.transform(upper)];
        let halves = self
            .map
            .data_mut()
            .split_at_mut((upper * width * 4) as usize);
        let part = |pixels: &mut [u8], rows: u32, transform: Transform| {
            // A half without rows is none.
            let Some(mut map) = PixmapMut::from_bytes(pixels, width, rows) else {
                return;
            };
            for item in items {
                paint_any(&mut map, item, transform);
            }
        };
        thread::scope(|scope| {
            scope.spawn(|| part(halves.0, upper, transforms[0]));
            part(halves.1, height - upper, transforms[1]);
        });
    }

    /// From scene millimetres to pixels below a row.
    fn transform(&self, top: u32) -> Transform {
        let [sx, sy] = self.scale.map(|value| value as f32);
        Transform::from_row(sx, 0.0, 0.0, sy, 0.0, -(top as f32))
    }

    /// Paints a part of a column of pixels from one height to another, in pixels from the top;
    /// where it covers a part of a pixel only, that part. A curve with thousands of points is
    /// painted so in a tenth of the time of a line.
    pub fn column(&mut self, x: usize, top: f32, bottom: f32, ink: Rgb) {
        self.veil(x, top, bottom, ink, 1.0);
    }

    /// The same with an ink that lets something of the ground through: it covers a share of it.
    pub fn veil(&mut self, x: usize, top: f32, bottom: f32, ink: Rgb, covers: f32) {
        let (width, height) = self.size();
        let (top, bottom) = (
            top.clamp(0.0, height as f32),
            bottom.clamp(0.0, height as f32),
        );
        if x >= width {
            return;
        }
        let data = self.map.data_mut();
        for y in top as usize..(bottom.ceil() as usize).min(height) {
            let covered = covers * (bottom.min(y as f32 + 1.0) - top.max(y as f32)).clamp(0.0, 1.0);
            let pixel = &mut data[(y * width + x) * 4..][..3];
            if covered >= 1.0 {
                pixel.copy_from_slice(&[ink.0, ink.1, ink.2]);
                continue;
            }
            for (part, ink) in pixel.iter_mut().zip([ink.0, ink.1, ink.2]) {
                *part = (f32::from(*part) + (f32::from(ink) - f32::from(*part)) * covered).round()
                    as u8;
            }
        }
    }

    /// Paints many paths over what there is; the fan has as many pixels.
    pub fn fan(&mut self, fan: &Fan) {
        let data = self.map.data_mut();
        for (at, ink, covers) in fan.covered() {
            if let Some(pixel) = data.get_mut(at * 4..at * 4 + 3) {
                let Rgb(r, g, b) = Rgb(pixel[0], pixel[1], pixel[2]).towards(ink, covers);
                pixel.copy_from_slice(&[r, g, b]);
            }
        }
    }

    /// Pixels across and down.
    pub fn size(&self) -> (usize, usize) {
        (self.map.width() as usize, self.map.height() as usize)
    }

    /// Some of its pixels as a PNG; none outside.
    pub fn png(&self, left: usize, top: usize, width: usize, height: usize) -> Option<Vec<u8>> {
        let part = IntRect::from_xywh(left as i32, top as i32, width as u32, height as u32)?;
        self.map.clone_rect(part)?.encode_png().ok()
    }

    /// All pixels row by row from the top: red, green, blue and 255 of each.
    pub fn pixels(&self) -> &[u8] {
        self.map.data()
    }
}

fn paint_any(map: &mut PixmapMut<'_>, item: &Item, transform: Transform) {
    let Shape::Text {
        at,
        size,
        anchor,
        bold,
        text,
    } = &item.shape
    else {
        paint(map, item, transform);
        return;
    };
    let set = Type {
        at: *at,
        size: *size,
        anchor: *anchor,
        bold: *bold,
    };
    let (y, reach) = (
        at[1] as f32 * transform.sy + transform.ty,
        2.0 * *size as f32 * transform.sy,
    );
    if y + reach < 0.0 || y - reach > map.height() as f32 {
        return;
    }
    let ink = item.fill.unwrap_or(Rgb(0, 0, 0));
    write(map, &set, text, ink, transform);
}

/// How a text is set.
struct Type {
    at: [f64; 2],
    size: f64,
    anchor: Anchor,
    bold: bool,
}

/// Writes one line of text in the font of the drawings.
fn write(map: &mut PixmapMut<'_>, set: &Type, text: &str, ink: Rgb, transform: Transform) {
    let font = if set.bold {
        dejavu::sans::bold()
    } else {
        dejavu::sans::regular()
    };
    let Ok(face) = Face::parse(font, 0) else {
        return;
    };
    let scale = set.size as f32 / f32::from(face.units_per_em());
    let glyph = |letter: char| face.glyph_index(letter).unwrap_or_default();
    let wide =
        |letter: char| f32::from(face.glyph_hor_advance(glyph(letter)).unwrap_or_default()) * scale;
    let whole: f32 = text.chars().map(wide).sum();
    let mut x = set.at[0] as f32
        - match set.anchor {
            Anchor::Start => 0.0,
            Anchor::Middle => whole / 2.0,
            Anchor::End => whole,
        };
    let mut outline = Outline {
        builder: PathBuilder::new(),
        scale,
        at: (x, set.at[1] as f32),
    };
    for letter in text.chars() {
        outline.at.0 = x;
        face.outline_glyph(glyph(letter), &mut outline);
        x += wide(letter);
    }
    let Some(path) = outline.builder.finish() else {
        return;
    };
    let mut paint = Paint::default();
    paint.set_color_rgba8(ink.0, ink.1, ink.2, 255);
    map.fill_path(&path, &paint, FillRule::Winding, transform, None);
}

/// The outline of a glyph as a path: fonts count upwards.
struct Outline {
    builder: PathBuilder,
    scale: f32,
    at: (f32, f32),
}

impl Outline {
    fn place(&self, x: f32, y: f32) -> (f32, f32) {
        (self.at.0 + x * self.scale, self.at.1 - y * self.scale)
    }
}

impl OutlineBuilder for Outline {
    fn move_to(&mut self, x: f32, y: f32) {
        let (x, y) = self.place(x, y);
        self.builder.move_to(x, y);
    }

    fn line_to(&mut self, x: f32, y: f32) {
        let (x, y) = self.place(x, y);
        self.builder.line_to(x, y);
    }

    fn quad_to(&mut self, x1: f32, y1: f32, x: f32, y: f32) {
        let ((x1, y1), (x, y)) = (self.place(x1, y1), self.place(x, y));
        self.builder.quad_to(x1, y1, x, y);
    }

    fn curve_to(&mut self, x1: f32, y1: f32, x2: f32, y2: f32, x: f32, y: f32) {
        let ((x1, y1), (x2, y2), (x, y)) =
            (self.place(x1, y1), self.place(x2, y2), self.place(x, y));
        self.builder.cubic_to(x1, y1, x2, y2, x, y);
    }

    fn close(&mut self) {
        self.builder.close();
    }
}

/// From this many points on a line is taken for a curve.
const MANY: usize = 40;

/// A curve may leave its points by this much of a pixel: less than anybody can see.
const SLACK: f64 = 0.2;

/// A curve with fewer points, each of those left out at most [`SLACK`] pixels beside it: what a
/// stroke costs goes by its points.
///
/// Source: Ramer (1972), Douglas and Peucker (1973): keep the point that is furthest off, and so
/// on for both parts.
fn thinned(points: &[[f64; 2]], scale: [f64; 2]) -> Vec<[f64; 2]> {
    let mut keep = vec![false; points.len()];
    let mut parts = vec![(0, points.len() - 1)];
    while let Some((from, to)) = parts.pop() {
        (keep[from], keep[to]) = (true, true);
        let furthest = (from + 1..to)
            .map(|at| (beside(points[at], points[from], points[to], scale), at))
            .max_by(|a, b| a.0.total_cmp(&b.0));
        if let Some((_, at)) = furthest.filter(|(off, _)| *off > SLACK) {
            parts.extend([(from, at), (at, to)]);
        }
    }
    points
        .iter()
        .zip(keep)
        .filter_map(|(point, kept)| kept.then_some(*point))
        .collect()
}

/// How many pixels a point is beside the way from one to another.
fn beside(point: [f64; 2], from: [f64; 2], to: [f64; 2], scale: [f64; 2]) -> f64 {
    let [px, py] = [0, 1].map(|axis| (point[axis] - from[axis]) * scale[axis]);
    let [dx, dy] = [0, 1].map(|axis| (to[axis] - from[axis]) * scale[axis]);
    let length = dx * dx + dy * dy;
    let share = if length > 0.0 {
        ((px * dx + py * dy) / length).clamp(0.0, 1.0)
    } else {
        0.0
    };
    (px - share * dx).hypot(py - share * dy)
}

/// The pixels of a polygon whose sides are upright and level; none of any other. A rectangle is
/// painted so in a fraction of the time of a path.
fn upright(item: &Item, transform: Transform) -> Option<PixelRect> {
    let Shape::Polygon(corners) = &item.shape else {
        return None;
    };
    let &[a, b, c, d] = corners.as_slice() else {
        return None;
    };
    let level_first = a[1] == b[1] && b[0] == c[0] && c[1] == d[1] && d[0] == a[0];
    let upright_first = a[0] == b[0] && b[1] == c[1] && c[0] == d[0] && d[1] == a[1];
    if item.stroke.is_some() || !(level_first || upright_first) {
        return None;
    }
    let x = |value: f64| value as f32 * transform.sx + transform.tx;
    let y = |value: f64| value as f32 * transform.sy + transform.ty;
    PixelRect::from_ltrb(
        x(a[0].min(c[0])),
        y(a[1].min(c[1])),
        x(a[0].max(c[0])),
        y(a[1].max(c[1])),
    )
}

fn ink(Rgb(r, g, b): Rgb, opacity: f64) -> Paint<'static> {
    let mut paint = Paint::default();
    paint.set_color_rgba8(r, g, b, (opacity * 255.0).round() as u8);
    paint
}

fn paint(map: &mut PixmapMut<'_>, item: &Item, transform: Transform) {
    if let (Some(fill), Some(rect)) = (item.fill, upright(item, transform)) {
        map.fill_rect(rect, &ink(fill, item.opacity), Transform::identity(), None);
        return;
    }
    let mut builder = PathBuilder::new();
    // Of a line with thousands of points nobody sees how they are joined, but round joins cost more
    // than all the rest.
    let mut join = LineJoin::Round;
    match &item.shape {
        Shape::Polygon(points) | Shape::Line(points) => {
            let curve = points.len() > MANY;
            let fewer = curve.then(|| thinned(points, [transform.sx, transform.sy].map(f64::from)));
            let points = fewer.as_ref().unwrap_or(points);
            for (index, [x, y]) in points.iter().enumerate() {
                if index == 0 {
                    builder.move_to(*x as f32, *y as f32);
                } else {
                    builder.line_to(*x as f32, *y as f32);
                }
            }
            if curve {
                join = LineJoin::Bevel;
            }
            if matches!(item.shape, Shape::Polygon(_)) {
                builder.close();
            }
        }
        Shape::Disc { at, radius } => {
            builder.push_circle(at[0] as f32, at[1] as f32, *radius as f32);
        }
        Shape::Text { .. } => return,
    }
    let Some(path) = builder.finish() else { return };
    if let Some(fill) = item.fill {
        map.fill_path(
            &path,
            &ink(fill, item.opacity),
            FillRule::EvenOdd,
            transform,
            None,
        );
    }
    if let Some(stroke) = item.stroke {
        let pen = PenStroke {
            width: stroke.width as f32,
            line_cap: LineCap::Butt,
            line_join: join,
            ..PenStroke::default()
        };
        map.stroke_path(&path, &ink(stroke.ink, 1.0), &pen, transform, None);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::scene::Layer;

    /// Columns and rows that hold ink.
    fn inked(canvas: &Canvas) -> Option<[usize; 4]> {
        let width = canvas.size().0;
        let dark = canvas
            .pixels()
            .chunks(4)
            .enumerate()
            .filter(|(_, pixel)| pixel[0] < 128);
        let places = dark.map(|(at, _)| (at % width, at / width));
        places.fold(None, |found, (x, y)| {
            let [left, right, top, bottom] = found.unwrap_or([x, x, y, y]);
            Some([left.min(x), right.max(x), top.min(y), bottom.max(y)])
        })
    }

    #[test]
    fn words_stand_on_their_place_by_their_anchor() {
        let written = |anchor: Anchor| {
            let mut canvas = Canvas::new((200, 60), [2.0, 2.0], Rgb(255, 255, 255)).unwrap();
            canvas
                .paint([Item::words([50.0, 20.0], 10.0, anchor, Rgb(0, 0, 0), "HI").bold()].iter());
            inked(&canvas).unwrap()
        };
        let [left, right, top, bottom] = written(Anchor::Start);
        assert!(
            left >= 100 && right < 140 && bottom.abs_diff(40) <= 1,
            "{left} to {right}, down to {bottom}"
        );
        // Capitals of this font are 0.73 of its size.
        assert!((bottom - top).abs_diff(14) <= 1, "{top} to {bottom}");
        let [left, right, ..] = written(Anchor::End);
        assert!(right <= 100 && left > 60);
        let [left, right, ..] = written(Anchor::Middle);
        assert!((left + right).abs_diff(200) <= 3, "{left} to {right}");
    }

    #[test]
    fn a_part_of_a_pixel_gets_a_part_of_the_ink() {
        let mut canvas = Canvas::new((3, 4), [1.0, 1.0], Rgb(200, 200, 200)).unwrap();
        canvas.column(1, 0.75, 2.5, Rgb(0, 0, 0));
        canvas.column(1, -5.0, -1.0, Rgb(0, 0, 0));
        canvas.column(9, 0.0, 4.0, Rgb(0, 0, 0));
        let reds: Vec<u8> = canvas.pixels().chunks(4).map(|pixel| pixel[0]).collect();
        assert_eq!(
            reds,
            [200, 150, 200, 200, 0, 200, 200, 100, 200, 200, 200, 200]
        );
    }

    #[test]
    fn a_copy_is_painted_on_without_the_original() {
        let ground = Canvas::new((20, 10), [1.0, 2.0], Rgb(255, 255, 255)).unwrap();
        let mut over = ground.clone();
        let square = Item::filled(
            Layer::Robot,
            crate::scene::rectangle(4.0, 1.0, 2.0, 2.0),
            Rgb(0, 0, 0),
        );
        over.paint([square].iter());
        assert_eq!((inked(&ground), inked(&over)), (None, Some([4, 5, 2, 5])));
        assert!(Canvas::new((0, 10), [1.0, 1.0], Rgb(0, 0, 0)).is_none());
    }
    #[test]
    fn a_curve_with_fewer_points_looks_the_same() {
        let points: Vec<[f64; 2]> = (0..2000)
            .map(|nth| f64::from(nth) * 0.01)
            .map(|x| [x, 5.0 + 3.0 * (x * 1.3).sin() + 0.2 * (x * 9.0).cos()])
            .collect();
        let scale = [8.0, 8.0];
        let fewer = thinned(&points, scale);
        assert!(fewer.len() < points.len() / 10, "{} points", fewer.len());
        assert_eq!(
            (fewer[0], fewer[fewer.len() - 1]),
            (points[0], points[1999])
        );
        for point in &points {
            let off = fewer
                .windows(2)
                .map(|way| beside(*point, way[0], way[1], scale))
                .fold(f64::INFINITY, f64::min);
            assert!(off <= SLACK + 1e-9, "{off} pixels beside it");
        }
        // A ring begins where it ends.
        let ring: Vec<[f64; 2]> = (0..=60)
            .map(|nth| (f64::from(nth) * std::f64::consts::TAU / 60.0).sin_cos())
            .map(|(sin, cos)| [5.0 * cos, 5.0 * sin])
            .collect();
        assert!(thinned(&ring, scale).len() > 12);
    }

    #[test]
    fn an_upright_rectangle_covers_the_same_pixels_as_its_path() {
        let tilted = |by: f64| {
            Item::filled(
                Layer::Ground,
                Shape::Polygon(vec![[1.1, 1.3], [6.7, 1.3], [6.7, 4.2], [1.1, 4.2 + by]]),
                Rgb(10, 60, 120),
            )
        };
        let painted = |item: &Item| {
            let mut canvas = Canvas::new((64, 48), [8.0, 8.0], Rgb(250, 250, 250)).unwrap();
            canvas.paint(std::iter::once(item));
            canvas.pixels().to_vec()
        };
        let pixels = |by: f64| painted(&tilted(by));
        let transform = Transform::identity();
        assert!(upright(&tilted(0.0), transform).is_some());
        assert!(upright(&tilted(1e-4), transform).is_none());
        // Partly covered pixels differ by how finely a path is looked at: a quarter of a pixel.
        for (one, other) in pixels(0.0).iter().zip(pixels(1e-4)) {
            assert!(one.abs_diff(other) <= 64, "{one} and {other}");
        }
    }
    #[test]
    fn two_threads_paint_what_one_paints() {
        let disc = |nth: u32| {
            let at = [f64::from(nth % 7) + 0.3, f64::from(nth % 5) * 1.1 + 0.2];
            let shape = Shape::Disc { at, radius: 0.9 };
            Item::filled(Layer::Robot, shape, Rgb(10, (nth * 6) as u8, 200))
        };
        let word = Item::words([4.0, 3.1], 1.6, Anchor::Middle, Rgb(0, 0, 0), "half");
        let items: Vec<Item> = (0..40).map(disc).chain([word]).collect();
        let canvas = Canvas::new((64, 51), [8.0, 8.0], Rgb(250, 250, 250)).unwrap();
        let (mut one, mut two) = (canvas.clone(), canvas);
        one.paint(items.iter());
        two.paint_many(&items.iter().collect::<Vec<_>>());
        // Coordinates of the lower half are other numbers, so its edges are rounded otherwise.
        let furthest = (one.pixels().iter().zip(two.pixels()))
            .map(|(one, two)| one.abs_diff(*two))
            .max();
        assert!(furthest <= Some(40), "{furthest:?}");
        let differ = (one.pixels().iter().zip(two.pixels())).filter(|(one, two)| one != two);
        assert!(differ.count() < 64 * 51 / 20);
    }
}
