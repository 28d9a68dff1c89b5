//! Zones that a mission waits for, by odometry.

#![allow(clippy::unwrap_used, reason = "helpers of tests are tests")]

use std::sync::Arc;
use wayodos_core::controller::Program;
use wayodos_core::field::{Point, Pose};
use wayodos_core::finding::Finding;
use wayodos_core::ids::StepId;
use wayodos_core::lab::spread::Attempt;
use wayodos_core::lab::why::Replay;
use wayodos_core::project::{Setup, prepare};
use wayodos_core::record::{Outcome, Run, Trace};
use wayodos_core::scatter::Scatter;
use wayodos_core::sim::{Piece, Play, play, run};

/// A bare mat of 2 x 1 m; the robot starts 400 mm from its left edge and looks along it.
const FIELD: &str = "\
size = \"2000 x 1000 mm\"\nground = \"pale\"\n\n[surface.pale]\ncolour = \"#e9e3d2\"\n\n\
[start.here]\nat = \"400, 500 mm\"\nheading = \"0 deg\"\n\n\
[[zone]]\nname = \"the shed\"\nat = \"1200, 500 mm\"\nsize = \"300 x 400 mm\"\n";

fn setup() -> Setup {
    let (setup, findings) = Setup::load(
        include_str!("../../../examples/brinewick/robots/curlew.toml"),
        FIELD,
        Some(include_str!("../../../examples/brinewick/calibration.toml")),
    );
    setup.unwrap_or_else(|| panic!("{findings:#?}"))
}

fn compiled(steps: &str) -> (Setup, Arc<Program>) {
    let setup = setup();
    let prepared = prepare(&format!("limit 20 s\n{steps}"), Some(&setup));
    let program = prepared.program;
    let program = program.unwrap_or_else(|| panic!("{:#?}\n{steps}", prepared.findings));
    (setup, program)
}

fn played(steps: &str) -> Run {
    let (setup, program) = compiled(steps);
    let world = setup.world();
    run(&world, &program, world.start(None, 1), 1, None).unwrap()
}

/// Where the middle of the axle was when the first step was left, mm.
fn left_at(run: &Run) -> Point {
    let pose = run.trace.ticks[run.visits[0].left].pose;
    Point::new(pose.x * 1e3, pose.y * 1e3)
}

#[test]
fn a_zone_is_reached_and_left_at_its_edges() {
    // (mission, where the middle of the axle should be)
    for (until, x) in [
        ("reaches \"the shed\"", 1050.0),
        ("leaves \"the shed\"", 1350.0),
        ("leaves the mat", 2000.0),
        ("not leaves the mat and reaches \"the shed\"", 1050.0),
        ("reaches \"the shed\" after 700 mm", 1100.0),
    ] {
        let run = played(&format!(
            "step \"a\"\ndrive ahead at 35 % holding the heading\nuntil {until} -> done\nor 15 s pass -> fail \"never\""
        ));
        assert_eq!(run.outcome, Outcome::Done, "{until}: {}", run.reason);
        // A tick of its way, and what wheels slip and roll differently.
        assert!(
            (left_at(&run).x - x).abs() < 12.0,
            "{until}: {:?}",
            left_at(&run)
        );
    }
}

#[test]
fn what_is_not_inside_does_not_leave_and_what_is_inside_has_reached() {
    let outside = played(
        "step \"a\"\nspin left at 20 %\nuntil leaves \"the shed\" -> fail \"left\"\nor 1 s pass -> done",
    );
    assert_eq!(outside.outcome, Outcome::Done);
    let inside =
        played("step \"a\"\nhold\nuntil reaches the mat -> done\nor 1 s pass -> fail \"no\"");
    assert_eq!((inside.outcome, inside.visits[0].left), (Outcome::Done, 1));
}

#[test]
fn backwards_and_round_corners_odometry_follows() {
    // To the shed's middle, a turn, out through its long side, and back in.
    let run = played(
        "step \"in\"\ndrive ahead at 25 % holding the heading\nuntil travelled 800 mm\n\
         step \"turn\"\nspin left at 18 %\nuntil turned 88 deg\n\
         step \"out\"\ndrive ahead at 25 % holding the heading\nuntil leaves \"the shed\"\nor 3 s pass -> fail \"in\"\n\
         step \"back\"\ndrive back at 20 %\nuntil reaches \"the shed\" -> done\nor 3 s pass -> fail \"out\"",
    );
    assert_eq!(run.outcome, Outcome::Done, "{}", run.reason);
    let y = |at: usize| run.trace.ticks[run.visits[at].left].pose.y * 1e3;
    assert!((y(2) - 700.0).abs() < 15.0, "{}", y(2));
    assert!((y(3) - 700.0).abs() < 40.0, "{}", y(3));
}

#[test]
fn it_knows_only_what_it_was_told_of_where_it_stands() {
    let (setup, program) = compiled(
        "step \"a\"\ndrive ahead at 25 % holding the heading\nuntil reaches \"the shed\" -> done\nor 15 s pass -> fail \"never\"",
    );
    let (world, start) = (setup.world(), setup.world().start(None, 1));
    let beside = Pose {
        x: start.x - 0.05,
        ..start
    };
    let play_of = Play {
        start: beside,
        meant: Some(start),
        seed: 1,
        ..Play::default()
    };
    let run = play(&world, &program, play_of, None).unwrap();
    // Put down 50 mm too far back, it stops 50 mm too early.
    assert!(
        (left_at(&run).x - 1000.0).abs() < 12.0,
        "{:?}",
        left_at(&run)
    );
    // A controller that is made again from the record comes to the same.
    let standing = Replay::new(&program, &run).at(&run, run.visits[0].left - 1);
    let look = &standing.steps[0].exits[0].looks[0];
    assert!(look.away.unwrap().abs() < 0.01, "{look:?}");
}

#[test]
fn varied_runs_are_gone_on_with_to_the_same_end() {
    let text = |last: &str| {
        format!(
            "step \"a\"\ndrive ahead at 25 % holding the heading\nuntil reaches \"the shed\"\n\
             step \"b\"\ndrive ahead at 25 %\nuntil {last}\nstep \"c\"\nhold\nuntil 1 s passes -> done"
        )
    };
    let attempt = |steps: &str| {
        let (setup, program) = compiled(steps);
        Attempt {
            world: Arc::new(setup.world()),
            program,
            start: None,
            seed: 7,
            scatter: Scatter::Everyday,
            hands: Arc::new([]),
        }
    };
    let first = attempt(&text("travelled 100 mm"));
    for last in ["travelled 150 mm", "leaves \"the shed\""] {
        let second = Attempt {
            program: attempt(&text(last)).program,
            ..first.clone()
        };
        for number in 0..4 {
            let before = first.tried(number, None, 20, &mut Trace::default(), None);
            let again = second.tried(number, before.as_ref(), 20, &mut Trace::default(), None);
            let fresh = second.tried(number, None, 20, &mut Trace::default(), None);
            assert_eq!(
                again.unwrap().brief.fingerprint,
                fresh.unwrap().brief.fingerprint
            );
        }
    }
}

#[test]
fn a_zone_that_is_not_there_is_said() {
    let setup = setup();
    let of = |until: &str| -> Vec<Finding> {
        let text = format!("limit 9 s\nstep \"a\"\ndrive ahead at 25 %\nuntil {until} -> done");
        prepare(&text, Some(&setup)).findings
    };
    let found = of("reaches \"the shad\"");
    let error = found.iter().find(|finding| finding.code == "M137").unwrap();
    assert_eq!(error.message, "the field has no zone `the shad`");
    assert!(error.hint_words()[0].contains("the shed"), "{error:?}");
    for broken in ["reaches", "leaves shed", "leaves the", "reaches \"the shed"] {
        let found = of(broken);
        assert!(
            !found.is_empty() && found[0].code.starts_with('M'),
            "{broken}: {found:?}"
        );
    }
    let codes = |until: &str| of(until).iter().map(|one| one.code).collect::<Vec<_>>();
    assert_eq!(codes("reaches \"the shed\"\nor 9 s pass"), [""; 0]);
    assert_eq!(
        codes("reaches \"the shed\""),
        ["K30"],
        "it may go another way"
    );
}

/// A run that begins in the middle knows where it is, whatever the text was like that got it there.
#[test]
fn a_run_from_the_middle_knows_where_it_is() {
    let drive = "drive ahead at 25 % holding the heading";
    let text = |first: &str| {
        format!(
            "step \"a\"\n{drive}\nuntil {first}\nor 9 s pass\nstep \"b\"\n{drive}\nuntil reaches \"the shed\" -> done\nor 9 s pass -> fail \"never\""
        )
    };
    let (setup, after) = compiled(&text("travelled 300 mm"));
    let (_, with) = compiled(&text("leaves the mat"));
    let (_, without) = compiled(&format!("step \"a\"\n{drive}\nuntil 9 s pass"));
    let world = setup.world();
    let start = world.start(None, 1);
    let aside = Pose {
        x: 0.8,
        y: 0.45,
        heading: 0.0,
    };
    for (before, pose) in [
        (&with, None),
        (&without, None),
        (&without, Some(aside)),
        (&with, Some(aside)),
    ] {
        let piece = Piece {
            before,
            tick: 300,
            step: StepId(1),
            pose,
        };
        let play_of = Play {
            start,
            seed: 1,
            piece: Some(piece),
            ..Play::default()
        };
        let run = play(&world, &after, play_of, None).unwrap();
        assert_eq!(run.outcome, Outcome::Done, "{}", run.reason);
        assert!(
            (left_at(&run).x - 1050.0).abs() < 12.0,
            "{pose:?}: {:?}",
            left_at(&run)
        );
        // And so does the record of it.
        let last = run.visits[0].left - 1;
        let standing = Replay::new(&after, &run).at(&run, last);
        let look = &standing.steps[0].exits[0].looks[0];
        assert!(look.away.unwrap().abs() < 0.01, "{pose:?}: {look:?}");
    }
}
