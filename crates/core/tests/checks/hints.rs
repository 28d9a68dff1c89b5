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
        assert!(
            words.iter().any(|words| words.contains(hint)),
            "{code}: {words:?} in {found:?}"
        );
        let left = bench.findings(&good);
        let warned: Vec<_> = left
            .iter()
            .filter(|finding| finding.severity != Severity::Note)
            .collect();
        assert!(
            warned.is_empty(),
            "{code} was followed:\n{good}\n{warned:?}"
        );
        assert_eq!(bench.run(&good).outcome, Outcome::Done, "{code}:\n{good}");
        let (_, shown) = borne_out(&bench, &good);
        assert!(shown.is_none(), "{code}:\n{good}\n{shown:?}");
    }
}
