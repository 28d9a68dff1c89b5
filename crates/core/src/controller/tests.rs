//! The controller against hand-made readings: no simulator, so that each rule stands alone.

mod flow;
mod standing;
mod wheels;

use crate::ids::StepId;
use std::sync::Arc;

use super::*;
use crate::mission::parse;
use crate::robot::Robot;
use crate::units::math::FRAC_PI_2;

fn robot() -> Robot {
    crate::robot::load(include_str!(
        "../../../../examples/brinewick/robots/curlew.toml"
    ))
    .0
    .unwrap()
}

fn tones(names: &[(&str, f64)]) -> Tones {
    let tone = |&(name, brightness): &(&str, f64)| Tone {
        name: name.to_owned(),
        brightness,
        rgb: [brightness; 3],
    };
    Tones {
        tones: names.iter().map(tone).collect(),
        by_colour: false,
        ..Tones::default()
    }
}

/// Runs a mission on scripted brightness (the same for all sensors) and wheel angles, one entry a
/// tick.
struct Script {
    controller: Controller,
    events: Vec<Event>,
    sensors: usize,
}

impl Script {
    fn new(steps: &str) -> Self {
        let robot = robot();
        let text = format!("mission \"t\"\n{steps}");
        let parsed = parse(&text);
        assert_eq!(parsed.findings, []);
        let all = vec![tones(&[("dark", 0.1), ("pale", 0.9)]); robot.sensors.len()];
        let program = Program::compile(&text, &parsed.mission, &robot, &all).unwrap();
        Self {
            controller: Controller::new(Arc::new(program)),
            events: Vec::new(),
            sensors: robot.sensors.len(),
        }
    }

    fn tick(&mut self, brightness: f64, wheels: [f64; 2], gyro: f64) -> (Command, Status) {
        let sensors = vec![
            Reading {
                brightness,
                rgb: [brightness; 3]
            };
            self.sensors
        ];
        self.controller.tick(
            &Readings {
                sensors: &sensors,
                ranges: &[brightness],
                touches: &[],
                wheels,
                gyro: Some(gyro),
                actuators: &[],
                battery: 7.9,
            },
            &mut self.events,
        )
    }

    fn still(&mut self, brightness: f64) -> (Command, Status) {
        self.tick(brightness, [0.0; 2], 0.0)
    }
}

fn duties(command: Command) -> (f64, f64) {
    match (command.left, command.right) {
        (WheelCommand::Duty(left), WheelCommand::Duty(right)) => (left, right),
        other => panic!("expected two duties, got {other:?}"),
    }
}

#[test]
fn the_first_exit_in_written_order_wins() {
    let mut script = Script::new(
        "step \"a\"\nhold, brake\nuntil floor-left sees dark -> done\nor floor-left < 50 % -> fail \"no\"\nor 10 s pass -> done",
    );
    script.still(0.9);
    assert_eq!(script.still(0.9).1, Status::Running);
    assert_eq!(script.still(0.1).1, Status::Ended(End::Done));
    assert_eq!(
        script.events.last(),
        Some(&Event::Left {
            step: StepId(0),
            exit: Some(0),
            look: 0
        })
    );
}

#[test]
fn a_step_commands_at_once_and_its_exits_are_looked_at_from_the_next_tick() {
    let mut script = Script::new(
        "step \"a\"\ndrive ahead at 50 %\nuntil floor-left sees dark\nstep \"b\"\ndrive back at 20 %\nuntil floor-left sees dark -> done",
    );
    assert_eq!(
        duties(script.still(0.1).0),
        (0.5, 0.5),
        "already dark, but not looked at on entry"
    );
    let (command, status) = script.still(0.1);
    assert_eq!((duties(command), status), ((-0.2, -0.2), Status::Running));
    assert_eq!(
        script.still(0.1),
        (Command::BRAKE, Status::Ended(End::Done))
    );
}

#[test]
fn a_line_counts_when_it_has_been_entered_and_left() {
    let mut script =
        Script::new("step \"a\"\nhold, brake\nuntil floor-left has crossed 2 dark lines -> done");
    // The first dark stretch was there at the start: not counted.
    let readings = [0.1, 0.1, 0.9, 0.1, 0.1, 0.9, 0.9, 0.1];
    for reading in readings {
        assert_eq!(script.still(reading).1, Status::Running);
    }
    assert_eq!(script.still(0.9).1, Status::Ended(End::Done));
}

#[test]
fn a_reading_that_trembles_at_the_limit_is_one_line() {
    let mut script =
        Script::new("step \"a\"\nhold, brake\nuntil floor-left has crossed 2 dark lines -> done");
    script.still(0.9);
    script.still(0.9);
    for _ in 0..20 {
        script.still(0.49);
        assert_eq!(
            script.still(0.53).1,
            Status::Running,
            "within the hysteresis"
        );
    }
    script.still(0.9);
    assert_eq!(
        script
            .events
            .iter()
            .filter(|event| matches!(event, Event::Counted { .. }))
            .count(),
        1
    );
}

#[test]
fn travelled_turned_and_passed_count_from_the_entry_of_the_step() {
    let radius = robot().wheel_diameter / 2.0;
    let mut script = Script::new(
        "step \"a\"\ndrive back at 50 %\nuntil travelled 100 mm\nstep \"b\"\nspin left at 20 %\nuntil turned 90 deg\nstep \"c\"\nhold, coast\nuntil 0.03 s pass -> done",
    );
    let angle = 0.1 / radius;
    script.tick(0.9, [3.0, 3.0], 1.0);
    assert_eq!(
        script.tick(0.9, [3.01 - angle, 3.01 - angle], 1.0).1,
        Status::Running
    );
    script.tick(0.9, [2.99 - angle, 2.99 - angle], 1.0);
    assert_eq!(script.controller.step(), StepId(1));
    script.tick(0.9, [0.0; 2], 0.99 + FRAC_PI_2);
    assert_eq!(script.controller.step(), StepId(1));
    script.tick(0.9, [0.0; 2], 1.01 + FRAC_PI_2);
    assert_eq!(script.controller.step(), StepId(2));
    assert_eq!(script.still(0.9).1, Status::Running);
    assert_eq!(script.still(0.9).1, Status::Running);
    assert_eq!(
        script.still(0.9).1,
        Status::Ended(End::Done),
        "0.03 s are three ticks of 10 ms"
    );
}

#[test]
fn following_steers_towards_the_edge_on_either_side() {
    let follow = |edge: &str| {
        Script::new(&format!(
            "step \"a\"\nfollow the {edge} edge of a dark line with floor-left at 40 %, gain 0.5\nuntil 9 s pass"
        ))
    };
    let (left, right) = duties(follow("left").still(0.9).0);
    assert!(left > right, "left of the left edge: turn right");
    assert!((left - 0.6).abs() < 1e-12 && (right - 0.2).abs() < 1e-12);
    let (left, right) = duties(follow("right").still(0.9).0);
    assert!(left < right, "right of the right edge: turn left");
    let (left, right) = duties(follow("left").still(0.5).0);
    assert!((left - right).abs() < 1e-12, "on the edge: straight on");
}

#[test]
fn holding_the_heading_steers_back() {
    let mut script =
        Script::new("step \"a\"\ndrive ahead at 40 % holding the heading\nuntil 9 s pass");
    script.tick(0.9, [0.0; 2], 2.0);
    let (left, right) = duties(script.tick(0.9, [0.0; 2], 2.1).0);
    assert!(left > right, "turned too far left: steer right");
}

#[test]
fn the_time_limit_ends_a_mission_in_whatever_step_it_is() {
    let mut script = Script::new("limit 0.1 s\nstep \"a\"\nhold, brake\nuntil 9 s pass");
    let ended = (0..20)
        .map(|_| script.still(0.9))
        .position(|(_, status)| status == Status::Ended(End::Limit));
    assert_eq!(ended, Some(10));
}

#[test]
fn limits_lie_between_neighbouring_tones() {
    let three = tones(&[("pale", 0.8), ("dark", 0.1), ("copper", 0.9)]);
    let (dark, pale, copper) = (three.limits(1), three.limits(0), three.limits(2));
    assert!((dark.high - 0.45).abs() < 1e-12 && dark.low == f64::NEG_INFINITY);
    assert!((pale.low - 0.45).abs() < 1e-12 && (pale.high - 0.85).abs() < 1e-12);
    assert!(copper.high == f64::INFINITY);
    assert!(
        three.edge(1).unwrap().1 > 0.0,
        "the ground beside a dark line is brighter"
    );
    assert!(
        three.edge(2).unwrap().1 < 0.0,
        "the ground beside the brightest tone is darker"
    );
}

#[test]
fn a_distance_is_compared_with_its_limit() {
    // The script gives the ranging sensor the same number as the floor sensor, in metres.
    let mut script = Script::new(
        "step \"a\"\ndrive ahead at 40 %\nuntil ahead < 280 mm -> next\nstep \"b\"\ndrive back at 40 %\nuntil ahead > 50 cm -> done",
    );
    script.still(0.6);
    assert_eq!(script.still(0.281).1, Status::Running);
    assert_eq!(duties(script.still(0.279).0), (-0.4, -0.4));
    assert_eq!(script.still(0.5).1, Status::Running);
    assert_eq!(script.still(0.501).1, Status::Ended(End::Done));
}

#[test]
fn a_switch_that_was_pressed_before_the_step_is_bumped_only_when_pressed_again() {
    let text = "step \"a\"\nhold\nuntil bumper was bumped -> done";
    let mut robot = robot();
    robot.touches.push(crate::robot::TouchSensor {
        name: "bumper".into(),
        port: "S9".into(),
        side: None,
        force: 0.3,
    });
    let parsed = parse(text);
    let all = vec![tones(&[("dark", 0.1), ("pale", 0.9)]); robot.sensors.len()];
    let program = Program::compile(text, &parsed.mission, &robot, &all).unwrap();
    let mut controller = Controller::new(Arc::new(program));
    let sensors = vec![Reading::default(); robot.sensors.len()];
    let mut ended = |pressed: bool| {
        let readings = Readings {
            sensors: &sensors,
            ranges: &[1.0],
            touches: &[pressed],
            wheels: [0.0; 2],
            gyro: None,
            actuators: &[],
            battery: 7.9,
        };
        controller.tick(&readings, &mut Vec::new()).1 != Status::Running
    };
    let script = [true, true, false, false, true, true];
    assert!(script.map(&mut ended).iter().all(|ended| !ended));
    assert!(ended(false), "pressed and let go within the step");
}

#[test]
fn a_kept_speed_is_steered_like_a_duty_and_an_arc_shares_it_between_the_wheels() {
    let speeds = |command: Command| match (command.left, command.right) {
        (WheelCommand::Speed(left), WheelCommand::Speed(right)) => (left, right),
        other => panic!("expected two speeds, got {other:?}"),
    };
    let mut script = Script::new(
        "step \"a\"\ndrive ahead at 100 mm/s holding the heading\nuntil 9 s pass -> done",
    );
    script.still(0.5);
    let (left, right) = speeds(script.tick(0.5, [0.0; 2], 0.1).0);
    assert!(
        left > 0.1 && right < 0.1 && (left + right - 0.2).abs() < 1e-12,
        "turned left, it steers right"
    );
    let mut script = Script::new(
        "step \"a\"\ndrive ahead on a right arc of 236 mm at 100 mm/s\nuntil 9 s pass -> done",
    );
    // Half the track, 59 mm, is a quarter of the radius.
    let (left, right) = speeds(script.still(0.5).0);
    assert!(
        (left - 0.125).abs() < 1e-12 && (right - 0.075).abs() < 1e-12,
        "{left} {right}"
    );
    let mut script = Script::new(
        "step \"a\"\ndrive ahead on a left arc of 59 mm at 80 %\nuntil 9 s pass -> done",
    );
    let (left, right) = duties(script.still(0.5).0);
    assert!(
        left.abs() < 1e-12 && (right - 1.0).abs() < 1e-12,
        "no more than all: {left} {right}"
    );
}
