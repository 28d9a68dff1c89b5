//! What is read off a run, on missions short enough to know the answer.

use super::*;
use crate::controller::Event;
use crate::ids::StepId;
use crate::project::{Setup, prepare};
use crate::sim::run;
use crate::units::Dimension;

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

#[test]
fn rows_of_a_react_say_how_long_they_had_the_wheels_and_what_they_broke_off() {
    let (program, run, evidence) = run_with_evidence(
        "step \"r\"\nreact\nwhen clock reaches 0.6 s and not clock reaches 0.9 s, drive back at 20 %\nwhen ahead < 50 mm, hold\notherwise, do there\nuntil 1.5 s pass -> done\nroutine there\nstep \"t\"\ndrive ahead at 20 %\nuntil 2 s pass\nend",
    );
    let react = &evidence[0];
    let seconds = |row: usize| react.rows[row].ticks as f64 * 0.01;
    assert_eq!(
        react.rows.iter().map(|row| row.times).collect::<Vec<_>>(),
        [1, 0, 2],
        "{react:?}"
    );
    assert!((seconds(0) - 0.3).abs() < 0.011, "{}", seconds(0));
    assert!((seconds(2) - 1.2).abs() < 0.021, "{}", seconds(2));
    assert!(
        matches!(react.rows[1].spare, Spare::Length(far) if far > 0.5),
        "{:?}",
        react.rows[1]
    );
    // The time that all rows had is that of the whole step.
    let sum: usize = react.rows.iter().map(|row| row.ticks).sum();
    assert_eq!(sum, react.visit.left - react.visit.entered);
    let inner: Vec<&StepEvidence> = evidence.iter().filter(|one| one.depth == 1).collect();
    assert_eq!(inner.len(), 2);
    assert_eq!(inner[0].by, Left::Row(StepId(0), Some(0)));
    assert_eq!(inner[1].by, Left::Around(StepId(0), 0));
    assert_eq!(program.steps[0].action.rows()[2].said(), "otherwise");
    assert_eq!(run.ended, react.visit.left);
}

#[test]
fn a_choice_says_which_row_it_took_and_how_far_the_others_were() {
    let (program, _, evidence) = run_with_evidence(
        "step \"c\"\nchoose\nwhen ahead < 50 mm -> fail \"a\"\nwhen floor-left sees dark -> fail \"b\"\nwhen floor-left sees pale -> done\notherwise -> fail \"c\"",
    );
    let choice = &evidence[0];
    assert_eq!(choice.by, Left::Chose(Some(2)));
    let times: Vec<u32> = choice.rows.iter().map(|row| row.times).collect();
    assert_eq!(times, [0, 0, 1, 0]);
    assert!(matches!(choice.rows[0].spare, Spare::Length(far) if far > 0.5));
    assert!(matches!(choice.rows[1].spare, Spare::Noise(far) if far > 10.0));
    assert_eq!(
        program.steps[0].action.rows()[1].said(),
        "when floor-left sees dark"
    );
}

#[test]
fn what_is_measured_has_a_value_and_its_kind() {
    let (program, _, evidence) = run_with_evidence(
        "let pace = 100 mm/s\nstep \"a\"\ndrive ahead at 20 %\nuntil 0.5 s pass\nstep \"m\"\nmeasure last-time as long\nstep \"n\"\nmeasure long * pace as way\nstep \"o\"\nmeasure (way + 50 mm) / 2 as half\nstep \"p\"\nmeasure ahead as room\nstep \"z\"\nhold\nuntil long > 0.1 s or 1 s pass",
    );
    let measured: Vec<(&str, f64, Option<crate::units::Dimension>)> = evidence
        .iter()
        .filter_map(|one| one.measured)
        .map(|(name, value)| (program.kept[name].as_str(), value, program.kept_kinds[name]))
        .collect();
    let wanted = [
        ("long", 0.5, Dimension::Time),
        ("way", 0.05, Dimension::Length),
        ("half", 0.05, Dimension::Length),
        ("room", 1.2, Dimension::Length),
    ];
    assert_eq!(measured.len(), wanted.len(), "{measured:?}");
    for (found, wanted) in measured.iter().zip(wanted) {
        assert_eq!((found.0, found.2), (wanted.0, Some(wanted.2)));
        assert!((found.1 - wanted.1).abs() < 0.011, "{found:?}");
    }
}

#[test]
fn a_turn_says_how_far_it_went_on_and_a_way_that_goes_on_does_not() {
    let (_, run, evidence) = run_with_evidence(
        "step \"t\"\nspin left at 40 %\nuntil turned 90 deg\nstep \"h\"\nhold\nuntil 0.6 s pass\nstep \"a\"\ndrive ahead at 30 %\nuntil travelled 100 mm\nstep \"b\"\ndrive ahead at 30 %\nuntil travelled 50 mm",
    );
    let turn = evidence[0].beyond.expect("it ended by an angle");
    let (Spare::Angle(over), Some(Spare::Angle(on))) = (turn.fired, turn.rolled_on) else {
        panic!("{turn:?}")
    };
    // What it truly turned on is what the trace shows from the exit to where it stood.
    let at = |tick: usize| run.trace.ticks[tick].pose.heading;
    let truly = at(evidence[1].visit.left) - at(evidence[0].visit.left);
    assert!(over < 0.05 && on > 0.01, "{turn:?}");
    assert!((truly - on).abs() < 0.005, "{truly} {on}");
    let first = evidence[2].beyond.expect("it ended by a way");
    assert!(matches!(first.fired, Spare::Length(over) if over < 0.005));
    assert_eq!(first.rolled_on, None, "the next step goes the same way");
    assert!(evidence[1].beyond.is_none(), "a time is not gone beyond");
}

#[test]
fn passes_are_counted_and_a_reflex_says_what_it_broke_into() {
    let (_, _, evidence) = run_with_evidence(
        "reflex \"x\"\nwhen clock reaches 0.35 s\nhold\nuntil 0.1 s pass\nthen -> \"z\"\nstep \"r\"\nrepeat forever\nstep \"i\"\nhold\nuntil 0.1 s pass\nend\nstep \"z\"\nrepeat 3 times\nstep \"j\"\nhold\nuntil 0.1 s pass\nend",
    );
    let of = |step: usize| {
        evidence
            .iter()
            .filter(move |one| one.visit.step == StepId(step))
    };
    let first = of(0).next().unwrap();
    assert_eq!((first.passes, first.by), (Some(3), Left::Reflex(0)));
    let last = of(2).next().unwrap();
    assert_eq!((last.passes, last.by), (Some(3), Left::Finished));
    assert_eq!(of(1).next_back().unwrap().by, Left::Reflex(0));
}

#[test]
fn a_reflex_that_never_acted_says_how_near_it_came() {
    let (program, run, _) = run_with_evidence(
        "reflex \"near\"\nwhile ahead < 100 mm\nhold, brake\nthen resume\nreflex \"acts\"\nwhen clock reaches 0.2 s\nhold\nuntil 0.1 s pass\nthen resume\nstep \"a\"\ndrive ahead at 20 %\nuntil 1 s passes",
    );
    let (setup, _) = Setup::load(
        include_str!("../../../../../examples/brinewick/robots/curlew.toml"),
        include_str!("../../../../../examples/brinewick/fields/causeway.toml"),
        None,
    );
    let near = quiet_reflexes(&run, &program, &setup.unwrap().robot);
    // The other did act.
    assert!(
        matches!(near[..], [(0, Some(Spare::Length(far)))] if (far - 1.1).abs() < 0.01),
        "{near:?}"
    );
}
