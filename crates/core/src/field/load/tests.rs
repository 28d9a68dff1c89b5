//! Each mistake in a field file is one finding with its place.

use super::*;
use crate::finding::line_column;

const GOOD: &str = r##"
name = "Test mat"
size = "1000 x 600 mm"
ground = "pale"
[surface.dark]
colour = "#202020"
[surface.pale]
colour = "#e8e4d8"
[start.home]
at = "100, 100 mm"
heading = "0 deg"
[[line]]
name = "way"
surface = "dark"
width = "20 mm"
from = "100, 100 mm"
legs = ["ahead 500 mm"]
[[patch]]
name = "spot"
surface = "dark"
at = "500, 400 mm"
diameter = "80 mm"
[[wall]]
thickness = "20 mm"
points = ["0, 590 mm", "1000, 590 mm"]
"##;

#[test]
fn a_good_file_has_no_findings() {
    let (field, findings) = load(GOOD);
    assert_eq!(findings, []);
    assert_eq!((field.width, field.height), (1.0, 0.6));
    assert_eq!(
        field.surface(SurfaceId(0)).name,
        "pale",
        "the ground comes first"
    );
    assert_eq!(field.marks.len(), 2);
    assert_eq!(field.walls.len(), 1);
    assert!(field.start("home").is_some());
}

/// Replaces `old` in the good file and expects exactly one finding, on the line that holds `at`.
#[track_caller]
fn check(old: &str, new: &str, code: &str, at: &str, says: &str) {
    assert!(GOOD.contains(old), "the good file has no `{old}`");
    let text = GOOD.replacen(old, new, 1);
    let (_, findings) = load(&text);
    let [finding] = findings.as_slice() else {
        panic!("expected one finding, got {findings:#?}")
    };
    assert_eq!(finding.code, code, "{finding:#?}");
    let line = line_column(&text, finding.span.start).0;
    let expected = line_column(&text, text.find(at).unwrap()).0;
    assert_eq!(line, expected, "{finding:#?}");
    let message = format!("{} | {}", finding.message, finding.hint_words().join(" | "));
    assert!(message.contains(says), "`{message}` does not say `{says}`");
}

#[test]
fn mistakes_are_reported_with_line_and_hint() {
    check(
        "width = \"20 mm\"",
        "widht = \"20 mm\"",
        "T002",
        "widht",
        "did you mean `width`?",
    );
    check(
        "width = \"20 mm\"",
        "width = 20",
        "T004",
        "width = 20",
        "has no unit",
    );
    check(
        "width = \"20 mm\"",
        "width = \"20 deg\"",
        "T004",
        "20 deg",
        "expected a length",
    );
    check(
        "width = \"20 mm\"",
        "width = \"-20 mm\"",
        "T004",
        "-20 mm",
        "must be more than zero",
    );
    check(
        "width = \"20 mm\"\n",
        "",
        "T003",
        "[[line]]",
        "missing key `width`",
    );
    check(
        "surface = \"dark\"",
        "surface = \"drak\"",
        "F104",
        "drak",
        "did you mean `dark`?",
    );
    check(
        "name = \"spot\"",
        "name = \"way\"",
        "T005",
        "name = \"way\"\nsurface = \"dark\"\nat",
        "two marks named `way`",
    );
    check(
        "colour = \"#202020\"",
        "colour = \"black\"",
        "F103",
        "black",
        "#1d1f22",
    );
    check(
        "at = \"100, 100 mm\"",
        "at = \"100, 1000 mm\"",
        "F107",
        "1000 mm\"",
        "outside the 1000 x 600 mm field",
    );
    check(
        "1000 x 600 mm",
        "1000 x 600 m",
        "F101",
        "600 m\"",
        "100 mm to 20 m",
    );
    check(
        "ahead 500 mm",
        "forward 500 mm",
        "F105",
        "forward",
        "leg 1: expected `ahead`",
    );
    check("diameter = \"80 mm\"", "", "F106", "[[patch]]", "it needs");
    check(
        "[start.home]",
        "[stat.home]",
        "T002",
        "stat.home",
        "did you mean `start`?",
    );
    check("name = \"Test mat\"", "name = ", "T001", "name = ", "");
}

#[test]
fn platforms_edges_and_light_are_read_and_checked() {
    let platform = "[[platform]]\nname = \"deck\"\nsurface = \"pale\"\nat = \"700, 300 mm\"\nsize = \"200 x 100 mm\"\n";
    let text = format!("edge = \"drop\"\nambient = \"12 %\"\n{GOOD}{platform}");
    let (field, findings) = load(&text);
    assert_eq!(findings, []);
    assert_eq!(
        (field.edge, field.ambient, field.platforms.len()),
        (Edge::Drop, 0.12, 1)
    );
    assert_eq!(field.platform_at(Point::new(0.7, 0.3)), Some(0));
    assert_eq!(field.platform_at(Point::new(0.5, 0.3)), None);
    assert_eq!(field.marks.len(), 3, "it is painted, too");
    let message = |old: &str, new: &str| {
        assert!(text.contains(old));
        let (_, findings) = load(&text.replacen(old, new, 1));
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
    assert!(message("\"12 %\"", "\"900 %\"").starts_with("T006"));
    assert!(message("\"drop\"", "\"cliff\"").contains("possible are `floor`, `drop`"));
    assert!(message("size = \"200 x 100 mm\"", "").starts_with("F106"));
    assert!(message("name = \"deck\"", "name = \"spot\"").contains("two marks named `spot`"));
}

#[test]
fn several_mistakes_are_reported_at_once() {
    let text = GOOD.replace("20 mm", "20").replace("80 mm", "80");
    let (_, findings) = load(&text);
    assert!(findings.len() >= 3, "{findings:#?}");
}

/// A field with everything that plays on it.
const PLAY: &str = r#"
[[object]]
name = "basket"
surface = "dark"
at = "300, 300 mm"
size = "80 x 60 mm"
turned = "30 deg"
mass = "120 g"
friction = 0.5
bounce = "10 %"
[[obstacle]]
name = "heron"
surface = "dark"
at = "700, 300 mm"
diameter = "60 mm"
comes = "2 s"
leaves = "5 s"
every = "9 s"
path = ["700, 400 mm"]
speed = "50 mm/s"
[[opponent]]
name = "Dunlin"
robot = "robots/dunlin.toml"
at = "800, 200 mm"
heading = "random"
patrols = ["800, 300 mm", "800, 100 mm"]
duty = "30 %"
[[zone]]
name = "dock"
at = "500, 500 mm"
size = "100 x 100 mm"
[rules]
clock = "90 s"
start_delay = "3 s"
decided_by = ["last on the ring", "all objects off", "early start"]
[[score]]
for = "object in zone"
zone = "dock"
points = 5
"#;

#[test]
fn what_plays_on_the_mat_is_read() {
    let (field, findings) = load(&format!("{GOOD}{PLAY}"));
    assert_eq!(findings, []);
    let basket = &field.objects[0];
    assert!((basket.outline.area() - 0.0048).abs() < 1e-12 && basket.pose.heading > 0.5);
    // A plate of 80 x 60 mm: (a^2 + b^2) / 12.
    assert!((basket.outline.inertia() - (0.0064 + 0.0036) / 12.0).abs() < 1e-12);
    let heron = &field.obstacles[0];
    assert_eq!(
        (heron.comes, heron.leaves, heron.every, heron.paces),
        (2.0, 5.0, Some(9.0), false)
    );
    assert!(field.opponents[0].turned_by_lot);
    assert_eq!(field.rules.deciders.len(), 3);
    assert_eq!(
        (
            field.rules.scoring[0].words.as_str(),
            field.rules.start_delay
        ),
        ("object in dock", 3.0)
    );
}

#[test]
fn mistakes_of_what_plays_are_reported_with_line_and_hint() {
    let good = format!("{GOOD}{PLAY}");
    let check = |old: &str, new: &str, code: &str, says: &str| {
        let at = good.find(old).unwrap_or_else(|| panic!("no `{old}`"));
        let text = good.replacen(old, new, 1);
        let (_, findings) = load(&text);
        let [finding] = findings.as_slice() else {
            panic!("{old} -> {new}: {findings:#?}")
        };
        let message = format!(
            "{} {} | {}",
            finding.code,
            finding.message,
            finding.hint_words().join(" | ")
        );
        assert!(finding.code == code && message.contains(says), "{message}");
        let (line, expected) = (
            line_column(&text, finding.span.start).0,
            line_column(&good, at).0,
        );
        assert!(
            line.abs_diff(expected) <= 9,
            "line {line} for a mistake in {expected}: {message}"
        );
    };
    check("mass = \"120 g\"", "mass = \"0 g\"", "T006", "1 g to 50 kg");
    check(
        "mass = \"120 g\"",
        "mass = \"120 kg\"",
        "T006",
        "1 g to 50 kg",
    );
    check("friction = 0.5", "friction = nan", "T006", "0.01 to 3");
    check(
        "bounce = \"10 %\"",
        "bounce = \"200 %\"",
        "T006",
        "0 % to 100 %",
    );
    check(
        "leaves = \"5 s\"",
        "leaves = \"1 s\"",
        "F113",
        "cannot leave before it comes",
    );
    check(
        "every = \"9 s\"",
        "every = \"1 s\"",
        "F113",
        "comes again before it has left",
    );
    check("speed = \"50 mm/s\"\n", "", "F113", "no speed");
    check(
        "duty = \"30 %\"",
        "duty = \"300 %\"",
        "T006",
        "-100 % to 100 %",
    );
    check(
        "patrols = [\"800, 300 mm\", \"800, 100 mm\"]",
        "patrols = []",
        "F114",
        "give one of",
    );
    check(
        "patrols = ",
        "mission = \"a.way\"\npatrols = ",
        "F114",
        "give one of",
    );
    check(
        "heading = \"random\"",
        "heading = \"north\"",
        "T004",
        "\"random\"",
    );
    check(
        "clock = \"90 s\"",
        "clock = \"90 min\"",
        "T006",
        "0 s to 60 min",
    );
    check(
        "zone = \"dock\"",
        "zone = \"dok\"",
        "F115",
        "did you mean `dock`?",
    );
    check("zone = \"dock\"\n", "", "F115", "needs a zone");
    check("points = 5", "points = inf", "T006", "-1000000 to 1000000");
    check(
        "name = \"heron\"",
        "name = \"basket\"",
        "T005",
        "two things named `basket`",
    );
    check(
        "at = \"500, 500 mm\"\nsize = \"100 x 100 mm\"",
        "points = [\"0, 0 mm\", \"90, 90 mm\", \"90, 0 mm\", \"0, 90 mm\"]",
        "F116",
        "cross each other",
    );
    check(
        "at = \"300, 300 mm\"\nsize = \"80 x 60 mm\"\nturned = \"30 deg\"",
        "points = [\"300, 300 mm\", \"400, 300 mm\", \"320, 320 mm\", \"300, 400 mm\"]",
        "F111",
        "without dents",
    );
    let many = "[[object]]\nname = \"x\"\nsurface = \"dark\"\nat = \"1, 1 mm\"\ndiameter = \"1 mm\"\nmass = \"1 g\"\n";
    let text: String = (0..70)
        .map(|index| many.replace('x', &format!("x{index}")))
        .collect();
    assert!(
        load(&format!("{GOOD}{text}"))
            .1
            .iter()
            .any(|finding| finding.code == "F110")
    );
}

const SVG: &str = "<svg xmlns='http://www.w3.org/2000/svg' width='200mm' height='100mm' viewBox='0 0 200 100'>\
    <rect width='50' height='50' fill='#202020'/><rect x='50' width='50' height='50' fill='#bf4a2d' class='gloss-50'/>\
    <g id='walls'><path d='M0 100 H200' stroke='black' stroke-width='4'/></g><text>salt</text></svg>";

fn with_picture(section: &str) -> (Field, Vec<Finding>) {
    let files = |path: &str| match path {
        "mat.svg" => Ok(SVG.as_bytes().to_vec()),
        "broken.png" => Ok(b"\x89PNG\r\n\x1a\n\0\0".to_vec()),
        _ => Err(Unreadable::Missing),
    };
    load_with(&format!("{GOOD}[[picture]]\n{section}\n"), &files)
}

#[test]
fn a_drawing_becomes_marks_surfaces_and_walls_beneath_the_fields_own() {
    let (field, findings) = with_picture("file = \"mat.svg\"\nat = \"100, 100 mm\"");
    let [finding] = findings.as_slice() else {
        panic!("{findings:#?}")
    };
    assert!(
        finding.code == "F120" && finding.message.contains("1 x text"),
        "{finding:#?}"
    );
    assert_eq!((field.marks.len(), field.walls.len()), (4, 2));
    assert_eq!(
        field.surface(field.marks[0].surface).name,
        "dark",
        "its colour is that of a surface"
    );
    let new = field.surface(field.marks[1].surface);
    assert_eq!(
        (new.name.as_str(), new.gloss),
        ("#bf4a2d at 50 % gloss", 0.5)
    );
    assert_eq!(
        field.marks[2].name, "way",
        "the file's own lines lie on top"
    );
    assert!(
        (field.walls[0].points[0].y - 0.1).abs() < 1e-12
            || (field.walls[1].points[0].y - 0.1).abs() < 1e-12
    );
}

#[test]
fn a_picture_that_cannot_be_used_is_reported_where_it_is_named() {
    let message = |section: &str| {
        let (_, findings) = with_picture(section);
        let [finding] = findings.as_slice() else {
            panic!("{findings:#?}")
        };
        assert_eq!(finding.code, "F119");
        finding.message.clone()
    };
    assert!(message("file = \"mat.bmp\"").contains("neither in .png nor in .svg"));
    assert!(message("file = \"lost.svg\"").contains("no such file"));
    assert!(message("file = \"broken.png\"").contains("how large"));
    assert!(message("file = \"broken.png\"\nsize = \"100 x 100 mm\"").contains("cut off"));
    assert!(message("file = \"mat.svg\"\nsize = \"0 x 100 mm\"").contains("such a size"));
}
