//! What one edit costs in the core: reading, checking, compiling and running the demo mission.

use std::hint::black_box;
use std::sync::Arc;

use criterion::{Criterion, criterion_group, criterion_main};
use wayodos_core::controller::{Controller, Reading, Readings, Status};
use wayodos_core::lab::spread::Attempt;
use wayodos_core::mission::{format, parse};
use wayodos_core::project::{Setup, prepare};
use wayodos_core::record::Trace;
use wayodos_core::scatter::Scatter;
use wayodos_core::sim::run;

const MISSION: &str = include_str!("../../../examples/brinewick/missions/morning-round.way");
const ROBOT: &str = include_str!("../../../examples/brinewick/robots/curlew.toml");
const FIELD: &str = include_str!("../../../examples/brinewick/fields/causeway.toml");
const CALIBRATION: &str = include_str!("../../../examples/brinewick/calibration.toml");

/// A mission of 500 steps of many kinds, with named amounts, a routine and a reflex.
fn long_mission() -> String {
    let mut text = String::from(
        "mission \"Long\"\n  limit 600 s\n  start slipway\n\nlet cruise = 26 %\nlet far = 40 mm\n\nreflex \"Rim\"\n  when floor-left > 60 % and floor-right > 60 % for 100 ms\n  do turn\n  then resume\n\n",
    );
    let legs = (0..124).map(|nth| {
        format!(
            "step \"drive {nth}\"\n  drive ahead at cruise holding the heading\n  until floor-right sees dark for 20 ms  -> next\n  or    travelled (far * 2)  -> next\n\n\
             step \"follow {nth}\"\n  follow the left edge of a dark line with floor-left at cruise, gain 0.6\n  until floor-right has crossed 2 dark lines  -> next\n  or    20 s pass  -> fail \"too slow\"\n\n\
             step \"turn {nth}\"\n  do turn (swing = 45 deg)\n  until 4 s pass\n\n\
             step \"look {nth}\"\n  seek with ahead within 300 mm, spinning left at 20 % up to 90 deg, moving far, 2 tries\n  until found  -> next\n  or    given up  -> next\n\n"
        )
    });
    text.extend(legs);
    text + "routine turn (swing = 90 deg)\n  step \"there\"\n    spin left at 24 %\n    until turned swing\n  step \"stand\"\n    hold, brake\n    until 0.2 s pass\nend\n"
}

/// A mission whose reflexes look at twenty things.
fn reflexes() -> String {
    let mut text = String::from("mission \"Watchful\"\n  limit 600 s\n  start slipway\n\n");
    let watches = (0..5).map(|nth| {
        format!(
            "reflex \"{nth}\"\n  when (floor-left sees dark and hue sees kiln-red) or (ahead < {nth}00 mm and floor-right < 5 % for 50 ms)\n  hold, brake\n  until 1 s passes\n\n"
        )
    });
    text.extend(watches);
    text + "step \"Wait\"\n  hold, brake\n  until 590 s pass\n"
}

fn benches(criterion: &mut Criterion) {
    let setup = Setup::load(ROBOT, FIELD, Some(CALIBRATION))
        .0
        .expect("the demo is good");
    let program = prepare(MISSION, Some(&setup))
        .program
        .expect("the demo is good");
    let world = setup.world();
    let start = world.start(Some("slipway"), 7);
    let seconds = run(&world, &program, start, 7, None)
        .expect("not cancelled")
        .duration();

    criterion.bench_function(
        &format!("one run of the demo, {seconds:.1} s simulated"),
        |bench| {
            bench.iter(|| run(&world, &program, start, black_box(7), None));
        },
    );
    let mut group = criterion.benchmark_group("text");
    group.bench_function("parse", |bench| bench.iter(|| parse(black_box(MISSION))));
    group.bench_function("parse, check and compile", |bench| {
        bench.iter(|| prepare(black_box(MISSION), Some(&setup)));
    });
    group.bench_function("format", |bench| bench.iter(|| format(black_box(MISSION))));
    group.finish();
    let long = long_mission();
    criterion.bench_function("parse, check and compile 500 steps", |bench| {
        bench.iter(|| prepare(black_box(&long), Some(&setup)));
    });
    let watchful = prepare(&reflexes(), Some(&setup))
        .program
        .expect("twenty terms are fine");
    for (name, program) in [
        ("one control tick", &program),
        ("one control tick with 20 reflex terms", &watchful),
    ] {
        criterion.bench_function(name, |bench| {
            // Pale ground and wheels that stand: the first step goes on for ever.
            let sensors = vec![
                Reading {
                    brightness: 0.77,
                    rgb: [0.81, 0.77, 0.64]
                };
                setup.robot.sensors.len()
            ];
            let fresh = Controller::new(Arc::clone(program));
            let mut controller = fresh.clone();
            let mut events = Vec::with_capacity(16);
            bench.iter(|| {
                events.clear();
                let readings = Readings {
                    sensors: black_box(&sensors),
                    ranges: &[1.2],
                    touches: &[],
                    wheels: [0.0; 2],
                    gyro: Some(0.0),
                    actuators: &[],
                    battery: 7.9,
                };
                let answer = controller.tick(&readings, &mut events);
                // At the limit it begins again: a mission that has ended has nothing to look at.
                if answer.1 != Status::Running {
                    controller = fresh.clone();
                }
                answer
            });
        });
    }
    let attempt = Attempt {
        program: Arc::clone(&program),
        world: Arc::new(setup.world()),
        start: Some("slipway".into()),
        seed: 7,
        scatter: Scatter::Everyday,
        hands: Arc::new([]),
    };
    criterion.bench_function("a varied run and what is kept of it", |bench| {
        let (mut spare, mut number) = (Trace::default(), 0);
        bench.iter(|| {
            number = number % 20 + 1;
            attempt.brief(number, &mut spare, None)
        });
    });
    criterion.bench_function("a field becomes a world", |bench| {
        bench.iter(|| setup.world());
    });
}

criterion_group! { name = all; config = Criterion::default().sample_size(40); targets = benches }
criterion_main!(all);
