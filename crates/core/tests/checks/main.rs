//! The mistakes that teams make, one test each, named after its page in docs/checks.md: a mission
//! that makes it and one that does not; or, where the language does not let anybody make it, what
//! happens instead.

mod behaviours;
mod bench;
mod effects;
mod hints;
mod shapes;
mod thrice;

use bench::Bench;
use std::sync::Arc;
use wayodos_core::controller::{Action, Goal, Source, WheelCommand};
use wayodos_core::finding::Finding;
use wayodos_core::finding::{Severity, apply_all};
use wayodos_core::ids::ActuatorId;
use wayodos_core::lab::borne;
use wayodos_core::lab::causes::causes;
use wayodos_core::lab::hindsight::hindsight;
use wayodos_core::lab::spread::{Attempt, death};
use wayodos_core::project::prepare;
use wayodos_core::record::{Happening, Outcome, Trace};
use wayodos_core::scatter::Scatter;

fn bench() -> Bench {
    Bench::default()
}

/// Missions that make a mistake, and missions that are like them and do not.
#[track_caller]
fn shows(bench: &Bench, code: &str, bad: &[&str], good: &[&str]) {
    for mission in bad {
        let codes = bench.codes(mission);
        assert!(
            codes.iter().any(|known| known == code),
            "{code} is not reported, but {codes:?}\n{mission}"
        );
        hints_help(bench, code, mission);
    }
    for mission in good {
        let codes = bench.codes(mission);
        assert!(
            !codes.iter().any(|known| known == code),
            "{code} is reported wrongly\n{mission}"
        );
        let wrong = codes.iter().find(|code| code.starts_with('M'));
        assert!(
            wrong.is_none(),
            "the good one must be a mission: {wrong:?}\n{mission}"
        );
    }
}

/// Whoever follows a hint that a key can follow has one finding less, and no error more.
#[track_caller]
fn hints_help(bench: &Bench, code: &str, mission: &str) {
    let text = bench.text(mission);
    let findings = bench.findings(mission);
    let count = |codes: &[String]| codes.iter().filter(|known| *known == code).count();
    let before = bench.codes(mission);
    let errors = |codes: &[String]| codes.iter().filter(|known| known.starts_with('M')).count();
    for finding in findings.iter().filter(|finding| finding.code == code) {
        for hint in finding.hints.iter().filter(|hint| !hint.edits.is_empty()) {
            let after = bench.whole(&apply_all(&text, hint.edits.clone()));
            assert!(
                count(&after) < count(&before) && errors(&after) <= errors(&before),
                "\"{}\" was followed and left {after:?}, before {before:?}\n{mission}",
                hint.words
            );
        }
    }
}

const DRIVE: &str = "step \"a\"\ndrive ahead at 24 %\nuntil travelled 100 mm\n";

#[test]
fn k01_nothing_has_a_silent_default() {
    let without = bench().robot("port = \"MA\"\n", "");
    assert!(
        without.codes(DRIVE).contains(&"T003".to_owned()),
        "a motor without a port is no motor"
    );
    shows(
        &bench(),
        "M003",
        &[
            "step \"a\"\ndrive ahead\nuntil travelled 1 m",
            "step \"a\"\nhold\nuntil pass",
        ],
        &[DRIVE],
    );
    shows(
        &bench(),
        "M004",
        &["step \"a\"\ndrive ahead at 40\nuntil travelled 1 m"],
        &[DRIVE],
    );
}

#[test]
fn k02_devices_used_twice_missing_or_idle() {
    let twice = bench().robot("port = \"S2\"", "port = \"S1\"");
    assert!(twice.codes(DRIVE).contains(&"R106".to_owned()));
    shows(
        &bench(),
        "M101",
        &["step \"a\"\ndrive ahead at 24 %\nuntil floor-mid sees dark"],
        &[DRIVE],
    );
    let all = "step \"a\"\ndrive ahead at 24 %\nuntil any of floor-left, floor-right sees dark\nor hue sees dark\nor ahead < 90 mm";
    let spoken = DRIVE.replace("at 24 %", "at 24 %  # to where floor-right sees the bar");
    let unused = "step \"a\"\ndrive ahead at 24 %\nuntil floor-right sees dark  # floor-right is on the right\nor 1 s passes";
    shows(&bench(), "K02", &[&spoken], &[all, DRIVE, unused]);
}

#[test]
fn k03_motors_are_named_by_side_and_nothing_else() {
    assert!(
        bench()
            .robot("[motor.right]", "[motor.two]")
            .codes(DRIVE)
            .contains(&"T002".to_owned())
    );
    shows(
        &bench(),
        "M003",
        &["step \"a\"\ndrive MA at 24 %\nuntil travelled 100 mm"],
        &[DRIVE],
    );
}

#[test]
fn k04_a_sensor_that_its_own_robot_hides() {
    let hidden = bench().robot("at = \"104, 0 mm\"\ncone", "at = \"0, 0 mm\"\ncone");
    shows(&hidden, "K04", &[DRIVE], &[]);
    shows(&bench(), "K04", &[], &[DRIVE]);
}

fn until(condition: &str) -> String {
    format!("step \"a\"\ndrive ahead at 24 %\nuntil {condition}\nor 2 s pass")
}

#[test]
fn k05_a_limit_that_the_bare_ground_already_fulfils() {
    shows(
        &bench(),
        "K05",
        &[&until("floor-left > 50 %")],
        &[&until("floor-left < 50 %")],
    );
}

#[test]
fn k06_a_limit_beyond_what_the_surfaces_read() {
    shows(
        &bench(),
        "K06",
        &[&until("floor-left < 1 %"), &until("floor-left > 99 %")],
        &[&until("floor-left < 35 %")],
    );
}

#[test]
fn k07_the_sensor_that_steers_also_decides() {
    let follow = |condition: &str| {
        format!(
            "step \"a\"\nfollow the left edge of a dark line with floor-left at 20 %, gain 0.6\nuntil {condition}\nor 1 s passes"
        )
    };
    shows(
        &bench(),
        "K07",
        &[
            &follow("floor-left < 30 %"),
            &follow("floor-left sees dark"),
        ],
        &[
            &follow("floor-right < 30 %"),
            &follow("floor-left sees dark for 500 ms"),
        ],
    );
}

#[test]
fn k08_a_guess_that_nobody_measured() {
    let with = |origin: &str| {
        format!("let far = 100 mm{origin}\nstep \"a\"\ndrive ahead at 24 %\nuntil travelled far")
    };
    shows(
        &bench(),
        "K08",
        &[&with(", guessed")],
        &[&with(", measured"), &with("")],
    );
}

#[test]
fn k09_dropped_by_more_than_there_is() {
    shows(
        &bench(),
        "K09",
        &[&until("floor-left has dropped by 97 %")],
        &[&until("floor-left has dropped by 40 %")],
    );
}

#[test]
fn k10_a_sensor_answers_only_what_it_can() {
    shows(
        &bench(),
        "M114",
        &[
            &until("ahead sees dark"),
            &until("floor-left < 280 mm"),
            &until("ahead < 40 %"),
        ],
        &[&until("hue sees dark"), &until("ahead < 280 mm")],
    );
}

#[test]
fn k11_codes_that_are_not_in_the_table() {
    let tag = bench().robot(
        "[[sensor]]\nname = \"hue\"",
        &format!("{}[[sensor]]\nname = \"hue\"", bench::TAG),
    );
    shows(
        &tag,
        "M102",
        &[&until("tag reads code 9")],
        &[&until("tag reads code 4")],
    );
    shows(
        &tag,
        "M127",
        &[&until("tag reads code 1 to 7")],
        &[&until("tag reads code 7")],
    );
}

#[test]
fn k12_more_colours_than_meant() {
    shows(
        &bench(),
        "K12",
        &[&until("hue sees none of dark")],
        &[&until("hue sees any of kiln-red, brine-blue")],
    );
}

#[test]
fn k13_true_as_the_step_begins() {
    shows(
        &bench(),
        "K13",
        &["step \"a\"\nhold, brake\nuntil floor-left sees pale"],
        &[
            &until("floor-left sees pale after it was false"),
            &until("floor-right sees dark"),
        ],
    );
}

#[test]
fn k14_what_can_never_come() {
    shows(
        &bench(),
        "K14",
        &[
            "step \"a\"\nspin left at 24 %\nuntil travelled 100 mm\nor 1 s passes",
            "step \"a\"\nhold, brake\nuntil turned 90 deg\nor 1 s passes",
            "step \"a\"\ndrive ahead at 24 % holding the heading\nuntil turned 90 deg\nor 1 s passes",
        ],
        &["step \"a\"\nspin left at 24 %\nuntil turned 90 deg", DRIVE],
    );
}

#[test]
fn k15_two_sensors_on_a_thin_line() {
    shows(
        &bench(),
        "K15",
        &[
            &until("floor-left sees dark and floor-right sees dark"),
            &until("all of floor-left, floor-right sees dark"),
        ],
        &[&until("any of floor-left, floor-right sees dark")],
    );
}

#[test]
fn k16_a_span_the_wrong_way_round() {
    shows(
        &bench(),
        "M008",
        &[&until("floor-left between 60 % and 40 %")],
        &[&until("floor-left between 40 % and 60 %")],
    );
    // Between two lines there must have been ground: a line that is under the sensor from the start
    // is none.
    let run = bench().run("step \"a\"\ndrive ahead at 20 %\nuntil floor-left has met 1 dark line\nor travelled 500 mm");
    assert_eq!(run.visits[0].exit, Some(0));
}

#[test]
fn k17_a_limit_within_the_noise_and_nothing_to_steady_it() {
    shows(
        &bench(),
        "K17",
        &[&until("floor-left > 80 %")],
        &[
            &until("floor-left > 80 % for 30 ms"),
            &until("floor-left < 50 %"),
        ],
    );
}

#[test]
fn k18_what_ended_a_step_is_kept() {
    let choose = |label: &str| {
        format!(
            "{}\nstep \"b\"\nchoose\nwhen ended by {label} -> done\notherwise -> fail \"no\"",
            until("travelled 50 mm as far")
        )
    };
    shows(&bench(), "M125", &[&choose("near")], &[&choose("far")]);
    assert_eq!(bench().run(&choose("far")).outcome, Outcome::Done);
}

#[test]
fn k19_exits_are_looked_at_in_every_pass() {
    let mission = "step \"r\"\nrepeat forever\nstep \"a\"\ndrive ahead at 24 %\nuntil floor-right sees dark -> done\n\
                   or travelled 60 mm\nstep \"b\"\nhold, brake\nuntil 0.1 s passes\nend\n";
    let run = bench().run(mission);
    assert_eq!(run.outcome, Outcome::Done);
    assert!(
        run.visits.len() > 4,
        "not in the first pass: {}",
        run.visits.len()
    );
}

#[test]
fn k20_below_an_endless_repeat() {
    let mission = |forever: &str| {
        format!(
            "step \"r\"\nrepeat {forever}\n{DRIVE}end\nstep \"never\"\nhold, brake\nuntil 1 s passes"
        )
    };
    shows(
        &bench(),
        "M112",
        &[&mission("forever")],
        &[&mission("2 times")],
    );
}

#[test]
fn k21_a_repeat_of_one() {
    let mission = |times: &str| format!("step \"r\"\nrepeat {times}\n{DRIVE}end");
    shows(
        &bench(),
        "K21",
        &[&mission("1 time")],
        &[&mission("2 times")],
    );
}

#[test]
fn k22_nothing_ends_it() {
    let mission = |exit: &str| format!("step \"r\"\nrepeat forever\n{DRIVE}end\n{exit}");
    shows(
        &bench(),
        "K22",
        &[&mission("")],
        &[&mission("until 3 s pass")],
    );
    shows(
        &bench(),
        "M108",
        &["step \"a\"\ndrive ahead at 24 %"],
        &[DRIVE],
    );
}

#[test]
fn k23_for_how_far_nothing_is_looked_at() {
    shows(
        &bench(),
        "K23",
        &[
            &until("floor-right sees dark after 60 mm"),
            &until("floor-right sees dark after 1 s"),
        ],
        &[
            &until("floor-right sees dark after it was false"),
            &until("floor-right sees dark after 5 mm"),
        ],
    );
    // And in the run: the landing was passed while nobody looked.
    let far = "step \"a\"\ndrive ahead at 24 %\nuntil floor-right sees dark after 260 mm\nor travelled 300 mm";
    let findings = bench().findings(far);
    let seen = findings
        .iter()
        .find(|finding| finding.message.contains("the exit was not active yet"));
    assert_eq!(
        seen.map(|finding| (finding.code, finding.severity)),
        Some(("K23", Severity::Warning)),
        "{findings:?}"
    );
}

#[test]
fn k24_past_the_bar_between_two_readings() {
    let mission = |speed: u32| {
        format!("step \"a\"\ndrive ahead at {speed} %\nuntil floor-right sees dark\nor 2 s pass")
    };
    let slow = bench().robot("rate = \"500 Hz\"", "rate = \"20 Hz\"");
    shows(&slow, "K24", &[&mission(90)], &[&mission(20)]);
    shows(&bench(), "K24", &[], &[&mission(90)]);
    let findings = slow.findings(&mission(90));
    let message = &findings
        .iter()
        .find(|finding| finding.code == "K24")
        .unwrap()
        .message;
    assert_eq!(
        message,
        "at 90 % `floor-right` moves 22 mm between two readings; sluice bar one is 14 mm wide"
    );
}

#[test]
fn k25_no_room_to_stop_before_the_rim() {
    let behind = bench()
        .start("drying-floor")
        .robot("at = \"92, 32 mm\"", "at = \"-10, 32 mm\"");
    let behind = behind.robot("at = \"92, -32 mm\"", "at = \"-10, -32 mm\"");
    let mission = |speed: u32| {
        format!(
            "step \"a\"\ndrive ahead at {speed} %\nuntil any of floor-left, floor-right > 84 %\nor travelled 100 mm"
        )
    };
    shows(&behind, "K25", &[&mission(90)], &[&mission(20)]);
    shows(&bench().start("drying-floor"), "K25", &[], &[&mission(90)]);
}

#[test]
fn k26_a_reflex_that_watches_no_step() {
    let mission = |name: &str| {
        format!(
            "reflex \"x\"\nwhen ahead < 90 mm\nduring \"{name}\"\nhold, brake\nuntil 1 s passes\n{DRIVE}"
        )
    };
    shows(&bench(), "M104", &[&mission("b")], &[&mission("a")]);
}

/// A whole mission with a reflex, a repeat, a reaction and something measured.
const TAKES_ON_ITS_OWN: &str = "mission \"m\"\nlimit 20 s\nstart slipway\nbegin after 0.2 s\n\
    reflex \"bar\"\nwhen floor-right sees dark for 20 ms\nhold, brake\nuntil 0.3 s pass\nthen resume\n\
    step \"r\"\nrepeat 2 times\nstep \"a\"\ndrive ahead at 24 % holding the heading\nuntil travelled 200 mm\nstep \"m\"\n\
    measure last-distance / 4 as quarter\nstep \"b\"\ndrive back at 24 %\nuntil travelled quarter\nend\n\
    step \"x\"\nreact\nwhen hue sees dark, spin left at 20 %\notherwise, spin right at 20 %\nuntil 2 s pass";

/// A reflex that takes over after 60 mm, and the step below it.
const TAKES: &str = "reflex \"x\"\nwhen travelled 60 mm\nspin left at 30 %\nuntil 0.3 s pass\n\
                     step \"a\"\ndrive ahead at 24 %\nuntil travelled 100 mm";

#[test]
fn k27_the_wheels_have_one_owner_at_a_time() {
    let (program, run) = bench().played(TAKES);
    let mut owners = Vec::new();
    for leg in &run.legs {
        owners.push(
            program
                .owner(leg.step)
                .map_or("mission", |reflex| &reflex.name),
        );
        for tick in &run.trace.ticks[leg.from..leg.to] {
            let spins = tick.command.left == WheelCommand::Duty(-0.3);
            assert_eq!(
                spins,
                owners.last() == Some(&"x"),
                "the owner and no other commands"
            );
        }
    }
    assert_eq!(owners, ["mission", "x", "mission"]);
}

#[test]
fn k28_side_by_side_not_one_after_the_other() {
    let first = "step \"a\"\ndrive ahead at 24 %\nuntil floor-left sees dark\n";
    let second = "step \"b\"\ndrive ahead at 24 %\nuntil floor-right sees dark";
    let both =
        "step \"a\"\ndrive ahead at 24 %\nuntil floor-left sees dark\nor floor-right sees dark";
    shows(&bench(), "K28", &[&format!("{first}{second}")], &[both]);
}

#[test]
fn k29_safety_first() {
    let row = |first: &str, second: &str| {
        format!(
            "step \"a\"\nreact\nwhen {first}, drive back at 30 %\nwhen {second}, drive ahead at 30 %\notherwise, hold, brake\nuntil 1 s passes"
        )
    };
    let (edge, rival) = ("floor-left > 84 %", "ahead < 300 mm");
    let ring = bench().start("drying-floor");
    shows(&ring, "K29", &[&row(rival, edge)], &[&row(edge, rival)]);
    let reflex = |condition: &str| {
        format!("reflex \"{condition}\"\nwhen {condition}\nhold, brake\nuntil 1 s passes\n")
    };
    let (edge, rival) = (reflex(edge), reflex(rival));
    shows(
        &ring,
        "K29",
        &[&format!("{rival}{edge}{DRIVE}")],
        &[&format!("{edge}{rival}{DRIVE}")],
    );
}

#[test]
fn k30_nothing_ends_it_if_it_never_comes() {
    let alone = "step \"a\"\nspin left at 24 %\nuntil floor-left sees dark";
    shows(
        &bench(),
        "K30",
        &[alone],
        &[&until("floor-left sees dark"), DRIVE],
    );
}

#[test]
fn k31_an_obstacle_that_stays() {
    let await_clear = |exits: &str| {
        format!("step \"a\"\nawait clear with ahead beyond 200 mm, 2 tries of 1 s\n{exits}")
    };
    shows(
        &bench(),
        "K31",
        &[
            &await_clear(""),
            "step \"a\"\nhold, brake\nuntil ahead > 300 mm",
        ],
        &[&await_clear(
            "until clear\nor given up -> fail \"it stays\"",
        )],
    );
}

#[test]
fn k32_again_at_every_tick() {
    let reflex =
        |word: &str| format!("reflex \"x\"\n{word} ahead < 90 mm\nsignal lamp \"red\"\n{DRIVE}");
    shows(&bench(), "K32", &[&reflex("while")], &[&reflex("when")]);
}

#[test]
fn k33_a_choice_that_leaves_something_out() {
    let choose = |rows: &str| {
        format!("step \"a\"\nchoose\n{rows}\nstep \"b\"\nhold, brake\nuntil 1 s passes")
    };
    shows(
        &bench(),
        "K33",
        &[
            &choose("when ahead < 90 mm -> done"),
            &choose("when ahead < 90 mm -> done\nwhen ahead < 90 mm -> \"b\"\notherwise -> \"b\""),
        ],
        &[&choose("when ahead < 90 mm -> done\notherwise -> \"b\"")],
    );
}

fn turn_after(condition: &str, turn: &str) -> String {
    format!(
        "step \"a\"\ndrive ahead at 20 %\nuntil {condition}\nor 1 s passes\nstep \"Turn\"\n{turn}\nuntil turned 60 deg\nor 1 s passes"
    )
}

#[test]
fn k34_towards_the_border() {
    let tape = bench().field(
        "surface = \"tape\"\n",
        "surface = \"tape\"\nkeep_off = true\n",
    );
    shows(
        &tape,
        "K34",
        &[
            &turn_after("floor-left sees tape", "spin left at 20 %"),
            &turn_after("floor-right sees tape", "spin right at 20 %"),
        ],
        &[&turn_after("floor-left sees tape", "spin right at 20 %")],
    );
}

#[test]
fn k35_a_turn_at_the_rim() {
    let ring = bench().start("drying-floor");
    let back = "step \"a\"\ndrive ahead at 20 %\nuntil floor-left > 84 %\nor travelled 100 mm\nstep \"b\"\ndrive back at 20 %\n\
                until travelled 80 mm\nstep \"c\"\nspin right at 20 %\nuntil turned 60 deg";
    shows(
        &ring,
        "K35",
        &[&turn_after("floor-left > 84 %", "spin right at 20 %")],
        &[back],
    );
    shows(
        &bench(),
        "K35",
        &[],
        &[&turn_after("floor-left < 40 %", "spin right at 20 %")],
    );
}

#[test]
fn k36_further_back_than_there_is_room() {
    let back = |length: u32| format!("step \"a\"\ndrive back at 20 %\nuntil travelled {length} mm");
    shows(
        &bench().start("drying-floor"),
        "K36",
        &[&back(500)],
        &[&back(100)],
    );
    shows(&bench(), "K36", &[], &[&back(500)]);
}

/// The commands of a mission's steps.
fn commands(mission: &str) -> Vec<(WheelCommand, WheelCommand)> {
    let (program, _) = bench().played(mission);
    let of = |action: &Action| match action {
        Action::Constant { left, right } => Some((*left, *right)),
        _ => None,
    };
    program
        .steps
        .iter()
        .filter_map(|step| of(&step.action))
        .collect()
}

#[test]
fn k37_no_wheel_is_left_running() {
    let mission = "step \"a\"\npivot left on the left wheel at 30 %\nuntil turned 20 deg\nstep \"b\"\nhold, brake\nuntil 0.2 s pass";
    assert_eq!(
        commands(mission),
        [
            (WheelCommand::Brake, WheelCommand::Duty(0.3)),
            (WheelCommand::Brake, WheelCommand::Brake)
        ],
        "every step says what both wheels do"
    );
    let (_, run) = bench().played(mission);
    let after = run.trace.ticks[run.ended].command;
    assert_eq!(
        (after.left, after.right),
        (WheelCommand::Brake, WheelCommand::Brake),
        "and the end brakes both"
    );
}

#[test]
fn k38_a_correction_ends_with_its_step() {
    let mission = "step \"a\"\ndrive ahead at 24 %\nuntil travelled 30 mm\nstep \"b\"\npivot left on the left wheel at 20 %\n\
                   until turned 5 deg\nstep \"c\"\ndrive ahead at 24 %\nuntil travelled 30 mm";
    let all = commands(mission);
    assert_eq!(all[0], all[2]);
}

#[test]
fn k39_speeds_belong_to_their_step() {
    let mission = "step \"a\"\ndrive ahead at 50 %\nuntil travelled 30 mm\nstep \"b\"\ndrive ahead at 20 %\nuntil travelled 30 mm";
    assert_eq!(commands(mission)[1].0, WheelCommand::Duty(0.2));
    shows(
        &bench(),
        "M003",
        &["step \"a\"\ndrive ahead\nuntil travelled 30 mm"],
        &[mission],
    );
}

#[test]
fn k40_signs_do_not_cancel() {
    shows(
        &bench(),
        "M008",
        &["step \"a\"\ndrive back at -30 %\nuntil travelled 30 mm"],
        &["step \"a\"\ndrive back at 30 %\nuntil travelled 30 mm"],
    );
}

#[test]
fn k41_an_angle_of_the_wheel_for_one_of_the_robot() {
    let spin = |condition: &str| format!("step \"a\"\nspin left at 24 %\nuntil {condition}");
    shows(
        &bench(),
        "K41",
        &[&spin("left wheel rolled 90 deg")],
        &[&spin("turned 90 deg"), &spin("left wheel rolled 40 mm")],
    );
    let findings = bench().findings(&spin("left wheel rolled 90 deg"));
    // 2 x 90 deg x 28 mm / 118 mm
    assert!(
        findings
            .iter()
            .any(|finding| finding.message.ends_with("turns the robot by 43 deg")),
        "{findings:?}"
    );
}

#[test]
fn k42_smaller_than_what_happens_between_two_looks() {
    let drive = |speed: u32| format!("step \"a\"\ndrive ahead at {speed} %\nuntil travelled 2 mm");
    shows(&bench(), "K42", &[&drive(90)], &[&drive(20)]);
}

#[test]
fn k43_two_turns_where_one_would_do() {
    let repeat = |last: &str| {
        format!(
            "step \"r\"\nrepeat 2 times\nstep \"s\"\nspin left at 24 %\nuntil turned 20 deg\n{DRIVE}step \"t\"\n{last}\nend"
        )
    };
    shows(
        &bench(),
        "K43",
        &[&repeat("spin left at 24 %\nuntil turned 20 deg")],
        &[
            &repeat("spin right at 24 %\nuntil turned 20 deg"),
            &repeat("drive back at 24 %\nuntil travelled 20 mm"),
        ],
    );
}

#[test]
fn k44_turning_faster_than_the_beam_can_look() {
    let scan = |speed: u32| {
        format!("step \"a\"\nspin left at {speed} %\nuntil ahead < 200 mm\nor turned 90 deg")
    };
    let seek = |speed: u32| {
        format!(
            "step \"a\"\nseek with ahead within 200 mm, spinning left at {speed} % up to 90 deg, moving 20 mm, 1 try"
        )
    };
    shows(&bench(), "K44", &[&scan(100)], &[&scan(24)]);
    let findings = bench().codes(&seek(100));
    assert!(findings.contains(&"K44".to_owned()), "{findings:?}");
}

#[test]
fn k45_there_is_no_pulse_that_could_be_too_long() {
    shows(
        &bench(),
        "M003",
        &["step \"a\"\nhold, pulse\nuntil 1 s passes"],
        &["step \"a\"\nhold, brake\nuntil 1 s passes"],
    );
}

#[test]
fn k46_beyond_the_end_stop() {
    let arm = bench().robot("[[signal]]", &format!("{}[[signal]]", bench::ARM));
    let to = |angle: u32| format!("step \"a\"\nmove arm to {angle} deg");
    shows(&arm, "M117", &[&to(120)], &[&to(60)]);
    // Moved twice to the same place it stays there: nothing adds up.
    let run = arm.run("step \"a\"\nmove arm to 60 deg\nstep \"b\"\nmove arm to 60 deg");
    assert!((run.trace.angle(run.ended, ActuatorId(0)).to_degrees() - 60.0).abs() < 1.0);
}

#[test]
fn k47_nothing_is_compared_for_being_equal() {
    shows(
        &bench(),
        "M003",
        &[&until("heading = 90 deg"), &until("clock = 2 s")],
        &[&until("heading reaches 90 deg")],
    );
    // At full speed one look is 5 deg from the next; it is reached all the same.
    let run = bench().run(
        "step \"a\"\nspin left at 100 %\nuntil heading reaches 91.3 deg\nor turned 180 deg -> fail \"stepped over\"",
    );
    assert_eq!(run.outcome, Outcome::Done);
}

#[test]
fn k48_every_step_measures_from_its_own_beginning() {
    let run = bench().run(&format!("{DRIVE}{}", DRIVE.replace("\"a\"", "\"b\"")));
    let way = |visit: usize| {
        let [from, to] = [run.visits[visit].entered, run.visits[visit].left]
            .map(|tick| run.trace.ticks[tick].pose);
        to.x - from.x
    };
    assert!(
        (way(0) - 0.1).abs() < 0.004 && (way(1) - 0.1).abs() < 0.004,
        "{} and {}",
        way(0),
        way(1)
    );
}

#[test]
fn k49_a_pause_before_does_not_count() {
    let run = bench().run(
        "step \"a\"\nhold, brake\nuntil 1 s passes\nstep \"b\"\nhold, brake\nuntil 0.5 s pass",
    );
    assert_eq!(run.duration(), 1.5);
}

#[test]
fn k50_there_is_one_axis_to_turn_about() {
    shows(
        &bench(),
        "M101",
        &[&until("pitch > 40 %")],
        &[&until("turned 90 deg")],
    );
}

#[test]
fn k51_parameters_that_are_not_connected() {
    let routine = |call: &str, body: &str| {
        format!(
            "step \"a\"\ndo go ({call})\nroutine go (far, side = left)\nstep \"b\"\nspin side at 24 %\nuntil {body}\nend"
        )
    };
    shows(
        &bench(),
        "M122",
        &[
            &routine("", "turned far"),
            &routine("far = 20 %", "turned far"),
            &routine("side = 20 deg, far = 20 deg", "turned far"),
            &routine("length = 20 deg, far = 20 deg", "turned far"),
        ],
        &[&routine("far = 20 deg", "turned far")],
    );
    shows(
        &bench(),
        "M130",
        &[&routine("far = 20 deg", "turned 9 deg")],
        &[&routine("far = 20 deg", "turned far")],
    );
}

#[test]
fn k52_kinds_that_do_not_go_together() {
    let kept = |condition: &str| format!("step \"m\"\nmeasure ahead as gap\n{}", until(condition));
    shows(
        &bench(),
        "M114",
        &[&kept("gap > 40 deg")],
        &[&kept("gap > 40 mm")],
    );
    shows(
        &bench(),
        "M005",
        &[
            &until("travelled (1 m + 2 s)"),
            &until("travelled (1 m * 2 mm)"),
        ],
        &[&until("travelled (1 m / 2 s * 0.2 s)")],
    );
}

#[test]
fn k53_one_copy_that_differs() {
    let legs = |last: u32| {
        let leg = |name: &str, speed: u32| {
            format!("step \"{name}\"\ndrive ahead at {speed} %\nuntil travelled 20 mm\n")
        };
        [leg("a", 24), leg("b", 24), leg("c", 24), leg("d", last)].concat()
    };
    shows(&bench(), "K53", &[&legs(26)], &[&legs(24)]);
}

#[test]
fn k54_moving_before_the_rules_allow_it() {
    let ring = bench().field(
        "[surface.pale]",
        "[rules]\nstart_delay = \"3 s\"\n\n[surface.pale]",
    );
    let waits = format!("step \"w\"\nhold, brake\nuntil 3.1 s pass\n{DRIVE}");
    let begins = format!("begin after 3.05 s\n{DRIVE}");
    shows(
        &ring,
        "K54",
        &[DRIVE, &format!("begin after 2 s\n{DRIVE}")],
        &[&waits, &begins],
    );
    shows(&bench(), "K54", &[], &[DRIVE]);
}

#[test]
fn k55_more_than_there_is_time_for() {
    let waits = |seconds: u32| format!("step \"w\"\nhold, brake\nuntil {seconds} s pass");
    shows(
        &bench(),
        "K55",
        &[
            &waits(30),
            "step \"a\"\ndrive ahead at 2 %\nuntil travelled 1 m",
        ],
        &[&waits(2)],
    );
    let clock = bench().field(
        "[surface.pale]",
        "[rules]\nclock = \"5 s\"\n\n[surface.pale]",
    );
    shows(&clock, "K55", &[&waits(2)], &[]);
}

#[test]
fn k56_over_what_must_not_be_touched() {
    let tape = bench().field("[surface.pale]", "[[line]]\nname = \"tape\"\nsurface = \"tape\"\nwidth = \"20 mm\"\nkeep_off = true\npoints = [\"300, 50 mm\", \"300, 300 mm\"]\n\n[surface.pale]");
    let far = |length: u32| format!("step \"a\"\ndrive ahead at 24 %\nuntil travelled {length} mm");
    shows(&tape, "K56", &[&far(250)], &[&far(50)]);
}

#[test]
fn k57_many_passes_and_nothing_seen() {
    let repeat = |exit: &str| {
        format!("step \"r\"\nrepeat 4 times\nstep \"a\"\ndrive ahead at 24 %\nuntil {exit}\nend")
    };
    shows(
        &bench(),
        "K57",
        &[&repeat("travelled 40 mm")],
        &[&repeat("travelled 40 mm or floor-right sees dark")],
    );
}

#[test]
fn k58_nothing_said_about_why() {
    let six: String = (0..8)
        .map(|nth| DRIVE.replace("\"a\"", &format!("\"{nth}\"")))
        .collect();
    let named = |text: &str| format!("mission \"m\"\nlimit 20 s\n{text}");
    let raw = |text: String| bench().whole(&text);
    assert!(
        raw(format!("limit 9 s\n{six}")).contains(&"K58".to_owned()),
        "no name"
    );
    assert!(raw(named(&six)).contains(&"K58".to_owned()), "no word");
    assert!(!raw(named(&format!("# because\n{six}"))).contains(&"K58".to_owned()));
}

#[test]
fn k59_a_reaction_without_an_end() {
    let reflex =
        |exit: &str| format!("reflex \"x\"\nwhen ahead < 90 mm\ndrive back at 20 %\n{exit}{DRIVE}");
    shows(
        &bench(),
        "M108",
        &[&reflex("")],
        &[&reflex("until travelled 50 mm\n")],
    );
}

#[test]
fn k60_the_same_mark_again() {
    let greet = |condition: &str| {
        format!(
            "step \"a\"\ndrive ahead at 24 %\nuntil {condition} -> \"b\"\nor travelled 500 mm -> done\nstep \"b\"\nhold, brake\nuntil 0.2 s pass -> \"a\""
        )
    };
    shows(
        &bench(),
        "K60",
        &[&greet("floor-right sees dark")],
        &[&greet("floor-right sees dark after it was false")],
    );
}

#[test]
fn k61_measured_on_the_move() {
    let measure =
        |between: &str, what: &str| format!("{DRIVE}{between}step \"m\"\nmeasure {what} as x");
    let stand = "step \"s\"\nhold, brake\nuntil 0.3 s pass\n";
    shows(
        &bench(),
        "K61",
        &[&measure("", "ahead")],
        &[&measure(stand, "ahead"), &measure("", "last-distance")],
    );
}

#[test]
fn k62_both_at_once() {
    let keep = |both: &str| {
        format!(
            "step \"a\"\nkeep between dark lines with floor-left and floor-right at 20 %, gain 0.5{both}\nuntil 1 s passes"
        )
    };
    let two = |first: &str| {
        format!(
            "step \"a\"\ndrive ahead at 20 %\nuntil {first}floor-left sees dark -> \"b\"\nor floor-right sees dark -> done\nor 1 s passes\nstep \"b\"\nhold, brake\nuntil 0.1 s passes"
        )
    };
    shows(
        &bench(),
        "K62",
        &[&keep(""), &two("")],
        &[&keep(", both stop")],
    );
}

#[test]
fn k63_off_the_mat() {
    let far =
        |way: u32| format!("step \"a\"\ndrive ahead at 60 %\nuntil travelled {way} mm -> done");
    shows(&bench(), "K63", &[&far(9000)], &[&far(200)]);
    let run = bench().run(&far(9000));
    let left: Vec<_> = run
        .trace
        .happened
        .iter()
        .filter(|one| one.what == Happening::LeftMat)
        .collect();
    assert_eq!(left.len(), 1, "told once");
    // Where the table ends there is no beside: it falls.
    let table = bench().field("ground =", "edge = \"drop\"\nground =");
    assert!(!table.codes(&far(9000)).contains(&"K63".to_owned()));
}

#[test]
fn steps_that_take_no_time_and_go_round_are_reported() {
    let circle = |row: &str| {
        format!(
            "{DRIVE}step \"m\"\nmeasure ahead as x\nstep \"c\"\nchoose\nwhen x < 90 mm -> done\notherwise -> {row}"
        )
    };
    shows(
        &bench(),
        "M135",
        &[&circle("\"m\"")],
        &[&circle("done"), &circle("\"a\"")],
    );
    assert_eq!(bench().run(&circle("\"m\"")).outcome, Outcome::Failed);
}

#[test]
fn what_leads_where_is_settled_before_the_run() {
    let (program, _) = bench().played(TAKES);
    assert!(matches!(program.steps[0].exits[0].goal, Goal::Next));
    assert_eq!(program.reflexes[0].name, "x");
    assert_ne!(Source::Battery, Source::Clock);
}

/// A bare mat with what a section says.
fn mat(sections: &str) -> Bench {
    let field = format!(
        "size = \"2000 x 1000 mm\"\nground = \"pale\"\nsurface = {{ pale = {{ colour = \"#e9e3d2\" }}, dark = {{ colour = \"#22252a\" }} }}\n[start.here]\nat = \"300, 500 mm\"\nheading = \"0 deg\"\n{sections}"
    );
    Bench::on(&field, "here")
}

#[test]
fn k64_running_into_something() {
    let wall = "[[wall]]\nthickness = \"20 mm\"\npoints = [\"900, 100 mm\", \"900, 900 mm\"]";
    let drive = |exit: &str| format!("step \"a\"\ndrive ahead at 30 %\nuntil {exit} -> done");
    let far = "step \"a\"\ndrive ahead at 30 %\nuntil travelled 900 mm -> done\nor 6 s pass -> fail \"stuck\"".to_owned();
    let felt = drive("stalled for 0.3 s");
    // Against a wall for a while: that is how a robot is squared up.
    let squared = drive("4 s pass");
    let before = drive("ahead < 60 mm");
    shows(&mat(wall), "K64", &[&far], &[&felt, &squared, &before]);
    let heron = "[[obstacle]]\nname = \"heron\"\nsurface = \"dark\"\nat = \"900, 500 mm\"\ndiameter = \"60 mm\"";
    shows(&mat(heron), "K64", &[&far], &[&before]);
    let findings = mat(heron).findings(&far);
    let told =
        |finding: &wayodos_core::finding::Finding| finding.message.contains("ran into heron");
    assert!(findings.iter().any(told), "{findings:#?}");
    // What lies there to be pushed is not run into.
    let basket = "[[object]]\nname = \"basket\"\nsurface = \"dark\"\nat = \"700, 500 mm\"\ndiameter = \"60 mm\"\nmass = \"100 g\"";
    shows(&mat(basket), "K64", &[], &[&drive("travelled 600 mm")]);
}

#[test]
fn k65_a_wheel_over_the_edge() {
    let deck = |y: u32| {
        let field = format!(
            "edge = \"drop\"\nsize = \"2000 x 1000 mm\"\nground = \"pale\"\nsurface = {{ pale = {{ colour = \"#e9e3d2\" }} }}\n[start.here]\nat = \"300, {y} mm\"\nheading = \"0 deg\""
        );
        Bench::on(&field, "here")
    };
    let along = "step \"a\"\ndrive ahead at 20 %\nuntil travelled 15 mm -> done";
    // The right wheel runs 59 mm beside the middle.
    shows(&deck(55), "K65", &[along], &[]);
    shows(&deck(90), "K65", &[], &[along]);
}

#[test]
fn k67_an_arc_at_its_limit() {
    let arc = |speed: u32, radius: u32| {
        format!(
            "step \"a\"\ndrive ahead on a left arc of {radius} mm at {speed} mm/s\nuntil travelled 800 mm -> done"
        )
    };
    // A tight one at a speed that a wide one, or a straight line, can keep.
    let (tight, wide) = (arc(350, 90), arc(350, 600));
    shows(&mat(""), "K67", &[&tight], &[&wide, &arc(150, 90)]);
    // Once it goes at its speed it keeps its radius: track / 2 (right + left) / (right - left).
    let run = mat("").run(&tight);
    for tick in &run.trace.ticks[run.ended / 2..run.ended] {
        let [left, right] = tick.rims;
        let radius = 0.059 * (right + left) / (right - left);
        assert!(
            (radius - 0.09).abs() < 0.0018,
            "{radius} at {left}, {right}"
        );
        assert!((0.42..0.46).contains(&right), "{right}");
    }
}

#[test]
fn k68_a_run_that_breaks_off_is_a_finding_with_its_place() {
    let mission = "step \"a\"\ndrive ahead at 30 %\nuntil travelled 100 mm\nstep \"b\"\nhold, brake\nuntil 1 s passes -> done";
    let bench = mat("");
    let (program, mut run) = bench.played(mission);
    (run.outcome, run.reason) = (Outcome::Error, "a pose that is no number".to_owned());
    let setup = bench.setup();
    let text = bench.text(mission);
    let parsed = wayodos_core::project::prepare(&text, Some(&setup)).parsed;
    let found = hindsight(&text, &parsed, &program, &setup.field, &run, &[]);
    let broken = found.iter().find(|finding| finding.code == "K68").unwrap();
    assert!(
        broken.message.contains("a pose that is no number"),
        "{broken:?}"
    );
    assert!(
        text[broken.span.clone()].contains("step \"b\""),
        "{broken:?}"
    );
}

#[test]
fn k66_locked_with_another_robot() {
    let rival = |more: &str| {
        mat(&format!(
            "[[opponent]]\nname = \"rival\"\nrobot = \"rival.toml\"\nat = \"800, 500 mm\"\nheading = \"180 deg\"\n{more}"
        ))
    };
    let push = "step \"a\"\ndrive ahead at 40 %\nuntil 8 s pass -> done";
    let yields = "step \"a\"\ndrive ahead at 40 %\nuntil stalled for 0.5 s\nor 8 s pass -> done\nstep \"b\"\ndrive back at 40 %\nuntil travelled 150 mm -> done";
    shows(
        &rival("drifts = [\"40 %\", \"40 %\"]"),
        "K66",
        &[push],
        &[yields],
    );
}

/// What the rules find, and what 20 varied runs make of it.
fn borne_out(bench: &Bench, mission: &str) -> (Vec<Finding>, Option<Finding>) {
    let setup = bench.setup();
    let text: Arc<str> = bench.text(mission).into();
    let prepared = prepare(&text, Some(&setup));
    let program = prepared.program.clone().expect("it can be run");
    let attempt = Attempt {
        program: Arc::clone(&program),
        world: Arc::new(setup.world()),
        start: Some(bench.start.to_owned()),
        seed: 7,
        scatter: Scatter::Everyday,
        hands: Arc::from([]),
    };
    let briefs: Vec<_> = (1..=20)
        .map(|number| {
            Arc::new(
                attempt
                    .brief(number, &mut Trace::default(), None)
                    .expect("not cancelled"),
            )
        })
        .collect();
    let mut rules = prepared.findings.clone();
    let held = death(&bench.run(mission), &program).is_none();
    let found = causes(&briefs);
    let shown = borne::weigh(
        &text,
        &prepared.parsed,
        &program,
        &mut rules,
        held,
        &briefs,
        &found,
    );
    (rules, shown)
}

#[test]
fn k69_the_run_ends_otherwise_than_planned() {
    let fails = "step \"a\"\ndrive ahead at 24 %\nuntil ahead < 40 mm -> next\nor travelled 60 mm -> fail \"nothing there\"";
    shows(&mat(""), "K69", &[fails], &[DRIVE]);
    let found = mat("").findings(fails);
    let told = found
        .iter()
        .find(|finding| finding.code == "K69")
        .expect("shown above");
    assert!(told.message.ends_with(": nothing there"), "{told:?}");
    assert!(
        mat("").text(fails)[told.span.clone()].contains("-> fail"),
        "{told:?}"
    );
}

#[test]
fn k70_varied_runs_that_do_not_hold() {
    let sure = borne_out(&mat(""), DRIVE).1;
    assert!(sure.is_none(), "{sure:?}");
    let luck = "step \"a\"\ndrive ahead at 24 %\nuntil travelled 200 mm -> done\nor 1.05 s pass -> fail \"too slow\"";
    let (_, shown) = borne_out(&mat(""), luck);
    let shown = shown.expect("some are too slow");
    assert_eq!((shown.code, shown.severity), ("K70", Severity::Warning));
    assert!(shown.message.ends_with(": too slow"), "{shown:?}");
}

#[test]
fn a_warning_that_no_run_bears_out_weighs_less() {
    // 3 mm cannot be hit exactly, and nothing depends on it.
    let careless = "step \"a\"\ndrive ahead at 40 %\nuntil travelled 1 mm -> done";
    let (rules, shown) = borne_out(&mat(""), careless);
    let told = rules
        .iter()
        .find(|finding| finding.code == "K42")
        .expect("a rule sees it");
    assert_eq!(told.severity, Severity::Note);
    assert!(
        told.message.ends_with("yet all 20 varied runs held"),
        "{told:?}"
    );
    assert!(shown.is_none());
    // Where runs do not hold, every warning stays one.
    let harmful = format!("{careless}\nor 0.01 s pass -> fail \"late\"");
    let (rules, shown) = borne_out(&mat(""), &harmful);
    assert!(
        rules
            .iter()
            .any(|finding| finding.code == "K42" && finding.severity == Severity::Warning)
    );
    assert!(shown.is_some());
}
