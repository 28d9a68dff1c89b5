//! What each behaviour commands the wheels to do, from readings that differ between the sensors.

use std::sync::Arc;

use super::{duties, robot, tones};
use crate::controller::{
    Command, Controller, Event, Program, Reading, Readings, Status, WheelCommand,
};
use crate::mission::parse;

/// A controller that is given what each floor sensor reads: left, right.
struct Pair {
    controller: Controller,
    events: Vec<Event>,
    sensors: usize,
}

impl Pair {
    fn new(behaviour: &str) -> Self {
        let robot = robot();
        let text = format!("step \"a\"\n{behaviour}\nuntil 9 s pass");
        let parsed = parse(&text);
        assert_eq!(parsed.findings, [], "{behaviour}");
        let all = vec![tones(&[("dark", 0.1), ("pale", 0.9)]); robot.sensors.len()];
        let program = Program::compile(&text, &parsed.mission, &robot, &all).unwrap();
        Self {
            controller: Controller::new(Arc::new(program)),
            events: Vec::new(),
            sensors: robot.sensors.len(),
        }
    }

    fn tick(&mut self, left: f64, right: f64) -> (Command, Status) {
        let mut sensors = vec![Reading::of([0.9; 3]); self.sensors];
        sensors[0].brightness = left;
        sensors[1].brightness = right;
        let readings = Readings {
            sensors: &sensors,
            ranges: &[1.0],
            touches: &[],
            wheels: [0.0; 2],
            gyro: Some(0.0),
            actuators: &[],
            battery: 7.9,
        };
        self.controller.tick(&readings, &mut self.events)
    }

    /// Duties in hundredths, so that they can be compared.
    fn commands(&mut self, left: f64, right: f64) -> (i32, i32) {
        let (left, right) = duties(self.tick(left, right).0);
        (
            (left * 100.0).round() as i32,
            (right * 100.0).round() as i32,
        )
    }
}

const DARK: f64 = 0.1;
const EDGE: f64 = 0.5;
const PALE: f64 = 0.9;

/// What two sensors read, left and right, and what the wheels are then commanded.
type Row = ((f64, f64), (i32, i32));

/// What the wheels are commanded on the first tick, for each pair of readings.
#[track_caller]
fn table(behaviour: &str, rows: &[Row]) {
    for ((left, right), wheels) in rows {
        assert_eq!(
            Pair::new(behaviour).commands(*left, *right),
            *wheels,
            "{behaviour} at {left}, {right}"
        );
    }
}

#[test]
fn a_zig_zag_turns_to_the_side_where_its_edge_is() {
    table(
        "follow the left edge of a dark line with floor-left at 40 % and 10 %",
        &[((PALE, PALE), (40, 10)), ((DARK, PALE), (10, 40))],
    );
    table(
        "follow the right edge of a dark line with floor-right at 40 % and 10 %",
        &[((PALE, PALE), (10, 40)), ((PALE, DARK), (40, 10))],
    );
}

#[test]
fn a_broad_line_is_kept_under_both_sensors() {
    table(
        "follow a dark line under floor-left and floor-right at 40 %, gain 0.5",
        &[
            ((DARK, DARK), (40, 40)),
            ((PALE, DARK), (60, 20)),
            ((DARK, PALE), (20, 60)),
            ((EDGE, DARK), (50, 30)),
        ],
    );
    table(
        "follow a dark line under floor-left and floor-right at 40 % and 10 %",
        &[
            ((DARK, DARK), (40, 40)),
            ((PALE, DARK), (40, 10)),
            ((DARK, PALE), (10, 40)),
        ],
    );
}

#[test]
fn a_narrow_line_is_kept_between_them() {
    table(
        "follow a dark line between floor-left and floor-right at 40 %, gain 0.5",
        &[
            ((PALE, PALE), (40, 40)),
            ((DARK, PALE), (20, 60)),
            ((PALE, DARK), (60, 20)),
        ],
    );
    table(
        "follow a dark line between floor-left and floor-right at 40 % and 10 %",
        &[
            ((PALE, PALE), (40, 40)),
            ((DARK, PALE), (10, 40)),
            ((PALE, DARK), (40, 10)),
            ((DARK, DARK), (10, 10)),
        ],
    );
}

#[test]
fn between_two_lines_it_turns_away_from_the_one_that_is_seen() {
    let keep = |both: &str| {
        format!(
            "keep between dark lines with floor-left and floor-right at 40 %, gain 0.5, both {both}"
        )
    };
    table(
        &keep("ahead"),
        &[
            ((PALE, PALE), (40, 40)),
            ((DARK, PALE), (60, 20)),
            ((PALE, DARK), (20, 60)),
            ((DARK, DARK), (40, 40)),
        ],
    );
    table(&keep("back"), &[((DARK, DARK), (-40, -40))]);
    assert_eq!(Pair::new(&keep("stop")).tick(DARK, DARK).0, Command::BRAKE);
}

#[test]
fn the_sum_grows_while_it_is_off_and_the_rate_answers_at_once() {
    let mut sum = Pair::new(
        "follow the left edge of a dark line with floor-left at 40 %, gain 0, integral 2",
    );
    let first = sum.commands(PALE, PALE);
    for _ in 0..9 {
        sum.tick(PALE, PALE);
    }
    // Ten ticks of 10 ms wholly off: 0.1 s, twice that as a share of 40 %.
    assert_eq!((first, sum.commands(EDGE, PALE)), ((41, 39), (48, 32)));
    for _ in 0..500 {
        sum.tick(DARK, PALE);
    }
    assert_eq!(
        sum.commands(EDGE, PALE),
        (-40, 100),
        "bounded to what one second makes of it"
    );
    let mut rate = Pair::new(
        "follow the left edge of a dark line with floor-left at 40 %, gain 0, derivative 0.01",
    );
    assert_eq!(
        rate.commands(EDGE, PALE),
        (40, 40),
        "nothing to compare with yet"
    );
    // From the edge to wholly off within 10 ms is a rate of 100 a second.
    assert_eq!(rate.commands(PALE, PALE), (80, 0));
    assert_eq!(rate.commands(PALE, PALE), (40, 40));
}

#[test]
fn a_line_out_of_sight_is_answered_after_a_tenth_of_a_second() {
    let follow = |lost: &str| {
        let mut pair = Pair::new(&format!(
            "follow the left edge of a dark line with floor-left at 40 %, gain 0.5, if lost {lost}"
        ));
        pair.tick(EDGE, PALE);
        for _ in 0..9 {
            assert_eq!(pair.commands(PALE, PALE), (60, 20), "not yet: {lost}");
        }
        pair
    };
    assert_eq!(follow("stop").tick(PALE, PALE).0, Command::BRAKE);
    assert_eq!(follow("back").commands(PALE, PALE), (-24, -24));
    assert_eq!(
        follow("search").commands(PALE, PALE),
        (24, -24),
        "the line is on the right of its left edge"
    );
    assert_eq!(follow("steer").commands(PALE, PALE), (60, 20));
    let mut found = follow("stop");
    found.tick(PALE, PALE);
    assert_eq!(
        found.commands(EDGE, PALE),
        (40, 40),
        "and goes on as soon as it is seen"
    );
}

#[test]
fn squaring_stops_each_wheel_for_good() {
    let mut pair = Pair::new("align floor-left and floor-right to a dark line at 20 %");
    let (drive, brake) = (WheelCommand::Duty(0.2), WheelCommand::Brake);
    let mut wheels = |left: f64, right: f64| {
        let command = pair.tick(left, right).0;
        (command.left, command.right)
    };
    assert_eq!(wheels(PALE, PALE), (drive, drive));
    assert_eq!(wheels(PALE, DARK), (drive, brake));
    assert_eq!(
        wheels(PALE, PALE),
        (drive, brake),
        "it has seen the line once"
    );
    assert_eq!(wheels(DARK, PALE), (brake, brake));
}

#[test]
fn any_all_and_none_of_two_sensors() {
    let ends = |condition: &str| {
        [(PALE, PALE), (DARK, PALE), (PALE, DARK), (DARK, DARK)].map(|(left, right)| {
            let mut pair = Pair::new(&format!(
                "hold, brake\nuntil {condition} -> done\nor 8 s pass\nstep \"b\"\nhold, brake"
            ));
            pair.tick(left, right);
            pair.tick(left, right).1 != Status::Running
        })
    };
    assert_eq!(
        ends("any of floor-left, floor-right sees dark"),
        [false, true, true, true]
    );
    assert_eq!(
        ends("all of floor-left, floor-right sees dark"),
        [false, false, false, true]
    );
    assert_eq!(
        ends("none of floor-left, floor-right sees dark"),
        [true, false, false, false]
    );
    assert_eq!(
        ends("floor-left < 50 % and floor-right > 50 %"),
        [false, true, false, false]
    );
    assert_eq!(
        ends("floor-left < 50 % or floor-right < 50 % and 1 s passes"),
        [false, true, false, true]
    );
    assert_eq!(
        ends("(floor-left < 50 % or floor-right < 50 %) and not floor-left sees dark"),
        [false, false, true, false]
    );
    assert_eq!(
        ends("floor-left between 80 % and 95 %"),
        [true, false, true, false]
    );
}
