//! Amounts that follow what the robot knows: in speeds, limits and comparisons.

#![allow(clippy::unwrap_used, reason = "helpers of tests are tests")]

use std::sync::Arc;

use wayodos_core::controller::{Action, Program};
use wayodos_core::finding::{Finding, Severity};
use wayodos_core::lab::evidence::{Evidence, Spare, evidence};
use wayodos_core::project::{Setup, prepare};
use wayodos_core::record::{Outcome, Run};
use wayodos_core::sim::run;

fn setup() -> Setup {
    let (setup, findings) = Setup::load(
        include_str!("../../../examples/brinewick/robots/curlew.toml"),
        include_str!("../../../examples/brinewick/fields/causeway.toml"),
        Some(include_str!("../../../examples/brinewick/calibration.toml")),
    );
    setup.unwrap_or_else(|| panic!("{findings:#?}"))
}

fn played(steps: &str) -> (Arc<Program>, Run) {
    let setup = setup();
    let prepared = prepare(&format!("limit 20 s\nstart slipway\n{steps}"), Some(&setup));
    let program = prepared
        .program
        .unwrap_or_else(|| panic!("{:#?}\n{steps}", prepared.findings));
    let world = setup.world();
    let run = run(&world, &program, world.start(Some("slipway"), 1), 1, None).unwrap();
    (program, run)
}

fn errors(steps: &str) -> Vec<Finding> {
    let findings = prepare(
        &format!("limit 20 s\nstart slipway\n{steps}"),
        Some(&setup()),
    )
    .findings;
    findings
        .into_iter()
        .filter(|finding| finding.severity == Severity::Error)
        .collect()
}

const TO_THE_LINE: &str = "step \"to\"\ndrive ahead at 26 %\nuntil floor-right sees dark\n";

/// A follower of one's own steers as the built-in one does that it is written after.
#[test]
fn a_follower_of_ones_own_does_what_the_formula_says() {
    let (_, run) = played(&format!(
        "let middle = 40 %\n{TO_THE_LINE}step \"own\"\ndrive left wheel at 24 % + 0.4 * (middle - floor-left), right wheel at 24 % - 0.4 * (middle - floor-left)\nuntil hue sees kiln-red -> done\nor 15 s pass -> fail \"lost\""
    ));
    assert_eq!(run.outcome, Outcome::Done, "{}", run.reason);
    let own = run.visits[1];
    for tick in own.entered..own.left {
        let now = &run.trace.ticks[tick];
        let reading = run
            .trace
            .reading(tick, wayodos_core::ids::SensorId(0))
            .brightness;
        let wanted = 0.24 + 0.4 * (0.4 - reading);
        assert_eq!(
            now.command.left,
            wayodos_core::controller::WheelCommand::Duty(wanted.clamp(-1.0, 1.0)),
            "tick {tick}"
        );
    }
}

#[test]
fn what_is_known_before_the_run_is_commanded_once_and_for_all() {
    let (program, _) =
        played("let a = 10 %\nstep \"s\"\ndrive back at a * 2 + 5 %\nuntil 1 s passes");
    let Action::Constant { left, right } = program.steps[0].action else {
        panic!("{:?}", program.steps[0].action)
    };
    let wanted = wayodos_core::controller::WheelCommand::Duty(-0.25);
    assert_eq!((left, right), (wanted, wanted));
}

#[test]
fn a_speed_beyond_the_fastest_is_the_fastest_and_one_without_an_answer_brakes() {
    use wayodos_core::controller::WheelCommand::{Brake, Duty};
    let (_, run) = played(
        "step \"a\"\ndrive ahead at 50 % + clock / 10 ms * 1 %\nuntil 1 s passes\nstep \"b\"\nspin left at 10 % * (1 V / (battery - battery))\nuntil 0.2 s pass",
    );
    let command = |visit: usize, after: usize| {
        run.trace.ticks[run.visits[visit].entered + after]
            .command
            .left
    };
    assert_eq!(command(0, 80), Duty(1.0));
    assert_eq!(command(1, 5), Brake);
}

#[test]
fn two_readings_are_compared_whichever_way_it_is_written() {
    for condition in [
        "floor-left - floor-right > 30 %",
        "(floor-left - floor-right) > 30 %",
        "floor-left > floor-right + 30 %",
        "not (floor-left - floor-right < 30 %)",
        "abs(floor-right - floor-left) > 30 %",
    ] {
        // On a right arc the right sensor comes to the landing first.
        let (_, run) = played(&format!(
            "step \"a\"\ndrive ahead on a right arc of 500 mm at 26 %\nuntil {condition} -> done\nor travelled 400 mm -> fail \"no\""
        ));
        assert_eq!(run.outcome, Outcome::Done, "{condition}: {}", run.reason);
        let tick = run.ended;
        let reading = |nth: usize| {
            run.trace
                .reading(tick, wayodos_core::ids::SensorId(nth))
                .brightness
        };
        assert!((reading(0) - reading(1)).abs() > 0.3, "{condition}");
    }
}

#[test]
fn amounts_need_no_brackets_and_may_follow_the_step_before() {
    let (program, run) = played(
        "let a = 40 mm\nstep \"a\"\ndrive ahead at 20 %\nuntil travelled a + 10 mm\nstep \"b\"\ndrive ahead at 20 %\nuntil travelled last-distance * 2\nstep \"c\"\nhold\nuntil last-time / 2 + 0.1 s pass\nstep \"d\"\nchoose\nwhen last-time > 0.1 s -> done\notherwise -> fail \"x\"",
    );
    assert_eq!(run.outcome, Outcome::Done);
    let radius = program.wheel_radius;
    let way = |visit: usize| {
        let visit = run.visits[visit];
        let at = |tick: usize| run.trace.ticks[tick].wheels[0] * radius;
        at(visit.left) - at(visit.entered)
    };
    assert!((way(0) - 0.05).abs() < 0.003, "{}", way(0));
    assert!((way(1) - 2.0 * way(0)).abs() < 0.003, "{}", way(1));
    let seconds = |visit: usize| {
        let visit = run.visits[visit];
        run.trace.seconds(visit.left) - run.trace.seconds(visit.entered)
    };
    assert!(
        (seconds(2) - seconds(1) / 2.0 - 0.1).abs() < 0.02,
        "{}",
        seconds(2)
    );
}

#[test]
fn the_line_is_followed_as_long_as_it_is_not_lost() {
    let follow =
        "step \"f\"\nfollow the left edge of a dark line with floor-left at 20 %, gain 0.6\n";
    let (_, run) = played(&format!(
        "{TO_THE_LINE}{follow}until the line is followed for 0.5 s -> done\nor 3 s pass -> fail \"no\""
    ));
    assert_eq!(run.outcome, Outcome::Done);
    let (_, run) = played(&format!(
        "{follow}until the line is followed for 0.2 s -> done\nor 0.8 s pass -> fail \"no\""
    ));
    assert_eq!(run.outcome, Outcome::Failed, "on bare ground there is none");
}

#[test]
fn what_does_not_go_together_is_said_with_its_kinds() {
    for (steps, code, says) in [
        (
            "step \"a\"\ndrive ahead at ahead\nuntil 1 s passes",
            "M005",
            "expected a percentage or a speed",
        ),
        (
            "step \"a\"\ndrive ahead at floor-left + 5 mm\nuntil 1 s passes",
            "M005",
            "cannot be added",
        ),
        (
            "step \"a\"\nhold\nuntil floor-left - floor-right > 20 mm",
            "M005",
            "cannot be compared",
        ),
        (
            "step \"a\"\nhold\nuntil floor-left - nothing > 3 %",
            "M103",
            "there is no `nothing`",
        ),
        (
            "step \"a\"\nfollow the left edge of a dark line with floor-left at 20 % + 0.1 * floor-right, gain 0.6\nuntil 1 s passes",
            "M103",
            "floor-right",
        ),
        (
            "step \"a\"\ndrive ahead at 20 % holding heading\nuntil 1 s passes",
            "M003",
            "`the`",
        ),
    ] {
        let found = errors(steps);
        assert!(
            found
                .iter()
                .any(|finding| finding.code == code && finding.message.contains(says)),
            "{steps}\n{found:#?}"
        );
    }
}

#[test]
fn a_mirrored_routine_reads_the_sensor_on_the_other_side() {
    let (program, _) = played(
        "step \"a\"\ndo own mirrored\nroutine own\nstep \"o\"\ndrive left wheel at 20 % + 0.1 * floor-left, right wheel at 20 %\nuntil floor-left - floor-right > 90 % or 0.5 s pass\nend",
    );
    let Action::Live { wheels } = &program.steps[1].action else {
        panic!("{:?}", program.steps[1].action)
    };
    let reads = |wheel: usize| format!("{:?}", wheels[wheel].amount);
    assert!(
        !reads(0).contains("Sensor") && reads(1).contains("SensorId(1)"),
        "{wheels:?}"
    );
}

/// A sensor whose numbers go up over dark ground is found by `darker` where its reading rises.
#[test]
fn plain_words_follow_the_polarity_of_the_sensor() {
    let robot = include_str!("../../../examples/brinewick/robots/curlew.toml");
    let field = include_str!("../../../examples/brinewick/fields/causeway.toml");
    for (polarity, darker) in [("bright is high", "dropped"), ("dark is high", "risen")] {
        let robot = robot.replace(
            "[[sensor]]",
            &format!("[[sensor]]\npolarity = \"{polarity}\""),
        );
        let (setup, findings) = Setup::load(&robot, field, None);
        let setup = setup.unwrap_or_else(|| panic!("{findings:#?}"));
        let offers = wayodos_core::mission::offer::conditions(None, &setup.names);
        let found = offers
            .iter()
            .filter(|offer| offer.plain.split(", ").any(|word| word.trim() == "darker"));
        let texts: Vec<&str> = found.map(|offer| offer.text.as_str()).collect();
        assert!(
            texts.iter().any(|text| text.contains(darker)),
            "{polarity}: {texts:?}"
        );
        let sign = if darker == "risen" { " > " } else { " < " };
        assert!(
            texts.iter().any(|text| text.contains(sign)),
            "{polarity}: {texts:?}"
        );
        assert_eq!(texts.len(), 2, "{polarity}: {texts:?}");
    }
}

/// What a measured name is, is known wherever it is measured: below its use, or behind a call.
#[test]
fn a_measured_speed_is_a_speed_wherever_it_is_measured() {
    use wayodos_core::controller::WheelCommand;
    // 0.5 s on the way, 100 mm in it: 200 mm/s, and not a duty of 20 %.
    let measure = "step \"m\"\nmeasure 100 mm / 0.5 s * (last-time / last-time) as pace\n";
    let wait = "step \"w\"\nhold\nuntil 0.1 s pass\n";
    for (steps, name) in [
        // Below its use in the text.
        (
            format!(
                "step \"s\"\nhold\nuntil 0.1 s pass -> \"m\"\nstep \"go\"\ndrive ahead at pace\nuntil 0.3 s pass -> done\n{measure}step \"x\"\nhold\nuntil 0.1 s pass -> \"go\"\n"
            ),
            "go",
        ),
        // Given to a routine.
        (
            format!(
                "{wait}{measure}step \"a\"\ndo on (speed = pace)\nroutine on (speed = 20 %)\nstep \"go\"\ndrive ahead at speed\nuntil 0.3 s pass\nend\n"
            ),
            "go",
        ),
    ] {
        let (program, run) = played(&steps);
        let step = program
            .steps
            .iter()
            .position(|step| step.name == name)
            .unwrap();
        let visit = run
            .visits
            .iter()
            .find(|visit| visit.step.0 == step)
            .unwrap();
        let command = run.trace.ticks[visit.entered + 10].command.left;
        assert!(
            matches!(command, WheelCommand::Speed(speed) if (speed - 0.2).abs() < 1e-9),
            "{command:?}\n{steps}"
        );
    }
    // A measured time arms by time.
    let (_, run) = played(
        "step \"a\"\nhold\nuntil 0.4 s pass\nstep \"m\"\nmeasure last-time as t\nstep \"b\"\ndrive ahead at 20 %\nuntil floor-left sees pale after t -> done\nor 3 s pass -> fail \"no\"",
    );
    let visit = run.visits.last().unwrap();
    let seconds = run.trace.seconds(visit.left) - run.trace.seconds(visit.entered);
    assert!(
        run.outcome == Outcome::Done && (seconds - 0.4).abs() < 0.02,
        "{seconds}"
    );
}

#[test]
fn a_comparison_that_did_not_hold_tells_how_far_it_was_from_that() {
    // (condition, least, most): as far off as the robot came, in SI.
    for (condition, kind, least, most) in [
        ("floor-left - floor-right > 300 %", "Other", 1.9, 3.1),
        ("ahead + 1 m < 900 mm", "Length", 0.1, 2.0),
        ("heading + 10 deg > 90 deg", "Angle", 1.0, 1.6),
        ("battery < 3 V", "Other", 2.0, 7.0),
        ("last-time + 3 s < 2 s", "Time", 1.0, 1.2),
    ] {
        let (program, run) = played(&format!(
            "step \"z\"\nhold\nuntil 0.1 s pass\nstep \"a\"\ndrive ahead at 20 %\nuntil {condition} -> fail \"held\"\nor 0.4 s pass -> done"
        ));
        assert_eq!(run.outcome, Outcome::Done, "{condition}: {}", run.reason);
        let told = evidence(&run, &program, &setup().robot);
        let spare = match told[1].exits[0] {
            Evidence::Spare(Spare::Length(off)) => ("Length", off),
            Evidence::Spare(Spare::Angle(off)) => ("Angle", off),
            Evidence::Spare(Spare::Time(off)) => ("Time", off),
            Evidence::Spare(Spare::Other(off, _)) => ("Other", off),
            other => panic!("{condition}: {other:?}"),
        };
        assert!(
            spare.0 == kind && (least..most).contains(&spare.1),
            "{condition}: {spare:?}"
        );
    }
}

/// A formula may stand wherever an amount may, without brackets, whatever comes behind it.
#[test]
fn a_formula_needs_no_brackets_wherever_it_stands() {
    for steps in [
        "step \"a\"\nrepeat rounds - 1 times\nstep \"b\"\nhold\nuntil 0.1 s pass\nend",
        "step \"a\"\nrepeat 2 * rounds times\nstep \"b\"\nhold\nuntil 0.1 s pass\nend",
        "step \"a\"\nrepeat max(rounds, 2) times\nstep \"b\"\nhold\nuntil 0.1 s pass\nend",
        "step \"a\"\ndrive ahead at 20 %\nuntil floor-left has crossed rounds + 1 dark lines far / 2 apart\nor 0.1 s pass",
        "step \"a\"\ndrive ahead at 20 %\nuntil floor-left has met 2 dark lines 10 mm + far + 3 * far apart\nor 0.1 s pass",
        "step \"a\"\nhold\nuntil late / 2 + 0.1 s pass\nor late - 0.1 s passes",
        "step \"a\"\nawait clear with ahead beyond far / 4, rounds - 1 tries of late / 2\nuntil clear\nor given up",
        "step \"a\"\nseek with ahead within far, spinning left at 10 % + 10 % up to 45 deg * 2, moving far / 2, rounds - 2 tries\nuntil found\nor given up",
        "step \"a\"\ndrive ahead on a left arc of far + far at 20 %\nuntil turned 45 deg / 9",
        "step \"a\"\ndrive ahead at 20 %\nuntil travelled far / 10 for late / 20\nor floor-left between 10 % + 5 % and 20 % * 2 after far / 20\nor 0.5 s pass",
        "step \"a\"\nfollow the left edge of a dark line with floor-left at 10 % + 10 %, gain 0.2 * rounds\nuntil 0.1 s pass",
        "step \"a\"\nshove at 10 % + 5 % to dark with floor-left and floor-right, back far / 4\nuntil finished\nor 0.2 s pass",
        "step \"a\"\nprobe 10 deg + 10 deg to each side at 10 % + 10 %, up to far / 5, tie left\nuntil left is further\nor right is further",
    ] {
        let text = format!(
            "let rounds = 3, measured\nlet far = 100 mm, measured\nlet late = 0.4 s, measured\n{steps}"
        );
        let wrong = errors(&text);
        assert!(wrong.is_empty(), "{steps}\n{wrong:#?}");
    }
}
