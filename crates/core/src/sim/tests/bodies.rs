//! Bodies that meet, against closed forms.

use super::*;
use crate::field::{Edge, Object, Outline, Platform, Shape, SurfaceId};
use crate::robot::Steering;

fn disc(radius: f64, mass: f64, x: f64) -> Object {
    Object {
        name: format!("disc at {x}"),
        surface: SurfaceId(0),
        outline: Outline::Disc(radius),
        pose: Pose {
            x,
            y: 0.5,
            heading: 0.0,
        },
        mass,
        friction: 0.0,
        bounce: 0.0,
        span: 0..0,
    }
}

fn block(side: f64, mass: f64, x: f64) -> Object {
    let half = side / 2.0;
    let corners =
        [(-half, -half), (half, -half), (half, half), (-half, half)].map(|(x, y)| Point::new(x, y));
    Object {
        outline: Outline::Polygon(corners.to_vec()),
        ..disc(half, mass, x)
    }
}

fn field(objects: Vec<Object>) -> Field {
    Field {
        width: 4.0,
        height: 1.0,
        objects,
        ..Field::default()
    }
}

/// A wall from bottom to top.
fn wall(x: f64) -> Wall {
    Wall {
        name: String::new(),
        points: vec![Point::new(x, -1.0), Point::new(x, 2.0)],
        thickness: 0.02,
    }
}

fn at(x: f64, heading: f64) -> Pose {
    Pose { x, y: 0.5, heading }
}

#[test]
fn a_thing_let_go_slides_as_far_as_its_friction_lets_it() {
    // v^2 / (2 mu g), and v / (mu g) long.
    let (mu, speed) = (0.4, 0.8);
    let mut table = Table::new(
        field(vec![Object {
            friction: mu,
            ..block(0.1, 0.3, 1.0)
        }]),
        &[],
    );
    table.scene.loose[0].velocity = (speed, 0.0);
    let lasts = speed / (mu * GRAVITY);
    table.go(&[], lasts - 0.01);
    assert!(table.scene.loose[0].velocity.0 > 0.0);
    table.go(&[], 0.05);
    assert_eq!(
        table.scene.loose[0].velocity,
        (0.0, 0.0),
        "and then it lies still"
    );
    assert_within(
        table.scene.loose[0].at.x - 1.0,
        speed * speed / (2.0 * mu * GRAVITY),
        0.01,
    );
}

#[test]
fn a_disc_that_spins_stops_when_its_friction_says() {
    // Torque mu m g 2 r / 3 against m r^2 / 2: it slows by 4 mu g / (3 r).
    let (mu, radius, spin) = (0.3, 0.05, 20.0);
    let mut table = Table::new(
        field(vec![Object {
            friction: mu,
            ..disc(radius, 0.2, 1.0)
        }]),
        &[],
    );
    table.scene.loose[0].spin = spin;
    let slows = 4.0 * mu * GRAVITY / (3.0 * radius);
    table.go(&[], 0.1);
    assert_within(table.scene.loose[0].spin, spin - 0.1 * slows, 0.01);
    table.go(&[], spin / slows - 0.1 + 0.01);
    assert_eq!(table.scene.loose[0].spin, 0.0);
}

#[test]
fn discs_that_meet_keep_momentum_and_give_back_what_their_bounce_says() {
    for bounce in [0.0, 0.5, 1.0] {
        let discs = vec![
            Object {
                bounce,
                ..disc(0.05, 0.3, 1.0)
            },
            Object {
                bounce,
                ..disc(0.05, 0.6, 1.3)
            },
        ];
        let mut table = Table::new(field(discs), &[]);
        table.scene.loose[0].velocity = (1.0, 0.0);
        table.go(&[], 0.6);
        let [a, b] = [0, 1].map(|disc| table.scene.loose[disc].velocity.0);
        // m1 v = m1 v1 + m2 v2 and v2 - v1 = e v.
        assert_within(0.3 * a + 0.6 * b, 0.3, 1e-9);
        assert!((b - a - bounce).abs() < 1e-6, "{bounce}: {a} {b}");
        // What is lost: (1 - e^2) of the energy about the common centre, m1 m2 / (m1 + m2) v^2 / 2.
        let lost = 0.15 - 0.5 * (0.3 * a * a + 0.6 * b * b);
        assert!(
            (lost - (1.0 - bounce * bounce) * 0.1).abs() < 1e-6,
            "{lost}"
        );
    }
}

#[test]
fn a_glancing_blow_keeps_momentum_and_turning_momentum() {
    let (radius, mass) = (0.05, 0.3);
    let mut second = disc(radius, mass, 1.3);
    second.pose.y += 0.06;
    let mut table = Table::new(field(vec![disc(radius, mass, 1.0), second]), &[]);
    table.scene.loose[0].velocity = (1.0, 0.0);
    table.go(&[], 0.6);
    let mut sums = [0.0; 3];
    for loose in &table.scene.loose {
        let (vx, vy) = loose.velocity;
        let turning = mass * ((loose.at.x - 1.0) * vy - (loose.at.y - 0.5) * vx)
            + mass * radius * radius / 2.0 * loose.spin;
        for (sum, part) in sums.iter_mut().zip([mass * vx, mass * vy, turning]) {
            *sum += part;
        }
    }
    assert_within(sums[0], mass, 1e-9);
    assert!(sums[1].abs() < 1e-12, "{sums:?}");
    // Turning momentum about the first one's path is 0; contact is found to within a step's way of
    // the true place.
    assert!(sums[2].abs() < 2e-4 * mass, "{sums:?}");
    assert!(
        table.scene.loose.iter().all(|loose| loose.spin > 0.1),
        "and they rub each other into turning"
    );
}

#[test]
fn what_bounces_wholly_keeps_its_energy_between_two_walls() {
    let mut between = field(vec![Object {
        bounce: 1.0,
        ..disc(0.05, 0.3, 1.0)
    }]);
    between.walls = vec![wall(0.5), wall(1.5)];
    let mut table = Table::new(between, &[]);
    table.scene.loose[0].velocity = (0.9, 0.0);
    table.go(&[], 10.0);
    assert_within(table.scene.loose[0].velocity.0.abs(), 0.9, 1e-6);
    assert!((0.55..1.45).contains(&table.scene.loose[0].at.x));
}

#[test]
fn equal_robots_head_to_head_stand_still() {
    let robot = even_robot();
    let (nose, gap) = (robot.nose, 0.002);
    let facing = [
        (&robot, at(1.0 - nose - gap, 0.0)),
        (&robot, at(1.0 + nose + gap, math::PI)),
    ];
    for share in [0.3, 1.0] {
        let mut table = Table::new(field(Vec::new()), &facing);
        table.go(&[duty(share, share); 2], 0.5);
        let before = table.scene.riders[0].body.x;
        let poses = table.go(&[duty(share, share); 2], 3.0);
        assert!(
            (table.scene.riders[0].body.x - before).abs() < 0.001,
            "{poses:?}"
        );
        assert!(
            (poses[0].x + poses[1].x - 2.0).abs() < 0.001 && poses[0].heading.abs() < 0.01,
            "{poses:?}"
        );
    }
}

/// How far the middle between two robots that push each other has moved towards the second one, in
/// 2 s.
fn contest(first: &Robot, second: &Robot) -> f64 {
    let start = [
        (first, at(1.0 - first.nose, 0.0)),
        (second, at(1.0 + second.nose, math::PI)),
    ];
    let mut table = Table::new(field(Vec::new()), &start);
    let poses = table.go(&[duty(1.0, 1.0); 2], 2.0);
    poses[0].x + first.nose - 1.0
}

#[test]
fn the_heavier_or_grippier_robot_wins_and_more_torque_than_grip_does_not() {
    let robot = even_robot();
    // As much torque as makes the tyres slip, so that grip decides.
    let mut strong = robot.clone();
    for motor in [&mut strong.left, &mut strong.right] {
        motor.stall_torque *= 3.0;
    }
    let with = |change: fn(&mut Robot)| {
        let mut robot = strong.clone();
        change(&mut robot);
        robot
    };
    let heavy =
        with(|robot| (robot.mass, robot.yaw_inertia) = (robot.mass * 1.5, robot.yaw_inertia * 1.5));
    let grippy = with(|robot| robot.grip *= 1.3);
    let stronger = with(|robot| robot.left.stall_torque *= 2.0);
    assert!(contest(&heavy, &strong) > 0.1 && contest(&strong, &heavy) < -0.1);
    assert!(contest(&grippy, &strong) > 0.1);
    let mut stronger = stronger;
    stronger.right = stronger.left.clone();
    assert!(
        contest(&stronger, &strong).abs() < 0.02,
        "{}",
        contest(&stronger, &strong)
    );
    let mut weak = robot;
    for motor in [&mut weak.left, &mut weak.right] {
        motor.stall_torque *= 0.2;
    }
    assert!(
        contest(&strong, &weak) > 0.1,
        "below the limit of grip torque does decide"
    );
}

#[test]
fn pushing_a_wall_grows_with_the_duty_until_the_tyres_slip() {
    let mut robot = even_robot();
    for motor in [&mut robot.left, &mut robot.right] {
        motor.stall_torque *= 3.0;
    }
    let push = |share: f64| {
        let walled = Field {
            walls: vec![wall(1.0)],
            ..field(Vec::new())
        };
        let mut table = Table::new(walled, &[(&robot, at(0.99 - robot.nose - 0.001, 0.0))]);
        table.go(&[duty(share, share)], 1.5);
        let wheel = table.scene.riders[0].body.wheels[0];
        (table.force(0), wheel)
    };
    let full = robot.left.stall_torque * robot.battery / robot.left.rated_voltage;
    // The gears' friction is one of turning: what stands has none.
    let pushes = |share: f64| 2.0 * full * share / (robot.wheel_diameter / 2.0);
    let grip = robot.grip * robot.mass * GRAVITY * robot.wheel_share();
    assert!(
        pushes(0.1) < grip && pushes(0.3) > grip,
        "the test is about both sides of the limit"
    );
    let (weak, strong, full) = (push(0.1), push(0.6), push(1.0));
    assert_within(weak.0, pushes(0.1), 0.03);
    assert!(weak.1.abs() < 0.1, "stalled: {weak:?}");
    assert_within(strong.0, grip, 0.02);
    assert_within(full.0, grip, 0.02);
    assert!(
        full.1 > 1.5 * strong.1 && strong.1 > 5.0,
        "more duty only spins the wheels: {strong:?} {full:?}"
    );
}

#[test]
fn a_load_is_pushed_with_what_its_friction_takes() {
    let robot = even_robot();
    let (mu, mass) = (0.35, 0.4);
    let load = Object {
        friction: mu,
        ..block(0.1, mass, 1.0)
    };
    let mut table = Table::new(
        field(vec![load]),
        &[(&robot, at(1.0 - 0.05 - robot.nose - 0.005, 0.0))],
    );
    table.go(&[duty(0.5, 0.5)], 2.0);
    let speed = table.scene.riders[0].body.velocity.0;
    let slower = mu * mass * GRAVITY / damping(&robot);
    assert_within(table.force(0), mu * mass * GRAVITY, 0.02);
    assert_within(speed, steady(&robot, 0.5) - slower, 0.01);
    assert_within(table.scene.loose[0].velocity.0, speed, 1e-3);
    let marks = table.marks();
    assert!(marks.met && !marks.touched);
}

#[test]
fn steady_pushing_in_long_strides_ends_where_single_steps_end() {
    let robot = even_robot();
    let load = Object {
        friction: 0.35,
        ..block(0.1, 0.4, 1.0)
    };
    let walled = Field {
        walls: vec![wall(2.2)],
        ..field(vec![load])
    };
    let ends = |uneven: f64| {
        let mut table = Table::new(
            walled.clone(),
            &[(&robot, at(1.0 - 0.05 - robot.nose - 0.005, 0.0))],
        );
        let mut poses = Vec::new();
        for tick in 0..900 {
            // A command that changes all the time, be it ever so little, never becomes steady.
            let share = 0.5 + if tick % 2 == 0 { uneven } else { -uneven };
            poses.push(table.go(&[duty(share, share)], 0.01)[0]);
        }
        (
            poses,
            table.scene.loose[0].at,
            table.scene.riders[0].body.angles,
        )
    };
    let (long, short) = (ends(0.0), ends(1e-9));
    let apart = long
        .0
        .iter()
        .zip(&short.0)
        .map(|(a, b)| math::length(a.x - b.x, a.y - b.y))
        .fold(0.0, f64::max);
    assert!(apart < 1e-4, "{apart}");
    assert!(
        long.1.distance(short.1) < 1e-4 && (long.2[0] - short.2[0]).abs() < 1e-2,
        "{long:?} {short:?}"
    );
    assert!(long.1.x > 2.12, "up to the wall");
}

#[test]
fn a_pushed_thing_falls_where_its_middle_has_no_floor_and_a_robot_where_its_own_has_none() {
    let robot = even_robot();
    let mut raised = field(vec![Object {
        friction: 0.3,
        ..block(0.1, 0.2, 1.0)
    }]);
    let shape = Shape::Disc {
        centre: Point::new(0.7, 0.5),
        radius: 0.5,
    };
    raised.platforms = vec![Platform {
        name: String::new(),
        shape,
    }];
    let mut table = Table::new(raised, &[(&robot, at(0.7, 0.0))]);
    while table.scene.fallen.is_empty() {
        table.go(&[duty(0.4, 0.4)], STEP);
        assert!(table.scene.riders[0].body.x < 1.3);
    }
    assert_within(table.scene.loose[0].at.x, 1.2, 0.001);
    assert!(!table.scene.riders[0].out);
    table.go(&[duty(0.4, 0.4)], 2.0);
    let rider = &table.scene.riders[0];
    assert!(rider.out);
    assert_within(rider.body.x, 1.2, 0.001);
}

#[test]
fn a_leap_ends_where_single_steps_end() {
    let robot = even_robot();
    let ends = |scene: bool, dt: f64| {
        let all = [
            (duty(0.5, 0.35), 0.7),
            (duty(-0.3, 0.3), 0.5),
            (duty(0.6, 0.6), 0.4),
            (Command::BRAKE, 0.4),
        ];
        let mut table = Table::new(field(Vec::new()), &[(&robot, Pose::default())]);
        let mut bench = Bench::new(&robot, dt);
        let mut pose = Pose::default();
        for (command, seconds) in all {
            pose = if scene {
                table.go(&[command], seconds)[0]
            } else {
                bench.go(command, seconds)
            };
        }
        pose
    };
    let (leaps, steps, fine) = (
        ends(true, STEP),
        ends(false, STEP),
        ends(false, STEP / 50.0),
    );
    let apart =
        |a: Pose, b: Pose| math::length(a.x - b.x, a.y - b.y) + 0.1 * (a.heading - b.heading).abs();
    assert!(apart(leaps, fine) < 0.001, "{leaps:?} {fine:?}");
    assert!(
        apart(leaps, fine) < 1.5 * apart(steps, fine),
        "no coarser than steps: {leaps:?} {steps:?} {fine:?}"
    );
}

fn car() -> Robot {
    let mut robot = even_robot();
    robot.steering = Some(Steering {
        port: "ST".into(),
        limit: 0.6,
        rate: 2.0,
    });
    robot.caster_drag = 0.0;
    robot.caster_ahead = 0.12;
    robot
}

#[test]
fn a_car_drives_the_circle_that_its_steering_angle_says() {
    // r = wheelbase / tan(angle); the command of a circle of radius r has its wheels differ by
    // track / r.
    let robot = car();
    for angle in [0.2f64, 0.5] {
        let radius = robot.caster_ahead / (math::sin(angle) / math::cos(angle));
        let lean = robot.track_width / 2.0 / radius;
        let command = duty(0.3 * (1.0 - lean), 0.3 * (1.0 + lean));
        let mut bench = Bench::new(&robot, STEP);
        bench.go(command, 1.0);
        let body = &bench.body;
        assert_within(body.steered.0, angle, 1e-6);
        let (vx, vy) = body.velocity;
        // Speed of the middle of the axle: along the body.
        let ahead = body.cos_sin.0 * vx + body.cos_sin.1 * vy;
        assert_within(ahead / body.spin, radius, 0.01);
    }
}

#[test]
fn a_car_cannot_turn_on_the_spot_and_its_steering_takes_time() {
    let robot = car();
    let mut bench = Bench::new(&robot, STEP);
    let pose = bench.go(duty(-0.4, 0.4), 1.0);
    assert!(
        pose.heading.abs() < 1e-6 && math::length(pose.x, pose.y) < 1e-6,
        "{pose:?}"
    );
    assert_within(bench.body.steered.0, 0.6, 1e-9);

    let mut bench = Bench::new(&robot, STEP);
    bench.go(duty(0.0, 0.4), 0.1);
    assert_within(bench.body.steered.0, 0.1 * 2.0, 0.02);
    bench.go(duty(0.0, 0.4), 1.0);
    assert_within(bench.body.steered.0, 0.6, 1e-9);
}

#[test]
fn a_regulated_speed_does_not_depend_on_the_battery_and_a_duty_does() {
    let at = |volts: f64, command: Command| {
        let mut robot = even_robot();
        robot.battery = volts;
        let mut bench = Bench::new(&robot, STEP);
        bench.go(command, 2.0);
        bench.speed()
    };
    let kept = Command {
        left: WheelCommand::Speed(0.15),
        right: WheelCommand::Speed(0.15),
    };
    assert_within(at(6.8, kept), 0.15, 1e-3);
    assert_within(at(8.4, kept), 0.15, 1e-3);
    assert!(at(8.4, duty(0.4, 0.4)) > 1.2 * at(6.8, duty(0.4, 0.4)));
}

#[test]
fn keeping_the_position_goes_back_where_braking_is_shoved_away() {
    let (robot, rival) = (even_robot(), even_robot());
    let shoved = |command: WheelCommand| {
        let start = [
            (&robot, at(1.0 + robot.nose, math::PI)),
            (&rival, at(1.0 - rival.nose - 0.01, 0.0)),
        ];
        let mut table = Table::new(field(Vec::new()), &start);
        table.go(
            &[
                Command {
                    left: command,
                    right: command,
                },
                duty(0.25, 0.25),
            ],
            1.0,
        );
        table.go(
            &[
                Command {
                    left: command,
                    right: command,
                },
                duty(-0.5, -0.5),
            ],
            1.0,
        )[0]
        .x - 1.0
            - robot.nose
    };
    let (brake, keep) = (shoved(WheelCommand::Brake), shoved(WheelCommand::Keep));
    assert!(brake > 0.01 && keep.abs() < 0.003, "{brake} {keep}");
}

#[test]
fn walls_that_overlap_and_a_robot_that_stands_in_one_are_got_out_of() {
    let robot = even_robot();
    let crossing = Wall {
        points: vec![Point::new(0.0, 0.0), Point::new(2.0, 1.0)],
        ..wall(1.0)
    };
    let field = Field {
        walls: vec![wall(1.0), wall(1.005), crossing],
        ..field(Vec::new())
    };
    for share in [0.3, 1.0, -1.0] {
        let mut table = Table::new(field.clone(), &[(&robot, at(1.0, 0.3))]);
        for _ in 0..40 {
            let pose = table.go(&[duty(share, 0.8 * share)], 0.1)[0];
            assert!(pose.x.is_finite() && pose.heading.is_finite());
            let (vx, vy) = table.scene.riders[0].body.velocity;
            assert!(math::length(vx, vy) < 5.0, "nothing is flung away");
        }
    }
}

#[test]
fn on_the_edge_of_a_table_a_wheel_without_floor_has_no_grip() {
    let robot = even_robot();
    // The left wheel is beyond the edge, the middle is not.
    let start = Pose {
        x: 1.0,
        y: 1.0 - 0.04,
        heading: 0.0,
    };
    let turns = |edge: Edge| {
        let mut table = Table::new(
            Field {
                edge,
                ..field(Vec::new())
            },
            &[(&robot, start)],
        );
        let pose = table.go(&[duty(0.3, 0.3)], 0.3)[0];
        (pose.heading, table.marks().hangs)
    };
    let (floor, drop) = (turns(Edge::Floor), turns(Edge::Drop));
    assert!(floor.0.abs() < 1e-6 && !floor.1, "{floor:?}");
    assert!(
        drop.0 > 0.1 && drop.1,
        "only the right wheel drives: {drop:?}"
    );
}
