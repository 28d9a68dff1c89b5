//! What is read off a run, on missions short enough to know the answer.

use super::*;
use crate::controller::Event;
use crate::ids::StepId;
use crate::project::{Setup, prepare};
use crate::sim::run;

fn evidence_of(steps: &str) -> Vec<StepEvidence> {
    run_with_evidence(steps).2
}

/// A mission, its run, and what it says.
fn run_with_evidence(steps: &str) -> (Arc<Program>, Run, Vec<StepEvidence>) {
    let (setup, _) = Setup::load(
        &include_str!("../../../../../examples/brinewick/robots/curlew.toml").replacen(
            "[[sensor]]",
            ARM,
            1,
        ),
        include_str!("../../../../../examples/brinewick/fields/causeway.toml"),
        Some(include_str!(
            "../../../../../examples/brinewick/calibration.toml"
        )),
    );
    let setup = setup.unwrap();
    let prepared = prepare(&format!("limit 20 s\nstart slipway\n{steps}"), Some(&setup));
    let program = prepared
        .program
        .unwrap_or_else(|| panic!("{:#?}", prepared.findings));
    let world = setup.world();
    let run = run(&world, &program, world.start(Some("slipway"), 1), 1, None).unwrap();
    let evidence = evidence(&run, &program, &setup.robot);
    (program, run, evidence)
}

const ARM: &str = "[[actuator]]\nname = \"arm\"\nport = \"MC\"\nspeed = \"120 deg/s\"\nfrom = \"0 deg\"\nto = \"90 deg\"\n\n[[sensor]]";

#[test]
fn a_decision_over_a_bold_line_is_clear_and_one_at_the_edge_is_thin() {
    let clear = |limit: &str| {
        let evidence = evidence_of(&format!(
            "step \"a\"\ndrive ahead at 20 %\nuntil floor-right < {limit} -> done\nor travelled 400 mm -> fail \"no\""
        ));
        evidence[0].margin().unwrap()
    };
    assert!(clear("40 %") > 10.0, "{}", clear("40 %"));
    // The ground reads 77 %: a limit right below it is crossed by noise alone.
    assert!(clear("76 %") < THIN, "{}", clear("76 %"));
}

#[test]
fn what_did_not_fire_has_something_to_spare() {
    let evidence = evidence_of(
        "step \"a\"\ndrive ahead at 20 %\nuntil 1 s passes\nor travelled 400 mm\nor floor-left < 30 %\nor floor-right has crossed 3 dark lines\nor turned 90 deg\nstep \"b\"\nhold, brake\nuntil 0.5 s pass -> done\nor 2 s pass -> fail \"no\"",
    );
    let [
        Evidence::Fired {
            clear: None,
            at_once: false,
        },
        Evidence::Spare(Spare::Length(length)),
        Evidence::Spare(Spare::Noise(noise)),
        Evidence::Spare(Spare::Lines(lines)),
        Evidence::Spare(Spare::Angle(angle)),
    ] = evidence[0].exits[..]
    else {
        panic!("{:?}", evidence[0].exits)
    };
    assert!(length > 0.2 && length < 0.4, "{length}");
    assert!(noise > 5.0, "the mat is far from 30 %: {noise}");
    assert_eq!(lines, 3);
    assert!((angle - 1.57).abs() < 0.05, "{angle}");
    let Evidence::Spare(Spare::Time(time)) = evidence[1].exits[1] else {
        panic!("{:?}", evidence[1].exits)
    };
    assert!((time - 1.5).abs() < 0.011, "{time}");
}

#[test]
fn an_exit_that_was_true_from_the_start_is_reported() {
    let evidence =
        evidence_of("step \"a\"\ndrive ahead at 20 %\nuntil floor-left sees pale -> done");
    assert!(
        matches!(evidence[0].exits[0], Evidence::Fired { at_once: true, .. }),
        "{:?}",
        evidence[0].exits
    );
}

#[test]
fn a_distance_has_millimetres_to_spare_and_no_noise_to_be_clear_of() {
    // From the slipway nothing stands ahead within the sensor's reach of 1200 mm.
    let steps = "step \"a\"\ndrive ahead at 20 %\nuntil travelled 200 mm\nor ahead < 1 m\nstep \"b\"\nhold\nuntil ahead > 1 m -> done\nor 1 s passes";
    let evidence = evidence_of(steps);
    let Evidence::Spare(Spare::Length(spare)) = evidence[0].exits[1] else {
        panic!("{:?}", evidence[0].exits)
    };
    assert!((spare - 0.2).abs() < 1e-9, "{spare}");
    let Evidence::Fired {
        clear: None,
        at_once: true,
    } = evidence[1].exits[0]
    else {
        panic!("{:?}", evidence[1].exits)
    };
}

#[test]
fn a_colour_seen_in_full_is_clear_and_one_not_seen_was_far() {
    let evidence = evidence_of(
        "step \"a\"\ndrive ahead at 20 %\nuntil hue sees pale -> next\nor hue sees kiln-red -> fail \"no\"\nstep \"b\"\nhold\nuntil 1 s passes",
    );
    let [
        Evidence::Fired {
            clear: Some(clear), ..
        },
        Evidence::Spare(Spare::Noise(off)),
    ] = evidence[0].exits[..]
    else {
        panic!("{:?}", evidence[0].exits)
    };
    assert!(clear > 5.0 && off > 5.0, "{clear} {off}");
}

#[test]
fn the_noise_of_a_colour_decision_is_what_many_readings_show() {
    use crate::controller::{Reading, Tone, Tones};
    use crate::sim::noise_for_tests as noise;
    let tone = |name: &str, rgb: [f64; 3]| {
        let brightness = 0.2126 * rgb[0] + 0.7152 * rgb[1] + 0.0722 * rgb[2];
        Tone {
            name: name.into(),
            brightness,
            rgb,
        }
    };
    let tones = vec![
        tone("pale", [0.81, 0.77, 0.64]),
        tone("red", [0.52, 0.07, 0.03]),
    ];
    let tones = Tones {
        tones,
        by_colour: true,
        ..Tones::default()
    };
    let sigma = 0.01;
    let reading = |rgb: [f64; 3]| Reading {
        brightness: 0.2126 * rgb[0] + 0.7152 * rgb[1] + 0.0722 * rgb[2],
        rgb,
    };
    let at = [0.6, 0.3, 0.2];
    let mut draw = noise(5);
    let leads: Vec<f64> = (0..20_000)
        .map(|_| tones.colour_lead(&reading(at.map(|share| share + sigma * draw.normal())), 1))
        .collect();
    let mean = leads.iter().sum::<f64>() / leads.len() as f64;
    let spread = (leads
        .iter()
        .map(|lead| (lead - mean) * (lead - mean))
        .sum::<f64>()
        / leads.len() as f64)
        .sqrt();
    let predicted = tones.colour_lead_noise(&reading(at), 1, sigma);
    assert!(
        (predicted / spread - 1.0).abs() < 0.03,
        "{predicted} against {spread}"
    );
}

#[test]
fn of_several_terms_the_one_that_held_is_reported() {
    let evidence = evidence_of(
        "step \"a\"\ndrive ahead at 24 %\nuntil (floor-left sees dark and 20 s pass) or travelled 100 mm or floor-right < 30 %",
    );
    let first = &evidence[0];
    assert_eq!(
        (first.visit.exit, first.visit.look),
        (Some(0), 2),
        "the third look, travelled, in written order"
    );
    assert_eq!(
        first.exits[0],
        Evidence::Fired {
            clear: None,
            at_once: false
        }
    );
    let evidence = evidence_of(
        "step \"a\"\ndrive ahead at 24 %\nuntil floor-right < 30 % or travelled 900 mm",
    );
    assert!(
        matches!(evidence[0].exits[0], Evidence::Fired { clear: Some(clear), .. } if clear > 10.0),
        "{:?}",
        evidence[0]
    );
}

#[test]
fn what_had_to_be_not_so_has_no_margin() {
    let evidence = evidence_of("step \"a\"\ndrive ahead at 24 %\nuntil not floor-right sees pale");
    assert!(
        matches!(evidence[0].exits[0], Evidence::Fired { clear: None, .. }),
        "{:?}",
        evidence[0]
    );
}

#[test]
fn a_repeat_stands_before_its_steps_and_says_what_ended_it() {
    let evidence = evidence_of(
        "step \"r\"\nrepeat forever\nstep \"a\"\ndrive ahead at 24 %\nuntil travelled 40 mm\nstep \"b\"\ndrive back at 24 %\nuntil travelled 20 mm\nend\nuntil 3 s pass -> done",
    );
    let order: Vec<usize> = evidence.iter().map(|one| one.visit.step.0).collect();
    assert_eq!(order[..4], [0, 1, 2, 1]);
    assert!(matches!(
        evidence[0].exits[0],
        Evidence::Fired {
            clear: None,
            at_once: false
        }
    ));
    let last = evidence.last().unwrap();
    assert_eq!(
        (last.visit.exit, last.visit.left),
        (None, evidence[0].visit.left),
        "cut off from outside"
    );
    assert!(
        matches!(last.exits[0], Evidence::Spare(Spare::Length(left)) if left > 0.0),
        "{last:?}"
    );
}

#[test]
fn an_exit_that_waits_is_not_said_to_have_fired_at_once() {
    let evidence = evidence_of(
        "step \"a\"\ndrive ahead at 24 %\nuntil floor-left sees pale for 10 ms -> done",
    );
    assert!(matches!(
        evidence[0].exits[0],
        Evidence::Fired { at_once: false, .. }
    ));
    let evidence =
        evidence_of("step \"a\"\ndrive ahead at 24 %\nuntil floor-left sees pale -> done");
    assert!(matches!(
        evidence[0].exits[0],
        Evidence::Fired { at_once: true, .. }
    ));
}

#[test]
fn a_heading_that_was_not_reached_has_an_angle_to_spare() {
    let evidence = evidence_of(
        "step \"a\"\nspin left at 20 %\nuntil heading reaches 120 deg\nor turned 90 deg",
    );
    assert!(
        matches!(evidence[0].exits[0], Evidence::Spare(Spare::Angle(left)) if (left.to_degrees() - 30.0).abs() < 2.0),
        "{:?}",
        evidence[0].exits
    );
}

#[test]
fn a_repeat_that_ran_until_something_says_that_it_did() {
    for after in ["", ", after each pass"] {
        let steps = std::format!(
            "step \"r\"\nrepeat until ahead < 2 m and clock reaches 0.5 s{after}\nstep \"i\"\nhold\nuntil 0.2 s pass\nend\nstep \"z\"\nhold\nuntil 0.1 s pass"
        );
        let (program, run, evidence) = run_with_evidence(&steps);
        let repeat = &evidence[0];
        let (exit, evidence) = (&program.steps[0].exits[0], repeat.exits[0]);
        assert!(
            matches!(evidence, Evidence::Fired { .. }),
            "{after}: {evidence:?}"
        );
        assert_eq!(repeat.visit.exit, Some(0), "{after}");
        assert_eq!(exit.line, 3, "it stands in the line of the repeat");
        // It was left once, not twice.
        let left = run.trace.events.iter().filter(|stamp| {
            matches!(
                stamp.event,
                Event::Left {
                    step: StepId(0),
                    ..
                }
            )
        });
        assert_eq!(left.count(), 1, "{after}");
        let ended = run.trace.events.iter().filter(|stamp| {
            stamp.event
                == Event::Ended {
                    step: StepId(0),
                    exit: 0,
                }
        });
        assert_eq!(ended.count(), 1, "{after}");
    }
}

#[test]
fn an_arm_that_arrived_is_not_said_to_have_missed() {
    let (program, run, evidence) =
        run_with_evidence("step \"m\"\nmove arm to 60 deg\nstep \"z\"\nhold\nuntil 0.1 s pass");
    let words: Vec<&str> = program.steps[0]
        .exits
        .iter()
        .map(|exit| exit.words.as_str())
        .collect();
    assert_eq!(words, ["arm is there", "arm is blocked"]);
    assert!(
        matches!(evidence[0].exits[0], Evidence::Fired { .. }),
        "{:?}",
        evidence[0].exits
    );
    let left = run.trace.events.iter().filter(|stamp| {
        matches!(
            stamp.event,
            Event::Left {
                step: StepId(0),
                ..
            }
        )
    });
    assert_eq!(left.count(), 1);
}

#[test]
fn words_of_a_routine_name_what_is_meant_there() {
    let (program, ..) = run_with_evidence(
        "step \"a\"\ndo r (eye = floor-left, far = 120 mm, side = left) mirrored\nroutine r (eye, far, side)\nstep \"b\"\nspin side at 24 %\nuntil eye sees dark\nor travelled far\nor left wheel rolled far\nend",
    );
    let words: Vec<&str> = program.steps[1]
        .exits
        .iter()
        .map(|exit| exit.words.as_str())
        .collect();
    assert_eq!(
        words,
        [
            "floor-right sees dark",
            "travelled 120 mm",
            "right wheel rolled 120 mm"
        ]
    );
}

#[test]
fn a_reflex_does_not_count_against_what_it_interrupts() {
    // The reflex turns away for a while: the step's own time and distance stand still meanwhile.
    let (_, run, evidence) = run_with_evidence(
        "reflex \"w\"\nwhen clock reaches 0.5 s\nhold\nuntil 1 s passes\nthen resume\nstep \"a\"\ndrive ahead at 20 %\nuntil 1 s passes\nor 3 s pass -> fail \"no\"",
    );
    let step = evidence.iter().find(|step| step.exits.len() == 2).unwrap();
    let Evidence::Spare(Spare::Time(spare)) = step.exits[1] else {
        panic!("{:?}", step.exits)
    };
    assert!(
        (spare - 2.0).abs() < 0.011,
        "{spare} of {} s",
        run.duration()
    );
}
