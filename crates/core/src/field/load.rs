//! Field files: TOML text to a [`Field`] and findings.
//!
//! Long because a file has many sections; each is a table of keys and one function.

/// The keys of a table that say where something lies, as one value: serde cannot flatten one table
/// into another and still refuse unknown keys.
macro_rules! place {
    ($table:expr) => {
        Place {
            at: $table.at,
            size: $table.size,
            turned: $table.turned,
            diameter: $table.diameter,
            points: $table.points,
        }
    };
}

mod play;

use serde::Deserialize;
use toml::Spanned;

use super::drawing::Drawing;
use super::{
    BadDrawing, Edge, Field, Mark, Picture, Platform, Point, Pose, Shape, Start, Surface,
    SurfaceId, Unreadable, Wall, legs,
};
use crate::finding::{Finding, Hints, Source, did_you_mean};
use crate::keys::{Described, Key, REQUIRED, Section, holds, section};
use crate::scatter::{FieldScatter, FieldSpread, Spreads};
use crate::tables::{Item, LARGEST_FILE, Tables, report_duplicates};
use crate::units::{Angle, Frequency, Length, Pair, Percent, Positive, colour};

/// The longest side a field may have, in metres: beyond it a unit was probably mistyped.
const LARGEST_SIDE: f64 = 20.0;
/// The shortest side, in metres: a robot must fit on it.
const SMALLEST_SIDE: f64 = 0.1;

holds!(EdgeWord: "`floor` or `drop`");

section! {
    SurfaceTable "[surface.NAME]" "A surface: what the mat, its marks and its things look like."
        colour: Spanned<String> = "\"#e9e3d2\"", REQUIRED, "Its colour.";
        gloss: Option<Spanned<Percent>> = "\"20 %\"", Some("0 %"), in 0.0..1.0, "From 0 % (matt) to 100 % (mirror).";
        infrared: Option<Spanned<Percent>> = "\"60 %\"", Some("as bright as its colour"), in 0.0..1.0, "What it sends back of infrared light: black ink is often bright in it.";
}

section! {
    LineTable "[[line]]" "A line of tape or print."
        name: Option<Spanned<String>> = "\"causeway\"", Some("none"), "What people call it.";
        surface: Spanned<String> = "\"dark\"", REQUIRED, "What it looks like: the name of a [surface].";
        width: Positive<Length> = "\"20 mm\"", REQUIRED, "Its width.";
        #[serde(default)]
        keep_off: bool = "true", Some("false"), "Whether it is not to be touched.";
        ..PATH;
}

section! {
    PatchTable "[[patch]] and [[platform]]" "A patch of another surface; a platform stands up from the mat."
        name: Option<Spanned<String>> = "\"causeway\"", Some("none"), "What people call it.";
        surface: Spanned<String> = "\"dark\"", REQUIRED, "What it looks like: the name of a [surface].";
        ..SHAPE;
}

section! {
    WallTable "[[wall]]" "A wall that nothing passes."
        name: Option<Spanned<String>> = "\"causeway\"", Some("none"), "What people call it.";
        thickness: Positive<Length> = "\"16 mm\"", REQUIRED, "Its whole thickness.";
        ..PATH;
}

section! {
    StartTable "[start.NAME]" "A pose where a run may start."
        at: Spanned<Pair> = "\"320, 178 mm\"", REQUIRED, "Where the middle of the axle stands.";
        heading: Spanned<String> = "\"90 deg\"", REQUIRED, "Where the robot faces, or `\"random\"`: any heading, taken from the seed.";
}

#[derive(Deserialize)]
#[serde(rename_all = "lowercase")]
enum EdgeWord {
    Floor,
    Drop,
}

section! {
    PictureTable "[[picture]]" "A picture or a drawing on the mat."
        file: Spanned<String> = "\"mat.png\"", REQUIRED, "A PNG or SVG beside the field file.";
        #[serde(default)]
        at: Pair = "\"0, 0 mm\"", Some("0, 0 mm"), "Its lower left corner.";
        size: Option<Spanned<Pair>> = "\"600, 400 mm\"", Some("as the SVG says"), "Width and height; a PNG needs them.";
        gloss: Option<Spanned<Percent>> = "\"10 %\"", Some("0 %"), in 0.0..1.0, "The gloss of a PNG.";
}

/// At most this many pictures and drawings.
const MOST_PICTURES: usize = 20;

const NAME: Key = Key::new::<String>("name", "\"Causeway\"", Some("none"), "What people call it.");
const SIZE: Key = Key::new::<Pair>(
    "size",
    "\"2000 x 1500 mm\"",
    REQUIRED,
    "Width and height of the mat.",
);
const GROUND: Key = Key::new::<String>(
    "ground",
    "\"pale\"",
    REQUIRED,
    "The surface of the bare mat.",
);
const SURROUND: Key = Key::new::<String>(
    "surround",
    "\"floor\"",
    Some("as `ground`"),
    "The surface of what lies beyond the mat.",
);
const AMBIENT: Key = Key::new::<Percent>(
    "ambient",
    "\"10 %\"",
    Some("0 %"),
    "Light of the room on the mat, as a share of the light of a floor sensor.",
)
.within(0.0..5.0);
const FLICKER: Key = Key::new::<Percent>(
    "flicker",
    "\"8 %\"",
    Some("0 %"),
    "How much the light of the room goes up and down, as a share of it.",
)
.within(0.0..1.0);
const FLICKER_RATE: Key = Key::new::<Frequency>(
    "flicker_rate",
    "\"100 Hz\"",
    Some("100 Hz"),
    "How often it does: lamps flicker at twice the rate of the mains.",
)
.within(0.1..1000.0);
const UNEVENNESS: Key = Key::new::<Percent>(
    "unevenness",
    "\"2 %\"",
    Some("0 %"),
    "How much the brightness of the mat differs from place to place, a standard deviation, as a share of it.",
)
.within(0.0..0.5);
const EDGE: Key = Key::new::<EdgeWord>(
    "edge",
    "\"drop\"",
    Some("floor"),
    "What is beyond the mat: the `floor` goes on, or there is a `drop`.",
);

/// Lamps on mains of 50 Hz flicker at this rate, Hz.
const MAINS: f64 = 100.0;

/// All that a field file may hold.
pub const FILE: &[Section] = &[
    Section::top(
        "The mat.",
        &[
            NAME,
            SIZE,
            GROUND,
            SURROUND,
            AMBIENT,
            FLICKER,
            FLICKER_RATE,
            UNEVENNESS,
            EDGE,
        ],
    ),
    SurfaceTable::SECTION,
    LineTable::SECTION,
    PatchTable::SECTION,
    PictureTable::SECTION,
    WallTable::SECTION,
    StartTable::SECTION,
    play::ObjectTable::SECTION,
    play::ObstacleTable::SECTION,
    play::OpponentTable::SECTION,
    play::ZoneTable::SECTION,
    play::RulesTable::SECTION,
    play::ScoreTable::SECTION,
    FieldScatter::SECTION,
];

/// Hands out further files of a project by their path in it; or says why not.
pub type Files<'a> = &'a dyn Fn(&str) -> Result<Vec<u8>, Unreadable>;

/// Reads a field file that names no pictures.
pub fn load(text: &str) -> (Field, Vec<Finding>) {
    load_with(text, &|_| Err(Unreadable::NoFiles))
}

/// Reads a field file, and the pictures and drawings that it names.
///
/// The field is as complete as the text allows; it may be used for a run only when no finding is an
/// error.
pub fn load_with(text: &str, files: Files<'_>) -> (Field, Vec<Finding>) {
    let mut tables = Tables::new(Source::Field, text, FILE);
    let mut field = Field {
        name: tables
            .top(&NAME)
            .map_or_else(String::new, |item| item.value),
        ..Field::default()
    };
    field.scatter = Spreads::<FieldSpread>::load(&mut tables);
    load_size(&mut tables, &mut field);
    load_surfaces(&mut tables, &mut field);
    load_pictures(&mut tables, &mut field, files);
    load_marks(&mut tables, &mut field);
    load_walls(&mut tables, &mut field);
    play::load(&mut tables, &mut field);
    load_starts(&mut tables, &mut field);
    (field, tables.findings)
}

fn load_size(tables: &mut Tables<'_>, field: &mut Field) {
    let Some(Item { value, span }) = tables.top::<Pair>(&SIZE) else {
        return;
    };
    (field.width, field.height) = (value.x, value.y);
    let side = SMALLEST_SIDE..=LARGEST_SIDE;
    field.ambient = tables
        .top::<Percent>(&AMBIENT)
        .map_or(0.0, |share| share.value.si());
    let share = |tables: &mut Tables<'_>, key: &Key| {
        tables
            .top::<Percent>(key)
            .map_or(0.0, |share| share.value.si())
    };
    let rate = tables.top::<Frequency>(&FLICKER_RATE);
    field.flicker = (
        share(tables, &FLICKER),
        rate.map_or(MAINS, |rate| rate.value.si()),
    );
    field.unevenness = share(tables, &UNEVENNESS);
    if let Some(Item {
        value: EdgeWord::Drop,
        ..
    }) = tables.top::<EdgeWord>(&EDGE)
    {
        field.edge = Edge::Drop;
    }
    if !side.contains(&value.x) || !side.contains(&value.y) {
        let message = format!(
            "a field of {} x {} mm is not possible",
            value.x * 1e3,
            value.y * 1e3
        );
        tables
            .error("F101", span, message)
            .help("each side must be 100 mm to 20 m long".to_owned());
        (field.width, field.height) = (
            value.x.clamp(*side.start(), *side.end()),
            value.y.clamp(*side.start(), *side.end()),
        );
    }
}

fn load_surfaces(tables: &mut Tables<'_>, field: &mut Field) {
    let ground = tables.top::<String>(&GROUND);
    let surround = tables.top::<String>(&SURROUND);
    let named = tables.named_sections::<SurfaceTable>("surface");
    if named.len() > 200 {
        let span = named[200].name.span.clone();
        tables
            .error("F102", span, "more than 200 surfaces")
            .help("use fewer surfaces".to_owned());
    }
    for entry in named.into_iter().take(200) {
        let rgb = colour::hex(entry.value.colour.get_ref()).unwrap_or_else(|| {
            let message = format!("`{}` is not a colour", entry.value.colour.get_ref());
            tables
                .error("F103", entry.value.colour.span(), message)
                .help("write it as \"#1d1f22\"".to_owned());
            [128; 3]
        });
        let gloss = entry.value.gloss.map_or(0.0, |gloss| gloss.get_ref().si());
        field.surfaces.push(Surface {
            name: entry.name.value,
            rgb,
            gloss,
            infrared: entry.value.infrared.map(|share| share.get_ref().si()),
        });
    }
    if let Some(ground) = ground {
        let id = surface_id(tables, field, &ground.value, ground.span);
        // The ground is surface 0, so that a raster starts out as zeroes.
        let last = field.surfaces.len().saturating_sub(1);
        field.surfaces.swap(0, usize::from(id.0).min(last));
    }
    field.surround = surround.map_or(SurfaceId(0), |item| {
        surface_id(tables, field, &item.value, item.span)
    });
}

/// The id of a named surface; an unknown name is a finding and becomes a surface of that name in
/// grey.
fn surface_id(
    tables: &mut Tables<'_>,
    field: &mut Field,
    name: &str,
    span: std::ops::Range<usize>,
) -> SurfaceId {
    if let Some(index) = field
        .surfaces
        .iter()
        .position(|surface| surface.name == name)
    {
        return SurfaceId(index as u8);
    }
    let known = field.surfaces.iter().map(|surface| surface.name.as_str());
    // Whoever makes more mistakes than this reads the first ones first.
    let hint = if tables.findings.len() < 100 {
        did_you_mean(&span, name, known).quoted()
    } else {
        Hints::default()
    };
    let hint = hint.or(format!("add [surface.{name}] with a colour"));
    tables
        .error("F104", span, format!("unknown surface `{name}`"))
        .help(hint);
    if field.surfaces.len() < 250 {
        field.surfaces.push(Surface {
            name: name.to_owned(),
            rgb: [128; 3],
            gloss: 0.0,
            infrared: None,
        });
    }
    SurfaceId((field.surfaces.len() - 1) as u8)
}

/// A path given by `points`, or by `from`, `heading` and `legs`.
struct PathKeys {
    section: std::ops::Range<usize>,
    from: Option<Pair>,
    heading: Option<Angle>,
    legs: Option<Spanned<Vec<String>>>,
    points: Option<Spanned<Vec<Pair>>>,
}

impl PathKeys {
    fn lay(self, tables: &mut Tables<'_>) -> Option<Vec<Point>> {
        let points = match (self.points, self.from, self.legs) {
            (Some(points), None, None) => points
                .get_ref()
                .iter()
                .map(|place| Point::new(place.x, place.y))
                .collect::<Vec<_>>(),
            (None, Some(from), Some(given)) => {
                let heading = self.heading.map_or(0.0, Angle::si);
                match legs::lay(Point::new(from.x, from.y), heading, given.get_ref()) {
                    Ok(points) => points,
                    Err((index, why)) => {
                        tables.error("F105", given.span(), format!("leg {}: {why}", index + 1));
                        return None;
                    }
                }
            }
            _ => {
                tables
                    .error(
                        "F105",
                        self.section,
                        "a path needs either `points` or `from` with `legs`",
                    )
                    .help(
                        "for example `from = \"300, 200 mm\"` and `legs = [\"ahead 600 mm\"]`"
                            .to_owned(),
                    );
                return None;
            }
        };
        let length: f64 = points
            .windows(2)
            .map(|pair| pair[0].distance(pair[1]))
            .sum();
        if length <= 0.0 || length > 1000.0 {
            tables.error(
                "F105",
                self.section,
                "a path must be longer than nothing and shorter than 1 km",
            );
            return None;
        }
        Some(points)
    }
}

fn load_pictures(tables: &mut Tables<'_>, field: &mut Field, files: Files<'_>) {
    for (index, Item { value: table, span }) in tables
        .sections::<PictureTable>("picture")
        .into_iter()
        .enumerate()
    {
        if index == MOST_PICTURES {
            let message = format!("more than {MOST_PICTURES} pictures");
            tables
                .error("F119", span, message)
                .help("join some of them in one file".to_owned());
            return;
        }
        let path = table.file.get_ref();
        let mut refuse = |why: String, hint: &str| {
            let message = format!("`{path}` cannot be used: {why}");
            tables
                .error("F119", table.file.span(), message)
                .help(hint.to_owned());
        };
        let at = Point::new(table.at.x, table.at.y);
        let size = table
            .size
            .as_ref()
            .map(|size| (size.get_ref().x, size.get_ref().y));
        if size.is_some_and(|(x, y)| !(0.001..=100.0).contains(&x) || !(0.001..=100.0).contains(&y))
        {
            refuse(
                "such a size is not possible".into(),
                "write it as `size = \"1200 x 800 mm\"`",
            );
            continue;
        }
        let ending = path
            .rsplit('.')
            .next()
            .unwrap_or_default()
            .to_ascii_lowercase();
        if ending != "png" && ending != "svg" {
            refuse(
                "its name ends neither in .png nor in .svg".into(),
                "save it as one of the two",
            );
            continue;
        }
        let bytes = match files(path) {
            Ok(bytes) => bytes,
            Err(why) => {
                refuse(
                    why.to_string(),
                    "paths count from the project folder, such as `fields/mat.png`",
                );
                continue;
            }
        };
        if ending == "png" {
            let Some(size) = size else {
                refuse(
                    "nothing says how large it is".into(),
                    "add `size = \"1200 x 800 mm\"`",
                );
                continue;
            };
            let gloss = table
                .gloss
                .as_ref()
                .map_or(0.0, |gloss| gloss.get_ref().si());
            match Picture::png(path, &bytes, at, size, gloss) {
                Ok(picture) => field.pictures.push(picture),
                Err(why) => refuse(
                    why.to_string(),
                    "save it again as a PNG of less than 10 million pixels",
                ),
            }
            continue;
        }
        let drawing: Result<Drawing, BadDrawing> = match std::str::from_utf8(&bytes) {
            _ if bytes.len() > LARGEST_FILE => Err(Unreadable::TooLarge {
                megabytes: LARGEST_FILE >> 20,
            }
            .into()),
            Ok(text) => Drawing::read(text, at, size),
            Err(_) => Err(Unreadable::NotText.into()),
        };
        match drawing {
            Ok(drawing) => take_over(tables, field, drawing, &table.file),
            Err(why) => refuse(why.to_string(), "save it again as a plain SVG"),
        }
    }
}

/// What a drawing shows becomes marks and walls of the field.
fn take_over(tables: &mut Tables<'_>, field: &mut Field, drawing: Drawing, file: &Spanned<String>) {
    let path = file.get_ref();
    if !drawing.skipped.is_empty() {
        let what: Vec<String> = drawing
            .skipped
            .iter()
            .map(|(name, count)| format!("{count} x {name}"))
            .collect();
        let message = format!(
            "not everything in `{path}` is understood: {}",
            what.join(", ")
        );
        let hint = "turn texts and clones into paths; only plain colours are read";
        tables
            .findings
            .push(Finding::warning("F120", Source::Field, file.span(), message).hint(hint));
    }
    for drawn in drawing.strokes {
        let gloss = drawn.gloss.unwrap_or(0.0);
        let same = |surface: &Surface| {
            drawn.surface.as_ref().map_or(
                surface.rgb == drawn.rgb && drawn.gloss.is_none_or(|gloss| gloss == surface.gloss),
                |name| surface.name == *name,
            )
        };
        let index = field.surfaces.iter().position(same).or_else(|| {
            if let Some(name) = &drawn.surface {
                let message =
                    format!("`{path}` names a surface `{name}` that this file does not have");
                let hint = format!("add [surface.{name}] with a colour");
                tables.error("F104", file.span(), message).help(hint);
                return None;
            }
            // One more would be one that no mark can name.
            if field.surfaces.len() >= 200 {
                return None;
            }
            let [r, g, b] = drawn.rgb;
            let shine = if gloss > 0.0 {
                format!(" at {:.0} % gloss", gloss * 100.0)
            } else {
                String::new()
            };
            let name = format!("#{r:02x}{g:02x}{b:02x}{shine}");
            field.surfaces.push(Surface {
                name,
                rgb: drawn.rgb,
                gloss,
                infrared: None,
            });
            Some(field.surfaces.len() - 1)
        });
        let Some(index) = index else {
            if drawn.surface.is_none() {
                let message = format!("`{path}` has too many colours");
                tables
                    .error("F119", file.span(), message)
                    .help("as a PNG it may have any number".to_owned());
                return;
            }
            continue;
        };
        field.marks.push(Mark {
            name: drawn.name,
            is_line: matches!(drawn.shape, Shape::Band { .. }),
            keep_off: drawn.keep_off,
            surface: SurfaceId(index as u8),
            shape: drawn.shape,
        });
    }
    for (points, thickness) in drawing.walls {
        field.walls.push(Wall {
            name: String::new(),
            points,
            thickness,
        });
    }
}

fn load_marks(tables: &mut Tables<'_>, field: &mut Field) {
    // Lines and patches cover each other in the order of the file, whichever list they stand in.
    let mut marks: Vec<(usize, Mark)> = Vec::new();
    let mut names = Vec::new();
    for Item { value: line, span } in tables.sections::<LineTable>("line") {
        let surface = surface_id(tables, field, line.surface.get_ref(), line.surface.span());
        let name = keep_name(&mut names, line.name);
        let keys = PathKeys {
            section: span.clone(),
            from: line.from,
            heading: line.heading,
            legs: line.legs,
            points: line.points,
        };
        if let Some(points) = keys.lay(tables) {
            let shape = Shape::Band {
                points,
                width: line.width.0.si(),
            };
            marks.push((
                span.start,
                Mark {
                    name,
                    is_line: true,
                    keep_off: line.keep_off,
                    surface,
                    shape,
                },
            ));
        }
    }
    for Item { value: patch, span } in tables.sections::<PatchTable>("patch") {
        marks.extend(
            load_patch(tables, field, &mut names, patch, &span).map(|mark| (span.start, mark)),
        );
    }
    for Item { value: patch, span } in tables.sections::<PatchTable>("platform") {
        let Some(mark) = load_patch(tables, field, &mut names, patch, &span) else {
            continue;
        };
        field.platforms.push(Platform {
            name: mark.name.clone(),
            shape: mark.shape.clone(),
        });
        marks.push((span.start, mark));
    }
    marks.sort_by_key(|(start, _)| *start);
    field.marks.extend(marks.into_iter().map(|(_, mark)| mark));
    report_duplicates(tables, "mark", names.iter());
}

/// A patch, or a platform, which is a patch that stands up.
fn load_patch(
    tables: &mut Tables<'_>,
    field: &mut Field,
    names: &mut Vec<Item<String>>,
    patch: PatchTable,
    span: &std::ops::Range<usize>,
) -> Option<Mark> {
    let surface = surface_id(tables, field, patch.surface.get_ref(), patch.surface.span());
    let name = keep_name(names, patch.name);
    let place = place!(patch);
    let shape = load_shape(tables, place, span)?;
    Some(Mark {
        name,
        is_line: false,
        keep_off: false,
        surface,
        shape,
    })
}

/// The keys that say where something lies.
struct Place {
    at: Option<Pair>,
    size: Option<Spanned<Pair>>,
    turned: Option<Angle>,
    diameter: Option<Positive<Length>>,
    points: Option<Spanned<Vec<Pair>>>,
}

fn load_shape(
    tables: &mut Tables<'_>,
    place: Place,
    span: &std::ops::Range<usize>,
) -> Option<Shape> {
    let at = place.at.map(|place| Point::new(place.x, place.y));
    match (at, place.size, place.diameter, place.points) {
        (Some(at), Some(size), None, None) => {
            let Pair { x, y } = *size.get_ref();
            if x <= 0.0 || y <= 0.0 {
                tables.error("F106", size.span(), "a patch must be larger than nothing");
            }
            Some(Shape::Polygon(rectangle(
                at,
                x,
                y,
                place.turned.map_or(0.0, Angle::si),
            )))
        }
        (Some(centre), None, Some(diameter), None) => Some(Shape::Disc {
            centre,
            radius: diameter.0.si() / 2.0,
        }),
        (None, None, None, Some(points)) if points.get_ref().len() >= 3 => {
            let corners: Vec<Point> = points
                .get_ref()
                .iter()
                .map(|place| Point::new(place.x, place.y))
                .collect();
            if let Some((a, b)) = crossing(&corners) {
                let message = format!(
                    "the sides from corner {} and from corner {} cross each other",
                    a + 1,
                    b + 1
                );
                tables
                    .error("F116", points.span(), message)
                    .help("give the corners in the order in which they go round".to_owned());
            }
            Some(Shape::Polygon(corners))
        }
        _ => {
            let message =
                "it needs `at` with `size`, `at` with `diameter`, or three or more `points`";
            let hint = "for example `at = \"900, 400 mm\"` and `size = \"120 x 80 mm\"`";
            tables
                .error("F106", span.clone(), message)
                .help(hint.to_owned());
            None
        }
    }
}

/// Two sides of a polygon that cross: the corners they start from. Looked for among the first few
/// hundred only, since it is quadratic in their number.
fn crossing(corners: &[Point]) -> Option<(usize, usize)> {
    let count = corners.len();
    if count > 400 {
        return None;
    }
    let side = |i: usize| (corners[i], corners[(i + 1) % count]);
    let turn = |a: Point, b: Point, c: Point| (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x);
    let cross = |i: usize, j: usize| {
        let ((a, b), (c, d)) = (side(i), side(j));
        turn(a, b, c) * turn(a, b, d) < 0.0 && turn(c, d, a) * turn(c, d, b) < 0.0
    };
    (0..count).find_map(|i| (i + 1..count).find(|&j| cross(i, j)).map(|j| (i, j)))
}

fn keep_name(names: &mut Vec<Item<String>>, name: Option<Spanned<String>>) -> String {
    let Some(name) = name else {
        return String::new();
    };
    let span = name.span();
    let name = name.into_inner();
    names.push(Item {
        value: name.clone(),
        span,
    });
    name
}

/// The corners of a rectangle around `at`, `width` along its own x axis, turned by `turn` rad.
fn rectangle(at: Point, width: f64, height: f64, turn: f64) -> Vec<Point> {
    let pose = Pose {
        x: at.x,
        y: at.y,
        heading: turn,
    };
    [(-0.5, -0.5), (0.5, -0.5), (0.5, 0.5), (-0.5, 0.5)]
        .map(|(right, up)| pose.place(right * width, up * height))
        .to_vec()
}

fn load_walls(tables: &mut Tables<'_>, field: &mut Field) {
    let mut names = Vec::new();
    for Item { value: wall, span } in tables.sections::<WallTable>("wall") {
        let name = keep_name(&mut names, wall.name);
        let keys = PathKeys {
            section: span,
            from: wall.from,
            heading: wall.heading,
            legs: wall.legs,
            points: wall.points,
        };
        if let Some(points) = keys.lay(tables) {
            field.walls.push(Wall {
                name,
                points,
                thickness: wall.thickness.0.si(),
            });
        }
    }
    report_duplicates(tables, "wall", names.iter());
}

fn load_starts(tables: &mut Tables<'_>, field: &mut Field) {
    for entry in tables.named_sections::<StartTable>("start") {
        let place = *entry.value.at.get_ref();
        let name = entry.name.value;
        if place.x < 0.0 || place.y < 0.0 || place.x > field.width || place.y > field.height {
            let message = format!(
                "start `{name}` ({} mm, {} mm) lies outside the {} x {} mm field",
                (place.x * 1e3).round(),
                (place.y * 1e3).round(),
                (field.width * 1e3).round(),
                (field.height * 1e3).round()
            );
            tables
                .error("F107", entry.value.at.span(), message)
                .help("move it onto the mat".to_owned());
        }
        let Some((heading, turned_by_lot)) = play::heading(tables, &entry.value.heading) else {
            continue;
        };
        let pose = Pose {
            x: place.x,
            y: place.y,
            heading,
        };
        field.starts.push(Start {
            name,
            pose,
            turned_by_lot,
            span: entry.value.at.span(),
        });
    }
    if field.starts.is_empty() && tables.findings.is_empty() {
        tables
            .error("F108", 0..0, "the field has no start pose")
            .help("add [start.home] with `at` and `heading`".to_owned());
    }
}

#[cfg(test)]
mod tests;
