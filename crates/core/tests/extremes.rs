//! Files that are well formed and absurd: every number of the demo's files becomes nothing,
//! negative, tiny, huge. The answer is a finding, or a run that ends with a place for the robot;
//! never a panic, a NaN or a hang.

use std::ops::Range;

use wayodos_core::field::Unreadable;
use wayodos_core::finding::has_errors;
use wayodos_core::project::{Setup, prepare};
use wayodos_core::record::Outcome;
use wayodos_core::sim::run;

const ROBOT: &str = include_str!("../../../examples/brinewick/robots/curlew.toml");
const FIELD: &str = include_str!("../../../examples/brinewick/fields/causeway.toml");
const CALIBRATION: &str = include_str!("../../../examples/brinewick/calibration.toml");
const MISSION: &str = "limit 1.5 s\nstart slipway\nstep \"a\"\nfollow the left edge of a dark line with floor-left at 80 %, gain 2\nuntil hue sees kiln-red\nor 1 s passes\nstep \"b\"\nspin left at 100 %\nuntil floor-right has crossed 2 dark lines -> done";
const EXTREMES: [&str; 8] = [
    "0", "-1", "1e-300", "1e300", "-1e300", "1e9", "0.000001", "99999",
];

/// Places of the numbers of a text that stand in quotes or behind `=`.
fn numbers(text: &str) -> Vec<Range<usize>> {
    let mut found = Vec::new();
    let mut at = 0;
    for line in text.split_inclusive('\n') {
        let code = &line[..line.find(" #").unwrap_or(line.len())];
        if !code.starts_with('#') && !code.contains("colour") && !code.contains("name") {
            let mut from = None;
            for (index, letter) in code.char_indices().chain([(code.len(), ' ')]) {
                let digit = letter.is_ascii_digit() || letter == '.';
                let before = code[..index].chars().next_back().unwrap_or(' ');
                match from {
                    None if digit && !before.is_alphanumeric() => from = Some(index),
                    Some(start) if !digit => {
                        found.push(at + start..at + index);
                        from = None;
                    }
                    _ => {}
                }
            }
        }
        at += line.len();
    }
    found
}

fn survives(robot: &str, field: &str, mission: &str, what: &str) {
    // The calibration belongs to the demo's surfaces.
    let calibration = Some(CALIBRATION).filter(|_| field.contains("kiln-red"));
    let rival = |_: &str| Ok(ROBOT.as_bytes().to_vec());
    let (setup, findings) = Setup::load_with(robot, field, calibration, &rival);
    let Some(setup) = setup else {
        return assert!(has_errors(&findings), "{what}: refused without saying why");
    };
    let prepared = prepare(mission, Some(&setup));
    let Some(program) = prepared.program else {
        return assert!(
            has_errors(&prepared.findings),
            "{what}: not compiled without saying why"
        );
    };
    let world = setup.world();
    let run =
        run(&world, &program, world.start(Some("slipway"), 1), 1, None).expect("nobody cancels");
    let pose = run.final_pose();
    assert!(
        pose.x.is_finite() && pose.y.is_finite() && pose.heading.is_finite(),
        "{what}: {pose:?}"
    );
    assert_ne!(run.outcome, Outcome::Error, "{what}: {}", run.reason);
    assert!(
        run.trace.ticks.len() < 10_000,
        "{what}: {} ticks",
        run.trace.ticks.len()
    );
}

fn with(text: &str, place: &Range<usize>, number: &str) -> (String, String) {
    let line = text[..place.start].rfind('\n').map_or(0, |at| at + 1);
    let end = text[line..].find('\n').map_or(text.len(), |at| line + at);
    let changed = format!("{}{number}{}", &text[..place.start], &text[place.end..]);
    (changed, format!("`{}` with {number}", &text[line..end]))
}

#[test]
fn every_number_of_a_robot_may_be_absurd() {
    let places = numbers(ROBOT);
    assert!(places.len() > 40, "{}", places.len());
    for place in places {
        for number in EXTREMES {
            let (robot, what) = with(ROBOT, &place, number);
            survives(&robot, FIELD, MISSION, &what);
        }
    }
}

#[test]
fn every_number_of_a_field_may_be_absurd() {
    let places = numbers(FIELD);
    assert!(places.len() > 80, "{}", places.len());
    for place in places {
        for number in EXTREMES {
            let (field, what) = with(FIELD, &place, number);
            survives(ROBOT, &field, MISSION, &what);
        }
    }
}

/// What else can be on a field and a robot, to be made absurd in turn.
const PLAY: &str = r##"
size = "1200 x 800 mm"
ground = "pale"
ambient = "10 %"
[surface.pale]
colour = "#e9e3d2"
[surface.dark]
colour = "#202020"
[start.slipway]
at = "300, 400 mm"
heading = "10 deg"
[[line]]
surface = "dark"
width = "20 mm"
keep_off = true
points = ["100, 420 mm", "900, 420 mm"]
[[platform]]
surface = "pale"
at = "600, 400 mm"
size = "1000 x 700 mm"
turned = "3 deg"
[[object]]
name = "basket"
surface = "dark"
at = "480, 420 mm"
size = "80 x 60 mm"
turned = "30 deg"
mass = "120 g"
friction = 0.4
bounce = "20 %"
[[obstacle]]
name = "heron"
surface = "dark"
at = "800, 300 mm"
diameter = "60 mm"
comes = "0.2 s"
leaves = "0.9 s"
every = "1.1 s"
path = ["800, 500 mm"]
speed = "300 mm/s"
[[opponent]]
name = "Dunlin"
robot = "dunlin.toml"
at = "700, 600 mm"
heading = "180 deg"
patrols = ["400, 600 mm", "900, 300 mm"]
duty = "60 %"
[[zone]]
name = "dock"
at = "900, 400 mm"
diameter = "100 mm"
[rules]
clock = "1.4 s"
start_delay = "0.1 s"
decided_by = ["last on the ring"]
[[score]]
for = "robot in zone"
zone = "dock"
points = 5
"##;

const DEVICES: &str = "[[touch]]\nname = \"bumper\"\nport = \"S6\"\nside = \"front\"\n[[actuator]]\nname = \"arm\"\nport = \"MC\"\nfrom = \"-10 deg\"\nto = \"90 deg\"\nstarts = \"5 deg\"\nspeed = \"120 deg/s\"\nlength = \"60 mm\"\n[steering]\nport = \"ST\"\nahead = \"82 mm\"\nlimit = \"30 deg\"\nrate = \"120 deg/s\"\n";

#[test]
fn every_number_of_what_plays_may_be_absurd() {
    let mission = "limit 1.5 s\nstart slipway\nstep \"a\"\ndrive ahead at 300 mm/s\nuntil bumper is pressed\nor 1 s passes\nstep \"b\"\nmove arm to 60 deg\nuntil arm is there -> done\nor 0.3 s pass -> done";
    let robot = ROBOT.replace("[caster]\nahead = \"82 mm\"\ndrag = 0.04\n", DEVICES);
    let places = numbers(PLAY);
    assert!(places.len() > 40, "{}", places.len());
    for place in places {
        for number in EXTREMES {
            let (field, what) = with(PLAY, &place, number);
            survives(&robot, &field, mission, &what);
        }
    }
    for place in numbers(&robot) {
        for number in EXTREMES {
            let (robot, what) = with(&robot, &place, number);
            survives(&robot, PLAY, mission, &what);
        }
    }
}

#[test]
fn nobody_starts_in_something_else() {
    let messages = |field: &str| -> Vec<String> {
        let (_, findings) =
            Setup::load_with(ROBOT, field, None, &|_| Ok(ROBOT.as_bytes().to_vec()));
        findings
            .iter()
            .map(|finding| format!("{} {}", finding.code, finding.message))
            .collect()
    };
    assert_eq!(messages(PLAY), [] as [String; 0]);
    let wall = "[[wall]]\nname = \"dyke\"\nthickness = \"20 mm\"\npoints = [\"310, 0 mm\", \"310, 800 mm\"]\n";
    assert!(
        messages(&format!("{PLAY}{wall}"))
            .iter()
            .any(|message| message.starts_with("F118 at start `slipway`"))
    );
    let basket = PLAY.replace("480, 420 mm", "320, 400 mm");
    assert!(
        messages(&basket)
            .iter()
            .any(|message| message.starts_with("F118")),
        "{:?}",
        messages(&basket)
    );
    // An obstacle that is there from the start waits until its place is free: no mistake.
    assert_eq!(
        messages(&PLAY.replace("800, 300 mm", "300, 400 mm")),
        [] as [String; 0]
    );
    let lost = |_: &str| Err(Unreadable::Missing);
    let (_, findings) = Setup::load_with(ROBOT, PLAY, None, &lost);
    assert!(
        findings
            .iter()
            .any(|finding| finding.code == "F117" && finding.message.contains("no such file"))
    );
    let broken = |_: &str| Ok(b"name = 1".to_vec());
    assert!(
        Setup::load_with(ROBOT, PLAY, None, &broken)
            .1
            .iter()
            .any(|finding| finding.message.contains("line 1"))
    );
}

#[test]
fn every_number_of_a_mission_may_be_absurd() {
    for place in numbers(MISSION) {
        // A limit of a whole day is a long run, not an absurd one.
        for number in EXTREMES
            .iter()
            .filter(|number| place.start > 11 || number.parse().is_ok_and(|n: f64| n < 10.0))
        {
            let (mission, what) = with(MISSION, &place, number);
            survives(ROBOT, FIELD, &mission, &what);
        }
    }
}

mod any_bytes {
    //! Whatever stands in a file: the answer is a value or findings.

    use proptest::prelude::*;
    use wayodos_core::field::load_with;
    use wayodos_core::finding::has_errors;
    use wayodos_core::project::{Config, hands};

    use super::{PLAY, ROBOT, Setup};

    const HEAD: &str = "size = \"900 x 900 mm\"\nground = \"pale\"\n[surface.pale]\ncolour = \"#e9e3d2\"\n[start.a]\nat = \"200, 200 mm\"\nheading = \"0 deg\"\n";

    /// Pieces of drawings in any order.
    fn soup() -> impl Strategy<Value = String> {
        let piece = prop::sample::select(vec![
            "<svg width='90mm' height='90mm'>",
            "</svg>",
            "<g id='walls' transform='rotate(30) scale(1e9)'>",
            "<g class='keep-off gloss-900'>",
            "</g>",
            "<path d='M0 0 L1e300 5 Z",
            "M 1 1 C 1 2 3 4 5 6 A 5 0 0 1 1 9 9 z'/>",
            "<rect width='-5' height='nan'/>",
            "<circle r='1e308' fill='#12'/>",
            "<polygon points='1,1 2,2,3'/>",
            "<line x2='10' stroke='red' stroke-width='-1'/>",
            " viewBox='0 0 0 0'",
            "'",
            "&amp;",
            "é",
        ]);
        prop::collection::vec(piece, 0..30).prop_map(|pieces| pieces.concat())
    }

    /// What a field makes of a file that is `bytes`.
    fn loads(file: &str, bytes: &[u8]) -> bool {
        let text = format!("{HEAD}[[picture]]\nfile = \"{file}\"\nsize = \"300 x 300 mm\"\n");
        let (field, findings) = load_with(&text, &|_| Ok(bytes.to_vec()));
        let finite = |(low, high): (wayodos_core::field::Point, wayodos_core::field::Point)| {
            [low.x, low.y, high.x, high.y]
                .iter()
                .all(|value| value.is_finite())
        };
        field.marks.iter().all(|mark| finite(mark.shape.bounds()))
            && (findings.len() <= 2 || has_errors(&findings))
    }

    proptest! {
        #[test]
        fn as_a_picture(bytes in prop::collection::vec(any::<u8>(), 0..300), signed: bool) {
            let start: &[u8] = if signed { b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR" } else { b"" };
            prop_assert!(loads("a.png", &[start, &bytes].concat()));
            prop_assert!(loads("a.svg", &bytes));
        }

        #[test]
        fn as_a_drawing(text in soup()) {
            prop_assert!(loads("a.svg", text.as_bytes()));
            let whole = ["<svg width='90mm' height='90mm'>", &text, "</svg>"].concat();
            prop_assert!(loads("a.svg", whole.as_bytes()));
        }

        #[test]
        fn as_a_field_a_project_or_hands(bytes in prop::collection::vec(any::<u8>(), 0..200), at in 0usize..900) {
            let noise = String::from_utf8_lossy(&bytes).into_owned();
            // In the middle of a good file as well as alone.
            let cut = (0..=at.min(PLAY.len())).rev().find(|&cut| PLAY.is_char_boundary(cut)).unwrap_or(0);
            load_with(&format!("{}{noise}{}", &PLAY[..cut], &PLAY[cut..]), &|_| Err(wayodos_core::field::Unreadable::Missing));
            Config::load(&noise);
            let (setup, _) = Setup::load(ROBOT, HEAD, None);
            let (done, findings) = hands::load(&noise, &setup.unwrap());
            prop_assert!(done.is_empty() || !has_errors(&findings));
        }
    }
}

#[test]
fn the_smallest_and_the_heaviest_thing_are_pushed_about_for_a_minute() {
    let mission = "limit 60 s\nstart slipway\nstep \"a\"\ndrive ahead at 60 %\nuntil 3 s pass\nstep \"b\"\nspin left at 50 %\nuntil 1 s passes -> \"a\"";
    for diameter in ["2 mm", "5 mm", "60 mm"] {
        for mass in ["1 g", "50 kg"] {
            let thing = format!(
                "{FIELD}\n[[object]]\nname = \"thing\"\nsurface = \"pale\"\nat = \"300, 178 mm\"\ndiameter = \"{diameter}\"\nmass = \"{mass}\"\n"
            );
            survives(ROBOT, &thing, mission, &format!("{diameter}, {mass}"));
        }
    }
}

#[test]
fn what_no_robot_and_no_field_has_is_refused_with_a_reason() {
    let refused = |robot: &str, field: &str, code: &str| {
        let (setup, findings) = Setup::load(robot, field, Some(CALIBRATION));
        assert!(setup.is_none(), "{code} is let in");
        assert!(
            findings
                .iter()
                .any(|it| it.code == code && !it.hints.is_empty()),
            "{findings:#?}"
        );
    };
    let volts = ROBOT.replace("voltage = \"7.9 V\"", "voltage = \"1000000 V\"");
    assert_ne!(volts, ROBOT);
    refused(&volts, FIELD, "T006");
    let tiny = format!(
        "{FIELD}\n[[object]]\nname = \"dust\"\nsurface = \"pale\"\nat = \"300, 178 mm\"\ndiameter = \"0.01 mm\"\nmass = \"1 g\"\n"
    );
    refused(ROBOT, &tiny, "F111");
    let scattered = |words: &str| format!("{ROBOT}\n[scatter.rough]\n{words}\n");
    refused(&scattered("grip = \"-5 %\""), FIELD, "T006");
    refused(&scattered("grip = \"500 %\""), FIELD, "T006");
    refused(&scattered("weight = \"5 %\""), FIELD, "T002");
    refused(&format!("{ROBOT}\n[scatter.wild]\n"), FIELD, "T002");
}
