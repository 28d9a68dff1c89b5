//! Several ranging sensors for one search or one wait; squaring up twice on a broad line.

#![allow(clippy::unwrap_used, reason = "helpers of tests are tests")]

use wayodos_core::project::{Setup, prepare};
use wayodos_core::record::{Outcome, Run};
use wayodos_core::sim::run;

/// A second ranging sensor that looks to the left.
const ASIDE: &str = "[[ranging]]\nname = \"aside\"\nport = \"S7\"\nat = \"60, 60 mm\"\nfacing = \"90 deg\"\ncone = \"16 deg\"\nleast = \"30 mm\"\ngreatest = \"1200 mm\"\nrate = \"25 Hz\"\nlatency = \"20 ms\"\n\n[[ranging]]";

fn played(field: &str, mission: &str) -> Run {
    let robot = include_str!("../../../examples/brinewick/robots/curlew.toml");
    let calibration = include_str!("../../../examples/brinewick/calibration.toml");
    played_by(
        (&robot.replacen("[[ranging]]", ASIDE, 1), Some(calibration)),
        field,
        mission,
    )
}

fn played_by((robot, calibration): (&str, Option<&str>), field: &str, mission: &str) -> Run {
    let (setup, findings) = Setup::load(robot, field, calibration);
    let setup = setup.unwrap_or_else(|| panic!("{findings:#?}"));
    let prepared = prepare(mission, Some(&setup));
    let program = prepared
        .program
        .unwrap_or_else(|| panic!("{:#?}\n{mission}", prepared.findings));
    let world = setup.world();
    run(&world, &program, world.start(None, 1), 1, None).unwrap()
}

/// A wall on the left of the robot, far from its front.
fn yard(what: &str) -> String {
    format!(
        "name = \"Yard\"\nsize = \"2400 x 1600 mm\"\nground = \"pale\"\n[surface.pale]\ncolour = \"#e9e3d2\"\n[surface.dark]\ncolour = \"#22252a\"\n{what}[start.here]\nat = \"600, 500 mm\"\nheading = \"0 deg\"\n"
    )
}

const WALL: &str = "[[wall]]\nthickness = \"20 mm\"\npoints = [\"300, 800 mm\", \"900, 800 mm\"]\n";

#[test]
fn any_of_several_ranging_sensors_finds_and_all_must_be_clear() {
    let seek = |with: &str| {
        played(
            &yard(WALL),
            &format!("limit 9 s\nstep \"s\"\nseek with {with} within 350 mm, spinning right at 20 % up to 20 deg, moving 20 mm, 1 try\nuntil found -> done\nor given up -> fail \"nothing\"\n"),
        )
        .outcome
    };
    assert_eq!(seek("ahead"), Outcome::Failed, "the wall is at its side");
    assert_eq!(seek("aside"), Outcome::Done);
    assert_eq!(seek("ahead and aside"), Outcome::Done);
    let clear = |with: &str| {
        played(
            &yard(WALL),
            &format!("limit 9 s\nstep \"s\"\nawait clear with {with} beyond 350 mm, 1 try of 0.6 s\nuntil clear -> done\nor given up -> fail \"not\"\n"),
        )
        .outcome
    };
    assert_eq!(clear("ahead"), Outcome::Done);
    assert_eq!(clear("ahead and aside"), Outcome::Failed);
}

#[test]
fn before_the_second_squaring_both_sensors_are_off_the_line() {
    // Come to so fast that the way back of the lead-in ends on it.
    let line = "[[line]]\nsurface = \"dark\"\nwidth = \"200 mm\"\npoints = [\"1000, 100 mm\", \"1000, 900 mm\"]\n";
    let run = played(
        &yard(line),
        "limit 20 s\nstep \"a\"\nalign floor-left and floor-right to a dark line at 90 %, lead-in 5 mm, again at 13 %\nuntil finished -> done\nor 15 s pass -> fail \"long\"\n",
    );
    assert_eq!(run.outcome, Outcome::Done, "{}", run.reason);
    let dark = |tick: usize, nth: usize| {
        let sensor = wayodos_core::ids::SensorId(nth);
        run.trace.reading(tick, sensor).brightness < 0.4
    };
    let both_off = |tick: usize| !dark(tick, 0) && !dark(tick, 1);
    let ticks = run.visits[0].left;
    let met = (0..ticks)
        .find(|tick| dark(*tick, 0))
        .expect("it comes to the line");
    assert!(
        (met..ticks).any(both_off),
        "it has backed off the line before it squares up again"
    );
    assert!(
        dark(ticks, 0) && dark(ticks, 1),
        "and stands on its edge in the end"
    );
}

/// A car with a ranging sensor that looks ahead compares both sides, and stands where it stood.
#[test]
fn a_car_probes_on_arcs() {
    let ranging = "[[ranging]]\nname = \"ahead\"\nport = \"S8\"\nat = \"180, 0 mm\"\nfacing = \"0 deg\"\ncone = \"10 deg\"\nleast = \"30 mm\"\ngreatest = \"1500 mm\"\nrate = \"25 Hz\"\nlatency = \"20 ms\"\n\n[[sensor]]";
    let cart = include_str!("../../../examples/brinewick/robots/barge-cart.toml");
    let car = cart.replacen("[[sensor]]", ranging, 1);
    let wall = |y: u32| {
        yard(&format!(
            "[[wall]]\nname = \"w\"\nthickness = \"20 mm\"\npoints = [\"500, {y} mm\", \"2300, {y} mm\"]\n"
        ))
    };
    for (with, y, further) in [
        ("with ahead", 900, "right"),
        ("with ahead", 100, "left"),
        ("up to 300 mm or bumper is pressed", 900, "right"),
        ("up to 300 mm or bumper is pressed", 100, "left"),
    ] {
        let other = if further == "left" { "right" } else { "left" };
        let text = format!(
            "limit 40 s\nstep \"p\"\nprobe 40 deg to each side at 120 mm/s, {with}, tie {other}\nuntil {further} is further -> done\nor {other} is further -> fail \"wrong\""
        );
        let run = played_by((&car, None), &wall(y), &text);
        assert_eq!(
            run.outcome,
            Outcome::Done,
            "{with}, wall at {y}: {}",
            run.reason
        );
        let (from, to) = (run.trace.ticks[0].pose, run.final_pose());
        let off = wayodos_core::units::math::length(to.x - from.x, to.y - from.y) * 1e3;
        assert!(
            off < 40.0 && (to.heading - from.heading).abs() < 0.06,
            "{with}: {off} mm"
        );
    }
}
