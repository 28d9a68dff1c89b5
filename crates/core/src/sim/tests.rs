//! The world against closed forms, against itself at a finer step, and the demo round as a whole.

mod bodies;
mod chance;
mod gears;

use crate::ids::StepId;
use std::sync::Arc;

use super::drive::{Body, Plant};
use super::scene::{Marks, Rider, Scene};
use super::solve::Solver;
use super::stage::Stage;
use super::*;
use crate::controller::{Command, Event, Program, WheelCommand};
use crate::field::{Field, Point, Pose, Wall};
use crate::project::{Setup, prepare};
use crate::record::Outcome;
use crate::robot::Robot;
use crate::units::math::{self, FRAC_PI_2};

const ROBOT: &str = include_str!("../../../../examples/brinewick/robots/curlew.toml");
const FIELD: &str = include_str!("../../../../examples/brinewick/fields/causeway.toml");
const CALIBRATION: &str = include_str!("../../../../examples/brinewick/calibration.toml");
const MISSION: &str = include_str!("../../../../examples/brinewick/missions/morning-round.way");

/// The demo robot with two equal motors and its weight in the middle, so that closed forms are
/// short.
fn even_robot() -> Robot {
    let mut robot = crate::robot::load(ROBOT).0.unwrap();
    robot.right = robot.left.clone();
    robot
}

fn duty(left: f64, right: f64) -> Command {
    Command {
        left: WheelCommand::Duty(left),
        right: WheelCommand::Duty(right),
    }
}

const COAST: Command = Command {
    left: WheelCommand::Coast,
    right: WheelCommand::Coast,
};

/// A robot on an endless bare mat.
struct Bench {
    plant: Plant,
    body: Body,
    solver: Solver,
    dt: f64,
}

impl Bench {
    fn new(robot: &Robot, dt: f64) -> Self {
        let plant = Plant::new(robot, dt);
        let body = plant.at_rest(Pose::default());
        Self {
            plant,
            body,
            solver: Solver::new(1),
            dt,
        }
    }

    /// One step; returns whether a tyre slipped.
    fn step(&mut self, command: Command) -> bool {
        let free = self.plant.free(&mut self.body, command);
        if self.plant.roll(&mut self.body, &free) {
            return false;
        }
        self.solver.clear();
        self.solver.bodies[0] =
            self.plant
                .enter(&self.body, &free, 0, [true; 2], &mut self.solver.tyres);
        self.solver.solve(self.dt);
        self.plant
            .leave(&mut self.body, &self.solver.bodies[0], &self.solver.tyres);
        self.solver.tyres.iter().any(|tyre| tyre.slips)
    }

    /// Goes on for this many seconds; returns the pose of the axle.
    fn go(&mut self, command: Command, seconds: f64) -> Pose {
        for _ in 0..(seconds / self.dt).round() as u32 {
            self.step(command);
        }
        self.plant.pose(&self.body)
    }

    fn speed(&self) -> f64 {
        math::length(self.body.velocity.0, self.body.velocity.1)
    }
}

/// Robots among things.
struct Table {
    scene: Scene,
}

impl Table {
    fn new(field: Field, robots: &[(&Robot, Pose)]) -> Self {
        let field = Arc::new(field);
        let levels = std::iter::once(None).chain((0..field.platforms.len()).map(Some));
        let stages: Arc<[Stage]> = levels.map(|level| Stage::new(&field, level)).collect();
        let riders = robots
            .iter()
            .map(|(robot, pose)| Rider::new(Plant::new(robot, STEP), &field, *pose));
        Self {
            scene: Scene::new(&field, &stages, riders.collect()),
        }
    }

    /// Goes on for this many seconds; returns the poses of the axles.
    fn go(&mut self, commands: &[Command], seconds: f64) -> Vec<Pose> {
        for (rider, command) in self.scene.riders.iter_mut().zip(commands) {
            rider.command = *command;
        }
        self.scene.advance((seconds / STEP).round() as u64);
        self.scene
            .riders
            .iter()
            .map(|rider| rider.plant.pose(&rider.body))
            .collect()
    }

    fn marks(&mut self) -> Marks {
        std::mem::take(&mut self.scene.riders[0].marks)
    }

    /// Force in N with which a robot is touched now.
    fn force(&self, rider: usize) -> f64 {
        self.scene.riders[rider]
            .pressed
            .iter()
            .map(|(_, _, force)| force)
            .sum()
    }
}

/// Force in N that holds a rolling robot back: gear friction at both rims, and the caster.
fn drag(robot: &Robot) -> f64 {
    let on_caster = robot.mass * GRAVITY * (1.0 - robot.wheel_share());
    4.0 * robot.left.friction / robot.wheel_diameter + robot.caster_drag * on_caster
}

/// Mass in kg that the motors feel: the robot's, and both wheels turning with it.
fn felt_mass(robot: &Robot) -> f64 {
    let radius = robot.wheel_diameter / 2.0;
    robot.mass + 2.0 * robot.left.inertia / (radius * radius)
}

/// Force in N for each m/s with which both motors resist, whether driven or shorted.
fn damping(robot: &Robot) -> f64 {
    let radius = robot.wheel_diameter / 2.0;
    2.0 * robot.left.stall_torque / robot.left.no_load_speed / (radius * radius)
}

/// Steady speed in m/s under a duty: where the motors' force equals the drag.
fn steady(robot: &Robot, duty: f64) -> f64 {
    let push = 4.0 * robot.left.stall_torque * duty * robot.battery
        / robot.left.rated_voltage
        / robot.wheel_diameter;
    (push - drag(robot)) / damping(robot)
}

#[track_caller]
fn assert_within(value: f64, expected: f64, share: f64) {
    assert!(
        (value - expected).abs() <= share * expected.abs(),
        "{value} is not {expected} within {share}"
    );
}

#[test]
fn the_steady_speed_is_where_motor_and_drag_balance() {
    for share in [0.2, 0.5, 1.0] {
        let robot = even_robot();
        let mut bench = Bench::new(&robot, STEP);
        bench.go(duty(share, share), 4.0);
        assert_within(bench.speed(), steady(&robot, share), 1e-6);
    }
}

#[test]
fn getting_to_speed_follows_the_exponential_of_the_motor_model() {
    // m v' = F - k v has v(t) = v1 (1 - exp(-t k / m)); drag counts as part of F once the robot
    // rolls.
    let robot = even_robot();
    let tau = felt_mass(&robot) / damping(&robot);
    for factor in [0.5, 1.0, 2.0] {
        let mut bench = Bench::new(&robot, 1e-4);
        let seconds = (factor * tau * 1e4).round() / 1e4;
        bench.go(duty(0.4, 0.4), seconds);
        assert_within(
            bench.speed(),
            steady(&robot, 0.4) * (1.0 - math::exp(-seconds / tau)),
            0.01,
        );
    }
}

#[test]
fn a_coasting_robot_rolls_as_far_as_its_drag_lets_it() {
    // Constant force: v^2 m / (2 F).
    let robot = even_robot();
    let mut bench = Bench::new(&robot, STEP);
    let from = bench.go(duty(0.6, 0.6), 3.0).x;
    let speed = bench.speed();
    let rolled = bench.go(COAST, 5.0).x - from;
    assert_within(
        rolled,
        speed * speed * felt_mass(&robot) / (2.0 * drag(&robot)),
        0.02,
    );
    assert!(bench.speed() < 1e-4, "{}", bench.speed());
}

#[test]
fn braking_stops_as_short_as_the_shorted_motors_say() {
    // m v' = -k v - F from v0 to rest: s = (m / k) (v0 - (F / k) ln(1 + k v0 / F)).
    let robot = even_robot();
    let mut bench = Bench::new(&robot, 1e-4);
    // Slow enough that the tyres hold what the motors can brake.
    let from = bench.go(duty(0.3, 0.3), 3.0).x;
    let (speed, k, force) = (bench.speed(), damping(&robot), drag(&robot));
    let stopped = bench.go(Command::BRAKE, 3.0).x - from;
    let expected = felt_mass(&robot) / k * (speed - force / k * math::ln(1.0 + k * speed / force));
    assert_within(stopped, expected, 0.02);
}

#[test]
fn distance_and_heading_are_what_the_wheels_have_turned() {
    let robot = even_robot();
    let radius = robot.wheel_diameter / 2.0;
    let mut ahead = Bench::new(&robot, STEP);
    let pose = ahead.go(duty(0.4, 0.4), 2.0);
    assert_within(ahead.body.angles[0] * radius, pose.x, 1e-9);
    assert!(pose.y.abs() < 1e-9 && pose.heading.abs() < 1e-9);

    // With its weight ahead of the axle the robot would swing outwards a little, as it does in
    // earnest.
    let mut balanced = robot.clone();
    balanced.com_ahead = 0.0;
    let mut spin = Bench::new(&balanced, STEP);
    let pose = spin.go(duty(-0.2, 0.2), 2.0);
    let [left, right] = spin.body.angles;
    assert_within(
        (right - left) * radius / robot.track_width,
        pose.heading,
        1e-6,
    );
    assert!(math::length(pose.x, pose.y) < 1e-4, "{pose:?}");
}

#[test]
fn a_pivot_turns_about_the_wheel_that_stands() {
    let robot = even_robot();
    let mut bench = Bench::new(&robot, STEP);
    let command = Command {
        left: WheelCommand::Brake,
        right: WheelCommand::Duty(0.3),
    };
    let pose = bench.go(command, 1.0);
    let left_wheel = pose.place(0.0, robot.track_width / 2.0);
    assert!(
        left_wheel.distance(Point::new(0.0, robot.track_width / 2.0)) < 0.002,
        "{left_wheel:?}"
    );
    let rim = bench.body.angles[1] * robot.wheel_diameter / 2.0;
    assert_within(rim, pose.heading * robot.track_width, 0.02);
}

#[test]
fn a_start_is_never_quicker_than_the_tyres_grip() {
    let mut robot = even_robot();
    robot.left.stall_torque *= 40.0;
    robot.right.stall_torque *= 40.0;
    let mut bench = Bench::new(&robot, STEP);
    assert!(bench.step(duty(1.0, 1.0)));
    bench.go(duty(1.0, 1.0), 0.05);
    // The caster's drag is the only other force: share of the weight on the wheels times grip, less
    // that drag.
    let weight = robot.mass * GRAVITY;
    let push = weight * robot.wheel_share() * robot.grip
        - weight * (1.0 - robot.wheel_share()) * robot.caster_drag;
    assert_within(bench.speed(), push / robot.mass * 0.051, 0.01);
}

#[test]
fn a_step_ten_times_finer_tells_the_same() {
    let manoeuvre = |dt: f64| {
        let mut bench = Bench::new(&even_robot(), dt);
        bench.go(duty(0.5, 0.35), 1.0);
        bench.go(duty(-0.2, 0.25), 1.0);
        bench.go(COAST, 0.5);
        bench.go(duty(0.4, 0.5), 0.5)
    };
    let (coarse, fine, finest) = (
        manoeuvre(STEP),
        manoeuvre(STEP / 10.0),
        manoeuvre(STEP / 100.0),
    );
    let apart = |a: Pose, b: Pose| math::length(a.x - b.x, a.y - b.y);
    assert!(
        apart(coarse, fine) < 0.001 && (coarse.heading - fine.heading).abs() < 0.003,
        "{coarse:?} {fine:?}"
    );
    // First order: ten times finer is ten times nearer.
    let ratio = apart(coarse, finest) / apart(fine, finest).max(1e-12);
    assert!(ratio > 5.0, "{ratio}");
}

#[test]
fn a_wall_stops_the_robot_at_its_face_and_lets_it_slide_along() {
    let robot = even_robot();
    let wall = |points: [(f64, f64); 2]| Wall {
        name: String::new(),
        points: points.map(|(x, y)| Point::new(x, y)).to_vec(),
        thickness: 0.02,
    };
    let square = Field {
        walls: vec![wall([(0.5, -1.0), (0.5, 1.0)])],
        ..Field::default()
    };
    let mut table = Table::new(square, &[(&robot, Pose::default())]);
    let pose = table.go(&[duty(0.6, 0.6)], 3.0)[0];
    assert!((pose.x + robot.nose - 0.49).abs() < 0.001, "{pose:?}");
    let body = &table.scene.riders[0].body;
    assert!(pose.heading.abs() < 0.01 && math::length(body.velocity.0, body.velocity.1) < 0.01);
    assert!(
        body.wheels[0].abs() < 0.5 * robot.left.no_load_speed,
        "stalled, not spinning freely"
    );

    let slanted = Field {
        walls: vec![wall([(0.3, 0.2), (2.3, -0.5)])],
        ..Field::default()
    };
    let pose = Table::new(slanted, &[(&robot, Pose::default())]).go(&[duty(0.5, 0.5)], 4.0)[0];
    let along = math::atan2(-0.7, 2.0);
    assert!(
        (pose.heading - along).abs() < 0.02 && pose.x > 0.6,
        "it slides along the wall: {pose:?}"
    );
}

fn setup() -> Setup {
    let (setup, findings) = Setup::load(ROBOT, FIELD, Some(CALIBRATION));
    assert_eq!(findings, []);
    setup.unwrap()
}

fn program(text: &str, setup: &Setup) -> Arc<Program> {
    let prepared = prepare(text, Some(setup));
    assert!(prepared.program.is_some(), "{:#?}", prepared.findings);
    prepared.program.unwrap()
}

#[test]
fn the_demo_round_is_done_in_about_a_minute_nineteen_times_in_twenty() {
    let setup = setup();
    let program = program(MISSION, &setup);
    assert!(program.steps.len() >= 8);
    let world = setup.world();
    let run = |seed| {
        run(
            &world,
            &program,
            world.start(Some("slipway"), seed),
            seed,
            None,
        )
        .unwrap()
    };
    let nominal = run(7);
    assert_eq!(
        (nominal.outcome, nominal.reason.as_str()),
        (Outcome::Done, "")
    );
    assert!(
        (45.0..80.0).contains(&nominal.duration()),
        "{}",
        nominal.duration()
    );
    let dock = nominal.final_pose();
    assert!(
        (0.82..1.1).contains(&dock.x) && (1.1..1.38).contains(&dock.y),
        "{dock:?}"
    );
    let held = (1..=40)
        .filter(|&seed| run(seed).outcome == Outcome::Done)
        .count();
    assert!(held >= 38, "{held} of 40");
}

#[test]
fn the_same_input_gives_the_same_trace_on_any_thread() {
    let setup = setup();
    let program = program(MISSION, &setup);
    let world = setup.world();
    let hash = |seed| {
        run(&world, &program, world.start(None, seed), seed, None)
            .unwrap()
            .fingerprint()
    };
    let alone: Vec<u64> = (0..4).map(hash).collect();
    let threads: Vec<u64> = std::thread::scope(|scope| {
        let handles: Vec<_> = (0..4).map(|seed| scope.spawn(move || hash(seed))).collect();
        handles
            .into_iter()
            .map(|handle| handle.join().unwrap())
            .collect()
    });
    assert_eq!(alone, threads);
    assert!(
        alone.windows(2).all(|pair| pair[0] != pair[1]),
        "another seed is another run"
    );
}

#[test]
fn the_trace_of_the_demo_is_the_one_on_record() {
    // A digest that changes means that every run anywhere changes: say so in the changelog and
    // raise `ENGINE`.
    let setup = setup();
    let program = program(MISSION, &setup);
    let world = setup.world();
    let run = run(&world, &program, world.start(Some("slipway"), 7), 7, None).unwrap();
    insta::assert_snapshot!(format!(
        "{:016x} {} ticks",
        run.fingerprint(),
        run.trace.ticks.len()
    ));
}

#[test]
fn sensors_publish_at_their_own_rate_and_in_their_own_steps() {
    let setup = setup();
    let text =
        "limit 9 s\nstart slipway\nstep \"a\"\ndrive ahead at 30 %\nuntil 1 s passes -> done";
    let program = program(text, &setup);
    let mut robot = (*setup.robot).clone();
    let hue = robot.sensor("hue").unwrap();
    robot.sensors[hue].clock.period_us = 50_000;
    let world = World::new(Arc::clone(&setup.field), Arc::new(robot));
    let run = run(&world, &program, world.start(Some("slipway"), 1), 1, None).unwrap();
    let readings: Vec<_> = (0..run.trace.ticks.len())
        .map(|tick| run.trace.reading(tick, hue).rgb)
        .collect();
    for chunk in readings.chunks_exact(5) {
        assert!(
            chunk.iter().all(|reading| *reading == chunk[0]),
            "20 Hz at 10 ms: five ticks alike"
        );
    }
    assert!(readings.windows(2).any(|pair| pair[0] != pair[1]));
    let left = setup.robot.sensor("floor-left").unwrap();
    for tick in 0..run.trace.ticks.len() {
        let steps = run.trace.reading(tick, left).brightness / 0.005;
        assert!(
            (steps - steps.round()).abs() < 1e-9,
            "half a percent at a time"
        );
        let ticks = run.trace.ticks[tick].wheels[0] * 720.0 / math::TAU;
        assert!((ticks - ticks.round()).abs() < 1e-6, "whole encoder ticks");
    }
}

#[test]
fn a_gyro_drifts_by_what_its_file_says() {
    let setup = setup();
    let text = "limit 99 s\nstep \"a\"\nhold, brake\nuntil 40 s pass -> done";
    let program = program(text, &setup);
    let world = setup.world();
    let errors: Vec<f64> = (0..60)
        .map(|seed| {
            run(&world, &program, world.start(None, seed), seed, None)
                .unwrap()
                .trace
                .ticks
                .last()
                .unwrap()
                .gyro
        })
        .collect();
    let spread =
        (errors.iter().map(|error| error * error).sum::<f64>() / errors.len() as f64).sqrt();
    // Drift sigma t, and a random walk of noise sigma sqrt(t dt), in squares; 60 draws show it to
    // about a tenth.
    let gyro = setup.robot.gyro.as_ref().unwrap();
    let expected = math::length(gyro.drift * 40.0, gyro.noise * (40.0 * STEP).sqrt());
    assert_within(spread, expected, 0.35);
}

#[test]
fn turning_by_gyro_ends_near_the_angle_and_past_it_by_what_braking_takes() {
    let setup = setup();
    let text = "limit 9 s\nstep \"a\"\nspin left at 20 %\nuntil turned 90 deg\nstep \"b\"\nhold, brake\nuntil 1 s passes -> done";
    let program = program(text, &setup);
    let world = setup.world();
    let start = world.start(None, 7);
    let run = run(&world, &program, start, 3, None).unwrap();
    let turned = run.final_pose().heading - start.heading;
    assert!(turned > FRAC_PI_2 && turned < FRAC_PI_2 + 0.2, "{turned}");
    assert!(
        run.trace
            .events
            .iter()
            .any(|stamp| stamp.event == Event::Entered { step: StepId(1) })
    );
}

#[test]
fn a_run_in_the_memory_of_another_is_the_same_run() {
    let setup = setup();
    let world = setup.world();
    let first = program(
        "limit 5 s\nstart slipway\nstep \"a\"\nspin left at 30 %\nuntil 4 s pass -> done",
        &setup,
    );
    let second = program(MISSION, &setup);
    let of = |seed| Play {
        start: world.start(Some("slipway"), seed),
        meant: None,
        seed,
        interventions: &[],
        piece: None,
    };
    let used = play(&world, &first, of(3), None).unwrap();
    let again = play_again(&world, &second, of(7), None, used.trace).unwrap();
    assert_eq!(again, play(&world, &second, of(7), None).unwrap());
}

#[test]
fn a_cancelled_run_answers_nothing() {
    let setup = setup();
    let program = program(MISSION, &setup);
    let world = setup.world();
    let cancel = std::sync::atomic::AtomicBool::new(true);
    assert!(run(&world, &program, world.start(None, 1), 1, Some(&cancel)).is_none());
}
