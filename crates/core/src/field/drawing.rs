//! Drawings as mats: SVG files, whose shapes become patches, whose strokes become lines, and whose
//! layers or classes say what else they are.
//!
//! Understood are `svg`, `g`, `a`, `rect`, `circle`, `ellipse`, `line`, `polyline`, `polygon` and
//! `path`, with `transform`, and `fill`, `stroke` and `stroke-width` as attributes or in `style`.
//! Everything else is counted and reported.

use std::collections::BTreeMap;

use roxmltree::{Document, Node, ParsingOptions};
use svgtypes::{
    Color, Length, LengthUnit, PointsParser, SimplePathSegment, SimplifyingPathParser, Transform,
    ViewBox,
};

use super::{BadDrawing, Point, Shape};
use crate::units::math;

/// A drawing has at most this many elements, groups within groups this deep, and this many corners
/// in all.
const MOST_NODES: u32 = 20_000;
const DEEPEST: usize = 64;
const MOST_CORNERS: usize = 100_000;
/// Sides of a curve: no corner is further from it than a fraction of a millimetre, for curves of
/// table size.
const CURVE: u32 = 24;
/// Sides of an ellipse.
const ROUND: u32 = 96;
/// Metres of a drawing's own unit when nothing else is said: 96 to the inch.
const PIXEL: f64 = 0.0254 / 96.0;

/// What a drawing shows, in its own order.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Drawing {
    /// Width and height in metres, if the drawing says so itself.
    pub size: Option<(f64, f64)>,
    /// Patches and lines.
    pub strokes: Vec<Drawn>,
    /// Walls: middle lines, and whole width in metres.
    pub walls: Vec<(Vec<Point>, f64)>,
    /// Names of what was not understood, and how often it came up.
    pub skipped: BTreeMap<String, usize>,
}

/// A shape with its look.
#[derive(Clone, Debug, PartialEq)]
pub struct Drawn {
    /// Its id, may be empty.
    pub name: String,
    /// Where it lies.
    pub shape: Shape,
    /// sRGB bytes.
    pub rgb: [u8; 3],
    /// Share of light mirrored, if a class says so.
    pub gloss: Option<f64>,
    /// The surface of the field file that a class names.
    pub surface: Option<String>,
    /// A class says that it is not to be touched.
    pub keep_off: bool,
}

/// What goes on from a group to what is in it.
#[derive(Clone)]
struct Style {
    transform: Transform,
    fill: Option<[u8; 3]>,
    stroke: Option<[u8; 3]>,
    width: f64,
    gloss: Option<f64>,
    surface: Option<String>,
    keep_off: bool,
    wall: bool,
    hidden: bool,
}

impl Drawing {
    /// Reads an SVG.
    ///
    /// - `at`: where its lower left corner lies on the field
    /// - `size`: width and height in metres, instead of what the drawing says itself
    ///
    /// # Errors
    /// It is no SVG, is damaged or is too large.
    pub fn read(text: &str, at: Point, size: Option<(f64, f64)>) -> Result<Self, BadDrawing> {
        let options = ParsingOptions {
            nodes_limit: MOST_NODES,
            ..ParsingOptions::default()
        };
        let document =
            Document::parse_with_options(text, options).map_err(|error| match error {
                roxmltree::Error::NodesLimitReached => BadDrawing::Elements(MOST_NODES),
                other => BadDrawing::Damaged(other.to_string()),
            })?;
        let root = document.root_element();
        if root.tag_name().name() != "svg" {
            return Err(BadDrawing::NotSvg(root.tag_name().name().to_owned()));
        }
        let length = |name: &str| {
            root.attribute(name)
                .and_then(|text| text.parse::<Length>().ok())
                .and_then(metres)
        };
        let view = root
            .attribute("viewBox")
            .and_then(|text| text.parse::<ViewBox>().ok());
        let own = match (length("width"), length("height"), view) {
            (Some(width), Some(height), _) => Some((width, height)),
            (_, _, Some(view)) => Some((view.w * PIXEL, view.h * PIXEL)),
            _ => None,
        };
        let Some((width, height)) = size.or(own) else {
            return Err(BadDrawing::NoSize);
        };
        let usual = |metres: f64| metres.is_finite() && metres > 0.0 && metres <= 100.0;
        if !usual(width) || !usual(height) {
            return Err(BadDrawing::Size);
        }
        let view = view.unwrap_or_else(|| {
            let (width, height) = own.unwrap_or((width, height));
            ViewBox {
                x: 0.0,
                y: 0.0,
                w: width / PIXEL,
                h: height / PIXEL,
            }
        });
        let (sx, sy) = (width / view.w, height / view.h);
        // Drawings count downwards, fields upwards.
        let transform = Transform::new(
            sx,
            0.0,
            0.0,
            -sy,
            at.x - view.x * sx,
            at.y + height + view.y * sy,
        );
        let style = Style {
            transform,
            fill: Some([0; 3]),
            stroke: None,
            width: 1.0,
            gloss: None,
            surface: None,
            keep_off: false,
            wall: false,
            hidden: false,
        };
        let mut reader = Reader {
            drawing: Self {
                size: own,
                ..Self::default()
            },
            corners: 0,
        };
        reader.children(root, &style, 0)?;
        Ok(reader.drawing)
    }
}

fn metres(length: Length) -> Option<f64> {
    let unit = match length.unit {
        LengthUnit::None | LengthUnit::Px => PIXEL,
        LengthUnit::Mm => 0.001,
        LengthUnit::Cm => 0.01,
        LengthUnit::In => 0.0254,
        LengthUnit::Pt => 0.0254 / 72.0,
        LengthUnit::Pc => 0.0254 / 6.0,
        LengthUnit::Em | LengthUnit::Ex | LengthUnit::Percent => return None,
    };
    Some(length.number * unit)
}

struct Reader {
    drawing: Drawing,
    corners: usize,
}

impl Reader {
    fn children(
        &mut self,
        node: Node<'_, '_>,
        style: &Style,
        depth: usize,
    ) -> Result<(), BadDrawing> {
        if depth > DEEPEST {
            return Err(BadDrawing::Deep(DEEPEST));
        }
        for child in node.children().filter(Node::is_element) {
            self.element(child, style, depth)?;
        }
        Ok(())
    }

    fn element(
        &mut self,
        node: Node<'_, '_>,
        outer: &Style,
        depth: usize,
    ) -> Result<(), BadDrawing> {
        let style = self.styled(node, outer);
        if style.hidden {
            return Ok(());
        }
        let number = |name: &str| {
            node.attribute(name)
                .and_then(|text| text.parse::<Length>().ok())
                .map_or(0.0, |length| length.number)
        };
        match node.tag_name().name() {
            "g" | "a" | "svg" => self.children(node, &style, depth + 1)?,
            "rect" => {
                let (x, y, w, h) = (number("x"), number("y"), number("width"), number("height"));
                self.add(
                    node,
                    &style,
                    vec![(vec![(x, y), (x + w, y), (x + w, y + h), (x, y + h)], true)],
                )?;
            }
            "circle" => self.round(node, &style, number("r"), number("r"))?,
            "ellipse" => self.round(node, &style, number("rx"), number("ry"))?,
            "line" => {
                let ends = vec![(number("x1"), number("y1")), (number("x2"), number("y2"))];
                self.add(
                    node,
                    &Style {
                        fill: None,
                        ..style
                    },
                    vec![(ends, false)],
                )?;
            }
            name @ ("polyline" | "polygon") => {
                let points =
                    PointsParser::from(node.attribute("points").unwrap_or_default()).collect();
                self.add(node, &style, vec![(points, name == "polygon")])?;
            }
            "path" => {
                let rings = self.path(node.attribute("d").unwrap_or_default());
                self.add(node, &style, rings)?;
            }
            // They draw nothing by themselves.
            "defs" | "title" | "desc" | "metadata" | "style" | "namedview" => {}
            other => self.skip(other),
        }
        Ok(())
    }

    fn skip(&mut self, what: &str) {
        let what: String = what.chars().take(40).collect();
        *self.drawing.skipped.entry(what).or_default() += 1;
    }

    /// A group's style with what an element says itself.
    fn styled(&mut self, node: Node<'_, '_>, outer: &Style) -> Style {
        let mut style = outer.clone();
        if let Some(text) = node.attribute("transform") {
            match text.parse::<Transform>() {
                Ok(own) => style.transform = times(outer.transform, own),
                Err(_) => self.skip("transform"),
            }
        }
        let declared = node.attribute("style").unwrap_or_default();
        let attributes = ["fill", "stroke", "stroke-width", "display", "visibility"];
        let written = attributes
            .into_iter()
            .filter_map(|name| Some((name, node.attribute(name)?)));
        let in_style = declared.split(';').filter_map(|part| part.split_once(':'));
        for (name, value) in
            written.chain(in_style.map(|(name, value)| (name.trim(), value.trim())))
        {
            match (name, value) {
                ("display", "none") | ("visibility", "hidden") => style.hidden = true,
                ("fill", value) => style.fill = self.paint(value, style.fill),
                ("stroke", value) => style.stroke = self.paint(value, style.stroke),
                ("stroke-width", value) => {
                    style.width = value
                        .parse::<Length>()
                        .map_or(style.width, |length| length.number);
                }
                _ => {}
            }
        }
        let words = ["class", "id"]
            .into_iter()
            .filter_map(|name| node.attribute(name));
        for word in words.flat_map(str::split_whitespace) {
            if let Some(percent) = word
                .strip_prefix("gloss-")
                .and_then(|rest| rest.parse::<f64>().ok())
            {
                style.gloss = Some((percent / 100.0).clamp(0.0, 1.0));
            } else if let Some(name) = word.strip_prefix("surface-") {
                style.surface = Some(name.to_owned());
            }
            style.keep_off |= word == "keep-off";
            style.wall |= word == "wall" || word == "walls";
        }
        style
    }

    fn paint(&mut self, value: &str, inherited: Option<[u8; 3]>) -> Option<[u8; 3]> {
        match value {
            "none" | "transparent" => None,
            "inherit" | "currentColor" => inherited,
            _ => match value.parse::<Color>() {
                Ok(colour) => Some([colour.red, colour.green, colour.blue]),
                Err(_) => {
                    self.skip("fill or stroke that is no plain colour");
                    inherited
                }
            },
        }
    }

    fn round(
        &mut self,
        node: Node<'_, '_>,
        style: &Style,
        rx: f64,
        ry: f64,
    ) -> Result<(), BadDrawing> {
        let number = |name: &str| {
            node.attribute(name)
                .and_then(|text| text.parse().ok())
                .unwrap_or(0.0)
        };
        let (cx, cy): (f64, f64) = (number("cx"), number("cy"));
        let turn = |side: u32| f64::from(side) / f64::from(ROUND) * math::TAU;
        let points = (0..ROUND).map(|side| {
            (
                cx + rx * math::cos(turn(side)),
                cy + ry * math::sin(turn(side)),
            )
        });
        self.add(node, style, vec![(points.collect(), true)])
    }

    /// The rings of a path, curves as short sides; whether each is closed.
    fn path(&mut self, data: &str) -> Vec<(Vec<(f64, f64)>, bool)> {
        let mut rings: Vec<(Vec<(f64, f64)>, bool)> = Vec::new();
        for segment in SimplifyingPathParser::from(data) {
            let Ok(segment) = segment else {
                self.skip("path that breaks off");
                break;
            };
            if let SimplePathSegment::MoveTo { x, y } = segment {
                rings.push((vec![(x, y)], false));
                continue;
            }
            let Some((points, closed)) = rings.last_mut() else {
                continue;
            };
            let from = points.last().copied().unwrap_or_default();
            let steps = (1..=CURVE).map(|step| f64::from(step) / f64::from(CURVE));
            match segment {
                SimplePathSegment::MoveTo { .. } => {}
                SimplePathSegment::LineTo { x, y } => points.push((x, y)),
                SimplePathSegment::CurveTo {
                    x1,
                    y1,
                    x2,
                    y2,
                    x,
                    y,
                } => points.extend(steps.map(|t| {
                    let s = 1.0 - t;
                    let of = |a: f64, b: f64, c: f64, d: f64| {
                        s * s * s * a + 3.0 * s * t * (s * b + t * c) + t * t * t * d
                    };
                    (of(from.0, x1, x2, x), of(from.1, y1, y2, y))
                })),
                SimplePathSegment::Quadratic { x1, y1, x, y } => points.extend(steps.map(|t| {
                    let s = 1.0 - t;
                    let of = |a: f64, b: f64, c: f64| s * s * a + 2.0 * s * t * b + t * t * c;
                    (of(from.0, x1, x), of(from.1, y1, y))
                })),
                SimplePathSegment::ClosePath => *closed = true,
            }
            if self.corners + points.len() > MOST_CORNERS {
                break;
            }
        }
        rings
    }

    /// Puts a shape where it lies on the field, as what its style makes of it.
    fn add(
        &mut self,
        node: Node<'_, '_>,
        style: &Style,
        rings: Vec<(Vec<(f64, f64)>, bool)>,
    ) -> Result<(), BadDrawing> {
        let t = style.transform;
        let place =
            |&(x, y): &(f64, f64)| Point::new(t.a * x + t.c * y + t.e, t.b * x + t.d * y + t.f);
        let rings: Vec<(Vec<Point>, bool)> = rings
            .into_iter()
            .map(|(points, closed)| (points.iter().map(place).collect(), closed))
            .collect();
        self.corners += rings.iter().map(|(points, _)| points.len()).sum::<usize>();
        if self.corners > MOST_CORNERS {
            return Err(BadDrawing::Corners(MOST_CORNERS));
        }
        let usual = |p: &Point| p.x.abs() <= 1000.0 && p.y.abs() <= 1000.0;
        if !rings.iter().all(|(points, _)| points.iter().all(usual)) {
            self.skip("shape a kilometre away");
            return Ok(());
        }
        let width = style.width * (t.a * t.d - t.b * t.c).abs().sqrt();
        let name = node.attribute("id").unwrap_or_default();
        let drawn = |shape: Shape, rgb: [u8; 3]| Drawn {
            name: name.to_owned(),
            shape,
            rgb,
            gloss: style.gloss,
            surface: style.surface.clone(),
            keep_off: style.keep_off,
        };
        let (fill, stroke) = if style.wall {
            (None, None)
        } else {
            (style.fill, style.stroke)
        };
        if let Some(rgb) = fill {
            let areas: Vec<Vec<Point>> = rings
                .iter()
                .map(|(points, _)| points.clone())
                .filter(|points| points.len() >= 3)
                .collect();
            match areas.len() {
                0 => {}
                1 => self.drawing.strokes.extend(
                    areas
                        .into_iter()
                        .map(|points| drawn(Shape::Polygon(points), rgb)),
                ),
                _ => self.drawing.strokes.push(drawn(Shape::Rings(areas), rgb)),
            }
        }
        for (mut points, closed) in rings {
            if closed {
                points.extend(points.first().copied());
            }
            let length: f64 = points
                .windows(2)
                .map(|pair| pair[0].distance(pair[1]))
                .sum();
            if length <= 0.0 {
                continue;
            }
            if style.wall {
                // A wall without a stroke of its own is as thin as a board.
                let thickness = if style.stroke.is_some() { width } else { 0.004 };
                self.drawing
                    .walls
                    .push((points, thickness.clamp(0.001, 1.0)));
            } else if let Some(rgb) = stroke
                && width > 0.0
            {
                self.drawing.strokes.push(drawn(
                    Shape::Band {
                        points,
                        width: width.min(10.0),
                    },
                    rgb,
                ));
            }
        }
        Ok(())
    }
}

/// The second transform within the first.
fn times(a: Transform, b: Transform) -> Transform {
    Transform::new(
        a.a * b.a + a.c * b.b,
        a.b * b.a + a.d * b.b,
        a.a * b.c + a.c * b.d,
        a.b * b.c + a.d * b.d,
        a.a * b.e + a.c * b.f + a.e,
        a.b * b.e + a.d * b.f + a.f,
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(inside: &str) -> Drawing {
        let text = format!(
            "<svg xmlns='http://www.w3.org/2000/svg' width='400mm' height='200mm' viewBox='0 0 400 200'>{inside}</svg>"
        );
        Drawing::read(&text, Point::new(0.1, 0.2), None).unwrap()
    }

    #[test]
    fn shapes_lie_where_they_are_seen_and_count_upwards() {
        let drawing = read(
            "<rect id='pan' x='0' y='0' width='100' height='50' fill='#ff0000'/>\
             <line x1='0' y1='200' x2='400' y2='200' stroke='black' stroke-width='20'/>\
             <g transform='translate(200 100)' style='fill:blue'><circle r='10'/></g>",
        );
        let [rect, line, disc] = drawing.strokes.as_slice() else {
            panic!("{drawing:?}")
        };
        assert_eq!((rect.name.as_str(), rect.rgb), ("pan", [255, 0, 0]));
        assert!(
            (rect.shape.depth(Point::new(0.15, 0.39)) - 0.01).abs() < 1e-9,
            "top left of the drawing"
        );
        let Shape::Band { points, width } = &line.shape else {
            panic!("{line:?}")
        };
        assert!((width - 0.02).abs() < 1e-12 && points[0].distance(Point::new(0.1, 0.2)) < 1e-12);
        assert_eq!(disc.rgb, [0, 0, 255]);
        assert!((disc.shape.depth(Point::new(0.3, 0.3)) - 0.01).abs() < 1e-4);
    }

    #[test]
    fn layers_and_classes_say_what_else_a_shape_is() {
        let drawing = read(
            "<g id='walls'><path d='M0 0 H400' stroke='grey' stroke-width='10' fill='none'/></g>\
             <path class='keep-off' d='M0 10 H400' stroke='#112233' stroke-width='5'/>\
             <rect class='gloss-60 surface-copper' width='10' height='10'/>",
        );
        assert_eq!(
            drawing.walls,
            [(vec![Point::new(0.1, 0.4), Point::new(0.5, 0.4)], 0.01)]
        );
        assert!(drawing.strokes[0].keep_off && !drawing.strokes[1].keep_off);
        assert_eq!(
            (
                drawing.strokes[1].gloss,
                drawing.strokes[1].surface.as_deref()
            ),
            (Some(0.6), Some("copper"))
        );
    }

    #[test]
    fn a_hole_is_a_hole_and_a_curve_is_round() {
        let drawing = read(
            "<path d='M0 0 H100 V100 H0 Z M25 25 V75 H75 V25 Z M200 100 A50 50 0 0 1 300 100 Z'/>",
        );
        let shape = &drawing.strokes[0].shape;
        let at = |x: f64, y: f64| shape.depth(Point::new(0.1 + x / 1e3, 0.4 - y / 1e3));
        assert!(
            at(10.0, 50.0) > 0.0 && at(50.0, 50.0) < 0.0,
            "{} {}",
            at(10.0, 50.0),
            at(50.0, 50.0)
        );
        // The half disc above the line from 200 to 300: 50 high.
        assert!(
            (at(250.0, 51.0) - 0.001).abs() < 2e-4
                && at(250.0, 49.0) < 0.0
                && at(250.0, 99.0) > 0.0
        );
    }

    #[test]
    fn what_is_not_understood_is_counted_and_what_is_absurd_refused() {
        let drawing = read(
            "<text>salt</text><text>works</text><image/><rect width='9' height='9' fill='url(#g)'/>",
        );
        assert_eq!(drawing.skipped.get("text"), Some(&2));
        assert_eq!(drawing.skipped.len(), 3, "{:?}", drawing.skipped);
        let no = |text: &str| {
            Drawing::read(text, Point::default(), None)
                .unwrap_err()
                .to_string()
        };
        assert!(no("<html/>").contains("no drawing"));
        assert!(no("<svg xmlns='x'>").contains("damaged"));
        assert!(no("<svg/>").contains("how large"));
        assert!(no("<svg width='1e300mm' height='1mm'/>").contains("not possible"));
        let deep = format!(
            "<svg width='1mm' height='1mm'>{}{}</svg>",
            "<g>".repeat(100),
            "</g>".repeat(100)
        );
        assert!(no(&deep).contains("deeper"));
        let many = format!(
            "<svg width='1mm' height='1mm'>{}</svg>",
            "<g/>".repeat(30_000)
        );
        assert!(no(&many).contains("too many"));
        let far = Drawing::read(
            "<svg width='1mm' height='1mm'><rect width='1e200' height='1e200'/></svg>",
            Point::default(),
            None,
        );
        assert_eq!(far.unwrap().strokes, []);
    }
}
