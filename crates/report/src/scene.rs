//! A drawing without a backend: shapes with colours in layers, in paper millimetres, y downwards.

use crate::ink::Rgb;

/// What an item is for; painters draw the layers in this order, and may leave some out.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Layer {
    /// The mat and all that lies on it.
    Ground,
    /// What stands on it.
    Standing,
    /// The path of the run before.
    Ghost,
    /// The path of the run.
    Path,
    /// Where something happened.
    Event,
    /// The robot.
    Robot,
    /// Words and frames.
    Note,
}

/// Which end of a text stands at its place.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Anchor {
    /// Its left end.
    Start,
    /// Its middle.
    Middle,
    /// Its right end.
    End,
}

/// The outline of an item, in scene millimetres.
#[derive(Clone, Debug, PartialEq)]
pub enum Shape {
    /// A closed polygon.
    Polygon(Vec<[f64; 2]>),
    /// An open line.
    Line(Vec<[f64; 2]>),
    /// A circle.
    Disc {
        /// Its middle.
        at: [f64; 2],
        /// Its radius.
        radius: f64,
    },
    /// One line of text; `fill` is its colour.
    Text {
        /// Where its baseline starts, or its middle or end.
        at: [f64; 2],
        /// Height of the font in millimetres.
        size: f64,
        /// Which end stands there.
        anchor: Anchor,
        /// Bold instead of regular.
        bold: bool,
        /// The words.
        text: String,
    },
}

/// A drawn line.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Stroke {
    /// Its colour.
    pub ink: Rgb,
    /// Its width in millimetres.
    pub width: f64,
    /// Lengths of dash and gap; a full line when 0.
    pub dash: f64,
}

impl Stroke {
    /// A full line.
    pub const fn full(ink: Rgb, width: f64) -> Self {
        Self {
            ink,
            width,
            dash: 0.0,
        }
    }
}

/// One shape with its colours.
#[derive(Clone, Debug, PartialEq)]
pub struct Item {
    /// What it is for.
    pub layer: Layer,
    /// Its outline.
    pub shape: Shape,
    /// The colour inside.
    pub fill: Option<Rgb>,
    /// How opaque the fill is, 0 to 1.
    pub opacity: f64,
    /// The line around.
    pub stroke: Option<Stroke>,
}

impl Item {
    /// A filled shape without a line.
    pub const fn filled(layer: Layer, shape: Shape, fill: Rgb) -> Self {
        Self {
            layer,
            shape,
            fill: Some(fill),
            opacity: 1.0,
            stroke: None,
        }
    }

    /// A drawn line, not filled.
    pub const fn drawn(layer: Layer, shape: Shape, stroke: Stroke) -> Self {
        Self {
            layer,
            shape,
            fill: None,
            opacity: 1.0,
            stroke: Some(stroke),
        }
    }

    /// Words in regular type.
    pub fn words(
        at: [f64; 2],
        size: f64,
        anchor: Anchor,
        ink: Rgb,
        text: impl Into<String>,
    ) -> Self {
        let shape = Shape::Text {
            at,
            size,
            anchor,
            bold: false,
            text: text.into(),
        };
        Self::filled(Layer::Note, shape, ink)
    }

    /// The same words in bold type.
    #[must_use]
    pub fn bold(mut self) -> Self {
        if let Shape::Text { bold, .. } = &mut self.shape {
            *bold = true;
        }
        self
    }

    /// The same item, filled less opaquely.
    #[must_use]
    pub const fn see_through(mut self, opacity: f64) -> Self {
        self.opacity = opacity;
        self
    }
}

/// Cutting off what lies outside a frame, given by its least and its greatest corner.
impl Item {
    /// What of it lies within a frame: an area is cut off at it, a line falls into pieces; a disc or
    /// words are there when their place is.
    pub fn within(self, frame: [[f64; 2]; 2]) -> Vec<Self> {
        let [low, high] = frame;
        let inside =
            |at: &[f64; 2]| (0..2).all(|axis| (low[axis]..=high[axis]).contains(&at[axis]));
        let shapes = match &self.shape {
            Shape::Disc { at, .. } | Shape::Text { at, .. } => {
                return if inside(at) { vec![self] } else { Vec::new() };
            }
            Shape::Polygon(points) | Shape::Line(points) if points.iter().all(inside) => {
                return vec![self];
            }
            Shape::Polygon(points) => {
                let cut = cut_area(points, frame);
                if cut.len() < 3 {
                    return Vec::new();
                }
                vec![Shape::Polygon(cut)]
            }
            Shape::Line(points) => cut_line(points, frame)
                .into_iter()
                .map(Shape::Line)
                .collect(),
        };
        let with = |shape| Self {
            shape,
            ..self.clone()
        };
        shapes.into_iter().map(with).collect()
    }
}

/// The part of a polygon within a frame: cut off at one side after the other (Sutherland and Hodgman,
/// 1974).
fn cut_area(points: &[[f64; 2]], [low, high]: [[f64; 2]; 2]) -> Vec<[f64; 2]> {
    let mut left = points.to_vec();
    for (axis, limit, sign) in [
        (0, low[0], 1.0),
        (0, high[0], -1.0),
        (1, low[1], 1.0),
        (1, high[1], -1.0),
    ] {
        let depth = |at: &[f64; 2]| (at[axis] - limit) * sign;
        let all = std::mem::take(&mut left);
        for (index, to) in all.iter().enumerate() {
            let from = &all[(index + all.len() - 1) % all.len()];
            let (before, after) = (depth(from), depth(to));
            if (before >= 0.0) != (after >= 0.0) {
                left.push(between(*from, *to, before / (before - after)));
            }
            if after >= 0.0 {
                left.push(*to);
            }
        }
    }
    left
}

/// The pieces of a line within a frame: of each stretch the part from where it is within all four
/// sides to where it is not (Liang and Barsky, 1984).
fn cut_line(points: &[[f64; 2]], [low, high]: [[f64; 2]; 2]) -> Vec<Vec<[f64; 2]>> {
    let mut pieces: Vec<Vec<[f64; 2]>> = Vec::new();
    for pair in points.windows(2) {
        let (from, to) = (pair[0], pair[1]);
        let (mut enters, mut leaves) = (0.0f64, 1.0f64);
        for axis in 0..2 {
            let way = to[axis] - from[axis];
            for (limit, sign) in [(low[axis], 1.0), (high[axis], -1.0)] {
                let (depth, gains) = ((from[axis] - limit) * sign, way * sign);
                if gains > 0.0 {
                    enters = enters.max(-depth / gains);
                } else if gains < 0.0 {
                    leaves = leaves.min(-depth / gains);
                } else if depth < 0.0 {
                    leaves = -1.0;
                }
            }
        }
        if enters > leaves {
            continue;
        }
        let (first, last) = (between(from, to, enters), between(from, to, leaves));
        match pieces
            .last_mut()
            .filter(|piece| piece.last() == Some(&first))
        {
            Some(piece) => piece.push(last),
            None => pieces.push(vec![first, last]),
        }
    }
    pieces
}

/// A point so far from one towards another, 0 to 1; the ends exactly.
fn between(from: [f64; 2], to: [f64; 2], share: f64) -> [f64; 2] {
    if share >= 1.0 {
        return to;
    }
    [0, 1].map(|axis| from[axis] + (to[axis] - from[axis]) * share)
}

/// A whole drawing.
#[derive(Clone, Debug, PartialEq, Default)]
pub struct Scene {
    /// What it shows, for the title of the file.
    pub title: String,
    /// Width in millimetres.
    pub width: f64,
    /// Height in millimetres.
    pub height: f64,
    /// Its items; within a layer later ones cover earlier ones.
    pub items: Vec<Item>,
}

impl Scene {
    /// The items in painting order.
    pub fn ordered(&self) -> Vec<&Item> {
        let mut items: Vec<&Item> = self.items.iter().collect();
        items.sort_by_key(|item| item.layer);
        items
    }
}

/// A rectangle as a polygon.
pub fn rectangle(x: f64, y: f64, width: f64, height: f64) -> Shape {
    Shape::Polygon(vec![
        [x, y],
        [x + width, y],
        [x + width, y + height],
        [x, y + height],
    ])
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    const FRAME: [[f64; 2]; 2] = [[10.0, 20.0], [110.0, 80.0]];

    #[test]
    fn a_line_that_leaves_and_comes_back_is_two() {
        let points = vec![
            [20.0, 30.0],
            [20.0, 10.0],
            [40.0, 10.0],
            [40.0, 50.0],
            [60.0, 50.0],
        ];
        let pieces = cut_line(&points, FRAME);
        assert_eq!(
            pieces,
            [
                vec![[20.0, 30.0], [20.0, 20.0]],
                vec![[40.0, 20.0], [40.0, 50.0], [60.0, 50.0]],
            ]
        );
    }

    /// Twice the area of a polygon, counter-clockwise positive (shoelace formula).
    fn area(points: &[[f64; 2]]) -> f64 {
        (0..points.len())
            .map(|at| {
                let (a, b) = (points[at], points[(at + 1) % points.len()]);
                a[0] * b[1] - b[0] * a[1]
            })
            .sum()
    }

    proptest! {
        #[test]
        fn nothing_is_left_outside_and_nothing_inside_is_lost(
            points in prop::collection::vec(prop::array::uniform2(-50.0..200.0f64), 2..12),
        ) {
            let near = |at: &[f64; 2]| (0..2).all(|axis| {
                (FRAME[0][axis] - 1e-9..=FRAME[1][axis] + 1e-9).contains(&at[axis])
            });
            let pieces = cut_line(&points, FRAME);
            prop_assert!(pieces.iter().flatten().all(near));
            for at in points.iter().filter(|at| near(at)) {
                prop_assert!(pieces.iter().flatten().any(|left| left == at));
            }
            prop_assert!(cut_area(&points, FRAME).iter().all(near));
        }

        #[test]
        fn a_rectangle_keeps_the_area_that_it_shares_with_the_frame(
            x in -50.0..150.0f64, y in -50.0..150.0f64, w in 1.0..150.0f64, h in 1.0..150.0f64,
        ) {
            let Shape::Polygon(points) = rectangle(x, y, w, h) else { unreachable!() };
            let shared = |axis: usize, from: f64, long: f64| {
                ((from + long).min(FRAME[1][axis]) - from.max(FRAME[0][axis])).max(0.0)
            };
            let wanted = 2.0 * shared(0, x, w) * shared(1, y, h);
            prop_assert!((area(&cut_area(&points, FRAME)) - wanted).abs() < 1e-6);
        }
    }
}
