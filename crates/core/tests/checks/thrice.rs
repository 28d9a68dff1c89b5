//! Each mistake in three shapes at least, beside three missions that look like it and are none: the
//! checks that `shapes` does not write in every place.

use super::bench::{ARM, Bench};
use super::{DRIVE, bench, shows};

fn all(bench: &Bench, code: &str, bad: &[String], good: &[String]) {
    let bad: Vec<&str> = bad.iter().map(String::as_str).collect();
    let good: Vec<&str> = good.iter().map(String::as_str).collect();
    shows(bench, code, &bad, &good);
}

fn step(name: &str, lines: &str) -> String {
    format!("step \"{name}\"\n{lines}\n")
}

/// A step in a routine that is called once.
fn routine(lines: &str) -> String {
    format!(
        "step \"call\"\ndo r\nroutine r\n{}end\n",
        step("inner", lines)
    )
}

#[test]
fn k04_hidden_by_its_own_robot() {
    let place =
        |at: &str| bench().robot("at = \"104, 0 mm\"\ncone", &format!("at = \"{at}\"\ncone"));
    for at in ["0, 0 mm", "-40, 20 mm", "10, -40 mm"] {
        all(&place(at), "K04", &[DRIVE.to_owned()], &[]);
    }
    for at in ["104, 0 mm", "100, 30 mm", "96, -20 mm"] {
        all(&place(at), "K04", &[], &[DRIVE.to_owned()]);
    }
}

#[test]
fn k07_what_steers_decides() {
    let follow = "follow the left edge of a dark line with floor-left at 20 %, gain 0.6";
    let under = "follow a dark line under floor-left and floor-right at 20 %";
    all(
        &bench(),
        "K07",
        &[
            routine(&format!("{follow}\nuntil floor-left < 30 %\nor 2 s pass")),
            format!(
                "step \"r\"\nrepeat forever\n{}end\nuntil floor-left sees dark\nor 3 s pass",
                step("in", &format!("{follow}\nuntil 0.5 s pass"))
            ),
            format!(
                "let limit = 15 % * 2\n{}",
                step(
                    "a",
                    &format!("{follow}\nuntil floor-left < limit\nor 2 s pass")
                )
            ),
        ],
        &[
            step(
                "a",
                &format!("{follow}\nuntil hue sees kiln-red\nor 2 s pass"),
            ),
            step(
                "a",
                &format!("{follow}\nuntil floor-right has crossed 2 dark lines\nor 2 s pass"),
            ),
            step(
                "a",
                &format!("{under}\nuntil the line is lost\nor 2 s pass"),
            ),
        ],
    );
}

#[test]
fn k08_guessed_wherever_it_is_used() {
    let drive = |until: &str| step("a", &format!("drive ahead at 24 %\nuntil {until}"));
    all(
        &bench(),
        "K08",
        &[
            format!(
                "let pace = 24 %, guessed\n{}",
                step("a", "drive ahead at pace\nuntil travelled 50 mm")
            ),
            format!(
                "let far = 60 mm, safe from 40 mm to 90 mm, guessed\n{}",
                drive("travelled far * 2")
            ),
            format!(
                "let far = 60 mm / 2, guessed\nstep \"c\"\ndo go (way = far)\nroutine go (way)\n{}end",
                drive("travelled way")
            ),
        ],
        &[
            format!(
                "let far = 60 mm, measured  # no longer guessed\n{}",
                drive("travelled far")
            ),
            format!("let guess = 60 mm\n{}", drive("travelled guess")),
            format!(
                "let far = 60 mm, safe from 40 mm to 90 mm, measured\n{}",
                drive("travelled far")
            ),
        ],
    );
}

#[test]
fn k21_a_repeat_of_one_however_it_is_said() {
    let repeat =
        |before: &str, times: &str| format!("{before}step \"r\"\nrepeat {times}\n{DRIVE}end\n");
    all(
        &bench(),
        "K21",
        &[
            repeat("", "1 time"),
            repeat("let rounds = 1\n", "rounds times"),
            repeat("let rounds = 3\n", "rounds - 2 times"),
            format!(
                "step \"call\"\ndo r\nroutine r\n{}end",
                repeat("", "1 time")
            ),
        ],
        &[
            repeat("let rounds = 2\n", "rounds times"),
            repeat("", "until 2 s pass"),
            format!(
                "step \"call\"\ndo r (rounds = 3)\nstep \"again\"\ndo r (rounds = 2)\nroutine r (rounds)\n{}end",
                repeat("", "rounds times")
            ),
        ],
    );
}

#[test]
fn k28_two_steps_that_should_be_one() {
    let pair = |first: &str, second: &str| format!("{}{}", step("a", first), step("b", second));
    let drive = |until: &str| format!("drive ahead at 24 %\nuntil {until}\nor 2 s pass -> done");
    all(
        &bench(),
        "K28",
        &[
            pair(
                &drive("floor-left sees dark"),
                &drive("floor-right sees dark"),
            ),
            pair(
                &drive("hue sees dark"),
                &drive("any of floor-left, floor-right sees dark"),
            ),
            format!(
                "step \"call\"\ndo r\nroutine r\n{}end",
                pair(
                    "drive ahead at 24 %\nuntil floor-left < 30 %\nor 2 s pass",
                    "drive ahead at 24 %\nuntil floor-right < 30 %\nor 2 s pass"
                )
            ),
        ],
        &[
            // One after the other is meant: it goes on differently, or reads the same sensor.
            pair(
                &drive("floor-left sees dark"),
                &drive("floor-left sees pale"),
            ),
            pair(
                &drive("floor-left sees dark"),
                "drive ahead at 14 %\nuntil floor-right sees dark\nor 2 s pass",
            ),
            pair(&drive("floor-left sees dark"), &drive("travelled 50 mm")),
        ],
    );
}

#[test]
fn k29_what_looks_ahead_above_the_rim() {
    let ring = bench().start("drying-floor");
    let (edge, rival) = ("floor-left > 84 %", "ahead < 300 mm");
    let three = |rows: [&str; 2], rest: &str| {
        format!(
            "step \"a\"\nreact\nwhen {}, drive back at 30 %\nwhen {}, drive ahead at 30 %\n{rest}until 1 s passes",
            rows[0], rows[1]
        )
    };
    let reflex = |word: &str, condition: &str| {
        let exit = if word == "while" {
            ""
        } else {
            "until 0.4 s pass\n"
        };
        format!("reflex \"{condition}\"\n{word} {condition}\ndrive back at 30 %\n{exit}")
    };
    let rest = "otherwise, hold, brake\n";
    let both = "any of floor-left, floor-right > 84 %";
    all(
        &ring,
        "K29",
        &[
            three([rival, both], ""),
            format!("{}{}{DRIVE}", reflex("while", rival), reflex("when", edge)),
            format!(
                "step \"call\"\ndo r\nroutine r\n{}\nend",
                three([rival, edge], rest)
            ),
        ],
        &[
            three([both, rival], ""),
            format!("{}{}{DRIVE}", reflex("when", edge), reflex("while", rival)),
            // Two that look ahead, or two that look down.
            three([rival, "ahead < 500 mm"], rest),
        ],
    );
}

#[test]
fn k30_no_end_if_it_never_comes() {
    let spin = "spin left at 24 %\n";
    all(
        &bench(),
        "K30",
        &[
            step("a", "hold, brake\nuntil hue sees kiln-red"),
            step(
                "a",
                &format!("{spin}until floor-left sees dark -> done\nor ahead < 90 mm -> done"),
            ),
            format!(
                "step \"r\"\nrepeat forever\n{}end",
                step(
                    "in",
                    &format!("{spin}until floor-left has crossed 2 dark lines")
                )
            ),
            routine(&format!("{spin}until floor-left < 30 % for 20 ms")),
            step("a", "drive ahead at 24 %\nuntil reaches the mat"),
        ],
        &[
            step(
                "a",
                &format!("{spin}until floor-left sees dark or 2 s pass"),
            ),
            format!(
                "step \"r\"\nrepeat forever\n{}end\nuntil 4 s pass",
                step("in", &format!("{spin}until floor-left sees dark"))
            ),
            format!(
                "reflex \"late\"\nwhen clock reaches 8 s\nhold, brake\nuntil 0.1 s pass\nthen -> done\n{}",
                step("a", &format!("{spin}until floor-left sees dark"))
            ),
            step(
                "a",
                &format!("{spin}until floor-left sees dark\nor turned 360 deg"),
            ),
        ],
    );
}

#[test]
fn k32_done_at_every_tick() {
    let robot = bench().robot("[[signal]]", &format!("{ARM}[[signal]]"));
    let reflex =
        |word: &str, does: &str| format!("reflex \"x\"\n{word} ahead < 90 mm\n{does}\n{DRIVE}");
    all(
        &robot,
        "K32",
        &[
            reflex("while", "signal lamp \"red\""),
            reflex("while", "measure ahead as gap"),
            reflex("while", "move arm to 60 deg alongside"),
        ],
        &[
            reflex("while", "drive back at 20 %"),
            reflex("while", "hold, brake"),
            reflex("when", "signal lamp \"red\""),
        ],
    );
}

#[test]
fn k42_smaller_than_a_tick() {
    all(
        &bench(),
        "K42",
        &[
            step("a", "spin left at 100 %\nuntil turned 1 deg"),
            step("a", "drive back at 90 %\nuntil left wheel rolled 2 mm"),
            format!(
                "let nudge = 4 mm\n{}",
                step("a", "drive ahead at 90 %\nuntil travelled nudge / 2")
            ),
            routine("drive ahead at 95 %\nuntil travelled 0.1 in"),
        ],
        &[
            step("a", "spin left at 14 %\nuntil turned 2 deg"),
            step("a", "drive back at 20 %\nuntil left wheel rolled 2 mm"),
            step("a", "drive ahead at 90 %\nuntil travelled 40 mm"),
        ],
    );
}

#[test]
fn k43_the_last_and_the_first_turn_of_a_pass() {
    let repeat = |first: &str, last: &str| {
        format!(
            "step \"r\"\nrepeat 3 times\n{}{DRIVE}{}end\n",
            step("s", first),
            step("t", last)
        )
    };
    let (left, right) = (
        "spin left at 24 %\nuntil turned 20 deg",
        "spin right at 24 %\nuntil turned 20 deg",
    );
    let wheel = "spin left at 20 %\nuntil turned 30 deg or 2 s pass";
    all(
        &bench(),
        "K43",
        &[
            repeat(left, wheel),
            repeat(right, "spin right at 30 %\nuntil turned 0.5 rad"),
            format!(
                "step \"r\"\nrepeat 3 times\nstep \"s\"\ndo turn\n{DRIVE}step \"t\"\ndo turn\nend\nroutine turn\n{}end",
                step("in", left)
            ),
        ],
        &[
            repeat(left, right),
            format!("step \"r\"\nrepeat 3 times\n{}{DRIVE}end", step("s", left)),
            format!(
                "step \"r\"\nrepeat 3 times\nstep \"s\"\ndo turn\n{DRIVE}step \"t\"\ndo turn mirrored\nend\nroutine turn\n{}end",
                step("in", left)
            ),
        ],
    );
}

#[test]
fn k44_the_beam_comes_too_late() {
    let react = |speed: u32| {
        format!(
            "step \"a\"\nreact\nwhen ahead < 200 mm, hold, brake\notherwise, spin left at {speed} %\nuntil 1 s passes"
        )
    };
    let repeat = |speed: u32| {
        format!(
            "step \"r\"\nrepeat until ahead < 200 mm\n{}end",
            step(
                "in",
                &format!("spin right at {speed} %\nuntil turned 30 deg")
            )
        )
    };
    let pivot = |speed: u32| {
        step(
            "a",
            &format!(
                "pivot left on the left wheel at {speed} %\nuntil ahead < 200 mm\nor 1 s passes"
            ),
        )
    };
    let reflex = |speed: u32| {
        format!(
            "reflex \"x\"\nwhen ahead < 200 mm\nhold, brake\nuntil 0.1 s pass\n{}",
            step(
                "a",
                &format!("spin left at {speed} %\nuntil turned 180 deg")
            )
        )
    };
    all(
        &bench(),
        "K44",
        &[
            react(100),
            repeat(100),
            reflex(100),
            routine("spin left at 100 %\nuntil ahead < 200 mm\nor turned 90 deg"),
        ],
        &[
            react(20),
            repeat(20),
            pivot(20),
            reflex(20),
            step(
                "a",
                "drive ahead at 100 %\nuntil ahead < 200 mm\nor 1 s passes",
            ),
        ],
    );
}

#[test]
fn m117_beyond_the_end_stop_however_the_angle_is_said() {
    let arm = bench().robot("[[signal]]", &format!("{ARM}[[signal]]"));
    all(
        &arm,
        "M117",
        &[
            step("a", "move arm to 100 deg"),
            format!("let up = 2 rad\n{}", step("a", "move arm to up")),
            step("a", "move arm between 10 deg and 95 deg, 2 times"),
            routine("move arm to 60 deg * 2"),
        ],
        &[
            step("a", "move arm to 90 deg"),
            format!("let up = 1.5 rad\n{}", step("a", "move arm to up")),
            step("a", "move arm between 10 deg and 85 deg, 2 times"),
        ],
    );
}

#[test]
fn k53_one_of_several_copies_differs() {
    let steps = |lines: &[&str]| -> String {
        lines
            .iter()
            .enumerate()
            .map(|(nth, line)| {
                step(
                    &format!("s{nth}"),
                    &format!("{line}\nuntil travelled 20 mm"),
                )
            })
            .collect()
    };
    let (usual, other) = ("drive ahead at 24 %", "drive ahead at 26 %");
    let ways = |last: &str| -> String {
        ["20 mm", "20 mm", "20 mm", last]
            .iter()
            .enumerate()
            .map(|(nth, way)| {
                step(
                    &format!("s{nth}"),
                    &format!("drive ahead at 24 %\nuntil travelled {way}"),
                )
            })
            .collect()
    };
    all(
        &bench(),
        "K53",
        &[
            steps(&[usual, other, usual, usual]),
            steps(&[usual, usual, usual, usual, other]),
            ways("25 mm"),
        ],
        &[
            // The same length in another unit; two of each; too few to speak of copies.
            ways("2 cm"),
            steps(&[usual, usual, other, other]),
            steps(&[usual, usual, other]),
        ],
    );
}

#[test]
fn k55_more_time_than_there_is() {
    let wait = |seconds: u32| step("w", &format!("hold, brake\nuntil {seconds} s pass"));
    let repeat = |times: u32| format!("step \"r\"\nrepeat {times} times\n{}end\n", wait(3));
    all(
        &bench(),
        "K55",
        &[
            repeat(9),
            format!("{}{}", step("v", "hold, brake\nuntil 15 s pass"), wait(10)),
            routine("hold, brake\nuntil 40 s pass"),
        ],
        &[
            repeat(3),
            step("a", "hold, brake\nuntil 90 s pass or floor-left sees pale"),
            step(
                "a",
                "drive ahead at 24 %\nuntil travelled 100 mm\nor 60 s pass -> fail \"never\"",
            ),
        ],
    );
}

#[test]
fn k62_two_sensors_that_may_both_see_it() {
    let exits = |second: &str| {
        format!(
            "{}{}",
            step(
                "a",
                &format!(
                    "drive ahead at 20 %\nuntil floor-left sees dark -> \"b\"\nor {second}\nor 1 s passes"
                )
            ),
            step("b", "hold, brake\nuntil 0.1 s passes")
        )
    };
    let rows = |second: &str| {
        format!(
            "step \"a\"\nreact\nwhen floor-left sees dark, spin right at 20 %\nwhen {second}\notherwise, drive ahead at 20 %\nuntil 1 s passes"
        )
    };
    all(
        &bench(),
        "K62",
        &[
            exits("floor-right sees dark -> done"),
            exits("floor-right < 30 % -> done"),
            rows("floor-right sees dark, spin left at 20 %"),
            format!(
                "step \"call\"\ndo r\nroutine r\n{}end",
                exits("floor-right sees dark -> out")
            ),
        ],
        &[
            exits("floor-right sees dark -> \"b\""),
            exits("ahead < 90 mm -> done"),
            "step \"a\"\nreact\nwhen floor-left sees dark and floor-right sees dark, drive back at 20 %\nwhen floor-left sees dark, spin right at 20 %\nwhen floor-right sees dark, spin left at 20 %\notherwise, drive ahead at 20 %\nuntil 1 s passes".to_owned(),
        ],
    );
}

#[test]
fn k40_a_negative_speed_in_a_mirrored_routine() {
    let call = |does: &str, how: &str, pace: &str| {
        format!(
            "step \"call\"\ndo r (pace = {pace}){how}\nroutine r (pace = 20 %)\n{}end",
            step("inner", does)
        )
    };
    let spin = "spin left at pace\nuntil turned 20 deg";
    let pivot = "pivot left on the left wheel at pace\nuntil turned 20 deg";
    let arc = "drive ahead on a left arc of 200 mm at pace\nuntil turned 20 deg";
    let drive = "drive back at pace\nuntil travelled 60 mm";
    let of = |pace: &str| -> Vec<String> {
        ["", " mirrored"]
            .iter()
            .flat_map(|how| [spin, pivot, arc, drive].map(|does| call(does, how, pace)))
            .collect()
    };
    all(&bench(), "K40", &of("-20 %"), &of("20 %"));
}

/// What is said of one line does not contradict itself: that it always holds, and that it never does.
#[test]
fn no_line_is_told_that_it_always_and_that_it_never_holds() {
    let always = ["K05", "K13"];
    let never = ["K09", "K14"];
    for condition in [
        "floor-left > 99 %",
        "floor-left < 1 %",
        "floor-left > 60 %",
        "floor-left > 0 %",
        "floor-left < 100 %",
        "floor-left sees pale",
        "floor-left sees dark",
        "hue sees none of dark",
        "floor-left has dropped by 97 %",
        "floor-left between 0 % and 1 %",
        "not floor-left > 99 %",
        "not floor-left sees pale",
        "ahead > 5 m",
        "ahead < 5 m",
        "not ahead < 5 m",
        "turned 20 deg",
        "heading reaches 0 deg",
        "floor-left > 60 % and floor-left < 40 %",
        "floor-left sees pale after it was false",
        "floor-left sees pale for 20 ms",
    ] {
        for (place, mission) in super::shapes::places(condition) {
            let found = bench().findings(&mission);
            let text = bench().text(&mission);
            let lines = |holds: bool| -> Vec<usize> {
                let said = |finding: &&wayodos_core::finding::Finding| {
                    let (codes, word) = if holds {
                        (always, "always")
                    } else {
                        (never, "never")
                    };
                    codes.contains(&finding.code)
                        || finding.code == "K06" && finding.message.contains(word)
                };
                let at = |finding: &wayodos_core::finding::Finding| {
                    text[..finding.span.start].lines().count()
                };
                found.iter().filter(said).map(at).collect()
            };
            let (yes, no) = (lines(true), lines(false));
            assert!(
                yes.iter().all(|line| !no.contains(line)),
                "{condition} as {place}: {found:#?}"
            );
        }
    }
}
