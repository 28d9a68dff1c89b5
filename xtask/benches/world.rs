//! What the simulated world costs and how true it is: whole runs with and without contacts, a step
//! against that of a general rigid-body engine with the same bodies at the same step size, and
//! batches on one thread and on two.
//!
//! The engine knows no tyres, motors, floor friction or sensors: what is compared is what both can
//! do.

use std::hint::black_box;
use std::sync::Arc;
use std::thread;
use std::time::Instant;

use criterion::{Criterion, criterion_group};
use rapier2d_f64::prelude::{
    ColliderBuilder, PhysicsWorld, RigidBodyBuilder, RigidBodyHandle, Vector,
};
use wayodos_core::controller::Program;
use wayodos_core::project::{Setup, prepare};
use wayodos_core::record::{Outcome, Run, Trace};
use wayodos_core::scatter::Scatter;
use wayodos_core::sim::{Play, Varied, World, play_again, varied};

const ROBOT: &str = include_str!("../../examples/brinewick/robots/curlew.toml");
const FIELD: &str = include_str!("../../examples/brinewick/fields/causeway.toml");
const CALIBRATION: &str = include_str!("../../examples/brinewick/calibration.toml");
const MISSION: &str = include_str!("../../examples/brinewick/missions/morning-round.way");

/// A fourth floor sensor.
const FOURTH: &str = "\n[[sensor]]\nname = \"rear\"\nkind = \"reflectance\"\nport = \"S8\"\nat = \"-60, 0 mm\"\nspot = \"8 mm\"\nrate = \"500 Hz\"\nnoise = \"1.2 %\"\nstep = \"0.5 %\"\n";

/// Things at the dock, and a heron that walks.
const THINGS: &str = r#"
[[object]]
name = "crate"
surface = "pan"
at = "600, 1180 mm"
size = "90 x 90 mm"
mass = "250 g"
[[object]]
name = "basket"
surface = "pan"
at = "620, 1290 mm"
diameter = "90 mm"
mass = "120 g"
[[obstacle]]
name = "heron"
surface = "pan"
at = "1550, 120 mm"
diameter = "80 mm"
path = ["1750, 120 mm"]
speed = "50 mm/s"
paces = true
"#;

/// What fills the second minute of a run.
const ROUND: &str = "step \"Away\"\n  drive back at 30 %\n  until travelled 200 mm\nstep \"Round\"\n  spin left at 25 %\n  until 90 s pass  -> done\n";
const SHOVE: &str = "step \"Shove\"\n  drive ahead at 60 %\n  until 2 s pass\nstep \"Back\"\n  drive back at 40 %\n  until travelled 120 mm\nstep \"Again\"\n  spin left at 30 %\n  until turned 50 deg  -> \"Shove\"\n";

struct Case {
    world: World,
    program: Arc<Program>,
}

impl Case {
    fn new(robot: &str, field: &str, calibration: Option<&str>, mission: &str) -> Self {
        let (setup, findings) = Setup::load(robot, field, calibration);
        let setup = setup.unwrap_or_else(|| panic!("{findings:#?}"));
        let prepared = prepare(mission, Some(&setup));
        let program = prepared
            .program
            .unwrap_or_else(|| panic!("{:#?}", prepared.findings));
        Self {
            world: setup.world(),
            program,
        }
    }

    /// The demo's round, and then a second minute of something else.
    fn two_minutes(field: &str, after: &str) -> Self {
        let mission =
            MISSION.replace("until 0.5 s pass  -> done", "until 0.5 s pass") + "\n" + after;
        Self::new(
            &format!("{ROBOT}{FOURTH}"),
            field,
            Some(CALIBRATION),
            &mission,
        )
    }

    fn run(&self, seed: u64) -> Run {
        self.again(seed, Trace::default())
    }

    /// Many runs that differ, shared by threads; the ticks of all of them.
    fn varied(&self, runs: u32, threads: u32) -> usize {
        let share = |thread: u32| {
            let mut spare = Trace::default();
            let mut ticks = 0;
            for number in (1..=runs).filter(|number| number % threads == thread) {
                let Varied {
                    world, start, seed, ..
                } = varied(&self.world, Some("slipway"), 7, number, Scatter::Everyday);
                let play = Play {
                    start,
                    seed,
                    interventions: &[],
                    piece: None,
                };
                let run = play_again(&world, &self.program, play, None, spare);
                spare = run.expect("nobody cancels").trace;
                ticks += spare.ticks.len();
            }
            ticks
        };
        thread::scope(|scope| {
            let all: Vec<_> = (0..threads)
                .map(|thread| scope.spawn(move || share(thread)))
                .collect();
            all.into_iter()
                .map(|one| one.join().expect("no run panics"))
                .sum()
        })
    }

    /// A run in the memory of another one, as batches make it.
    fn again(&self, seed: u64, spare: Trace) -> Run {
        let play = Play {
            start: self.world.start(Some("slipway"), seed),
            seed,
            interventions: &[],
            piece: None,
        };
        play_again(&self.world, &self.program, play, None, spare).expect("nobody cancels")
    }
}

/// Four baskets far apart on a bare floor between four walls, and our robot in the middle.
fn bare(mission: &str) -> Case {
    let walls = "[[wall]]\nthickness = \"20 mm\"\npoints = [\"0, 0 mm\", \"3000, 0 mm\", \"3000, 3000 mm\", \"0, 3000 mm\", \"0, 0 mm\"]\n";
    let basket = |name: &str, place: &str| {
        format!(
            "[[object]]\nname = \"{name}\"\nsurface = \"pale\"\nat = \"{place} mm\"\ndiameter = \"90 mm\"\nmass = \"120 g\"\n"
        )
    };
    let field = format!(
        "size = \"3000 x 3000 mm\"\nground = \"pale\"\n[surface.pale]\ncolour = \"#e9e3d2\"\n[start.slipway]\nat = \"1500, 1500 mm\"\nheading = \"0 deg\"\n{walls}{}{}{}{}",
        basket("a", "400, 400"),
        basket("b", "2600, 400"),
        basket("c", "2600, 2600"),
        basket("d", "400, 2600")
    );
    Case::new(ROBOT, &field, None, mission)
}

/// The same bodies in the general engine.
fn engine(robot_speed: Vector) -> (PhysicsWorld, RigidBodyHandle) {
    let mut world = PhysicsWorld {
        gravity: Vector::ZERO,
        ..PhysicsWorld::default()
    };
    world.integration_parameters.dt = 0.001;
    let body = RigidBodyBuilder::dynamic()
        .translation(Vector::new(1.5, 1.5))
        .linvel(robot_speed)
        .can_sleep(false);
    let (robot, _) = world.insert(body, ColliderBuilder::cuboid(0.098, 0.075).mass(0.86));
    for (x, y) in [(0.4, 0.4), (2.6, 0.4), (2.6, 2.6), (0.4, 2.6)] {
        world.insert(
            RigidBodyBuilder::dynamic().translation(Vector::new(x, y)),
            ColliderBuilder::ball(0.045).mass(0.12),
        );
    }
    for (x, y, w, h) in [
        (1.5, 0.0, 1.5, 0.01),
        (1.5, 3.0, 1.5, 0.01),
        (0.0, 1.5, 0.01, 1.5),
        (3.0, 1.5, 0.01, 1.5),
    ] {
        world.insert(
            RigidBodyBuilder::fixed().translation(Vector::new(x, y)),
            ColliderBuilder::cuboid(w, h),
        );
    }
    (world, robot)
}

fn benches(criterion: &mut Criterion) {
    let free = Case::two_minutes(FIELD, ROUND);
    let field = format!("{FIELD}{THINGS}");
    let contacts = Case::two_minutes(&field, SHOVE);
    for (name, case) in [("without contacts", &free), ("with contacts", &contacts)] {
        let run = case.run(7);
        let pushed = run
            .trace
            .ticks
            .iter()
            .filter(|tick| tick.met || tick.touched)
            .count();
        println!(
            "{name}: {:?} after {:.1} s, in contact in {pushed} ticks",
            run.outcome,
            run.duration()
        );
        let seconds = run.duration();
        criterion.bench_function(
            &format!("a run of {seconds:.0} s {name}, on fresh memory"),
            |bench| {
                bench.iter(|| case.run(black_box(7)));
            },
        );
        let mut spare = run.trace;
        criterion.bench_function(
            &format!("a run of {seconds:.0} s {name}, in a batch"),
            |bench| {
                bench.iter(|| spare = case.again(black_box(7), std::mem::take(&mut spare)).trace);
            },
        );
    }

    let round = Case::new(ROBOT, FIELD, Some(CALIBRATION), MISSION);
    for threads in [1, 2] {
        criterion.bench_function(
            &format!("40 varied runs of the demo's round on {threads} threads"),
            |bench| bench.iter(|| round.varied(40, threads)),
        );
    }

    let mission = "limit 10 s\nstep \"go\"\ndrive ahead on a left arc of 400 mm at 40 %\nuntil 60 s pass -> done\n";
    let case = bare(mission);
    assert_eq!(case.run(1).outcome, Outcome::Limit);
    criterion.bench_function(
        "10,000 steps without contact: ours, with sensors, controller and trace",
        |bench| {
            bench.iter(|| case.run(black_box(1)));
        },
    );
    criterion.bench_function(
        "10,000 steps without contact: the general engine, bodies alone",
        |bench| {
            bench.iter(|| {
                let (mut world, robot) = engine(Vector::new(0.05, 0.0));
                for _ in 0..10_000 {
                    world.step();
                }
                world.bodies[robot].translation().x
            });
        },
    );

    let wall = "[[wall]]\nthickness = \"20 mm\"\npoints = [\"1640, 1200 mm\", \"1640, 1800 mm\"]\n";
    let field = format!(
        "size = \"3000 x 3000 mm\"\nground = \"pale\"\n[surface.pale]\ncolour = \"#e9e3d2\"\n[start.slipway]\nat = \"1500, 1500 mm\"\nheading = \"0 deg\"\n{wall}"
    );
    let pushing = Case::new(
        ROBOT,
        &field,
        None,
        "limit 10 s\nstep \"go\"\ndrive ahead at 25 %\nuntil 60 s pass -> done\n",
    );
    criterion.bench_function(
        "10,000 steps against a wall: ours, with sensors, controller and trace",
        |bench| {
            bench.iter(|| pushing.run(black_box(1)));
        },
    );
    criterion.bench_function(
        "10,000 steps against a wall: the general engine, bodies alone",
        |bench| {
            bench.iter(|| {
                let (mut world, robot) = engine(Vector::ZERO);
                world.insert(
                    RigidBodyBuilder::fixed().translation(Vector::new(1.62, 1.5)),
                    ColliderBuilder::cuboid(0.01, 0.3),
                );
                for _ in 0..10_000 {
                    world.bodies[robot].add_force(Vector::new(3.0, 0.0), true);
                    world.step();
                    world.bodies[robot].reset_forces(true);
                }
                world.bodies[robot].translation().x
            });
        },
    );
}

/// How near both come to closed forms.
fn truth() {
    // A basket let go slides v^2 / (2 mu g): the robot brakes, the basket goes on.
    let mission = "limit 9 s\nstep \"go\"\ndrive ahead at 60 %\nuntil travelled 600 mm\nstep \"stop\"\nhold, brake\nuntil 2 s pass -> done\n";
    let object = "[[object]]\nname = \"basket\"\nsurface = \"pale\"\nat = \"1750, 1500 mm\"\ndiameter = \"90 mm\"\nmass = \"120 g\"\nfriction = 0.2\n";
    let field = format!(
        "size = \"3000 x 3000 mm\"\nground = \"pale\"\n[surface.pale]\ncolour = \"#e9e3d2\"\n[start.slipway]\nat = \"1500, 1500 mm\"\nheading = \"0 deg\"\n{object}"
    );
    let robot = ROBOT.replace("period = \"10 ms\"", "period = \"1 ms\"");
    let case = Case::new(&robot, &field, None, mission);
    let run = case.run(1);
    let trace = &run.trace;
    let x = |tick: usize| trace.place(tick, 0).expect("it stays on the floor").x;
    let alone = (1..trace.ticks.len())
        .rev()
        .find(|&tick| trace.ticks[tick].met)
        .expect("it is pushed")
        + 5;
    let speed = (x(alone + 1) - x(alone - 1)) / 0.002;
    let (slid, expected) = (
        x(trace.ticks.len() - 1) - x(alone),
        speed * speed / (2.0 * 0.2 * 9.81),
    );
    println!(
        "slides {:.2} mm, closed form {:.2} mm",
        slid * 1e3,
        expected * 1e3
    );

    // Two discs that meet head on, half of the speed given back: the closed form, and the general
    // engine.
    let mut world = PhysicsWorld {
        gravity: Vector::ZERO,
        ..PhysicsWorld::default()
    };
    world.integration_parameters.dt = 0.001;
    let disc = |mass: f64| {
        ColliderBuilder::ball(0.05)
            .mass(mass)
            .restitution(0.5)
            .friction(0.0)
    };
    let (a, _) = world.insert(
        RigidBodyBuilder::dynamic().linvel(Vector::new(1.0, 0.0)),
        disc(0.3),
    );
    let (b, _) = world.insert(
        RigidBodyBuilder::dynamic().translation(Vector::new(0.3, 0.0)),
        disc(0.6),
    );
    for _ in 0..600 {
        world.step();
    }
    let (va, vb) = (world.bodies[a].linvel().x, world.bodies[b].linvel().x);
    println!(
        "discs meet: closed form 0 and 0.5 m/s; the general engine {va:.6} and {vb:.6}; ours is tested to 1e-6"
    );
}

/// Runs on one thread and on two, and what memory this many runs take.
fn batches() {
    let case = Case::new(ROBOT, FIELD, Some(CALIBRATION), MISSION);
    let count: u64 = 1000;
    let all = |from: u64, to: u64| {
        let mut spare = Trace::default();
        let mut done = 0;
        for seed in from..to {
            let run = case.again(seed, std::mem::take(&mut spare));
            done += usize::from(run.outcome == Outcome::Done);
            spare = run.trace;
        }
        done
    };
    all(0, 20);
    let began = Instant::now();
    let done = all(0, count);
    let one = began.elapsed().as_secs_f64();
    let began = Instant::now();
    let both: usize = std::thread::scope(|scope| {
        let halves = [(0, count / 2), (count / 2, count)]
            .map(|(from, to)| scope.spawn(move || all(from, to)));
        halves
            .into_iter()
            .map(|half| half.join().expect("it ends"))
            .sum()
    });
    let two = began.elapsed().as_secs_f64();
    assert_eq!(done, both, "the same runs whoever makes them");
    println!(
        "{count} varied runs: {one:.2} s on one thread, {two:.2} s on two: {:.2} times; {done} done",
        one / two
    );
    println!("memory at most after {count} runs: {}", most_memory());
    if std::env::args().any(|arg| arg == "memory") {
        all(0, 8_000);
        println!("memory at most after 10,000 runs: {}", most_memory());
    }
}

fn most_memory() -> String {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:"));
    line.map_or_else(|| "unknown".to_owned(), |line| line.trim().to_owned())
}

criterion_group! { name = all; config = Criterion::default().sample_size(30); targets = benches }

fn main() {
    truth();
    batches();
    all();
    Criterion::default().configure_from_args().final_summary();
}
