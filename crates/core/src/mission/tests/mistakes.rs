//! Findings about mistakes in the larger sentences: every line is a text and what is said about it,
//! word for word.

use super::findings_of;

/// A mission of one step, with lines before and after it.
fn around(before: &str, step: &str, after: &str) -> String {
    format!("limit 9 s\n{before}step \"a\"\n{step}\n{after}")
}

#[test]
fn sentences_that_go_wrong_half_way() {
    let findings_of = |step: &str| {
        let said = findings_of(&around("", step, ""));
        format!("{}\n{said}\n", step.replace('\n', " / "))
    };
    let all: Vec<String> = [
        "follow the middle edge of a dark line with floor-left at 20 %\nuntil 1 s passes",
        "follow a dark line over floor-left and floor-right at 20 %\nuntil 1 s passes",
        "follow the left edge of a dark line with floor-left at 20 %, gain\nuntil 1 s passes",
        "follow the left edge of a dark line with floor-left at 20 %, if lost cry\nuntil 1 s passes",
        "keep between dark lines with floor-left at 20 %\nuntil 1 s passes",
        "align floor-left and floor-right at 20 %",
        "seek with front within 400 mm, spinning left at 20 %",
        "seek with floor-left within 400 mm, spinning left at 20 % up to 90 deg, moving 30 mm, 2 tries",
        "await clear with front beyond 300 mm, 0 tries of 2 s",
        "probe 90 deg to each side at 20 %, with hue, tie left",
        "probe 90 deg to each side at 20 %, up to 300 mm",
        "move arm 60 deg",
        "measure front",
        "measure front + as gap",
        "do",
        "do nothing-known",
        "repeat 2.5 times\nstep \"b\"\nhold, brake\nuntil 1 s passes\nend",
        "repeat never\nstep \"b\"\nhold, brake\nuntil 1 s passes\nend",
        "react\nwhen front < 200 mm\nuntil 1 s passes",
        "react\nwhen front < 200 mm, choose\nuntil 1 s passes",
        "choose\nwhen front < 200 mm",
        "hold, brake\nuntil floor-left sees any of dark pale",
        "hold, brake\nuntil any of floor-left floor-right sees dark",
        "hold, brake\nuntil floor-left has seen dark",
        "hold, brake\nuntil floor-left between 20 % or 40 %",
        "hold, brake\nuntil floor-left sees dark after",
        "hold, brake\nuntil (floor-left sees dark or 1 s passes",
        "hold, brake\nuntil heading reaches 3 mm",
        "hold, brake\nuntil stalled",
        "hold, brake\nuntil floor-left sees dark as",
        "hold, brake\nuntil 1 s passes -> nowhere",
    ]
    .map(findings_of)
    .into();
    insta::assert_snapshot!("half-way", all.join("\n"));
}

#[test]
fn names_that_mean_nothing_and_things_in_the_wrong_place() {
    let hold = "hold, brake\nuntil 1 s passes";
    let findings_of = |(before, step, after): (&str, &str, &str)| {
        let text = around(before, step, after);
        format!(
            "{}\n{}\n",
            text.trim_end().replace('\n', " / "),
            findings_of(&text)
        )
    };
    let all: Vec<String> = [
        ("let a = b + 1 mm\nlet b = 2 mm\n", "drive ahead at 20 %\nuntil travelled (a + b)", ""),
        ("let a = 1 mm + 2 s\n", "drive ahead at 20 %\nuntil travelled a", ""),
        ("let a = 30 %, safe from 40 % to 50 %\n", "drive ahead at a\nuntil 1 s passes", ""),
        ("let a = 30 %, safe from 50 % to 20 %\n", "drive ahead at a\nuntil 1 s passes", ""),
        ("", "drive ahead on a left arc of 200 mm at gap\nuntil 1 s passes", "step \"b\"\nmeasure front / 1 s as gap\n"),
        ("", "measure front as gap", "step \"b\"\nmeasure heading as gap\n"),
        ("", "hold, brake\nuntil found", ""),
        ("", "hold, brake\nuntil the line is lost", ""),
        ("", "hold, brake\nuntil ended by nobody", ""),
        ("", "hold, brake\nuntil 1 s passes -> again", ""),
        ("", "hold, brake\nuntil 1 s passes -> out", ""),
        (
            "",
            "repeat 2 times\nstep \"in\"\nhold, brake\nuntil 1 s passes\nend",
            "step \"b\"\nhold, brake\nuntil 1 s passes -> \"in\"\n",
        ),
        ("", "repeat 2 times", ""),
        ("", "repeat 2 times\nend", ""),
        ("", hold, "end\n"),
        ("", hold, "then resume\n"),
        ("", hold, "otherwise -> done\n"),
        ("reflex \"x\"\nhold, brake\nuntil 1 s passes\n", hold, ""),
        ("reflex \"x\"\nwhen front < 90 mm\nhold, brake\nuntil 1 s passes\nthen -> next\n", hold, ""),
        ("reflex \"x\"\nwhen front < 90 mm\nhold, brake\nuntil 1 s passes\nthen -> \"b\"\n", hold, ""),
        ("reflex \"x\"\nwhen front < 90 mm\nduring \"b\"\nhold, brake\nuntil 1 s passes\n", hold, ""),
        (
            "",
            "do r (far = 20 mm, far = 30 mm)",
            "routine r (far = 10 mm)\nstep \"b\"\ndrive ahead at 20 %\nuntil travelled far\nend\n",
        ),
        (
            "",
            "do r (near = 20 mm)",
            "routine r (far = 10 mm)\nstep \"b\"\ndrive ahead at 20 %\nuntil travelled far\nend\n",
        ),
        (
            "",
            "do r (far = left)",
            "routine r (far = 10 mm)\nstep \"b\"\ndrive ahead at 20 %\nuntil travelled far\nend\n",
        ),
        (
            "",
            "do r (eye = floor-mid)",
            "routine r (eye = floor-left)\nstep \"b\"\ndrive ahead at 20 %\nuntil eye sees dark\nend\n",
        ),
        ("", "do r", "routine r (x = floor-left)\nstep \"b\"\nspin x at 20 %\nuntil x sees dark\nend\n"),
        ("", "do r mirrored", "routine r\nstep \"b\"\ndrive ahead at 20 %\nuntil hue sees red\nend\n"),
        ("", "do r", "routine r\nstep \"b\"\ndo s\nend\nroutine s\nstep \"b\"\ndo r\nend\n"),
        ("", hold, "routine idle (x = 1 mm)\nstep \"b\"\nhold, brake\nuntil 1 s passes\nend\n"),
        ("", hold, "routine r (x = 1 mm, x = 2 mm)\nstep \"b\"\nhold, brake\nuntil 1 s passes\nend\n"),
        ("begin on doorbell\n", hold, ""),
        ("begin soon\n", hold, ""),
        ("settle 3 mm\n", hold, ""),
    ]
    .map(findings_of)
    .into();
    insta::assert_snapshot!("wrong-place", all.join("\n"));
}
