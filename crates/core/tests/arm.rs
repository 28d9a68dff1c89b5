//! An actuator that is moved to an angle, by an angle, for a time, until something, and to and fro.

#![allow(clippy::unwrap_used, reason = "helpers of tests are tests")]

use wayodos_core::ids::ActuatorId;
use wayodos_core::project::{Setup, prepare};
use wayodos_core::record::{Outcome, Run};
use wayodos_core::sim::run;

/// An arm that turns 120 deg in a second, between 0 and 90 deg.
const ARM: &str = "[[actuator]]\nname = \"arm\"\nport = \"MC\"\nspeed = \"120 deg/s\"\nfrom = \"0 deg\"\nto = \"90 deg\"\n\n[[sensor]]";

fn played(steps: &str) -> Run {
    let robot = include_str!("../../../examples/brinewick/robots/curlew.toml");
    let (setup, _) = Setup::load(
        &robot.replacen("[[sensor]]", ARM, 1),
        include_str!("../../../examples/brinewick/fields/causeway.toml"),
        Some(include_str!("../../../examples/brinewick/calibration.toml")),
    );
    let setup = setup.unwrap();
    let prepared = prepare(&format!("limit 20 s\nstart slipway\n{steps}"), Some(&setup));
    let program = prepared
        .program
        .unwrap_or_else(|| panic!("{:#?}\n{steps}", prepared.findings));
    let world = setup.world();
    run(&world, &program, world.start(Some("slipway"), 1), 1, None).unwrap()
}

fn degrees(run: &Run, tick: usize) -> f64 {
    run.trace.angle(tick, ActuatorId(0)).to_degrees()
}

fn at_the_end(run: &Run) -> f64 {
    degrees(run, run.trace.ticks.len() - 1)
}

const REST: &str = "\nstep \"z\"\nhold\nuntil 0.5 s pass";

#[test]
fn by_an_angle_counts_from_where_it_is() {
    for (steps, end) in [
        (
            "step \"a\"\nmove arm to 30 deg\nstep \"b\"\nmove arm by 20 deg",
            50.0,
        ),
        (
            "step \"r\"\nrepeat 3 times\nstep \"a\"\nmove arm by 20 deg\nend",
            60.0,
        ),
        (
            "step \"a\"\nmove arm to 30 deg\nstep \"b\"\nmove arm by -20 deg",
            10.0,
        ),
        (
            "let more = 5 deg\nstep \"a\"\nmove arm by 20 deg + more alongside",
            25.0,
        ),
        // The end stop is in the way: it is blocked, and the mission goes on.
        (
            "step \"a\"\nmove arm to 80 deg\nstep \"b\"\nmove arm by 40 deg",
            90.0,
        ),
    ] {
        let run = played(&format!("{steps}{REST}"));
        assert_eq!(run.outcome, Outcome::Done, "{steps}");
        assert!(
            (at_the_end(&run) - end).abs() < 1.0,
            "{steps}: {}",
            at_the_end(&run)
        );
    }
}

#[test]
fn it_runs_on_until_an_exit_ends_that_and_stays_there() {
    let run = played(&format!(
        "step \"a\"\nmove arm ahead\nuntil 0.3 s pass{REST}"
    ));
    // 0.3 s at 120 deg/s.
    assert!(
        (at_the_end(&run) - 36.0).abs() < 3.0,
        "{}",
        at_the_end(&run)
    );
    let left = run.visits[0].left;
    assert!(
        (at_the_end(&run) - degrees(&run, left)).abs() < 1.5,
        "it stays where it was"
    );
    let run = played(&format!(
        "step \"a\"\nmove arm to 60 deg\nstep \"b\"\nmove arm back\nuntil clock reaches 0.7 s{REST}"
    ));
    assert!(
        (at_the_end(&run) - 36.0).abs() < 5.0,
        "{}",
        at_the_end(&run)
    );
    let run = played(&format!("step \"a\"\nmove arm ahead{REST}"));
    assert_eq!(run.outcome, Outcome::Done);
    assert!(
        (at_the_end(&run) - 90.0).abs() < 1.0,
        "to its end stop without an exit"
    );
}

#[test]
fn to_and_fro_as_often_as_is_said() {
    let run = played(&format!(
        "step \"a\"\nmove arm between 60 deg and 20 deg, 3 times\nuntil finished -> next\nor 9 s pass -> fail \"long\"{REST}"
    ));
    assert_eq!(run.outcome, Outcome::Done, "{}", run.reason);
    // Where it turns round: three times at 60, and twice at 20 before it ends there.
    let angles: Vec<f64> = (0..run.visits[0].left)
        .map(|tick| degrees(&run, tick))
        .collect();
    let moved: Vec<f64> = angles.windows(2).map(|pair| pair[1] - pair[0]).collect();
    let mut ways: Vec<bool> = moved
        .iter()
        .filter(|way| way.abs() > 0.2)
        .map(|way| *way > 0.0)
        .collect();
    ways.dedup();
    assert_eq!(ways, [true, false, true, false, true, false]);
    let most = angles.iter().copied().fold(0.0, f64::max);
    assert!((most - 60.0).abs() < 1.0, "{most}");
    assert!((at_the_end(&run) - 20.0).abs() < 1.0);
}

#[test]
fn an_end_beyond_its_stop_is_reported_for_both_ends() {
    let robot = include_str!("../../../examples/brinewick/robots/curlew.toml");
    let (setup, _) = Setup::load(
        &robot.replacen("[[sensor]]", ARM, 1),
        include_str!("../../../examples/brinewick/fields/causeway.toml"),
        None,
    );
    let setup = setup.unwrap();
    let codes = |sentence: &str| {
        let text = format!("limit 9 s\nstart slipway\nstep \"a\"\n{sentence}\n");
        let findings = prepare(&text, Some(&setup)).findings;
        findings
            .iter()
            .filter(|finding| finding.code == "M117")
            .count()
    };
    assert_eq!(codes("move arm between 100 deg and -10 deg, 2 times"), 2);
    assert_eq!(codes("move arm between 80 deg and 10 deg, 2 times"), 0);
    assert_eq!(
        codes("move arm by 100 deg"),
        0,
        "where it is nobody knows before the run"
    );
}

#[test]
fn an_actuator_without_end_stops_needs_an_exit_to_run_on() {
    let robot = include_str!("../../../examples/brinewick/robots/curlew.toml");
    let endless = ARM.replace("from = \"0 deg\"\nto = \"90 deg\"\n", "");
    let (setup, findings) = Setup::load(
        &robot.replacen("[[sensor]]", &endless, 1),
        include_str!("../../../examples/brinewick/fields/causeway.toml"),
        None,
    );
    let setup = setup.unwrap_or_else(|| panic!("{findings:#?}"));
    let errors = |exit: &str| {
        let text = format!("limit 9 s\nstart slipway\nstep \"a\"\nmove arm back\n{exit}\n");
        let findings = prepare(&text, Some(&setup)).findings;
        findings
            .iter()
            .filter(|finding| finding.code == "M108")
            .count()
    };
    assert_eq!(errors(""), 1);
    assert_eq!(errors("until 0.5 s pass"), 0);
}
