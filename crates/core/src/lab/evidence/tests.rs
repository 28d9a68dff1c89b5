//! What is read off a run, on missions short enough to know the answer.

use std::sync::Arc;

use super::*;
use crate::project::{Setup, prepare};
use crate::sim::{World, run};

fn told(steps: &str) -> Vec<StepEvidence> {
    let (setup, _) = Setup::load(
        include_str!("../../../../../examples/brinewick/robots/curlew.toml"),
        include_str!("../../../../../examples/brinewick/fields/causeway.toml"),
        Some(include_str!("../../../../../examples/brinewick/calibration.toml")),
    );
    let setup = setup.unwrap();
    let prepared = prepare(&format!("limit 20 s\nstart slipway\n{steps}"), Some(&setup));
    let program = prepared.program.unwrap_or_else(|| panic!("{:#?}", prepared.findings));
    let world = World::new(Arc::clone(&setup.field), Arc::clone(&setup.robot));
    let run = run(&world, &program, world.start(Some("slipway")), 1, None).unwrap();
    evidence(&run, &program, &setup.robot)
}

#[test]
fn a_decision_over_a_bold_line_is_clear_and_one_at_the_edge_is_thin() {
    let clear = |limit: &str| {
        let told = told(&format!(
            "step \"a\"\ndrive ahead at 20 %\nuntil floor-right < {limit} -> done\nor travelled 400 mm -> fail \"no\""
        ));
        told[0].margin().unwrap()
    };
    assert!(clear("40 %") > 10.0, "{}", clear("40 %"));
    // The ground reads 77 %: a limit right below it is crossed by noise alone.
    assert!(clear("76 %") < THIN, "{}", clear("76 %"));
}

#[test]
fn what_did_not_fire_has_something_to_spare() {
    let told = told(
        "step \"a\"\ndrive ahead at 20 %\nuntil 1 s passes\nor travelled 400 mm\nor floor-left < 30 %\nor floor-right has crossed 3 dark lines\nor turned 90 deg\nstep \"b\"\nhold, brake\nuntil 0.5 s pass -> done\nor 2 s pass -> fail \"no\"",
    );
    let [
        Evidence::Fired { clear: None, at_once: false },
        Evidence::Spare(Spare::Length(length)),
        Evidence::Spare(Spare::Noise(noise)),
        Evidence::Spare(Spare::Lines(lines)),
        Evidence::Spare(Spare::Angle(angle)),
    ] = told[0].exits[..]
    else {
        panic!("{:?}", told[0].exits)
    };
    assert!(length > 0.2 && length < 0.4, "{length}");
    assert!(noise > 5.0, "the mat is far from 30 %: {noise}");
    assert_eq!(lines, 3);
    assert!((angle - 1.57).abs() < 0.05, "{angle}");
    let Evidence::Spare(Spare::Time(time)) = told[1].exits[1] else { panic!("{:?}", told[1].exits) };
    assert!((time - 1.5).abs() < 0.011, "{time}");
}

#[test]
fn an_exit_that_was_true_from_the_start_is_told() {
    let told = told("step \"a\"\ndrive ahead at 20 %\nuntil floor-left sees pale -> done");
    assert!(matches!(told[0].exits[0], Evidence::Fired { at_once: true, .. }), "{:?}", told[0].exits);
}
