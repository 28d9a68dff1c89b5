//! Friction, play, weight that shifts, a battery that runs down, a caster that swings: each against
//! a closed form.

use super::super::sensor::Senses;
use super::*;
use crate::robot::Capacity;

fn both(mut robot: Robot, change: impl Fn(&mut crate::robot::Motor)) -> Robot {
    change(&mut robot.left);
    change(&mut robot.right);
    robot
}

#[test]
fn a_robot_starts_as_soon_as_its_motors_pull_more_than_friction_holds() {
    // v(t) = v1 (1 - exp(-t k / m)) from the very first step on, also just above break-away.
    let robot = even_robot();
    let tau = felt_mass(&robot) / damping(&robot);
    for share in [0.08, 0.12, 0.3] {
        for milliseconds in [5, 10, 20, 50] {
            let mut bench = Bench::new(&robot, STEP);
            let seconds = f64::from(milliseconds) * 1e-3;
            bench.go(duty(share, share), seconds);
            // Never further off than one step.
            let [early, late] = [-STEP, STEP]
                .map(|by| steady(&robot, share) * (1.0 - math::exp(-(seconds + by) / tau)));
            let speed = bench.speed();
            assert!(early <= speed && speed <= late, "{speed} after {seconds} s");
        }
    }
}

#[test]
fn a_pair_that_is_rammed_keeps_its_momentum() {
    // Both roll on as one: what the masses and the wheels had, less friction while it lasts.
    let robot = even_robot();
    let ahead = Pose {
        x: robot.length + 0.02,
        ..Pose::default()
    };
    let mut table = Table::new(
        Field::default(),
        &[(&robot, Pose::default()), (&robot, ahead)],
    );
    let felt = felt_mass(&robot);
    let speed = 0.5;
    let rolling = table.scene.riders[0]
        .plant
        .rolling(Pose::default(), [speed; 2]);
    table.scene.riders[0].body = rolling;
    let mut seconds = 0.0;
    while table.scene.riders[1].body.velocity.0 < 0.01 {
        table.go(&[COAST, COAST], STEP);
        seconds += STEP;
    }
    table.go(&[COAST, COAST], 0.01);
    let momentum = |rider: &Rider| felt * rider.body.velocity.0;
    let all: f64 = table.scene.riders.iter().map(momentum).sum();
    // Until they meet only one is held back, then both.
    let expected = felt * speed - drag(&robot) * (seconds + 2.0 * 0.01);
    assert_within(all, expected, 0.005);
}

#[test]
fn gears_that_stick_start_at_the_torque_that_breaks_them_loose_and_then_turn_with_less() {
    let mut robot = both(even_robot(), |motor| motor.stiction = 3.0 * motor.friction);
    robot.caster_drag = 0.0;
    let least =
        robot.left.stiction / (robot.left.stall_torque * robot.battery / robot.left.rated_voltage);
    let from_rest = |share: f64| {
        let mut bench = Bench::new(&robot, STEP);
        bench.go(duty(share, share), 1.0);
        bench.speed()
    };
    assert!(
        from_rest(least * 0.97) < 2e-4,
        "{}",
        from_rest(least * 0.97)
    );
    assert_within(from_rest(least * 1.03), steady(&robot, least * 1.03), 0.02);
    // What already rolls goes on.
    let mut bench = Bench::new(&robot, STEP);
    bench.go(duty(0.4, 0.4), 0.5);
    bench.go(duty(least * 0.97, least * 0.97), 2.0);
    assert_within(bench.speed(), steady(&robot, least * 0.97), 0.02);
}

#[test]
fn duties_that_the_driver_does_not_hear_do_nothing() {
    let robot = both(even_robot(), |motor| motor.least_duty = 0.2);
    let speed = |share: f64| {
        let mut bench = Bench::new(&robot, STEP);
        bench.go(duty(share, share), 1.0);
        bench.speed()
    };
    assert!(speed(0.19) < 1e-9 && speed(-0.19) < 1e-9);
    assert_within(speed(0.2), steady(&robot, 0.2), 0.02);
}

#[test]
fn each_reversal_loses_the_play_of_the_gears() {
    for degrees in [1.0f64, 3.0] {
        let play = degrees.to_radians();
        let robot = both(even_robot(), |motor| motor.play = play);
        let mut bench = Bench::new(&robot, STEP);
        let travelled = |bench: &Bench| (bench.body.encoders()[0], bench.body.angles[0]);
        bench.go(duty(0.4, 0.4), 1.0);
        let mut before = travelled(&bench);
        // It was put down with the teeth anywhere: the first start loses half of it.
        assert_within(before.0 - before.1, play / 2.0, 1e-6);
        for sign in [-1.0, 1.0, -1.0] {
            bench.go(duty(0.4 * sign, 0.4 * sign), 1.0);
            let now = travelled(&bench);
            let lost = sign * ((now.0 - before.0) - (now.1 - before.1));
            assert_within(lost, play, 1e-6);
            before = now;
        }
        // Once the teeth meet, it is as fast as one without play.
        assert_within(bench.speed(), steady(&robot, 0.4), 0.02);
    }
}

#[test]
fn weight_shifts_by_mass_times_acceleration_times_height_over_the_wheelbase() {
    // With spinning wheels: m a = mu N - d (m g - N), N = m g s + m a h / L; hence
    // a = g (mu s - d (1 - s)) / (1 - (mu + d) h / L).
    let mut robot = both(even_robot(), |motor| motor.stall_torque *= 40.0);
    let pull = |robot: &Robot, forward: f64| {
        let mut bench = Bench::new(robot, STEP);
        bench.go(duty(forward, forward), 0.05);
        let before = bench.body.velocity.0;
        bench.go(duty(forward, forward), 0.01);
        (
            (bench.body.velocity.0 - before) / 0.01,
            bench.body.shifted.0 / STEP,
        )
    };
    let (share, mu, d) = (robot.wheel_share(), robot.grip, robot.caster_drag);
    assert!(pull(&robot, 1.0).1 == 0.0);
    robot.com_height = 0.03;
    let lever = robot.com_height / robot.caster_ahead;
    for sign in [1.0, -1.0] {
        let (gained, shifted) = pull(&robot, sign);
        let expected = GRAVITY * (mu * share - d * (1.0 - share)) / (1.0 - sign * (mu + d) * lever);
        assert_within(gained, sign * expected, 0.01);
        assert_within(shifted, robot.mass * gained * lever, 0.01);
    }
}

#[test]
fn a_battery_runs_down_as_the_charge_that_its_motors_took_says() {
    // Both motors stall at full duty: q' = 2 V / R and V = V0 (1 - (1 - left) q / Q), hence V = V0
    // exp(-2 V0 (1 - left) t / (Q R)).
    let mut robot = even_robot();
    robot.sag = 0.0;
    robot.capacity = Some(Capacity {
        charge: 30.0,
        left: 0.6,
    });
    let field = Field::default();
    let mut rider = Rider::new(Plant::new(&robot, STEP), &field, Pose::default());
    let mut senses = Senses::new(&robot, 1, "");
    let constant = robot.left.rated_voltage / robot.left.no_load_speed;
    let resistance = robot.left.rated_voltage * constant / robot.left.stall_torque;
    let period = f64::from(robot.control_ms) * STEP;
    for _ in 0..(20.0 / period).round() as u32 {
        senses.drain(&robot, &mut rider, duty(1.0, 1.0));
    }
    let expected =
        robot.battery * math::exp(-2.0 * robot.battery * 0.4 * 20.0 / (30.0 * resistance));
    assert_within(rider.body.supply * robot.battery, expected, 1e-3);
}

#[test]
fn a_kept_speed_draws_on_the_battery_like_a_duty() {
    let mut robot = even_robot();
    robot.sag = 1.0;
    let field = Field::default();
    let mut table = Table::new(field, &[(&robot, Pose::default())]);
    let mut senses = Senses::new(&robot, 1, "");
    let keep = Command {
        left: WheelCommand::Speed(0.2),
        right: WheelCommand::Speed(0.2),
    };
    let mut drain = |table: &mut Table| {
        let rider = &mut table.scene.riders[0];
        senses.drain(&robot, rider, keep);
        (
            rider.body.supply * robot.battery,
            rider.plant.duties(&rider.body, keep)[0],
        )
    };
    // From rest its driver gives what it takes, and the battery sags by the square of that.
    let (volts, share) = drain(&mut table);
    assert!(share > 0.9, "{share}");
    assert_within(volts, robot.battery - robot.sag * share * share, 1e-9);
    // And it still gets there: the regulator makes up for what is missing.
    for _ in 0..200 {
        table.go(&[keep], 10.0 * STEP);
        drain(&mut table);
    }
    let body = &table.scene.riders[0].body;
    assert_within(body.velocity.0, 0.2, 0.01);
    assert!(body.supply < 1.0);
}

#[test]
fn a_caster_swings_into_line_along_a_tractrix() {
    // Pulled straight, tan(angle / 2) falls by exp(-distance / trail).
    let mut robot = even_robot();
    (robot.caster_trail, robot.caster_drag, robot.caster_scrub) = (0.02, 0.0, 0.0);
    let mut bench = Bench::new(&robot, STEP);
    let leans = 1.0f64;
    bench.body.swivel = (math::cos(leans), math::sin(leans));
    let from = bench.body.x;
    bench.go(duty(0.3, 0.3), 0.3);
    let travelled = bench.body.x - from;
    let (c, s) = bench.body.swivel;
    let expected = math::sin(leans / 2.0) / math::cos(leans / 2.0)
        * math::exp(-travelled / robot.caster_trail);
    assert_within(s / (1.0 + c), expected, 0.03);
    assert!(travelled > 0.02);
}

#[test]
fn a_caster_that_must_swing_round_kicks_the_robot_aside() {
    let turned = |trail: f64| {
        let mut robot = even_robot();
        robot.caster_trail = trail;
        robot.caster_scrub = 0.4;
        let mut bench = Bench::new(&robot, STEP);
        bench.go(duty(0.3, 0.3), 0.5);
        let ahead = bench.body.heading;
        let back = bench.go(duty(-0.3, -0.3), 1.5);
        (ahead, back.heading, bench.body.swivel.0)
    };
    let (ball, swivel) = (turned(0.0), turned(0.012));
    assert!((swivel.0 - ball.0).abs() < 0.001, "{swivel:?} {ball:?}");
    // Ahead it trails; after the reversal it has swung round, and the robot has turned.
    assert!(
        (swivel.1 - ball.1).abs() > 0.01 && swivel.2 < -0.9,
        "{swivel:?}"
    );
}

#[test]
fn with_all_of_it_a_step_ten_times_finer_tells_the_same() {
    let mut robot = both(even_robot(), |motor| {
        motor.stiction = 2.0 * motor.friction;
        motor.play = 0.03;
    });
    (robot.com_height, robot.caster_trail, robot.caster_scrub) = (0.035, 0.012, 0.3);
    let manoeuvre = |dt: f64| {
        let mut bench = Bench::new(&robot, dt);
        bench.go(duty(0.5, 0.35), 1.0);
        bench.go(duty(-0.2, 0.25), 1.0);
        bench.go(COAST, 0.5);
        bench.go(duty(0.4, 0.5), 0.5)
    };
    let [coarse, fine] = [STEP, STEP / 10.0].map(manoeuvre);
    let apart = math::length(coarse.x - fine.x, coarse.y - fine.y);
    assert!(apart < 0.002, "{coarse:?} {fine:?}");
    assert!(
        (coarse.heading - fine.heading).abs() < 0.01,
        "{coarse:?} {fine:?}"
    );
}
