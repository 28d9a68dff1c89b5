//! What comes, walks, plays and counts on a field: timetables, rivals and the score sheet.

use wayodos_core::field::{Mark, Point, Pose, Shape, SurfaceId};
use wayodos_core::ids::SensorId;
use wayodos_core::record::{Act, Happening, Intervention, Outcome, PropKind, Run, Verdict};

use crate::table::{Table, then_rest};

const WAIT: &str = "step \"wait\"\nhold\nuntil 12 s pass -> done";

/// When something happened, each time.
fn times(run: &Run, what: Happening) -> Vec<f64> {
    let all = run
        .trace
        .happened
        .iter()
        .filter(|happened| happened.what == what);
    all.map(|happened| run.trace.seconds(happened.tick as usize))
        .collect()
}

fn obstacle(more: &str) -> Table {
    Table::new().with(&format!(
        "[[obstacle]]\nname = \"gull\"\nsurface = \"dark\"\nat = \"1500, 200 mm\"\ndiameter = \"60 mm\"\n{more}"
    ))
}

/// Where the first thing on the field was at a time.
fn place(run: &Run, seconds: f64) -> Option<Pose> {
    run.trace.place(run.trace.tick_at(seconds), 0)
}

#[test]
fn an_obstacle_keeps_its_timetable() {
    let run = obstacle("comes = \"1.5 s\"\nleaves = \"2 s\"\nevery = \"4 s\"").run(WAIT);
    assert_eq!(times(&run, Happening::Came(0)), [1.5, 5.5, 9.5]);
    assert_eq!(times(&run, Happening::Left(0)), [2.0, 6.0, 10.0]);
    assert!(place(&run, 1.0).is_none() && place(&run, 1.7).is_some() && place(&run, 3.0).is_none());
    let stays = obstacle("").run(WAIT);
    assert_eq!(
        times(&stays, Happening::Came(0)),
        [] as [f64; 0],
        "what stands there from the start has not come"
    );
    assert!(place(&stays, 0.0).is_some() && place(&stays, 12.0).is_some());
}

#[test]
fn an_obstacle_walks_its_path_at_its_speed_and_back_when_it_paces() {
    let path = "path = [\"1500, 500 mm\", \"1700, 500 mm\"]\nspeed = \"100 mm/s\"";
    let at = |run: &Run, seconds: f64| {
        let pose = place(run, seconds).unwrap();
        (pose.x * 1e3, pose.y * 1e3)
    };
    let near = |(x, y): (f64, f64), (a, b): (f64, f64)| (x - a).abs() < 1.5 && (y - b).abs() < 1.5;
    let once = obstacle(path).run(WAIT);
    // 300 mm up, then 200 mm to the right.
    for (seconds, there) in [
        (1.0, (1500.0, 300.0)),
        (3.5, (1550.0, 500.0)),
        (9.0, (1700.0, 500.0)),
    ] {
        assert!(
            near(at(&once, seconds), there),
            "{seconds} s: {:?}",
            at(&once, seconds)
        );
    }
    let paces = obstacle(&format!("{path}\npaces = true")).run(WAIT);
    for (seconds, there) in [
        (6.0, (1600.0, 500.0)),
        (8.0, (1500.0, 400.0)),
        (11.0, (1500.0, 300.0)),
    ] {
        assert!(
            near(at(&paces, seconds), there),
            "{seconds} s: {:?}",
            at(&paces, seconds)
        );
    }
}

#[test]
fn a_walker_waits_for_who_is_in_its_way_and_goes_on_when_he_has_gone() {
    let walker = "path = [\"1500, 800 mm\"]\nspeed = \"200 mm/s\"";
    let table = obstacle(walker).start(1480.0, 500.0, 0.0);
    let run =
        table.run("step \"wait\"\nhold\nuntil 4 s pass\nstep \"go\"\ndrive ahead at 60 %\nuntil 6 s pass -> done");
    let stopped = place(&run, 3.9).unwrap().y * 1e3;
    // The robot's side is at 425 mm, its own radius 30 mm.
    assert!((385.0..395.1).contains(&stopped), "{stopped}");
    assert!(
        run.trace.ticks.iter().all(|tick| !tick.met),
        "it does not push"
    );
    assert!(
        (place(&run, 10.0).unwrap().y - 0.8).abs() < 0.002,
        "then it goes to the end"
    );
}

fn rivals(all: &[(&str, &str)]) -> Table {
    let mut table = Table::new();
    for (name, rest) in all {
        table = table.with(&format!(
            "[[opponent]]\nname = \"{name}\"\nrobot = \"rival.toml\"\n{rest}"
        ));
    }
    let robot = table.robot.clone();
    table.file("rival.toml", &robot)
}

#[test]
fn rivals_stand_drift_patrol_and_follow_missions_of_their_own() {
    let table = rivals(&[
        ("idle", "at = \"1800, 850 mm\"\nheading = \"90 deg\""),
        (
            "drifter",
            "at = \"300, 200 mm\"\nheading = \"0 deg\"\ndrifts = [\"30 %\", \"30 %\"]",
        ),
        (
            "guard",
            "at = \"900, 800 mm\"\nheading = \"0 deg\"\npatrols = [\"1300, 800 mm\", \"900, 800 mm\"]\nduty = \"40 %\"",
        ),
    ]);
    let run = table.run(WAIT);
    assert_eq!(
        run.trace
            .props
            .iter()
            .filter(|prop| prop.kind == PropKind::Robot)
            .count(),
        3
    );
    let at =
        |seconds: f64, rival: usize| run.trace.place(run.trace.tick_at(seconds), rival).unwrap();
    assert_eq!(at(0.0, 0), at(11.0, 0), "it stands");
    assert!(
        at(4.0, 1).x > 0.7 && (at(4.0, 1).y - 0.2).abs() < 0.02,
        "{:?}",
        at(4.0, 1)
    );
    let guard: Vec<f64> = (0..1200)
        .map(|tick| run.trace.place(tick, 2).unwrap().x)
        .collect();
    assert!(
        guard.iter().any(|x| *x > 1.24) && guard[800..].iter().any(|x| *x < 1.0),
        "there and back"
    );
    assert_eq!(run.fingerprint(), table.run(WAIT).fingerprint());
    assert_ne!(run.fingerprint(), table.run_with(WAIT, 2).fingerprint());
}

#[test]
fn nobody_moves_in_the_start_delay_but_who_does_it_himself() {
    let drifter = "at = \"300, 200 mm\"\nheading = \"0 deg\"\ndrifts = [\"30 %\", \"30 %\"]";
    let run = rivals(&[("drifter", drifter)])
        .with("[rules]\nstart_delay = \"2 s\"")
        .run(WAIT);
    let x = |seconds: f64| run.trace.place(run.trace.tick_at(seconds), 0).unwrap().x;
    assert!((x(2.0) - 0.3).abs() < 1e-6 && x(3.0) > 0.4);
}

#[test]
fn a_match_is_drawn_when_its_clock_runs_out_and_lost_by_who_falls() {
    let raised = "[[platform]]\nname = \"deck\"\nsurface = \"pale\"\nat = \"500, 500 mm\"\nsize = \"700 x 700 mm\"";
    let idle = "at = \"700, 500 mm\"\nheading = \"180 deg\"";
    let rules = "[rules]\nclock = \"6 s\"\ndecided_by = [\"last on the ring\"]\n[[score]]\nfor = \"fell\"\npoints = -20\n[[score]]\nfor = \"second left\"\npoints = 1";
    let table = rivals(&[("idle", idle)]).with(raised).with(rules);
    let drawn = table.run(WAIT);
    assert_eq!(
        (drawn.outcome, drawn.sheet.verdict.unwrap().0),
        (Outcome::Limit, Verdict::Drawn)
    );
    assert_eq!(
        (drawn.duration(), drawn.sheet.total()),
        (6.0, Some(0.0)),
        "seconds left count at a planned end only"
    );
    let lost = table
        .start(300.0, 500.0, 90.0)
        .run("step \"off\"\ndrive ahead at 40 %\nuntil 9 s pass -> done");
    assert_eq!(
        (lost.outcome, lost.sheet.verdict.unwrap().0),
        (Outcome::Fell, Verdict::Lost)
    );
    assert_eq!(lost.sheet.total(), Some(-20.0));
    let (_, tick) = lost.sheet.verdict.unwrap();
    assert_eq!(times(&lost, Happening::Fell), [lost.trace.seconds(tick)]);
}

#[test]
fn tape_counts_once_for_each_time_it_is_run_over() {
    let tape = "[[line]]\nname = \"sea wall\"\nsurface = \"red\"\nwidth = \"20 mm\"\nkeep_off = true\npoints = [\"600, 0 mm\", \"600, 1000 mm\"]\n[[score]]\nfor = \"tape touched\"\npoints = -5";
    let over = "step \"there\"\ndrive ahead at 30 %\nuntil travelled 450 mm\nstep \"back\"\ndrive back at 30 %\nuntil travelled 450 mm -> done";
    let run = Table::new().with(tape).run(over);
    assert_eq!(run.sheet.total(), Some(-10.0), "{:?}", run.sheet.lines);
    assert_eq!(
        run.trace
            .happened
            .iter()
            .filter(|it| matches!(it.what, Happening::Tape(_)))
            .count(),
        2
    );
    let along = Table::new()
        .with(tape)
        .start(500.0, 300.0, 90.0)
        .run(&then_rest("drive ahead at 30 %", "travelled 400 mm"));
    assert_eq!(along.sheet.total(), Some(0.0), "beside it is not on it");
}

#[test]
fn a_zone_holds_a_robot_wholly_and_a_thing_by_its_middle() {
    let field = "[[zone]]\nname = \"dock\"\nat = \"700, 500 mm\"\nsize = \"260 x 220 mm\"\n[[score]]\nfor = \"robot in zone\"\nzone = \"dock\"\npoints = 9\n[[score]]\nfor = \"object in zone\"\nzone = \"dock\"\npoints = 4\n\
        [[object]]\nname = \"in\"\nsurface = \"red\"\nat = \"825, 400 mm\"\ndiameter = \"40 mm\"\nmass = \"50 g\"\n[[object]]\nname = \"out\"\nsurface = \"red\"\nat = \"835, 610 mm\"\ndiameter = \"40 mm\"\nmass = \"50 g\"";
    let points = |from: f64| {
        Table::new()
            .with(field)
            .start(from, 500.0, 0.0)
            .run("step \"wait\"\nhold\nuntil 1 s passes -> done")
            .sheet
            .total()
    };
    // The robot reaches from 84 mm behind its axle to 112 mm ahead of it; the zone from 570 to 830
    // mm.
    assert_eq!(points(690.0), Some(13.0));
    assert_eq!(points(640.0), Some(4.0), "its tail stands out");
}

#[test]
fn a_thing_pushes_another_and_what_stands_on_another_level_is_not_in_the_way() {
    let block = |name: &str, x: f64| {
        format!(
            "[[object]]\nname = \"{name}\"\nsurface = \"red\"\nat = \"{x}, 500 mm\"\nsize = \"60 x 60 mm\"\nmass = \"60 g\""
        )
    };
    let table = Table::new()
        .with(&block("first", 480.0))
        .with(&block("second", 600.0));
    let run = table.run(&then_rest("drive ahead at 40 %", "travelled 300 mm"));
    let last = run.trace.ticks.len() - 1;
    let x = |thing: usize| run.trace.place(last, thing).unwrap().x;
    assert!(x(0) > 0.72 && x(1) - x(0) >= 0.0599, "{} {}", x(0), x(1));
    assert!(x(1) - x(0) < 0.1, "the second one is pushed by the first");

    // A basket on a raised floor does not hinder a robot beside it; the floor's own side does.
    let raised = "[[platform]]\nsurface = \"pale\"\nat = \"1000, 500 mm\"\nsize = \"400 x 400 mm\"";
    let beside = Table::new()
        .with(raised)
        .with(&block("up there", 830.0))
        .run(&then_rest("drive ahead at 30 %", "5 s pass"));
    assert!(
        (beside.final_pose().x + 0.112 - 0.8).abs() < 0.004,
        "{:?}",
        beside.final_pose()
    );
    assert!(
        beside.trace.ticks.iter().any(|tick| tick.touched)
            && beside.trace.ticks.iter().all(|tick| !tick.met)
    );
}

#[test]
fn hands_at_the_same_time_are_done_in_order_and_those_that_find_nothing_do_nothing() {
    let laid = Mark {
        name: "tape".into(),
        is_line: true,
        keep_off: false,
        surface: SurfaceId(1),
        shape: Shape::Band {
            points: vec![Point::new(0.0, 0.5), Point::new(2.0, 0.5)],
            width: 0.3,
        },
    };
    let at = |at_ms: u64, act: Act| Intervention { at_ms, act };
    let here = |x: f64| Act::Place {
        thing: "gull".into(),
        pose: Pose {
            x,
            y: 0.8,
            heading: 0.0,
        },
    };
    let hands = [
        at(1000, here(0.5)),
        at(1000, here(0.7)),
        at(
            1500,
            Act::Remove {
                thing: "nobody".into(),
            },
        ),
        at(2000, Act::Lay(laid)),
        at(
            2500,
            Act::Cover {
                sensor: "nothing".into(),
                distance: 0.1,
                for_ms: 10,
            },
        ),
    ];
    let run = obstacle("").run_by_hand(WAIT, &hands);
    assert!(
        (place(&run, 1.2).unwrap().x - 0.7).abs() < 1e-12,
        "the later one counts"
    );
    assert_eq!(times(&run, Happening::ByHand(2)), [] as [f64; 0]);
    assert_eq!(times(&run, Happening::ByHand(3)), [2.0]);
    let reads = |seconds: f64| {
        run.trace
            .reading(run.trace.tick_at(seconds), SensorId(0))
            .brightness
    };
    assert!(
        reads(1.9) > 0.7 && reads(2.1) < 0.1,
        "{} {}",
        reads(1.9),
        reads(2.1)
    );
    assert_eq!(run.interventions, hands);
}

#[test]
fn who_is_still_there_when_the_clock_runs_out_has_won_where_the_rules_say_so() {
    let rules = |deciders: &str| format!("[rules]\nclock = \"4 s\"\ndecided_by = [{deciders}]");
    let edge = "edge = \"drop\"\n";
    let play = |deciders: &str, steps: &str| {
        let mut table = Table::new().with(&rules(deciders));
        table.field = format!("{edge}{}", table.field);
        let run = table.run(steps);
        (run.outcome, run.sheet.verdict.map(|(verdict, _)| verdict))
    };
    let off = "step \"off\"\ndrive ahead at 100 %\nuntil 20 s pass -> done";
    assert_eq!(
        play("\"clock runs out\"", WAIT),
        (Outcome::Done, Some(Verdict::Won))
    );
    assert_eq!(
        play("\"last on the ring\"", WAIT),
        (Outcome::Limit, Some(Verdict::Drawn))
    );
    assert_eq!(
        play("\"last on the ring\", \"clock runs out\"", off),
        (Outcome::Fell, Some(Verdict::Lost))
    );
    // A limit of the mission at the same moment does not take the win away.
    let limited = format!("limit 4 s\n{WAIT}");
    let setup = Table::new().with(&rules("\"clock runs out\"")).setup();
    let prepared = wayodos_core::project::prepare(&limited, Some(&setup));
    let world = setup.world();
    let program = prepared.program.unwrap();
    let run = wayodos_core::sim::run(&world, &program, world.start(None, 1), 1, None).unwrap();
    assert_eq!(run.outcome, Outcome::Done);
}

#[test]
fn robots_that_are_locked_are_parted_or_the_match_is_drawn() {
    let head_on = "at = \"900, 500 mm\"\nheading = \"180 deg\"\ndrifts = [\"40 %\", \"40 %\"]";
    let push = "step \"push\"\ndrive ahead at 40 %\nuntil 12 s pass -> done";
    let play = |rules: &str| rivals(&[("bull", head_on)]).with(rules).run(push);
    let nothing = play("[rules]\nclock = \"10 s\"");
    let locked = times(&nothing, Happening::Locked(0));
    assert_eq!(locked.len(), 1, "told once: {locked:?}");
    assert_eq!(times(&nothing, Happening::Touched(Some(0))).len(), 1);
    let drawn = play("[rules]\nlocked = \"draw\"\nlocked_after = \"3 s\"");
    assert_eq!(drawn.sheet.verdict.unwrap().0, Verdict::Drawn);
    // Told after a second and a half of standing, drawn after three.
    assert!(
        (drawn.duration() - locked[0] - 1.5).abs() < 0.05,
        "{}",
        drawn.duration()
    );
    let parted = play("[rules]\nlocked = \"part\"\nlocked_after = \"3 s\"");
    let at = times(&parted, Happening::Parted(0));
    assert!(!at.is_empty());
    let after = parted.trace.tick_at(at[0] + 0.02);
    let (ours, theirs) = (
        parted.trace.ticks[after].pose,
        place(&parted, at[0] + 0.02).unwrap(),
    );
    assert!(
        (ours.x - 0.3).abs() < 0.01 && (theirs.x - 0.9).abs() < 0.01,
        "{ours:?} {theirs:?}"
    );
    // Who is stronger pushes the other away: nothing is locked.
    let weak = head_on.replace("40 %", "12 %");
    let run = rivals(&[("calf", &weak)]).run(push);
    assert_eq!(times(&run, Happening::Locked(0)), [] as [f64; 0]);
}
