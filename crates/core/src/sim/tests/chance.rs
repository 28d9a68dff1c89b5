//! Runs that differ: each draw has the spread that it is said to have, and depends on nothing but
//! its name.

use super::*;
use crate::field::{Edge, Object, Outline};
use crate::scatter::{Scatter, Spreads};

const RUNS: u32 = 2000;
/// Standard deviation of a standard normal variate cut off at three.
/// Source: 1 - 2 c f(c) / (2 F(c) - 1) with c = 3, f and F the normal density and distribution.
const CUT: f64 = 0.986_578;

fn world() -> World {
    let setup = Setup::load(ROBOT, FIELD, Some(CALIBRATION)).0.unwrap();
    setup.world()
}

fn chance(world: &World, run: u32, scatter: Scatter) -> Vec<Drawn> {
    varied(world, None, 7, run, scatter).chance.drawn
}

/// The deviations of something in many runs.
fn all(world: &World, what: &str, scatter: Scatter) -> Vec<f64> {
    let of = |run: u32| {
        let drawn = chance(world, run, scatter);
        let one = drawn.into_iter().find(|one| one.what == what);
        one.unwrap_or_else(|| panic!("no {what}")).off
    };
    (1..=RUNS).map(of).collect()
}

fn mean(values: &[f64]) -> f64 {
    values.iter().sum::<f64>() / values.len() as f64
}

fn deviation(values: &[f64]) -> f64 {
    let middle = mean(values);
    let squares: Vec<f64> = values
        .iter()
        .map(|value| (value - middle) * (value - middle))
        .collect();
    mean(&squares).sqrt()
}

#[test]
fn every_draw_has_the_mean_and_the_deviation_that_it_is_said_to_have() {
    let mut world = world();
    let mut robot = (*world.robot).clone();
    robot.lag_ms = [20, 8];
    (robot.rangers[0].dropouts, robot.rangers[0].outliers) = (0.05, 0.02);
    world.robot = Arc::new(robot);
    let runs: Vec<Vec<Drawn>> = (1..=RUNS)
        .map(|run| chance(&world, run, Scatter::Everyday))
        .collect();
    assert!(runs[0].len() >= 24, "{:?}", runs[0]);
    for what in ["lag", "jitter", "ahead dropouts", "ahead outliers"] {
        assert!(runs[0].iter().any(|one| one.what == what), "{what}");
    }
    for (at, first) in runs[0].iter().enumerate() {
        let values: Vec<f64> = runs.iter().map(|run| run[at].off).collect();
        assert!(
            runs.iter().all(|run| run[at].what == first.what),
            "in a fixed order"
        );
        // There is never less light than none.
        let Some(sigmas) = first.sigmas.filter(|_| first.what != "light") else {
            continue;
        };
        let spread = first.off / sigmas;
        // Standard errors of mean and deviation: 1 / sqrt(n) and 1 / sqrt(2 n) of the spread; four
        // and a half of them, since there are many draws.
        let most = 4.5 / f64::from(RUNS).sqrt();
        assert!(
            mean(&values).abs() < most * spread,
            "{}: {}",
            first.what,
            mean(&values)
        );
        let off = deviation(&values) / (spread * CUT) - 1.0;
        assert!(off.abs() < most / 2_f64.sqrt(), "{}: {off}", first.what);
        assert!(
            values
                .iter()
                .all(|value| value.abs() <= 3.0 * spread * (1.0 + 1e-12))
        );
    }
}

#[test]
fn the_spread_of_the_start_is_the_drawn_one_by_chi_squared() {
    let world = world();
    let spread = Spreads::default().everyday;
    let _: crate::scatter::StartSpread = spread;
    // Ten cells that are as likely as each other for a normal variate; the cut moves 0.3 % only.
    let edges = [
        -1.281_552, -0.841_621, -0.524_401, -0.253_347, 0.0, 0.253_347, 0.524_401, 0.841_621,
        1.281_552,
    ];
    for (what, one) in [
        ("start along", spread.along),
        ("start across", spread.across),
        ("start turned", spread.turned),
    ] {
        let mut cells = [0_u32; 10];
        for value in all(&world, what, Scatter::Everyday) {
            cells[edges.iter().filter(|edge| value / one > **edge).count()] += 1;
        }
        let expected = f64::from(RUNS) / 10.0;
        let chi: f64 = cells
            .iter()
            .map(|n| (f64::from(*n) - expected) * (f64::from(*n) - expected) / expected)
            .sum();
        // Nine degrees of freedom: more than this once in ten thousand.
        assert!(chi < 33.72, "{what}: {chi} of {cells:?}");
    }
    // And it is where the robot stands.
    let nominal = world.start(None, 7);
    let run = varied(&world, None, 7, 3, Scatter::Everyday);
    let of = |what: &str| {
        run.chance
            .drawn
            .iter()
            .find(|one| one.what == what)
            .unwrap()
            .off
    };
    let there = nominal.place(of("start along"), of("start across"));
    assert_within(run.start.x, there.x, 1e-12);
    assert_within(run.start.y, there.y, 1e-12);
    assert_within(
        run.start.heading,
        nominal.heading + of("start turned"),
        1e-12,
    );
}

#[test]
fn no_draw_goes_with_another() {
    let world = world();
    let runs: Vec<Vec<Drawn>> = (1..=RUNS)
        .map(|run| chance(&world, run, Scatter::Everyday))
        .collect();
    let count = runs[0].len();
    let series: Vec<Vec<f64>> = (0..count)
        .map(|at| runs.iter().map(|run| run[at].off).collect())
        .collect();
    let spread: Vec<f64> = series.iter().map(|values| deviation(values)).collect();
    for a in 0..count {
        for b in 0..a {
            let both: Vec<f64> = series[a]
                .iter()
                .zip(&series[b])
                .map(|(x, y)| x * y)
                .collect();
            let together =
                (mean(&both) - mean(&series[a]) * mean(&series[b])) / (spread[a] * spread[b]);
            // A correlation of nothing has a standard error of 1 / sqrt(n); there are hundreds of
            // pairs.
            assert!(
                together.abs() < 4.8 / f64::from(RUNS).sqrt(),
                "{} with {}: {together}",
                runs[0][a].what,
                runs[0][b].what
            );
        }
        // Nor with itself a run later.
        let later: Vec<f64> = series[a].windows(2).map(|pair| pair[0] * pair[1]).collect();
        let together =
            (mean(&later) - mean(&series[a]) * mean(&series[a])) / (spread[a] * spread[a]);
        assert!(
            together.abs() < 4.8 / f64::from(RUNS).sqrt(),
            "{} with the next: {together}",
            runs[0][a].what
        );
    }
}

#[test]
fn a_run_is_told_by_its_number_and_a_draw_by_its_name() {
    let full = world();
    let last = chance(&full, 17, Scatter::Everyday);
    let in_order: Vec<Vec<Drawn>> = (0..20)
        .map(|run| chance(&full, run, Scatter::Everyday))
        .collect();
    assert_eq!(in_order[17], last);
    assert!(in_order[0].is_empty(), "run 0 is as the files say");
    assert_ne!(in_order[16], last);
    assert_ne!(
        varied(&full, None, 8, 17, Scatter::Everyday).chance.drawn,
        last,
        "another seed"
    );
    // Without a gyro and a ranging sensor, everything else is what it was; a rough run leans to the
    // same sides.
    let mut robot = (*full.robot).clone();
    (robot.gyro, robot.rangers) = (None, Vec::new());
    let bare = World {
        robot: Arc::new(robot),
        ..full.clone()
    };
    let fewer = chance(&bare, 17, Scatter::Everyday);
    assert!(fewer.len() < last.len() && fewer.iter().all(|one| last.contains(one)));
    let rough = chance(&full, 17, Scatter::Rough);
    let both = last
        .iter()
        .zip(rough)
        .filter(|(one, _)| one.what != "light");
    for (everyday, rough) in both {
        assert_eq!(
            (everyday.what.as_str(), everyday.sigmas),
            (rough.what.as_str(), rough.sigmas)
        );
        assert!(everyday.sigmas.is_none() || rough.off.abs() > everyday.off.abs());
    }
}

#[test]
fn exact_runs_differ_by_the_noise_of_the_senses_alone() {
    let world = world();
    let exact = varied(&world, None, 7, 5, Scatter::Exact);
    assert!(exact.chance.drawn.is_empty() && exact.seed != 7);
    assert_eq!(
        (exact.start, &*exact.world.robot),
        (world.start(None, 7), &*world.robot)
    );
    let nominal = varied(&world, None, 7, 0, Scatter::Rough);
    assert_eq!((nominal.seed, &*nominal.world.robot), (7, &*world.robot));
}

#[test]
fn nobody_is_put_down_where_something_stands_or_nothing_is() {
    let mut world = world();
    let nominal = world.start(None, 7);
    let front = world.robot.nose;
    let mut field = (*world.field).clone();
    // A crate right before it, and the edge of the table right beside it.
    let place = nominal.place(front + 0.021, 0.0);
    field.objects = vec![Object {
        name: "crate".into(),
        surface: crate::field::SurfaceId(0),
        outline: Outline::Polygon(
            [(-0.02, -0.05), (0.02, -0.05), (0.02, 0.05), (-0.02, 0.05)]
                .map(|(x, y)| Point::new(x, y))
                .to_vec(),
        ),
        pose: Pose {
            x: place.x,
            y: place.y,
            heading: nominal.heading,
        },
        mass: 0.1,
        friction: 0.4,
        bounce: 0.0,
        span: 0..0,
    }];
    field.edge = Edge::Drop;
    world.field = Arc::new(field);
    let mut again = 0;
    for run in 1..=200 {
        let drawn = varied(&world, None, 7, run, Scatter::Rough);
        let outline = Outline::Polygon(
            world
                .robot
                .outline
                .iter()
                .map(|&(x, y)| Point::new(x, y))
                .collect(),
        );
        assert_eq!(
            in_the_way(&drawn.world.field, &outline, drawn.start, None),
            None,
            "run {run}"
        );
        again += drawn.chance.again;
    }
    assert!(again > 50, "{again} places were drawn again");
}

#[test]
fn the_robot_keeps_the_speed_that_it_believes_in() {
    // A kept speed is kept by the encoders: with larger wheels it is faster in the same share, and
    // with unequal ones it drives a circle of half the track, times their sum over their
    // difference.
    let mut robot = even_robot();
    let kept = Command {
        left: WheelCommand::Speed(0.15),
        right: WheelCommand::Speed(0.15),
    };
    robot.true_diameters = [1.018 * robot.wheel_diameter; 2];
    let mut bench = Bench::new(&robot, STEP);
    bench.go(kept, 2.0);
    assert_within(bench.speed(), 0.15 * 1.018, 2e-4);
    robot.true_diameters = [robot.wheel_diameter, 1.018 * robot.wheel_diameter];
    let mut bench = Bench::new(&robot, STEP);
    bench.go(kept, 1.0);
    let before = bench.plant.pose(&bench.body);
    let after = bench.go(kept, 2.0);
    let radius = robot.track_width / 2.0 * (1.018 + 1.0) / (1.018 - 1.0);
    let turned = after.heading - before.heading;
    assert_within(turned, 2.0 * 0.15 * 1.009 / radius, 2e-3);
}

#[test]
fn a_sensor_reads_at_its_phase_and_no_reading_is_ever_old() {
    // With a clock of its own a reading is up to a period old when it is looked at: what the robot
    // passes is seen later, by 0 to one period and never by more.
    let world = world();
    let program = prepare(
        MISSION,
        Some(&Setup::load(ROBOT, FIELD, Some(CALIBRATION)).0.unwrap()),
    )
    .program
    .unwrap();
    let first = |phase: u32| {
        let mut robot = (*world.robot).clone();
        for sensor in &mut robot.sensors {
            sensor.clock = crate::robot::Clock {
                period_us: 50_000,
                phase_ms: phase,
            };
        }
        let world = World {
            robot: Arc::new(robot),
            ..world.clone()
        };
        let run = run(&world, &program, world.start(None, 7), 7, None).unwrap();
        run.visits
            .iter()
            .find(|visit| visit.step == StepId(0))
            .unwrap()
            .left
    };
    let all: Vec<usize> = (0..5).map(|fifth| first(fifth * 10)).collect();
    let (least, most) = (all.iter().min().unwrap(), all.iter().max().unwrap());
    assert!(most > least && most - least <= 5, "{all:?}");
}

#[test]
fn varied_runs_of_the_demo_end_apart_and_each_the_same_again() {
    let setup = Setup::load(ROBOT, FIELD, Some(CALIBRATION)).0.unwrap();
    let (world, program) = (
        setup.world(),
        prepare(MISSION, Some(&setup)).program.unwrap(),
    );
    let ends = |number: u32| {
        let Varied {
            world, start, seed, ..
        } = varied(&world, None, 7, number, Scatter::Everyday);
        let run = run(&world, &program, start, seed, None).unwrap();
        (run.fingerprint(), run.final_pose())
    };
    let all: Vec<_> = (1..=10).map(ends).collect();
    let again: Vec<_> = (1..=10).rev().map(ends).collect();
    assert!(all.iter().eq(again.iter().rev()));
    let across: Vec<f64> = all.iter().map(|(_, pose)| pose.x * 1e3).collect();
    assert!(
        deviation(&across) > 0.5,
        "millimetres, not hundredths of one: {across:?}"
    );
}

#[test]
fn the_light_that_is_told_is_the_light_that_there_is() {
    let dim = |ambient: f64| {
        let mut world = world();
        let mut field = (*world.field).clone();
        field.ambient = ambient;
        world.field = Arc::new(field);
        world
    };
    for ambient in [0.0, 0.03, 0.5] {
        let world = dim(ambient);
        let mut offs = Vec::new();
        for run in 1..=RUNS {
            let drawn = varied(&world, None, 7, run, Scatter::Rough);
            let light = drawn
                .chance
                .drawn
                .iter()
                .find(|one| one.what == "light")
                .unwrap();
            assert_within(drawn.world.field.ambient, ambient + light.off, 1e-12);
            assert!(drawn.world.field.ambient >= 0.0);
            offs.push(light.off);
        }
        if ambient > 0.15 {
            assert!((deviation(&offs) / (0.05 * CUT) - 1.0).abs() < 0.08);
        }
    }
}
