//! Flow against hand-made readings: groups, reflexes, choices, what is measured and what is
//! remembered.

use super::{Script, duties};
use crate::controller::{Command, End, Event, Status};
use crate::ids::StepId;

/// Ticks with one brightness; the step that is active after each.
fn steps(script: &mut Script, readings: &[f64]) -> Vec<usize> {
    readings
        .iter()
        .map(|reading| {
            script.still(*reading);
            script.controller.step().0
        })
        .collect()
}

fn ends(script: &mut Script, most: usize) -> (usize, Status) {
    (0..most)
        .map(|tick| (tick, script.still(0.9).1))
        .find(|(_, status)| *status != Status::Running)
        .unwrap_or((most, Status::Running))
}

#[test]
fn a_repeat_goes_round_so_many_times() {
    let mut script = Script::new(
        "step \"r\"\nrepeat 3 times\nstep \"a\"\ndrive ahead at 20 %\nuntil 0.02 s pass\nstep \"b\"\ndrive back at 20 %\nuntil 0.01 s passes\nend\n\
         step \"c\"\nhold, brake\nuntil 0.01 s passes -> done",
    );
    assert_eq!(ends(&mut script, 50), (10, Status::Ended(End::Done)));
    let entered = |step: StepId| {
        script
            .events
            .iter()
            .filter(|event| **event == Event::Entered { step })
            .count()
    };
    assert_eq!(
        (
            entered(StepId(0)),
            entered(StepId(1)),
            entered(StepId(2)),
            entered(StepId(3))
        ),
        (1, 3, 3, 1)
    );
}

#[test]
fn a_mission_begun_in_the_middle_knows_what_another_one_knew() {
    let text = "step \"m\"\nmeasure floor-left as seen\nstep \"a\"\nhold, brake\nuntil floor-left sees dark as black or 9 s pass\n\
                step \"b\"\nhold, brake\nuntil seen > 70 % -> done\nor 9 s pass\nstep \"c\"\nchoose\nwhen ended by black -> done\notherwise -> \"d\"\nstep \"d\"\nhold, brake\nuntil 9 s pass";
    let mut whole = Script::new(text);
    whole.still(0.9);
    whole.still(0.9);
    whole.still(0.1);
    let known = whole.controller.knowledge();
    let program = std::sync::Arc::clone(whole.controller.program());
    let begun = |step: usize, known: &crate::controller::Knowledge| {
        let mut script = Script::new(text);
        script.controller = crate::controller::Controller::starting_at(
            std::sync::Arc::clone(&program),
            StepId(step),
            known,
        );
        (
            script.still(0.5).1,
            script.still(0.5).1,
            script.controller.step(),
        )
    };
    assert_eq!(
        begun(2, &known).1,
        Status::Ended(End::Done),
        "90 % was measured before"
    );
    assert_eq!(
        begun(2, &crate::controller::Knowledge::default()).1,
        Status::Running,
        "nothing was"
    );
    assert_eq!(
        begun(3, &known).0,
        Status::Ended(End::Done),
        "the step before was ended by it"
    );
    assert_eq!(
        begun(3, &crate::controller::Knowledge::default()).2,
        StepId(4)
    );
}

#[test]
fn an_exit_of_a_repeat_ends_what_is_within_it() {
    let mut script = Script::new(
        "step \"r\"\nrepeat forever\nstep \"a\"\ndrive ahead at 20 %\nuntil 9 s pass\nend\nuntil floor-left sees dark -> done",
    );
    steps(&mut script, &[0.9, 0.9]);
    assert_eq!(
        script.still(0.1),
        (Command::BRAKE, Status::Ended(End::Done))
    );
    let left: Vec<StepId> = script
        .events
        .iter()
        .filter_map(|event| {
            if let Event::Left { step, .. } = event {
                Some(*step)
            } else {
                None
            }
        })
        .collect();
    assert_eq!(left, [StepId(1), StepId(0)], "from within outwards");
}

#[test]
fn again_and_out_of_a_repeat() {
    let mission = |target: &str| {
        format!(
            "step \"r\"\nrepeat 2 times\nstep \"a\"\nhold, brake\nuntil floor-left sees dark -> {target}\nstep \"b\"\nhold, brake\nuntil 9 s pass\nend\nstep \"c\"\nhold, brake\nuntil 9 s pass"
        )
    };
    assert_eq!(
        steps(&mut Script::new(&mission("again")), &[0.9, 0.1, 0.1]),
        [1, 1, 3]
    );
    assert_eq!(
        steps(&mut Script::new(&mission("out")), &[0.9, 0.1]),
        [1, 3]
    );
}

#[test]
fn until_after_each_pass_looks_only_there() {
    let mission = |after: &str| {
        format!(
            "step \"r\"\nrepeat until floor-left sees dark{after}\nstep \"a\"\nhold, brake\nuntil 0.03 s pass\nend\nstep \"c\"\nhold, brake\nuntil 9 s pass"
        )
    };
    assert_eq!(
        steps(&mut Script::new(&mission("")), &[0.9, 0.1, 0.9, 0.9]),
        [1, 2, 2, 2]
    );
    assert_eq!(
        steps(
            &mut Script::new(&mission(", after each pass")),
            &[0.9, 0.1, 0.9, 0.9, 0.9, 0.9, 0.1]
        ),
        [1, 1, 1, 1, 1, 1, 2]
    );
}

#[test]
fn a_routine_takes_what_it_is_given_and_can_be_mirrored() {
    let mission = |call: &str| {
        format!(
            "step \"a\"\ndo turn {call}\nroutine turn (side = left, speed = 20 %, eye = floor-left, than = <)\nstep \"t\"\npivot side on the side wheel at speed\nuntil eye than 50 %\nend"
        )
    };
    assert_eq!(
        Script::new(&mission("")).still(0.9).0.right,
        crate::controller::WheelCommand::Duty(0.2)
    );
    assert_eq!(
        Script::new(&mission("(side = right, speed = 30 %)"))
            .still(0.9)
            .0
            .left,
        crate::controller::WheelCommand::Duty(0.3)
    );
    assert_eq!(
        Script::new(&mission("mirrored")).still(0.9).0.left,
        crate::controller::WheelCommand::Duty(0.2)
    );
    let mut script = Script::new(&mission("(than = >)"));
    assert_eq!(
        (script.still(0.1).1, script.still(0.1).1),
        (Status::Running, Status::Running)
    );
    assert_eq!(
        script.still(0.9).1,
        Status::Ended(End::Done),
        "a routine that is through, below the last step"
    );
}

#[test]
fn a_reflex_takes_over_and_nothing_of_it_counts_for_the_step() {
    let mut script = Script::new(
        "reflex \"x\"\nwhen floor-left sees dark\ndrive back at 30 %\nuntil 0.05 s pass\nthen resume\n\
         step \"a\"\ndrive ahead at 20 % holding the heading\nuntil 0.06 s pass -> done\nor turned 1 rad -> fail \"turned\"",
    );
    script.still(0.9);
    script.still(0.9);
    assert_eq!(duties(script.tick(0.1, [0.0; 2], 0.0).0), (-0.3, -0.3));
    for turn in 1..=4 {
        let (command, _) = script.tick(0.1, [0.0; 2], f64::from(turn));
        assert_eq!(
            duties(command),
            (-0.3, -0.3),
            "it has the wheels for 0.05 s"
        );
    }
    let (command, status) = script.tick(0.1, [0.0; 2], 5.0);
    assert_eq!(
        status,
        Status::Running,
        "neither its five ticks nor its five rad count"
    );
    assert_eq!(
        duties(command),
        (0.2, 0.2),
        "and the heading is held from here on"
    );
    // Still dark: it must have been false before it takes over again.
    assert_eq!(duties(script.tick(0.1, [0.0; 2], 5.0).0), (0.2, 0.2));
    assert_eq!(script.tick(0.9, [0.0; 2], 5.0).1, Status::Running);
    assert_eq!(
        duties(script.tick(0.1, [0.0; 2], 5.0).0),
        (-0.3, -0.3),
        "dark again"
    );
    let took = |event: &&Event| matches!(event, Event::Took { .. });
    assert_eq!(script.events.iter().filter(took).count(), 2);
}

#[test]
fn the_reflex_that_stands_first_goes_before_the_others() {
    let reflex = |name: &str, limit: u32, speed: u32| {
        format!(
            "reflex \"{name}\"\nwhen floor-left < {limit} %\ndrive back at {speed} %\nuntil 0.03 s pass\n"
        )
    };
    let text = format!(
        "{}{}step \"a\"\nhold, brake\nuntil 9 s pass",
        reflex("first", 30, 50),
        reflex("second", 60, 20)
    );
    let mut script = Script::new(&text);
    script.still(0.9);
    assert_eq!(duties(script.still(0.5).0), (-0.2, -0.2));
    assert_eq!(
        duties(script.still(0.2).0),
        (-0.5, -0.5),
        "above it, so it takes over from it"
    );
    assert_eq!(duties(script.still(0.5).0), (-0.5, -0.5));
    script.still(0.5);
    assert_eq!(
        duties(script.still(0.5).0),
        (-0.2, -0.2),
        "and gives back to it"
    );
}

#[test]
fn a_reflex_watches_only_the_steps_it_names() {
    let mut script = Script::new(
        "reflex \"x\"\nwhile floor-left sees dark\nduring \"b\"\ndrive back at 30 %\nstep \"a\"\nhold, brake\nuntil 0.03 s pass\nstep \"b\"\nhold, brake\nuntil 9 s pass",
    );
    script.still(0.1);
    let answers: Vec<bool> = (0..5)
        .map(|_| script.still(0.1).0 != Command::BRAKE)
        .collect();
    assert_eq!(answers, [false, false, false, true, true]);
    assert_eq!(
        script.still(0.9).0,
        Command::BRAKE,
        "as soon as it is not so"
    );
}

#[test]
fn a_choice_takes_the_first_row_that_holds_and_no_time() {
    let mission = |value: &str| {
        format!(
            "step \"a\"\nmeasure {value} as x\nstep \"c\"\nchoose\nwhen x < 40 % -> \"low\"\nwhen x between 40 % and 60 % -> \"middle\"\notherwise -> done\n\
                 step \"low\"\nhold, brake\nuntil 9 s pass\nstep \"middle\"\nhold, brake\nuntil 9 s pass"
        )
    };
    assert_eq!(steps(&mut Script::new(&mission("floor-left")), &[0.1]), [2]);
    assert_eq!(
        steps(
            &mut Script::new(&mission("(floor-left + 10 %) / 2")),
            &[0.9]
        ),
        [3]
    );
    assert_eq!(
        Script::new(&mission("max(floor-left, 70 %)")).still(0.1).1,
        Status::Ended(End::Done)
    );
}

#[test]
fn what_held_when_an_exit_fired_is_kept() {
    let text = "step \"a\"\nhold, brake\nuntil (floor-left sees dark as dark) or 0.03 s pass as late\nstep \"c\"\nchoose\nwhen ended by dark -> done\notherwise -> fail \"late\"";
    let mut script = Script::new(text);
    script.still(0.9);
    assert_eq!(script.still(0.1).1, Status::Ended(End::Done));
    let mut script = Script::new(text);
    assert_eq!(
        ends(&mut script, 9).1,
        Status::Ended(End::Failed { reason: 0 })
    );
    let left = script.events.iter().find(|event| {
        matches!(
            event,
            Event::Left {
                step: StepId(0),
                ..
            }
        )
    });
    assert_eq!(
        left,
        Some(&Event::Left {
            step: StepId(0),
            exit: Some(0),
            look: 1
        }),
        "its second term"
    );
}

#[test]
fn a_condition_must_hold_and_be_armed() {
    let at = |condition: &str, readings: &[f64]| {
        let mut script = Script::new(&format!(
            "step \"a\"\nhold, brake\nuntil {condition} -> done"
        ));
        readings
            .iter()
            .position(|reading| script.still(*reading).1 != Status::Running)
    };
    let readings = [0.1, 0.1, 0.9, 0.1, 0.1, 0.1, 0.1, 0.1];
    assert_eq!(at("floor-left sees dark", &readings), Some(1));
    assert_eq!(at("floor-left sees dark for 20 ms", &readings), Some(5));
    assert_eq!(
        at("floor-left sees dark after it was false", &readings),
        Some(3)
    );
    assert_eq!(at("floor-left sees dark after 40 ms", &readings), Some(4));
    assert_eq!(at("not floor-left sees dark", &readings), Some(2));
    assert_eq!(
        at(
            "not floor-left sees pale for 30 ms",
            &[0.9, 0.1, 0.9, 0.1, 0.1, 0.1, 0.1]
        ),
        Some(6),
        "not so, for so long"
    );
    assert_eq!(at("floor-left has dropped by 50 %", &readings), Some(3));
    assert_eq!(
        at("floor-left sees dark and 0.05 s pass", &readings),
        Some(5)
    );
    assert_eq!(
        at("none of floor-left, floor-right sees dark", &readings),
        Some(2)
    );
}

#[test]
fn a_heading_is_reached_also_between_two_looks() {
    let mut script =
        Script::new("step \"a\"\nspin left at 90 %\nuntil heading reaches 170 deg -> done");
    for heading in [0.0f64, 60.0, 120.0, 168.0] {
        assert_eq!(
            script.tick(0.9, [0.0; 2], heading.to_radians()).1,
            Status::Running
        );
    }
    assert_eq!(
        script.tick(0.9, [0.0; 2], 173f64.to_radians()).1,
        Status::Ended(End::Done)
    );
    let mut script =
        Script::new("step \"a\"\nspin right at 90 %\nuntil heading reaches 170 deg -> done");
    // Opposite, the sign jumps: that is not reaching it.
    for heading in [0.0f64, -5.0, -9.0, -11.0, -15.0] {
        assert_eq!(
            script.tick(0.9, [0.0; 2], heading.to_radians()).1,
            Status::Running,
            "{heading}"
        );
    }
}

#[test]
fn a_wheel_that_is_commanded_to_turn_and_does_not_is_stalled() {
    let mut script =
        Script::new("step \"a\"\ndrive ahead at 40 %\nuntil stalled for 30 ms -> done");
    let wheels = [0.0, 0.2, 0.4, 0.4, 0.4, 0.4, 0.4, 0.4];
    let ended = wheels
        .iter()
        .position(|wheel| script.tick(0.9, [*wheel, *wheel], 0.0).1 != Status::Running);
    assert_eq!(ended, Some(5), "0.03 s after it turned last");
    let mut still =
        Script::new("step \"a\"\nhold, brake\nuntil stalled for 30 ms -> done\nor 9 s pass");
    assert!(
        (0..20).all(|_| still.still(0.9).1 == Status::Running),
        "nobody asked it to"
    );
}

#[test]
fn steps_that_take_no_time_cannot_go_round_for_ever() {
    let text = "step \"a\"\nmeasure ahead as x\nstep \"b\"\nchoose\nwhen x > 1 m -> done\notherwise -> \"a\"";
    assert!(matches!(
        Script::new(text).still(0.9).1,
        Status::Ended(End::Circle { .. })
    ));
    assert_eq!(Script::new(text).still(1.1).1, Status::Ended(End::Done));
}

#[test]
fn the_start_waits_for_its_delay_with_the_wheels_held() {
    let mut script = Script::new(
        "begin after 0.03 s\nsettle 0.02 s\nstep \"a\"\ndrive ahead at 40 %\nuntil 9 s pass",
    );
    let answers: Vec<bool> = (0..7)
        .map(|_| script.still(0.9).0.left == crate::controller::WheelCommand::Keep)
        .collect();
    assert_eq!(answers, [true, true, true, true, true, false, false]);
}

#[test]
fn a_reaction_above_breaks_off_and_one_below_waits() {
    let mut script = Script::new(
        "step \"a\"\nreact\nwhen floor-left < 20 %, drive back at 50 %\nwhen floor-left < 50 %, do turn\notherwise, drive ahead at 20 %\nuntil 9 s pass\n\
         routine turn\nstep \"t\"\nspin left at 30 %\nuntil 0.03 s pass\nend",
    );
    assert_eq!(duties(script.still(0.9).0), (0.2, 0.2));
    assert_eq!(duties(script.still(0.4).0), (-0.3, 0.3));
    assert_eq!(
        duties(script.still(0.9).0),
        (-0.3, 0.3),
        "the turn is done to its end"
    );
    assert_eq!(
        duties(script.still(0.1).0),
        (-0.5, -0.5),
        "but not against what stands above"
    );
    assert_eq!(
        duties(script.still(0.9).0),
        (0.2, 0.2),
        "which has no end of its own"
    );
}

#[test]
fn the_first_fail_leads_to_the_last_resort_and_the_second_ends_it() {
    // (mission, the steps, how it ends)
    let go =
        "step \"go\"\nhold\nuntil floor-left sees dark -> done\nor 0.03 s pass -> fail \"first\"\n";
    let home = |last: &str| {
        format!("last resort \"home\"\n{go}step \"home\"\nhold\nuntil 0.02 s pass -> {last}")
    };
    for (text, ends_by) in [
        (home("done"), End::Failed { reason: 0 }),
        (home("next"), End::Failed { reason: 0 }),
        (home("fail \"second\""), End::Failed { reason: 0 }),
    ] {
        let mut script = Script::new(&text);
        let (ticks, status) = ends(&mut script, 40);
        assert_eq!(status, Status::Ended(ends_by), "{text}");
        assert!(ticks > 3, "{text}: after {ticks} ticks");
        let entered = |event: &Event| matches!(event, Event::Entered { step: StepId(1) });
        assert_eq!(
            script.events.iter().filter(|event| entered(event)).count(),
            1
        );
    }
    // What goes well does not come to it.
    let mut script = Script::new(&home("done"));
    script.still(0.9);
    assert_eq!(script.still(0.1).1, Status::Ended(End::Done));
}

#[test]
fn the_last_resort_leaves_repeats_routines_and_reflexes() {
    let home = "step \"home\"\nhold\nuntil 0.05 s pass -> done\n";
    for text in [
        format!(
            "last resort \"home\"\nstep \"r\"\nrepeat forever\nstep \"in\"\nhold\nuntil 0.02 s pass -> fail \"no\"\nend\n{home}"
        ),
        format!(
            "last resort \"home\"\nstep \"r\"\ndo deep\n{home}routine deep\nstep \"in\"\nhold\nuntil 0.02 s pass -> fail \"no\"\nend"
        ),
        format!(
            "last resort \"home\"\nreflex \"x\"\nwhen 0.01 s pass\nhold\nuntil 0.01 s pass\nthen -> fail \"no\"\nstep \"in\"\nhold\nuntil 5 s pass -> done\n{home}"
        ),
    ] {
        let mut script = Script::new(&text);
        let (ticks, status) = ends(&mut script, 60);
        assert_eq!(status, Status::Ended(End::Failed { reason: 0 }), "{text}");
        assert!(ticks >= 7, "{text}: after {ticks}");
    }
}
