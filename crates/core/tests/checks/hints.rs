//! Hints that are followed help.

use super::bench::Bench;
use super::shapes::ring;
use super::{bench, borne_out};
use wayodos_core::finding::Severity;
use wayodos_core::record::Outcome;

/// A mistake, the mission after its hint was followed by hand, and some words of that hint.
struct Followed {
    bench: Bench,
    code: &'static str,
    bad: String,
    hint: &'static str,
    good: String,
}

/// Hints in words, each followed as it says.
fn followed() -> Vec<Followed> {
    let one = |code, bad: &str, hint, good: &str| Followed {
        bench: bench(),
        code,
        bad: bad.to_owned(),
        hint,
        good: good.to_owned(),
    };
    let exit = |condition: &str| {
        format!(
            "step \"a\"\ndrive ahead at 24 %\nuntil {condition} -> done\nor 6 s pass -> fail \"never\""
        )
    };
    let follow = |exit: &str| {
        format!(
            "step \"f\"\nfollow the left edge of a dark line with floor-left at 24 %, gain 0.6\nuntil {exit} -> done\nor 6 s pass -> fail \"never\""
        )
    };
    let keep = |both: &str| {
        format!(
            "step \"a\"\nkeep between dark lines with floor-left and floor-right at 20 %{both}\nuntil 1 s passes -> done"
        )
    };
    let mut all = vec![
        one(
            "K05",
            &exit("floor-right > 40 %"),
            "write `floor-right < ...`",
            &exit("floor-right < 40 %"),
        ),
        one(
            "K06",
            &exit("floor-right < 1 %"),
            "between what two surfaces read",
            &exit("floor-right < 40 %"),
        ),
        one(
            "K09",
            &exit("floor-right has dropped by 97 %"),
            "write `floor-right < ...`",
            &exit("floor-right < 40 %"),
        ),
        one(
            "K15",
            &exit("all of floor-left, floor-right sees dark"),
            "write `any of`",
            &exit("any of floor-left, floor-right sees dark"),
        ),
        one(
            "K17",
            &exit("floor-right > 80 %"),
            "`for 30 ms`",
            &exit("floor-right < 40 % for 30 ms"),
        ),
        one("K62", &keep(""), "`, both ahead`", &keep(", both ahead")),
        one(
            "K21",
            "step \"r\"\nrepeat 1 time\nstep \"a\"\ndrive ahead at 24 %\nuntil travelled 60 mm\nend",
            "how often",
            "step \"r\"\nrepeat 2 times\nstep \"a\"\ndrive ahead at 24 %\nuntil travelled 60 mm\nend",
        ),
        one(
            "M108",
            "step \"a\"\nhold, brake",
            "`until 2 s pass`",
            "step \"a\"\nhold, brake\nuntil 2 s pass",
        ),
        one(
            "M108",
            "step \"a\"\nspin left at 20 %",
            "`until turned 90 deg`",
            "step \"a\"\nspin left at 20 %\nuntil turned 90 deg",
        ),
        one(
            "M108",
            "step \"a\"\ndrive ahead at 20 %",
            "`until travelled 300 mm`",
            "step \"a\"\ndrive ahead at 20 %\nuntil travelled 300 mm",
        ),
        one(
            "K41",
            "step \"a\"\npivot left on the left wheel at 20 %\nuntil right wheel rolled 90 deg",
            "`turned ...`",
            "step \"a\"\npivot left on the left wheel at 20 %\nuntil turned 90 deg",
        ),
        one(
            "K42",
            "step \"a\"\ndrive ahead at 90 %\nuntil travelled 2 mm",
            "more slowly",
            "step \"a\"\ndrive ahead at 20 %\nuntil travelled 2 mm",
        ),
        one(
            "K61",
            "step \"a\"\ndrive ahead at 20 %\nuntil travelled 60 mm\nstep \"m\"\nmeasure ahead as d\nstep \"b\"\ndrive ahead at 20 %\nuntil ahead < (d - 20 mm)\nor 1 s passes",
            "`hold, brake` of 0.3 s",
            "step \"a\"\ndrive ahead at 20 %\nuntil travelled 60 mm\nstep \"h\"\nhold, brake\nuntil 0.3 s pass\nstep \"m\"\nmeasure ahead as d\nstep \"b\"\ndrive ahead at 20 %\nuntil ahead < (d - 20 mm)\nor 1 s passes",
        ),
    ];
    // A line under the left sensor, and a bar that crosses it on the right.
    let rail = super::mat(
        "[[line]]\nsurface = \"dark\"\nwidth = \"20 mm\"\npoints = [\"200, 522 mm\", \"1600, 522 mm\"]\n[[line]]\nsurface = \"dark\"\nwidth = \"20 mm\"\npoints = [\"800, 300 mm\", \"800, 522 mm\"]",
    );
    all.push(Followed {
        bench: rail,
        code: "K07",
        bad: follow("floor-left sees dark"),
        hint: "such as `floor-right`",
        good: follow("floor-right sees dark"),
    });
    let colours = Bench::on(
        "size = \"2000 x 1000 mm\"\nground = \"pale\"\nsurface = { pale = { colour = \"#e9e3d2\" }, red = { colour = \"#bf4a2d\" }, blue = { colour = \"#2d73b0\" } }\n[start.here]\nat = \"300, 500 mm\"\nheading = \"0 deg\"\n[[patch]]\nsurface = \"red\"\nat = \"800, 500 mm\"\nsize = \"100 x 400 mm\"",
        "here",
    );
    all.push(Followed {
        bench: colours,
        code: "K12",
        bad: exit("hue sees none of pale"),
        hint: "name what is meant",
        good: exit("hue sees red for 20 ms"),
    });
    let slow = |speed: u32| {
        format!(
            "step \"a\"\ndrive ahead at {speed} %\nuntil floor-right sees dark -> done\nor 6 s pass -> fail \"never\""
        )
    };
    let seldom = bench().robot("rate = \"500 Hz\"", "rate = \"20 Hz\"");
    all.push(Followed {
        bench: seldom,
        code: "K24",
        bad: slow(90),
        hint: "drive at 55 % or less",
        good: slow(55),
    });
    let rim = |between: &str| {
        format!(
            "step \"a\"\ndrive ahead at 24 %\nuntil any of floor-left, floor-right sees rim\n{between}step \"t\"\nspin right at 20 %\nuntil turned 150 deg -> done"
        )
    };
    all.push(Followed {
        bench: ring(),
        code: "K35",
        bad: rim(""),
        hint: "drive back 60 mm or more first",
        good: rim("step \"b\"\ndrive back at 24 %\nuntil travelled 60 mm\n"),
    });
    let spin = |until: &str| format!("step \"t\"\nspin left at 20 %\nuntil {until}");
    let ahead = "drive ahead at 24 %";
    let repeat = |how: &str, turn: &str| {
        format!("step \"r\"\nrepeat {how}\nstep \"a\"\n{ahead}\nuntil travelled 50 mm\n{turn}\nend")
    };
    let reflex = |word: &str| {
        format!(
            "reflex \"x\"\n{word} ahead < 90 mm\nsignal lamp \"red\"\nstep \"a\"\n{ahead}\nuntil travelled 100 mm"
        )
    };
    all.extend([
        one(
            "K13",
            &repeat("3 times", &spin("heading reaches 90 deg")),
            "write `turned ANGLE`",
            &repeat("3 times", &spin("turned 90 deg")),
        ),
        one(
            "K14",
            "step \"a\"\nspin left at 24 %\nuntil travelled 100 mm\nor 1 s passes",
            "what ends this step",
            "step \"a\"\nspin left at 24 %\nuntil turned 90 deg",
        ),
        one(
            "K16",
            &exit("floor-right > 50 % and floor-right < 33 %"),
            "exchange the two limits",
            &exit("floor-right > 33 % and floor-right < 50 %"),
        ),
        one(
            "K19",
            &repeat("until floor-right sees dark, after each pass", ""),
            "delete `, after each pass`",
            &repeat("until floor-right sees dark", ""),
        ),
        one(
            "K22",
            &repeat("forever", ""),
            "below its `end`",
            &format!("{}\nuntil 2 s pass", repeat("forever", "")),
        ),
        one(
            "K28",
            &format!(
                "step \"a\"\n{ahead}\nuntil floor-left sees dark\nor 3 s pass\nstep \"b\"\n{ahead}\nuntil floor-right sees dark\nor 3 s pass"
            ),
            "both as exits of one step",
            &format!("step \"a\"\n{ahead}\nuntil floor-left sees dark\nor floor-right sees dark\nor 3 s pass"),
        ),
        one(
            "K30",
            &format!("step \"a\"\n{ahead}\nuntil floor-right sees dark"),
            "or 10 s pass -> fail",
            &exit("floor-right sees dark"),
        ),
        one(
            "K31",
            "step \"a\"\nawait clear with ahead beyond 200 mm, 2 tries of 1 s",
            "or given up",
            "step \"a\"\nawait clear with ahead beyond 200 mm, 2 tries of 1 s\nuntil clear\nor given up -> fail \"it stays\"",
        ),
        one("K32", &reflex("while"), "`when` instead of `while`", &reflex("when")),
        one(
            "K33",
            "step \"c\"\nchoose\nwhen ahead < 90 mm -> done\nstep \"b\"\nhold, brake\nuntil 0.1 s passes",
            "otherwise",
            "step \"c\"\nchoose\nwhen ahead < 90 mm -> done\notherwise -> \"b\"\nstep \"b\"\nhold, brake\nuntil 0.1 s passes",
        ),
        one(
            "K40",
            "step \"a\"\ndo r (pace = -20 %)\nroutine r (pace)\nstep \"b\"\ndrive back at pace\nuntil travelled 60 mm\nend",
            "a speed without a sign",
            "step \"a\"\ndo r (pace = 20 %)\nroutine r (pace)\nstep \"b\"\ndrive back at pace\nuntil travelled 60 mm\nend",
        ),
        one(
            "K43",
            &format!(
                "step \"r\"\nrepeat 2 times\n{}\nstep \"a\"\n{ahead}\nuntil travelled 50 mm\n{}\nend",
                spin("turned 20 deg"),
                spin("turned 30 deg").replace("\"t\"", "\"u\"")
            ),
            "combine the two turns",
            &repeat("2 times", &spin("turned 50 deg")),
        ),
        one(
            "K44",
            "step \"a\"\nspin left at 100 %\nuntil ahead < 200 mm\nor turned 90 deg",
            "spin at",
            "step \"a\"\nspin left at 20 %\nuntil ahead < 200 mm\nor turned 90 deg",
        ),
        one(
            "K60",
            &format!(
                "step \"a\"\n{ahead}\nuntil floor-right sees dark -> \"b\"\nor travelled 300 mm -> done\nstep \"b\"\nhold, brake\nuntil 0.2 s pass -> \"a\""
            ),
            "after it was false",
            &format!(
                "step \"a\"\n{ahead}\nuntil floor-right sees dark after it was false -> \"b\"\nor travelled 300 mm -> done\nstep \"b\"\nhold, brake\nuntil 0.2 s pass -> \"a\""
            ),
        ),
        one(
            "K63",
            "step \"a\"\ndrive ahead at 60 %\nuntil travelled 9000 mm -> done",
            "limit its way",
            "step \"a\"\ndrive ahead at 60 %\nuntil travelled 900 mm -> done",
        ),
    ]);
    let wall =
        super::mat("[[wall]]\nthickness = \"20 mm\"\npoints = [\"900, 100 mm\", \"900, 900 mm\"]");
    let to_the_wall = |exit: &str| {
        format!(
            "step \"a\"\ndrive ahead at 30 %\nuntil {exit} -> done\nor 6 s pass -> fail \"never\""
        )
    };
    all.push(Followed {
        bench: wall,
        code: "K64",
        bad: "step \"a\"\ndrive ahead at 30 %\nuntil travelled 900 mm -> done".to_owned(),
        hint: "`stalled for 0.3 s`",
        good: to_the_wall("stalled for 0.3 s"),
    });
    let delayed = bench().field(
        "[surface.pale]",
        "[rules]\nstart_delay = \"3 s\"\n\n[surface.pale]",
    );
    all.push(Followed {
        bench: delayed,
        code: "K54",
        bad: format!("step \"a\"\n{ahead}\nuntil travelled 60 mm"),
        hint: "`begin after 3.05 s`",
        good: format!("begin after 3.05 s\nstep \"a\"\n{ahead}\nuntil travelled 60 mm"),
    });
    let react = |first: &str, second: &str| {
        format!(
            "step \"a\"\nreact\nwhen {first}, drive back at 30 %\nwhen {second}, drive back at 20 %\notherwise, drive ahead at 20 %\nuntil 1 s passes"
        )
    };
    let edge = "any of floor-left, floor-right > 84 %";
    all.push(Followed {
        bench: ring(),
        code: "K29",
        bad: react("ahead < 40 mm", edge),
        hint: "move this row to the top",
        good: react(edge, "ahead < 40 mm"),
    });
    let away = |side: &str| {
        format!(
            "step \"a\"\n{ahead}\nuntil floor-left sees rim\nor floor-right sees rim -> done\nstep \"b\"\ndrive back at 24 %\nuntil travelled 70 mm\nstep \"t\"\nspin {side} at 20 %\nuntil turned 60 deg -> done"
        )
    };
    all.push(Followed {
        bench: ring(),
        code: "K34",
        bad: away("left"),
        hint: "turn away from the side that saw it",
        good: away("right"),
    });
    let back =
        |way: u32| format!("step \"a\"\ndrive back at 20 %\nuntil travelled {way} mm -> done");
    all.push(Followed {
        bench: ring(),
        code: "K36",
        bad: back(500),
        hint: "drive back 210 mm or less",
        good: back(210),
    });
    let cart = include_str!("../../../../examples/brinewick/robots/barge-cart.toml");
    let arc = |radius: u32| {
        format!(
            "step \"a\"\ndrive ahead on a left arc of {radius} mm at 20 %\nuntil travelled 60 mm -> done"
        )
    };
    all.push(Followed {
        bench: Bench::default().whole_robot(cart),
        code: "K71",
        bad: arc(60),
        hint: "a radius of 225 mm or more",
        good: arc(225),
    });
    all.extend([
        one(
            "K02",
            "step \"a\"\ndrive ahead at 24 %  # until floor-right is on the bar\nuntil travelled 60 mm",
            "name it there",
            "step \"a\"\ndrive ahead at 24 %  # until floor-right is on the bar\nuntil floor-right sees dark\nor 6 s pass",
        ),
        one(
            "K08",
            "let far = 60 mm, guessed\nstep \"a\"\ndrive ahead at 24 %\nuntil travelled far",
            "`measured`",
            "let far = 60 mm, measured\nstep \"a\"\ndrive ahead at 24 %\nuntil travelled far",
        ),
        one(
            "K23",
            &exit("floor-right sees dark after 60 mm"),
            "`after it was false`",
            &exit("floor-right sees dark after it was false"),
        ),
        one(
            "K53",
            "step \"a\"\ndrive ahead at 24 %\nuntil travelled 20 mm\nstep \"b\"\ndrive ahead at 24 %\nuntil travelled 20 mm\nstep \"c\"\ndrive ahead at 26 %\nuntil travelled 20 mm\nstep \"d\"\ndrive ahead at 24 %\nuntil travelled 20 mm",
            "name the amount with `let`",
            "let pace = 24 %\nstep \"a\"\ndrive ahead at pace\nuntil travelled 20 mm\nstep \"b\"\ndrive ahead at pace\nuntil travelled 20 mm\nstep \"c\"\ndrive ahead at pace\nuntil travelled 20 mm\nstep \"d\"\ndrive ahead at pace\nuntil travelled 20 mm",
        ),
        one(
            "K55",
            "step \"a\"\nhold, brake\nuntil 30 s pass",
            "wait less",
            "step \"a\"\nhold, brake\nuntil 3 s pass",
        ),
        one(
            "K57",
            "step \"r\"\nrepeat 3 times\nstep \"a\"\ndrive ahead at 24 %\nuntil travelled 40 mm\nend",
            "end on a mark",
            "step \"r\"\nrepeat 3 times\nstep \"a\"\ndrive ahead at 24 %\nuntil floor-right sees dark after it was false\nor travelled 60 mm\nend",
        ),
        one(
            "K72",
            "step \"a\"\nfollow a dark line under floor-left and floor-right at 20 %, gain 0.5\nuntil 1 s passes",
            "`between` the two sensors",
            "step \"a\"\nfollow a dark line between floor-left and floor-right at 20 %, gain 0.5\nuntil 1 s passes",
        ),
    ]);
    let tape = |y: u32| {
        bench().field(
            "[surface.pale]",
            &format!("[[line]]\nname = \"tape\"\nsurface = \"tape\"\nwidth = \"20 mm\"\nkeep_off = true\npoints = [\"300, 50 mm\", \"300, {y} mm\"]\n\n[surface.pale]"),
        )
    };
    let way = |length: u32| format!("step \"a\"\ndrive ahead at 24 %\nuntil travelled {length} mm");
    all.push(Followed {
        bench: tape(300),
        code: "K56",
        bad: way(250),
        hint: "end this step earlier",
        good: way(40),
    });
    let behind = ring().robot("at = \"92, 32 mm\"", "at = \"-10, 32 mm\"");
    let behind = behind.robot("at = \"92, -32 mm\"", "at = \"-10, -32 mm\"");
    let to_the_rim = |speed: u32| {
        format!(
            "step \"a\"\ndrive ahead at {speed} %\nuntil any of floor-left, floor-right > 84 %\nor travelled 100 mm"
        )
    };
    all.push(Followed {
        bench: behind,
        code: "K25",
        bad: to_the_rim(90),
        hint: "more slowly near the rim",
        good: to_the_rim(14),
    });
    let rival = super::mat(
        "[[opponent]]\nname = \"rival\"\nrobot = \"rival.toml\"\nat = \"800, 500 mm\"\nheading = \"180 deg\"\ndrifts = [\"40 %\", \"40 %\"]",
    );
    all.push(Followed {
        bench: rival,
        code: "K66",
        bad: "step \"a\"\ndrive ahead at 40 %\nuntil 8 s pass -> done".to_owned(),
        hint: "`until stalled for 1 s`",
        good: "step \"a\"\ndrive ahead at 40 %\nuntil stalled for 1 s\nor 8 s pass -> done\nstep \"b\"\ndrive back at 40 %\nuntil travelled 150 mm or 2 s pass".to_owned(),
    });
    let blurred = bench().robot(
        "spot = \"8 mm\"\nrate = \"500 Hz\"",
        "spot = \"40 mm\"\nrate = \"500 Hz\"",
    );
    all.push(Followed {
        bench: blurred,
        code: "K73",
        bad: exit("floor-right sees dark"),
        hint: "compare the reading instead: `floor-right < 54 %`",
        good: exit("floor-right < 54 %"),
    });
    let limp = bench().robot("[[signal]]", &format!("{}[[signal]]", super::bench::ARM));
    let send = |angle: u32| {
        format!(
            "step \"a\"\ndo r (to = {angle} deg)\nroutine r (to)\nstep \"b\"\nmove arm to to\nend"
        )
    };
    all.push(Followed {
        bench: limp,
        code: "K46",
        bad: send(120),
        hint: "within its end stops",
        good: send(80),
    });
    let arm = bench().robot("[[signal]]", &format!("{}[[signal]]", super::bench::ARM));
    all.push(Followed {
        bench: arm.robot("to = \"90 deg\"", "to = \"85.97 deg\""),
        code: "M117",
        bad: "step \"a\"\nmove arm to 120 deg".to_owned(),
        hint: "write `85.9 deg`",
        good: "step \"a\"\nmove arm to 85.9 deg".to_owned(),
    });
    all
}

#[test]
fn a_hint_that_is_followed_helps() {
    let mut wrong = Vec::new();
    for Followed {
        bench,
        code,
        bad,
        hint,
        good,
    } in followed()
    {
        let found = bench.findings(&bad);
        let told = found.iter().filter(|finding| finding.code == code);
        let words: Vec<&str> = told
            .flat_map(|finding| finding.hints.iter())
            .map(|hint| hint.words.as_str())
            .collect();
        if !words.iter().any(|words| words.contains(hint)) {
            wrong.push(format!("{code}: {words:?} in {found:?}"));
        }
        let left = bench.findings(&good);
        let warned: Vec<_> = left
            .iter()
            .filter(|finding| finding.severity != Severity::Note)
            .collect();
        let outcome = bench.run(&good).outcome;
        let (_, shown) = borne_out(&bench, &good);
        if !warned.is_empty() || outcome != Outcome::Done || shown.is_some() {
            wrong.push(format!(
                "{code} was followed:\n{good}\n{outcome:?}, {warned:?}, {shown:?}"
            ));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n\n"));
}
