//! Objects, obstacles, opponents, zones and rules of a field file.

use std::ops::Range;

use serde::Deserialize;
use toml::Spanned;

use super::super::play::{
    Conduct, Decider, Feat, MOST_CORNERS, Object, Obstacle, Opponent, Outline, Scoring, Unlock,
    Zone,
};
use super::super::{Field, Point, Pose, Shape};
use super::{Place, keep_name, load_shape, surface_id};
use crate::finding::did_you_mean;
use crate::keys::{REQUIRED, holds, section};
use crate::tables::{Item, Tables, report_duplicates};
use crate::units::{Angle, Length, Mass, Pair, Percent, Positive, Speed, Time};

/// At most this many other robots.
const MOST_OPPONENTS: usize = 3;
/// At most this many objects, and this many obstacles.
const MOST_THINGS: usize = 60;

holds!(
    Vec<DeciderWord>: "a list of deciders",
    UnlockWord: "`part` or `draw`",
    FeatWord: "`object in zone`, `object off`, `all objects off`, `robot in zone`, `opponent off`, `fell`, `tape touched`, `early start`, `done` or `second left`",
);

section! {
    pub(super) ObjectTable "[[object]]" "A thing that can be pushed."
        name: Spanned<String> = "\"basket\"", REQUIRED, "Its name.";
        surface: Spanned<String> = "\"dark\"", REQUIRED, "What it looks like: the name of a [surface].";
        ..SHAPE;
        mass: Spanned<Positive<Mass>> = "\"120 g\"", REQUIRED, in 0.001..50.0, "Its mass.";
        friction: Option<Spanned<f64>> = "0.4", Some("0.4"), in 0.01..3.0, "Its friction coefficient on the mat.";
        bounce: Option<Spanned<Percent>> = "\"10 %\"", Some("0 %"), in 0.0..1.0, "How much of its speed it keeps when it hits something.";
}

section! {
    pub(super) ObstacleTable "[[obstacle]]" "A thing that nothing pushes, and that may come, leave or walk."
        name: Spanned<String> = "\"heron\"", REQUIRED, "Its name.";
        surface: Spanned<String> = "\"dark\"", REQUIRED, "What it looks like: the name of a [surface].";
        ..SHAPE;
        comes: Option<Spanned<Time>> = "\"4 s\"", Some("at the start"), "When it comes, after the start.";
        leaves: Option<Spanned<Time>> = "\"9 s\"", Some("never"), "When it leaves, after the start.";
        every: Option<Spanned<Time>> = "\"12 s\"", Some("once"), "It comes again after this time, again and again.";
        path: Option<Spanned<Vec<Pair>>> = "[\"300, 200 mm\", \"700, 200 mm\"]", Some("it stands"), "The places that it walks to.";
        speed: Option<Spanned<Positive<Speed>>> = "\"100 mm/s\"", Some("none"), "How fast it walks.";
        paces: Option<bool> = "true", Some("false"), "Whether it walks to and fro instead of once.";
}

section! {
    pub(super) OpponentTable "[[opponent]]" "Another robot, at most three of them."
        name: Spanned<String> = "\"Dunlin\"", REQUIRED, "Its name.";
        robot: Spanned<String> = "\"robots/dunlin.toml\"", REQUIRED, "Its robot file, a path in the project.";
        at: Spanned<Pair> = "\"600, 400 mm\"", REQUIRED, "Where the middle of its axle stands at the start.";
        heading: Spanned<String> = "\"180 deg\"", REQUIRED, "Where it faces, or `\"random\"`.";
        mission: Option<Spanned<String>> = "\"rivals/dunlin.way\"", Some("none"), "The mission that it runs.";
        drifts: Option<Spanned<Vec<Percent>>> = "[\"20 %\", \"25 %\"]", Some("none"), "The duties of its left and right motor, for one that just drives.";
        patrols: Option<Spanned<Vec<Pair>>> = "[\"300, 300 mm\", \"600, 300 mm\"]", Some("none"), "The places that it drives to, one after another.";
        duty: Option<Spanned<Percent>> = "\"30 %\"", Some("30 %"), in -1.0..1.0, "The duty at which it patrols.";
}

section! {
    pub(super) ZoneTable "[[zone]]" "An area that the score sheet speaks of."
        name: Spanned<String> = "\"goal\"", REQUIRED, "Its name.";
        ..SHAPE;
}

#[derive(Deserialize)]
pub(super) enum DeciderWord {
    #[serde(rename = "last on the ring")]
    LastOnTheRing,
    #[serde(rename = "all objects off")]
    AllObjectsOff,
    #[serde(rename = "early start")]
    EarlyStart,
    #[serde(rename = "clock runs out")]
    ClockRunsOut,
}

#[derive(Clone, Copy, Deserialize)]
#[serde(rename_all = "lowercase")]
pub(super) enum UnlockWord {
    Part,
    Draw,
}

section! {
    pub(super) RulesTable "[rules]" "The rules of a match."
        clock: Option<Spanned<Positive<Time>>> = "\"90 s\"", Some("none"), in 0.0..3600.0, "When the match is over.";
        start_delay: Option<Spanned<Time>> = "\"5 s\"", Some("0 s"), in 0.0..60.0, "How long nobody may move after the start.";
        #[serde(default)]
        decided_by: Vec<DeciderWord> = "[\"last on the ring\"]", Some("none"), "What decides the match: `last on the ring`, `all objects off`, `early start`; with `clock runs out`, who is still there then has won.";
        locked: Option<UnlockWord> = "\"part\"", Some("nothing is done"), "What the referee does when two robots push each other and neither moves: `part` puts both back to where they began, `draw` ends the match.";
        locked_after: Option<Spanned<Positive<Time>>> = "\"10 s\"", Some("10 s"), in 1.5..600.0, "How long that may last.";
}

#[derive(Deserialize)]
#[serde(rename_all = "lowercase")]
pub(super) enum FeatWord {
    #[serde(rename = "object in zone")]
    ObjectInZone,
    #[serde(rename = "object off")]
    ObjectOff,
    #[serde(rename = "all objects off")]
    AllObjectsOff,
    #[serde(rename = "robot in zone")]
    RobotInZone,
    #[serde(rename = "opponent off")]
    OpponentOff,
    Fell,
    #[serde(rename = "tape touched")]
    TapeTouched,
    #[serde(rename = "early start")]
    EarlyStart,
    Done,
    #[serde(rename = "second left")]
    SecondLeft,
}

section! {
    pub(super) ScoreTable "[[score]]" "A line of the score sheet."
        r#for: Spanned<FeatWord> = "\"object in zone\"", REQUIRED, "What the points are given for.";
        zone: Option<Spanned<String>> = "\"goal\"", Some("none"), "The zone, where the line is about one.";
        points: Spanned<f64> = "10", REQUIRED, in -1e6..1e6, "How many points each time.";
}

/// Reads everything that plays on the mat into the field.
pub fn load(tables: &mut Tables<'_>, field: &mut Field) {
    let mut names = Vec::new();
    for (index, Item { value, span }) in tables
        .sections::<ObjectTable>("object")
        .into_iter()
        .enumerate()
    {
        if too_many(tables, index, MOST_THINGS, "objects", &span) {
            break;
        }
        let object = object(tables, field, &mut names, value, &span);
        field.objects.extend(object);
    }
    for (index, Item { value, span }) in tables
        .sections::<ObstacleTable>("obstacle")
        .into_iter()
        .enumerate()
    {
        if too_many(tables, index, MOST_THINGS, "obstacles", &span) {
            break;
        }
        let obstacle = obstacle(tables, field, &mut names, value, &span);
        field.obstacles.extend(obstacle);
    }
    for (index, Item { value, span }) in tables
        .sections::<OpponentTable>("opponent")
        .into_iter()
        .enumerate()
    {
        if too_many(tables, index, MOST_OPPONENTS, "opponents", &span) {
            break;
        }
        field
            .opponents
            .extend(opponent(tables, &mut names, value, &span));
    }
    report_duplicates(tables, "thing", names.iter());
    let mut zones = Vec::new();
    for Item { value, span } in tables.sections::<ZoneTable>("zone") {
        let name = keep_name(&mut zones, Some(value.name));
        let place = place!(value);
        if let Some(shape) = load_shape(tables, place, &span) {
            field.zones.push(Zone { name, shape });
        }
    }
    report_duplicates(tables, "zone", zones.iter());
    rules(tables, field);
}

fn too_many(
    tables: &mut Tables<'_>,
    index: usize,
    most: usize,
    what: &str,
    span: &Range<usize>,
) -> bool {
    if index == most {
        tables
            .error("F110", span.clone(), format!("more than {most} {what}"))
            .help(format!("keep at most {most} {what}"));
    }
    index >= most
}

/// What is smaller would be nowhere in a step of a robot that drives over it.
const SMALLEST_RADIUS: f64 = 0.001;

/// An outline about its centre, and where that is.
fn solid(tables: &mut Tables<'_>, place: Place, span: &Range<usize>) -> Option<(Outline, Pose)> {
    let heading = place.turned.map_or(0.0, Angle::si);
    let mut points = match load_shape(
        tables,
        Place {
            turned: None,
            ..place
        },
        span,
    )? {
        Shape::Polygon(points) => points,
        Shape::Disc { centre, radius } => {
            if radius < SMALLEST_RADIUS {
                let message = "a thing of less than 2 mm cannot stand on the mat";
                tables
                    .error("F111", span.clone(), message)
                    .help("a diameter from 2 mm on");
                return None;
            }
            return Some((
                Outline::Disc(radius),
                Pose {
                    x: centre.x,
                    y: centre.y,
                    heading,
                },
            ));
        }
        Shape::Band { .. } | Shape::Rings(_) => return None,
    };
    if area(&points) < 0.0 {
        points.reverse();
    }
    let whole = area(&points);
    if points.len() > MOST_CORNERS || !is_convex(&points) || whole < 1e-6 {
        tables
            .error(
                "F111",
                span.clone(),
                "such an outline is not possible for a thing that stands on the mat",
            )
            .help(format!(
                "its corners must go round a shape without dents, at most {MOST_CORNERS} of them"
            ));
        return None;
    }
    let around = |of: fn(Point) -> f64| {
        let pairs = points.iter().zip(points.iter().cycle().skip(1));
        pairs
            .map(|(a, b)| (of(*a) + of(*b)) * (a.x * b.y - a.y * b.x))
            .sum::<f64>()
            / (6.0 * whole)
    };
    let centre = Point::new(around(|p| p.x), around(|p| p.y));
    let own = points
        .iter()
        .map(|p| Point::new(p.x - centre.x, p.y - centre.y))
        .collect();
    Some((
        Outline::Polygon(own),
        Pose {
            x: centre.x,
            y: centre.y,
            heading,
        },
    ))
}

fn area(points: &[Point]) -> f64 {
    points
        .iter()
        .zip(points.iter().cycle().skip(1))
        .map(|(a, b)| a.x * b.y - a.y * b.x)
        .sum::<f64>()
        / 2.0
}

/// Whether corners in counter-clockwise order turn left everywhere, and only once round.
fn is_convex(points: &[Point]) -> bool {
    let count = points.len();
    (0..count).all(|i| {
        let (a, b) = (points[i], points[(i + 1) % count]);
        points
            .iter()
            .all(|p| (b.x - a.x) * (p.y - a.y) - (b.y - a.y) * (p.x - a.x) >= -1e-9)
    })
}

fn object(
    tables: &mut Tables<'_>,
    field: &mut Field,
    names: &mut Vec<Item<String>>,
    table: ObjectTable,
    span: &Range<usize>,
) -> Option<Object> {
    let name = keep_name(names, Some(table.name));
    let surface = surface_id(tables, field, table.surface.get_ref(), table.surface.span());
    let place = place!(table);
    let (outline, pose) = solid(tables, place, span)?;
    Some(Object {
        name,
        surface,
        outline,
        pose,
        mass: table.mass.get_ref().0.si(),
        friction: table.friction.map_or(0.4, Spanned::into_inner),
        bounce: table.bounce.map_or(0.0, |bounce| bounce.get_ref().si()),
        span: span.clone(),
    })
}

fn obstacle(
    tables: &mut Tables<'_>,
    field: &mut Field,
    names: &mut Vec<Item<String>>,
    table: ObstacleTable,
    span: &Range<usize>,
) -> Option<Obstacle> {
    let name = keep_name(names, Some(table.name));
    let surface = surface_id(tables, field, table.surface.get_ref(), table.surface.span());
    let place = place!(table);
    let (outline, pose) = solid(tables, place, span)?;
    let seconds = |time: &Option<Spanned<Time>>, otherwise| {
        time.as_ref().map_or(otherwise, |t| t.get_ref().si())
    };
    let (comes, leaves) = (
        seconds(&table.comes, 0.0),
        seconds(&table.leaves, f64::INFINITY),
    );
    if comes < 0.0 || leaves <= comes {
        let span = table
            .leaves
            .as_ref()
            .or(table.comes.as_ref())
            .map_or_else(|| span.clone(), Spanned::span);
        tables
            .error(
                "F113",
                span,
                format!("`{name}` cannot leave before it comes"),
            )
            .help("give times after the start, `leaves` later than `comes`".to_owned());
    }
    let every = table.every.as_ref().map(|every| every.get_ref().si());
    if let (Some(given), Some(every)) = (&table.every, every)
        && every < leaves - comes
    {
        tables
            .error(
                "F113",
                given.span(),
                format!("`{name}` comes again before it has left"),
            )
            .help("`every` must be at least as long as it stays; give `leaves`".to_owned());
    }
    let path: Vec<Point> = table
        .path
        .iter()
        .flat_map(Spanned::get_ref)
        .map(|place| Point::new(place.x, place.y))
        .collect();
    if let (Some(path), None) = (&table.path, &table.speed) {
        tables
            .error(
                "F113",
                path.span(),
                format!("`{name}` has a path and no speed"),
            )
            .help("add `speed = \"100 mm/s\"`".to_owned());
    }
    Some(Obstacle {
        name,
        surface,
        outline,
        pose,
        comes,
        leaves,
        every: every.map(|every| every.max(0.001)),
        path,
        speed: table
            .speed
            .map_or(0.0, |speed| speed.get_ref().0.si().min(5.0)),
        paces: table.paces.unwrap_or(false),
    })
}

fn opponent(
    tables: &mut Tables<'_>,
    names: &mut Vec<Item<String>>,
    table: OpponentTable,
    span: &Range<usize>,
) -> Option<Opponent> {
    let name = keep_name(names, Some(table.name));
    let place = *table.at.get_ref();
    let (heading, turned_by_lot) = heading(tables, &table.heading)?;
    let duty = table.duty.as_ref().map_or(0.3, |duty| duty.get_ref().si());
    let conduct_span = table
        .mission
        .as_ref()
        .map_or_else(|| span.clone(), Spanned::span);
    let conduct = match (table.mission, table.drifts, table.patrols) {
        (None, None, None) => Conduct::Stands,
        (Some(path), None, None) => Conduct::Mission(path.into_inner()),
        (None, Some(drifts), None) => match drifts.get_ref().as_slice() {
            [left, right] if left.si().abs() <= 1.0 && right.si().abs() <= 1.0 => {
                Conduct::Drifts([left.si(), right.si()])
            }
            _ => {
                tables
                    .error(
                        "F114",
                        drifts.span(),
                        format!("`{name}` cannot drift like this"),
                    )
                    .help("write `drifts = [\"20 %\", \"25 %\"]`: left and right motor".to_owned());
                return None;
            }
        },
        (None, None, Some(places)) if !places.get_ref().is_empty() => {
            let points = places
                .get_ref()
                .iter()
                .map(|place| Point::new(place.x, place.y))
                .collect();
            Conduct::Patrols(points, duty.clamp(-1.0, 1.0))
        }
        _ => {
            tables
                .error(
                    "F114",
                    span.clone(),
                    format!("`{name}` cannot do several things at once, or go nowhere"),
                )
                .help(
                    "give one of `mission`, `drifts`, `patrols`, or none when it stands".to_owned(),
                );
            return None;
        }
    };
    let pose = Pose {
        x: place.x,
        y: place.y,
        heading,
    };
    let (robot_span, robot) = (table.robot.span(), table.robot.into_inner());
    Some(Opponent {
        name,
        robot,
        robot_span,
        pose,
        turned_by_lot,
        conduct,
        conduct_span,
        span: table.at.span(),
    })
}

/// A heading, or `random`.
pub fn heading(tables: &mut Tables<'_>, given: &Spanned<String>) -> Option<(f64, bool)> {
    if given.get_ref() == "random" {
        return Some((0.0, true));
    }
    match crate::units::Quantity::parse(given.get_ref()) {
        Ok(quantity) if quantity.unit.dimension() == crate::units::Dimension::Angle => {
            Some((quantity.si(), false))
        }
        _ => {
            tables
                .error(
                    "T004",
                    given.span(),
                    format!("`{}` is not a heading", given.get_ref()),
                )
                .help("write an angle such as \"90 deg\", or \"random\"".to_owned());
            None
        }
    }
}

fn rules(tables: &mut Tables<'_>, field: &mut Field) {
    if let Some(Item { value, .. }) = tables.section::<RulesTable>("rules") {
        field.rules.clock = value.clock.map(|clock| clock.get_ref().0.si());
        field.rules.start_delay = value.start_delay.map_or(0.0, |delay| delay.get_ref().si());
        field.rules.locked = value.locked.map(|word| {
            let unlock = match word {
                UnlockWord::Part => Unlock::Part,
                UnlockWord::Draw => Unlock::Draw,
            };
            let after = value.locked_after.as_ref();
            (unlock, after.map_or(10.0, |after| after.get_ref().0.si()))
        });
        field.rules.deciders = value
            .decided_by
            .into_iter()
            .map(|word| match word {
                DeciderWord::LastOnTheRing => Decider::LastOnTheRing,
                DeciderWord::AllObjectsOff => Decider::AllObjectsOff,
                DeciderWord::EarlyStart => Decider::EarlyStart,
                DeciderWord::ClockRunsOut => Decider::ClockRunsOut,
            })
            .collect();
    }
    for Item { value, span } in tables.sections::<ScoreTable>("score") {
        let mut zone = || {
            let Some(name) = &value.zone else {
                tables
                    .error("F115", span.clone(), "this needs a zone")
                    .help("add `zone = \"...\"`, the name of a [[zone]]".to_owned());
                return None;
            };
            let found = field
                .zones
                .iter()
                .position(|zone| zone.name == *name.get_ref());
            if found.is_none() {
                let hint = did_you_mean(
                    &name.span(),
                    name.get_ref(),
                    field.zones.iter().map(|zone| zone.name.as_str()),
                );
                tables
                    .error(
                        "F115",
                        name.span(),
                        format!("unknown zone `{}`", name.get_ref()),
                    )
                    .help(hint.quoted().or("add a [[zone]] of that name"));
            }
            found
        };
        let (feat, words) = match value.r#for.get_ref() {
            FeatWord::ObjectInZone => {
                let Some(zone) = zone() else { continue };
                (
                    Feat::ObjectInZone(zone),
                    format!("object in {}", field.zones[zone].name),
                )
            }
            FeatWord::RobotInZone => {
                let Some(zone) = zone() else { continue };
                (
                    Feat::RobotInZone(zone),
                    format!("robot in {}", field.zones[zone].name),
                )
            }
            FeatWord::ObjectOff => (Feat::ObjectOff, "object off".to_owned()),
            FeatWord::AllObjectsOff => (Feat::AllObjectsOff, "all objects off".to_owned()),
            FeatWord::OpponentOff => (Feat::OpponentOff, "opponent off".to_owned()),
            FeatWord::Fell => (Feat::Fell, "robot off".to_owned()),
            FeatWord::TapeTouched => (Feat::TapeTouched, "tape touched".to_owned()),
            FeatWord::EarlyStart => (Feat::EarlyStart, "early start".to_owned()),
            FeatWord::Done => (Feat::Done, "mission done".to_owned()),
            FeatWord::SecondLeft => (Feat::SecondLeft, "second left".to_owned()),
        };
        field.rules.scoring.push(Scoring {
            feat,
            points: *value.points.get_ref(),
            words,
        });
    }
}
