//! What one edit costs in the core: reading, checking, compiling and running the demo mission.

use std::hint::black_box;
use std::sync::Arc;

use criterion::{Criterion, criterion_group, criterion_main};
use wayodos_core::controller::{Controller, Reading, Readings};
use wayodos_core::mission::{format, parse};
use wayodos_core::project::{Setup, prepare};
use wayodos_core::sim::run;

const MISSION: &str = include_str!("../../../examples/brinewick/missions/morning-round.way");
const ROBOT: &str = include_str!("../../../examples/brinewick/robots/curlew.toml");
const FIELD: &str = include_str!("../../../examples/brinewick/fields/causeway.toml");
const CALIBRATION: &str = include_str!("../../../examples/brinewick/calibration.toml");

fn benches(criterion: &mut Criterion) {
    let setup = Setup::load(ROBOT, FIELD, Some(CALIBRATION)).0.expect("the demo is good");
    let program = prepare(MISSION, Some(&setup)).program.expect("the demo is good");
    let world = setup.world();
    let start = world.start(Some("slipway"), 7);
    let seconds = run(&world, &program, start, 7, None).expect("not cancelled").duration();

    criterion.bench_function(&format!("one run of the demo, {seconds:.1} s simulated"), |bench| {
        bench.iter(|| run(&world, &program, start, black_box(7), None));
    });
    let mut group = criterion.benchmark_group("text");
    group.bench_function("parse", |bench| bench.iter(|| parse(black_box(MISSION))));
    group.bench_function("parse, check and compile", |bench| bench.iter(|| prepare(black_box(MISSION), Some(&setup))));
    group.bench_function("format", |bench| bench.iter(|| format(black_box(MISSION))));
    group.finish();
    criterion.bench_function("one control tick", |bench| {
        // Pale ground and wheels that stand: the first step goes on for ever.
        let sensors = vec![Reading { brightness: 0.77, rgb: [0.81, 0.77, 0.64] }; setup.robot.sensors.len()];
        let mut controller = Controller::new(Arc::clone(&program));
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
            controller.tick(&readings, &mut events)
        });
    });
    criterion.bench_function("a field becomes a world", |bench| {
        bench.iter(|| setup.world());
    });
}

criterion_group! { name = all; config = Criterion::default().sample_size(40); targets = benches }
criterion_main!(all);
