//! What is played about a run beside its drawings: the story of an exit, what an edit changed and
//! where, further tracks.

use std::sync::Arc;
use wayodos_core::ids::StepId;

use wayodos_core::controller::Program;
use wayodos_core::lab::evidence::{StepEvidence, evidence};
use wayodos_core::lab::why::exit_story;
use wayodos_core::project::{Setup, prepare};
use wayodos_core::record::Run;
use wayodos_core::sim::run;
use wayodos_report::why::story_words;
use wayodos_report::words::change_words;
use wayodos_report::{Chart, Story, TrackKind};

const ROBOT: &str = include_str!("../../../examples/brinewick/robots/curlew.toml");
const CALIBRATION: &str = include_str!("../../../examples/brinewick/calibration.toml");
const FIELD: &str = r##"
size = "900 x 400 mm"
ground = "pale"
surface = { pale = { colour = "#e9e3d2" }, dark = { colour = "#22252a" }, kiln-red = { colour = "#bf4a2d" } }
[[line]]
name = "sluice bar"
surface = "dark"
width = "20 mm"
points = ["400, 40 mm", "400, 360 mm"]
[[line]]
name = "far bar"
surface = "dark"
width = "20 mm"
points = ["600, 40 mm", "600, 360 mm"]
[[patch]]
name = "kiln"
surface = "kiln-red"
at = "275, 200 mm"
size = "30 x 80 mm"
[[zone]]
name = "yard"
at = "720, 200 mm"
size = "340 x 340 mm"
[start.here]
at = "150, 200 mm"
heading = "0 deg"
[[score]]
for = "robot in zone"
zone = "yard"
points = 10
"##;

struct Played {
    setup: Setup,
    program: Arc<Program>,
    run: Run,
    evidence: Vec<StepEvidence>,
}

fn played_by(robot: &str, field: &str, text: &str) -> Played {
    let (setup, findings) = Setup::load(robot, field, Some(CALIBRATION));
    let setup = setup.unwrap_or_else(|| panic!("{findings:#?}"));
    let prepared = prepare(&format!("limit 20 s\n{text}"), Some(&setup));
    let program = prepared
        .program
        .unwrap_or_else(|| panic!("{:#?}", prepared.findings));
    let run = run(
        &setup.world(),
        &program,
        setup.field.starts[0].pose,
        3,
        None,
    )
    .expect("nobody cancels it");
    let evidence = evidence(&run, &program, &setup.robot);
    Played {
        setup,
        program,
        run,
        evidence,
    }
}

impl Played {
    fn new(text: &str) -> Self {
        // Without the score the field is just a field.
        let field = FIELD
            .split("[[score]]")
            .next()
            .expect("a split has a first part");
        played_by(ROBOT, field, text)
    }

    fn story(&self) -> Story<'_> {
        Story {
            field: &self.setup.field,
            robot: &self.setup.robot,
            program: &self.program,
            run: &self.run,
        }
    }

    fn of(&self, step: usize, exit: usize) -> String {
        let story = exit_story(&self.run, &self.program, &self.evidence, StepId(step), exit);
        story_words(self.story(), &story, StepId(step), exit)
    }
}

#[test]
fn an_exit_that_fired_tells_when_how_clearly_and_where_to() {
    let played = Played::new(
        "step \"go\"\ndrive ahead at 26 %\nuntil floor-left sees dark -> \"stand\"\nor 9 s pass -> fail \"slow\"\nstep \"stand\"\nhold\nuntil 0.2 s pass -> done",
    );
    let words = played.of(0, 0);
    assert!(
        words.starts_with("Active from 0.0 s to ") && words.contains("It ended the step at"),
        "{words}"
    );
    assert!(
        words.contains("led to \"stand\"") && words.contains("times the noise of the sensor."),
        "{words}"
    );
    assert!(
        !words.contains("It was also true"),
        "of one that fired it is no matter: {words}"
    );
    let guard = played.of(0, 1);
    assert!(
        guard.contains("It did not fire:") && guard.contains("s to go."),
        "{guard}"
    );
    assert!(
        played.of(1, 0).ends_with("and led to done."),
        "{}",
        played.of(1, 0)
    );
}

#[test]
fn an_exit_that_did_not_tells_what_was_missing_and_what_was_overlooked() {
    // The kiln is passed in the first step, which does not look for it.
    let played = Played::new(
        "step \"past\"\ndrive ahead at 26 %\nuntil travelled 100 mm\nstep \"look\"\ndrive ahead at 26 %\nuntil hue sees kiln-red for 150 ms -> done\nor travelled 40 mm -> fail \"no kiln\"",
    );
    assert_eq!(
        played.run.reason,
        "no kiln",
        "{:?} {:?} {}",
        played.run.outcome,
        played.run.visits,
        played.of(1, 0)
    );
    let words = played.of(1, 0);
    assert!(
        words.contains("It never came close") || words.contains("nearly"),
        "{words}"
    );
    assert!(
        words.contains("It was also true at") && words.ends_with("while \"past\" was active."),
        "{words}"
    );
    // One line of two, part of a way, part of a turn.
    let played = Played::new(
        "step \"go\"\ndrive ahead at 26 %\nuntil floor-left has crossed 9 dark lines\nor travelled 900 mm\nor turned 90 deg\nor ahead < 30 mm\nor 4.2 s pass -> fail \"slow\"",
    );
    assert!(
        played.of(0, 0).contains("lines to go"),
        "{}",
        played.of(0, 0)
    );
    assert!(played.of(0, 1).contains("mm to go"), "{}", played.of(0, 1));
    assert!(played.of(0, 2).contains("deg to go"), "{}", played.of(0, 2));
    assert!(played.of(0, 3).contains("mm to go"), "{}", played.of(0, 3));
}

#[test]
fn a_step_that_was_never_come_to_says_so() {
    let played = Played::new(
        "step \"go\"\ndrive ahead at 26 %\nuntil travelled 100 mm -> done\nstep \"after\"\ndrive ahead at 26 %\nuntil hue sees kiln-red -> done",
    );
    let words = played.of(1, 0);
    assert!(
        words.starts_with("It was never active: its step was not reached."),
        "{words}"
    );
    assert!(
        words.contains("But it was true at") && words.contains("while \"go\" was active"),
        "{words}"
    );
}

#[test]
fn what_an_edit_changed_is_reported_with_its_place_and_the_points() {
    let text = |speed: u32, way: u32| {
        format!(
            "step \"go\"\ndrive ahead at {speed} %\nuntil travelled 130 mm\nstep \"on\"\ndrive ahead at {speed} %\nuntil travelled {way} mm -> done"
        )
    };
    let (before, after) = (Played::new(&text(26, 60)), Played::new(&text(35, 60)));
    let words = change_words(before.story(), after.story());
    assert!(
        words.contains("step 1 \"go\" ends 0.") && words.contains("s earlier, by the kiln"),
        "{words}"
    );
    let (near, far) = (
        played_by(ROBOT, FIELD, &text(26, 60)),
        played_by(ROBOT, FIELD, &text(26, 430)),
    );
    assert_eq!(near.run.sheet.total(), Some(0.0));
    let words = change_words(near.story(), far.story());
    assert!(
        words.ends_with("score 0 -> 10"),
        "{words} {:?} {:?}",
        far.run.sheet,
        far.run.final_pose()
    );
    assert!(change_words(far.story(), near.story()).ends_with("score 10 -> 0"));
}

#[test]
fn the_nearest_thing_with_a_name_is_found_within_reach() {
    let played = Played::new("step \"go\"\nhold\nuntil 0.1 s pass");
    let named = |x: f64, y: f64, within: f64| {
        played
            .setup
            .field
            .named_near(wayodos_core::field::Point::new(x, y), within)
            .map(str::to_owned)
    };
    assert_eq!(
        named(0.4, 0.2, 0.01).as_deref(),
        Some("sluice bar"),
        "on it"
    );
    assert_eq!(
        named(0.45, 0.2, 0.1).as_deref(),
        Some("sluice bar"),
        "beside it"
    );
    assert_eq!(
        named(0.52, 0.2, 0.1).as_deref(),
        Some("far bar"),
        "nearer to the other"
    );
    assert_eq!(named(0.28, 0.2, 0.01).as_deref(), Some("kiln"));
    assert_eq!(named(0.1, 0.2, 0.05), None, "nothing within reach");
}

#[test]
fn reckoning_is_right_when_the_robot_is_what_it_believes_to_be() {
    let track = |played: &Played, name: &str| -> Vec<f32> {
        let chart = Chart::of(played.story());
        let track = chart
            .tracks
            .into_iter()
            .find(|track| track.name == name)
            .unwrap_or_else(|| panic!("no {name}"));
        assert!(!track.usual, "{name} is shown only when asked for");
        match track.kind {
            TrackKind::Line {
                values, low, high, ..
            } => {
                assert!(
                    values
                        .iter()
                        .all(|value| (low - 1e-3..=high + 1e-3).contains(&f64::from(*value))),
                    "{name}"
                );
                values
            }
            TrackKind::Tones(_) => panic!("{name} is a number"),
        }
    };
    let drive = "step \"go\"\ndrive ahead at 26 %\nuntil travelled 200 mm\nstep \"turn\"\nspin left at 20 %\nuntil turned 90 deg\nstep \"on\"\ndrive ahead at 26 %\nuntil travelled 60 mm";
    // A perfect gyro, fine encoders, wheels of the size that is believed.
    let mut perfect = String::new();
    for line in ROBOT.lines() {
        let line = match line.split('=').next().map(str::trim) {
            Some("drift") => "drift = \"0 deg/s\"",
            Some("left_diameter" | "right_diameter") => "",
            _ => line,
        };
        perfect.push_str(line);
        perfect.push('\n');
    }
    let field = FIELD
        .split("[[score]]")
        .next()
        .expect("a split has a first part");
    let played = played_by(&perfect, field, drive);
    let off = track(&played, "position error");
    let way = track(&played, "way");
    assert!(
        (way.last().copied().unwrap_or(0.0) - 260.0).abs() < 15.0,
        "{:?}",
        way.last()
    );
    // What is left is slip and the encoders' ticks: under three per cent of the way.
    assert!(
        off.iter().all(|off| *off < 0.03 * 260.0),
        "{:?}",
        off.iter().copied().fold(0.0f32, f32::max)
    );
    let heading = track(&played, "heading");
    assert!(
        (heading.last().copied().unwrap_or(0.0) - 90.0).abs() < 8.0,
        "{:?}",
        heading.last()
    );
    // Wheels that are larger than believed: it comes further than it thinks, by that much.
    let larger = played_by(
        &format!(
            "{}\n",
            perfect.replacen(
                "wheel_diameter = \"56 mm\"",
                "wheel_diameter = \"50 mm\"",
                1
            )
        ),
        field,
        drive,
    );
    assert!(track(&larger, "way").len() > 10);
    let told_left = track(&played, "left command");
    assert_eq!(
        told_left[10], 26.0,
        "the share of the voltage that the motor is played"
    );
}

#[test]
fn a_reflex_has_a_ribbon_of_its_own_while_it_has_the_wheels() {
    let played = Played::new(
        "reflex \"Back off\"\nwhen floor-left sees dark\ndrive back at 26 %\nuntil travelled 40 mm\nthen resume\nstep \"go\"\ndrive ahead at 26 %\nuntil 6 s pass -> done",
    );
    let chart = Chart::of(played.story());
    let track = chart
        .tracks
        .iter()
        .find(|track| track.name == "reflex")
        .expect("it took over");
    let TrackKind::Tones(ribbons) = &track.kind else {
        panic!("a ribbon")
    };
    assert!(
        track.usual
            && !ribbons.is_empty()
            && ribbons
                .iter()
                .all(|one| one.tone == "Back off" && one.to > one.from)
    );
    let calm = Played::new("step \"go\"\nhold\nuntil 1 s passes -> done");
    assert!(
        !Chart::of(calm.story())
            .tracks
            .iter()
            .any(|track| track.name == "reflex"),
        "none, no room for it"
    );
}
