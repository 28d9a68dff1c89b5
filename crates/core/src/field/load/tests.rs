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
    assert_eq!(field.surface(SurfaceId(0)).name, "pale", "the ground comes first");
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
    let [finding] = findings.as_slice() else { panic!("expected one finding, got {findings:#?}") };
    assert_eq!(finding.code, code, "{finding:#?}");
    let line = line_column(&text, finding.span.start).0;
    let expected = line_column(&text, text.find(at).unwrap()).0;
    assert_eq!(line, expected, "{finding:#?}");
    let told = format!("{} | {}", finding.message, finding.hints.join(" | "));
    assert!(told.contains(says), "`{told}` does not say `{says}`");
}

#[test]
fn mistakes_are_told_with_line_and_hint() {
    check("width = \"20 mm\"", "widht = \"20 mm\"", "T002", "widht", "did you mean `width`?");
    check("width = \"20 mm\"", "width = 20", "T004", "width = 20", "has no unit");
    check("width = \"20 mm\"", "width = \"20 deg\"", "T004", "20 deg", "expected a length");
    check("width = \"20 mm\"", "width = \"-20 mm\"", "T004", "-20 mm", "must be more than zero");
    check("width = \"20 mm\"\n", "", "T003", "[[line]]", "missing key `width`");
    check("surface = \"dark\"", "surface = \"drak\"", "F104", "drak", "did you mean `dark`?");
    check(
        "name = \"spot\"",
        "name = \"way\"",
        "T005",
        "name = \"way\"\nsurface = \"dark\"\nat",
        "two marks named `way`",
    );
    check("colour = \"#202020\"", "colour = \"black\"", "F103", "black", "#1d1f22");
    check("at = \"100, 100 mm\"", "at = \"100, 1000 mm\"", "F107", "1000 mm\"", "outside the 1000 x 600 mm field");
    check("1000 x 600 mm", "1000 x 600 m", "F101", "600 m\"", "100 mm to 20 m");
    check("ahead 500 mm", "forward 500 mm", "F105", "forward", "leg 1: expected `ahead`");
    check("diameter = \"80 mm\"", "", "F106", "[[patch]]", "it needs");
    check("[start.home]", "[stat.home]", "T002", "stat.home", "did you mean `start`?");
    check("name = \"Test mat\"", "name = ", "T001", "name = ", "");
}

#[test]
fn platforms_edges_and_light_are_read_and_checked() {
    let platform = "[[platform]]\nname = \"deck\"\nsurface = \"pale\"\nat = \"700, 300 mm\"\nsize = \"200 x 100 mm\"\n";
    let text = format!("edge = \"drop\"\nambient = \"12 %\"\n{GOOD}{platform}");
    let (field, findings) = load(&text);
    assert_eq!(findings, []);
    assert_eq!((field.edge, field.ambient, field.platforms.len()), (Edge::Drop, 0.12, 1));
    assert_eq!(field.platform_at(Point::new(0.7, 0.3)), Some(0));
    assert_eq!(field.platform_at(Point::new(0.5, 0.3)), None);
    assert_eq!(field.marks.len(), 3, "it is painted, too");
    let told = |old: &str, new: &str| {
        assert!(text.contains(old));
        let (_, findings) = load(&text.replacen(old, new, 1));
        let [finding] = findings.as_slice() else { panic!("{findings:#?}") };
        format!("{} {} | {}", finding.code, finding.message, finding.hints.join(" | "))
    };
    assert!(told("\"12 %\"", "\"900 %\"").starts_with("F109"));
    assert!(told("\"drop\"", "\"cliff\"").contains("possible are `floor`, `drop`"));
    assert!(told("size = \"200 x 100 mm\"", "").starts_with("F106"));
    assert!(told("name = \"deck\"", "name = \"spot\"").contains("two marks named `spot`"));
}

#[test]
fn several_mistakes_are_told_at_once() {
    let text = GOOD.replace("20 mm", "20").replace("80 mm", "80");
    let (_, findings) = load(&text);
    assert!(findings.len() >= 3, "{findings:#?}");
}
