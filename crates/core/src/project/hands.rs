//! Files of what is done by hand during a run: a timetable, so that it is done again exactly.

use toml::Spanned;

use super::Setup;
use crate::field::{Field, Mark, Point, Pose, Shape, SurfaceId};
use crate::finding::{Finding, Source, did_you_mean};
use crate::keys::{Described, REQUIRED, Section, section};
use crate::record::{Act, Intervention};
use crate::tables::{Item, Tables};
use crate::units::{Angle, Length, Pair, Positive, Time};

/// At most this many.
const MOST: usize = 1000;

section! {
    HandTable "[[hand]]" "Something done by hand during a run."
        at: Spanned<Time> = "\"12.5 s\"", REQUIRED, in 0.0..3600.0, "When, after the start.";
        place: Option<Spanned<String>> = "\"box\"", Some("none"), "Puts an object or obstacle down, at `to`.";
        remove: Option<Spanned<String>> = "\"box\"", Some("none"), "Takes an object or obstacle away.";
        carry: Option<Pair> = "\"320, 178 mm\"", Some("none"), "Puts the robot somewhere else.";
        cover: Option<Spanned<String>> = "\"ahead\"", Some("none"), "Holds a hand before a ranging sensor.";
        press: Option<Spanned<String>> = "\"bumper\"", Some("none"), "Presses a switch or button.";
        lay: Option<Spanned<String>> = "\"dark\"", Some("none"), "Lays a line of a surface on the mat.";
        to: Option<Pair> = "\"400, 300 mm\"", Some("none"), "Where something is put down.";
        #[serde(default)]
        heading: Angle = "\"0 deg\"", Some("0 deg"), "The heading of what is put down or carried.";
        distance: Option<Positive<Length>> = "\"50 mm\"", Some("none"), "How far before the sensor the hand is held.";
        lasts: Option<Positive<Time>> = "\"1 s\"", Some("none"), "How long a hand is held, or a switch pressed.";
        width: Option<Positive<Length>> = "\"20 mm\"", Some("none"), "The width of a line that is laid.";
        points: Option<Vec<Pair>> = "[\"300, 300 mm\", \"500, 300 mm\"]", Some("none"), "The middle line of what is laid.";
}

/// All that a file of hands may hold.
pub const FILE: &[Section] = &[HandTable::SECTION];

/// Whether a file of hands puts down the box that [`Setup::with_box`] has.
pub fn asks_for_box(text: &str) -> bool {
    text.lines().any(|line| {
        let mut parts = line.split('=').map(str::trim);
        matches!(
            (parts.next(), parts.next()),
            (Some("place"), Some("\"box\""))
        )
    })
}

/// A file of hands, as [`load`] reads it.
pub fn write(hands: &[Intervention], field: &Field) -> String {
    let mut text = String::from("# What is done by hand during a run.\n");
    let mm = |x: f64, y: f64| format!("\"{:.0}, {:.0} mm\"", x * 1e3, y * 1e3);
    for hand in hands {
        let mut line = |words: String| {
            text.push_str(&words);
            text.push('\n');
        };
        line(format!(
            "\n[[hand]]\nat = \"{} s\"",
            hand.at_ms as f64 / 1e3
        ));
        let to = |pose: &Pose| {
            format!(
                "to = {}\nheading = \"{:.0} deg\"",
                mm(pose.x, pose.y),
                pose.heading.to_degrees().round() + 0.0
            )
        };
        match &hand.act {
            Act::Place { thing, pose } => line(format!("place = {thing:?}\n{}", to(pose))),
            Act::Remove { thing } => line(format!("remove = {thing:?}")),
            Act::Carry { pose } => {
                let heading = pose.heading.to_degrees().round() + 0.0;
                line(format!(
                    "carry = {}\nheading = \"{heading:.0} deg\"",
                    mm(pose.x, pose.y)
                ));
            }
            Act::Cover {
                sensor,
                distance,
                for_ms,
            } => {
                line(format!(
                    "cover = {sensor:?}\ndistance = \"{:.0} mm\"\nlasts = \"{for_ms} ms\"",
                    distance * 1e3
                ));
            }
            Act::Press { switch, for_ms } => {
                line(format!("press = {switch:?}\nlasts = \"{for_ms} ms\""));
            }
            Act::Lay(mark) => {
                let Shape::Band { points, width } = &mark.shape else {
                    continue;
                };
                let surface = field
                    .surfaces
                    .get(usize::from(mark.surface.0))
                    .map_or("", |surface| surface.name.as_str());
                let points: Vec<String> = points.iter().map(|point| mm(point.x, point.y)).collect();
                line(format!(
                    "lay = {surface:?}\nwidth = \"{:.0} mm\"\npoints = [{}]",
                    width * 1e3,
                    points.join(", ")
                ));
            }
        }
    }
    text
}

/// Reads a file of hands; what it names must be on this robot and field.
pub fn load(text: &str, setup: &Setup) -> (Vec<Intervention>, Vec<Finding>) {
    let mut tables = Tables::new(Source::Hands, text, FILE);
    let mut hands = Vec::new();
    for (index, Item { value, span }) in
        tables.sections::<HandTable>("hand").into_iter().enumerate()
    {
        if index == MOST {
            tables
                .error("H101", span, format!("more than {MOST} hands"))
                .help("use fewer".to_owned());
            break;
        }
        let seconds = value.at.get_ref().si();
        if let Some(act) = act(&mut tables, setup, &value, span) {
            hands.push(Intervention {
                at_ms: (seconds * 1e3).round() as u64,
                act,
            });
        }
    }
    hands.sort_by_key(|hand| hand.at_ms);
    (hands, tables.findings)
}

fn act(
    tables: &mut Tables<'_>,
    setup: &Setup,
    table: &HandTable,
    span: std::ops::Range<usize>,
) -> Option<Act> {
    let (robot, field) = (&setup.robot, &setup.field);
    let things = || {
        let obstacles = field
            .obstacles
            .iter()
            .map(|obstacle| obstacle.name.as_str());
        field
            .objects
            .iter()
            .map(|object| object.name.as_str())
            .chain(obstacles)
    };
    let mut known = |name: &Spanned<String>, what: &str, all: &mut dyn Iterator<Item = &str>| {
        let names: Vec<&str> = all.collect();
        if names.contains(&name.get_ref().as_str()) {
            return true;
        }
        let hint = did_you_mean(&name.span(), name.get_ref(), names.iter().copied());
        tables
            .error(
                "H102",
                name.span(),
                format!("there is no {what} `{}`", name.get_ref()),
            )
            .help(hint.quoted());
        false
    };
    let pose = |place: Pair| Pose {
        x: place.x,
        y: place.y,
        heading: table.heading.si(),
    };
    let for_ms = table
        .lasts
        .map(|lasts| (lasts.0.si() * 1e3).round().max(1.0) as u64);
    let named = |name: &Spanned<String>| name.get_ref().clone();
    match table {
        HandTable {
            place: Some(thing),
            to: Some(to),
            ..
        } => known(thing, "object or obstacle", &mut things()).then(|| Act::Place {
            thing: named(thing),
            pose: pose(*to),
        }),
        HandTable {
            remove: Some(thing),
            ..
        } => known(thing, "object or obstacle", &mut things()).then(|| Act::Remove {
            thing: named(thing),
        }),
        HandTable {
            carry: Some(to), ..
        } => Some(Act::Carry { pose: pose(*to) }),
        HandTable {
            cover: Some(sensor),
            distance: Some(distance),
            lasts: Some(_),
            ..
        } => {
            let mut all = robot.rangers.iter().map(|sensor| sensor.name.as_str());
            known(sensor, "ranging sensor", &mut all).then(|| Act::Cover {
                sensor: named(sensor),
                distance: distance.0.si(),
                for_ms: for_ms.unwrap_or(1),
            })
        }
        HandTable {
            press: Some(switch),
            lasts: Some(_),
            ..
        } => {
            let mut all = robot.touches.iter().map(|switch| switch.name.as_str());
            known(switch, "touch switch or button", &mut all).then(|| Act::Press {
                switch: named(switch),
                for_ms: for_ms.unwrap_or(1),
            })
        }
        HandTable {
            lay: Some(surface),
            width: Some(width),
            points: Some(points),
            ..
        } if points.len() >= 2 => {
            let mut all = field.surfaces.iter().map(|surface| surface.name.as_str());
            if !known(surface, "surface", &mut all) {
                return None;
            }
            let id = field
                .surfaces
                .iter()
                .position(|known| known.name == *surface.get_ref())?;
            let points = points
                .iter()
                .map(|place| Point::new(place.x, place.y))
                .collect();
            let shape = Shape::Band {
                points,
                width: width.0.si(),
            };
            Some(Act::Lay(Mark {
                name: String::new(),
                is_line: true,
                keep_off: false,
                surface: SurfaceId(id as u8),
                shape,
            }))
        }
        _ => {
            tables.error("H103", span, "it does not say all that a hand needs to know").help(
                "`place` with `to`; `remove`; `carry`; `cover` with `distance` and `lasts`; `press` with `lasts`; or `lay` with `width` and `points`"
                    .to_owned(),
            );
            None
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn setup() -> Setup {
        let robot = include_str!("../../../../examples/brinewick/robots/curlew.toml");
        let field = "size = \"900 x 900 mm\"\nground = \"pale\"\n[surface.pale]\ncolour = \"#e9e3d2\"\n[start.a]\nat = \"200, 200 mm\"\nheading = \"0 deg\"\n\
            [[obstacle]]\nname = \"heron\"\nsurface = \"pale\"\nat = \"700, 700 mm\"\ndiameter = \"50 mm\"\n";
        let (setup, findings) = Setup::load(robot, field, None);
        setup.unwrap_or_else(|| panic!("{findings:#?}"))
    }

    #[test]
    fn hands_come_in_order_of_time_whatever_their_order_in_the_file() {
        let text = "[[hand]]\nat = \"2 s\"\nremove = \"heron\"\n[[hand]]\nat = \"500 ms\"\ncover = \"ahead\"\ndistance = \"90 mm\"\nlasts = \"300 ms\"\n\
            [[hand]]\nat = \"3 s\"\nlay = \"pale\"\nwidth = \"20 mm\"\npoints = [\"0, 0 mm\", \"9, 9 mm\"]\n[[hand]]\nat = \"1 s\"\nplace = \"heron\"\nto = \"300, 300 mm\"\n\
            [[hand]]\nat = \"4 s\"\ncarry = \"300, 300 mm\"\nheading = \"90 deg\"\n";
        let (hands, findings) = load(text, &setup());
        assert_eq!(findings, []);
        assert_eq!(
            hands.iter().map(|hand| hand.at_ms).collect::<Vec<_>>(),
            [500, 1000, 2000, 3000, 4000]
        );
        assert_eq!(
            hands[0].act,
            Act::Cover {
                sensor: "ahead".into(),
                distance: 0.09,
                for_ms: 300
            }
        );
        assert_eq!(
            hands[1].act,
            Act::Place {
                thing: "heron".into(),
                pose: Pose {
                    x: 0.3,
                    y: 0.3,
                    heading: 0.0
                }
            }
        );
    }

    #[test]
    fn mistakes_of_hands_are_reported() {
        let message = |rest: &str| {
            let (_, findings) = load(&format!("[[hand]]\n{rest}\n"), &setup());
            let [finding] = findings.as_slice() else {
                panic!("{findings:#?}")
            };
            format!(
                "{} {} | {}",
                finding.code,
                finding.message,
                finding.hint_words().join(" | ")
            )
        };
        assert!(message("at = \"2 h\"").starts_with("T004"));
        assert!(message("at = \"-2 s\"\nremove = \"heron\"").starts_with("T006"));
        assert!(message("at = \"2 s\"\nremove = \"hero\"").contains("did you mean `heron`?"));
        assert!(message("at = \"2 s\"\nplace = \"heron\"").starts_with("H103"));
        assert!(
            message("at = \"2 s\"\npress = \"go\"\nlasts = \"1 s\"")
                .contains("no touch switch or button `go`")
        );
        assert!(message("at = \"2 s\"\ncovers = \"ahead\"").starts_with("T002"));
    }
}
