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
