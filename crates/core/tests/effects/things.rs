//! Effects of what is on a table besides lines and walls: things, rivals, hands, actuators and
//! rules.

use wayodos_core::field::{Mark, Point, Pose, Shape, SurfaceId};
use wayodos_core::ids::{ActuatorId, SensorId, SignalId, StepId, SwitchId};
use wayodos_core::project::prepare;
use wayodos_core::record::{Act, Happening, Intervention, Outcome, PropKind, Run, Verdict};
use wayodos_core::robot::load;

use crate::table::{Table, degrees, gone, then_rest};

/// The first tick at which something happened in the world.
fn when(run: &Run, what: Happening) -> Option<f64> {
    run.trace
        .happened
        .iter()
        .find(|happened| happened.what == what)
        .map(|it| run.trace.seconds(it.tick as usize))
}

/// A floor raised at 1200 mm, with a dark rim of 90 mm, and a basket in front of the robot.
fn floor_with_basket(friction: f64) -> Table {
    Table::new()
        .with("[[platform]]\nsurface = \"pale\"\nat = \"600, 500 mm\"\nsize = \"1200 x 900 mm\"")
        .bar(1155.0, 90.0)
        .with(&format!("[[object]]\nname = \"basket\"\nsurface = \"red\"\nat = \"470, 500 mm\"\nsize = \"100 x 100 mm\"\nmass = \"120 g\"\nfriction = {friction}"))
}

#[test]
fn e20_a_slow_push_leaves_it_on_the_rim_and_momentum_carries_it_off() {
    let pushed = |speed: u32, friction: f64| {
        let run = floor_with_basket(friction).run(&then_rest(
            &format!("drive ahead at {speed} %"),
            "floor-left sees dark\nor 25 s pass",
        ));
        assert_eq!(
            run.outcome,
            Outcome::Done,
            "the robot itself stays on: {}",
            run.reason
        );
        let basket = run
            .trace
            .props
            .iter()
            .position(|prop| prop.name == "basket")
            .unwrap();
        (
            when(&run, Happening::Gone(basket)).is_some(),
            run.trace.place(run.trace.ticks.len() - 1, basket),
        )
    };
    let (slow, fast) = (pushed(15, 0.2), pushed(90, 0.2));
    assert!(
        !slow.0 && slow.1.unwrap().x > 1.15,
        "slowly it stays, right on the rim: {slow:?}"
    );
    assert!(
        fast.0 && fast.1.is_none(),
        "fast it slides on and falls: {fast:?}"
    );
    assert!(
        !pushed(40, 1.5).0,
        "where it sticks, momentum does not help"
    );
}

#[test]
fn e33_an_obstacle_stays_or_leaves_during_a_pause() {
    let run = |leaves: &str| {
        let heron = format!(
            "[[obstacle]]\nname = \"heron\"\nsurface = \"dark\"\nat = \"900, 500 mm\"\ndiameter = \"80 mm\"\n{leaves}"
        );
        Table::new().with(&heron).run(
            "step \"go\"\ndrive ahead at 30 %\nuntil ahead < 200 mm\nstep \"wait\"\nhold\nuntil 4 s pass\nstep \"look\"\nhold\nuntil ahead < 300 mm -> fail \"it stays\"\nor 0.1 s pass\nstep \"on\"\ndrive ahead at 30 %\nuntil travelled 600 mm -> done",
        )
    };
    let (stays, leaves) = (run(""), run("leaves = \"4 s\""));
    assert_eq!(
        (stays.outcome, stays.reason.as_str()),
        (Outcome::Failed, "it stays")
    );
    assert_eq!(leaves.outcome, Outcome::Done);
    assert!(
        leaves.final_pose().x > 0.95,
        "the robot went through where it had stood"
    );
    assert_eq!(when(&leaves, Happening::Left(0)), Some(4.0));
}

#[test]
fn e33_an_obstacle_that_comes_every_few_seconds_waits_until_its_place_is_free() {
    let gull = "[[obstacle]]\nname = \"gull\"\nsurface = \"dark\"\nat = \"300, 500 mm\"\ndiameter = \"60 mm\"\ncomes = \"1 s\"\nleaves = \"2 s\"\nevery = \"3 s\"";
    let run = Table::new().with(gull).run(
        "step \"a\"\nhold\nuntil 2 s pass\nstep \"b\"\ndrive back at 40 %\nuntil 4 s pass -> done",
    );
    // At 1 s it is on top of the robot's place and waits; it comes at 4 s, when the robot has gone.
    let came = when(&run, Happening::Came(0)).unwrap();
    assert!((4.0..=4.01).contains(&came), "{came}");
    assert!(run.trace.ticks.iter().all(|tick| !tick.touched));
}

#[test]
fn e39_a_car_cannot_spin_and_needs_time_to_steer() {
    let caster = "[caster]\nahead = \"82 mm\"\ndrag = 0.04";
    let car = |rate: &str| {
        Table::new().robot(
            caster,
            &format!("[steering]\nport = \"ST\"\nahead = \"82 mm\"\nlimit = \"35 deg\"\nrate = \"{rate}\""),
        )
    };
    let setup = car("120 deg/s").setup();
    let refused = prepare(
        "limit 9 s\nstep \"a\"\nspin left at 30 %\nuntil turned 90 deg -> done",
        Some(&setup),
    );
    assert!(
        refused
            .findings
            .iter()
            .any(|finding| finding.code == "M115"),
        "{:#?}",
        refused.findings
    );

    let arc =
        "step \"a\"\ndrive ahead on a left arc of 250 mm at 130 mm/s\nuntil turned 90 deg -> done";
    let (quick, slow, differential) = (
        car("300 deg/s").run(arc),
        car("20 deg/s").run(arc),
        Table::new().run(arc),
    );
    // The end of a quarter circle from the start: r ahead and r to the left.
    let ahead = |run: &Run| run.trace.ticks[run.ended].pose.x * 1e3 - 300.0;
    assert!(
        (ahead(&differential) - 250.0).abs() < 20.0,
        "{}",
        ahead(&differential)
    );
    assert!((ahead(&quick) - 250.0).abs() < 20.0, "{}", ahead(&quick));
    assert!(
        ahead(&slow) > ahead(&quick) + 50.0,
        "it drives straight on while it steers: {}",
        ahead(&slow)
    );
}

#[test]
fn e41_a_delay_is_as_exact_as_the_control_period() {
    let waits = |period: &str| {
        let table = Table::new().robot("period = \"10 ms\"", &format!("period = \"{period}\""));
        let run = table
            .run("step \"wait\"\nhold\nuntil 1.234 s pass\nstep \"go\"\ndrive ahead at 30 %\nuntil 1 s passes -> done");
        run.trace.seconds(run.visits[1].entered)
    };
    assert!((waits("100 ms") - 1.3).abs() < 1e-9, "{}", waits("100 ms"));
    assert!((waits("10 ms") - 1.24).abs() < 1e-9, "{}", waits("10 ms"));
    assert!((waits("1 ms") - 1.234).abs() < 1e-9, "{}", waits("1 ms"));
}

#[test]
fn e41_who_moves_before_the_start_delay_is_over_has_lost() {
    let moves_after = |seconds: &str| {
        let table = Table::new().with(
            "[rules]\nclock = \"20 s\"\nstart_delay = \"3 s\"\ndecided_by = [\"early start\"]",
        );
        table.run(&format!(
            "step \"wait\"\nhold\nuntil {seconds} s pass\nstep \"go\"\ndrive ahead at 30 %\nuntil 1 s passes -> done"
        ))
    };
    let (early, right) = (moves_after("2.9"), moves_after("3"));
    assert_eq!(
        (
            early.outcome,
            early.sheet.verdict.map(|(verdict, _)| verdict)
        ),
        (Outcome::Failed, Some(Verdict::Lost))
    );
    assert!((2.9..3.0).contains(&when(&early, Happening::EarlyStart).unwrap()));
    assert_eq!(
        (right.outcome, when(&right, Happening::EarlyStart)),
        (Outcome::Done, None)
    );
}

#[test]
fn e42_a_text_that_is_replaced_at_once_is_not_read_and_a_sample_is_as_old_as_its_pace() {
    let table = Table::new().with("").robot(
        "[gyro]",
        "[[signal]]\nname = \"panel\"\nkind = \"text\"\n\n[gyro]",
    );
    let shown = |pause: &str| {
        let run = table.run(&format!(
            "step \"a\"\nsignal panel \"one\"\nuntil {pause} s pass\nstep \"b\"\nsignal panel \"two\"\nuntil 1 s passes -> done"
        ));
        when(&run, Happening::Signal(SignalId(0), StepId(1))).unwrap()
            - when(&run, Happening::Signal(SignalId(0), StepId(0))).unwrap()
    };
    assert!(
        shown("0") < 0.02 && shown("1.5") >= 1.5,
        "{} {}",
        shown("0"),
        shown("1.5")
    );

    let different = |rate: &str| {
        let run = Table::new()
            .robot("rate = \"500 Hz\"", &format!("rate = \"{rate}\""))
            .run("step \"a\"\nhold\nuntil 2 s pass -> done");
        let all: Vec<f64> = (0..200)
            .map(|tick| run.trace.reading(tick, SensorId(0)).brightness)
            .collect();
        all.windows(2).filter(|pair| pair[0] != pair[1]).count()
    };
    assert!(
        different("2 Hz") <= 4 && different("500 Hz") > 40,
        "{} {}",
        different("2 Hz"),
        different("500 Hz")
    );
}

const ARM: &str = "[[actuator]]\nname = \"arm\"\nport = \"MC\"\nfrom = \"0 deg\"\nto = \"95 deg\"\nspeed = \"90 deg/s\"\n\n[gyro]";

#[test]
fn e43_an_arm_takes_its_time_and_ends_at_its_stop() {
    let table = Table::new().robot("[gyro]", ARM);
    let moved = |angle: &str| {
        table.run(&format!("step \"lift\"\nmove arm to {angle}\nuntil arm is there -> done\nor arm is blocked -> fail \"blocked\"\nor 5 s pass -> fail \"late\""))
    };
    let (half, whole, beyond) = (moved("45 deg"), moved("90 deg"), moved("180 deg"));
    assert_eq!(
        (half.outcome, whole.outcome),
        (Outcome::Done, Outcome::Done)
    );
    assert!(
        (half.duration() - 0.5).abs() < 0.03 && (whole.duration() - 1.0).abs() < 0.03,
        "{}",
        whole.duration()
    );
    assert_eq!(beyond.reason, "blocked");
    let at = beyond
        .trace
        .angle(beyond.trace.ticks.len() - 1, ActuatorId(0))
        .to_degrees();
    assert!((at - 95.0).abs() < 1e-6, "{at}");
    assert!(
        when(&beyond, Happening::Blocked(ActuatorId(0))).is_some()
            && when(&whole, Happening::Arrived(ActuatorId(0))).is_some()
    );
    // A motor without stops goes round as far as it is commanded.
    let mill = Table::new().robot(
        "[gyro]",
        &ARM.replace("from = \"0 deg\"\nto = \"95 deg\"\n", ""),
    );
    let round = mill.run("step \"a\"\nmove arm to 2 turn\nuntil arm is there -> done");
    assert!(
        (round.duration() - 8.0).abs() < 0.05,
        "{}",
        round.duration()
    );
}

/// A ring of 900 mm, the robot near its middle, and a rival.
fn ring(rival: &str) -> Table {
    let mut table = Table::new()
        .with("[[platform]]\nname = \"ring\"\nsurface = \"pale\"\nat = \"1000, 500 mm\"\ndiameter = \"900 mm\"")
        .with(&format!("[[opponent]]\nname = \"rival\"\nrobot = \"rival.toml\"\n{rival}"))
        .with("[rules]\nclock = \"12 s\"\ndecided_by = [\"last on the ring\"]\n\n[[score]]\nfor = \"opponent off\"\npoints = 10")
        .start(850.0, 500.0, 0.0);
    let robot = table.robot.clone();
    table = table.file("rival.toml", &robot);
    table
}

#[test]
fn e44_a_plan_for_a_rival_that_stands_fails_when_it_moves_and_one_is_turned_by_lot() {
    let plan = "step \"shove\"\ndrive ahead at 60 %\nuntil travelled 500 mm\nstep \"stay\"\nhold\nuntil 15 s pass -> done";
    let stands = ring("at = \"1200, 500 mm\"\nheading = \"180 deg\"");
    let won = stands.run(plan);
    assert_eq!(
        won.sheet.verdict.map(|(verdict, _)| verdict),
        Some(Verdict::Won),
        "{}",
        won.reason
    );
    assert_eq!(won.sheet.total(), Some(10.0));
    assert_eq!(won.trace.props[0].kind, PropKind::Robot);

    let moves = ring(
        "at = \"1200, 500 mm\"\nheading = \"0 deg\"\npatrols = [\"1200, 800 mm\", \"1200, 200 mm\"]\nduty = \"35 %\"",
    );
    assert_ne!(
        moves.run(plan).sheet.verdict.map(|(verdict, _)| verdict),
        Some(Verdict::Won),
        "it was elsewhere"
    );

    // Turned by lot, the same plan drives off in any direction.
    let mut lot = stands;
    lot.start = (850.0, 500.0, 0.0);
    let setup = lot.setup();
    let mut field = (*setup.field).clone();
    field.starts[0].turned_by_lot = true;
    let setup = wayodos_core::project::Setup {
        field: std::sync::Arc::new(field),
        ..setup
    };
    let world = setup.world();
    let headings: Vec<f64> = (0..24)
        .map(|seed| degrees(world.start(None, seed)))
        .collect();
    assert!(
        headings.iter().any(|it| *it < 90.0) && headings.iter().any(|it| *it > 270.0),
        "{headings:?}"
    );
    let program = prepare(&format!("limit 60 s\n{plan}"), Some(&setup))
        .program
        .unwrap();
    let wins = (0..24).filter(|&seed| {
        let run =
            wayodos_core::sim::run(&world, &program, world.start(None, seed), seed, None).unwrap();
        run.sheet
            .verdict
            .is_some_and(|(verdict, _)| verdict == Verdict::Won)
    });
    assert!(wins.count() < 8);
}

#[test]
fn e44_a_rival_with_a_mission_of_its_own_pushes_back() {
    let rival = "limit 60 s\nstep \"shove\"\ndrive ahead at 100 %\nuntil 20 s pass -> done";
    let table = ring("at = \"1200, 500 mm\"\nheading = \"180 deg\"\nmission = \"rival.way\"")
        .file("rival.way", rival);
    let idle = table.run("step \"stay\"\nhold\nuntil 15 s pass -> done");
    assert_eq!(
        (idle.outcome, idle.reason.as_str()),
        (Outcome::Fell, "fell off ring")
    );
    let against = table.run("step \"shove\"\ndrive ahead at 100 %\nuntil 8 s pass -> done");
    assert_eq!(
        against.outcome,
        Outcome::Done,
        "equal robots hold each other: {}",
        against.reason
    );
}

#[test]
fn e48_an_exact_angle_is_stepped_over_between_two_looks() {
    // The language has no test for equality: "turned" holds from there on. What an exact one would
    // see is in the trace.
    let looks = |speed: u32| {
        let table = Table::new()
            .robot("noise = \"0.4 deg/s\"", "noise = \"0 deg/s\"")
            .robot("drift = \"0.03 deg/s\"", "drift = \"0 deg/s\"");
        let run = table.run(&format!(
            "step \"a\"\nspin left at {speed} %\nuntil turned 90 deg -> done"
        ));
        assert_eq!(run.outcome, Outcome::Done, "reached and passed is reached");
        run.trace
            .ticks
            .iter()
            .filter(|tick| (tick.gyro.to_degrees() - 90.0).abs() < 0.05)
            .count()
    };
    assert_eq!(looks(60), 0, "quickly, no look falls onto it");
    assert!(looks(8) >= 1, "creeping, one does");
}

fn tape(x: f64) -> Act {
    let points = vec![Point::new(x, 0.0), Point::new(x, 1.0)];
    let shape = Shape::Band {
        points,
        width: 0.03,
    };
    Act::Lay(Mark {
        name: "tape".into(),
        is_line: true,
        keep_off: false,
        surface: SurfaceId(1),
        shape,
    })
}

#[test]
fn e50_what_a_hand_changes_acts_at_once_and_replays_exactly() {
    let table = Table::new();
    let steps = "step \"go\"\ndrive ahead at 30 %\nuntil floor-left sees dark -> fail \"tape\"\nor ahead < 200 mm -> fail \"something\"\nor 4 s pass -> done";
    let at = |at_ms: u64, act: Act| vec![Intervention { at_ms, act }];
    let none = table.run_by_hand(steps, &[]);
    assert_eq!(none.outcome, Outcome::Done, "{}", none.reason);

    let laid = table.run_by_hand(steps, &at(1000, tape(0.8)));
    assert_eq!(laid.reason, "tape");
    assert!(
        (laid.trace.ticks[laid.ended].pose.x - (0.8 - 0.015 - 0.092)).abs() < 0.01,
        "{:?}",
        laid.trace.ticks[laid.ended].pose
    );
    assert_eq!(when(&laid, Happening::ByHand(0)), Some(1.0));

    let hand = |at_ms| {
        table.run_by_hand(
            steps,
            &at(
                at_ms,
                Act::Cover {
                    sensor: "ahead".into(),
                    distance: 0.1,
                    for_ms: 300,
                },
            ),
        )
    };
    let covered = hand(1500);
    assert_eq!(covered.reason, "something");
    assert!(
        (1.5..1.6).contains(&covered.duration()),
        "{}",
        covered.duration()
    );
    assert_eq!(
        covered.fingerprint(),
        hand(1500).fingerprint(),
        "the same hand, the same run"
    );
    assert_ne!(covered.fingerprint(), hand(1400).fingerprint());
}

#[test]
fn e50_things_and_the_robot_itself_are_put_elsewhere() {
    let heron = "[[obstacle]]\nname = \"heron\"\nsurface = \"dark\"\nat = \"1900, 900 mm\"\ndiameter = \"80 mm\"";
    let table = Table::new().with(heron);
    let steps = "step \"go\"\ndrive ahead at 30 %\nuntil ahead < 200 mm -> fail \"something\"\nor 4 s pass -> done";
    let place = |x: f64| Intervention {
        at_ms: 500,
        act: Act::Place {
            thing: "heron".into(),
            pose: Pose {
                x,
                y: 0.5,
                heading: 0.0,
            },
        },
    };
    assert_eq!(table.run_by_hand(steps, &[place(1.0)]).reason, "something");
    let removed = Intervention {
        at_ms: 600,
        act: Act::Remove {
            thing: "heron".into(),
        },
    };
    assert_eq!(
        table.run_by_hand(steps, &[place(1.0), removed]).outcome,
        Outcome::Done
    );

    let carried = Intervention {
        at_ms: 1000,
        act: Act::Carry {
            pose: Pose {
                x: 0.3,
                y: 0.2,
                heading: 0.0,
            },
        },
    };
    let run = table.run_by_hand(
        "step \"go\"\ndrive ahead at 30 %\nuntil travelled 300 mm -> done",
        &[carried],
    );
    assert!(
        run.final_pose().y < 0.25 && gone(&run) > 250.0,
        "{:?}",
        run.final_pose()
    );
}

#[test]
fn a_switch_is_pressed_by_a_wall_or_a_finger_and_bumped_when_let_go() {
    let devices = "[[touch]]\nname = \"bumper\"\nport = \"S6\"\nside = \"front\"\n\n[[button]]\nname = \"go\"\nport = \"S7\"\n\n[gyro]";
    let table = Table::new()
        .robot("[gyro]", devices)
        .wall("\"800, 0 mm\", \"800, 1000 mm\"");
    let steps = "step \"wait\"\nhold\nuntil go was bumped\nstep \"go\"\ndrive ahead at 30 %\nuntil bumper is pressed\nor 6 s pass -> fail \"nothing\"\nstep \"off\"\ndrive back at 30 %\nuntil bumper is released -> done";
    let press = Intervention {
        at_ms: 700,
        act: Act::Press {
            switch: "go".into(),
            for_ms: 200,
        },
    };
    let run = table.run_by_hand(steps, &[press]);
    assert_eq!(run.outcome, Outcome::Done, "{}", run.reason);
    assert!(
        (0.9..0.92).contains(&run.trace.seconds(run.visits[1].entered)),
        "when it is let go"
    );
    let nose = run.trace.ticks[run.visits[2].entered].pose.x + 0.112;
    assert!((nose - 0.79).abs() < 0.003, "{nose}");
    assert!(run.trace.is_pressed(run.visits[2].entered, SwitchId(0)));
    let untouched = table.run_by_hand(steps, &[]);
    assert_eq!(
        untouched.outcome,
        Outcome::Limit,
        "nobody pressed the button"
    );
}

#[test]
fn a_code_sensor_tells_one_of_its_numbers_and_a_third_one_on_an_edge() {
    let codes = "kind = \"code\"\ncodes = [{ name = \"white\", code = 6, colour = \"#e9e3d2\" }, { name = \"red\", code = 5, colour = \"#bf4a2d\" }, { name = \"blue\", code = 2, colour = \"#2d73b0\" }, { name = \"mauve\", code = 7, colour = \"#966180\" }]";
    let table = Table::new()
        .robot("kind = \"colour\"", codes)
        .line("red", 400.0, "\"500, 500 mm\", \"800, 500 mm\"")
        .line("blue", 400.0, "\"800, 500 mm\", \"1200, 500 mm\"")
        .start(500.0, 500.0, 0.0);
    let run =
        table.run("step \"go\"\ndrive ahead at 15 %\nuntil hue sees blue -> done\nor hue sees white -> fail \"white\"");
    assert_eq!(run.outcome, Outcome::Done, "{}", run.reason);
    let sensor = &load(&table.robot).0.unwrap().sensors[2];
    let code_at = |tick: usize| {
        sensor
            .code(run.trace.reading(tick, SensorId(2)).rgb)
            .unwrap()
            .number
    };
    assert!((0..run.ended).all(|tick| [5, 7, 2].contains(&code_at(tick))));
    assert!(
        (0..run.ended).any(|tick| code_at(tick) == 7),
        "a mauve that is not there"
    );
}

#[test]
fn e29_a_gyro_must_settle_before_its_heading_is_good() {
    let off = |wait: u32, settles: &str| {
        let table = Table::new()
            .robot(
                "noise = \"0.4 deg/s\"",
                &format!("noise = \"0 deg/s\"\n{settles}"),
            )
            .robot("drift = \"0.03 deg/s\"", "drift = \"0 deg/s\"");
        let run = table.run(&format!(
            "step \"wait\"\nhold\nuntil {wait} s pass\nstep \"go\"\nhold\nuntil 3 s pass -> done"
        ));
        let from = run.trace.ticks[run.visits[1].entered];
        (run.trace.ticks[run.ended].gyro - from.gyro)
            .to_degrees()
            .abs()
    };
    let unsettled = "settles = \"2 s\"\nunsettled = \"8 deg/s\"";
    assert!(
        off(0, unsettled) > 10.0 * off(3, unsettled) && off(0, unsettled) > 0.5,
        "{} {}",
        off(0, unsettled),
        off(3, unsettled)
    );
    assert_eq!(off(0, ""), 0.0);
}

#[test]
fn e08_a_sensor_mounted_higher_sees_a_larger_and_darker_spot() {
    let reads = |mount: &str| {
        let table = Table::new()
            .robot("spot = \"8 mm\"", mount)
            .robot("noise = \"1.2 %\"", "noise = \"0 %\"");
        table
            .run("step \"a\"\nhold\nuntil 0.1 s pass -> done")
            .trace
            .reading(5, SensorId(0))
            .brightness
    };
    let low = reads("height = \"8 mm\"\nmade_for = \"8 mm\"\nopening = \"50 deg\"");
    let high = reads("height = \"12 mm\"\nmade_for = \"8 mm\"\nopening = \"50 deg\"");
    assert!(
        (high / low - 4.0 / 9.0).abs() < 0.02,
        "inverse square: {low} {high}"
    );
    let robot = Table::new()
        .robot(
            "spot = \"8 mm\"",
            "height = \"10 mm\"\nopening = \"53.13 deg\"",
        )
        .robot;
    assert!(
        (load(&robot).0.unwrap().sensors[0].spot - 0.01).abs() < 1e-5,
        "2 h tan(half the opening)"
    );
}

#[test]
fn what_counts_stands_on_the_sheet_line_by_line() {
    let field = "[[zone]]\nname = \"dock\"\nat = \"700, 500 mm\"\nsize = \"400 x 400 mm\"\n\n[rules]\nclock = \"30 s\"\n\n\
        [[score]]\nfor = \"robot in zone\"\nzone = \"dock\"\npoints = 20\n\n[[score]]\nfor = \"tape touched\"\npoints = -5\n\n\
        [[score]]\nfor = \"second left\"\npoints = 1\n\n[[score]]\nfor = \"done\"\npoints = 3\n\n[[score]]\nfor = \"object in zone\"\nzone = \"dock\"\npoints = 7\n\n\
        [[object]]\nname = \"can\"\nsurface = \"red\"\nat = \"800, 620 mm\"\ndiameter = \"60 mm\"\nmass = \"100 g\"\n\n\
        [[line]]\nsurface = \"red\"\nwidth = \"30 mm\"\nkeep_off = true\npoints = [\"450, 0 mm\", \"450, 1000 mm\"]";
    let run = Table::new()
        .with(field)
        .run(&then_rest("drive ahead at 30 %", "travelled 380 mm"));
    let left = (30.0 - run.duration()).floor();
    assert_eq!(
        run.sheet.total(),
        Some(20.0 - 5.0 + left + 3.0 + 7.0),
        "{:?}",
        run.sheet.lines
    );
    assert!(
        run.trace
            .happened
            .iter()
            .any(|it| matches!(it.what, Happening::Tape(_)))
    );
    // Stopped short of the tape, nothing is taken off, and nothing given for the zone.
    let short = Table::new()
        .with(field)
        .run(&then_rest("drive ahead at 30 %", "travelled 25 mm"));
    assert!(
        short.sheet.lines[..2].iter().all(|line| line.times == 0),
        "{:?}",
        short.sheet.lines
    );
}

#[test]
fn e38_a_battery_sags_under_load_and_a_mission_can_look_at_it() {
    let battery =
        |sag: &str| Table::new().robot("voltage = \"7.9 V\"", &format!("voltage = \"7.9 V\"{sag}"));
    let speed = |table: &Table| {
        let run = table.run("step \"go\"\ndrive ahead at 80 %\nuntil 3 s pass -> done");
        let last = run.trace.ticks[run.ended - 1];
        (last.rims[0], last.battery, run.trace.ticks[1].battery)
    };
    let (firm, weak) = (speed(&battery("")), speed(&battery("\nsag = \"1.6 V\"")));
    assert_eq!((firm.1, firm.2), (7.9, 7.9));
    assert!(weak.0 < 0.99 * firm.0, "{weak:?} {firm:?}");
    // At the start it draws duty squared of the stall current, of both motors: 0.64 of the sag.
    assert!(
        (weak.2 - (7.9 - 1.6 * 0.64)).abs() < 1e-9 && weak.1 > weak.2 + 0.5,
        "{weak:?}"
    );
    let looks = |sag: &str| {
        let steps = "step \"go\"\ndrive ahead at 80 %\nuntil battery < 7.2 V -> fail \"weak\"\nor 1 s passes -> done";
        battery(sag).run(steps).outcome
    };
    assert_eq!(
        (looks(""), looks("\nsag = \"1.6 V\"")),
        (Outcome::Done, Outcome::Failed)
    );
}
