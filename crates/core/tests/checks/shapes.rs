//! The same mistake in every shape that it can be written in, and what looks like it and is none.

use super::bench::Bench;
use super::{bench, shows};
use wayodos_core::record::Outcome;

/// A condition in each place where one can stand.
pub fn places(condition: &str) -> Vec<(&'static str, String)> {
    let drive = "drive ahead at 24 %";
    vec![
        (
            "exit",
            format!("step \"a\"\n{drive}\nuntil {condition}\nor 2 s pass"),
        ),
        (
            "second exit",
            format!("step \"a\"\n{drive}\nuntil 2 s pass\nor {condition} -> done"),
        ),
        (
            "exit of a repeat",
            format!(
                "step \"r\"\nrepeat forever\nstep \"a\"\n{drive}\nuntil travelled 50 mm\nend\nuntil {condition}\nor 2 s pass"
            ),
        ),
        (
            "repeat until",
            format!(
                "step \"r\"\nrepeat until {condition}\nstep \"a\"\n{drive}\nuntil travelled 50 mm\nend"
            ),
        ),
        (
            "exit in a routine",
            format!(
                "step \"a\"\ndo r\nroutine r\nstep \"b\"\n{drive}\nuntil {condition}\nor 2 s pass\nend"
            ),
        ),
        (
            "row of react",
            format!(
                "step \"a\"\nreact\nwhen {condition}, drive back at 20 %\notherwise, {drive}\nuntil 2 s pass"
            ),
        ),
        (
            "row of choose",
            format!(
                "step \"a\"\n{drive}\nuntil travelled 50 mm\nstep \"c\"\nchoose\nwhen {condition} -> done\notherwise -> next\nstep \"d\"\n{drive}\nuntil travelled 50 mm"
            ),
        ),
        (
            "reflex",
            format!(
                "reflex \"x\"\nwhen {condition}\ndrive back at 20 %\nuntil travelled 60 mm\nstep \"a\"\n{drive}\nuntil travelled 200 mm\nor 2 s pass"
            ),
        ),
        (
            "lasting reflex",
            format!(
                "reflex \"x\"\nwhile {condition}\ndrive back at 20 %\nstep \"a\"\n{drive}\nuntil travelled 200 mm\nor 2 s pass"
            ),
        ),
    ]
}

/// A mistake of a condition is reported wherever it stands but in some places, and what looks like it
/// nowhere.
#[track_caller]
fn everywhere(bench: &Bench, code: &str, bad: &[&str], good: &[&str], but: &[&str]) {
    let known = |place: &&str| !but.contains(place);
    for condition in bad {
        for (place, mission) in places(condition).iter().filter(|(place, _)| known(place)) {
            let codes = bench.codes(mission);
            assert!(
                codes.iter().any(|known| known == code),
                "{code} is not reported of `{condition}` as {place}, but {codes:?}"
            );
        }
    }
    for condition in good {
        for (place, mission) in places(condition) {
            let codes = bench.codes(&mission);
            assert!(
                !codes
                    .iter()
                    .any(|known| known == code || known.starts_with('M')),
                "{code} is reported of `{condition}` as {place}: {codes:?}"
            );
        }
    }
}

/// Curlew with sensors that read seldom.
fn slow() -> Bench {
    bench().robot("rate = \"500 Hz\"", "rate = \"4 Hz\"")
}

#[test]
fn k05_the_wrong_side_of_a_limit_everywhere() {
    everywhere(
        &bench(),
        "K05",
        &[
            "floor-left > 40 %",
            "floor-right < 95 %",
            "floor-left > 40 % for 20 ms",
        ],
        &[
            "floor-left < 40 %",
            "floor-right sees dark",
            "floor-left > 40 % after it was false",
        ],
        &[],
    );
}

#[test]
fn k06_a_limit_that_nothing_reads_everywhere() {
    everywhere(
        &bench(),
        "K06",
        &[
            "floor-left < 0.5 %",
            "floor-right > 99 %",
            "ahead < 20 mm",
            "ahead > 1300 mm",
            "ahead < 2 m",
        ],
        &["floor-left < 35 %", "ahead < 200 mm", "ahead > 900 mm"],
        &[],
    );
}

#[test]
fn k09_a_change_beyond_what_there_is_everywhere() {
    everywhere(
        &bench(),
        "K09",
        &[
            "floor-left has dropped by 97 %",
            "floor-right has risen by 97 %",
        ],
        &["floor-left < 35 %"],
        &[],
    );
}

#[test]
fn k17_within_the_noise_everywhere() {
    everywhere(
        &bench(),
        "K17",
        &["floor-left > 80 %"],
        &["floor-left < 40 %"],
        &[],
    );
}

#[test]
fn k24_past_the_mark_between_two_readings_everywhere() {
    // A choice is taken once; nothing is passed meanwhile.
    everywhere(
        &slow(),
        "K24",
        &["floor-left sees dark", "floor-right sees dark for 40 ms"],
        &["ahead < 90 mm"],
        &["row of choose"],
    );
    everywhere(&bench(), "K24", &[], &["floor-left sees dark"], &[]);
}

#[test]
fn k12_more_tones_than_meant_everywhere() {
    everywhere(
        &bench(),
        "K12",
        &["hue sees none of dark", "not hue sees none of kiln-red"],
        &["hue sees dark", "hue sees any of kiln-red, dark"],
        &[],
    );
}

#[test]
fn k15_two_sensors_on_a_thin_mark_everywhere() {
    everywhere(
        &bench(),
        "K15",
        &[
            "floor-left sees dark and floor-right sees dark",
            "all of floor-left, floor-right sees dark",
        ],
        &[
            "any of floor-left, floor-right sees dark",
            "floor-left sees dark",
        ],
        &[],
    );
}

#[test]
fn k14_a_choice_is_taken_before_anything_adds_up() {
    let choose = |condition: &str| {
        format!(
            "step \"a\"\ndrive ahead at 24 %\nuntil travelled 50 mm\nstep \"c\"\nchoose\nwhen {condition} -> done\notherwise -> next\nstep \"d\"\nhold, brake\nuntil 1 s passes"
        )
    };
    let never = [
        "travelled 100 mm",
        "turned 30 deg",
        "2 s pass",
        "left wheel rolled 30 mm",
        "floor-left has dropped by 30 %",
        "floor-left has crossed 1 dark line",
    ];
    let now = [
        "floor-left sees dark",
        "clock reaches 1 s",
        "ahead < 300 mm",
        "heading reaches 90 deg",
    ];
    shows(
        &bench(),
        "K14",
        &never.map(choose).each_ref().map(String::as_str),
        &now.map(choose).each_ref().map(String::as_str),
    );
    // The promise that is made: it is never taken.
    for condition in never {
        let run = bench().run(&choose(condition));
        assert!(run.duration() > 1.0, "`{condition}` was taken at once");
    }
}

#[test]
fn k14_what_stands_or_turns_on_the_spot() {
    let react = |row: &str, condition: &str| {
        format!(
            "step \"a\"\nreact\nwhen {condition}, hold, brake\notherwise, {row}\nuntil 1 s passes"
        )
    };
    let reflex = |drive: &str, condition: &str| {
        format!(
            "reflex \"x\"\nwhen {condition}\nhold, brake\nuntil 0.2 s pass\nstep \"a\"\n{drive}\nuntil 1 s passes"
        )
    };
    shows(
        &bench(),
        "K14",
        &[
            &react("spin left at 20 %", "travelled 30 mm"),
            &react("hold, coast", "turned 30 deg"),
            &reflex("spin left at 20 %", "travelled 30 mm"),
            &reflex("hold, brake", "heading reaches 40 deg"),
            "step \"a\"\npivot left on the left wheel at 20 %\nuntil left wheel rolled 40 mm\nor 1 s passes",
            "step \"r\"\nrepeat until travelled 90 mm\nstep \"a\"\nspin left at 20 %\nuntil turned 20 deg\nend\nuntil 2 s pass",
        ],
        &[
            &react("spin left at 20 %", "turned 30 deg"),
            &reflex("drive ahead at 20 %", "travelled 30 mm"),
            "step \"a\"\ndrive ahead at 20 % holding 90 deg\nuntil turned 60 deg",
            "step \"a\"\npivot left on the left wheel at 20 %\nuntil right wheel rolled 40 mm\nor 1 s passes",
        ],
    );
}

/// The drying floor, where there is something to fall off.
pub fn ring() -> Bench {
    bench().start("drying-floor")
}

#[test]
fn k35_a_turn_at_the_rim_in_every_shape() {
    let edge = "floor-left > 84 %";
    let spin = "spin right at 20 %";
    let back = "drive back at 20 %\nuntil travelled 90 mm";
    let short = "drive back at 20 %\nuntil travelled 20 mm";
    let ahead = "step \"a\"\ndrive ahead at 20 %\n";
    let turn = format!("step \"t\"\n{spin}\nuntil turned 100 deg");
    let react = |row: &str| {
        format!(
            "step \"a\"\nreact\nwhen {edge}, {row}\notherwise, drive ahead at 20 %\nuntil 1 s passes"
        )
    };
    let reflex = |first: &str| {
        format!(
            "reflex \"x\"\nwhen {edge}\ndo away\nthen resume\n{ahead}until 2 s pass\nroutine away\n{first}{turn}\nend"
        )
    };
    shows(
        &ring(),
        "K35",
        &[
            &format!("{ahead}until {edge}\nor 1 s passes\n{turn}"),
            &format!(
                "{ahead}until {edge}\nor 1 s passes\nstep \"s\"\nhold, brake\nuntil 0.3 s pass\n{turn}"
            ),
            &format!("{ahead}until {edge}\nor 1 s passes\nstep \"b\"\n{short}\n{turn}"),
            &format!(
                "{ahead}until {edge} -> \"c\"\nor 1 s passes -> done\nstep \"c\"\nchoose\nwhen ahead < 90 mm -> done\notherwise -> \"t\"\n{turn}"
            ),
            &format!(
                "{ahead}until {edge}\nor 1 s passes\nstep \"d\"\ndo away\nroutine away\n{turn}\nend"
            ),
            &react(spin),
            &format!("{}\nroutine away\n{turn}\nend", react("do away")),
            &reflex(""),
            &reflex(&format!("step \"b\"\n{short}\n")),
            &format!("reflex \"x\"\nwhile {edge}\n{spin}\n{ahead}until 2 s pass"),
            &format!("{ahead}until any of floor-left, floor-right sees rim\nor 1 s passes\n{turn}"),
        ],
        &[
            &format!("{ahead}until {edge}\nor 1 s passes\nstep \"b\"\n{back}\n{turn}"),
            &format!("{ahead}until floor-left < 30 %\nor 1 s passes\n{turn}"),
            &react("drive back at 20 %"),
            &reflex(&format!("step \"b\"\n{back}\n")),
            &format!(
                "{ahead}until {edge}\nor 1 s passes\nstep \"b\"\n{short}\nstep \"b2\"\n{back}\n{turn}"
            ),
        ],
    );
}

#[test]
fn k34_towards_the_border_in_every_shape() {
    let tape = || {
        bench().field(
            "surface = \"tape\"\n",
            "surface = \"tape\"\nkeep_off = true\n",
        )
    };
    let ahead = "step \"a\"\ndrive ahead at 20 %\n";
    let back = "step \"b\"\ndrive back at 20 %\nuntil travelled 60 mm\n";
    let exit = |sees: &str, turn: &str| {
        format!("{ahead}until {sees}\nor 1 s passes -> done\n{back}step \"t\"\n{turn}")
    };
    let react = |sees: &str, turn: &str| {
        format!(
            "step \"a\"\nreact\nwhen {sees}, {turn}\notherwise, drive ahead at 20 %\nuntil 1 s passes"
        )
    };
    let reflex = |sees: &str, turn: &str| {
        format!(
            "reflex \"x\"\nwhen {sees}\n{turn}\nuntil turned 30 deg\nthen resume\n{ahead}until 1 s passes"
        )
    };
    let choose = |sees: &str, turn: &str| {
        format!(
            "{ahead}until any of floor-left, floor-right sees tape\nor 1 s passes\nstep \"c\"\nchoose\nwhen {sees} -> \"t\"\notherwise -> done\nstep \"t\"\n{turn}\nuntil turned 30 deg"
        )
    };
    let (left, right) = ("floor-left sees tape", "floor-right sees tape");
    shows(
        &tape(),
        "K34",
        &[
            &exit(left, "spin left at 20 %\nuntil turned 40 deg"),
            &exit(
                right,
                "pivot right on the right wheel at 20 %\nuntil turned 40 deg",
            ),
            &exit(
                left,
                "drive ahead on a left arc of 200 mm at 20 %\nuntil travelled 60 mm",
            ),
            &react(right, "spin right at 20 %"),
            &react(left, "drive ahead on a left arc of 200 mm at 20 %"),
            &reflex(left, "spin left at 20 %"),
            &choose(right, "spin right at 20 %"),
        ],
        &[
            &exit(left, "spin right at 20 %\nuntil turned 40 deg"),
            // So far round it leads away to either side.
            &exit(left, "spin left at 20 %\nuntil turned 150 deg"),
            &react(right, "spin left at 20 %"),
            &reflex(
                "any of floor-left, floor-right sees tape",
                "spin left at 20 %",
            ),
            &choose(right, "spin left at 20 %"),
            &react("floor-left sees dark", "spin left at 20 %"),
        ],
    );
}

#[test]
fn k36_further_back_than_there_is_room_in_every_way_it_can_be_said() {
    let back = |exit: &str| format!("step \"a\"\ndrive back at 20 %\nuntil {exit}");
    let twice = |length: u32| {
        let step = |name: &str| {
            format!("step \"{name}\"\ndrive back at 20 %\nuntil travelled {length} mm\n")
        };
        format!("{}{}", step("a"), step("b"))
    };
    let call = |length: u32| {
        format!(
            "step \"a\"\ndo off (way = {length} mm)\nroutine off (way = 50 mm)\nstep \"b\"\ndrive back at 20 %\nuntil travelled way\nend"
        )
    };
    let repeat = |times: u32| {
        format!(
            "step \"r\"\nrepeat {times} times\nstep \"a\"\ndrive back at 20 %\nuntil travelled 100 mm\nend"
        )
    };
    let reflex = |length: u32| {
        format!(
            "reflex \"x\"\nwhen ahead < 90 mm\ndrive back at 20 %\nuntil travelled {length} mm\nstep \"a\"\nhold, brake\nuntil 1 s passes"
        )
    };
    shows(
        &ring(),
        "K36",
        &[
            &back("travelled 500 mm"),
            &back("left wheel rolled 500 mm"),
            &back("left wheel rolled 1200 deg"),
            &back("9 s pass"),
            &back("travelled 0.5 m or 20 s pass"),
            &twice(300),
            &call(500),
            &repeat(6),
            &reflex(500),
            "let far = 250 mm\nstep \"a\"\ndrive back at 20 %\nuntil travelled (far * 2)",
        ],
        &[
            &back("travelled 100 mm"),
            &back("1 s passes"),
            &twice(60),
            &call(90),
            &repeat(2),
            &reflex(100),
        ],
    );
}

#[test]
fn k41_an_angle_of_a_wheel_on_pivots_and_arcs() {
    let until =
        |drive: &str, exit: &str| format!("step \"a\"\n{drive}\nuntil {exit}\nor 1 s passes");
    let (pivot, arc) = (
        "pivot left on the left wheel at 20 %",
        "drive ahead on a left arc of 100 mm at 20 %",
    );
    shows(
        &bench(),
        "K41",
        &[
            &until(pivot, "right wheel rolled 90 deg"),
            &until(arc, "right wheel rolled 90 deg"),
            &until("spin right at 20 %", "left wheel rolled 90 deg"),
        ],
        &[
            &until(pivot, "turned 90 deg"),
            &until(arc, "right wheel rolled 90 mm"),
            &until("drive ahead at 20 %", "right wheel rolled 90 deg"),
        ],
    );
    // 90 deg x 28 mm / 118 mm
    let told = bench().findings(&until(pivot, "right wheel rolled 90 deg"));
    let told = told
        .iter()
        .find(|finding| finding.code == "K41")
        .expect("shown above");
    assert!(told.message.ends_with("by 21 deg"), "{told:?}");
}

#[test]
fn k31_before_an_obstacle_for_ever_in_every_shape() {
    let react = |row: &str, exit: &str| {
        format!(
            "step \"a\"\nreact\nwhen {row}, hold, brake\notherwise, drive ahead at 20 %\nuntil {exit}"
        )
    };
    let again = |after: &str| {
        format!(
            "step \"a\"\ndrive ahead at 20 %\nuntil ahead < 200 mm -> \"w\"\nor travelled 900 mm -> done\nstep \"w\"\nhold, brake\nuntil 1 s passes -> {after}\nstep \"home\"\ndrive back at 20 %\nuntil travelled 60 mm"
        )
    };
    let reflex = |body: &str| {
        format!(
            "reflex \"x\"\nwhile ahead < 150 mm\n{body}\nthen resume\nstep \"a\"\ndrive ahead at 20 %\nuntil travelled 100 mm"
        )
    };
    shows(
        &bench(),
        "K31",
        &[
            &react("ahead < 200 mm", "floor-left sees kiln-red").replace("kiln-red", "dark"),
            &react("ahead < 200 mm", "travelled 300 mm"),
            &again("\"a\""),
            &reflex("hold, brake"),
            "step \"a\"\nhold, brake\nuntil ahead > 300 mm",
        ],
        &[
            &react("ahead < 200 mm", "travelled 300 mm\nor 10 s pass"),
            &react("floor-left sees dark", "travelled 300 mm"),
            &again("\"home\""),
            &reflex("drive back at 20 %"),
        ],
    );
}

#[test]
fn k60_the_same_mark_again_in_every_shape() {
    let exit = |after: &str, onwards: &str| {
        format!(
            "step \"a\"\ndrive ahead at 24 %\nuntil floor-right sees dark{after} -> \"g\"\nor travelled 500 mm -> done\nstep \"g\"\nsignal lamp \"red\"\n{onwards}"
        )
    };
    let wait = "step \"w\"\nhold, brake\nuntil 0.2 s pass -> \"a\"";
    let on = "step \"w\"\ndrive ahead at 24 %\nuntil travelled 60 mm -> \"a\"";
    let react = |sees: &str, more: &str| {
        format!(
            "step \"a\"\nreact\nwhen {sees}, do greet\notherwise, drive ahead at 24 %\nuntil 2 s pass\nroutine greet\nstep \"s\"\nhold, brake\nuntil 0.2 s pass\n{more}end"
        )
    };
    let choose = |onwards: &str| {
        format!(
            "step \"c\"\nchoose\nwhen floor-right sees dark -> \"w\"\notherwise -> done\nstep \"w\"\n{onwards} -> \"c\""
        )
    };
    let reflex = |word: &str, end: &str| {
        format!(
            "reflex \"x\"\n{word} floor-right sees dark\nhold, brake\n{end}then resume\nstep \"a\"\ndrive ahead at 24 %\nuntil travelled 250 mm"
        )
    };
    shows(
        &bench(),
        "K60",
        &[
            &exit("", wait),
            &react("floor-right sees dark", ""),
            &react("floor-right < 30 %", ""),
            &choose("hold, brake\nuntil 0.2 s pass"),
            &reflex("while", ""),
        ],
        &[
            &exit(" after it was false", wait),
            &exit("", on),
            &react(
                "floor-right sees dark",
                "step \"o\"\ndrive ahead at 24 %\nuntil travelled 60 mm\n",
            ),
            &react("ahead < 90 mm", ""),
            &choose("drive ahead at 24 %\nuntil travelled 60 mm"),
            &reflex("when", "until 0.2 s pass\n"),
        ],
    );
}

#[test]
fn k03_sensors_named_for_the_other_side() {
    let swapped = ("floor-right", "floor-left");
    let right = ("floor-left", "floor-right");
    let keep = |(one, other): (&str, &str)| {
        format!(
            "step \"a\"\nkeep between dark lines with {one} and {other} at 20 %, gain 0.5, both stop\nuntil 1 s passes"
        )
    };
    let align = |(one, other): (&str, &str)| {
        format!("step \"a\"\nalign {one} and {other} to a dark line at 16 %")
    };
    let between = |(one, other): (&str, &str)| {
        format!(
            "step \"a\"\nfollow a dark line between {one} and {other} at 20 %, gain 0.5\nuntil 1 s passes"
        )
    };
    let react = |pair| {
        let row = keep(pair).lines().nth(1).expect("its behaviour").to_owned();
        format!(
            "step \"a\"\nreact\nwhen ahead < 90 mm, hold, brake\notherwise, {row}\nuntil 1 s passes"
        )
    };
    let all = |pair| [keep(pair), align(pair), between(pair), react(pair)];
    let (bad, good) = (all(swapped), all(right));
    shows(
        &bench(),
        "K03",
        &bad.each_ref().map(String::as_str),
        &good.each_ref().map(String::as_str),
    );
}

#[test]
fn k19_looked_at_only_after_each_pass() {
    let repeat = |until: &str, exit: &str| {
        format!(
            "step \"r\"\nrepeat until {until}\nstep \"a\"\ndrive ahead at 24 %\nuntil {exit}\nend\nuntil 4 s pass"
        )
    };
    shows(
        &bench(),
        "K19",
        &[
            &repeat("floor-right sees dark, after each pass", "travelled 60 mm"),
            &repeat("floor-right < 30 %, after each pass", "0.5 s pass"),
            &repeat("hue sees kiln-red, after each pass", "travelled 60 mm"),
        ],
        &[
            &repeat("floor-right sees dark", "travelled 60 mm"),
            &repeat("clock reaches 3 s, after each pass", "travelled 60 mm"),
            // Here a pass ends on something that can be looked at.
            &repeat(
                "hue sees kiln-red, after each pass",
                "floor-right sees dark\nor travelled 60 mm",
            ),
        ],
    );
}

#[test]
fn k33_a_row_that_is_never_used() {
    let choose = |first: &str, second: &str| {
        format!(
            "step \"a\"\nchoose\nwhen {first} -> done\nwhen {second} -> \"b\"\notherwise -> \"b\"\nstep \"b\"\nhold, brake\nuntil 0.2 s pass"
        )
    };
    let react = |first: &str, second: &str| {
        format!(
            "step \"a\"\nreact\nwhen {first}, hold, brake\nwhen {second}, drive back at 20 %\notherwise, drive ahead at 20 %\nuntil 1 s passes"
        )
    };
    let pairs = |choose: &dyn Fn(&str, &str) -> String| {
        [
            choose("ahead < 300 mm", "ahead < 200 mm"),
            choose("floor-left < 60 %", "floor-left < 0.3"),
            choose("ahead < 20 cm", "ahead < 150 mm and floor-left sees dark"),
            choose(
                "any of floor-left, floor-right sees dark",
                "floor-left sees dark",
            ),
        ]
    };
    let apart = |choose: &dyn Fn(&str, &str) -> String| {
        [
            choose("ahead < 200 mm", "ahead < 300 mm"),
            choose("floor-left sees dark", "not floor-left sees dark"),
            choose("ahead < 200 mm and floor-left sees dark", "ahead < 150 mm"),
            choose("ahead < 200 mm", "ahead > 300 mm"),
        ]
    };
    for build in [&choose as &dyn Fn(&str, &str) -> String, &react] {
        let bad: Vec<String> = pairs(build)
            .into_iter()
            .map(|text| {
                text.replace("0.3\n", "30 %\n")
                    .replace("0.3 ->", "30 % ->")
                    .replace("0.3,", "30 %,")
            })
            .collect();
        let (bad, good) = (bad, apart(build));
        let bad: Vec<&str> = bad.iter().map(String::as_str).collect();
        shows(&bench(), "K33", &bad, &good.each_ref().map(String::as_str));
    }
    // Where one row is the other's contrary nothing is left out.
    let both = "step \"a\"\nchoose\nwhen floor-left sees dark -> done\nwhen not floor-left sees dark -> \"b\"\nstep \"b\"\nhold, brake\nuntil 0.2 s pass";
    shows(&bench(), "K33", &[], &[both]);
}

#[test]
fn k22_and_m112_know_the_ways_out_of_a_repeat() {
    let repeat = |inner: &str| {
        format!(
            "step \"r\"\nrepeat forever\n{inner}\nend\nstep \"after\"\nhold, brake\nuntil 0.2 s pass"
        )
    };
    let exit = repeat(
        "step \"a\"\ndrive ahead at 24 %\nuntil travelled 100 mm\nor floor-right sees dark -> out",
    );
    let row = repeat(
        "step \"a\"\ndrive ahead at 24 %\nuntil travelled 50 mm\nstep \"c\"\nchoose\nwhen floor-left sees dark -> out\notherwise -> next",
    );
    let nothing = repeat("step \"a\"\ndrive ahead at 24 %\nuntil travelled 100 mm");
    for code in ["K22", "M112"] {
        let found = bench().codes(&nothing);
        assert!(found.iter().any(|known| known == code), "{code}: {found:?}");
        for mission in [&exit, &row] {
            let found = bench().codes(mission);
            assert!(
                !found.iter().any(|known| known == code),
                "{code}\n{mission}"
            );
        }
    }
    let (program, run) = bench().played(&exit);
    let last = run
        .visits
        .last()
        .map(|visit| program.steps[visit.step].name.as_str());
    assert_eq!(last, Some("after"), "it came to the step after the repeat");
}

#[test]
fn k61_measured_at_the_wrong_moment() {
    let then = |first: &str, what: &str| {
        format!(
            "step \"a\"\n{first}\nstep \"m\"\nmeasure {what} as kept\nstep \"z\"\nhold, brake\nuntil kept < 0 -> next\nor 0.2 s pass"
        )
    };
    let then = |first: &str, what: &str, limit: &str| {
        then(first, what).replace("until kept < 0", &format!("until kept < {limit}"))
    };
    let (drive, stand) = (
        "drive ahead at 20 %\nuntil travelled 60 mm",
        "hold, brake\nuntil 0.3 s pass",
    );
    let call = "do r\nroutine r\nstep \"b\"\ndrive ahead at 20 %\nuntil travelled 60 mm\nend";
    let routine = {
        let (call, body) = call.split_once('\n').expect("two parts");
        format!("{}\n{body}", then(call, "ahead", "2 mm"))
    };
    shows(
        &bench(),
        "K61",
        &[
            &then(drive, "ahead", "2 mm"),
            &then(stand, "last-distance", "2 mm"),
            &then(stand, "last-turn", "2 deg"),
            &routine,
        ],
        &[
            &then(stand, "ahead", "2 mm"),
            &then(drive, "last-distance", "2 mm"),
            &then(stand, "last-time", "2 ms"),
        ],
    );
}

#[test]
fn k57_passes_that_look_at_nothing() {
    let repeat = |inner: &str| format!("step \"r\"\nrepeat 4 times\n{inner}\nend");
    let leg = "step \"a\"\ndrive ahead at 24 %\nuntil travelled 40 mm";
    let call = format!("{}\nroutine leg\n{leg}\nend", repeat("step \"c\"\ndo leg"));
    shows(
        &bench(),
        "K57",
        &[&repeat(leg), &call],
        &[
            &repeat(
                "step \"a\"\ndrive ahead at 24 %\nuntil travelled 40 mm\nor floor-left sees dark",
            ),
            &repeat(&format!(
                "{leg}\nstep \"c\"\nchoose\nwhen floor-left sees dark -> out\notherwise -> next"
            )),
            &repeat(&format!(
                "{leg}\nstep \"c\"\nalign floor-left and floor-right to a dark line at 16 %\nuntil finished -> next\nor 0.2 s pass"
            )),
        ],
    );
}

#[test]
fn k54_a_reflex_before_the_start() {
    let rules = bench().field(
        "[surface.pale]",
        "[rules]\nstart_delay = \"3 s\"\n\n[surface.pale]",
    );
    let mission = |during: &str, wait: &str| {
        format!(
            "reflex \"x\"\nwhen ahead < 90 mm\n{during}drive back at 20 %\nuntil travelled 60 mm\nstep \"w\"\nhold, brake\nuntil {wait} pass\nstep \"a\"\ndrive ahead at 24 %\nuntil travelled 90 mm"
        )
    };
    shows(
        &rules,
        "K54",
        &[
            &mission("", "3.1 s"),
            &mission("during \"a\"\n", "2 s"),
            &mission("during \"w\"\n", "3.1 s"),
        ],
        &[&mission("during \"a\"\n", "3.1 s")],
    );
    // Two steps may wait in turn.
    let two = "step \"w\"\nhold, brake\nuntil 2 s pass\nstep \"l\"\nsignal lamp \"red\"\nuntil 1.5 s pass\nstep \"a\"\ndrive ahead at 24 %\nuntil travelled 90 mm";
    shows(&rules, "K54", &[], &[two]);
}

/// A table that ends in a drop, with a rim drawn in one way or another: its ground, what its rim is made
/// of, and the rest of the field.
fn table(name: &str) -> Bench {
    let surfaces = "[surface.hall]\ncolour = \"#6d7175\"\n[surface.dark]\ncolour = \"#22252a\"\n[surface.pale]\ncolour = \"#e9e3d2\"\n";
    let (dark, pale) = ("dark", "pale");
    let field = match name {
        "a pale rim that is the platform's own" => format!(
            "size = \"1500 x 1500 mm\"\nground = \"hall\"\n{surfaces}[[platform]]\nsurface = \"{pale}\"\nat = \"750, 750 mm\"\ndiameter = \"900 mm\"\n[[patch]]\nsurface = \"{dark}\"\nat = \"750, 750 mm\"\ndiameter = \"840 mm\"\n"
        ),
        "a dark rim on a pale platform" => format!(
            "size = \"1500 x 1500 mm\"\nground = \"hall\"\n{surfaces}[[platform]]\nsurface = \"{dark}\"\nat = \"750, 750 mm\"\ndiameter = \"900 mm\"\n[[patch]]\nsurface = \"{pale}\"\nat = \"750, 750 mm\"\ndiameter = \"840 mm\"\n"
        ),
        "a line along the edge of a table" => format!(
            "size = \"900 x 900 mm\"\nground = \"{pale}\"\nedge = \"drop\"\n{surfaces}[[line]]\nsurface = \"{dark}\"\nwidth = \"30 mm\"\npoints = [\"15, 15 mm\", \"885, 15 mm\", \"885, 885 mm\", \"15, 885 mm\", \"15, 15 mm\"]\n"
        ),
        "a line a little inside the edge" => format!(
            "size = \"900 x 900 mm\"\nground = \"{pale}\"\nedge = \"drop\"\n{surfaces}[[line]]\nsurface = \"{dark}\"\nwidth = \"20 mm\"\npoints = [\"40, 40 mm\", \"860, 40 mm\", \"860, 860 mm\", \"40, 860 mm\", \"40, 40 mm\"]\n"
        ),
        "four patches along the edges" => format!(
            "size = \"900 x 900 mm\"\nground = \"{pale}\"\nedge = \"drop\"\n{surfaces}{}",
            [
                "450, 15 mm|900 x 30 mm",
                "450, 885 mm|900 x 30 mm",
                "15, 450 mm|30 x 900 mm",
                "885, 450 mm|30 x 900 mm"
            ]
            .map(|patch| {
                let (at, size) = patch.split_once('|').expect("two parts");
                format!("[[patch]]\nsurface = \"{dark}\"\nat = \"{at}\"\nsize = \"{size}\"\n")
            })
            .concat()
        ),
        "a bare table" => format!(
            "size = \"900 x 900 mm\"\nground = \"{pale}\"\nedge = \"drop\"\nsurround = \"{dark}\"\n{surfaces}"
        ),
        _ => unreachable!("no such table"),
    };
    let middle = if field.contains("1500 x") { 750 } else { 450 };
    let start = format!("[start.middle]\nat = \"{middle}, {middle} mm\"\nheading = \"0 deg\"\n");
    // A table comes before the arrays of tables.
    let at = field.find("[[").unwrap_or(field.len());
    Bench::on(
        &format!("{}{start}{}", &field[..at], &field[at..]),
        "middle",
    )
}

#[test]
fn rims_are_known_however_they_are_drawn() {
    let tables = [
        ("a pale rim that is the platform's own", '>'),
        ("a dark rim on a pale platform", '<'),
        ("a line along the edge of a table", '<'),
        ("a line a little inside the edge", '<'),
        ("four patches along the edges", '<'),
        ("a bare table", '<'),
    ];
    for (name, sign) in tables {
        let (table, other) = (table(name), if sign == '<' { '>' } else { '<' });
        let turn = |sign: char| {
            format!(
                "step \"a\"\ndrive ahead at 20 %\nuntil floor-left {sign} 40 %\nor 0.2 s pass\nstep \"t\"\nspin right at 20 %\nuntil turned 90 deg"
            )
        };
        let reflex = |sign: char| {
            format!(
                "reflex \"edge\"\nwhen floor-left {sign} 40 %\ndrive back at 20 %\nuntil travelled 120 mm\nthen resume\nstep \"a\"\ndrive ahead at 20 %\nuntil 0.2 s pass"
            )
        };
        let back = "step \"b\"\ndrive back at 20 %\nuntil travelled 900 mm or 0.1 s pass"
            .replace(" or 0.1 s pass", "");
        let found = |mission: &str| table.codes(mission).join(" ");
        assert!(
            found(&turn(sign)).contains("K35"),
            "{name}: {}",
            found(&turn(sign))
        );
        assert!(
            !found(&turn(other)).contains("K35"),
            "{name}: {}",
            found(&turn(other))
        );
        // The wrong side of the limit is what the robot stands on.
        assert!(
            found(&reflex(other)).contains("K05"),
            "{name}: {}",
            found(&reflex(other))
        );
        assert!(
            !found(&reflex(sign)).contains("K05"),
            "{name}: {}",
            found(&reflex(sign))
        );
        assert!(found(&back).contains("K36"), "{name}: {}", found(&back));
    }
}

#[test]
fn k25_the_rim_is_as_wide_as_it_is_drawn() {
    let behind = |bench: Bench| {
        bench
            .robot("at = \"92, 32 mm\"", "at = \"20, 32 mm\"")
            .robot("at = \"92, -32 mm\"", "at = \"20, -32 mm\"")
    };
    let at = |speed: u32, sign: char| {
        format!(
            "step \"a\"\ndrive ahead at {speed} %\nuntil any of floor-left, floor-right {sign} 40 %\nor 0.1 s pass"
        )
    };
    let ring = behind(table("a pale rim that is the platform's own"));
    shows(&ring, "K25", &[&at(100, '>')], &[&at(20, '>')]);
    let line = behind(table("a line a little inside the edge"));
    // 50 mm from its inner side to the drop: there is room.
    shows(&line, "K25", &[], &[&at(60, '<')]);
    let told = ring.findings(&at(100, '>'));
    let told = told
        .iter()
        .find(|finding| finding.code == "K25")
        .expect("shown above");
    // 30 mm of rim, and the sensor 6 mm behind the centre of mass.
    assert!(told.message.contains("only 24 mm are left"), "{told:?}");
}

#[test]
fn k13_a_sentence_that_begins_on_its_own_tone() {
    let shift = |exit: &str, more: &str| {
        format!(
            "step \"a\"\ndrive ahead at 20 %\nuntil {exit}\nor 3 s pass -> done\n{more}step \"s\"\nshift left to a dark line with floor-right at 18 %\nuntil finished -> next\nor 3 s pass"
        )
    };
    let off = "step \"off\"\ndrive ahead at 20 %\nuntil floor-right sees pale\nor 1 s passes\n";
    let told = |mission: &str| {
        let found = bench().findings(mission);
        found
            .iter()
            .any(|finding| finding.message.contains("ended the step before"))
    };
    assert!(told(&shift("floor-right sees dark", "")));
    assert!(!told(&shift("floor-left sees dark", "")));
    assert!(!told(&shift("floor-right sees dark", off)));
    // The promise that is made: nothing is shifted.
    let run = bench().run(&shift("floor-right sees dark", ""));
    let visit = run.visits.last().expect("the shift");
    let aside = |tick: usize| run.trace.ticks[tick].pose.y;
    assert!((aside(visit.left) - aside(visit.entered)).abs() < 2e-3);
}

#[test]
fn k72_a_line_that_two_sensors_cannot_have_under_or_between_them() {
    let follow = |word: &str| {
        format!(
            "step \"a\"\nfollow a dark line {word} floor-left and floor-right at 20 %, gain 0.5\nuntil 1 s passes"
        )
    };
    let react = "step \"a\"\nreact\nwhen ahead < 90 mm, hold, brake\notherwise, follow a dark line under floor-left and floor-right at 20 %, gain 0.5\nuntil 1 s passes";
    let reflex = format!(
        "reflex \"x\"\nwhen ahead < 90 mm\n{}\nstep \"b\"\nhold, brake\nuntil 0.2 s pass",
        &follow("under")[9..]
    );
    shows(
        &bench(),
        "K72",
        &[&follow("under"), react, &reflex],
        &[&follow("between")],
    );
    let wide = bench()
        .robot("at = \"92, 32 mm\"", "at = \"92, 5 mm\"")
        .robot("at = \"92, -32 mm\"", "at = \"92, -5 mm\"");
    shows(&wide, "K72", &[], &[&follow("under"), react]);
}

#[test]
fn k73_a_mark_narrower_than_the_spot() {
    let blurred = bench().robot(
        "spot = \"8 mm\"\nrate = \"500 Hz\"",
        "spot = \"40 mm\"\nrate = \"500 Hz\"",
    );
    everywhere(
        &blurred,
        "K73",
        &["floor-left sees dark", "floor-right has met 1 dark line"],
        &["floor-left < 62 %", "hue sees dark"],
        &[],
    );
    everywhere(&bench(), "K73", &[], &["floor-left sees dark"], &[]);
    // The promise that is made: it is never read as dark.
    let run = blurred.run("step \"a\"\ndrive ahead at 24 %\nuntil floor-right sees dark -> fail \"seen\"\nor travelled 700 mm");
    assert_ne!(run.reason, "seen");
}

#[test]
fn k67_wheels_of_their_own_that_cannot_keep_up() {
    let wheels = |fast: u32| {
        format!(
            "step \"a\"\ndrive left wheel at {fast} mm/s, right wheel at 100 mm/s\nuntil 0.5 s pass"
        )
    };
    let kept = (bench().setup().robot.kept_speed() * 1e3) as u32;
    shows(&bench(), "K67", &[&wheels(kept + 8)], &[&wheels(kept - 8)]);
    let told = bench().findings(&wheels(kept + 8));
    let told = told
        .iter()
        .find(|finding| finding.code == "K67")
        .expect("shown above");
    assert!(
        !told.message.contains("keeps its radius"),
        "nothing slows it down: {told:?}"
    );
}

#[test]
fn k71_an_arc_that_a_car_cannot_steer() {
    let cart = include_str!("../../../../examples/brinewick/robots/barge-cart.toml");
    let cart = Bench::default().whole_robot(cart);
    let arc = |radius: u32| {
        format!(
            "step \"a\"\ndrive ahead on a left arc of {radius} mm at 20 %\nuntil travelled 60 mm"
        )
    };
    let row = |radius: u32| {
        format!(
            "step \"a\"\nreact\nwhen clock reaches 9 s, hold, brake\notherwise, drive back on a right arc of {radius} mm at 20 %\nuntil 1 s passes"
        )
    };
    shows(
        &cart,
        "K71",
        &[&arc(60), &row(60), &arc(60).replace("20 %", "80 mm/s")],
        &[&arc(900), &row(900)],
    );
    shows(&bench(), "K71", &[], &[&arc(60)]);
}

/// What is found about a calibration of Curlew on the causeway.
fn calibrated(text: &str) -> Vec<String> {
    let (_, findings) = bench().loaded(text);
    findings
        .into_iter()
        .map(|finding| finding.code.to_owned())
        .collect()
}

#[test]
fn c103_and_c104_a_calibration_against_the_field() {
    let floor = |dark: u32, pale: u32| {
        format!("[sensor.floor-left]\ndark = \"{dark} %\"\npale = \"{pale} %\"\n")
    };
    let hue = |dark: &str, red: &str| {
        format!(
            "[sensor.hue]\npale = \"81 %, 77 %, 64 %\"\ndark = \"{dark}\"\nkiln-red = \"{red}\"\n"
        )
    };
    let (black, red) = ("2 %, 2 %, 2 %", "52 %, 7 %, 3 %");
    for (text, code) in [
        (floor(77, 2), "C103"),
        (floor(60, 30), "C103"),
        (
            hue("81 %, 77 %, 64 %", red).replacen("81 %, 77 %, 64 %", black, 1),
            "C103",
        ),
        (floor(40, 42), "C104"),
        (floor(77, 77), "C104"),
        (hue(red, red), "C104"),
    ] {
        assert_eq!(calibrated(&text), [code], "{text}");
    }
    for text in [floor(2, 77), floor(20, 50), floor(30, 38), hue(black, red)] {
        assert!(calibrated(&text).is_empty(), "{text}");
    }
}

#[test]
fn k74_a_surface_that_nobody_held_the_sensor_over() {
    let cal = |more: &str| {
        format!(
            "[sensor.hue]\npale = \"81 %, 77 %, 64 %\"\ndark = \"2 %, 2 %, 2 %\"\nbrine-blue = \"3 %, 17 %, 43 %\"\n{more}"
        )
    };
    let told = |calibration: &str, condition: &str| {
        let (setup, _) = bench().loaded(calibration);
        let text = bench().text(&format!(
            "step \"a\"\ndrive ahead at 24 %\nuntil {condition}\nor 2 s pass"
        ));
        let found = wayodos_core::project::prepare(&text, setup.as_ref()).findings;
        found
            .into_iter()
            .find(|finding| finding.code == "K74")
            .map(|finding| finding.message)
    };
    let message = told(&cal(""), "hue sees brine-blue").expect("the tape is bluish");
    assert!(message.contains("tape"), "{message}");
    let all = cal("tape = \"25 %, 10 %, 34 %\"\n");
    assert!(told(&all, "hue sees brine-blue").is_none_or(|message| !message.contains("tape")));
    assert!(
        told(&cal(""), "floor-right sees dark").is_none(),
        "not calibrated at all"
    );
    // Dark or pale is all that two tones are to tell.
    let two = "[sensor.floor-left]\ndark = \"2 %\"\npale = \"77 %\"\n";
    assert!(told(two, "floor-left sees dark").is_none());
}

#[test]
fn values_are_followed_through_parameters_amounts_and_formulas() {
    let call = |given: &str, routine: &str| {
        format!("step \"a\"\ndo r ({given})\nroutine r {routine}\nend")
    };
    let drive = |word: &str| {
        format!("(pace = 20 %)\nstep \"b\"\ndrive {word} at pace\nuntil travelled 60 mm")
    };
    let spin = "(pace = 20 %)\nstep \"b\"\nspin left at pace\nuntil turned 20 deg";
    let named = |pace: &str| {
        format!("let pace = {pace}\nstep \"b\"\ndrive back at pace\nuntil travelled 60 mm")
    };
    let back = drive("back");
    let wrong = [
        call("pace = -20 %", &back),
        call("pace = (10 % - 30 %)", &drive("ahead")),
        named("10 % - 30 %"),
    ];
    let right = [
        call("pace = 30 %", &back),
        call("pace = (40 % - 10 %)", &drive("ahead")),
        named("40 % - 10 %"),
        call("pace = 30 %", spin),
    ];
    for mission in &wrong {
        let found = bench().codes(mission);
        assert!(
            found
                .iter()
                .any(|code| code == "K40" || code.starts_with('M')),
            "{found:?}\n{mission}"
        );
    }
    shows(&bench(), "K40", &[], &right.each_ref().map(String::as_str));
    let between = "(low = 20 %, high = 60 %)\nstep \"b\"\ndrive ahead at 20 %\nuntil floor-left between low and high\nor 1 s passes";
    shows(
        &bench(),
        "K16",
        &[
            &call("low = 60 %, high = 20 %", between),
            "step \"a\"\ndrive ahead at 20 %\nuntil ahead > 300 mm and ahead < 200 mm\nor 1 s passes",
        ],
        &[
            &call("low = 20 %, high = 70 %", between),
            "step \"a\"\ndrive ahead at 20 %\nuntil ahead > 200 mm and ahead < 300 mm\nor 1 s passes",
            "step \"a\"\ndrive ahead at 20 %\nuntil floor-left > 60 % and floor-right < 20 %\nor 1 s passes",
        ],
    );
    let arm = bench().robot("[[signal]]", &format!("{}[[signal]]", super::bench::ARM));
    let lift = "(to = 40 deg)\nstep \"b\"\nmove arm to to";
    let lift = lift.replace("to to", "to high").replace("(to =", "(high =");
    shows(
        &arm,
        "K46",
        &[
            &call("high = 120 deg", &lift),
            &call("high = (30 deg * 4)", &lift),
        ],
        &[
            &call("high = 80 deg", &lift),
            "step \"a\"\nmove arm to 60 deg",
        ],
    );
}

#[test]
fn a_parameter_takes_whatever_kind_its_use_allows() {
    let call = |given: &str, routine: &str| {
        format!("step \"a\"\ndo r ({given})\nroutine r {routine}\nend")
    };
    let pace = "(pace)\nstep \"b\"\ndrive ahead at pace\nuntil travelled 60 mm";
    let rolled = "(way)\nstep \"b\"\ndrive ahead at 20 %\nuntil left wheel rolled way";
    let delay = "(later)\nstep \"b\"\ndrive ahead at 20 %\nuntil floor-right sees dark after later\nor 1 s passes";
    let inner = "(pace)\nstep \"b\"\ndo s (pace = pace)\nend\nroutine s (pace)\nstep \"c\"\ndrive ahead at pace\nuntil travelled 60 mm";
    for (given, routine) in [
        ("pace = 30 %", pace),
        ("pace = 120 mm/s", pace),
        ("way = 60 mm", rolled),
        ("way = 90 deg", rolled),
        ("way = 1 turn", rolled),
        ("later = 5 mm", delay),
        ("later = 0.1 s", delay),
        ("pace = 30 %", inner),
        ("pace = 120 mm/s", inner),
    ] {
        let mission = call(given, routine);
        let found = bench().codes(&mission);
        assert!(
            !found.iter().any(|code| code.starts_with('M')),
            "{given}: {found:?}"
        );
        assert_eq!(bench().run(&mission).outcome, Outcome::Done, "{given}");
    }
    // And nothing else.
    for (given, routine) in [
        ("pace = 30 mm", pace),
        ("way = 3 s", rolled),
        ("later = 20 deg", delay),
        ("pace = 3 s", inner),
    ] {
        let found = bench().codes(&call(given, routine));
        assert!(
            found.iter().any(|code| code.starts_with('M')),
            "{given}: {found:?}"
        );
    }
    let slow = |given: &str| bench().run(&call(given, pace)).duration();
    assert!(
        slow("pace = 40 mm/s") > 1.3,
        "a speed in mm/s is one: {}",
        slow("pace = 40 mm/s")
    );
}

#[test]
fn rows_of_nested_brackets_are_compared_in_reasonable_time() {
    // Going through all pairs of what is in these brackets would not end within an hour.
    let nested = |word: &str| {
        let mut condition = "floor-left < 40 %".to_owned();
        for nth in 0..11 {
            let (one, other) = if nth % 2 == 0 {
                ("or", "and")
            } else {
                ("and", "or")
            };
            condition = format!(
                "({condition} {one} floor-right < {}.5 % {other} ahead < {nth}2 mm)",
                nth + 5
            );
        }
        format!("{condition} {word} hue sees dark")
    };
    let choose = |first: &str, second: &str| {
        format!(
            "step \"a\"\nchoose\nwhen {first} -> done\nwhen {second} -> \"b\"\notherwise -> \"b\"\nstep \"b\"\nhold, brake\nuntil 0.2 s pass"
        )
    };
    let (one, other) = (nested("or"), nested("and"));
    shows(
        &bench(),
        "K33",
        &[&choose(&one, &one)],
        &[&choose(&one, &other)],
    );
}

#[test]
fn k75_odometry_from_a_start_that_faces_anywhere() {
    let anywhere = bench().field("heading = \"0 deg\"", "heading = \"random\"");
    let missions = |condition: &str| places(condition).into_iter().map(|(_, mission)| mission);
    let zones: Vec<String> = missions("leaves the mat").collect();
    // What sensors find, or wheels count, does not depend on it.
    let others: Vec<String> = ["floor-left sees dark", "travelled 300 mm"]
        .into_iter()
        .flat_map(missions)
        .collect();
    let zones: Vec<&str> = zones.iter().map(String::as_str).collect();
    let others: Vec<&str> = others.iter().map(String::as_str).collect();
    shows(&anywhere, "K75", &zones, &others);
    shows(&bench(), "K75", &[], &zones);
}

#[test]
fn k13_a_heading_that_the_second_pass_begins_with() {
    let repeat = |how: &str, turn: &str| {
        format!(
            "step \"r\"\nrepeat {how}\nstep \"ahead\"\ndrive ahead at 24 %\nuntil travelled 50 mm\n{turn}\nend\nuntil 3 s pass"
        )
    };
    let spin = |until: &str| format!("step \"t\"\nspin left at 20 %\nuntil {until}");
    let routine = |call: &str, until: &str| {
        format!(
            "step \"r\"\nrepeat 3 times\n{call}\nend\nroutine turn (to = 90 deg)\nstep \"t\"\nspin left at 20 %\nuntil {until}\nend"
        )
    };
    let bad = [
        repeat("3 times", &spin("heading reaches 90 deg")),
        repeat("forever", &spin("heading reaches 90 deg\nor 2 s pass")),
        repeat(
            "2 times",
            "step \"t\"\npivot left on the left wheel at 20 %\nuntil heading reaches 1 rad",
        ),
        repeat(
            "until 4 s pass",
            "step \"t\"\ndrive ahead on a left arc of 200 mm at 24 %\nuntil heading reaches 60 deg",
        ),
        format!(
            "let goal = 30 deg * 3\n{}",
            repeat("3 times", &spin("heading reaches goal"))
        ),
        routine("step \"c\"\ndo turn", "heading reaches to"),
    ];
    let good = [
        repeat("3 times", &spin("turned 90 deg")),
        // It turns back within the pass.
        repeat(
            "3 times",
            &format!(
                "{}\nstep \"u\"\nspin right at 20 %\nuntil heading reaches 0 deg",
                spin("heading reaches 90 deg")
            ),
        ),
        repeat(
            "3 times",
            &format!(
                "{}\nstep \"u\"\nspin right at 20 %\nuntil turned 90 deg",
                spin("heading reaches 90 deg")
            ),
        ),
        repeat("1 times", &spin("heading reaches 90 deg")),
        spin("heading reaches 90 deg"),
        routine(
            "step \"c\"\ndo turn (to = 90 deg)\nstep \"d\"\ndo turn (to = 180 deg)",
            "heading reaches to",
        ),
    ];
    let bad: Vec<&str> = bad.iter().map(String::as_str).collect();
    let good: Vec<&str> = good.iter().map(String::as_str).collect();
    shows(&bench(), "K13", &bad, &good);
}
