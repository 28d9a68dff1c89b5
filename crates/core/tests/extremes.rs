//! Files that are well formed and absurd: every number of the demo's files becomes nothing, negative, tiny, huge.
//! The answer is a finding, or a run that ends with a place for the robot; never a panic, a NaN or a hang.

use std::ops::Range;

use wayodos_core::finding::has_errors;
use wayodos_core::project::{Setup, prepare};
use wayodos_core::sim::{Outcome, run};

const ROBOT: &str = include_str!("../../../examples/brinewick/robots/curlew.toml");
const FIELD: &str = include_str!("../../../examples/brinewick/fields/causeway.toml");
const CALIBRATION: &str = include_str!("../../../examples/brinewick/calibration.toml");
const MISSION: &str = "limit 1.5 s\nstart slipway\nstep \"a\"\nfollow the left edge of a dark line with floor-left at 80 %, gain 2\nuntil hue sees kiln-red\nor 1 s passes\nstep \"b\"\nspin left at 100 %\nuntil floor-right has crossed 2 dark lines -> done";
const EXTREMES: [&str; 8] = ["0", "-1", "1e-300", "1e300", "-1e300", "1e9", "0.000001", "99999"];

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
    let (setup, findings) = Setup::load(robot, field, Some(CALIBRATION));
    let Some(setup) = setup else {
        return assert!(has_errors(&findings), "{what}: refused without saying why");
    };
    let prepared = prepare(mission, Some(&setup));
    let Some(program) = prepared.program else {
        return assert!(has_errors(&prepared.findings), "{what}: not compiled without saying why");
    };
    let world = setup.world();
    let run = run(&world, &program, world.start(Some("slipway"), 1), 1, None).expect("nobody cancels");
    let pose = run.final_pose();
    assert!(pose.x.is_finite() && pose.y.is_finite() && pose.heading.is_finite(), "{what}: {pose:?}");
    assert_ne!(run.outcome, Outcome::Error, "{what}: {}", run.reason);
    assert!(run.trace.ticks.len() < 10_000, "{what}: {} ticks", run.trace.ticks.len());
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

#[test]
fn every_number_of_a_mission_may_be_absurd() {
    for place in numbers(MISSION) {
        // A limit of a whole day is a long run, not an absurd one.
        for number in EXTREMES.iter().filter(|number| place.start > 11 || number.parse().is_ok_and(|n: f64| n < 10.0)) {
            let (mission, what) = with(MISSION, &place, number);
            survives(ROBOT, FIELD, &mission, &what);
        }
    }
}
