//! Some layers of a scene as coloured pixels: what terminal cells are made from.

use resvg::tiny_skia::{
    Color, FillRule, LineCap, LineJoin, Paint, PathBuilder, Pixmap, Stroke as PenStroke, Transform,
};

use crate::ink::Rgb;
use crate::scene::{Item, Shape};

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
        let (column, row) = (column.min(self.width.saturating_sub(1)), row.min(self.height.saturating_sub(1)));
        self.pixels.get(row * self.width + column).copied().unwrap_or(Rgb(0, 0, 0))
    }
}

/// Paints items (texts left out) into `width` x `height` pixels that show the scene from `origin` on with
/// `scale` pixels a scene millimetre across and down; what nothing covers is `around`.
pub fn rasterise<'a>(
    items: impl Iterator<Item = &'a Item>,
    origin: [f64; 2],
    scale: [f64; 2],
    size: (usize, usize),
    around: Rgb,
) -> Raster {
    let Some(mut map) = Pixmap::new(size.0 as u32, size.1 as u32) else { return Raster::default() };
    let Rgb(r, g, b) = around;
    map.fill(Color::from_rgba8(r, g, b, 255));
    let [sx, sy] = scale.map(|value| value as f32);
    let transform = Transform::from_row(sx, 0.0, 0.0, sy, -origin[0] as f32 * sx, -origin[1] as f32 * sy);
    for item in items {
        paint(&mut map, item, transform);
    }
    let pixels = map.pixels().iter().map(|pixel| Rgb(pixel.red(), pixel.green(), pixel.blue())).collect();
    Raster { width: size.0, height: size.1, pixels }
}

fn paint(map: &mut Pixmap, item: &Item, transform: Transform) {
    let mut builder = PathBuilder::new();
    match &item.shape {
        Shape::Polygon(points) | Shape::Line(points) => {
            for (index, [x, y]) in points.iter().enumerate() {
                if index == 0 { builder.move_to(*x as f32, *y as f32) } else { builder.line_to(*x as f32, *y as f32) }
            }
            if matches!(item.shape, Shape::Polygon(_)) {
                builder.close();
            }
        }
        Shape::Disc { at, radius } => builder.push_circle(at[0] as f32, at[1] as f32, *radius as f32),
        Shape::Text { .. } => return,
    }
    let Some(path) = builder.finish() else { return };
    let ink = |Rgb(r, g, b): Rgb, opacity: f64| {
        let mut paint = Paint::default();
        paint.set_color_rgba8(r, g, b, (opacity * 255.0).round() as u8);
        paint
    };
    if let Some(fill) = item.fill {
        map.fill_path(&path, &ink(fill, item.opacity), FillRule::EvenOdd, transform, None);
    }
    if let Some(stroke) = item.stroke {
        let pen = PenStroke {
            width: stroke.width as f32,
            line_cap: LineCap::Butt,
            line_join: LineJoin::Round,
            ..PenStroke::default()
        };
        map.stroke_path(&path, &ink(stroke.ink, 1.0), &pen, transform, None);
    }
}
